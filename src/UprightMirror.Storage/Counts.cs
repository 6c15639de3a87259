using Npgsql;

namespace UprightMirror.Storage;

/// <param name="Side">The side that was written.</param>
/// <param name="HoursAgo">0 for the hour that is going on.</param>
public sealed record Moved(int MirrorId, int Side, int HoursAgo, int Fields);

public sealed record Settled(int OneSide, int ByRule, int CameToAgree, int ByPerson);

/// <summary>What is counted as it happens, so that years of history are not read to tell of a week.</summary>
public sealed class Counts(NpgsqlDataSource database)
{
    /// <summary>How many values were written to each side, by hour, over the last seven days.</summary>
    public async Task<IReadOnlyList<Moved>> MovedLately(DateTimeOffset now, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select mirror_id, side, (date_part('epoch', @now - at) / 3600 - 0.5)::int as hours_ago, sum(n)::int
            from journal_count where what = 'written' and at > @now - interval '7 days' group by 1, 2, 3
            """);
        command.Parameters.AddWithValue("now", now);
        return await PostgresRunStore.ReadAll(command, r => new Moved(r.GetInt32(0), r.GetInt32(1), r.GetInt32(2), r.GetInt32(3)), cancellation);
    }

    /// <summary>How changes were settled over the last seven days.</summary>
    public async Task<Settled> SettledLately(DateTimeOffset now, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select coalesce(sum(n) filter (where what = 'oneSide'), 0)::int, coalesce(sum(n) filter (where what = 'byRule'), 0)::int, coalesce(sum(n) filter (where what = 'cameToAgree'), 0)::int,
                coalesce(sum(n) filter (where what = 'byPerson'), 0)::int
            from journal_count where at > @now - interval '7 days'
            """);
        command.Parameters.AddWithValue("now", now);
        return (await PostgresRunStore.ReadAll(command, r => new Settled(r.GetInt32(0), r.GetInt32(1), r.GetInt32(2), r.GetInt32(3)), cancellation))[0];
    }

    /// <summary>Puts counts together that are no longer added to, and forgets those that nobody looks at any more.</summary>
    public async Task PutTogether(DateTimeOffset now, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with old as (
                delete from journal_count where at < @now - interval '1 hour' returning mirror_id, at, what, side, n
            ), kept as (
                insert into journal_count (mirror_id, at, what, side, n) select mirror_id, at, what, side, sum(n)::int from old where at > @now - interval '8 days' group by 1, 2, 3, 4
            ), parts as (
                delete from link_count returning mirror_id, n
            ), alike as (
                delete from conflict_count returning mirror_id, fields, sides, n
            ), conflicts as (
                insert into conflict_count (mirror_id, fields, sides, n) select mirror_id, fields, sides, sum(n)::int from alike group by 1, 2, 3 having sum(n) <> 0
            )
            insert into link_count (mirror_id, n) select mirror_id, sum(n)::int from parts group by 1
            """);
        command.Parameters.AddWithValue("now", now);
        await command.ExecuteNonQueryAsync(cancellation);
    }
}
