using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using UprightMirror.DemoWorld.Faults;
using UprightMirror.DemoWorld.Shelves;

namespace UprightMirror.DemoWorld.Pennant;

/// <summary>The mail system's records, by number. A person's stage never goes back; an e-mail address is who somebody is.</summary>
public sealed class PennantRecords(ShelfStore store, FaultSwitches faults)
{
    private readonly Dictionary<string, Shelf<JsonObject>> shelves = PennantDescription.Collections.Keys.ToDictionary(c => c, c => new Shelf<JsonObject>($"pennant/{c}", store));

    public Shelf<JsonObject> this[string collection] => this.shelves[collection];

    public bool Has(string collection) => this.shelves.ContainsKey(collection);

    public async Task Load(CancellationToken cancellation)
    {
        foreach (var shelf in this.shelves.Values)
        {
            await shelf.Load(cancellation);
        }
    }

    /// <summary>Creates or changes the record that has the same identity.</summary>
    /// <exception cref="BadHttpRequestException">The mail system will not have it.</exception>
    public (Row<JsonObject> Row, bool Created) Upsert(string collection, JsonElement item, string by)
    {
        var identity = PennantDescription.IdentityOf(collection);
        var who = item.ValueKind == JsonValueKind.Object && item.TryGetProperty(identity, out var value) && value.ValueKind == JsonValueKind.String ? value.GetString()!.Trim() : "";
        who = identity is "email" or "web_domain" ? who.ToLowerInvariant() : who;
        if (who.Length == 0 || (identity == "email" && !who.Contains('@', StringComparison.Ordinal)))
        {
            throw new BadHttpRequestException($"{identity} is missing or is not one");
        }

        var said = Read(collection, item);
        said[identity] = who;
        var known = this.shelves[collection].All.FirstOrDefault(r => string.Equals((string?)r.Body[identity], who, StringComparison.OrdinalIgnoreCase));
        var now = faults.Now("pennant");
        if (known is null)
        {
            // Numbers are given in steps of their own: not every one has a record.
            return (this.shelves[collection].Add(n => (n * 3 + (n % 5)).ToString("D9", CultureInfo.InvariantCulture), _ => said, by, now), true);
        }

        var changed = this.shelves[collection].Change(known.Id, null, before =>
        {
            var after = (JsonObject)before.DeepClone();
            foreach (var (name, v) in said)
            {
                var goesBack = name == "stage" && Array.IndexOf(PennantDescription.Stages, (string?)v) < Array.IndexOf(PennantDescription.Stages, (string?)before["stage"]);
                if (!goesBack)
                {
                    after[name] = v?.DeepClone();
                }
            }

            return after;
        }, by, now)!;
        return (changed, false);
    }

    public static JsonObject Shown(string collection, Row<JsonObject> row)
    {
        var json = new JsonObject { ["id"] = long.Parse(row.Id, CultureInfo.InvariantCulture) };
        foreach (var field in PennantDescription.Collections[collection])
        {
            json[field.Name] = row.Body[field.Name]?.DeepClone();
        }

        json["archived"] = row.Body["archived"]?.DeepClone() ?? false;
        json["modified_at"] = row.ChangedAt.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss.fff'Z'", CultureInfo.InvariantCulture);
        json["modified_by"] = row.ChangedBy;
        return json;
    }

    private static JsonObject Read(string collection, JsonElement item)
    {
        var said = new JsonObject();
        foreach (var field in PennantDescription.Collections[collection].Where(f => !f.ReadOnly))
        {
            if (!item.TryGetProperty(field.Name, out var value))
            {
                continue;
            }

            var fits = (field.Type, value.ValueKind) switch
            {
                (_, JsonValueKind.Null) => true,
                ("integer" or "number", JsonValueKind.Number) => true,
                ("boolean", JsonValueKind.True or JsonValueKind.False) => true,
                ("string" or "date" or "email", JsonValueKind.String) => value.GetString()!.Length <= (field.Length ?? 400),
                _ => false,
            };
            if (!fits)
            {
                throw new BadHttpRequestException($"{field.Name} is not a {field.Type}{(field.Length is { } most ? $" of at most {most} characters" : "")}");
            }

            if (field.Name == "stage" && value.ValueKind == JsonValueKind.String && !PennantDescription.Stages.Contains(value.GetString()))
            {
                throw new BadHttpRequestException($"stage is one of {string.Join(", ", PennantDescription.Stages)}");
            }

            said[field.Name] = value.ValueKind == JsonValueKind.Null ? null : JsonNode.Parse(value.GetRawText());
        }

        if (item.TryGetProperty("archived", out var archived) && archived.ValueKind is JsonValueKind.True or JsonValueKind.False)
        {
            said["archived"] = archived.GetBoolean();
        }

        return said;
    }
}

/// <summary>Pennant Mail: JSON over HTTP, described by OpenAPI 3.0 in YAML, a key in a header, read by ranges of ids, written by upsert.</summary>
public static class PennantApi
{
    private const string Key = "pennant-7731-demo";
    private const string ServiceAccount = "upright-mirror";
    private const int MostRange = 300;
    private const int CallsPerSecond = 5;
    private static readonly TimeSpan Closed = TimeSpan.FromSeconds(10);

    public static void AddPennant(this IServiceCollection services) => services.AddSingleton<PennantRecords>().AddSingleton<Door>();

    public static void MapPennant(this IEndpointRouteBuilder app)
    {
        app.MapGet("/pennant/openapi.yaml", () => Results.Text(PennantDescription.Document(), "application/yaml"));
        var api = app.MapGroup("/pennant/api/{collection}").AddEndpointFilter(Let);
        api.MapGet("", (string collection, long? from_id, long? to_id, long? list, PennantRecords records) => Range(collection, from_id, to_id, list, records));
        api.MapGet("{id:long}", (string collection, long id, PennantRecords records) =>
            records[collection].Find(id.ToString("D9", CultureInfo.InvariantCulture)) is { } row ? Results.Json(PennantRecords.Shown(collection, row)) : Error(404, "no such record"));
        api.MapPost("upsert", (string collection, JsonElement body, PennantRecords records) => Upsert(collection, body, records));
    }

    private static async ValueTask<object?> Let(EndpointFilterInvocationContext context, EndpointFilterDelegate next)
    {
        var http = context.HttpContext;
        var services = http.RequestServices;
        var said = Encoding.UTF8.GetBytes(http.Request.Headers["X-Pennant-Key"].ToString());
        if (services.GetRequiredService<FaultSwitches>().Of("pennant").WrongSecret || !CryptographicOperations.FixedTimeEquals(said, Encoding.UTF8.GetBytes(Key)))
        {
            return Error(401, "unknown key");
        }

        if (services.GetRequiredService<Door>().ClosedFor() is { } wait)
        {
            http.Response.Headers.RetryAfter = Math.Ceiling(wait.TotalSeconds).ToString(CultureInfo.InvariantCulture);
            return Error(429, "more than five calls in a second: closed for ten seconds");
        }

        if (!services.GetRequiredService<PennantRecords>().Has((string)http.Request.RouteValues["collection"]!))
        {
            return Error(404, "no such collection");
        }

        try
        {
            return await next(context);
        }
        catch (BadHttpRequestException e)
        {
            return Error(400, e.Message);
        }
    }

    private static IResult Range(string collection, long? from, long? to, long? list, PennantRecords records)
    {
        if (from is not { } first || to is not { } last || last < first || last - first >= MostRange)
        {
            return Error(400, $"from_id and to_id are needed, at most {MostRange} apart");
        }

        var shelf = records[collection];
        var rows = shelf.All.Where(r => long.Parse(r.Id, CultureInfo.InvariantCulture) is var id && id >= first && id <= last && (list is null || (long?)r.Body["list"] == list));
        var highest = shelf.All.LastOrDefault() is { } end ? long.Parse(end.Id, CultureInfo.InvariantCulture) : 0;
        return Results.Json(new Dictionary<string, object> { [collection] = rows.Select(r => PennantRecords.Shown(collection, r)).ToList(), ["highest_id"] = highest });
    }

    private static IResult Upsert(string collection, JsonElement body, PennantRecords records)
    {
        if (!body.TryGetProperty(collection, out var items) || items.ValueKind != JsonValueKind.Array || items.GetArrayLength() > MostRange)
        {
            return Error(400, $"{collection} must be a list of at most {MostRange}");
        }

        return Results.Json(new
        {
            results = items.EnumerateArray().Select((item, i) =>
            {
                try
                {
                    var (row, created) = records.Upsert(collection, item, ServiceAccount);
                    return new { row = i, id = (long?)long.Parse(row.Id, CultureInfo.InvariantCulture), outcome = created ? "created" : "changed", message = (string?)null, record = (JsonNode?)PennantRecords.Shown(collection, row) };
                }
                catch (BadHttpRequestException e)
                {
                    return new { row = i, id = (long?)null, outcome = "refused", message = (string?)e.Message, record = (JsonNode?)null };
                }
            }).ToList(),
        });
    }

    private static IResult Error(int status, string message) => Results.Json(new { error = new { message } }, statusCode: status);

    /// <summary>Five calls a second; a sixth closes the door for ten seconds.</summary>
    public sealed class Door(TimeProvider clock)
    {
        private readonly Lock bolt = new();
        private readonly Queue<DateTimeOffset> calls = new();
        private DateTimeOffset closedUntil = DateTimeOffset.MinValue;

        public TimeSpan? ClosedFor()
        {
            lock (this.bolt)
            {
                var now = clock.GetUtcNow();
                if (now < this.closedUntil)
                {
                    return this.closedUntil - now;
                }

                while (this.calls.TryPeek(out var first) && now - first >= TimeSpan.FromSeconds(1))
                {
                    this.calls.Dequeue();
                }

                if (this.calls.Count >= CallsPerSecond)
                {
                    this.closedUntil = now + Closed;
                    return Closed;
                }

                this.calls.Enqueue(now);
                return null;
            }
        }
    }
}
