using System.Globalization;
using System.Data.Common;
using Npgsql;
using NpgsqlTypes;

namespace UprightMirror.Storage;

public sealed record RecordRow(Guid Link, string Title, IReadOnlyList<string?> Ids, int Conflicts, int Holds, DateTimeOffset ChangedAt);

/// <summary>One side of a record as it is shown.</summary>
public sealed record MemberView(int Side, string Id, string? Raw, string? Shadow, DateTimeOffset? ChangedAt, string? ChangedBy, DateTimeOffset SeenAt);

public sealed record RecordView(Guid Link, int MirrorId, string Title, string Agreed, DateTimeOffset CreatedAt, IReadOnlyList<MemberView> Members, bool Waiting);

public sealed record JournalView(long Id, long? RunId, DateTimeOffset At, string Kind, int? Side, string? Field, string? Before, string? After, string Why, string? Who, DateTimeOffset? ChangedAt);

/// <summary>A record that another one points at.</summary>
public sealed record PointedView(int MirrorId, Guid Link, string Title);

/// <summary>Records of a mirror that point at one by a field of theirs.</summary>
/// <param name="Count">How many; the newest of them are <paramref name="First"/>.</param>
public sealed record PointingView(int MirrorId, string Field, int Count, IReadOnlyList<PointedView> First);

/// <param name="Alike">How many other open conflicts of the mirror are about the same fields, between the same sides.</param>
/// <param name="Sides">The sides that compete, in one text: conflicts with the same are alike.</param>
public sealed record ConflictView(long Id, int MirrorId, Guid Link, string Title, IReadOnlyList<string> Fields, string Competing, string Why, int Revision, DateTimeOffset OpenedAt, int Alike, string Sides, bool IsOpen = true);

public sealed record HoldView(long Id, int MirrorId, Guid? Link, int Side, string RecordId, string Title, string? Field, string Reason, string? Answer, DateTimeOffset Since);

/// <summary>Records that the undo of a run set aside, together.</summary>
public sealed record UndoneView(int MirrorId, long Run, int Records, string? Who, DateTimeOffset Since);

/// <summary>Which writes of a run are asked for.</summary>
/// <param name="Text">In the title or a value.</param>
public sealed record PlannedOnly(string? Kind = null, int? Side = null, string? Text = null);

public sealed record PlannedCount(string Kind, int Side, int Count);

/// <summary>A write that is planned, was rehearsed, or was made.</summary>
/// <param name="Link">Null for a record that only a rehearsal linked.</param>
/// <param name="Fields">As JSON: what each field holds and would hold.</param>
public sealed record PlannedView(Guid? Link, string Title, int Side, string Kind, string? RecordId, string Fields);

public sealed record RunRecordView(Guid Link, string Title, string Outcome, IReadOnlyList<string> Fields);

/// <summary>What some conflicts are about, and the oldest of them.</summary>
public sealed record ConflictKindView(int MirrorId, IReadOnlyList<string> Fields, int Count, long Id, string Title, string Why, DateTimeOffset OpenedAt);

/// <summary>What some records are held by, and the oldest of them.</summary>
public sealed record HoldKindView(int Count, string? Field, string Title, string Reason, DateTimeOffset Since);

/// <summary>What the screens read: lists and pages, in SQL that says what it reads.</summary>
public sealed class Views(NpgsqlDataSource database)
{
    public async Task<(int Conflicts, int Holds)> Queues(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select (select coalesce(sum(n), 0) from conflict_count)::int, (select count(*) filter (where set_aside_by_undo_of is null) + count(distinct set_aside_by_undo_of) from hold)::int");
        return (await All(command, r => (r.GetInt32(0), r.GetInt32(1)), cancellation))[0];
    }

    /// <summary>Records by title, filtered by what a person has in hand: a name, a number, an address, an id in any system.</summary>
    /// <param name="only">conflict or held, to see only those; null for all.</param>
    /// <param name="bounded">True to look at no more than <see cref="MostCounted"/> that a text finds: who finds more searches on.</param>
    public async Task<IReadOnlyList<RecordRow>> Records(int mirrorId, int sides, string? text, string? only, int offset, int count, CancellationToken cancellation, bool bounded = true)
    {
        await using var command = database.CreateCommand($"""
            select l.id, l.title, l.changed_at,
                (select coalesce(array_agg(r.side order by r.side), '{"{}"}') from system_record r where r.mirror_id = l.mirror_id and r.link_id = l.id),
                (select coalesce(array_agg(r.id order by r.side), '{"{}"}') from system_record r where r.mirror_id = l.mirror_id and r.link_id = l.id),
                (select count(*)::int from conflict c where c.mirror_id = l.mirror_id and c.link_id = l.id and c.state = 'open'),
                (select count(*)::int from hold h where h.mirror_id = l.mirror_id and h.link_id = l.id)
            from (
                select * from (select l.mirror_id, l.id, l.title, l.changed_at {RecordsThatFit(text, only)} and l.mirror_id = @mirror {(bounded && !string.IsNullOrWhiteSpace(text) ? $"order by l.id limit {Bound}" : "")}) hits
                order by lower(title), id offset @offset limit @count
            ) l
            order by lower(l.title), l.id
            """);
        BindFit(command, text);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("offset", offset);
        command.Parameters.AddWithValue("count", count);
        return await All(command, r =>
        {
            var ids = r.GetFieldValue<int[]>(3).Zip(r.GetFieldValue<string[]>(4)).ToDictionary(p => p.First, p => p.Second);
            return new RecordRow(r.GetGuid(0), r.GetString(1), [.. Enumerable.Range(0, sides).Select(s => ids.GetValueOrDefault(s))], r.GetInt32(5), r.GetInt32(6), r.GetFieldValue<DateTimeOffset>(2));
        }, cancellation);
    }

    /// <summary>How many records of some mirrors fit, by the mirror's id, and no further than a number where they are searched for; those with none are left out.</summary>
    public async Task<IReadOnlyDictionary<int, int>> RecordCounts(IReadOnlyCollection<int> mirrors, string? text, string? only, CancellationToken cancellation)
    {
        if (string.IsNullOrWhiteSpace(text) && only is null)
        {
            return await Counts("select mirror_id, sum(n)::int from link_count where mirror_id = any(@mirrors) group by 1 having sum(n) > 0");
        }

        // What few have is found in all mirrors at once; what many have is soon found in each.
        var most = (mirrors.Count * MostCounted) + 1;
        var found = await Counts($"select mirror_id, count(*)::int from (select l.mirror_id {RecordsThatFit(text, only)} and l.mirror_id = any(@mirrors) order by l.mirror_id, l.id limit {most.ToString(CultureInfo.InvariantCulture)}) hits group by 1");
        return found.Values.Sum() < most ? found : await Counts($"select m.id, f.n from unnest(@mirrors) as m (id) cross join lateral (select count(*)::int as n from (select 1 {RecordsThatFit(text, only)} and l.mirror_id = m.id order by l.id limit {Bound}) hits) f where f.n > 0");

        async Task<IReadOnlyDictionary<int, int>> Counts(string sql)
        {
            await using var command = database.CreateCommand(sql);
            BindFit(command, text);
            command.Parameters.AddWithValue("mirrors", mirrors.ToArray());
            return (await All(command, r => (Mirror: r.GetInt32(0), Count: r.GetInt32(1)), cancellation)).ToDictionary(r => r.Mirror, r => r.Count);
        }
    }

    /// <summary>How many records of one mirror fit; no further than <see cref="MostCounted"/> and one where they are searched for.</summary>
    public async Task<int> RecordCount(int mirrorId, string? text, CancellationToken cancellation) =>
        (await this.RecordCounts([mirrorId], text, null, cancellation)).GetValueOrDefault(mirrorId);

    /// <summary>What is searched for is counted up to here: that there are more is enough to search on.</summary>
    public const int MostCounted = 1000;

    private static readonly string Bound = (MostCounted + 1).ToString(CultureInfo.InvariantCulture);

    /// <summary>Only what is asked for stands in the statement, so that the database can take the index for it.</summary>
    private static string RecordsThatFit(string? text, string? only) => $"""
        from link l where true
        {(string.IsNullOrWhiteSpace(text) ? "" : " and (l.search like @text or (@digits::text is not null and l.search like @digits))")}
        {(only == "conflict" ? " and exists (select from conflict c where c.mirror_id = l.mirror_id and c.link_id = l.id and c.state = 'open')" : "")}
        {(only == "held" ? " and exists (select from hold h where h.mirror_id = l.mirror_id and h.link_id = l.id)" : "")}
        """;

    private static void BindFit(NpgsqlCommand command, string? text)
    {
        var words = text?.Trim().ToLowerInvariant();
        var digits = words is null ? null : new string([.. words.Where(char.IsAsciiDigit)]).TrimStart('0');
        var isNumber = words is not null && digits!.Length >= 5 && words.All(c => char.IsAsciiDigit(c) || " +-()./".Contains(c, StringComparison.Ordinal));
        command.Parameters.AddWithValue("text", NpgsqlDbType.Text, string.IsNullOrEmpty(words) ? DBNull.Value : $"%{Escaped(words)}%");
        command.Parameters.AddWithValue("digits", NpgsqlDbType.Text, isNumber ? $"%{digits}%" : DBNull.Value);
    }

    /// <summary>What is agreed of some records, by field, as it is shown.</summary>
    public async Task<IReadOnlyDictionary<Guid, IReadOnlyDictionary<string, string>>> AgreedOf(IReadOnlyCollection<Guid> links, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select l.id, (select coalesce(jsonb_object_agg(a.key, coalesce(a.value->>'shown', '')), '{}') from jsonb_each(l.agreed) a)::text from link l where l.id = any(@links) and l.mirror_id in (select id from mirror)");
        command.Parameters.AddWithValue("links", links.ToArray());
        return (await All(command, r => (Link: r.GetGuid(0), Values: r.GetString(1)), cancellation)).ToDictionary(r => r.Link, r => (IReadOnlyDictionary<string, string>)System.Text.Json.JsonSerializer.Deserialize<Dictionary<string, string>>(r.Values)!);
    }

    public async Task<RecordView?> Record(Guid link, CancellationToken cancellation)
    {
        await using var members = database.CreateCommand("""
            select r.side, r.id, r.raw, r.shadow, r.changed_at, r.changed_by, r.seen_at from link l
            join system_record r on r.mirror_id = l.mirror_id and r.link_id = l.id where l.id = @link and l.mirror_id in (select id from mirror) order by r.side
            """);
        members.Parameters.AddWithValue("link", link);
        var sides = await All(members, r => new MemberView(r.GetInt32(0), r.GetString(1), Text(r, 2), Text(r, 3), Time(r, 4), Text(r, 5), Time(r, 6)!.Value), cancellation);
        await using var command = database.CreateCommand("select id, mirror_id, title, agreed, created_at, waiting from link where id = @link and mirror_id in (select id from mirror)");
        command.Parameters.AddWithValue("link", link);
        return (await All(command, r => new RecordView(r.GetGuid(0), r.GetInt32(1), r.GetString(2), r.GetString(3), Time(r, 4)!.Value, sides, r.GetBoolean(5)), cancellation)).SingleOrDefault();
    }

    /// <summary>The linked records that systems know by these ids; ids that are of none are left out.</summary>
    public async Task<IReadOnlyDictionary<(int MirrorId, int Side, string Id), PointedView>> Pointed(IReadOnlyCollection<(int MirrorId, int Side, string Id)> places, CancellationToken cancellation)
    {
        if (places.Count == 0)
        {
            return new Dictionary<(int, int, string), PointedView>();
        }

        await using var command = database.CreateCommand("""
            select r.mirror_id, r.side, r.id, l.id, l.title from unnest(@mirrors, @sides, @ids) a (mirror_id, side, id)
            join system_record r on r.mirror_id = a.mirror_id and r.side = a.side and r.id = a.id join link l on l.mirror_id = r.mirror_id and l.id = r.link_id
            """);
        command.Parameters.AddWithValue("mirrors", places.Select(p => p.MirrorId).ToArray());
        command.Parameters.AddWithValue("sides", places.Select(p => p.Side).ToArray());
        command.Parameters.AddWithValue("ids", places.Select(p => p.Id).ToArray());
        return (await All(command, r => (Place: (r.GetInt32(0), r.GetInt32(1), r.GetString(2)), Record: new PointedView(r.GetInt32(0), r.GetGuid(3), r.GetString(4))), cancellation)).ToDictionary(f => f.Place, f => f.Record);
    }

    /// <summary>What points at a record, by mirror and field: how many there are, and the newest.</summary>
    public async Task<IReadOnlyList<PointingView>> Pointing(int mirrorId, Guid link, int most, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select g.mirror_id, g.reference, n.n, f.id, f.title from pointing g
            cross join lateral (select count(*)::int as n from pointer p where p.mirror_id = g.mirror_id and p.reference = g.reference and p.target = @link) n
            cross join lateral (
                select l.id, l.title, l.created_at from pointer p join link l on l.mirror_id = p.mirror_id and l.id = p.link_id
                where p.mirror_id = g.mirror_id and p.reference = g.reference and p.target = @link order by l.created_at desc, l.id limit @most
            ) f
            where g.to_mirror_id = @mirror order by g.mirror_id, g.reference, f.created_at desc, f.id
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("link", link);
        command.Parameters.AddWithValue("most", most);
        return [.. (await All(command, r => (Mirror: r.GetInt32(0), Field: r.GetString(1), Count: r.GetInt32(2), Record: new PointedView(r.GetInt32(0), r.GetGuid(3), r.GetString(4))), cancellation))
            .GroupBy(r => (r.Mirror, r.Field, r.Count)).Select(g => new PointingView(g.Key.Mirror, g.Key.Field, g.Key.Count, [.. g.Select(r => r.Record)]))];
    }

    /// <summary>Records of a mirror that point at one by a field, the newest first.</summary>
    public async Task<IReadOnlyList<PointedView>> PointingBy(int mirrorId, string field, Guid link, int offset, int count, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select l.id, l.title from pointer p join link l on l.mirror_id = p.mirror_id and l.id = p.link_id
            where p.mirror_id = @mirror and p.reference = @field and p.target = @link order by l.created_at desc, l.id offset @offset limit @count
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("field", field);
        command.Parameters.AddWithValue("link", link);
        command.Parameters.AddWithValue("offset", offset);
        command.Parameters.AddWithValue("count", count);
        return await All(command, r => new PointedView(mirrorId, r.GetGuid(0), r.GetString(1)), cancellation);
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

    private const string ConflictColumns = "c.id, c.mirror_id, c.link_id, l.title, c.fields, c.competing, c.why, c.revision, c.opened_at";

    /// <summary>The conflicts that wait, oldest first, each with how many are like it.</summary>
    public async Task<IReadOnlyList<ConflictView>> Conflicts(int count, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"""
            with oldest as materialized (
                select * from conflict where state = 'open' order by opened_at, id limit @count
            ), alike as materialized (
                select mirror_id, fields, sides, sum(n)::int as n from conflict_count group by 1, 2, 3 having sum(n) > 0
            )
            select {ConflictColumns}, a.n - 1, c.sides, true
            from oldest c join link l on l.mirror_id = c.mirror_id and l.id = c.link_id join alike a on (a.mirror_id, a.fields, a.sides) = (c.mirror_id, c.fields, c.sides)
            order by c.opened_at, c.id
            """);
        command.Parameters.AddWithValue("count", count);
        return await All(command, ReadConflict, cancellation);
    }

    /// <summary>What conflicts are about, with how many are about it and the oldest of them; the oldest first.</summary>
    public async Task<IReadOnlyList<ConflictKindView>> ConflictKinds(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with kinds as materialized (
                select mirror_id, fields, sides, sum(n)::int as n from conflict_count group by 1, 2, 3 having sum(n) > 0
            )
            select k.mirror_id, k.fields, k.n, o.id, l.title, o.why, o.opened_at
            from kinds k
            cross join lateral (select id, link_id, why, opened_at from conflict c where c.state = 'open' and (c.mirror_id, c.fields, c.sides) = (k.mirror_id, k.fields, k.sides) order by opened_at, id limit 1) o
            join link l on l.mirror_id = k.mirror_id and l.id = o.link_id
            order by o.opened_at, o.id
            """);
        return await All(command, r => new ConflictKindView(r.GetInt32(0), r.GetFieldValue<string[]>(1), r.GetInt32(2), r.GetInt64(3), r.GetString(4), r.GetString(5), Time(r, 6)!.Value), cancellation);
    }

    /// <summary>What held records are held by, with how many and the oldest of them; the oldest first.</summary>
    public async Task<IReadOnlyList<HoldKindView>> HoldKinds(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with kinds as materialized (
                select mirror_id, side, field, answer is not null as refused, count(*)::int as n, min(id) as oldest from hold where set_aside_by_undo_of is null group by 1, 2, 3, 4
            )
            select k.n, k.field, h.title, h.reason, h.since from kinds k join hold h on h.mirror_id = k.mirror_id and h.id = k.oldest order by h.since, h.id
            """);
        return await All(command, r => new HoldKindView(r.GetInt32(0), Text(r, 1), r.GetString(2), r.GetString(3), Time(r, 4)!.Value), cancellation);
    }

    /// <summary>The open conflicts of one record, oldest first. How many are like them is not counted.</summary>
    public async Task<IReadOnlyList<ConflictView>> ConflictsOf(int mirrorId, Guid link, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"select {ConflictColumns}, 0, c.sides, true from conflict c join link l on l.mirror_id = c.mirror_id and l.id = c.link_id where c.mirror_id = @mirror and c.link_id = @link and c.state = 'open' order by c.opened_at, c.id");
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("link", link);
        return await All(command, ReadConflict, cancellation);
    }

    /// <summary>A conflict, open or not; null when there is none. How many are like it is counted among those that are open.</summary>
    public async Task<ConflictView?> Conflict(long id, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"""
            select {ConflictColumns}, (select coalesce(sum(n), 0)::int - (c.state = 'open')::int from conflict_count o where (o.mirror_id, o.fields, o.sides) = (c.mirror_id, c.fields, c.sides)), c.sides, c.state = 'open'
            from conflict c join link l on l.mirror_id = c.mirror_id and l.id = c.link_id where c.id = @id
            """);
        command.Parameters.AddWithValue("id", id);
        return (await All(command, ReadConflict, cancellation)).SingleOrDefault();
    }

    private static ConflictView ReadConflict(System.Data.Common.DbDataReader r) => new(
        r.GetInt64(0), r.GetInt32(1), r.GetGuid(2), r.GetString(3), r.GetFieldValue<string[]>(4), r.GetString(5), r.GetString(6), r.GetInt32(7), Time(r, 8)!.Value, r.GetInt32(9), r.GetString(10), r.GetBoolean(11));

    public async Task<IReadOnlyList<HoldView>> Holds(int count, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select id, mirror_id, link_id, side, record_id, title, field, reason, answer, since from hold where set_aside_by_undo_of is null order by since, id limit @count");
        command.Parameters.AddWithValue("count", count);
        return await All(command, ReadHold, cancellation);
    }

    internal static HoldView ReadHold(DbDataReader r) =>
        new(r.GetInt64(0), r.GetInt32(1), r.IsDBNull(2) ? null : r.GetGuid(2), r.GetInt32(3), r.GetString(4), r.GetString(5), Text(r, 6), r.GetString(7), Text(r, 8), Time(r, 9)!.Value);

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
    /// <param name="only">Which of them; all of it null for all.</param>
    public async Task<(IReadOnlyList<PlannedView> Writes, int Total)> Planned(KeptRun run, PlannedOnly only, int offset, int count, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"""
            with writes as ({(run.Rehearsal ? "select link_id, title, side, kind, record_id, fields, n::bigint from rehearsed_write where mirror_id = @mirror and run_id = @run"
                : $"select d.link_id, l.title, d.side, d.kind, d.record_id, d.fields, d.id as n from delivery d join link l on l.mirror_id = d.mirror_id and l.id = d.link_id where d.mirror_id = @mirror and {(run.State == "paused" ? "d.state = 'planned'" : "d.run_id = @run")}")})
            select link_id, title, side, kind, record_id, fields, (count(*) over ())::int from writes 
            where (@kind::text is null or kind = @kind) and (@side::int is null or side = @side) and (@text::text is null or lower(title) like @text or lower(fields::text) like @text)
            order by kind <> 'Remove', kind <> 'Create', lower(title), n offset @offset limit @count
            """);
        command.Parameters.AddWithValue("kind", NpgsqlDbType.Text, (object?)only.Kind ?? DBNull.Value);
        command.Parameters.AddWithValue("side", NpgsqlDbType.Integer, (object?)only.Side ?? DBNull.Value);
        command.Parameters.AddWithValue("text", NpgsqlDbType.Text, string.IsNullOrWhiteSpace(only.Text) ? DBNull.Value : $"%{Escaped(only.Text.Trim().ToLowerInvariant())}%");
        command.Parameters.AddWithValue("offset", offset);
        command.Parameters.AddWithValue("mirror", run.MirrorId);
        command.Parameters.AddWithValue("run", run.Id);
        command.Parameters.AddWithValue("count", count);
        var all = await All(command, r => (Write: new PlannedView(r.IsDBNull(0) ? null : r.GetGuid(0), r.GetString(1), r.GetInt32(2), r.GetString(3), Text(r, 4), r.GetString(5)), Total: r.GetInt32(6)), cancellation);
        return ([.. all.Select(a => a.Write)], all.Count == 0 ? 0 : all[0].Total);
    }

    /// <summary>What a rehearsal would have set aside anew.</summary>
    public async Task<IReadOnlyList<HoldView>> RehearsedHolds(KeptRun run, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select n, side, record_id, title, field, reason from rehearsed_hold where mirror_id = @mirror and run_id = @run order by n");
        command.Parameters.AddWithValue("mirror", run.MirrorId);
        command.Parameters.AddWithValue("run", run.Id);
        return await All(command, r => new HoldView(r.GetInt32(0), run.MirrorId, null, r.GetInt32(1), r.GetString(2), r.GetString(3), Text(r, 4), r.GetString(5), null, run.StartedAt), cancellation);
    }

    /// <summary>How many writes of a run there are of each kind on each side.</summary>
    public async Task<IReadOnlyList<PlannedCount>> PlannedCounts(KeptRun run, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand(run.Rehearsal
            ? "select kind, side, count(*)::int from rehearsed_write where mirror_id = @mirror and run_id = @run group by 1, 2 order by 2, 1"
            : $"select kind, side, count(*)::int from delivery where mirror_id = @mirror and {(run.State == "paused" ? "state = 'planned'" : "run_id = @run")} group by 1, 2 order by 2, 1");
        command.Parameters.AddWithValue("mirror", run.MirrorId);
        command.Parameters.AddWithValue("run", run.Id);
        return await All(command, r => new PlannedCount(r.GetString(0), r.GetInt32(1), r.GetInt32(2)), cancellation);
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

    /// <summary>How many records a mirror has.</summary>
    public Task<int> RecordCount(int mirrorId, CancellationToken cancellation) => this.RecordCount(mirrorId, null, cancellation);

    private static string Escaped(string text) => text.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("%", "\\%", StringComparison.Ordinal).Replace("_", "\\_", StringComparison.Ordinal);

    private static string? Text(DbDataReader reader, int column) => reader.IsDBNull(column) ? null : reader.GetString(column);

    private static DateTimeOffset? Time(DbDataReader reader, int column) => reader.IsDBNull(column) ? null : reader.GetFieldValue<DateTimeOffset>(column);

    private static Task<List<T>> All<T>(NpgsqlCommand command, Func<DbDataReader, T> read, CancellationToken cancellation) => PostgresRunStore.ReadAll(command, read, cancellation);
}
