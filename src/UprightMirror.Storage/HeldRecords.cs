using Npgsql;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage;

/// <summary>A record that a person left out for good.</summary>
/// <param name="Reason">What it was held for.</param>
/// <param name="Why">Why it is left out, in the person's words.</param>
public sealed record LeftOutView(long Id, int MirrorId, Guid? Link, int Side, string RecordId, string Title, string Reason, string Why, string Who, DateTimeOffset At);

/// <summary>What people do with records that are held: let them be tried again, or leave them out for good.</summary>
public sealed class HeldRecords(NpgsqlDataSource database, TimeProvider clock)
{
    /// <summary>One held record; null when it is not held any more.</summary>
    public async Task<HoldView?> Find(long hold, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select id, mirror_id, link_id, side, record_id, title, field, reason, answer, since from hold where id = @id and set_aside_by_undo_of is null");
        command.Parameters.AddWithValue("id", hold);
        return (await PostgresRunStore.ReadAll(command, Views.ReadHold, cancellation)).SingleOrDefault();
    }

    /// <summary>The records that a hold is about, on every side.</summary>
    public async Task<IReadOnlyList<RecordPlace>> RecordsOf(HoldView hold, CancellationToken cancellation)
    {
        if (hold.Link is not { } link)
        {
            return [new RecordPlace(hold.Side, hold.RecordId)];
        }

        await using var command = database.CreateCommand("select side, id from system_record where mirror_id = @mirror and link_id = @link");
        command.Parameters.AddWithValue("mirror", hold.MirrorId);
        command.Parameters.AddWithValue("link", link);
        return await PostgresRunStore.ReadAll(command, r => new RecordPlace(r.GetInt32(0), r.GetString(1)), cancellation);
    }

    /// <summary>Notes that a person put a value of a record right in its own system.</summary>
    public async Task TellPutRight(HoldView hold, Value before, Value after, string system, string who, CancellationToken cancellation)
    {
        if (hold.Link is not { } link)
        {
            return;
        }

        await using var command = database.CreateCommand("insert into journal (mirror_id, link_id, at, kind, side, field, before, after, why, who) values (@mirror, @link, @now, 'Decided', @side, @field, @before::jsonb, @after::jsonb, @why, @who)");
        command.Parameters.AddWithValue("mirror", hold.MirrorId);
        command.Parameters.AddWithValue("link", link);
        command.Parameters.AddWithValue("now", clock.GetUtcNow());
        command.Parameters.AddWithValue("side", hold.Side);
        command.Parameters.AddWithValue("field", hold.Field!);
        command.Parameters.AddWithValue("before", ValueJson.Write(before)?.ToJsonString() ?? "null");
        command.Parameters.AddWithValue("after", ValueJson.Write(after)?.ToJsonString() ?? "null");
        command.Parameters.AddWithValue("why", $"put right by hand in {system}");
        command.Parameters.AddWithValue("who", who);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>Lets held records be tried again by the next run.</summary>
    /// <returns>How many were held still.</returns>
    public async Task<int> Release(IReadOnlyCollection<long> holds, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with released as (
                delete from hold where id = any(@ids) and set_aside_by_undo_of is null returning mirror_id, link_id, side, record_id
            ), record as (
                update system_record r set waiting = true from released h where h.link_id is null and r.mirror_id = h.mirror_id and r.side = h.side and r.id = h.record_id
            ), linked as (
                update link l set waiting = true from released h where l.mirror_id = h.mirror_id and l.id = h.link_id
            )
            select count(*)::int, pg_notify('upright', 'decided') from released
            """);
        command.Parameters.AddWithValue("ids", holds.ToArray());
        return (int)(await command.ExecuteScalarAsync(cancellation))!;
    }

    /// <summary>What a run set aside and nobody let go on since: the holds, and the records that they are about, on every side.</summary>
    public async Task<(IReadOnlyList<long> Holds, IReadOnlyList<RecordPlace> Records)> OfRun(int mirrorId, long run, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select id from hold where mirror_id = @mirror and run_id = @run and set_aside_by_undo_of is null");
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("run", run);
        var holds = await PostgresRunStore.ReadAll(command, r => r.GetInt64(0), cancellation);
        await using var records = database.CreateCommand("""
            select side, record_id from hold where mirror_id = @mirror and run_id = @run and set_aside_by_undo_of is null and link_id is null
            union select r.side, r.id from hold h join system_record r on r.mirror_id = h.mirror_id and r.link_id = h.link_id where h.mirror_id = @mirror and h.run_id = @run and h.set_aside_by_undo_of is null
            """);
        records.Parameters.AddWithValue("mirror", mirrorId);
        records.Parameters.AddWithValue("run", run);
        return (holds, await PostgresRunStore.ReadAll(records, r => new RecordPlace(r.GetInt32(0), r.GetString(1)), cancellation));
    }

    /// <summary>Leaves held records out for good: nothing more is written of them, and what is planned for them is dropped.</summary>
    /// <returns>How many were held still.</returns>
    public async Task<int> LeaveOut(IReadOnlyCollection<long> holds, string why, string who, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with chosen as (
                select * from hold where id = any(@ids) and set_aside_by_undo_of is null
            ), freed as (
                delete from hold h using chosen c where h.mirror_id = c.mirror_id and (h.id = c.id or h.link_id = c.link_id or (c.link_id is null and h.link_id is null and h.side = c.side and h.record_id = c.record_id))
                    and h.set_aside_by_undo_of is null
            ), kept as (
                insert into left_out (mirror_id, link_id, side, record_id, title, reason, why, who, at)
                select distinct on (mirror_id, coalesce(link_id::text, side || '/' || record_id)) mirror_id, link_id, side, record_id, title, reason, @why, @who, @now from chosen
                returning mirror_id, link_id, side, record_id
            ), told as (
                insert into journal (mirror_id, link_id, at, kind, side, why, who) select mirror_id, link_id, @now, 'Decided', side, 'left out for good: ' || @why, @who from kept where link_id is not null
            ), dropped as (
                update delivery d set state = 'superseded', ended_at = @now from kept k where d.mirror_id = k.mirror_id and d.link_id = k.link_id and d.state in ('planned', 'refused')
            ), alone as (
                -- It is like nothing any more, and found by no key.
                update system_record r set waiting = false, match_keys = '{}', evidence_due = true from kept k where k.link_id is null and r.mirror_id = k.mirror_id and r.side = k.side and r.id = k.record_id
            )
            select count(*)::int, pg_notify('upright', 'decided') from kept
            """);
        command.Parameters.AddWithValue("ids", holds.ToArray());
        command.Parameters.AddWithValue("why", why);
        command.Parameters.AddWithValue("who", who);
        command.Parameters.AddWithValue("now", clock.GetUtcNow());
        return (int)(await command.ExecuteScalarAsync(cancellation))!;
    }

    /// <summary>Takes a record in again: the next run looks at it.</summary>
    /// <returns>False when it is not left out.</returns>
    public async Task<bool> TakeIn(long id, string who, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with taken as (
                delete from left_out where id = @id returning mirror_id, link_id, side, record_id
            ), told as (
                insert into journal (mirror_id, link_id, at, kind, side, why, who) select mirror_id, link_id, @now, 'Decided', side, 'taken in again', @who from taken where link_id is not null
            ), record as (
                update system_record r set waiting = true, evidence_due = true from taken t where t.link_id is null and r.mirror_id = t.mirror_id and r.side = t.side and r.id = t.record_id
            ), linked as (
                update link l set waiting = true from taken t where l.mirror_id = t.mirror_id and l.id = t.link_id
            )
            select count(*)::int, pg_notify('upright', 'decided') from taken
            """);
        command.Parameters.AddWithValue("id", id);
        command.Parameters.AddWithValue("who", who);
        command.Parameters.AddWithValue("now", clock.GetUtcNow());
        return (int)(await command.ExecuteScalarAsync(cancellation))! == 1;
    }

    /// <summary>What is left out, the last first.</summary>
    public async Task<IReadOnlyList<LeftOutView>> LeftOut(int count, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select id, mirror_id, link_id, side, record_id, title, reason, why, who, at from left_out order by at desc, id desc limit @count");
        command.Parameters.AddWithValue("count", count);
        return await PostgresRunStore.ReadAll(command, r => new LeftOutView(
            r.GetInt64(0), r.GetInt32(1), r.IsDBNull(2) ? null : r.GetGuid(2), r.GetInt32(3), r.GetString(4), r.GetString(5), r.GetString(6), r.GetString(7), r.GetString(8), r.GetFieldValue<DateTimeOffset>(9)), cancellation);
    }
}
