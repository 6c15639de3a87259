using System.Collections.Immutable;
using System.Text.Json;
using System.Text.Json.Nodes;
using Npgsql;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage;

/// <summary>A code list that mirrors share.</summary>
public sealed record KeptCodeList(string Name, CodeTable Table, string ChangedBy, DateTimeOffset ChangedAt);

/// <summary>The code lists that mirrors share.</summary>
public sealed class CodeLists(NpgsqlDataSource database)
{
    public async Task<IReadOnlyList<KeptCodeList>> All(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select name, content, changed_by, changed_at from code_list order by lower(name)");
        return await PostgresRunStore.ReadAll(command, r => new KeptCodeList(r.GetString(0), Read(r.GetString(1)), r.GetString(2), r.GetFieldValue<DateTimeOffset>(3)), cancellation);
    }

    /// <summary>The lists by name, in the form that definitions read.</summary>
    public async Task<ImmutableDictionary<string, CodeTable>> ByName(CancellationToken cancellation) =>
        (await this.All(cancellation)).ToImmutableDictionary(l => l.Name, l => l.Table, StringComparer.OrdinalIgnoreCase);

    /// <summary>Keeps a list, new or changed. The records of the mirrors named are looked at again by their next run.</summary>
    public async Task Save(KeptCodeList list, IReadOnlyCollection<int> mirrors, CancellationToken cancellation)
    {
        await using var connection = await database.OpenConnectionAsync(cancellation);
        await using var transaction = await connection.BeginTransactionAsync(cancellation);
        await using (var save = new NpgsqlCommand("""
            insert into code_list (name, content, changed_by, changed_at) values (@name, @content::jsonb, @who, @at)
            on conflict (lower(name)) do update set content = excluded.content, changed_by = excluded.changed_by, changed_at = excluded.changed_at
            """, connection, transaction))
        {
            save.Parameters.AddWithValue("name", list.Name);
            save.Parameters.AddWithValue("content", Write(list.Table).ToJsonString());
            save.Parameters.AddWithValue("who", list.ChangedBy);
            save.Parameters.AddWithValue("at", list.ChangedAt);
            await save.ExecuteNonQueryAsync(cancellation);
        }

        await using (var again = new NpgsqlCommand("""
            update link set waiting = true where mirror_id = any(@mirrors);
            update system_record set waiting = true where mirror_id = any(@mirrors) and link_id is null
            """, connection, transaction))
        {
            again.Parameters.AddWithValue("mirrors", mirrors.ToArray());
            await again.ExecuteNonQueryAsync(cancellation);
        }

        await transaction.CommitAsync(cancellation);
    }

    public async Task Remove(string name, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("delete from code_list where lower(name) = lower(@name)");
        command.Parameters.AddWithValue("name", name);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>A list as JSON: <c>{"codes": [["GBR", "GB"]], "unknownToAgreed": {"kind": "pass"}}</c>. Holding unknown codes is not written.</summary>
    internal static JsonObject Write(CodeTable table)
    {
        var json = new JsonObject { ["codes"] = new JsonArray([.. table.Codes.Select(c => (JsonNode?)new JsonArray(c.Code, c.Agreed))]) };
        Add("unknownToAgreed", table.UnknownToAgreed);
        Add("unknownToSide", table.UnknownToSide);
        return json;

        void Add(string name, UnknownCode unknown)
        {
            if (unknown.Kind != UnknownCodes.Hold)
            {
                json[name] = new JsonObject { ["kind"] = unknown.Kind.ToString().ToLowerInvariant(), ["stand"] = unknown.Stand };
            }
        }
    }

    /// <exception cref="JsonException">It is none.</exception>
    internal static CodeTable Read(JsonElement json)
    {
        return new CodeTable([.. json.GetProperty("codes").EnumerateArray().Select(c => (c[0].GetString()!, c[1].GetString()!))], Unknown("unknownToAgreed"), Unknown("unknownToSide"));

        UnknownCode Unknown(string name) => !json.TryGetProperty(name, out var unknown) ? UnknownCode.Hold
            : Enum.TryParse<UnknownCodes>(unknown.GetProperty("kind").GetString(), ignoreCase: true, out var kind) ? new UnknownCode(kind, unknown.TryGetProperty("stand", out var stand) ? stand.GetString() : null)
            : throw new JsonException($"There is no way with unknown codes called {unknown.GetProperty("kind")}.");
    }

    private static CodeTable Read(string json)
    {
        using var document = JsonDocument.Parse(json);
        return Read(document.RootElement);
    }
}
