using Npgsql;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Storage;

/// <summary>A linked record with all that may explain why a side does not hold what is agreed.</summary>
/// <param name="Holds">What holds it: the side it is about, the field where it is about one, and in words that it is held or left out, and why.</param>
/// <param name="Pending">Writes that are planned, were never answered, or were refused: the side, the state, and the agreed fields.</param>
public sealed record ComparedRecord(
    LinkedRecord Record, IReadOnlyList<(int Side, string? Field, string Reason)> Holds, IReadOnlyList<(int Side, string State, IReadOnlyList<string> Fields)> Pending);

/// <summary>A record that belongs to no link, and why.</summary>
/// <param name="Why">Null when nothing that is remembered explains it.</param>
public sealed record UnlinkedRecord(int Side, string Id, string? Why);

/// <summary>Reads what is remembered of a mirror for comparing it with what its systems hold.</summary>
public sealed class Comparisons(NpgsqlDataSource database, int mirrorId, MirrorDefinition mirror)
{
    private readonly StoredForms forms = new(mirror);

    /// <summary>Linked records in the order of their links, after the one given.</summary>
    public async Task<IReadOnlyList<ComparedRecord>> Read(Guid after, int count, CancellationToken cancellation)
    {
        await using var connection = await database.OpenConnectionAsync(cancellation);
        await using var next = Command(connection, "select id from link where mirror_id = @mirror and id > @after order by id limit @count");
        next.Parameters.AddWithValue("after", after);
        next.Parameters.AddWithValue("count", count);
        var ids = await PostgresRunStore.ReadAll(next, r => r.GetGuid(0), cancellation);
        await using var held = Command(connection, """
            select link_id, side, field, 'held: ' || reason from hold where mirror_id = @mirror and link_id = any(@ids)
            union all select link_id, side, null, 'left out by ' || who || ': ' || why from left_out where mirror_id = @mirror and link_id = any(@ids)
            """);
        held.Parameters.AddWithValue("ids", ids.ToArray());
        var holds = (await PostgresRunStore.ReadAll(held, r => (Link: r.GetGuid(0), Hold: (r.GetInt32(1), r.IsDBNull(2) ? null : r.GetString(2), r.GetString(3))), cancellation)).ToLookup(h => h.Link, h => h.Hold);
        await using var owed = Command(connection, "select link_id, side, state, fields from delivery where mirror_id = @mirror and link_id = any(@ids) and state in ('planned', 'sent', 'refused')");
        owed.Parameters.AddWithValue("ids", ids.ToArray());
        var pending = (await PostgresRunStore.ReadAll(owed, r => (Link: r.GetGuid(0), Pending: (r.GetInt32(1), r.GetString(2), (IReadOnlyList<string>)[.. this.forms.ReadDelivered(r.GetString(3)).Select(f => f.Field)])), cancellation)).ToLookup(p => p.Link, p => p.Pending);
        return [.. (await LinkedRecords.Read(connection, mirrorId, this.forms, ids, cancellation)).Select(l => new ComparedRecord(l, [.. holds[l.Link]], [.. pending[l.Link]]))];
    }

    /// <summary>Every record that belongs to no link.</summary>
    public async Task<IReadOnlyList<UnlinkedRecord>> ReadUnlinked(CancellationToken cancellation)
    {
        await using var connection = await database.OpenConnectionAsync(cancellation);
        await using var command = Command(connection, """
            select r.side, r.id, case
                when r.double_of is not null then 'it was entered twice: ' || r.double_of || ' is the one that is kept'
                when h.reason is not null then 'held: ' || h.reason
                when o.why is not null then 'left out by ' || o.who || ': ' || o.why
                when exists (select from look_alike a where a.mirror_id = r.mirror_id and a.state = 'open' and ((a.side_a = r.side and a.id_a = r.id) or (a.side_b = r.side and a.id_b = r.id))) then 'a person is asked whether it is the same as another'
                when r.waiting then 'it waits for the next run' end
            from system_record r left join lateral (select reason from hold h where h.mirror_id = r.mirror_id and h.side = r.side and h.record_id = r.id and h.link_id is null limit 1) h on true
                left join lateral (select who, why from left_out o where o.mirror_id = r.mirror_id and o.side = r.side and o.record_id = r.id and o.link_id is null limit 1) o on true
            where r.mirror_id = @mirror and r.link_id is null order by r.side, r.id
            """);
        return await PostgresRunStore.ReadAll(command, r => new UnlinkedRecord(r.GetInt32(0), r.GetString(1), r.IsDBNull(2) ? null : r.GetString(2)), cancellation);
    }

    private NpgsqlCommand Command(NpgsqlConnection connection, string sql)
    {
        var command = new NpgsqlCommand(sql, connection);
        command.Parameters.AddWithValue("mirror", mirrorId);
        return command;
    }
}
