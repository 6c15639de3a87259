using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using UprightMirror.DemoWorld.Faults;
using UprightMirror.DemoWorld.Shelves;

namespace UprightMirror.DemoWorld.Slipway;

/// <summary>The CRM's records. It trims text and keeps time to the second, whoever writes.</summary>
public sealed class SlipwayRecords(ShelfStore store, FaultSwitches faults)
{
    private readonly Dictionary<string, Shelf<JsonObject>> shelves = SlipwayDescription.Collections.ToDictionary(c => c.Name, c => new Shelf<JsonObject>($"slipway/{c.Name}", store));

    public Shelf<JsonObject> this[string collection] => this.shelves[collection];

    public bool Has(string collection) => this.shelves.ContainsKey(collection);

    public async Task Load(CancellationToken cancellation)
    {
        foreach (var shelf in this.shelves.Values)
        {
            await shelf.Load(cancellation);
        }
    }

    /// <summary>A page in the order of changes.</summary>
    public List<Row<JsonObject>> Page(string collection, DateTimeOffset? since, (DateTimeOffset At, string Id)? after, string? reference, int limit) =>
        [.. this.shelves[collection].All
            .Where(r => since is null || r.ChangedAt >= since)
            .Where(r => reference is null || (string?)r.Body["externalReference"] == reference)
            .Where(r => after is not { } a || r.ChangedAt > a.At || (r.ChangedAt == a.At && string.CompareOrdinal(r.Id, a.Id) > 0))
            .OrderBy(r => r.ChangedAt).ThenBy(r => r.Id, StringComparer.Ordinal)
            .Take(limit)];

    /// <exception cref="BadHttpRequestException">The CRM will not have it.</exception>
    public Row<JsonObject> Create(string collection, JsonElement body, string by)
    {
        var now = this.Now();
        var said = Read(collection, body);
        if (Described(collection).Fields.FirstOrDefault(f => f.Required && said[f.Path] is null) is { } missing)
        {
            throw new BadHttpRequestException($"{missing.Path} is required");
        }

        return this.shelves[collection].Add(n => n.ToString("D6", CultureInfo.InvariantCulture), _ =>
        {
            said["createdAt"] = Time(now);
            return said;
        }, by, now);
    }

    /// <summary>Changes the fields that the body names (RFC 7396). Null when the record is not in this version any more.</summary>
    public Row<JsonObject>? Change(string collection, string id, int? version, JsonElement body, string by)
    {
        var said = Read(collection, body);
        return this.shelves[collection].Change(id, version, before =>
        {
            var after = (JsonObject)before.DeepClone();
            foreach (var (path, value) in said)
            {
                after[path] = value?.DeepClone();
            }

            return after;
        }, by, this.Now());
    }

    public bool Remove(string collection, string id, string by) => this.shelves[collection].Remove(id, by, this.Now());

    /// <summary>A record as the API shows it: nested, with what the CRM itself knows of it.</summary>
    public static JsonObject Shown(string collection, Row<JsonObject> row)
    {
        var json = new JsonObject { ["id"] = row.Id };
        var described = Described(collection);
        foreach (var field in described.Fields)
        {
            var value = row.Body[field.Path]?.DeepClone();
            if (field.Path.Split('.') is [var parent, var child])
            {
                (json[parent] ??= new JsonObject())[child] = value;
            }
            else
            {
                json[field.Path] = value ?? (field.Type == "list" ? new JsonArray() : null);
            }
        }

        if (described.Lines is not null)
        {
            json["lines"] = row.Body["lines"]?.DeepClone() ?? new JsonArray();
        }

        json["createdAt"] = (string?)row.Body["createdAt"] ?? Time(row.ChangedAt);
        json["updatedAt"] = Time(row.ChangedAt);
        json["updatedBy"] = row.ChangedBy;
        return json;
    }

    private static SlipwayCollection Described(string collection) => SlipwayDescription.Collections.First(c => c.Name == collection);

    private DateTimeOffset Now()
    {
        var now = faults.Now("slipway");
        return new DateTimeOffset(now.Ticks - (now.Ticks % TimeSpan.TicksPerSecond), TimeSpan.Zero);
    }

    private static string Time(DateTimeOffset at) => at.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture);

    private static JsonObject Read(string collection, JsonElement body)
    {
        if (body.ValueKind != JsonValueKind.Object)
        {
            throw new BadHttpRequestException("the body must be an object");
        }

        var described = Described(collection);
        var said = new JsonObject();
        foreach (var field in described.Fields.Where(f => !f.ReadOnly))
        {
            var levels = field.Path.Split('.');
            if (body.TryGetProperty(levels[0], out var value) && (levels.Length == 1 || (value.ValueKind == JsonValueKind.Object && value.TryGetProperty(levels[1], out value))))
            {
                said[field.Path] = Value(field, value);
            }
        }

        if (described.Lines is { } lines && body.TryGetProperty("lines", out var list) && list.ValueKind == JsonValueKind.Array)
        {
            said["lines"] = new JsonArray([.. list.EnumerateArray().Select(l => (JsonNode?)new JsonObject(lines.Where(f => l.TryGetProperty(f.Path, out _)).Select(f => KeyValuePair.Create(f.Path, Value(f, l.GetProperty(f.Path))))))]);
        }

        // The amount of a deal is worked out, and nobody writes it.
        if (said["lines"] is JsonArray sold && described.Fields.Any(f => f is { Path: "amount", ReadOnly: true }))
        {
            static decimal Of(JsonNode? line, string name) => line?[name] is JsonValue value && value.TryGetValue<decimal>(out var number) ? number : 0;
            said["amount"] = sold.Sum(l => decimal.Round(Of(l, "quantity") * Of(l, "unitPrice") * (100 - Of(l, "discountPercent")) / 100, 2));
        }

        return said;
    }

    private static JsonNode? Value(SlipwayField field, JsonElement value)
    {
        if (value.ValueKind == JsonValueKind.Null)
        {
            return field.Required ? throw new BadHttpRequestException($"{field.Path} is required") : null;
        }

        switch (field.Type)
        {
            case "list":
                return value.ValueKind == JsonValueKind.Array ? new JsonArray([.. value.EnumerateArray().Select(v => (JsonNode?)JsonValue.Create(v.GetString()!.Trim()))]) : throw new BadHttpRequestException($"{field.Path} must be a list");
            case "boolean":
                return value.ValueKind is JsonValueKind.True or JsonValueKind.False ? JsonValue.Create(value.GetBoolean()) : throw new BadHttpRequestException($"{field.Path} must be true or false");
            case "number" or "integer":
                return value.ValueKind == JsonValueKind.Number ? JsonNode.Parse(value.GetRawText()) : throw new BadHttpRequestException($"{field.Path} must be a number");
        }

        if (value.ValueKind != JsonValueKind.String)
        {
            throw new BadHttpRequestException($"{field.Path} must be text");
        }

        var text = value.GetString()!.Trim();
        if (text.Length > (field.Length ?? 4000))
        {
            throw new BadHttpRequestException($"{field.Path} is longer than {field.Length ?? 4000} characters");
        }

        if (text.Length > 0 && field.Allowed is { } allowed && !allowed.Contains(text))
        {
            throw new BadHttpRequestException($"{field.Path} is one of {string.Join(", ", allowed)}");
        }

        return text.Length > 0 ? JsonValue.Create(text) : field.Required ? throw new BadHttpRequestException($"{field.Path} is required") : null;
    }
}
