using System.Data.Common;
using Npgsql;
using NpgsqlTypes;

namespace UprightMirror.Storage;

public sealed record RecordRow(Guid Link, string Title, IReadOnlyList<string?> Ids, int Conflicts, int Holds, DateTimeOffset ChangedAt);

/// <summary>One side of a record as it is shown.</summary>
public sealed record MemberView(int Side, string Id, string? Raw, string? Shadow, DateTimeOffset? ChangedAt, string? ChangedBy, DateTimeOffset SeenAt);

public sealed record RecordView(Guid Link, int MirrorId, string Title, string Agreed, DateTimeOffset CreatedAt, IReadOnlyList<MemberView> Members, bool Waiting);

public sealed record JournalView(long Id, long? RunId, DateTimeOffset At, string Kind, int? Side, string? Field, string? Before, string? After, string Why, string? Who, DateTimeOffset? ChangedAt);

/// <param name="Alike">How many other open conflicts of the mirror are about the same fields, between the same sides.</param>
/// <param name="Sides">The sides that compete, in one text: conflicts with the same are alike.</param>
public sealed record ConflictView(long Id, int MirrorId, Guid Link, string Title, IReadOnlyList<string> Fields, string Competing, string Why, int Revision, DateTimeOffset OpenedAt, int Alike, string Sides, bool IsOpen = true);

public sealed record HoldView(long Id, int MirrorId, Guid? Link, int Side, string RecordId, string Title, string? Field, string Reason, string? Answer, DateTimeOffset Since);

/// <summary>Records that the undo of a run set aside, together.</summary>
public sealed record UndoneView(int MirrorId, long Run, int Records, string? Who, DateTimeOffset Since);

/// <summary>A write that is planned, was rehearsed, or was made.</summary>
/// <param name="Link">Null for a record that only a rehearsal linked.</param>
/// <param name="Fields">As JSON: what each field holds and would hold.</param>
public sealed record PlannedView(Guid? Link, string Title, int Side, string Kind, string? RecordId, string Fields);

public sealed record RunRecordView(Guid Link, string Title, string Outcome, IReadOnlyList<string> Fields);

/// <param name="Side">The side that was written.</param>
/// <param name="HoursAgo">0 for the hour that is going on.</param>
public sealed record Moved(int MirrorId, int Side, int HoursAgo, int Fields);

public sealed record Settled(int OneSide, int ByRule, int CameToAgree, int ByPerson);

/// <summary>What the screens read: lists and pages, in SQL that says what it reads.</summary>
public sealed class Views(NpgsqlDataSource database)
{
    public async Task<(int Conflicts, int Holds)> Queues(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select (select count(*) from conflict where state = 'open')::int, (select count(*) filter (where set_aside_by_undo_of is null) + count(distinct set_aside_by_undo_of) from hold)::int");
        return (await All(command, r => (r.GetInt32(0), r.GetInt32(1)), cancellation))[0];
    }

    /// <summary>Records by title, filtered by what a person has in hand: a name, a number, an address, an id in any system.</summary>
    /// <param name="only">conflict or held, to see only those; null for all.</param>
    public async Task<IReadOnlyList<RecordRow>> Records(int mirrorId, int sides, string? text, string? only, int offset, int count, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"""
            select l.id, l.title, l.changed_at,
                (select coalesce(array_agg(r.side order by r.side), '{"{}"}') from system_record r where r.mirror_id = l.mirror_id and r.link_id = l.id),
                (select coalesce(array_agg(r.id order by r.side), '{"{}"}') from system_record r where r.mirror_id = l.mirror_id and r.link_id = l.id),
                (select count(*)::int from conflict c where c.mirror_id = l.mirror_id and c.link_id = l.id and c.state = 'open'),
                (select count(*)::int from hold h where h.mirror_id = l.mirror_id and h.link_id = l.id)
            {RecordsThatFit} and l.mirror_id = @mirror order by lower(l.title), l.id offset @offset limit @count
            """);
        BindFit(command, text, only);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("offset", offset);
        command.Parameters.AddWithValue("count", count);
        return await All(command, r =>
        {
            var ids = r.GetFieldValue<int[]>(3).Zip(r.GetFieldValue<string[]>(4)).ToDictionary(p => p.First, p => p.Second);
            return new RecordRow(r.GetGuid(0), r.GetString(1), [.. Enumerable.Range(0, sides).Select(s => ids.GetValueOrDefault(s))], r.GetInt32(5), r.GetInt32(6), r.GetFieldValue<DateTimeOffset>(2));
        }, cancellation);
    }

    /// <summary>How many records of each mirror fit, by the mirror's id; those with none are left out.</summary>
    public async Task<IReadOnlyDictionary<int, int>> RecordCounts(string? text, string? only, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"select l.mirror_id, count(*)::int {RecordsThatFit} group by l.mirror_id");
        BindFit(command, text, only);
        return (await All(command, r => (Mirror: r.GetInt32(0), Count: r.GetInt32(1)), cancellation)).ToDictionary(r => r.Mirror, r => r.Count);
    }

    /// <summary>How many records of one mirror fit.</summary>
    public async Task<int> RecordCount(int mirrorId, string? text, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"select count(*)::int {RecordsThatFit} and l.mirror_id = @mirror");
        BindFit(command, text, null);
        command.Parameters.AddWithValue("mirror", mirrorId);
        return (int)(await command.ExecuteScalarAsync(cancellation))!;
    }

    private const string RecordsThatFit = """
        from link l where (@text::text is null or l.search like @text or (@digits::text is not null and l.search like @digits))
          and (@only::text is distinct from 'conflict' or exists (select from conflict c where c.mirror_id = l.mirror_id and c.link_id = l.id and c.state = 'open'))
          and (@only::text is distinct from 'held' or exists (select from hold h where h.mirror_id = l.mirror_id and h.link_id = l.id))
        """;

    private static void BindFit(NpgsqlCommand command, string? text, string? only)
    {
        var words = text?.Trim().ToLowerInvariant();
        var digits = words is null ? null : new string([.. words.Where(char.IsAsciiDigit)]).TrimStart('0');
        var isNumber = words is not null && digits!.Length >= 5 && words.All(c => char.IsAsciiDigit(c) || " +-()./".Contains(c, StringComparison.Ordinal));
        command.Parameters.AddWithValue("text", NpgsqlDbType.Text, string.IsNullOrEmpty(words) ? DBNull.Value : $"%{Escaped(words)}%");
        command.Parameters.AddWithValue("digits", NpgsqlDbType.Text, isNumber ? $"%{digits}%" : DBNull.Value);
        command.Parameters.AddWithValue("only", NpgsqlDbType.Text, (object?)only ?? DBNull.Value);
    }

    public async Task<RecordView?> Record(Guid link, CancellationToken cancellation)
    {
        await using var members = database.CreateCommand("""
            select r.side, r.id, r.raw, r.shadow, r.changed_at, r.changed_by, r.seen_at from link l
            join system_record r on r.mirror_id = l.mirror_id and r.link_id = l.id where l.id = @link order by r.side
            """);
        members.Parameters.AddWithValue("link", link);
        var sides = await All(members, r => new MemberView(r.GetInt32(0), r.GetString(1), Text(r, 2), Text(r, 3), Time(r, 4), Text(r, 5), Time(r, 6)!.Value), cancellation);
        await using var command = database.CreateCommand("select id, mirror_id, title, agreed, created_at, waiting from link where id = @link");
        command.Parameters.AddWithValue("link", link);
        return (await All(command, r => new RecordView(r.GetGuid(0), r.GetInt32(1), r.GetString(2), r.GetString(3), Time(r, 4)!.Value, sides, r.GetBoolean(5)), cancellation)).SingleOrDefault();
    }

    /// <summary>What happened to a record, newest first.</summary>
    public async Task<IReadOnlyList<JournalView>> Journal(int mirrorId, Guid link, int count, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select id, run_id, at, kind, side, field, before, after, why, who, changed_at from journal where mirror_id = @mirror and link_id = @link order by id desc limit @count
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("link", link);
        command.Parameters.AddWithValue("count", count);
        return await All(command, r => new JournalView(r.GetInt64(0), r.IsDBNull(1) ? null : r.GetInt64(1), Time(r, 2)!.Value, r.GetString(3), r.IsDBNull(4) ? null : r.GetInt32(4), Text(r, 5), Text(r, 6), Text(r, 7), r.GetString(8), Text(r, 9), Time(r, 10)), cancellation);
    }

    /// <summary>The conflicts that wait, oldest first.</summary>
    private const string SelectConflict = """
        with of_sides as (
            select c.*, (select string_agg(k, ',' order by k) from jsonb_object_keys(c.competing) k) as sides from conflict c
        )
        select c.id, c.mirror_id, c.link_id, l.title, c.fields, c.competing, c.why, c.revision, c.opened_at, (count(*) over (partition by c.mirror_id, c.fields, c.sides))::int - 1, c.sides, c.state = 'open'
        from of_sides c join link l on l.mirror_id = c.mirror_id and l.id = c.link_id
        """;

    public async Task<IReadOnlyList<ConflictView>> Conflicts(int count, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"{SelectConflict} where c.state = 'open' order by c.opened_at, c.id limit @count");
        command.Parameters.AddWithValue("count", count);
        return await All(command, ReadConflict, cancellation);
    }

    /// <summary>A conflict, open or not; null when there is none. How many are like it is not counted.</summary>
    public async Task<ConflictView?> Conflict(long id, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"{SelectConflict} where c.id = @id");
        command.Parameters.AddWithValue("id", id);
        return (await All(command, ReadConflict, cancellation)).SingleOrDefault();
    }

    private static ConflictView ReadConflict(System.Data.Common.DbDataReader r) => new(
        r.GetInt64(0), r.GetInt32(1), r.GetGuid(2), r.GetString(3), r.GetFieldValue<string[]>(4), r.GetString(5), r.GetString(6), r.GetInt32(7), Time(r, 8)!.Value, r.GetInt32(9), r.GetString(10), r.GetBoolean(11));

    public async Task<IReadOnlyList<HoldView>> Holds(int count, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select id, mirror_id, link_id, side, record_id, title, field, reason, answer, since from hold where set_aside_by_undo_of is null order by since, id limit @count");
        command.Parameters.AddWithValue("count", count);
        return await All(command, r => new HoldView(r.GetInt64(0), r.GetInt32(1), r.IsDBNull(2) ? null : r.GetGuid(2), r.GetInt32(3), r.GetString(4), r.GetString(5), Text(r, 6), r.GetString(7), Text(r, 8), Time(r, 9)!.Value), cancellation);
    }

    public async Task<int> HoldCount(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select count(*)::int from hold where set_aside_by_undo_of is null");
        return (int)(await command.ExecuteScalarAsync(cancellation))!;
    }

    /// <summary>What undone runs set aside and nobody has let go on yet, the newest first.</summary>
    public async Task<IReadOnlyList<UndoneView>> SetAside(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select h.mirror_id, h.set_aside_by_undo_of, count(*)::int, min(r.undone_by), min(h.since) from hold h join run r on r.mirror_id = h.mirror_id and r.id = h.set_aside_by_undo_of
            where h.set_aside_by_undo_of is not null group by 1, 2 order by 5 desc
            """);
        return await All(command, r => new UndoneView(r.GetInt32(0), r.GetInt64(1), r.GetInt32(2), Text(r, 3), Time(r, 4)!.Value), cancellation);
    }

    /// <summary>
    /// What a run is about: what a rehearsal would have written, what a run that is paused waits to write, what any other run wrote or tried to. Removals first, then creations.
    /// </summary>
    public async Task<(IReadOnlyList<PlannedView> Writes, int Total)> Planned(KeptRun run, int count, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"""
            with writes as ({(run.Rehearsal ? "select link_id, title, side, kind, record_id, fields, n::bigint from rehearsed_write where mirror_id = @mirror and run_id = @run"
                : $"select d.link_id, l.title, d.side, d.kind, d.record_id, d.fields, d.id as n from delivery d join link l on l.mirror_id = d.mirror_id and l.id = d.link_id where d.mirror_id = @mirror and {(run.State == "paused" ? "d.state = 'planned'" : "d.run_id = @run")}")})
            select link_id, title, side, kind, record_id, fields, (count(*) over ())::int from writes order by kind <> 'Remove', kind <> 'Create', lower(title), n limit @count
            """);
        command.Parameters.AddWithValue("mirror", run.MirrorId);
        command.Parameters.AddWithValue("run", run.Id);
        command.Parameters.AddWithValue("count", count);
        var all = await All(command, r => (Write: new PlannedView(r.IsDBNull(0) ? null : r.GetGuid(0), r.GetString(1), r.GetInt32(2), r.GetString(3), Text(r, 4), r.GetString(5)), Total: r.GetInt32(6)), cancellation);
        return ([.. all.Select(a => a.Write)], all.Count == 0 ? 0 : all[0].Total);
    }

    /// <summary>Lets everything go on that the undo of a run set aside. Returns how many records.</summary>
    public async Task<int> ReleaseUndone(long run, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with released as (
                delete from hold where set_aside_by_undo_of = @run returning mirror_id, link_id
            ), linked as (
                update link l set waiting = true from released h where l.mirror_id = h.mirror_id and l.id = h.link_id
            )
            select count(*)::int from released
            """);
        command.Parameters.AddWithValue("run", run);
        return (int)(await command.ExecuteScalarAsync(cancellation))!;
    }

    /// <summary>What a run did, record by record.</summary>
    public async Task<(IReadOnlyList<RunRecordView> Rows, int Total)> RunRecords(long run, string? outcome, int offset, int count, CancellationToken cancellation)
    {
        await using var total = database.CreateCommand("select count(*)::int from run_record r join run on run.id = r.run_id and run.mirror_id = r.mirror_id where run.id = @run and (@outcome::text is null or r.outcome = @outcome)");
        total.Parameters.AddWithValue("run", run);
        total.Parameters.AddWithValue("outcome", NpgsqlDbType.Text, (object?)outcome ?? DBNull.Value);
        var all = (int)(await total.ExecuteScalarAsync(cancellation))!;
        await using var command = database.CreateCommand("""
            select r.link_id, l.title, r.outcome,
                (select coalesce(array_agg(distinct f ->> 'field'), '{}') from delivery d, jsonb_array_elements(d.fields) f where d.mirror_id = r.mirror_id and d.run_id = r.run_id and d.link_id = r.link_id)
            from run join run_record r on r.mirror_id = run.mirror_id and r.run_id = run.id
            join link l on l.mirror_id = r.mirror_id and l.id = r.link_id
            where run.id = @run and (@outcome::text is null or r.outcome = @outcome)
            order by lower(l.title), l.id offset @offset limit @count
            """);
        command.Parameters.AddWithValue("run", run);
        command.Parameters.AddWithValue("outcome", NpgsqlDbType.Text, (object?)outcome ?? DBNull.Value);
        command.Parameters.AddWithValue("offset", offset);
        command.Parameters.AddWithValue("count", count);
        return (await All(command, r => new RunRecordView(r.GetGuid(0), r.GetString(1), r.GetString(2), r.GetFieldValue<string[]>(3)), cancellation), all);
    }

    /// <summary>How many values were written to each side, by hour, over the last seven days.</summary>
    public async Task<IReadOnlyList<Moved>> MovedLately(DateTimeOffset now, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select mirror_id, side, floor(extract(epoch from (@now - at)) / 3600)::int as hours_ago, count(*)::int
            from journal where kind in ('Written', 'Created') and at > @now - interval '7 days' group by 1, 2, 3
            """);
        command.Parameters.AddWithValue("now", now);
        return await All(command, r => new Moved(r.GetInt32(0), r.GetInt32(1), r.GetInt32(2), r.GetInt32(3)), cancellation);
    }

    /// <summary>How changes were settled over the last seven days.</summary>
    public async Task<Settled> SettledLately(DateTimeOffset now, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select count(*) filter (where kind = 'Agreed' and why like 'only %')::int,
                count(*) filter (where kind = 'Agreed' and why not like 'only %' and why not like 'first meeting%' and why not like '%to the same%')::int,
                count(*) filter (where kind = 'ConflictClosed' or (kind = 'Agreed' and why like '%to the same%'))::int,
                count(*) filter (where kind = 'Decided')::int
            from journal where at > @now - interval '7 days'
            """);
        command.Parameters.AddWithValue("now", now);
        return (await All(command, r => new Settled(r.GetInt32(0), r.GetInt32(1), r.GetInt32(2), r.GetInt32(3)), cancellation))[0];
    }

    public async Task<int> RecordCount(int mirrorId, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select count(*)::int from link where mirror_id = @mirror");
        command.Parameters.AddWithValue("mirror", mirrorId);
        return (int)(await command.ExecuteScalarAsync(cancellation))!;
    }

    private static string Escaped(string text) => text.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("%", "\\%", StringComparison.Ordinal).Replace("_", "\\_", StringComparison.Ordinal);

    private static string? Text(DbDataReader reader, int column) => reader.IsDBNull(column) ? null : reader.GetString(column);

    private static DateTimeOffset? Time(DbDataReader reader, int column) => reader.IsDBNull(column) ? null : reader.GetFieldValue<DateTimeOffset>(column);

    private static Task<List<T>> All<T>(NpgsqlCommand command, Func<DbDataReader, T> read, CancellationToken cancellation) => PostgresRunStore.ReadAll(command, read, cancellation);
}
