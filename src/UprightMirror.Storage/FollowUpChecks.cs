using System.Text.Json;
using Npgsql;
using NpgsqlTypes;
using UprightMirror.Core.Checks;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Timing;

namespace UprightMirror.Storage;

/// <summary>A flagged record as it is shown.</summary>
/// <param name="FineBy">Who said that it is fine as it is; null for nobody.</param>
public sealed record FlagView(long Check, string CheckName, Guid Link, string Title, DateTimeOffset Since, IReadOnlyList<FlaggedValue> Says, int HangingCount, IReadOnlyList<HangingRecord> Hanging, string? FineBy, DateTimeOffset? FineAt);

/// <summary>How many records a check flags that nobody said are fine.</summary>
public sealed record FlagCount(long Check, string CheckName, int MirrorId, int Count, DateTimeOffset Oldest);

/// <summary>Follow-up checks in PostgreSQL.</summary>
public sealed class FollowUpChecks(NpgsqlDataSource database) : IFollowUpChecks
{
    /// <summary>A mirror has at most so many.</summary>
    public const int Most = 50;

    /// <summary>Nobody looks at one for longer: who does is not there any more.</summary>
    private static readonly TimeSpan LongestLook = TimeSpan.FromMinutes(15);

    private const string Select = "select id, mirror_id, name, condition, hanging, timing, made_by, made_at, looked_at, looked, untold, untold_why, problem from follow_up_check";

    public async Task<IReadOnlyList<KeptCheck>> All(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"{Select} order by lower(name), id");
        return await Read(command, cancellation);
    }

    public async Task<IReadOnlyList<KeptCheck>> Of(int mirrorId, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"{Select} where mirror_id = @mirror order by lower(name), id");
        command.Parameters.AddWithValue("mirror", mirrorId);
        return await Read(command, cancellation);
    }

    /// <summary>Keeps a check, and forgets what it found while its condition was another.</summary>
    /// <param name="id">Null for a new one.</param>
    /// <returns>Its number; null when there is none such.</returns>
    /// <exception cref="PostgresException">Another of the mirror has the name (23505).</exception>
    public async Task<long?> Keep(int mirrorId, long? id, FollowUpCheck check, string who, DateTimeOffset now, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand(id is null
            ? "insert into follow_up_check (mirror_id, name, condition, hanging, timing, made_by, made_at) values (@mirror, @name, @condition, @hanging, @timing, @who, @now) returning id"
            : """
              with gone as (
                  delete from flag f using follow_up_check c where c.id = @id and f.check_id = c.id and c.mirror_id = @mirror and c.condition <> @condition returning f.mirror_id, f.link_id
              ), due as (
                  insert into link_due (mirror_id, link_id)
                  select mirror_id, link_id from gone union select f.mirror_id, f.link_id from flag f join follow_up_check c on c.id = f.check_id where c.id = @id and c.mirror_id = @mirror and c.name <> @name
              )
              update follow_up_check set name = @name, condition = @condition, hanging = @hanging, timing = @timing, looked_at = null, looking_until = null, problem = null where id = @id and mirror_id = @mirror returning id
              """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("id", id ?? 0);
        command.Parameters.AddWithValue("name", check.Name.Trim());
        command.Parameters.AddWithValue("condition", check.Condition);
        command.Parameters.Add(new NpgsqlParameter("hanging", NpgsqlDbType.Jsonb) { Value = check.Hanging is { } hanging ? JsonSerializer.Serialize(hanging, Mirrors.Json) : DBNull.Value });
        command.Parameters.Add(new NpgsqlParameter("timing", NpgsqlDbType.Jsonb) { Value = JsonSerializer.Serialize(check.Timing, Mirrors.Json) });
        command.Parameters.AddWithValue("who", who);
        command.Parameters.AddWithValue("now", now);
        return await command.ExecuteScalarAsync(cancellation) as long?;
    }

    /// <summary>Takes a check away, with what it flags. False when there is none such.</summary>
    public async Task<bool> Remove(int mirrorId, long id, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with due as (insert into link_due (mirror_id, link_id) select mirror_id, link_id from flag where check_id = @id and mirror_id = @mirror)
            delete from follow_up_check where id = @id and mirror_id = @mirror
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("id", id);
        return await command.ExecuteNonQueryAsync(cancellation) > 0;
    }

    public async Task<DateTimeOffset?> LastRun(IReadOnlyCollection<string> mirrors, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select max(e.ended_at) from mirror m cross join lateral (select r.ended_at from run r where r.mirror_id = m.id and not r.rehearsal and r.ended_at is not null order by r.id desc limit 1) e where m.key = any(@mirrors)
            """);
        command.Parameters.AddWithValue("mirrors", mirrors.ToArray());
        return await command.ExecuteScalarAsync(cancellation) is DateTime at ? new DateTimeOffset(at, TimeSpan.Zero) : null;
    }

    public async Task<bool> Claim(KeptCheck check, DateTimeOffset now, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("update follow_up_check set looking_until = @until where id = @id and looked_at is not distinct from @before and (looking_until is null or looking_until < @now)");
        command.Parameters.AddWithValue("id", check.Id);
        command.Parameters.AddWithValue("now", now);
        command.Parameters.AddWithValue("until", now + LongestLook);
        command.Parameters.Add(new NpgsqlParameter("before", NpgsqlDbType.TimestampTz) { Value = check.LookedAt is { } before ? before : DBNull.Value });
        return await command.ExecuteNonQueryAsync(cancellation) == 1;
    }

    public async Task Release(KeptCheck check, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("update follow_up_check set looking_until = null where id = @id");
        command.Parameters.AddWithValue("id", check.Id);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<IReadOnlyList<LinkedRecord>> Records(KeptMirror mirror, Guid after, int count, CancellationToken cancellation)
    {
        await using var connection = await database.OpenConnectionAsync(cancellation);
        await using var next = new NpgsqlCommand("select id from link where mirror_id = @mirror and id > @after order by id limit @count", connection);
        next.Parameters.AddWithValue("mirror", mirror.Id);
        next.Parameters.AddWithValue("after", after);
        next.Parameters.AddWithValue("count", count);
        return await LinkedRecords.Read(connection, mirror.Id, new StoredForms(mirror.Definition), await PostgresRunStore.ReadAll(next, r => r.GetGuid(0), cancellation), cancellation);
    }

    public async Task<IReadOnlyList<KnownRecord>> Unlinked(KeptMirror mirror, int side, string after, int count, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"select {PostgresRunStore.MemberColumns} from system_record where mirror_id = @mirror and side = @side and id > @after collate \"C\" and link_id is null and raw is not null order by id limit @count");
        command.Parameters.AddWithValue("mirror", mirror.Id);
        command.Parameters.AddWithValue("side", side);
        command.Parameters.AddWithValue("after", after);
        command.Parameters.AddWithValue("count", count);
        return await PostgresRunStore.ReadAll(command, PostgresRunStore.ReadMember, cancellation);
    }

    public async Task<int> Save(KeptCheck check, CheckLooked looked, IReadOnlyList<FoundRecord> found, DateTimeOffset now, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with noted as (
                update follow_up_check set looked_at = @now, looking_until = null, looked = @looked, untold = @untold, untold_why = @why, problem = @problem where id = @id and condition = @condition returning id, mirror_id, name
            ), found as (
                select n.id as check_id, n.mirror_id, f.link_id, f.says, f.hanging_count, f.hanging
                from noted n cross join unnest(@links, @says, @counts, @hanging) as f (link_id, says, hanging_count, hanging)
                join link l on l.mirror_id = n.mirror_id and l.id = f.link_id
            ), gone as (
                delete from flag g using noted n where @problem::text is null and g.check_id = n.id and g.link_id not in (select link_id from found) returning g.mirror_id, g.link_id, g.fine_by
            ), changed as (
                select f.link_id from found f join flag g on g.check_id = f.check_id and g.link_id = f.link_id where g.fine_by is not null and g.says <> f.says
            ), kept as (
                insert into flag (check_id, mirror_id, link_id, since, says, hanging_count, hanging) select check_id, mirror_id, link_id, @now, says, hanging_count, hanging from found
                on conflict (check_id, link_id) do update set says = excluded.says, hanging_count = excluded.hanging_count, hanging = excluded.hanging,
                    since = case when flag.fine_by is not null and flag.says <> excluded.says then excluded.since else flag.since end,
                    fine_by = case when flag.says = excluded.says then flag.fine_by end, fine_at = case when flag.says = excluded.says then flag.fine_at end
                returning mirror_id, link_id, xmax = 0 as is_new
            ), due as (
                insert into link_due (mirror_id, link_id) select mirror_id, link_id from gone union select mirror_id, link_id from kept where is_new or link_id in (select link_id from changed)
            ), told as (
                insert into journal (mirror_id, link_id, at, kind, why)
                select k.mirror_id, k.link_id, @now, 'Flagged', n.name from kept k cross join noted n where k.is_new or k.link_id in (select link_id from changed)
                union all select g.mirror_id, g.link_id, @now, 'Unflagged', n.name from gone g cross join noted n where g.fine_by is null
            )
            select count(*)::int from kept where is_new
            """);
        command.Parameters.AddWithValue("id", check.Id);
        command.Parameters.AddWithValue("condition", check.Check.Condition);
        command.Parameters.AddWithValue("looked", looked.Looked);
        command.Parameters.AddWithValue("untold", looked.Untold);
        command.Parameters.Add(new NpgsqlParameter("why", NpgsqlDbType.Text) { Value = (object?)looked.UntoldWhy ?? DBNull.Value });
        command.Parameters.Add(new NpgsqlParameter("problem", NpgsqlDbType.Text) { Value = (object?)looked.Problem ?? DBNull.Value });
        command.Parameters.AddWithValue("now", now);
        command.Parameters.AddWithValue("links", found.Select(f => f.Link).ToArray());
        command.Parameters.Add(new NpgsqlParameter("says", NpgsqlDbType.Array | NpgsqlDbType.Jsonb) { Value = found.Select(f => JsonSerializer.Serialize(f.Says, Mirrors.Json)).ToArray() });
        command.Parameters.AddWithValue("counts", found.Select(f => f.HangingCount).ToArray());
        command.Parameters.Add(new NpgsqlParameter("hanging", NpgsqlDbType.Array | NpgsqlDbType.Jsonb) { Value = found.Select(f => JsonSerializer.Serialize(f.Hanging, Mirrors.Json)).ToArray() });
        return (int)(await command.ExecuteScalarAsync(cancellation))!;
    }

    /// <summary>What a check flags, that on which most hangs first, then the newest; what somebody said is fine last.</summary>
    public async Task<IReadOnlyList<FlagView>> Found(long check, int offset, int count, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"{SelectFlags} where f.check_id = @check order by f.fine_by is not null, f.hanging_count desc, f.since desc, lower(l.title), f.link_id offset @offset limit @count");
        command.Parameters.AddWithValue("check", check);
        command.Parameters.AddWithValue("offset", offset);
        command.Parameters.AddWithValue("count", count);
        return await ReadFlags(command, cancellation);
    }

    /// <summary>The checks that flag a record.</summary>
    public async Task<IReadOnlyList<FlagView>> On(Guid link, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"{SelectFlags} where f.link_id = @link order by lower(c.name)");
        command.Parameters.AddWithValue("link", link);
        return await ReadFlags(command, cancellation);
    }

    /// <summary>How many records each check flags that nobody said are fine; checks that flag none are left out.</summary>
    public async Task<IReadOnlyList<FlagCount>> Counts(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select c.id, c.name, c.mirror_id, f.n, f.oldest from follow_up_check c
            cross join lateral (select count(*)::int as n, min(since) as oldest from flag where check_id = c.id and fine_by is null) f where f.n > 0 order by c.id
            """);
        return await PostgresRunStore.ReadAll(command, r => new FlagCount(r.GetInt64(0), r.GetString(1), r.GetInt32(2), r.GetInt32(3), r.GetFieldValue<DateTimeOffset>(4)), cancellation);
    }

    /// <summary>Of each of a mirror's checks, how many records it flags, and of how many more somebody said that they are fine.</summary>
    public async Task<IReadOnlyList<(long Check, int Flagged, int Fine)>> Standing(int mirrorId, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select c.id, count(f.link_id) filter (where f.fine_by is null)::int, count(f.fine_by)::int from follow_up_check c left join flag f on f.check_id = c.id where c.mirror_id = @mirror group by c.id
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        return await PostgresRunStore.ReadAll(command, r => (r.GetInt64(0), r.GetInt32(1), r.GetInt32(2)), cancellation);
    }

    /// <summary>A person says that a flagged record is fine as it is, or takes that back.</summary>
    /// <param name="who">Who says so; null to take it back.</param>
    /// <param name="by">Who takes it back.</param>
    /// <returns>False when it is not flagged.</returns>
    public async Task<bool> SayFine(int mirrorId, long check, Guid link, string? who, string by, DateTimeOffset now, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with said as (update flag set fine_by = @who, fine_at = case when @who is not null then @now end where check_id = @check and link_id = @link and mirror_id = @mirror returning check_id, mirror_id, link_id), told as (
                insert into journal (mirror_id, link_id, at, kind, why, who)
                select s.mirror_id, s.link_id, @now, case when @who is null then 'Flagged' else 'Unflagged' end, c.name || case when @who is null then '' else ': fine as it is' end, coalesce(@who, @by) from said s join follow_up_check c on c.id = s.check_id
            )
            insert into link_due (mirror_id, link_id) select mirror_id, link_id from said
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("check", check);
        command.Parameters.AddWithValue("link", link);
        command.Parameters.Add(new NpgsqlParameter("who", NpgsqlDbType.Text) { Value = (object?)who ?? DBNull.Value });
        command.Parameters.AddWithValue("by", by);
        command.Parameters.AddWithValue("now", now);
        return await command.ExecuteNonQueryAsync(cancellation) > 0;
    }

    private const string SelectFlags = "select c.id, c.name, f.link_id, l.title, f.since, f.says, f.hanging_count, f.hanging, f.fine_by, f.fine_at from flag f join follow_up_check c on c.id = f.check_id join link l on l.mirror_id = f.mirror_id and l.id = f.link_id";

    private static Task<List<FlagView>> ReadFlags(NpgsqlCommand command, CancellationToken cancellation) => PostgresRunStore.ReadAll(
        command,
        r => new FlagView(
            r.GetInt64(0), r.GetString(1), r.GetGuid(2), r.GetString(3), r.GetFieldValue<DateTimeOffset>(4), JsonSerializer.Deserialize<List<FlaggedValue>>(r.GetString(5), Mirrors.Json)!, r.GetInt32(6),
            JsonSerializer.Deserialize<List<HangingRecord>>(r.GetString(7), Mirrors.Json)!, r.IsDBNull(8) ? null : r.GetString(8), r.IsDBNull(9) ? null : r.GetFieldValue<DateTimeOffset>(9)),
        cancellation);

    private static async Task<IReadOnlyList<KeptCheck>> Read(NpgsqlCommand command, CancellationToken cancellation) => await PostgresRunStore.ReadAll(
        command,
        r => new KeptCheck(
            r.GetInt64(0), r.GetInt32(1),
            new FollowUpCheck(r.GetString(2), r.GetString(3), r.IsDBNull(4) ? null : JsonSerializer.Deserialize<HangingRecords>(r.GetString(4), Mirrors.Json), JsonSerializer.Deserialize<MirrorTiming>(r.GetString(5), Mirrors.Json)!),
            r.GetString(6), r.GetFieldValue<DateTimeOffset>(7), r.IsDBNull(8) ? null : r.GetFieldValue<DateTimeOffset>(8), r.GetInt32(9), r.GetInt32(10), r.IsDBNull(11) ? null : r.GetString(11), r.IsDBNull(12) ? null : r.GetString(12)),
        cancellation);
}
