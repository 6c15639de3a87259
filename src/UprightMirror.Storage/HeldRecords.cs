using Npgsql;

namespace UprightMirror.Storage;

/// <summary>A record that a person left out for good.</summary>
/// <param name="Reason">What it was held for.</param>
/// <param name="Why">Why it is left out, in the person's words.</param>
public sealed record LeftOutView(long Id, int MirrorId, Guid? Link, int Side, string RecordId, string Title, string Reason, string Why, string Who, DateTimeOffset At);

/// <summary>What people do with records that are held: let them be tried again, or leave them out for good.</summary>
public sealed class HeldRecords(NpgsqlDataSource database, TimeProvider clock)
{
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
