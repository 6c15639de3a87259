using System.Collections.Immutable;
using System.Text.Json;
using Npgsql;
using NpgsqlTypes;
using UprightMirror.Core.Reconciling;

namespace UprightMirror.Storage;

/// <summary>A run as it is listed.</summary>
/// <param name="State">waiting, running, paused (by a guard), finished, failed or stopped.</param>
public sealed record KeptRun(long Id, int MirrorId, bool Rehearsal, string State, string StartedBy, DateTimeOffset StartedAt, DateTimeOffset? EndedAt, string? Stage, RunCounts Counts, string? Reason)
{
    /// <summary>True when it remembered what an undo needs.</summary>
    public bool Remembers { get; init; }

    /// <summary>Who undid it; null when nobody did.</summary>
    public string? UndoneBy { get; init; }

    public DateTimeOffset? UndoneAt { get; init; }

    /// <summary>What a guard found; empty for nothing.</summary>
    public ImmutableArray<GuardFinding> Guarded { get; init; } = [];

    /// <summary>What a person answered to it: once, always or stop; null for nothing yet.</summary>
    public string? GuardAnswer { get; init; }

    public string? GuardAnsweredBy { get; init; }

    /// <summary>How many records its undo set aside that nobody has let go on yet.</summary>
    public int SetAside { get; init; }

    /// <summary>The version of the mirror that it went by; null where that is not known any more.</summary>
    public int? Version { get; init; }

    /// <summary>True for the rehearsal of a draft.</summary>
    public bool OfDraft { get; init; }

    /// <summary>Of a rehearsal that decided about some records only: how many; null for all.</summary>
    public int? Sampled { get; init; }
}

/// <summary>The list of runs.</summary>
public sealed class RunBook(NpgsqlDataSource database, TimeProvider clock)
{
    private const string Select = "select id, mirror_id, rehearsal, state, started_by, started_at, ended_at, stage, counts, reason, remembers, undone_by, undone_at, (select count(*)::int from hold h where h.mirror_id = run.mirror_id and h.set_aside_by_undo_of = run.id), guard, guard_answer, guard_answered_by, version, of_draft, sampled from run";

    /// <summary>A run that is cut off had no time to say by which new ids its records are found.</summary>
    private const string FoundByWhatIsThere = $"""
        update link l set search = {Bulk.Searched}
        from (select distinct d.mirror_id, d.link_id from cut join delivery d on d.mirror_id = cut.mirror_id and d.run_id = cut.id and d.kind = 'Create' and d.state = 'confirmed') made
        where l.mirror_id = made.mirror_id and l.id = made.link_id
        """;

    /// <summary>Notes that a run begins. Whoever calls holds the mirror's lock: a run that still counts as running was cut off.</summary>
    /// <param name="byItself">True when nobody asked for it: if its process ends in the middle, another worker takes it up.</param>
    public async Task<long> Start(KeptMirror mirror, bool rehearsal, string startedBy, CancellationToken cancellation, bool byItself = false)
    {
        await using var command = database.CreateCommand($"""
            with cut as (
                update run set state = 'failed', cut_off = true, ended_at = @now, reason = 'The process that ran it ended in the middle. What it had done stays; the next run goes on from there.'
                where mirror_id = @mirror and state = 'running' returning mirror_id, id
            ), found as (
                {FoundByWhatIsThere}
            ), kept as (
                insert into run (mirror_id, rehearsal, state, started_by, started_at, remembers, version, of_draft, by_itself) values (@mirror, @rehearsal, 'running', @by, @now, true, @version, @draft, @own) returning id
            )
            select id, pg_notify('upright', 'run') from kept
            """);
        command.Parameters.AddWithValue("mirror", mirror.Id);
        command.Parameters.AddWithValue("version", mirror.Version);
        command.Parameters.AddWithValue("draft", mirror.InForce is not null);
        command.Parameters.AddWithValue("own", byItself);
        command.Parameters.AddWithValue("rehearsal", rehearsal);
        command.Parameters.AddWithValue("by", startedBy);
        command.Parameters.AddWithValue("now", clock.GetUtcNow());
        return (long)(await command.ExecuteScalarAsync(cancellation))!;
    }

    /// <summary>Ends, in the list, runs whose process is gone: a run that goes on holds its mirror's lock. Returns how many.</summary>
    public async Task<int> EndDead(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"""
            with cut as (
                update run set state = 'failed', cut_off = true, ended_at = @now, stage = null,
                    reason = 'The process that ran it ended in the middle. What it had done stays; the next run goes on from there.'
                where state = 'running' and not exists (
                    select from pg_locks where locktype = 'advisory' and granted and classid = @space and objid = run.mirror_id::oid
                        and database = (select oid from pg_database where datname = current_database()))
                returning mirror_id, id
            ), found as (
                {FoundByWhatIsThere}
            )
            select count(*)::int, pg_notify('upright', 'ended') from cut having count(*) > 0
            """);
        command.Parameters.AddWithValue("space", (uint)PostgresRunStore.LockSpace);
        command.Parameters[^1].NpgsqlDbType = NpgsqlDbType.Oid;
        command.Parameters.AddWithValue("now", clock.GetUtcNow());
        return await command.ExecuteScalarAsync(cancellation) is int ended ? ended : 0;
    }

    /// <summary>Runs that nobody asked for, were cut off, and were followed by no other run of their mirror yet.</summary>
    public async Task<IReadOnlyList<(int MirrorId, long Run)>> CutOff(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select r.mirror_id, r.id from run r where r.by_itself and r.cut_off
                and not exists (select from run later where later.mirror_id = r.mirror_id and later.id > r.id and not later.rehearsal)
            """);
        return await PostgresRunStore.ReadAll(command, r => (r.GetInt32(0), r.GetInt64(1)), cancellation);
    }

    public async Task End(long id, string state, RunCounts? counts, string? reason, CancellationToken cancellation, ImmutableArray<GuardFinding> guarded = default)
    {
        await using var command = database.CreateCommand("""
            with ended as (
                update run set state = @state, ended_at = @now, counts = coalesce(@counts::jsonb, counts), reason = @reason, guard = @guard::jsonb, stage = null where id = @id returning id
            )
            select pg_notify('upright', 'ended') from ended
            """);
        command.Parameters.AddWithValue("id", id);
        command.Parameters.AddWithValue("state", state);
        command.Parameters.AddWithValue("counts", NpgsqlDbType.Text, counts is null ? DBNull.Value : JsonSerializer.Serialize(counts, JsonSerializerOptions.Web));
        command.Parameters.AddWithValue("reason", NpgsqlDbType.Text, (object?)reason ?? DBNull.Value);
        command.Parameters.AddWithValue("guard", NpgsqlDbType.Text, guarded.IsDefaultOrEmpty ? DBNull.Value : JsonSerializer.Serialize(guarded, Mirrors.Json));
        command.Parameters.AddWithValue("now", clock.GetUtcNow());
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>Keeps what a person answered to a guard.</summary>
    /// <param name="answer">once, always or stop.</param>
    /// <returns>False when the run is not paused, or somebody answered before.</returns>
    public async Task<bool> AnswerGuard(long id, string answer, string who, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with answered as (
                update run set guard_answer = @answer, guard_answered_by = @who, guard_answered_at = @now where id = @id and state = 'paused' and guard_answer is null returning id
            )
            select true, pg_notify('upright', 'run') from answered
            """);
        command.Parameters.AddWithValue("id", id);
        command.Parameters.AddWithValue("answer", answer);
        command.Parameters.AddWithValue("who", who);
        command.Parameters.AddWithValue("now", clock.GetUtcNow());
        return await command.ExecuteScalarAsync(cancellation) is true;
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

    /// <summary>What a run told, in the order in which it did.</summary>
    /// <param name="warningsOnly">True to leave out what only says how it went.</param>
    public async Task<IReadOnlyList<RunLine>> Lines(long id, bool warningsOnly, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select n, at, level, text from run_line where run_id = @id and (not @warnings or level <> 'info') order by n");
        command.Parameters.AddWithValue("id", id);
        command.Parameters.AddWithValue("warnings", warningsOnly);
        return await PostgresRunStore.ReadAll(command, r => new RunLine(r.GetInt32(0), r.GetFieldValue<DateTimeOffset>(1), Enum.Parse<LineLevel>(r.GetString(2), ignoreCase: true), r.GetString(3)), cancellation);
    }

    /// <summary>Where a run's time went, as far as it told; null when there is no such run.</summary>
    public async Task<RunSpent?> Spent(long id, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select spent from run where id = @id");
        command.Parameters.AddWithValue("id", id);
        return (await PostgresRunStore.ReadAll(command, r => r.IsDBNull(0) ? RunSpent.Nothing : JsonSerializer.Deserialize<RunSpent>(r.GetString(0), Mirrors.Json)!, cancellation)).SingleOrDefault();
    }

    /// <summary>For how many days what runs told is kept.</summary>
    public async Task<int> LinesKept(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select run_lines_days from site");
        return (int)(await command.ExecuteScalarAsync(cancellation))!;
    }

    /// <param name="days">1 to 3650.</param>
    public async Task KeepLines(int days, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("update site set run_lines_days = @days");
        command.Parameters.AddWithValue("days", days);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>Forgets what runs told longer ago than it is kept. The runs stay in the list, with what they did.</summary>
    /// <returns>How many lines.</returns>
    public async Task<int> ForgetLines(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("delete from run_line where at < @now - (select make_interval(days => run_lines_days) from site)");
        command.Parameters.AddWithValue("now", clock.GetUtcNow());
        return await command.ExecuteNonQueryAsync(cancellation);
    }

    private static Task<List<KeptRun>> Read(NpgsqlCommand command, CancellationToken cancellation) => PostgresRunStore.ReadAll(
        command,
        r => new KeptRun(
            r.GetInt64(0), r.GetInt32(1), r.GetBoolean(2), r.GetString(3), r.GetString(4), r.GetFieldValue<DateTimeOffset>(5), r.IsDBNull(6) ? null : r.GetFieldValue<DateTimeOffset>(6),
            r.IsDBNull(7) ? null : r.GetString(7), r.GetString(8) == "{}" ? RunCounts.Zero : JsonSerializer.Deserialize<RunCounts>(r.GetString(8), JsonSerializerOptions.Web)!, r.IsDBNull(9) ? null : r.GetString(9))
        {
            Remembers = r.GetBoolean(10),
            UndoneBy = r.IsDBNull(11) ? null : r.GetString(11),
            UndoneAt = r.IsDBNull(12) ? null : r.GetFieldValue<DateTimeOffset>(12),
            SetAside = r.GetInt32(13),
            Guarded = r.IsDBNull(14) ? [] : JsonSerializer.Deserialize<ImmutableArray<GuardFinding>>(r.GetString(14), Mirrors.Json),
            GuardAnswer = r.IsDBNull(15) ? null : r.GetString(15),
            GuardAnsweredBy = r.IsDBNull(16) ? null : r.GetString(16),
            Version = r.IsDBNull(17) ? null : r.GetInt32(17),
            OfDraft = r.GetBoolean(18),
            Sampled = r.IsDBNull(19) ? null : r.GetInt32(19),
        },
        cancellation);
}
