using System.Collections.Concurrent;
using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Threading.RateLimiting;
using Microsoft.AspNetCore.RateLimiting;
using UprightMirror.DemoWorld.Faults;
using UprightMirror.DemoWorld.Shelves;

namespace UprightMirror.DemoWorld.Slipway;

/// <summary>Slipway CRM: JSON over HTTP, described by OpenAPI 3.1, signed in to with OAuth 2.0 client credentials.</summary>
public static class SlipwayApi
{
    public const string RateLimit = "slipway";
    private const string ClientId = "upright-mirror";
    private const string ClientSecret = "slip-4417-demo";
    private const string ServiceAccount = "Upright Mirror (service account)";
    private const int MostInBulk = 200;
    private static readonly TimeSpan TokenLife = TimeSpan.FromMinutes(10);

    public static void AddSlipway(this IServiceCollection services) => services
        .AddSingleton<SlipwayRecords>()
        .AddSingleton<Tokens>()
        .AddRateLimiter(limits =>
        {
            limits.AddPolicy(RateLimit, _ => RateLimitPartition.GetFixedWindowLimiter("all", _ => new FixedWindowRateLimiterOptions { PermitLimit = 20, Window = TimeSpan.FromSeconds(1) }));
            limits.OnRejected = (context, _) =>
            {
                context.HttpContext.Response.StatusCode = StatusCodes.Status429TooManyRequests;
                context.HttpContext.Response.Headers.RetryAfter = "1";
                return ValueTask.CompletedTask;
            };
        });

    public static void MapSlipway(this IEndpointRouteBuilder app)
    {
        app.MapGet("/slipway/openapi.json", () => Results.Text(SlipwayDescription.Document(), "application/json"));
        app.MapPost("/slipway/oauth/token", IssueToken).DisableAntiforgery();
        var api = app.MapGroup("/slipway/api/{collection}").RequireRateLimiting(RateLimit).AddEndpointFilter(SignedIn);
        api.MapGet("", List);
        api.MapGet("removals", (string collection, DateTimeOffset? since, SlipwayRecords records) => Results.Json(new
        {
            items = records[collection].Gone.Where(r => since is null || r.At >= since).Select(r => new { id = r.Id, removedAt = r.At.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture) }),
        }));
        api.MapGet("{id}", (string collection, string id, SlipwayRecords records, HttpResponse response) =>
            records[collection].Find(id) is { } row ? Shown(collection, response, row) : NotFound(collection, id));
        api.MapPost("", (string collection, JsonElement body, SlipwayRecords records, HttpResponse response) =>
            Shown(collection, response, records.Create(collection, body, ServiceAccount), StatusCodes.Status201Created));
        api.MapPost("bulk", Bulk);
        api.MapPatch("{id}", (string collection, string id, JsonElement body, SlipwayRecords records, HttpRequest request, HttpResponse response) =>
            InVersion(collection, id, records, request, version => records.Change(collection, id, version, body, ServiceAccount) is { } row ? Shown(collection, response, row) : null));
        api.MapDelete("{id}", (string collection, string id, SlipwayRecords records, HttpRequest request) =>
            InVersion(collection, id, records, request, version => records[collection].Find(id)?.Version == version && records.Remove(collection, id, ServiceAccount) ? Results.NoContent() : null));
    }

    private static async Task<IResult> IssueToken(HttpRequest request, Tokens tokens, TimeProvider clock, FaultSwitches faults)
    {
        var form = await request.ReadFormAsync();
        var (id, secret) = request.Headers.Authorization.ToString() is ['B', 'a', 's', 'i', 'c', ' ', .. var basic]
            && Encoding.UTF8.GetString(Convert.FromBase64String(basic)).Split(':', 2) is [var i, var s] ? (i, s) : (form["client_id"].ToString(), form["client_secret"].ToString());
        if (form["grant_type"] != "client_credentials")
        {
            return Results.Json(new { error = "unsupported_grant_type" }, statusCode: 400);
        }

        if (faults.Of("slipway").WrongSecret || id != ClientId || !CryptographicOperations.FixedTimeEquals(Encoding.UTF8.GetBytes(secret), Encoding.UTF8.GetBytes(ClientSecret)))
        {
            return Results.Json(new { error = "invalid_client", error_description = "unknown client or wrong secret" }, statusCode: 401);
        }

        return Results.Json(new { access_token = tokens.Issue(clock.GetUtcNow(), TokenLife), token_type = "Bearer", expires_in = (int)TokenLife.TotalSeconds });
    }

    private static async ValueTask<object?> SignedIn(EndpointFilterInvocationContext context, EndpointFilterDelegate next)
    {
        var http = context.HttpContext;
        var services = http.RequestServices;
        var token = http.Request.Headers.Authorization.ToString();
        var fault = services.GetRequiredService<FaultSwitches>().Of("slipway");
        if (fault.WrongSecret || !token.StartsWith("Bearer ", StringComparison.Ordinal) || !services.GetRequiredService<Tokens>().Holds(token[7..], services.GetRequiredService<TimeProvider>().GetUtcNow(), fault.TokensEndedAt))
        {
            http.Response.Headers.WWWAuthenticate = "Bearer error=\"invalid_token\"";
            return Problem(401, "Unauthorized", "The access token is missing, unknown or has expired.");
        }

        var collection = (string)http.Request.RouteValues["collection"]!;
        if (!services.GetRequiredService<SlipwayRecords>().Has(collection))
        {
            return Problem(404, "Not found", $"There is no collection {collection}.");
        }

        try
        {
            return await next(context);
        }
        catch (BadHttpRequestException e)
        {
            return Problem(422, "Not accepted", e.Message);
        }
    }

    private static IResult List(string collection, string? cursor, int? limit, DateTimeOffset? updatedSince, string? externalReference, SlipwayRecords records)
    {
        (DateTimeOffset, string)? after = null;
        if (cursor is not null)
        {
            var parts = Encoding.UTF8.GetString(Convert.FromBase64String(cursor)).Split('|');
            after = (new DateTimeOffset(long.Parse(parts[0], CultureInfo.InvariantCulture), TimeSpan.Zero), parts[1]);
        }

        var size = Math.Clamp(limit ?? 100, 1, 100);
        var rows = records.Page(collection, updatedSince, after, externalReference, size);
        var next = rows.Count == size ? Convert.ToBase64String(Encoding.UTF8.GetBytes($"{rows[^1].ChangedAt.UtcTicks}|{rows[^1].Id}")) : null;
        return Results.Json(new
        {
            items = rows.Select(r => Listed(collection, r)),
            nextCursor = next,
        });
    }

    /// <summary>A record in a list: its ETag stands in it.</summary>
    private static JsonObject Listed(string collection, Row<JsonObject> row)
    {
        var json = SlipwayRecords.Shown(collection, row);
        json["etag"] = ETag(row.Version);
        return json;
    }

    private static IResult Bulk(string collection, JsonElement body, SlipwayRecords records)
    {
        if (!body.TryGetProperty("items", out var items) || items.ValueKind != JsonValueKind.Array || items.GetArrayLength() > MostInBulk)
        {
            throw new BadHttpRequestException($"items must be a list of at most {MostInBulk}");
        }

        return Results.Json(new
        {
            results = items.EnumerateArray().Select((item, i) =>
            {
                try
                {
                    var reference = item.TryGetProperty("externalReference", out var r) ? r.GetString() : throw new BadHttpRequestException("externalReference is required");
                    var known = records[collection].All.FirstOrDefault(x => (string?)x.Body["externalReference"] == reference);
                    var row = known is null ? records.Create(collection, item, ServiceAccount) : records.Change(collection, known.Id, null, item, ServiceAccount)!;
                    return new { row = i, id = (string?)row.Id, status = known is null ? 201 : 200, detail = (string?)null, record = (JsonNode?)Listed(collection, row) };
                }
                catch (BadHttpRequestException e)
                {
                    return new { row = i, id = (string?)null, status = 422, detail = (string?)e.Message, record = (JsonNode?)null };
                }
            }).ToList(),
        });
    }

    private static IResult InVersion(string collection, string id, SlipwayRecords records, HttpRequest request, Func<int, IResult?> act)
    {
        if (request.Headers.IfMatch.ToString() is not { Length: > 0 } tag)
        {
            return Problem(428, "Precondition required", "Send the ETag of the version that you read as If-Match.");
        }

        return (int.TryParse(tag.Trim('"').TrimStart('v'), CultureInfo.InvariantCulture, out var version) ? act(version) : null)
            ?? (records[collection].Find(id) is null ? NotFound(collection, id) : Problem(412, "Precondition failed", $"{id} was changed since you read it."));
    }

    private static string ETag(int version) => $"\"v{version.ToString(CultureInfo.InvariantCulture)}\"";

    private static IResult Shown(string collection, HttpResponse response, Row<JsonObject> row, int status = 200)
    {
        response.Headers.ETag = ETag(row.Version);
        return Results.Json(SlipwayRecords.Shown(collection, row), statusCode: status);
    }

    private static IResult NotFound(string collection, string id) => Problem(404, "Not found", $"There is no {id} in {collection}.");

    private static IResult Problem(int status, string title, string detail) => Results.Json(new { title, detail, status }, contentType: "application/problem+json", statusCode: status);

    /// <summary>Access tokens that were given out. In memory: a restart ends them, as it would in life.</summary>
    public sealed class Tokens
    {
        private readonly ConcurrentDictionary<string, (DateTimeOffset Given, DateTimeOffset Until)> issued = new();

        public string Issue(DateTimeOffset now, TimeSpan life)
        {
            var token = Convert.ToHexString(RandomNumberGenerator.GetBytes(24));
            this.issued[token] = (now, now + life);
            return token;
        }

        public bool Holds(string token, DateTimeOffset now, DateTimeOffset? endedAt) => this.issued.TryGetValue(token, out var given) && now < given.Until && !(given.Given <= endedAt);
    }
}
