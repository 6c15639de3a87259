using System.Collections.Immutable;
using System.Text.Json.Nodes;
using Npgsql;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage;

/// <summary>Conflicts and decisions in PostgreSQL.</summary>
public sealed class DecisionStore(NpgsqlDataSource database, int mirrorId, MirrorDefinition mirror, TimeProvider clock) : IDecisionStore
{
    private readonly StoredForms forms = new(mirror);

    public async Task<ConflictToDecide?> ReadOpenConflict(long conflict, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select id, link_id, fields, competing, revision, changed from conflict where mirror_id = @mirror and id = @id and state = 'open'");
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("id", conflict);
        return (await PostgresRunStore.ReadAll(command, r =>
        {
            ImmutableArray<string> fields = [.. r.GetFieldValue<string[]>(2)];
            return new ConflictToDecide(r.GetInt64(0), r.GetGuid(1), fields, this.forms.ReadCompeting(r.GetString(3), fields), r.GetInt32(4)) { ChangedAt = StoredForms.ReadTimes(r.GetString(5)) };
        }, cancellation)).SingleOrDefault();
    }

    public async Task<LinkedRecord?> ReadLinked(Guid link, CancellationToken cancellation)
    {
        await using var connection = await database.OpenConnectionAsync(cancellation);
        return (await LinkedRecords.Read(connection, mirrorId, this.forms, [link], cancellation)).SingleOrDefault();
    }

    public async Task<bool> SaveDecided(Decided decided, CancellationToken cancellation)
    {
        var now = clock.GetUtcNow();
        await using var connection = await database.OpenConnectionAsync(cancellation);
        await using var transaction = await connection.BeginTransactionAsync(cancellation);
        await using var close = new NpgsqlCommand(decided.ByHand.IsEmpty ? """
            update conflict set state = 'decided', decided_by = @who, decided_at = @now, decision = @what, chosen = @chosen::jsonb, before = @before::jsonb, memory = @memory::jsonb, comment = @comment
            where mirror_id = @mirror and id = @id and state = 'open' and revision = @revision
            """ : """
            insert into conflict (mirror_id, link_id, fields, competing, why, revision, state, opened_at, decided_by, decided_at, decision, chosen, before, memory, comment)
            select @mirror, @link, @fields, '{}', @what, @revision, 'decided', @now, @who, @now, @what, @chosen::jsonb, @before::jsonb, @memory::jsonb, @comment
            where not exists (select from conflict o where o.mirror_id = @mirror and o.link_id = @link and o.state = 'open' and o.fields && @fields)
            """, connection, transaction);
        close.Parameters.AddWithValue("link", decided.Link);
        close.Parameters.AddWithValue("fields", decided.ByHand.ToArray());
        close.Parameters.AddWithValue("mirror", mirrorId);
        close.Parameters.AddWithValue("id", decided.Conflict);
        close.Parameters.AddWithValue("revision", decided.Revision);
        close.Parameters.AddWithValue("who", decided.Who);
        close.Parameters.AddWithValue("what", decided.What);
        close.Parameters.AddWithValue("now", now);
        close.Parameters.Add(Json("chosen", decided.Chosen is { } chosen ? StoredForms.Write(chosen) : null));
        close.Parameters.Add(Json("before", StoredForms.Write(decided.Before)));
        close.Parameters.Add(Json("memory", StoredForms.Write(decided.Memory)));
        close.Parameters.Add(Json("comment", decided.Comment));
        if (await close.ExecuteNonQueryAsync(cancellation) == 0)
        {
            return false;
        }

        await using var batch = new NpgsqlBatch(connection, transaction);
        var removals = new JsonObject(decided.RemovalDecisions.Select(r => KeyValuePair.Create(r.Key.ToString(System.Globalization.CultureInfo.InvariantCulture), (JsonNode?)r.Value.ToString())));
        batch.BatchCommands.Add(PostgresRunStore.Bound(
            new NpgsqlBatchCommand("update link set waiting = true, changed_at = @now, agreed = agreed || @agreed::jsonb, removal_decisions = removal_decisions || @removals::jsonb where mirror_id = @mirror and id = @link"),
            mirrorId, ("now", now), ("link", decided.Link), ("agreed", PostgresRunStore.AgreedJson(decided.Agreed)), ("removals", removals.ToJsonString())));
        foreach (var side in decided.Sides)
        {
            batch.BatchCommands.Add(PostgresRunStore.SideCommand(mirrorId, side));
        }

        foreach (var entry in decided.Journal)
        {
            batch.BatchCommands.Add(PostgresRunStore.JournalCommand(mirrorId, null, now, entry));
        }

        await batch.ExecuteNonQueryAsync(cancellation);
        await using (var tell = new NpgsqlCommand("select pg_notify('upright', 'decided')", connection, transaction))
        {
            await tell.ExecuteNonQueryAsync(cancellation);
        }

        await transaction.CommitAsync(cancellation);
        return true;
    }

    public async Task<DecidedConflict?> ReadDecided(long conflict, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select id, link_id, fields, competing, before, memory, decided_by, decision from conflict where mirror_id = @mirror and id = @id and state = 'decided' and chosen is not null and memory is not null");
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("id", conflict);
        return (await PostgresRunStore.ReadAll(command, r =>
        {
            ImmutableArray<string> fields = [.. r.GetFieldValue<string[]>(2)];
            var known = this.forms.ReadAgreedBefore(r.GetString(4));
            return new DecidedConflict(r.GetInt64(0), r.GetGuid(1), fields, this.forms.ReadCompeting(r.GetString(3), fields), fields.ToDictionary(f => f, f => known.GetValueOrDefault(f)), StoredForms.ReadMemory(r.GetString(5)), r.GetString(6), r.GetString(7));
        }, cancellation)).SingleOrDefault();
    }

    public async Task<IReadOnlyDictionary<(int Side, string Field), Value>> ReadWrittenSince(long conflict, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select distinct on (j.side, j.field) j.side, j.field, j.after from conflict c join journal j on j.mirror_id = c.mirror_id and j.link_id = c.link_id and j.kind = 'Written' and j.at >= c.decided_at and j.field = any(c.fields)
            where c.mirror_id = @mirror and c.id = @id order by j.side, j.field, j.id desc
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("id", conflict);
        return (await PostgresRunStore.ReadAll(command, r => (Side: r.GetInt32(0), Field: r.GetString(1), Value: StoredForms.ReadRawValue(r.IsDBNull(2) ? null : r.GetString(2))), cancellation)).ToDictionary(w => (w.Side, w.Field), w => w.Value);
    }

    public async Task<bool> SaveUndone(Undone undone, CancellationToken cancellation)
    {
        var now = clock.GetUtcNow();
        await using var connection = await database.OpenConnectionAsync(cancellation);
        await using var transaction = await connection.BeginTransactionAsync(cancellation);
        await using var reopen = new NpgsqlCommand("""
            -- What a person set by hand was no conflict, and becomes none.
            update conflict c set state = case when competing = '{}' then 'closed' else 'open' end, revision = revision + 1, decided_by = null, decided_at = null, decision = null, chosen = null, before = null, memory = null, comment = null
            where mirror_id = @mirror and id = @id and state = 'decided' and not exists (select from conflict o where o.mirror_id = c.mirror_id and o.link_id = c.link_id and o.state = 'open' and o.fields && c.fields)
            """, connection, transaction);
        reopen.Parameters.AddWithValue("mirror", mirrorId);
        reopen.Parameters.AddWithValue("id", undone.Conflict);
        if (await reopen.ExecuteNonQueryAsync(cancellation) == 0)
        {
            return false;
        }

        await using var batch = new NpgsqlBatch(connection, transaction);
        batch.BatchCommands.Add(PostgresRunStore.Bound(
            new NpgsqlBatchCommand("update link set waiting = true, changed_at = @now, agreed = (agreed - @fields) || @agreed::jsonb where mirror_id = @mirror and id = @link"),
            mirrorId, ("now", now), ("link", undone.Link), ("fields", undone.Agreed.Keys.ToArray()), ("agreed", PostgresRunStore.AgreedJson(undone.Agreed.Where(a => a.Value is not null).ToDictionary(a => a.Key, a => a.Value!)))));

        // What the decision still owed is owed no more.
        batch.BatchCommands.Add(PostgresRunStore.Bound(
            new NpgsqlBatchCommand("update delivery set state = 'superseded', ended_at = @now where mirror_id = @mirror and link_id = @link and state in ('planned', 'refused')"), mirrorId, ("now", now), ("link", undone.Link)));
        foreach (var side in undone.Sides)
        {
            batch.BatchCommands.Add(PostgresRunStore.SideCommand(mirrorId, side));
        }

        foreach (var delivery in undone.PutBack)
        {
            batch.BatchCommands.Add(PostgresRunStore.AsideCommand(mirrorId, delivery, now));
        }

        foreach (var entry in undone.Journal)
        {
            batch.BatchCommands.Add(PostgresRunStore.JournalCommand(mirrorId, null, now, entry));
        }

        batch.BatchCommands.Add(new NpgsqlBatchCommand("select pg_notify('upright', 'decided')"));
        await batch.ExecuteNonQueryAsync(cancellation);
        await transaction.CommitAsync(cancellation);
        return true;
    }

    public async Task<IReadOnlyList<(long Id, string Title, PastConflict Conflict, string Who, DateTimeOffset At)>> ReadPast(ImmutableArray<string> fields, int most, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select c.id, coalesce(l.title, ''), c.competing, c.changed, c.before, c.chosen, c.decided_by, c.decided_at
            from conflict c left join link l on l.mirror_id = c.mirror_id and l.id = c.link_id
            where c.mirror_id = @mirror and c.fields = @fields and c.state = 'decided' and c.chosen is not null order by c.decided_at desc, c.id desc limit @most
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("fields", fields.ToArray());
        command.Parameters.AddWithValue("most", most);
        return await PostgresRunStore.ReadAll(command, r =>
        {
            var times = StoredForms.ReadTimes(r.GetString(3));
            var known = this.forms.ReadAgreedBefore(r.GetString(4));
            ImmutableArray<Candidate> candidates = [.. this.forms.ReadCompeting(r.GetString(2), fields).Where(c => c.Value is not null).Select(c => new Candidate(c.Key, c.Value!.Value, times.TryGetValue(c.Key, out var at) ? at : null))];
            return (r.GetInt64(0), r.GetString(1), new PastConflict(candidates, [.. fields.Select(f => known.GetValueOrDefault(f)?.Value ?? Value.Empty)], this.forms.ReadValues(r.GetString(5), fields)), r.GetString(6), r.GetFieldValue<DateTimeOffset>(7));
        }, cancellation);
    }

    private static NpgsqlParameter Json(string name, string? text) => new(name, NpgsqlTypes.NpgsqlDbType.Text) { Value = (object?)text ?? DBNull.Value };
}
