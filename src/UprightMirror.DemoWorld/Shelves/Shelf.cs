using System.Collections.Immutable;
using System.Text.Json;
using Npgsql;
using NpgsqlTypes;

namespace UprightMirror.DemoWorld.Shelves;

/// <summary>One record of a simulated system as it stands.</summary>
public sealed record Row<T>(string Id, T Body, int Version, DateTimeOffset ChangedAt, string ChangedBy);

/// <summary>Something happened to a record.</summary>
/// <param name="Kind">created, changed or removed.</param>
public sealed record Happened(string Shelf, string Id, string Kind, DateTimeOffset At);

/// <summary>A record that is not there any more.</summary>
public sealed record Removed(string Id, DateTimeOffset At);

/// <summary>Where all the systems keep their records: in PostgreSQL, so that a restart keeps what people did.</summary>
public sealed class ShelfStore(NpgsqlDataSource database)
{
    /// <summary>Told of every record that was kept one by one; not of those that stocked a shelf.</summary>
    public event Action<Happened>? Happened;

    private const string Tables = """
        create table if not exists record (
            shelf text not null,
            id text not null,
            body jsonb not null,
            version int not null,
            changed_at timestamptz not null,
            changed_by text not null,
            removed_at timestamptz,
            primary key (shelf, id)
        );
        create table if not exists counter (shelf text primary key, last bigint not null);
        """;

    public async Task MakeTables(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand(Tables);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<bool> IsEmpty(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select not exists (select from record)");
        return (bool)(await command.ExecuteScalarAsync(cancellation))!;
    }

    internal async Task<(List<(string Id, string Body, int Version, DateTimeOffset At, string By, DateTimeOffset? Removed)> Rows, long Counter)> Load(string shelf, CancellationToken cancellation)
    {
        var rows = new List<(string, string, int, DateTimeOffset, string, DateTimeOffset?)>();
        await using (var command = database.CreateCommand("select id, body, version, changed_at, changed_by, removed_at from record where shelf = @shelf"))
        {
            command.Parameters.AddWithValue("shelf", shelf);
            await using var reader = await command.ExecuteReaderAsync(cancellation);
            while (await reader.ReadAsync(cancellation))
            {
                rows.Add((reader.GetString(0), reader.GetString(1), reader.GetInt32(2), reader.GetFieldValue<DateTimeOffset>(3), reader.GetString(4), reader.IsDBNull(5) ? null : reader.GetFieldValue<DateTimeOffset>(5)));
            }
        }

        await using var counter = database.CreateCommand("select last from counter where shelf = @shelf");
        counter.Parameters.AddWithValue("shelf", shelf);
        return (rows, await counter.ExecuteScalarAsync(cancellation) as long? ?? 0);
    }

    internal void Save(string shelf, string id, string body, int version, DateTimeOffset at, string by, DateTimeOffset? removed, long counter)
    {
        using var connection = database.OpenConnection();
        using var batch = new NpgsqlBatch(connection);
        var record = new NpgsqlBatchCommand("""
            insert into record (shelf, id, body, version, changed_at, changed_by, removed_at) values (@shelf, @id, @body::jsonb, @version, @at, @by, @removed)
            on conflict (shelf, id) do update set body = excluded.body, version = excluded.version, changed_at = excluded.changed_at, changed_by = excluded.changed_by, removed_at = excluded.removed_at
            """);
        record.Parameters.AddWithValue("shelf", shelf);
        record.Parameters.AddWithValue("id", id);
        record.Parameters.AddWithValue("body", body);
        record.Parameters.AddWithValue("version", version);
        record.Parameters.AddWithValue("at", at.ToUniversalTime());
        record.Parameters.AddWithValue("by", by);
        record.Parameters.AddWithValue("removed", NpgsqlDbType.TimestampTz, (object?)removed?.ToUniversalTime() ?? DBNull.Value);
        batch.BatchCommands.Add(record);
        var count = new NpgsqlBatchCommand("insert into counter (shelf, last) values (@shelf, @last) on conflict (shelf) do update set last = greatest(counter.last, excluded.last)");
        count.Parameters.AddWithValue("shelf", shelf);
        count.Parameters.AddWithValue("last", counter);
        batch.BatchCommands.Add(count);
        batch.ExecuteNonQuery();
        this.Happened?.Invoke(new Happened(shelf, id, removed is not null ? "removed" : version == 1 ? "created" : "changed", at));
    }

    internal async Task SaveAll(string shelf, IEnumerable<(string Id, string Body, DateTimeOffset At, string By)> rows, long counter, CancellationToken cancellation)
    {
        await using var connection = await database.OpenConnectionAsync(cancellation);
        await using (var write = await connection.BeginBinaryImportAsync("copy record (shelf, id, body, version, changed_at, changed_by) from stdin (format binary)", cancellation))
        {
            foreach (var (id, body, at, by) in rows)
            {
                await write.StartRowAsync(cancellation);
                await write.WriteAsync(shelf, NpgsqlDbType.Text, cancellation);
                await write.WriteAsync(id, NpgsqlDbType.Text, cancellation);
                await write.WriteAsync(body, NpgsqlDbType.Jsonb, cancellation);
                await write.WriteAsync(1, NpgsqlDbType.Integer, cancellation);
                await write.WriteAsync(at.ToUniversalTime(), NpgsqlDbType.TimestampTz, cancellation);
                await write.WriteAsync(by, NpgsqlDbType.Text, cancellation);
            }

            await write.CompleteAsync(cancellation);
        }

        await using var count = new NpgsqlCommand("insert into counter (shelf, last) values (@shelf, @last) on conflict (shelf) do update set last = excluded.last", connection);
        count.Parameters.AddWithValue("shelf", shelf);
        count.Parameters.AddWithValue("last", counter);
        await count.ExecuteNonQueryAsync(cancellation);
    }
}

/// <summary>One collection of one simulated system: in memory for reading, written through to the database.</summary>
/// <param name="name">System and collection: <c>slipway/organisations</c>.</param>
public sealed class Shelf<T>(string name, ShelfStore store)
    where T : notnull
{
    private readonly Lock door = new();
    private ImmutableSortedDictionary<string, Row<T>> rows = ImmutableSortedDictionary.Create<string, Row<T>>(StringComparer.Ordinal);
    private ImmutableArray<Removed> removed = [];
    private long counter;

    public string Name => name;

    public IEnumerable<Row<T>> All => Volatile.Read(ref this.rows).Values;

    public ImmutableArray<Removed> Gone => this.removed;

    public Row<T>? Find(string id) => Volatile.Read(ref this.rows).GetValueOrDefault(id);

    public async Task Load(CancellationToken cancellation)
    {
        var (kept, last) = await store.Load(name, cancellation);
        this.rows = kept.Where(k => k.Removed is null).ToImmutableSortedDictionary(k => k.Id, k => new Row<T>(k.Id, Read(k.Body), k.Version, k.At, k.By), StringComparer.Ordinal);
        this.removed = [.. kept.Where(k => k.Removed is not null).Select(k => new Removed(k.Id, k.Removed!.Value))];
        this.counter = last;
    }

    /// <summary>Puts many records on an empty shelf at once.</summary>
    public async Task Stock(IReadOnlyCollection<(string Id, T Body, DateTimeOffset At, string By)> all, long last, CancellationToken cancellation)
    {
        await store.SaveAll(name, all.Select(a => (a.Id, Write(a.Body), a.At, a.By)), last, cancellation);
        this.rows = all.ToImmutableSortedDictionary(a => a.Id, a => new Row<T>(a.Id, a.Body, 1, a.At, a.By), StringComparer.Ordinal);
        this.counter = last;
    }

    /// <summary>Adds a record under the next number.</summary>
    public Row<T> Add(Func<long, string> idOf, Func<string, T> bodyOf, string by, DateTimeOffset at)
    {
        lock (this.door)
        {
            var id = idOf(++this.counter);
            return this.Put(new Row<T>(id, bodyOf(id), 1, at, by));
        }
    }

    /// <summary>Changes a record. Null when it is not there, or not in this version any more.</summary>
    /// <param name="version">Null for whatever version it is in.</param>
    public Row<T>? Change(string id, int? version, Func<T, T> change, string by, DateTimeOffset at)
    {
        lock (this.door)
        {
            return this.rows.GetValueOrDefault(id) is { } row && (version is null || row.Version == version)
                ? this.Put(row with { Body = change(row.Body), Version = row.Version + 1, ChangedAt = at, ChangedBy = by })
                : null;
        }
    }

    public bool Remove(string id, string by, DateTimeOffset at)
    {
        lock (this.door)
        {
            if (this.rows.GetValueOrDefault(id) is not { } row)
            {
                return false;
            }

            store.Save(name, id, Write(row.Body), row.Version + 1, at, by, at, this.counter);
            this.rows = this.rows.Remove(id);
            this.removed = this.removed.Add(new Removed(id, at));
            return true;
        }
    }

    private Row<T> Put(Row<T> row)
    {
        store.Save(name, row.Id, Write(row.Body), row.Version, row.ChangedAt, row.ChangedBy, null, this.counter);
        this.rows = this.rows.SetItem(row.Id, row);
        return row;
    }

    private static T Read(string json) => JsonSerializer.Deserialize<T>(json)!;

    private static string Write(T body) => JsonSerializer.Serialize(body);
}
