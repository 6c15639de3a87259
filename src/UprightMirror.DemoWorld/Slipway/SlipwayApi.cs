using System.Collections.Concurrent;
using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Threading.RateLimiting;
using Microsoft.AspNetCore.RateLimiting;
using UprightMirror.DemoWorld.Making;

namespace UprightMirror.DemoWorld.Slipway;

/// <summary>Slipway CRM: JSON over HTTP, described by OpenAPI 3.1, signed in to with OAuth 2.0 client credentials.</summary>
public static class SlipwayApi
{
    public const string RateLimit = "slipway";
    private const string ClientId = "upright-mirror";
    private const string ClientSecret = "slip-4417-demo";
    private static readonly TimeSpan TokenLife = TimeSpan.FromMinutes(10);

    public static void AddSlipway(this IServiceCollection services) => services
        .AddSingleton<Organisations>()
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
        app.MapGet("/slipway/openapi.json", () => Results.Text(DemoData.Resource("openapi.json"), "application/json"));
        app.MapPost("/slipway/oauth/token", IssueToken).DisableAntiforgery();
        var api = app.MapGroup("/slipway/api/organisations").RequireRateLimiting(RateLimit).AddEndpointFilter(SignedIn);
        api.MapGet("", List);
        api.MapGet("{id}", async (string id, Organisations organisations, HttpResponse response, CancellationToken cancellation) =>
            await organisations.Find(id, cancellation) is { } row ? Shown(response, row) : NotFound(id));
        api.MapPost("", async (JsonElement body, Organisations organisations, HttpResponse response, CancellationToken cancellation) =>
        {
            var row = await organisations.Create(body, "Upright Mirror (service account)", cancellation);
            response.StatusCode = StatusCodes.Status201Created;
            return Shown(response, row, StatusCodes.Status201Created);
        });
        api.MapPatch("{id}", Change);
    }

    private static async Task<IResult> IssueToken(HttpRequest request, Tokens tokens, TimeProvider clock)
    {
        var form = await request.ReadFormAsync();
        var (id, secret) = request.Headers.Authorization.ToString() is ['B', 'a', 's', 'i', 'c', ' ', .. var basic]
            && Encoding.UTF8.GetString(Convert.FromBase64String(basic)).Split(':', 2) is [var i, var s] ? (i, s) : (form["client_id"].ToString(), form["client_secret"].ToString());
        if (form["grant_type"] != "client_credentials")
        {
            return Results.Json(new { error = "unsupported_grant_type" }, statusCode: 400);
        }

        if (id != ClientId || !CryptographicOperations.FixedTimeEquals(Encoding.UTF8.GetBytes(secret), Encoding.UTF8.GetBytes(ClientSecret)))
        {
            return Results.Json(new { error = "invalid_client", error_description = "unknown client or wrong secret" }, statusCode: 401);
        }

        return Results.Json(new { access_token = tokens.Issue(clock.GetUtcNow() + TokenLife), token_type = "Bearer", expires_in = (int)TokenLife.TotalSeconds });
    }

    private static async ValueTask<object?> SignedIn(EndpointFilterInvocationContext context, EndpointFilterDelegate next)
    {
        var http = context.HttpContext;
        var token = http.Request.Headers.Authorization.ToString();
        if (!token.StartsWith("Bearer ", StringComparison.Ordinal) || !http.RequestServices.GetRequiredService<Tokens>().Holds(token[7..], http.RequestServices.GetRequiredService<TimeProvider>().GetUtcNow()))
        {
            http.Response.Headers.WWWAuthenticate = "Bearer error=\"invalid_token\"";
            return Problem(401, "Unauthorized", "The access token is missing, unknown or has expired.");
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

    private static async Task<IResult> List(string? cursor, int? limit, DateTimeOffset? updatedSince, string? externalReference, Organisations organisations, CancellationToken cancellation)
    {
        (DateTimeOffset, string)? after = null;
        if (cursor is not null)
        {
            var parts = Encoding.UTF8.GetString(Convert.FromBase64String(cursor)).Split('|');
            after = (new DateTimeOffset(long.Parse(parts[0], CultureInfo.InvariantCulture), TimeSpan.Zero), parts[1]);
        }

        var size = Math.Clamp(limit ?? 100, 1, 100);
        var rows = await organisations.Page(updatedSince, after, externalReference, size, cancellation);
        var next = rows.Count == size ? Convert.ToBase64String(Encoding.UTF8.GetBytes($"{rows[^1].UpdatedAt.UtcTicks}|{rows[^1].Id}")) : null;
        return Results.Json(new
        {
            items = rows.Select(r =>
            {
                r.Json["etag"] = ETag(r.Version);
                return r.Json;
            }),
            nextCursor = next,
        });
    }

    private static async Task<IResult> Change(string id, JsonElement body, Organisations organisations, HttpRequest request, HttpResponse response, CancellationToken cancellation)
    {
        if (request.Headers.IfMatch.ToString() is not { Length: > 0 } tag)
        {
            return Problem(428, "Precondition required", "Send the ETag of the version that you read as If-Match.");
        }

        if (!int.TryParse(tag.Trim('"').TrimStart('v'), CultureInfo.InvariantCulture, out var version) || await organisations.Change(id, version, body, "Upright Mirror (service account)", cancellation) is not { } row)
        {
            return await organisations.Find(id, cancellation) is null ? NotFound(id) : Problem(412, "Precondition failed", $"Organisation {id} was changed since you read it.");
        }

        return Shown(response, row);
    }

    private static string ETag(int version) => $"\"v{version.ToString(CultureInfo.InvariantCulture)}\"";

    private static IResult Shown(HttpResponse response, Organisations.Row row, int status = 200)
    {
        response.Headers.ETag = ETag(row.Version);
        return Results.Json(row.Json, statusCode: status);
    }

    private static IResult NotFound(string id) => Problem(404, "Not found", $"There is no organisation {id}.");

    private static IResult Problem(int status, string title, string detail) => Results.Json(new { title, detail, status }, contentType: "application/problem+json", statusCode: status);

    /// <summary>Access tokens that were given out. In memory: a restart ends them, as it would in life.</summary>
    public sealed class Tokens
    {
        private readonly ConcurrentDictionary<string, DateTimeOffset> issued = new();

        public string Issue(DateTimeOffset until)
        {
            var token = Convert.ToHexString(RandomNumberGenerator.GetBytes(24));
            this.issued[token] = until;
            return token;
        }

        public bool Holds(string token, DateTimeOffset now) => this.issued.TryGetValue(token, out var until) && now < until;
    }
}
