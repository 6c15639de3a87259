using System.Collections.Immutable;
using System.Text.Json.Nodes;
using Npgsql;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Storage;

/// <summary>Conflicts and decisions in PostgreSQL.</summary>
public sealed class DecisionStore(NpgsqlDataSource database, int mirrorId, MirrorDefinition mirror, TimeProvider clock) : IDecisionStore
{
    private readonly StoredForms forms = new(mirror);

    public async Task<ConflictToDecide?> ReadOpenConflict(long conflict, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select id, link_id, fields, competing, revision from conflict where mirror_id = @mirror and id = @id and state = 'open'");
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("id", conflict);
        return (await PostgresRunStore.ReadAll(command, r =>
        {
            ImmutableArray<string> fields = [.. r.GetFieldValue<string[]>(2)];
            return new ConflictToDecide(r.GetInt64(0), r.GetGuid(1), fields, this.forms.ReadCompeting(r.GetString(3), fields), r.GetInt32(4));
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
        await using var close = new NpgsqlCommand("""
            update conflict set state = 'decided', decided_by = @who, decided_at = @now, decision = @what
            where mirror_id = @mirror and id = @id and state = 'open' and revision = @revision
            """, connection, transaction);
        close.Parameters.AddWithValue("mirror", mirrorId);
        close.Parameters.AddWithValue("id", decided.Conflict);
        close.Parameters.AddWithValue("revision", decided.Revision);
        close.Parameters.AddWithValue("who", decided.Who);
        close.Parameters.AddWithValue("what", decided.What);
        close.Parameters.AddWithValue("now", now);
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
}
