using System.Collections.Immutable;
using System.Data.Common;
using System.Text.Json;
using Npgsql;
using NpgsqlTypes;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Storage;

/// <summary>Thrown when somebody asked for the run to be stopped.</summary>
public sealed class RunStopped : OperationCanceledException;

/// <summary>
/// One run's store in PostgreSQL, on one connection. The connection holds the mirror's lock, so only one run of a mirror goes
/// on at a time, wherever it was started, and a process that dies lets go of it. A rehearsal is one transaction that is never
/// committed.
/// </summary>
public sealed class PostgresRunStore : IRunStore, IAsyncDisposable
{
    /// <summary>The first half of the key of a mirror's advisory lock; the second is the mirror's id.</summary>
    public const int LockSpace = 5317;

    /// <summary>Of so many rehearsals of a mirror it is remembered what they would have written.</summary>
    private const int MostRehearsedHolds = 5000;

    /// <summary>The newest rehearsal of which nothing is kept any more: there are twenty after it.</summary>
    private const string OldRehearsal = "select id from run where mirror_id = @mirror and rehearsal order by id desc offset 20 limit 1";

    private readonly NpgsqlDataSource database;
    private readonly NpgsqlConnection connection;
    private readonly int mirrorId;
    private readonly StoredForms forms;
    private readonly TimeProvider clock;
    private readonly HashSet<Guid> foundAnew = [];
    private NpgsqlTransaction? rehearsal;

    private PostgresRunStore(NpgsqlDataSource database, NpgsqlConnection connection, int mirrorId, MirrorDefinition mirror, TimeProvider clock)
    {
        this.database = database;
        this.connection = connection;
        this.mirrorId = mirrorId;
        this.forms = new StoredForms(mirror);
        this.clock = clock;
        this.Likeness = new LikenessStore(connection, mirrorId, clock);
    }

    public long RunId { get; private set; }

    public ILikenessStore Likeness { get; }

    /// <summary>Takes the mirror's lock. Null when a run of this mirror is going on.</summary>
    public static async Task<PostgresRunStore?> Open(NpgsqlDataSource database, int mirrorId, MirrorDefinition mirror, TimeProvider clock, CancellationToken cancellation)
    {
        var connection = await database.OpenConnectionAsync(cancellation);

        // A person's decision holds it for a moment only: that is waited for, another run is not.
        for (var tries = 0; tries < 5; tries++)
        {
            await using var take = new NpgsqlCommand("select pg_try_advisory_lock(@space, @mirror)", connection);
            take.Parameters.AddWithValue("space", LockSpace);
            take.Parameters.AddWithValue("mirror", mirrorId);
            if ((bool)(await take.ExecuteScalarAsync(cancellation))!)
            {
                return new PostgresRunStore(database, connection, mirrorId, mirror, clock);
            }

            await Task.Delay(TimeSpan.FromMilliseconds(40), clock, cancellation);
        }

        await connection.DisposeAsync();
        return null;
    }

    /// <summary>Says for which run this store is, and whether what it keeps is to be forgotten again.</summary>
    public async Task Begin(long runId, bool rehearse, CancellationToken cancellation)
    {
        this.RunId = runId;
        if (rehearse)
        {
            this.rehearsal = await this.connection.BeginTransactionAsync(cancellation);
        }
    }

    /// <summary>Has this run look at every record by the mirror's definition, which is not the one in force.</summary>
    internal Task LookAtAll(MirrorDefinition before, MirrorDefinition after, CancellationToken cancellation) =>
        Drafts.LookAtAll(this.mirrorId, before, after, this.connection, this.rehearsal, cancellation);

    /// <summary>Keeps what a rehearsal would have written, which is forgotten otherwise. Does nothing for a run.</summary>
    public async Task KeepRehearsed(CancellationToken cancellation)
    {
        if (this.rehearsal is null)
        {
            return;
        }

        await using var planned = this.Command("""
            select l.id, l.title, d.side, d.kind, d.record_id, d.fields from delivery d join link l on l.mirror_id = d.mirror_id and l.id = d.link_id
            where d.mirror_id = @mirror and d.state = 'planned' order by d.id
            """);
        var writes = await ReadAll(planned, r => (Link: r.GetGuid(0), Title: r.GetString(1), Side: r.GetInt32(2), Kind: r.GetString(3), Record: r.IsDBNull(4) ? null : r.GetString(4), Fields: r.GetString(5)), cancellation);
        await using var keep = this.database.CreateCommand($"""
            with old as (
                delete from rehearsed_write where mirror_id = @mirror and run_id <= ({OldRehearsal})
            )
            insert into rehearsed_write (mirror_id, run_id, n, link_id, title, side, kind, record_id, fields)
            select @mirror, @run, w.n, (select id from link where mirror_id = @mirror and id = w.link), w.title, w.side, w.kind, w.record, w.fields::jsonb
            from unnest(@links, @titles, @sides, @kinds, @records, @fields) with ordinality as w (link, title, side, kind, record, fields, n)
            """);
        keep.Parameters.AddWithValue("mirror", this.mirrorId);
        keep.Parameters.AddWithValue("run", this.RunId);
        keep.Parameters.AddWithValue("links", writes.Select(w => w.Link).ToArray());
        keep.Parameters.AddWithValue("titles", writes.Select(w => w.Title).ToArray());
        keep.Parameters.AddWithValue("sides", writes.Select(w => w.Side).ToArray());
        keep.Parameters.AddWithValue("kinds", writes.Select(w => w.Kind).ToArray());
        keep.Parameters.AddWithValue("records", NpgsqlDbType.Array | NpgsqlDbType.Text, writes.Select(w => w.Record).ToArray());
        keep.Parameters.AddWithValue("fields", writes.Select(w => w.Fields).ToArray());
        await keep.ExecuteNonQueryAsync(cancellation);
        await this.KeepRehearsedHolds(cancellation);
    }

    private async Task KeepRehearsedHolds(CancellationToken cancellation)
    {
        await using var held = this.Command("select title, side, record_id, field, reason from hold where mirror_id = @mirror and run_id = @run order by id limit @most", ("run", this.RunId), ("most", MostRehearsedHolds));
        var holds = await ReadAll(held, r => (Title: r.GetString(0), Side: r.GetInt32(1), Record: r.GetString(2), Field: r.IsDBNull(3) ? null : r.GetString(3), Reason: r.GetString(4)), cancellation);
        await using var keep = this.database.CreateCommand($"""
            with old as (
                delete from rehearsed_hold where mirror_id = @mirror and run_id <= ({OldRehearsal})
            )
            insert into rehearsed_hold (mirror_id, run_id, n, title, side, record_id, field, reason)
            select @mirror, @run, h.n, h.title, h.side, h.record, h.field, h.reason from unnest(@titles, @sides, @records, @fields, @reasons) with ordinality as h (title, side, record, field, reason, n)
            """);
        keep.Parameters.AddWithValue("mirror", this.mirrorId);
        keep.Parameters.AddWithValue("run", this.RunId);
        keep.Parameters.AddWithValue("titles", holds.Select(h => h.Title).ToArray());
        keep.Parameters.AddWithValue("sides", holds.Select(h => h.Side).ToArray());
        keep.Parameters.AddWithValue("records", holds.Select(h => h.Record).ToArray());
        keep.Parameters.AddWithValue("fields", NpgsqlDbType.Array | NpgsqlDbType.Text, holds.Select(h => h.Field).ToArray());
        keep.Parameters.AddWithValue("reasons", holds.Select(h => h.Reason).ToArray());
        await keep.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<int> PickForRehearsal(int most, string? find, CancellationToken cancellation)
    {
        if (this.rehearsal is null)
        {
            throw new InvalidOperationException("Only a rehearsal looks at some records and forgets it again.");
        }

        await using var pick = this.Command("""
            with picked as materialized (
                select l.id from link l where l.mirror_id = @mirror and (@find::text is null or strpos(lower(l.title), lower(@find)) > 0 or exists (select from system_record r where r.mirror_id = @mirror and r.link_id = l.id and r.id = @find))
                order by md5(l.id::text || @run) limit @most
            ), waits as (
                update link l set waiting = l.id in (select id from picked) where l.mirror_id = @mirror and (l.waiting or l.id in (select id from picked))
            )
            select count(*)::int from picked
            """, ("most", most), ("run", this.RunId.ToString(System.Globalization.CultureInfo.InvariantCulture)));
        pick.Parameters.AddWithValue("find", NpgsqlDbType.Text, (object?)find ?? DBNull.Value);
        var picked = (int)(await pick.ExecuteScalarAsync(cancellation))!;

        // Kept, unlike what the rehearsal does.
        await using var note = this.database.CreateCommand("update run set sampled = @picked where mirror_id = @mirror and id = @run");
        note.Parameters.AddWithValue("picked", picked);
        note.Parameters.AddWithValue("mirror", this.mirrorId);
        note.Parameters.AddWithValue("run", this.RunId);
        await note.ExecuteNonQueryAsync(cancellation);
        return picked;
    }

    public async Task<int> KeepOnlyAsRehearsed(long rehearsal, CancellationToken cancellation)
    {
        // The same write: to the same record, on the same side, of the same values, whatever was said about why.
        await using var command = this.Command("""
            with asked as (
                select w.link_id, w.title, w.side, w.kind, w.record_id, (select jsonb_object_agg(f->>'path', f->'raw') from jsonb_array_elements(w.fields) f) as says from rehearsed_write w where w.mirror_id = @mirror and w.run_id = @rehearsal
            ), planned as (
                select d.id, d.link_id, l.title, d.side, d.kind, d.record_id, (select jsonb_object_agg(f->>'path', f->'raw') from jsonb_array_elements(d.fields) f) as says
                from delivery d join link l on l.mirror_id = d.mirror_id and l.id = d.link_id where d.mirror_id = @mirror and d.state = 'planned' and not d.aside
            ), other as (
                select p.id, p.link_id from planned p where not exists (
                    select from asked a where a.side = p.side and a.kind = p.kind and (a.link_id = p.link_id or (a.link_id is null and a.title = p.title)) and a.record_id is not distinct from p.record_id and a.says is not distinct from p.says)
            ), dropped as (
                update delivery d set state = 'superseded', ended_at = @now from other o where d.mirror_id = @mirror and d.id = o.id
            ), later as (
                update link l set waiting = true from other o where l.mirror_id = @mirror and l.id = o.link_id
            )
            select count(*)::int from other
            """, ("rehearsal", rehearsal), ("now", this.clock.GetUtcNow()));
        return (int)(await command.ExecuteScalarAsync(cancellation))!;
    }

    public async ValueTask DisposeAsync()
    {
        if (this.rehearsal is not null)
        {
            await this.rehearsal.DisposeAsync();
        }

        if (this.connection.State == System.Data.ConnectionState.Open)
        {
            await using var release = new NpgsqlCommand("select pg_advisory_unlock_all()", this.connection);
            await release.ExecuteNonQueryAsync();
        }

        await this.connection.DisposeAsync();
    }

    public async Task<Watermark?> ReadWatermark(int side, CancellationToken cancellation)
    {
        await using var command = this.Command("select at, read_at from watermark where mirror_id = @mirror and side = @side", ("side", side));
        return (await ReadAll(command, r => new Watermark(r.GetFieldValue<DateTimeOffset>(0), r.GetFieldValue<DateTimeOffset>(1)), cancellation)).SingleOrDefault();
    }

    public async Task SaveWatermark(int side, Watermark mark, CancellationToken cancellation)
    {
        await using var command = this.Command("""
            insert into watermark (mirror_id, side, at, read_at) values (@mirror, @side, @at, @readAt)
            on conflict (mirror_id, side) do update set at = excluded.at, read_at = excluded.read_at
            """, ("side", side), ("at", mark.Time.ToUniversalTime()), ("readAt", mark.ReadAt.ToUniversalTime()));
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<int> SaveObserved(int side, IReadOnlyList<ObservedRecord> records, CancellationToken cancellation)
    {
        // A page may hold a record twice when it changed while the page was read: the last reading counts.
        var latest = records.GroupBy(r => r.Id).Select(g => g.Last()).ToList();
        await using var command = this.Command("""
            with seen as (
                select * from unnest(@ids, @raws, @tags, @changed, @by) as s (id, raw, version_tag, changed_at, changed_by)
            ), different as (
                select s.id, r.link_id from seen s
                left join system_record r on r.mirror_id = @mirror and r.side = @side and r.id = s.id
                where r.raw is distinct from s.raw::jsonb
            ), kept as (
                insert into system_record (mirror_id, side, id, raw, version_tag, changed_at, changed_by, waiting, seen_at)
                select @mirror, @side, s.id, s.raw::jsonb, s.version_tag, s.changed_at, s.changed_by, true, @now from seen s
                on conflict (mirror_id, side, id) do update set
                    raw = excluded.raw, version_tag = excluded.version_tag, changed_at = excluded.changed_at, changed_by = excluded.changed_by, seen_at = excluded.seen_at,
                    waiting = system_record.waiting or system_record.raw is distinct from excluded.raw
            ), woken as (
                update link set waiting = true where mirror_id = @mirror and id in (select link_id from different where link_id is not null)
            ), released as (
                delete from hold where mirror_id = @mirror and side = @side and record_id in (select id from different) and set_aside_by_undo_of is null
            )
            select count(*)::int from different
            """, ("side", side), ("now", this.clock.GetUtcNow()));
        command.Parameters.AddWithValue("ids", latest.Select(r => r.Id).ToArray());
        command.Parameters.AddWithValue("raws", latest.Select(r => StoredForms.Write(r.Fields)).ToArray());
        command.Parameters.AddWithValue("tags", NpgsqlDbType.Array | NpgsqlDbType.Text, latest.Select(r => r.VersionTag).ToArray());
        command.Parameters.AddWithValue("changed", NpgsqlDbType.Array | NpgsqlDbType.TimestampTz, latest.Select(r => r.ChangedAt?.ToUniversalTime()).ToArray());
        command.Parameters.AddWithValue("by", NpgsqlDbType.Array | NpgsqlDbType.Text, latest.Select(r => r.ChangedBy).ToArray());
        return (int)(await command.ExecuteScalarAsync(cancellation))!;
    }

    public async Task<int> SaveRemoved(int side, IReadOnlyCollection<string> ids, CancellationToken cancellation)
    {
        await using var command = this.Command("""
            with gone as (
                update system_record set raw = null, waiting = true where mirror_id = @mirror and side = @side and id = any(@ids) and raw is not null returning link_id, id
            ), woken as (
                update link set waiting = true where mirror_id = @mirror and id in (select link_id from gone)
            ), freed as (
                delete from hold where mirror_id = @mirror and side = @side and record_id in (select id from gone where link_id is null)
            )
            select count(*)::int from gone
            """, ("side", side), ("ids", ids.ToArray()));
        return (int)(await command.ExecuteScalarAsync(cancellation))!;
    }

    public async Task<IReadOnlyCollection<string>> ReadIds(int side, CancellationToken cancellation)
    {
        // The key alone is asked for: its index answers, and no row need be looked at.
        await using var command = this.Command("select id from system_record where mirror_id = @mirror and side = @side", ("side", side));
        await using var reader = await command.ExecuteReaderAsync(cancellation);
        var ids = new HashSet<string>(StringComparer.Ordinal);
        while (await reader.ReadAsync(cancellation))
        {
            ids.Add(reader.GetString(0));
        }

        return ids;
    }

    public async Task<IReadOnlyCollection<string>> ReadThere(int side, IReadOnlyCollection<string> ids, CancellationToken cancellation)
    {
        await using var command = this.Command("select id from system_record where mirror_id = @mirror and side = @side and id = any(@ids) and raw is not null", ("side", side), ("ids", ids.ToArray()));
        return await ReadAll(command, r => r.GetString(0), cancellation);
    }

    public async Task<DateTimeOffset?> ReadSwept(int side, CancellationToken cancellation)
    {
        await using var command = this.Command("select swept_at from watermark where mirror_id = @mirror and side = @side and swept_at is not null", ("side", side));
        return (await ReadAll(command, r => (DateTimeOffset?)r.GetFieldValue<DateTimeOffset>(0), cancellation)).SingleOrDefault();
    }

    public async Task SaveSwept(int side, DateTimeOffset at, CancellationToken cancellation)
    {
        await using var command = this.Command("update watermark set swept_at = @at where mirror_id = @mirror and side = @side", ("side", side), ("at", at.ToUniversalTime()));
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<IReadOnlyList<KnownRecord>> ReadUnlinked((int Side, string Id) after, int count, CancellationToken cancellation)
    {
        await using var command = this.Command($"""
            select {MemberColumns} from system_record
            where mirror_id = @mirror and link_id is null and waiting and raw is not null and double_of is null and (side, id) > (@side, @id)
                and not exists (select from left_out o where o.mirror_id = @mirror and o.side = system_record.side and o.record_id = system_record.id and o.link_id is null)
            order by side, id limit @count
            """, ("side", after.Side), ("id", after.Id), ("count", count));
        return await ReadAll(command, ReadMember, cancellation);
    }

    public async Task SaveKeys(IReadOnlyList<MatchCandidate> records, CancellationToken cancellation)
    {
        if (records.Count == 0)
        {
            return;
        }

        await using var command = this.Command("""
            update system_record r set match_keys = array(select jsonb_array_elements_text(k.keys::jsonb)) from unnest(@sides, @ids, @keys) as k (side, id, keys)
            where r.mirror_id = @mirror and r.side = k.side and r.id = k.id
            """, ("sides", records.Select(r => r.Side).ToArray()), ("ids", records.Select(r => r.Id).ToArray()), ("keys", records.Select(r => JsonSerializer.Serialize(r.Keys.Select(k => k.Text))).ToArray()));
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<IReadOnlyList<MatchCandidate>> FindByKeys(IReadOnlyCollection<MatchKey> keys, CancellationToken cancellation)
    {
        if (keys.Count == 0)
        {
            return [];
        }

        // Key by key: asked for all of them at once, the database takes so many for a good part of its records, and looks at each.
        await using var command = this.Command(
            """
            with found as (
                select distinct r.side, r.id from unnest(@keys) as k (key)
                cross join lateral (select s.side, s.id from system_record s where s.mirror_id = @mirror and s.match_keys @> array[k.key]) r
            )
            select r.side, r.id, r.link_id, r.match_keys, array(select m.side from system_record m where m.mirror_id = r.mirror_id and m.link_id = r.link_id)
            from found f join system_record r on r.mirror_id = @mirror and r.side = f.side and r.id = f.id and r.raw is not null and r.double_of is null
            """, ("keys", keys.Select(k => k.Text).ToArray()));
        return await ReadAll(command, reader => new MatchCandidate(
            reader.GetInt32(0), reader.GetString(1), reader.IsDBNull(2) ? null : reader.GetGuid(2),
            [.. reader.GetFieldValue<string[]>(3).Select(k => new MatchKey(int.Parse(k.Split(':', 2)[0], System.Globalization.CultureInfo.InvariantCulture), k))], [.. reader.GetFieldValue<int[]>(4)]), cancellation);
    }

    public Task SaveLinks(IReadOnlyList<LinkedAs> links, CancellationToken cancellation) => links.Count == 0 ? Task.CompletedTask : this.InBatch(this.CommandsOf(links), cancellation);

    public Task SaveHolds(IReadOnlyList<Hold> holds, CancellationToken cancellation) => this.InBatch(holds.SelectMany(h => new[]
    {
        // Looked at again and still held: for the same reason since the same time, for another since now.
        this.BatchCommand("delete from hold where mirror_id = @mirror and side = @side and record_id = @id and link_id is null and reason <> @reason", ("side", h.Side), ("id", h.RecordId), ("reason", h.Reason)),
        this.HoldCommand(h),
        this.BatchCommand("update system_record set waiting = false where mirror_id = @mirror and side = @side and id = @id", ("side", h.Side), ("id", h.RecordId)),
    }), cancellation);

    public async Task SaveOutOfScope(IReadOnlyList<RecordPlace> records, CancellationToken cancellation)
    {
        if (records.Count == 0)
        {
            return;
        }

        await using var command = this.Command("""
            with outside as (select * from unnest(@sides, @ids) as o (side, id)), freed as (
                delete from hold h using outside o where h.mirror_id = @mirror and h.side = o.side and h.record_id = o.id and h.link_id is null
            )
            update system_record r set waiting = false, match_keys = '{}' from outside o where r.mirror_id = @mirror and r.side = o.side and r.id = o.id
            """, ("sides", records.Select(r => r.Side).ToArray()), ("ids", records.Select(r => r.Id).ToArray()));
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<IReadOnlyList<LinkedRecord>> ReadWaiting(Guid after, int count, CancellationToken cancellation)
    {
        await using var waiting = this.Command("""
            select id from link l where mirror_id = @mirror and waiting and id > @after
                and not exists (select from hold h where h.mirror_id = @mirror and h.link_id = l.id and h.set_aside_by_undo_of is not null)
                and not exists (select from left_out o where o.mirror_id = @mirror and o.link_id = l.id)
            order by id limit @count
            """, ("after", after), ("count", count));
        return await LinkedRecords.Read(this.connection, this.mirrorId, this.forms, await ReadAll(waiting, r => r.GetGuid(0), cancellation), cancellation);
    }

    public Task SaveReconciled(IReadOnlyList<Reconciled> records, CancellationToken cancellation) => records.Count == 0 ? Task.CompletedTask : this.InBatch(this.CommandsOf(records), cancellation);

    public async Task<IReadOnlyList<Delivery>> ReadPlanned(long after, int count, bool aside, CancellationToken cancellation)
    {
        await using var command = this.Command($"{SelectDelivery} where d.mirror_id = @mirror and d.state = 'planned' and d.id > @after and (d.aside or not @aside) order by d.id limit @count", ("after", after), ("count", count), ("aside", aside));
        return await ReadAll(command, r => this.ReadDelivery(r, false), cancellation);
    }

    public async Task<IReadOnlyList<AboutToDo>> CountPlanned(CancellationToken cancellation)
    {
        await using var command = this.Command("""
            with planned as (
                select d.side, count(*) filter (where d.kind = 'Create') as creations, count(*) filter (where d.kind = 'Change') as changes, count(*) filter (where d.kind = 'Remove') as removals,
                    sum(case when d.kind = 'Change' then (select count(*) from jsonb_array_elements(d.fields) f where f -> 'raw' = 'null' and f -> 'before' <> 'null') else 0 end) as emptied
                from delivery d where d.mirror_id = @mirror and d.state = 'planned' and not d.aside group by d.side
            ), gone as (
                select r.side, count(*) as records from link l join system_record r on r.mirror_id = l.mirror_id and r.link_id = l.id
                where l.mirror_id = @mirror and l.waiting and r.raw is null and r.shadow is not null group by r.side
            )
            select side, 0, coalesce(p.creations, 0)::int, coalesce(p.changes, 0)::int, coalesce(p.removals, 0)::int, coalesce(p.emptied, 0)::int, coalesce(g.records, 0)::int
            from (select side from planned union select side from gone) s left join planned p using (side) left join gone g using (side) order by side
            """);
        return await ReadAll(command, r => new AboutToDo(r.GetInt32(0), r.GetInt32(1), r.GetInt32(2), r.GetInt32(3), r.GetInt32(4), r.GetInt32(5), r.GetInt32(6)), cancellation);
    }

    public async Task<int> CountRecords(int side, CancellationToken cancellation)
    {
        await using var command = this.Command("select count(*)::int from system_record where mirror_id = @mirror and side = @side", ("side", side));
        return (int)(await command.ExecuteScalarAsync(cancellation))!;
    }

    public async Task<bool> HasFinishedBefore(CancellationToken cancellation)
    {
        await using var command = this.Command("select exists (select from run where mirror_id = @mirror and id < @run and state = 'finished' and not rehearsal)", ("run", this.RunId));
        return (bool)(await command.ExecuteScalarAsync(cancellation))!;
    }

    public async Task<IReadOnlyList<Delivery>> ReadUnanswered(CancellationToken cancellation)
    {
        await using var command = this.Command($"{SelectDelivery} where d.mirror_id = @mirror and d.state = 'sent' order by d.id");
        return await ReadAll(command, r => this.ReadDelivery(r, true), cancellation);
    }

    public async Task MarkSent(IReadOnlyCollection<long> deliveries, CancellationToken cancellation)
    {
        await using var command = this.Command("update delivery set state = 'sent' where mirror_id = @mirror and id = any(@ids)", ("ids", deliveries.ToArray()));
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public Task SaveAnswers(IReadOnlyCollection<(Delivery Delivery, DeliveryEnd End)> answers, CancellationToken cancellation) =>
        answers.Count == 0 ? Task.CompletedTask : this.InBatch(this.CommandsOf(answers), cancellation);

    public async Task SaveFoundAnew(CancellationToken cancellation)
    {
        foreach (var links in this.foundAnew.Chunk(1000))
        {
            await this.InBatch([Bulk.Search(this.mirrorId, links)], cancellation);
        }

        this.foundAnew.Clear();
    }

    public async Task<KnownRecord?> ReadKnown(int side, string id, CancellationToken cancellation)
    {
        await using var command = this.Command($"select {MemberColumns} from system_record where mirror_id = @mirror and side = @side and id = @id", ("side", side), ("id", id));
        return (await ReadAll(command, ReadMember, cancellation)).SingleOrDefault();
    }

    public async Task<ObservedRecord?> ReadMember(Guid link, int side, CancellationToken cancellation)
    {
        await using var command = this.Command("select id, raw, version_tag, changed_at, changed_by from system_record where mirror_id = @mirror and link_id = @link and side = @side and raw is not null", ("link", link), ("side", side));
        return (await ReadAll(command, r => new ObservedRecord(r.GetString(0), StoredForms.ReadRaw(r.GetString(1)), r.IsDBNull(2) ? null : r.GetString(2), r.IsDBNull(3) ? null : r.GetFieldValue<DateTimeOffset>(3), r.IsDBNull(4) ? null : r.GetString(4)), cancellation)).FirstOrDefault();
    }

    public async Task<Guid?> LinkOf(int side, string id, CancellationToken cancellation)
    {
        await using var command = this.Command("select link_id from system_record where mirror_id = @mirror and side = @side and id = @id", ("side", side), ("id", id));
        return await command.ExecuteScalarAsync(cancellation) as Guid?;
    }

    public async Task SaveProgress(RunStage stage, RunCounts counts, CancellationToken cancellation)
    {
        // On a connection of its own: those who watch see it at once, in a rehearsal too.
        await using var command = this.database.CreateCommand("""
            update run set stage = @stage, counts = @counts::jsonb where mirror_id = @mirror and id = @run returning stop_requested, pg_notify('upright', 'run')
            """);
        command.Parameters.AddWithValue("stage", stage.ToString());
        command.Parameters.AddWithValue("counts", JsonSerializer.Serialize(counts, JsonSerializerOptions.Web));
        command.Parameters.AddWithValue("mirror", this.mirrorId);
        command.Parameters.AddWithValue("run", this.RunId);
        if (await command.ExecuteScalarAsync(cancellation) is true)
        {
            throw new RunStopped();
        }
    }

    public async Task SaveLog(IReadOnlyList<RunLine> lines, RunSpent spent, CancellationToken cancellation)
    {
        await using var command = this.database.CreateCommand("""
            with said as (
                insert into run_line (run_id, n, at, level, text) select @run, n, at, level, text from unnest(@ns, @ats, @levels, @texts) as l (n, at, level, text) on conflict do nothing
            )
            update run set spent = @spent::jsonb where mirror_id = @mirror and id = @run
            """);
        command.Parameters.AddWithValue("mirror", this.mirrorId);
        command.Parameters.AddWithValue("run", this.RunId);
        command.Parameters.AddWithValue("ns", lines.Select(l => l.N).ToArray());
        command.Parameters.AddWithValue("ats", lines.Select(l => l.At.ToUniversalTime()).ToArray());
        command.Parameters.AddWithValue("levels", lines.Select(l => l.Level.ToString().ToLowerInvariant()).ToArray());
        command.Parameters.AddWithValue("texts", lines.Select(l => l.Text.Replace("\0", "", StringComparison.Ordinal)).ToArray());
        command.Parameters.AddWithValue("spent", JsonSerializer.Serialize(spent, Mirrors.Json));
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task TakeStock(CancellationToken cancellation)
    {
        // A new mirror's records are few among those of large ones: the database's own habit would not notice them for long.
        await using var command = this.Command("analyze system_record; analyze link");
        command.CommandTimeout = 0;
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task LookAtDue(CancellationToken cancellation)
    {
        // Taken before anything is read of them: what moves from here on has a row of its own, and is looked at by the next run.
        await using var command = this.Command("""
            with due as (delete from link_due where mirror_id = @mirror returning link_id)
            update link set waiting = true where mirror_id = @mirror and id in (select link_id from due)
            """);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task LookAtHeldAgain(CancellationToken cancellation)
    {
        await using var command = this.Command("""
            update link l set waiting = true where mirror_id = @mirror and not waiting and exists (select from hold h where h.mirror_id = l.mirror_id and h.link_id = l.id);
            update system_record r set waiting = true where mirror_id = @mirror and link_id is null and not waiting
                and exists (select from hold h where h.mirror_id = r.mirror_id and h.side = r.side and h.record_id = r.id and h.link_id is null)
            """);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    internal const string MemberColumns = "side, id, raw, shadow, told, owed, unmet, version_tag, changed_at, changed_by, waiting";

    internal static KnownRecord ReadMember(DbDataReader reader) => new(
        reader.GetInt32(0),
        reader.GetString(1),
        reader.IsDBNull(2) ? null : StoredForms.ReadRaw(reader.GetString(2)),
        reader.IsDBNull(3) ? null : StoredForms.ReadRaw(reader.GetString(3)),
        StoredForms.ReadTold(reader.GetString(4)),
        reader.GetFieldValue<string[]>(5).ToHashSet(),
        reader.GetFieldValue<string[]>(6).ToHashSet(),
        reader.IsDBNull(7) ? null : reader.GetString(7),
        reader.IsDBNull(8) ? null : reader.GetFieldValue<DateTimeOffset>(8),
        reader.IsDBNull(9) ? null : reader.GetString(9))
    {
        IsWaiting = reader.GetBoolean(10),
    };

    private const string SelectDelivery = """
        select d.id, d.link_id, l.title, d.side, d.kind, d.record_id, d.reference, d.fields, d.version_tag, d.aside, d.undoes
        from delivery d join link l on l.mirror_id = d.mirror_id and l.id = d.link_id
        """;

    private Delivery ReadDelivery(DbDataReader reader, bool sent) => new(
        reader.GetInt64(0), reader.GetGuid(1), reader.GetString(2), reader.GetInt32(3), Enum.Parse<Core.Reconciling.WriteKind>(reader.GetString(4)),
        reader.IsDBNull(5) ? null : reader.GetString(5), reader.GetString(6), this.forms.ReadDelivered(reader.GetString(7)), reader.IsDBNull(8) ? null : reader.GetString(8), sent)
    {
        IsAside = reader.GetBoolean(9),
        Undoes = reader.IsDBNull(10) ? null : reader.GetInt64(10),
    };

    private IEnumerable<NpgsqlBatchCommand> CommandsOf(IReadOnlyList<LinkedAs> links)
    {
        yield return Bulk.NewLinks(this.mirrorId, links);
        yield return Bulk.Journal(this.mirrorId, this.RunId, [.. links.Select(l => new JournalEntry(l.Link, JournalKind.Linked, l.Side, null, null, null, l.Why, null))], this.clock.GetUtcNow());
        yield return Bulk.Outcomes(this.mirrorId, this.RunId, [.. links.Select(l => (l.Link, RecordOutcome.Linked))]);
    }

    private IEnumerable<NpgsqlBatchCommand> CommandsOf(IReadOnlyList<Reconciled> records)
    {
        var now = this.clock.GetUtcNow();
        yield return Bulk.Links(this.mirrorId, records, now);
        yield return Bulk.Sides(this.mirrorId, [.. records.SelectMany(r => r.Sides).Where(s => !s.Forgotten)]);
        foreach (var (record, side) in records.SelectMany(r => r.Sides.Where(s => s.Forgotten).Select(s => (r, s))))
        {
            yield return this.BatchCommand("""
                with gone as (delete from system_record where mirror_id = @mirror and side = @side and id = @id)
                update link set removal_decisions = removal_decisions - @side::text where mirror_id = @mirror and id = @link
                """, ("link", record.Link), ("side", side.Side), ("id", side.Id));
        }

        if (records.Any(r => r.Memory is not null))
        {
            yield return Bulk.Memories(this.mirrorId, [.. records.Where(r => r.Memory is not null).Select(r => (r.Link, r.Memory!))]);
        }

        foreach (var (record, conflict) in records.SelectMany(r => r.Conflicts.Select(c => (r, c))))
        {
            yield return this.BatchCommand("""
                insert into conflict (mirror_id, link_id, fields, competing, changed, why, opened_at) values (@mirror, @link, @fields, @competing::jsonb, @times::jsonb, @why, @now)
                on conflict (mirror_id, link_id, fields) where state = 'open' do update
                    set competing = excluded.competing, changed = excluded.changed, revision = conflict.revision + (conflict.competing is distinct from excluded.competing)::int
                """, ("link", record.Link), ("fields", conflict.Fields.ToArray()), ("competing", StoredForms.Write(conflict)), ("times", StoredForms.WriteTimes(conflict.ChangedAt)), ("why", conflict.Why), ("now", now));
        }

        if (records.SelectMany(r => r.ClosedConflicts).ToArray() is { Length: > 0 } closed)
        {
            yield return this.BatchCommand("update conflict set state = 'closed', decided_at = @now, decision = 'closed by itself' where mirror_id = @mirror and id = any(@ids)", ("ids", closed), ("now", now));
        }

        foreach (var ended in Bulk.Ended(this.mirrorId, [.. records.Select(r => r.Link)], now))
        {
            yield return ended;
        }

        yield return Bulk.Deliveries(this.mirrorId, this.RunId, [.. records.SelectMany(r => r.Deliveries)], now);
        foreach (var hold in records.SelectMany(r => r.Holds))
        {
            yield return this.HoldCommand(hold);
        }

        yield return Bulk.Journal(this.mirrorId, this.RunId, [.. records.SelectMany(r => r.Journal)], now);
        if (records.Where(r => r.GoneEverywhere).Select(r => r.Link).ToArray() is { Length: > 0 } gone)
        {
            yield return this.BatchCommand("delete from link where mirror_id = @mirror and id = any(@links)", ("links", gone));
        }

        yield return Bulk.Search(this.mirrorId, [.. records.Where(r => !r.GoneEverywhere).Select(r => r.Link)]);
        yield return Bulk.Outcomes(this.mirrorId, this.RunId, [.. records.Where(r => r.Outcome != RecordOutcome.Unchanged).Select(r => (r.Link, r.Outcome))]);
    }

    private IEnumerable<NpgsqlBatchCommand> CommandsOf(IReadOnlyCollection<(Delivery Delivery, DeliveryEnd End)> answers)
    {
        var now = this.clock.GetUtcNow();
        yield return Bulk.DeliveryStates(this.mirrorId, [.. answers.Select(a => (a.Delivery.Id, StateOf(a.End), NoteOf(a.End),
            a.Delivery.Kind == Core.Reconciling.WriteKind.Create && a.End is DeliveryEnd.Confirmed { Stored: { } created } ? StoredForms.Write(created.Fields) : null))], now);
        var confirmed = answers.Where(a => a.End is DeliveryEnd.Confirmed).Select(a => (a.Delivery, End: (DeliveryEnd.Confirmed)a.End)).ToList();
        var stored = confirmed.Where(c => c.End is { Stored: not null, After: not null }).GroupBy(c => (c.Delivery.Side, c.End.Stored!.Id)).Select(g => g.Last()).ToList();
        yield return Bulk.Stored(this.mirrorId, [.. stored.Select(c => (c.Delivery.Side, c.Delivery.Link, c.End.Stored!))], now);
        yield return Bulk.Sides(this.mirrorId, [.. stored.Select(c => c.End.After!)], [.. stored.Select(c => c.End.Waiting)]);
        foreach (var (delivery, _) in confirmed.Where(c => c.End.Stored is null))
        {
            yield return this.BatchCommand("delete from system_record where mirror_id = @mirror and side = @side and id = @id", ("side", delivery.Side), ("id", delivery.RecordId));
        }

        yield return Bulk.Waiting(this.mirrorId, [.. stored.Where(c => c.End.Waiting).Select(c => c.Delivery.Link), .. answers.Where(a => a.End is DeliveryEnd.Overtaken).Select(a => a.Delivery.Link)]);
        this.foundAnew.UnionWith(confirmed.Where(c => c.Delivery.Kind == Core.Reconciling.WriteKind.Create).Select(c => c.Delivery.Link));
        var refused = answers.Where(a => a.End is DeliveryEnd.Refused).Select(a => (a.Delivery, End: (DeliveryEnd.Refused)a.End)).ToList();
        foreach (var (_, end) in refused)
        {
            yield return this.HoldCommand(end.Hold);
        }

        yield return Bulk.Outcomes(this.mirrorId, this.RunId,
            [.. stored.Select(c => (c.Delivery.Link, c.Delivery.Kind == Core.Reconciling.WriteKind.Create ? RecordOutcome.Created : RecordOutcome.Updated)), .. refused.Select(r => (r.Delivery.Link, RecordOutcome.Refused))]);
        yield return Bulk.Journal(this.mirrorId, this.RunId, [.. confirmed.SelectMany(c => c.End.Journal), .. refused.Select(r => r.End.Journal), .. answers.Select(a => a.End).OfType<DeliveryEnd.Overtaken>().SelectMany(o => o.Journal)], now);
    }

    private static string StateOf(DeliveryEnd end) => end switch
    {
        DeliveryEnd.Confirmed => "confirmed",
        DeliveryEnd.Overtaken => "superseded",
        DeliveryEnd.Refused => "refused",
        DeliveryEnd.Postponed => "planned",
        DeliveryEnd.Unknown => "sent",
        _ => throw new InvalidOperationException($"{end} is no end."),
    };

    private static string? NoteOf(DeliveryEnd end) => end switch
    {
        DeliveryEnd.Overtaken => "the record moved meanwhile",
        DeliveryEnd.Refused refused => refused.Hold.Answer,
        DeliveryEnd.Unknown unknown => unknown.Reason,
        _ => null,
    };

    /// <summary>Plans a write that does not come from reconciling.</summary>
    internal static NpgsqlBatchCommand AsideCommand(int mirrorId, Delivery delivery, DateTimeOffset now) => Bound(new NpgsqlBatchCommand("""
        insert into delivery (mirror_id, run_id, link_id, side, kind, record_id, reference, fields, version_tag, state, planned_at, aside, undoes)
        values (@mirror, 0, @link, @side, @kind, @record, @reference, @fields::jsonb, @tag, 'planned', @now, true, @run)
        """), mirrorId, ("link", delivery.Link), ("side", delivery.Side), ("kind", delivery.Kind.ToString()), ("record", delivery.RecordId), ("reference", delivery.Reference),
        ("fields", StoredForms.Write(delivery.Fields)), ("tag", delivery.VersionTag), ("now", now), ("run", delivery.Undoes));

    internal static NpgsqlBatchCommand SideCommand(int mirrorId, SideAfter side) => Bound(new NpgsqlBatchCommand("""
        update system_record set shadow = coalesce(@shadow::jsonb, shadow), told = @told::jsonb, owed = @owed, unmet = @unmet
        where mirror_id = @mirror and side = @side and id = @id
        """), mirrorId, ("side", side.Side), ("id", side.Id), ("shadow", side.Shadow is null ? null : StoredForms.Write(side.Shadow)), ("told", StoredForms.Write(side.Told)), ("owed", side.Owed.ToArray()), ("unmet", side.Unmet.ToArray()));

    internal static string AgreedJson(IReadOnlyDictionary<string, AgreedValue> agreed) =>
        new System.Text.Json.Nodes.JsonObject(agreed.Select(a => KeyValuePair.Create(a.Key, (System.Text.Json.Nodes.JsonNode?)StoredForms.Write(a.Value)))).ToJsonString();

    internal static NpgsqlBatchCommand JournalCommand(int mirrorId, long? runId, DateTimeOffset at, JournalEntry entry) => Bound(new NpgsqlBatchCommand("""
        insert into journal (mirror_id, link_id, run_id, at, kind, side, field, before, after, why, who, changed_at)
        values (@mirror, @link, @run, @at, @kind, @side, @field, @before::jsonb, @after::jsonb, @why, @who, @changed)
        """), mirrorId, ("link", entry.Link), ("run", runId), ("at", at), ("kind", entry.Kind.ToString()), ("side", entry.Side), ("field", entry.Field),
        ("before", entry.Before?.ToJsonString()), ("after", entry.After?.ToJsonString()), ("why", entry.Why), ("who", entry.Who), ("changed", entry.ChangedAt?.ToUniversalTime()));

    private NpgsqlBatchCommand HoldCommand(Hold hold) => this.BatchCommand("""
        insert into hold (mirror_id, link_id, side, record_id, title, field, reason, answer, since, run_id)
        select @mirror, @link, @side, @record, @title, @field, @reason, @answer, @now, @run
        where not exists (select from hold where mirror_id = @mirror and side = @side and record_id = @record and link_id is not distinct from @link and reason = @reason)
        """, ("link", hold.Link), ("side", hold.Side), ("record", hold.RecordId), ("title", hold.Title), ("field", hold.Field), ("reason", hold.Reason), ("answer", hold.Answer), ("now", this.clock.GetUtcNow()), ("run", this.RunId));

    private NpgsqlCommand Command(string sql, params (string Name, object? Value)[] parameters)
    {
        var command = new NpgsqlCommand(sql, this.connection);
        command.Parameters.AddWithValue("mirror", this.mirrorId);
        foreach (var (name, value) in parameters)
        {
            command.Parameters.Add(Parameter(name, value));
        }

        return command;
    }

    private NpgsqlBatchCommand BatchCommand(string sql, params (string Name, object? Value)[] parameters) => Bound(new NpgsqlBatchCommand(sql), this.mirrorId, parameters);

    internal static NpgsqlBatchCommand Bound(NpgsqlBatchCommand command, int mirrorId, params (string Name, object? Value)[] parameters)
    {
        command.Parameters.AddWithValue("mirror", mirrorId);
        foreach (var (name, value) in parameters)
        {
            command.Parameters.Add(Parameter(name, value));
        }

        return command;
    }

    /// <summary>A parameter whose type is known even when its value is null.</summary>
    private static NpgsqlParameter Parameter(string name, object? value) => value is not null
        ? new NpgsqlParameter(name, value)
        : new NpgsqlParameter(name, name switch
        {
            "changed" => NpgsqlDbType.TimestampTz,
            "pair" => NpgsqlDbType.Bigint,
            "link" => NpgsqlDbType.Uuid,
            "side" => NpgsqlDbType.Integer,
            "run" => NpgsqlDbType.Bigint,
            _ => NpgsqlDbType.Text,
        })
        { Value = DBNull.Value };

    /// <summary>Executes commands as a whole or not at all.</summary>
    private async Task InBatch(IEnumerable<NpgsqlBatchCommand> commands, CancellationToken cancellation)
    {
        await using var own = this.rehearsal is null ? await this.connection.BeginTransactionAsync(cancellation) : null;
        foreach (var chunk in commands.Chunk(2000))
        {
            await using var batch = new NpgsqlBatch(this.connection, own ?? this.rehearsal);
            foreach (var command in chunk)
            {
                batch.BatchCommands.Add(command);
            }

            await batch.ExecuteNonQueryAsync(cancellation);
        }

        if (own is not null)
        {
            await own.CommitAsync(cancellation);
        }
    }

    internal static async Task<List<T>> ReadAll<T>(NpgsqlCommand command, Func<DbDataReader, T> read, CancellationToken cancellation)
    {
        await using var reader = await command.ExecuteReaderAsync(cancellation);
        var all = new List<T>();
        while (await reader.ReadAsync(cancellation))
        {
            all.Add(read(reader));
        }

        return all;
    }
}
