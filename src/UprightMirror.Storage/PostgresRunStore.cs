using System.Collections.Immutable;
using System.Data.Common;
using System.Text.Json;
using Npgsql;
using NpgsqlTypes;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
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
    internal const int LockSpace = 5317;

    private readonly NpgsqlDataSource database;
    private readonly NpgsqlConnection connection;
    private readonly int mirrorId;
    private readonly StoredForms forms;
    private readonly TimeProvider clock;
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
        await using var command = this.Command("select at from watermark where mirror_id = @mirror and side = @side", ("side", side));
        return await command.ExecuteScalarAsync(cancellation) is DateTime at ? new Watermark(new DateTimeOffset(at)) : null;
    }

    public async Task SaveWatermark(int side, Watermark mark, CancellationToken cancellation)
    {
        await using var command = this.Command("""
            insert into watermark (mirror_id, side, at) values (@mirror, @side, @at)
            on conflict (mirror_id, side) do update set at = excluded.at
            """, ("side", side), ("at", mark.Time.ToUniversalTime()));
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
                delete from hold where mirror_id = @mirror and side = @side and record_id in (select id from different)
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

    public async Task SaveRemoved(int side, string id, CancellationToken cancellation)
    {
        await using var command = this.Command("""
            with gone as (
                update system_record set raw = null, waiting = true where mirror_id = @mirror and side = @side and id = @id returning link_id
            )
            update link set waiting = true where mirror_id = @mirror and id in (select link_id from gone)
            """, ("side", side), ("id", id));
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<IReadOnlyList<KnownRecord>> ReadUnlinked((int Side, string Id) after, int count, CancellationToken cancellation)
    {
        await using var command = this.Command($"""
            select {MemberColumns} from system_record
            where mirror_id = @mirror and link_id is null and waiting and raw is not null and double_of is null and (side, id) > (@side, @id)
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

        await this.InBatch(records.Select(r => this.BatchCommand(
            "update system_record set match_keys = @keys where mirror_id = @mirror and side = @side and id = @id",
            ("keys", r.Keys.Select(k => k.Text).ToArray()), ("side", r.Side), ("id", r.Id))), cancellation);
    }

    public async Task<IReadOnlyList<MatchCandidate>> FindByKeys(IReadOnlyCollection<MatchKey> keys, CancellationToken cancellation)
    {
        if (keys.Count == 0)
        {
            return [];
        }

        await using var command = this.Command(
            """
            select r.side, r.id, r.link_id, r.match_keys, array(select m.side from system_record m where m.mirror_id = r.mirror_id and m.link_id = r.link_id)
            from system_record r where r.mirror_id = @mirror and r.match_keys && @keys and r.raw is not null and r.double_of is null
            """, ("keys", keys.Select(k => k.Text).ToArray()));
        return await ReadAll(command, reader => new MatchCandidate(
            reader.GetInt32(0), reader.GetString(1), reader.IsDBNull(2) ? null : reader.GetGuid(2),
            [.. reader.GetFieldValue<string[]>(3).Select(k => new MatchKey(int.Parse(k.Split(':', 2)[0], System.Globalization.CultureInfo.InvariantCulture), k))], [.. reader.GetFieldValue<int[]>(4)]), cancellation);
    }

    public Task SaveLinks(IReadOnlyList<LinkedAs> links, CancellationToken cancellation) => this.InBatch(links.SelectMany(l => new[]
    {
        this.BatchCommand("insert into link (mirror_id, id, title, waiting) values (@mirror, @link, @title, true) on conflict (mirror_id, id) do update set waiting = true",
            ("link", l.Link), ("title", l.Title)),
        this.BatchCommand("update system_record set link_id = @link, waiting = false where mirror_id = @mirror and side = @side and id = @id",
            ("link", l.Link), ("side", l.Side), ("id", l.Id)),
        this.BatchCommand("delete from hold where mirror_id = @mirror and side = @side and record_id = @id and link_id is null", ("side", l.Side), ("id", l.Id)),
        this.JournalCommand(new JournalEntry(l.Link, JournalKind.Linked, l.Side, null, null, null, l.Why, null)),
        this.OutcomeCommand(l.Link, RecordOutcome.Linked),
    }), cancellation);

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
        await using var waiting = this.Command("select id from link where mirror_id = @mirror and waiting and id > @after order by id limit @count", ("after", after), ("count", count));
        return await LinkedRecords.Read(this.connection, this.mirrorId, this.forms, await ReadAll(waiting, r => r.GetGuid(0), cancellation), cancellation);
    }

    public Task SaveReconciled(IReadOnlyList<Reconciled> records, CancellationToken cancellation) => this.InBatch(records.SelectMany(this.CommandsOf), cancellation);

    public async Task<IReadOnlyList<Delivery>> ReadPlanned(long after, int count, CancellationToken cancellation)
    {
        await using var command = this.Command($"{SelectDelivery} where d.mirror_id = @mirror and d.state = 'planned' and d.id > @after order by d.id limit @count", ("after", after), ("count", count));
        return await ReadAll(command, r => this.ReadDelivery(r, false), cancellation);
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
        answers.Count == 0 ? Task.CompletedTask : this.InBatch(answers.SelectMany(a => this.CommandsOf(a.Delivery, a.End)), cancellation);

    public async Task<KnownRecord?> ReadKnown(int side, string id, CancellationToken cancellation)
    {
        await using var command = this.Command($"select {MemberColumns} from system_record where mirror_id = @mirror and side = @side and id = @id", ("side", side), ("id", id));
        return (await ReadAll(command, ReadMember, cancellation)).SingleOrDefault();
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

    public async Task LookAtHeldAgain(CancellationToken cancellation)
    {
        await using var command = this.Command("""
            update link l set waiting = true where mirror_id = @mirror and not waiting and exists (select from hold h where h.mirror_id = l.mirror_id and h.link_id = l.id);
            update system_record r set waiting = true where mirror_id = @mirror and link_id is null and not waiting
                and exists (select from hold h where h.mirror_id = r.mirror_id and h.side = r.side and h.record_id = r.id and h.link_id is null)
            """);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    internal const string MemberColumns = "side, id, raw, shadow, told, owed, unmet, version_tag, changed_at, changed_by";

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
        reader.IsDBNull(9) ? null : reader.GetString(9));

    private const string SelectDelivery = """
        select d.id, d.link_id, l.title, d.side, d.kind, d.record_id, d.reference, d.fields, d.version_tag
        from delivery d join link l on l.mirror_id = d.mirror_id and l.id = d.link_id
        """;

    private Delivery ReadDelivery(DbDataReader reader, bool sent) => new(
        reader.GetInt64(0), reader.GetGuid(1), reader.GetString(2), reader.GetInt32(3), Enum.Parse<Core.Reconciling.WriteKind>(reader.GetString(4)),
        reader.IsDBNull(5) ? null : reader.GetString(5), reader.GetString(6), this.forms.ReadDelivered(reader.GetString(7)), reader.IsDBNull(8) ? null : reader.GetString(8), sent);

    private IEnumerable<NpgsqlBatchCommand> CommandsOf(Reconciled record)
    {
        var link = ("link", (object)record.Link);
        yield return this.BatchCommand("""
            update link set title = @title, waiting = false, not_followed_since = case when @followed then null else coalesce(not_followed_since, @now) end, agreed = agreed || @agreed::jsonb, changed_at = case when @agreed = '{}' then changed_at else @now end
            where mirror_id = @mirror and id = @link
            """, link, ("title", record.Title), ("followed", record.IsFollowed), ("agreed", AgreedJson(record.Agreed)), ("now", this.clock.GetUtcNow()));
        foreach (var side in record.Sides)
        {
            yield return side.Forgotten
                ? this.BatchCommand("""
                    with gone as (delete from system_record where mirror_id = @mirror and side = @side and id = @id)
                    update link set removal_decisions = removal_decisions - @side::text where mirror_id = @mirror and id = @link
                    """, link, ("side", side.Side), ("id", side.Id))
                : SideCommand(this.mirrorId, side);
        }

        foreach (var conflict in record.Conflicts)
        {
            yield return this.BatchCommand("""
                insert into conflict (mirror_id, link_id, fields, competing, why, opened_at) values (@mirror, @link, @fields, @competing::jsonb, @why, @now)
                on conflict (mirror_id, link_id, fields) where state = 'open' do update
                    set competing = excluded.competing, revision = conflict.revision + (conflict.competing is distinct from excluded.competing)::int
                """, link, ("fields", conflict.Fields.ToArray()), ("competing", StoredForms.Write(conflict)), ("why", conflict.Why), ("now", this.clock.GetUtcNow()));
        }

        if (!record.ClosedConflicts.IsEmpty)
        {
            yield return this.BatchCommand("update conflict set state = 'closed', decided_at = @now, decision = 'closed by itself' where mirror_id = @mirror and id = any(@ids)",
                ("ids", record.ClosedConflicts.ToArray()), ("now", this.clock.GetUtcNow()));
        }

        yield return this.BatchCommand("delete from hold where mirror_id = @mirror and link_id = @link", link);
        yield return this.BatchCommand("update delivery set state = 'superseded', ended_at = @now where mirror_id = @mirror and link_id = @link and state in ('planned', 'refused') and not aside", link, ("now", this.clock.GetUtcNow()));
        foreach (var delivery in record.Deliveries)
        {
            yield return this.BatchCommand("""
                insert into delivery (mirror_id, run_id, link_id, side, kind, record_id, reference, fields, version_tag, state, planned_at)
                values (@mirror, @run, @link, @side, @kind, @record, @reference, @fields::jsonb, @tag, 'planned', @now)
                """, link, ("run", this.RunId), ("side", delivery.Side), ("kind", delivery.Kind.ToString()), ("record", delivery.RecordId), ("reference", delivery.Reference),
                ("fields", StoredForms.Write(delivery.Fields)), ("tag", delivery.VersionTag), ("now", this.clock.GetUtcNow()));
        }

        foreach (var hold in record.Holds)
        {
            yield return this.HoldCommand(hold);
        }

        foreach (var entry in record.Journal)
        {
            yield return this.JournalCommand(entry);
        }

        yield return record.GoneEverywhere
            ? this.BatchCommand("delete from link where mirror_id = @mirror and id = @link", link)
            : this.SearchCommand(record.Link);
        if (record.Outcome != RecordOutcome.Unchanged)
        {
            yield return this.OutcomeCommand(record.Link, record.Outcome);
        }
    }

    private IEnumerable<NpgsqlBatchCommand> CommandsOf(Delivery delivery, DeliveryEnd end)
    {
        var (state, note) = end switch
        {
            DeliveryEnd.Confirmed => ("confirmed", null),
            DeliveryEnd.Overtaken => ("superseded", "the record moved meanwhile"),
            DeliveryEnd.Refused refused => ("refused", refused.Hold.Answer),
            DeliveryEnd.Postponed => ("planned", null),
            DeliveryEnd.Unknown unknown => ("sent", unknown.Reason),
            _ => throw new InvalidOperationException($"{end} is no end."),
        };
        yield return this.BatchCommand("update delivery set state = @state, note = @note, ended_at = case when @state in ('planned', 'sent') then null else @now end where mirror_id = @mirror and id = @id",
            ("state", state), ("note", note), ("now", this.clock.GetUtcNow()), ("id", delivery.Id));
        switch (end)
        {
            case DeliveryEnd.Confirmed { Stored: { } stored, After: { } after } confirmed:
                yield return this.BatchCommand("""
                    insert into system_record (mirror_id, side, id, link_id, raw, version_tag, changed_at, changed_by, waiting, seen_at)
                    values (@mirror, @side, @id, @link, @raw::jsonb, @tag, @changed, @by, false, @now)
                    on conflict (mirror_id, side, id) do update
                        set link_id = case when system_record.double_of is null then excluded.link_id end, raw = excluded.raw, version_tag = excluded.version_tag, changed_at = excluded.changed_at, changed_by = excluded.changed_by, waiting = false, seen_at = excluded.seen_at
                    """, ("side", delivery.Side), ("id", stored.Id), ("link", delivery.Link), ("raw", StoredForms.Write(stored.Fields)), ("tag", stored.VersionTag),
                    ("changed", stored.ChangedAt?.ToUniversalTime()), ("by", stored.ChangedBy), ("now", this.clock.GetUtcNow()));
                yield return SideCommand(this.mirrorId, after);
                if (confirmed.Waiting)
                {
                    yield return this.BatchCommand("update link set waiting = true where mirror_id = @mirror and id = @link", ("link", delivery.Link));
                }

                yield return this.SearchCommand(delivery.Link);
                yield return this.OutcomeCommand(delivery.Link, delivery.Kind == Core.Reconciling.WriteKind.Create ? RecordOutcome.Created : RecordOutcome.Updated);
                foreach (var entry in confirmed.Journal)
                {
                    yield return this.JournalCommand(entry);
                }

                break;
            case DeliveryEnd.Confirmed removed:
                yield return this.BatchCommand("delete from system_record where mirror_id = @mirror and side = @side and id = @id", ("side", delivery.Side), ("id", delivery.RecordId));
                foreach (var entry in removed.Journal)
                {
                    yield return this.JournalCommand(entry);
                }

                break;
            case DeliveryEnd.Overtaken:
                yield return this.BatchCommand("update link set waiting = true where mirror_id = @mirror and id = @link", ("link", delivery.Link));
                break;
            case DeliveryEnd.Refused refused:
                yield return this.HoldCommand(refused.Hold);
                yield return this.JournalCommand(refused.Journal);
                yield return this.OutcomeCommand(delivery.Link, RecordOutcome.Refused);
                break;
        }
    }

    /// <summary>Plans a write that does not come from reconciling.</summary>
    internal static NpgsqlBatchCommand AsideCommand(int mirrorId, Delivery delivery, DateTimeOffset now) => Bound(new NpgsqlBatchCommand("""
        insert into delivery (mirror_id, run_id, link_id, side, kind, record_id, reference, fields, version_tag, state, planned_at, aside)
        values (@mirror, 0, @link, @side, @kind, @record, @reference, @fields::jsonb, @tag, 'planned', @now, true)
        """), mirrorId, ("link", delivery.Link), ("side", delivery.Side), ("kind", delivery.Kind.ToString()), ("record", delivery.RecordId), ("reference", delivery.Reference),
        ("fields", StoredForms.Write(delivery.Fields)), ("tag", delivery.VersionTag), ("now", now));

    internal static NpgsqlBatchCommand SideCommand(int mirrorId, SideAfter side) => Bound(new NpgsqlBatchCommand("""
        update system_record set shadow = coalesce(@shadow::jsonb, shadow), told = @told::jsonb, owed = @owed, unmet = @unmet, waiting = false
        where mirror_id = @mirror and side = @side and id = @id
        """), mirrorId, ("side", side.Side), ("id", side.Id), ("shadow", side.Shadow is null ? null : StoredForms.Write(side.Shadow)), ("told", StoredForms.Write(side.Told)), ("owed", side.Owed.ToArray()), ("unmet", side.Unmet.ToArray()));

    internal static string AgreedJson(IReadOnlyDictionary<string, AgreedValue> agreed) =>
        new System.Text.Json.Nodes.JsonObject(agreed.Select(a => KeyValuePair.Create(a.Key, (System.Text.Json.Nodes.JsonNode?)StoredForms.Write(a.Value)))).ToJsonString();

    internal static NpgsqlBatchCommand JournalCommand(int mirrorId, long? runId, DateTimeOffset at, JournalEntry entry) => Bound(new NpgsqlBatchCommand("""
        insert into journal (mirror_id, link_id, run_id, at, kind, side, field, before, after, why, who, changed_at)
        values (@mirror, @link, @run, @at, @kind, @side, @field, @before::jsonb, @after::jsonb, @why, @who, @changed)
        """), mirrorId, ("link", entry.Link), ("run", runId), ("at", at), ("kind", entry.Kind.ToString()), ("side", entry.Side), ("field", entry.Field),
        ("before", entry.Before?.ToJsonString()), ("after", entry.After?.ToJsonString()), ("why", entry.Why), ("who", entry.Who), ("changed", entry.ChangedAt?.ToUniversalTime()));

    private NpgsqlBatchCommand JournalCommand(JournalEntry entry) => JournalCommand(this.mirrorId, this.RunId, this.clock.GetUtcNow(), entry);

    private NpgsqlBatchCommand HoldCommand(Hold hold) => this.BatchCommand("""
        insert into hold (mirror_id, link_id, side, record_id, title, field, reason, answer, since)
        select @mirror, @link, @side, @record, @title, @field, @reason, @answer, @now
        where not exists (select from hold where mirror_id = @mirror and side = @side and record_id = @record and link_id is not distinct from @link and reason = @reason)
        """, ("link", hold.Link), ("side", hold.Side), ("record", hold.RecordId), ("title", hold.Title), ("field", hold.Field), ("reason", hold.Reason), ("answer", hold.Answer), ("now", this.clock.GetUtcNow()));

    /// <summary>Later outcomes say more than earlier ones; a creation is never called a mere update.</summary>
    private NpgsqlBatchCommand OutcomeCommand(Guid link, RecordOutcome outcome) => this.BatchCommand("""
        insert into run_record (mirror_id, run_id, link_id, outcome) values (@mirror, @run, @link, @outcome)
        on conflict (mirror_id, run_id, link_id) do update set outcome = excluded.outcome where not (run_record.outcome = 'Created' and excluded.outcome = 'Updated')
        """, ("run", this.RunId), ("link", link), ("outcome", outcome.ToString()));

    /// <summary>What a record is found by: its agreed values, its ids, and what each side calls it.</summary>
    private NpgsqlBatchCommand SearchCommand(Guid link) => this.BatchCommand("""
        update link set search = lower(concat_ws(' ', title,
            (select string_agg(value ->> 'shown', ' ') from jsonb_each(agreed)),
            (select string_agg(value ->> 'value', ' ') from jsonb_each(agreed)),
            (select string_agg(r.id, ' ') from system_record r where r.mirror_id = @mirror and r.link_id = @link)))
        where mirror_id = @mirror and id = @link
        """, ("link", link));

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
