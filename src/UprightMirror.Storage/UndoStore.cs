using System.Collections.Immutable;
using System.Text.Json;
using Npgsql;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage;

/// <summary>What runs did, and the undo of it, in PostgreSQL, on one connection and in one transaction.</summary>
public sealed class UndoStore : IUndoStore, IAsyncDisposable
{
    private readonly NpgsqlConnection connection;
    private readonly NpgsqlTransaction transaction;
    private readonly int mirrorId;
    private readonly StoredForms forms;
    private readonly TimeProvider clock;

    private UndoStore(NpgsqlConnection connection, NpgsqlTransaction transaction, int mirrorId, MirrorDefinition mirror, TimeProvider clock)
    {
        this.connection = connection;
        this.transaction = transaction;
        this.mirrorId = mirrorId;
        this.forms = new StoredForms(mirror);
        this.clock = clock;
    }

    public static async Task<UndoStore> Open(NpgsqlDataSource database, int mirrorId, MirrorDefinition mirror, TimeProvider clock, CancellationToken cancellation)
    {
        var connection = await database.OpenConnectionAsync(cancellation);
        return new UndoStore(connection, await connection.BeginTransactionAsync(cancellation), mirrorId, mirror, clock);
    }

    public async ValueTask DisposeAsync()
    {
        await this.transaction.DisposeAsync();
        await this.connection.DisposeAsync();
    }

    public Task<bool> KeepOut(CancellationToken cancellation) => MirrorLock.KeepOut(this.connection, this.mirrorId, this.clock, cancellation);

    public async Task<IReadOnlyList<DoneByRun>> ReadDone(long run, Guid? only, Guid after, int count, CancellationToken cancellation)
    {
        await using var touched = this.Command("""
            select distinct link_id from journal where mirror_id = @mirror and run_id = @run and kind in ('Written', 'Created', 'Removed') and link_id > @after and (@only::uuid is null or link_id = @only)
            order by link_id limit @count
            """);
        touched.Parameters.AddWithValue("run", run);
        touched.Parameters.AddWithValue("after", after);
        touched.Parameters.AddWithValue("count", count);
        touched.Parameters.AddWithValue("only", NpgsqlTypes.NpgsqlDbType.Uuid, (object?)only ?? DBNull.Value);
        var links = (await PostgresRunStore.ReadAll(touched, r => r.GetGuid(0), cancellation)).ToArray();
        if (links.Length == 0)
        {
            return [];
        }

        await using var entries = this.Command("""
            select link_id, kind, side, field, before, after from journal
            where mirror_id = @mirror and run_id = @run and link_id = any(@links) and kind in ('Written', 'Created', 'Removed') order by id
            """);
        entries.Parameters.AddWithValue("run", run);
        entries.Parameters.AddWithValue("links", links);
        var written = (await PostgresRunStore.ReadAll(entries, r => (Link: r.GetGuid(0), Written: new WrittenByRun(
            r.GetString(1) switch { "Created" => WriteKind.Create, "Removed" => WriteKind.Remove, _ => WriteKind.Change },
            r.GetInt32(2), r.IsDBNull(3) ? null : r.GetString(3),
            r.IsDBNull(3) || r.IsDBNull(4) ? Value.Empty : StoredForms.ReadRawValue(r.GetString(4)), r.IsDBNull(3) || r.IsDBNull(5) ? Value.Empty : StoredForms.ReadRawValue(r.GetString(5)))), cancellation)).ToLookup(w => w.Link, w => w.Written);

        await using var creations = this.Command("select distinct on (link_id, side) link_id, side, stored from delivery where mirror_id = @mirror and link_id = any(@links) and kind = 'Create' and stored is not null order by link_id, side, id desc");
        creations.Parameters.AddWithValue("links", links);
        var stored = (await PostgresRunStore.ReadAll(creations, r => (Link: r.GetGuid(0), Side: r.GetInt32(1), Raw: StoredForms.ReadRaw(r.GetString(2))), cancellation)).ToDictionary(c => (c.Link, c.Side), c => c.Raw);

        // What was planned by an earlier run, and written by this one, goes back to what that one found.
        await using var remembered = this.Command("""
            select distinct on (link_id) link_id, run_id, at, agreed, sides from run_memory where mirror_id = @mirror and link_id = any(@links) and run_id <= @run order by link_id, run_id desc
            """);
        remembered.Parameters.AddWithValue("run", run);
        remembered.Parameters.AddWithValue("links", links);
        var memories = (await PostgresRunStore.ReadAll(remembered, r => (Link: r.GetGuid(0), Memory: new RecordMemory(
            r.GetInt64(1), r.GetFieldValue<DateTimeOffset>(2), this.forms.ReadAgreedBefore(r.GetString(3)), StoredForms.ReadSidesBefore(r.GetString(4)))), cancellation)).ToDictionary(m => m.Link, m => m.Memory);

        var now = (await LinkedRecords.Read(this.connection, this.mirrorId, this.forms, links, cancellation)).ToDictionary(l => l.Link);
        return [.. links.Select(l => new DoneByRun(l, TitleOf(l), now.GetValueOrDefault(l), memories.GetValueOrDefault(l), [.. written[l].Select(w => w.Kind == WriteKind.Create ? w with { Stored = stored.GetValueOrDefault((l, w.Side)) } : w)]))];

        string TitleOf(Guid link) => now.TryGetValue(link, out var known) ? known.Title
            : memories.GetValueOrDefault(link)?.Agreed.Values.FirstOrDefault(a => a is { Value.IsEmpty: false })?.Value.Display ?? link.ToString("N");
    }

    public async Task SaveUndone(long run, IReadOnlyList<RunUndone> records, bool whole, string who, CancellationToken cancellation)
    {
        var now = this.clock.GetUtcNow();
        if (whole)
        {
            await using var mark = this.Command("update run set undone_by = @who, undone_at = @now where mirror_id = @mirror and id = @run");
            mark.Parameters.AddWithValue("who", who);
            mark.Parameters.AddWithValue("now", now);
            mark.Parameters.AddWithValue("run", run);
            await mark.ExecuteNonQueryAsync(cancellation);
        }

        foreach (var chunk in records.Chunk(200))
        {
            await using var batch = new NpgsqlBatch(this.connection, this.transaction);
            foreach (var command in chunk.SelectMany(r => this.CommandsOf(run, r, now)))
            {
                batch.BatchCommands.Add(command);
            }

            await batch.ExecuteNonQueryAsync(cancellation);
        }

        await using (var tell = new NpgsqlCommand("select pg_notify('upright', 'decided')", this.connection, this.transaction))
        {
            await tell.ExecuteNonQueryAsync(cancellation);
        }

        await this.transaction.CommitAsync(cancellation);
    }

    private IEnumerable<NpgsqlBatchCommand> CommandsOf(long run, RunUndone record, DateTimeOffset now)
    {
        var agreed = record.Agreed?.Where(a => a.Value is not null).ToDictionary(a => a.Key, a => a.Value!) ?? [];
        if (record.Agreed is not null)
        {
            // What was removed everywhere is linked again.
            yield return this.Batched("insert into link (mirror_id, id, title, waiting) values (@mirror, @link, @title, true) on conflict (mirror_id, id) do nothing", ("link", record.Link), ("title", record.Title));
        }

        yield return record.Agreed is null
            ? this.Batched("update link set waiting = true, changed_at = @now, agreed = '{}' where mirror_id = @mirror and id = @link", ("now", now), ("link", record.Link))
            : this.Batched("update link set waiting = true, changed_at = @now, agreed = (agreed - @fields) || @agreed::jsonb where mirror_id = @mirror and id = @link",
                ("now", now), ("link", record.Link), ("fields", record.Agreed.Keys.ToArray()), ("agreed", PostgresRunStore.AgreedJson(agreed)));
        foreach (var missing in record.Missing)
        {
            yield return this.Batched("""
                insert into system_record (mirror_id, side, id, link_id, raw, shadow, waiting, seen_at) values (@mirror, @side, @id, @link, null, '{}', false, @now) on conflict (mirror_id, side, id) do nothing
                """, ("side", missing.Side), ("id", missing.Id), ("link", record.Link), ("now", now));
        }

        foreach (var side in record.Sides.Concat(record.Missing))
        {
            yield return this.Batched("""
                update system_record set shadow = @shadow::jsonb, told = @told::jsonb, owed = @owed, unmet = @unmet where mirror_id = @mirror and side = @side and id = @id
                """, ("side", side.Side), ("id", side.Id), ("shadow", side.Shadow is null ? null : StoredForms.Write(side.Shadow)), ("told", StoredForms.Write(side.Told)), ("owed", side.Owed.ToArray()), ("unmet", side.Unmet.ToArray()));
        }

        // What the run still owed is owed no more; what is remembered of later runs is no more what was before them.
        yield return this.Batched("update delivery set state = 'superseded', ended_at = @now where mirror_id = @mirror and link_id = @link and state in ('planned', 'refused')", ("now", now), ("link", record.Link));
        yield return this.Batched("delete from run_memory where mirror_id = @mirror and link_id = @link and run_id >= @run", ("link", record.Link), ("run", run));
        foreach (var delivery in record.PutBack)
        {
            yield return PostgresRunStore.AsideCommand(this.mirrorId, delivery, now);
        }

        foreach (var entry in record.Journal)
        {
            yield return PostgresRunStore.JournalCommand(this.mirrorId, null, now, entry);
        }

        yield return this.Batched("delete from hold where mirror_id = @mirror and link_id = @link", ("link", record.Link));
        yield return this.Batched("""
            insert into hold (mirror_id, link_id, side, record_id, title, reason, since, set_aside_by_undo_of) values (@mirror, @link, @side, @id, @title, @reason, @now, @run)
            """, ("link", record.Link), ("side", record.Hold.Side), ("id", record.Hold.RecordId), ("title", record.Title), ("reason", record.Hold.Reason), ("now", now), ("run", run));
    }

    private NpgsqlBatchCommand Batched(string sql, params (string Name, object? Value)[] parameters) => PostgresRunStore.Bound(new NpgsqlBatchCommand(sql), this.mirrorId, parameters);

    private NpgsqlCommand Command(string sql)
    {
        var command = new NpgsqlCommand(sql, this.connection, this.transaction);
        command.Parameters.AddWithValue("mirror", this.mirrorId);
        return command;
    }
}
