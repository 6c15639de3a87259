using System.Collections.Immutable;
using System.Data.Common;
using System.Text.Json;
using Npgsql;
using NpgsqlTypes;
using UprightMirror.Core.Catalogues;

namespace UprightMirror.Storage;

/// <summary>A catalogue as it was last read.</summary>
/// <param name="ReadAt">When this version was first seen.</param>
/// <param name="LookedAt">When it was last looked at and found to be still so.</param>
public sealed record KeptCatalogue(int Version, DateTimeOffset ReadAt, DateTimeOffset LookedAt, Catalogue Catalogue);

/// <summary>A difference between two versions of a catalogue.</summary>
/// <param name="SeenBy">Who said that it is known; null while nobody did.</param>
public sealed record KeptChange(long Id, string System, int Version, DateTimeOffset At, CatalogueChange Change, string? SeenBy);

/// <summary>What a collection's fields really hold.</summary>
public sealed record KeptProfiles(string Collection, DateTimeOffset LookedAt, int Records, ImmutableArray<FieldProfile> Fields);

/// <summary>A field of any system that a search found.</summary>
public sealed record FoundField(string System, string Collection, CatalogueField Field);

/// <summary>Where catalogues are kept, version by version.</summary>
public interface ICatalogues
{
    Task<KeptCatalogue?> Last(string system, CancellationToken cancellation);

    /// <summary>Keeps what was read. A new version with its changes when anything is different; otherwise the last one was looked at again.</summary>
    /// <returns>The changes; empty when nothing is different, and for the first version.</returns>
    Task<ImmutableArray<CatalogueChange>> Save(string system, Catalogue catalogue, CancellationToken cancellation);

    Task SaveProfiles(string system, KeptProfiles profiles, CancellationToken cancellation);
}

/// <summary>Catalogues in PostgreSQL.</summary>
public sealed class Catalogues(NpgsqlDataSource database, TimeProvider clock) : ICatalogues
{
    private static readonly JsonSerializerOptions Form = new(JsonSerializerDefaults.Web);

    private sealed record CollectionForm(string Name, IReadOnlyList<CatalogueField> Fields, IReadOnlyList<string>? Stamps = null);

    public async Task<KeptCatalogue?> Last(string system, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select version, read_at, looked_at, content from catalogue_version where system = @system order by version desc limit 1");
        command.Parameters.AddWithValue("system", system);
        return (await PostgresRunStore.ReadAll(command, r => new KeptCatalogue(r.GetInt32(0), r.GetFieldValue<DateTimeOffset>(1), r.GetFieldValue<DateTimeOffset>(2), Read(r.GetString(3))), cancellation)).FirstOrDefault();
    }

    /// <summary>How many collections and fields each system has.</summary>
    public async Task<IReadOnlyDictionary<string, (int Collections, int Fields)>> Sizes(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select distinct on (system) system, collections, fields from catalogue_version order by system, version desc");
        return (await PostgresRunStore.ReadAll(command, r => (r.GetString(0), (r.GetInt32(1), r.GetInt32(2))), cancellation)).ToDictionary(s => s.Item1, s => s.Item2);
    }

    public async Task<ImmutableArray<CatalogueChange>> Save(string system, Catalogue catalogue, CancellationToken cancellation)
    {
        var now = clock.GetUtcNow();
        var last = await this.Last(system, cancellation);
        var changes = last is null ? [] : CatalogueChange.Between(last.Catalogue, catalogue);
        await using var connection = await database.OpenConnectionAsync(cancellation);
        await using var transaction = await connection.BeginTransactionAsync(cancellation);
        await using var batch = new NpgsqlBatch(connection, transaction);
        if (last is not null && changes.IsEmpty)
        {
            // Labels may differ without anything being different that counts: the content is kept as it is now.
            Add("update catalogue_version set looked_at = @now, content = @content::jsonb, collections = @collections, fields = @fields where system = @system and version = @version", ("system", system), ("version", last.Version), ("now", now), ("content", Write(catalogue)), ("collections", catalogue.Collections.Length), ("fields", catalogue.Collections.Sum(c => c.Fields.Count)));
        }
        else
        {
            var version = (last?.Version ?? 0) + 1;
            Add("insert into catalogue_version (system, version, read_at, looked_at, content, collections, fields) values (@system, @version, @now, @now, @content::jsonb, @collections, @fields) on conflict do nothing",
                ("system", system), ("version", version), ("now", now), ("content", Write(catalogue)), ("collections", catalogue.Collections.Length), ("fields", catalogue.Collections.Sum(c => c.Fields.Count)));
            foreach (var change in changes)
            {
                Add("insert into catalogue_change (system, version, at, kind, collection, field, before, after) values (@system, @version, @now, @kind, @collection, @field, @before, @after)",
                    ("system", system), ("version", version), ("now", now), ("kind", JsonNamingPolicy.CamelCase.ConvertName(change.Kind.ToString())), ("collection", change.Collection), ("field", change.Path), ("before", change.Before), ("after", change.After));
            }
        }

        Add("select pg_notify('upright', 'systems')");
        await batch.ExecuteNonQueryAsync(cancellation);
        await transaction.CommitAsync(cancellation);
        return changes;

        void Add(string sql, params (string Name, object? Value)[] parameters)
        {
            var command = new NpgsqlBatchCommand(sql);
            foreach (var (name, value) in parameters)
            {
                command.Parameters.Add(value is null ? new NpgsqlParameter(name, NpgsqlDbType.Text) { Value = DBNull.Value } : new NpgsqlParameter(name, value));
            }

            batch.BatchCommands.Add(command);
        }
    }

    public async Task SaveProfiles(string system, KeptProfiles profiles, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            insert into field_profile (system, collection, looked_at, records, content) values (@system, @collection, @at, @records, @content::jsonb)
            on conflict (system, collection) do update set looked_at = excluded.looked_at, records = excluded.records, content = excluded.content
            """);
        command.Parameters.AddWithValue("system", system);
        command.Parameters.AddWithValue("collection", profiles.Collection);
        command.Parameters.AddWithValue("at", profiles.LookedAt);
        command.Parameters.AddWithValue("records", profiles.Records);
        command.Parameters.AddWithValue("content", JsonSerializer.Serialize(profiles.Fields, Form));
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<IReadOnlyList<KeptProfiles>> Profiles(string system, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select collection, looked_at, records, content from field_profile where system = @system");
        command.Parameters.AddWithValue("system", system);
        return await PostgresRunStore.ReadAll(command, r => new KeptProfiles(r.GetString(0), r.GetFieldValue<DateTimeOffset>(1), r.GetInt32(2), [.. JsonSerializer.Deserialize<List<FieldProfile>>(r.GetString(3), Form)!]), cancellation);
    }

    /// <param name="system">Null for every system.</param>
    public async Task<IReadOnlyList<KeptChange>> Changes(string? system, bool unseenOnly, int limit, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select id, system, version, at, kind, collection, field, before, after, seen_by from catalogue_change
            where (@system::text is null or system = @system) and (not @unseen or seen_by is null)
            order by id desc limit @limit
            """);
        command.Parameters.AddWithValue("system", NpgsqlDbType.Text, (object?)system ?? DBNull.Value);
        command.Parameters.AddWithValue("unseen", unseenOnly);
        command.Parameters.AddWithValue("limit", limit);
        string? Text(DbDataReader r, int column) => r.IsDBNull(column) ? null : r.GetString(column);
        return await PostgresRunStore.ReadAll(command, r => new KeptChange(
            r.GetInt64(0), r.GetString(1), r.GetInt32(2), r.GetFieldValue<DateTimeOffset>(3),
            new CatalogueChange(Enum.Parse<CatalogueChangeKind>(r.GetString(4), ignoreCase: true), r.GetString(5), Text(r, 6), Text(r, 7), Text(r, 8)), Text(r, 9)), cancellation);
    }

    /// <summary>Notes that somebody knows of the changes so far.</summary>
    public async Task MarkSeen(string system, string who, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("update catalogue_change set seen_by = @who where system = @system and seen_by is null");
        command.Parameters.AddWithValue("system", system);
        command.Parameters.AddWithValue("who", who);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>Fields of every system whose name, label or collection has all the words.</summary>
    public async Task<IReadOnlyList<FoundField>> Search(string text, int limit, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select v.system, c ->> 'name', f::text
            from (select distinct on (system) system, content from catalogue_version order by system, version desc) v,
                 jsonb_array_elements(v.content) c, jsonb_array_elements(c -> 'fields') f
            where (select bool_and(position(word in lower(concat_ws(' ', v.system, c ->> 'name', f ->> 'path', f ->> 'label'))) > 0) from unnest(@words) word)
            order by length(f ->> 'path'), v.system, c ->> 'name', f ->> 'path'
            limit @limit
            """);
        command.Parameters.AddWithValue("words", text.ToLowerInvariant().Split(' ', StringSplitOptions.RemoveEmptyEntries).Take(8).ToArray());
        command.Parameters.AddWithValue("limit", limit);
        return await PostgresRunStore.ReadAll(command, r => new FoundField(r.GetString(0), r.GetString(1), JsonSerializer.Deserialize<CatalogueField>(r.GetString(2), Form)!), cancellation);
    }

    private static string Write(Catalogue catalogue) =>
        JsonSerializer.Serialize(catalogue.Collections.Select(c => new CollectionForm(c.Name, [.. c.Fields.Values.OrderBy(f => f.Path, StringComparer.Ordinal)], [.. c.Stamps.Order(StringComparer.Ordinal)])), Form);

    private static Catalogue Read(string json) =>
        new([.. JsonSerializer.Deserialize<List<CollectionForm>>(json, Form)!.Select(c => new CatalogueCollection(c.Name, c.Fields.ToImmutableDictionary(f => f.Path)) { Stamps = [.. c.Stamps ?? []] })]);
}
