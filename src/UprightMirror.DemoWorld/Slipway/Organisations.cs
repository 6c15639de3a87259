using System.Data.Common;
using System.Text.Json;
using System.Text.Json.Nodes;
using Npgsql;
using NpgsqlTypes;

namespace UprightMirror.DemoWorld.Slipway;

/// <summary>The CRM's one table. It trims text and keeps time to the second, whoever writes.</summary>
public sealed class Organisations(NpgsqlDataSource database, TimeProvider clock)
{
    private const string Columns = "id, name, phone_main, email, website, street, town, postcode, country, segment, tags, payment_terms, vat_number, external_reference, version, created_at, updated_at, updated_by";

    /// <summary>The fields that may be written, by their place in the JSON, with their columns and greatest lengths.</summary>
    private static readonly (string Path, string Column, int Length)[] Writable =
    [
        ("name", "name", 120), ("phoneMain", "phone_main", 40), ("email", "email", 254), ("website", "website", 200), ("address.street", "street", 100), ("address.town", "town", 60),
        ("address.postcode", "postcode", 12), ("address.country", "country", 60), ("segment", "segment", 20), ("paymentTerms", "payment_terms", 30), ("vatNumber", "vat_number", 20),
        ("externalReference", "external_reference", 64),
    ];

    /// <summary>One row as the API shows it, and its version.</summary>
    public sealed record Row(JsonObject Json, int Version, DateTimeOffset UpdatedAt, string Id);

    public async Task<IReadOnlyList<Row>> Page(DateTimeOffset? since, (DateTimeOffset At, string Id)? after, string? reference, int limit, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"""
            select {Columns} from slipway.organisation
            where (@since::timestamptz is null or updated_at >= @since)
              and (@reference::text is null or external_reference = @reference)
              and (@at::timestamptz is null or (updated_at, id) > (@at, @id))
            order by updated_at, id
            limit @limit
            """);
        command.Parameters.AddWithValue("since", NpgsqlDbType.TimestampTz, (object?)since ?? DBNull.Value);
        command.Parameters.AddWithValue("reference", NpgsqlDbType.Text, (object?)reference ?? DBNull.Value);
        command.Parameters.AddWithValue("at", NpgsqlDbType.TimestampTz, (object?)after?.At ?? DBNull.Value);
        command.Parameters.AddWithValue("id", NpgsqlDbType.Text, (object?)after?.Id ?? DBNull.Value);
        command.Parameters.AddWithValue("limit", limit);
        return await Read(command, cancellation);
    }

    public async Task<IReadOnlyList<Row>> Search(string text, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"select {Columns} from slipway.organisation where name ilike @text or email ilike @text or id = @id order by name limit 60");
        command.Parameters.AddWithValue("text", $"%{text}%");
        command.Parameters.AddWithValue("id", text);
        return await Read(command, cancellation);
    }

    public async Task<Row?> Find(string id, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"select {Columns} from slipway.organisation where id = @id");
        command.Parameters.AddWithValue("id", id);
        return (await Read(command, cancellation)).SingleOrDefault();
    }

    /// <summary>Creates an organisation from a body.</summary>
    public async Task<Row> Create(JsonElement body, string by, CancellationToken cancellation)
    {
        var values = Read(body);
        if (values.All(v => v.Column != "name") || values.First(v => v.Column == "name").Value is not string { Length: > 0 })
        {
            throw new BadHttpRequestException("name is required");
        }

        var columns = string.Concat(values.Select(v => $", {v.Column}"));
        var names = string.Concat(values.Select(v => $", @{v.Column}"));
        await using var command = database.CreateCommand($"""
            insert into slipway.organisation (id, created_at, updated_at, updated_by{columns})
            values (lpad(nextval('slipway.organisation_number')::text, 6, '0'), @now, @now, @by{names})
            returning {Columns}
            """);
        Bind(command, values, by);
        return (await Read(command, cancellation)).Single();
    }

    /// <summary>Changes the fields that the body names (RFC 7396). Null when the record is not in this version any more.</summary>
    public async Task<Row?> Change(string id, int? version, JsonElement body, string by, CancellationToken cancellation)
    {
        var values = Read(body);
        var sets = string.Concat(values.Select(v => $", {v.Column} = @{v.Column}"));
        await using var command = database.CreateCommand($"""
            update slipway.organisation set version = version + 1, updated_at = @now, updated_by = @by{sets}
            where id = @id and (@version::int is null or version = @version)
            returning {Columns}
            """);
        Bind(command, values, by);
        command.Parameters.AddWithValue("id", id);
        command.Parameters.AddWithValue("version", NpgsqlDbType.Integer, (object?)version ?? DBNull.Value);
        return (await Read(command, cancellation)).SingleOrDefault();
    }

    private void Bind(NpgsqlCommand command, IReadOnlyList<(string Column, object? Value)> values, string by)
    {
        var now = clock.GetUtcNow();
        command.Parameters.AddWithValue("now", new DateTimeOffset(now.Ticks - (now.Ticks % TimeSpan.TicksPerSecond), TimeSpan.Zero));
        command.Parameters.AddWithValue("by", by);
        foreach (var (column, value) in values)
        {
            command.Parameters.AddWithValue(column, column == "tags" ? NpgsqlDbType.Array | NpgsqlDbType.Text : NpgsqlDbType.Text, value ?? DBNull.Value);
        }
    }

    private static List<(string Column, object? Value)> Read(JsonElement body)
    {
        if (body.ValueKind != JsonValueKind.Object)
        {
            throw new BadHttpRequestException("the body must be an object");
        }

        var values = new List<(string, object?)>();
        foreach (var (path, column, length) in Writable)
        {
            var levels = path.Split('.');
            if (!body.TryGetProperty(levels[0], out var value) || (levels.Length == 2 && (value.ValueKind != JsonValueKind.Object || !value.TryGetProperty(levels[1], out value))))
            {
                continue;
            }

            var text = value.ValueKind switch
            {
                JsonValueKind.Null => null,
                JsonValueKind.String => value.GetString()!.Trim(),
                _ => throw new BadHttpRequestException($"{path} must be text"),
            };
            if (text is { Length: var typed } && typed > length)
            {
                throw new BadHttpRequestException($"{path} is longer than {length} characters");
            }

            values.Add((column, text is { Length: > 0 } ? text : null));
        }

        if (body.TryGetProperty("tags", out var tags))
        {
            values.Add(("tags", tags.ValueKind == JsonValueKind.Array ? tags.EnumerateArray().Select(t => t.GetString()!.Trim()).ToArray() : Array.Empty<string>()));
        }

        return values;
    }

    private static async Task<IReadOnlyList<Row>> Read(NpgsqlCommand command, CancellationToken cancellation)
    {
        await using var reader = await command.ExecuteReaderAsync(cancellation);
        var rows = new List<Row>();
        while (await reader.ReadAsync(cancellation))
        {
            rows.Add(ReadRow(reader));
        }

        return rows;
    }

    private static Row ReadRow(DbDataReader reader)
    {
        string? Text(string column) => reader[column] as string;
        string Time(string column) => reader.GetFieldValue<DateTimeOffset>(reader.GetOrdinal(column)).UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", System.Globalization.CultureInfo.InvariantCulture);
        var json = new JsonObject
        {
            ["id"] = Text("id"),
            ["name"] = Text("name"),
            ["phoneMain"] = Text("phone_main"),
            ["email"] = Text("email"),
            ["website"] = Text("website"),
            ["address"] = new JsonObject { ["street"] = Text("street"), ["town"] = Text("town"), ["postcode"] = Text("postcode"), ["country"] = Text("country") },
            ["segment"] = Text("segment"),
            ["tags"] = new JsonArray([.. ((string[])reader["tags"]).Select(t => (JsonNode?)t)]),
            ["paymentTerms"] = Text("payment_terms"),
            ["vatNumber"] = Text("vat_number"),
            ["externalReference"] = Text("external_reference"),
            ["createdAt"] = Time("created_at"),
            ["updatedAt"] = Time("updated_at"),
            ["updatedBy"] = Text("updated_by"),
        };
        return new Row(json, (int)reader["version"], reader.GetFieldValue<DateTimeOffset>(reader.GetOrdinal("updated_at")), Text("id")!);
    }
}
