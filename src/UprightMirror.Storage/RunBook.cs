using System.Text.Json;
using Npgsql;
using NpgsqlTypes;

namespace UprightMirror.Storage;

/// <summary>A run as it is listed.</summary>
/// <param name="State">waiting, running, finished, failed or stopped.</param>
public sealed record KeptRun(long Id, int MirrorId, bool Rehearsal, string State, string StartedBy, DateTimeOffset StartedAt, DateTimeOffset? EndedAt, string? Stage, RunCounts Counts, string? Reason);

/// <summary>The list of runs.</summary>
public sealed class RunBook(NpgsqlDataSource database, TimeProvider clock)
{
    private const string Select = "select id, mirror_id, rehearsal, state, started_by, started_at, ended_at, stage, counts, reason from run";

    /// <summary>Notes that a run begins. Whoever calls holds the mirror's lock: a run that still counts as running was cut off.</summary>
    public async Task<long> Start(int mirrorId, bool rehearsal, string startedBy, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with cut as (
                update run set state = 'failed', ended_at = @now, reason = 'The process that ran it ended in the middle. What it had done stays; the next run goes on from there.'
                where mirror_id = @mirror and state = 'running'
            ), kept as (
                insert into run (mirror_id, rehearsal, state, started_by, started_at) values (@mirror, @rehearsal, 'running', @by, @now) returning id
            )
            select id, pg_notify('upright', 'run') from kept
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("rehearsal", rehearsal);
        command.Parameters.AddWithValue("by", startedBy);
        command.Parameters.AddWithValue("now", clock.GetUtcNow());
        return (long)(await command.ExecuteScalarAsync(cancellation))!;
    }

    /// <summary>Ends, in the list, runs whose process is gone: a run that goes on holds its mirror's lock. Returns how many.</summary>
    public async Task<int> EndDead(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with ended as (
                update run set state = 'failed', ended_at = @now, stage = null,
                    reason = 'The process that ran it ended in the middle. What it had done stays; the next run goes on from there.'
                where state = 'running' and not exists (
                    select from pg_locks where locktype = 'advisory' and granted and classid = @space and objid = run.mirror_id::oid
                        and database = (select oid from pg_database where datname = current_database()))
                returning id
            )
            select count(*)::int, pg_notify('upright', 'ended') from ended having count(*) > 0
            """);
        command.Parameters.AddWithValue("space", (uint)PostgresRunStore.LockSpace);
        command.Parameters[^1].NpgsqlDbType = NpgsqlDbType.Oid;
        command.Parameters.AddWithValue("now", clock.GetUtcNow());
        return await command.ExecuteScalarAsync(cancellation) is int ended ? ended : 0;
    }

    public async Task End(long id, string state, RunCounts? counts, string? reason, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with ended as (
                update run set state = @state, ended_at = @now, counts = coalesce(@counts::jsonb, counts), reason = @reason, stage = null where id = @id returning id
            )
            select pg_notify('upright', 'ended') from ended
            """);
        command.Parameters.AddWithValue("id", id);
        command.Parameters.AddWithValue("state", state);
        command.Parameters.AddWithValue("counts", NpgsqlDbType.Text, counts is null ? DBNull.Value : JsonSerializer.Serialize(counts, JsonSerializerOptions.Web));
        command.Parameters.AddWithValue("reason", NpgsqlDbType.Text, (object?)reason ?? DBNull.Value);
        command.Parameters.AddWithValue("now", clock.GetUtcNow());
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>Asks a run to stop after what it is doing. False when it is not running.</summary>
    public async Task<bool> RequestStop(long id, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("update run set stop_requested = true where id = @id and state = 'running'");
        command.Parameters.AddWithValue("id", id);
        return await command.ExecuteNonQueryAsync(cancellation) == 1;
    }

    /// <summary>The newest runs first; those before a run, when it is given.</summary>
    public async Task<IReadOnlyList<KeptRun>> List(int? mirrorId, long? before, int count, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"{Select} where (@mirror::int is null or mirror_id = @mirror) and (@before::bigint is null or id < @before) order by id desc limit @count");
        command.Parameters.AddWithValue("mirror", NpgsqlDbType.Integer, (object?)mirrorId ?? DBNull.Value);
        command.Parameters.AddWithValue("before", NpgsqlDbType.Bigint, (object?)before ?? DBNull.Value);
        command.Parameters.AddWithValue("count", count);
        return await Read(command, cancellation);
    }

    public async Task<KeptRun?> Find(long id, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"{Select} where id = @id");
        command.Parameters.AddWithValue("id", id);
        return (await Read(command, cancellation)).SingleOrDefault();
    }

    private static Task<List<KeptRun>> Read(NpgsqlCommand command, CancellationToken cancellation) => PostgresRunStore.ReadAll(
        command,
        r => new KeptRun(
            r.GetInt64(0), r.GetInt32(1), r.GetBoolean(2), r.GetString(3), r.GetString(4), r.GetFieldValue<DateTimeOffset>(5), r.IsDBNull(6) ? null : r.GetFieldValue<DateTimeOffset>(6),
            r.IsDBNull(7) ? null : r.GetString(7), r.GetString(8) == "{}" ? RunCounts.Zero : JsonSerializer.Deserialize<RunCounts>(r.GetString(8), JsonSerializerOptions.Web)!, r.IsDBNull(9) ? null : r.GetString(9)),
        cancellation);
}
