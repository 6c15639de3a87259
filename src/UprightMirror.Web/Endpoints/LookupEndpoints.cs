using System.Diagnostics;
using System.Security.Claims;
using System.Text.Json;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Engine.LookingUp;
using UprightMirror.Storage;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <param name="Fields">The agreed fields that are given.</param>
/// <param name="PerMinute">1 to 6000 times for each key.</param>
public sealed record LookupForm(bool IsOn, IReadOnlyList<string> Fields, int PerMinute);

public sealed record LookupKeyShown(long Id, string Name, string MadeBy, DateTimeOffset MadeAt, DateTimeOffset? LastUsedAt);

/// <param name="Address">Where it is looked up, behind this site's own address.</param>
/// <param name="KnownBy">The fields that a record can be asked by.</param>
public sealed record LookupPage(string Mirror, string MirrorName, LookupForm Form, string Address, IReadOnlyList<SideShown> Sides, IReadOnlyList<string> Fields, IReadOnlyList<string> KnownBy, IReadOnlyList<LookupKeyShown> Keys);

/// <param name="Name">Who has it, and what for.</param>
public sealed record LookupKeyAsked(string Name);

/// <param name="Key">Shown this once.</param>
public sealed record LookupKeyMade(string Key);

/// <param name="Request">What is asked, as it is typed in a shell.</param>
/// <param name="Answer">As JSON.</param>
public sealed record LookupTried(string Request, int Status, string Answer, int Milliseconds);

/// <summary>Each mirror may be looked up from elsewhere: one record at a time, of the fields that an administrator chose, by key.</summary>
internal static class LookupEndpoints
{
    private const int MostKeys = 100;
    private const int LongestName = 80;

    public static void MapLookups(this RouteGroupBuilder api)
    {
        api.MapGet("/mirrors/{key}/lookup", Page).RequireAuthorization(Roles.Administrator).WithName("getLookup");
        api.MapPut("/mirrors/{key}/lookup", Save).RequireAuthorization(Roles.Administrator).Audited("changed what others may look up in {key}").WithName("saveLookup");
        api.MapPost("/mirrors/{key}/lookup/keys", MakeKey).RequireAuthorization(Roles.Administrator).Audited("made a key to look up in {key}").WithName("makeLookupKey");
        api.MapDelete("/mirrors/{key}/lookup/keys/{id:long}", EndKey).RequireAuthorization(Roles.Administrator).Audited("took the key {id} to look up in {key} away").WithName("endLookupKey");
        api.MapPost("/mirrors/{key}/lookup/try", Try).RequireAuthorization(Roles.Administrator).WithName("tryLookup");
    }

    /// <summary>The addresses that others call: nobody signs in there, a key is asked for.</summary>
    public static void MapLookupAddresses(this IEndpointRouteBuilder app)
    {
        app.MapGet("/lookup/{mirror}/openapi.json", (string mirror, HttpContext http, LookupGate gate, CancellationToken cancellation) => Answer(mirror, http, gate, (kept, offer) =>
            Task.FromResult(new LookupAnswer(200, LookupDescription.Of(kept.Definition, offer, $"{http.Request.Scheme}://{http.Request.Host}/lookup/{kept.Definition.Key}"), null)), cancellation)).AllowAnonymous().ExcludeFromDescription();
        app.MapGet("/lookup/{mirror}/records/{system}/{id}", (string mirror, string system, string id, string? view, HttpContext http, LookupGate gate, Lookup lookup, CancellationToken cancellation) => Answer(mirror, http, gate, (kept, offer) =>
            lookup.Find(kept, offer, new LookupAsked(system, id, null, null, view), cancellation), cancellation)).AllowAnonymous().ExcludeFromDescription();
        app.MapGet("/lookup/{mirror}/records", (string mirror, string? field, string? value, string? view, HttpContext http, LookupGate gate, Lookup lookup, CancellationToken cancellation) => Answer(mirror, http, gate, (kept, offer) =>
            lookup.Find(kept, offer, new LookupAsked(null, null, field, value, view), cancellation), cancellation)).AllowAnonymous().ExcludeFromDescription();
    }

    private static async Task<IResult> Answer(string mirror, HttpContext http, LookupGate gate, Func<KeptMirror, LookupOffer, Task<LookupAnswer>> find, CancellationToken cancellation)
    {
        var (kept, offer, turned) = await gate.Enter(mirror, http, cancellation);
        if (turned is not null)
        {
            return turned;
        }

        var answer = await find(kept!, offer!);
        http.Response.Headers.CacheControl = "no-store";
        return answer.Body is { } body ? Results.Json(body) : Results.Problem(statusCode: answer.Status, title: answer.Words);
    }

    private static async Task<Results<Ok<LookupPage>, NotFound>> Page(string key, Mirrors mirrors, Lookups lookups, KeptConnections connections, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var offer = await lookups.Offer(mirror.Id, cancellation);
        return TypedResults.Ok(new LookupPage(
            key, mirror.Definition.Name, new LookupForm(offer.IsOn, offer.Fields, offer.PerMinute), $"/lookup/{key}", (await Shown.With(connections, cancellation)).Sides(mirror.Definition),
            [.. mirror.Definition.Fields.Select(f => f.Name)], [.. Lookup.KnownBy(mirror.Definition, offer)],
            [.. (await lookups.Keys(mirror.Id, cancellation)).Select(k => new LookupKeyShown(k.Id, k.Name, k.MadeBy, k.MadeAt, k.LastUsedAt))]));
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Save(string key, LookupForm asked, Mirrors mirrors, Lookups lookups, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        if (asked.PerMinute is < 1 or > LookupOffer.MostPerMinute)
        {
            return SystemsEndpoints.Problem($"A key may ask 1 to {LookupOffer.MostPerMinute} times a minute.");
        }

        if (asked.Fields.FirstOrDefault(f => mirror.Definition.Fields.All(m => m.Name != f)) is { } none)
        {
            return SystemsEndpoints.Problem($"{mirror.Definition.Name} has no field {none}.");
        }

        if (asked.IsOn && asked.Fields.Count == 0)
        {
            return SystemsEndpoints.Problem("Choose at least one field that is given.");
        }

        await lookups.Save(mirror.Id, new LookupOffer(asked.IsOn, [.. mirror.Definition.Fields.Select(f => f.Name).Where(asked.Fields.Contains)], asked.PerMinute), cancellation);
        return TypedResults.NoContent();
    }

    private static async Task<Results<Ok<LookupKeyMade>, NotFound, ProblemHttpResult>> MakeKey(string key, LookupKeyAsked asked, Mirrors mirrors, Lookups lookups, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        if (asked.Name.Trim() is not { Length: > 0 and <= LongestName } name)
        {
            return SystemsEndpoints.Problem($"Say in at most {LongestName} characters who has the key.");
        }

        return (await lookups.Keys(mirror.Id, cancellation)).Count >= MostKeys
            ? SystemsEndpoints.Problem($"There are {MostKeys} keys already. Take one away that nobody uses.")
            : TypedResults.Ok(new LookupKeyMade(await lookups.MakeKey(mirror.Id, name, user.Identity!.Name!, cancellation)));
    }

    private static async Task<Results<NoContent, NotFound>> EndKey(string key, long id, Mirrors mirrors, Lookups lookups, CancellationToken cancellation) =>
        await mirrors.Find(key, cancellation) is { } mirror && await lookups.EndKey(mirror.Id, id, cancellation) ? TypedResults.NoContent() : TypedResults.NotFound();

    /// <summary>What somebody with a key would be answered.</summary>
    private static async Task<Results<Ok<LookupTried>, NotFound>> Try(string key, LookupAsked asked, Mirrors mirrors, Lookups lookups, Lookup lookup, HttpRequest request, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var began = Stopwatch.GetTimestamp();
        var answer = await lookup.Find(mirror, await lookups.Offer(mirror.Id, cancellation), asked, cancellation);
        var took = (int)Stopwatch.GetElapsedTime(began).TotalMilliseconds;
        var query = new QueryString();
        query = asked.Id is not null ? query : query.Add("field", asked.Field ?? "").Add("value", asked.Value ?? "");
        query = asked.View is null or "agreed" ? query : query.Add("view", asked.View);
        var address = $"{request.Scheme}://{request.Host}/lookup/{key}/records{(asked.Id is { } id ? $"/{Uri.EscapeDataString(asked.System ?? "")}/{Uri.EscapeDataString(id)}" : "")}{query}";
        var body = answer.Body is { } found ? found.ToJsonString(Readable) : JsonSerializer.Serialize(new { title = answer.Words, status = answer.Status }, Readable);
        return TypedResults.Ok(new LookupTried($"curl -H \"Authorization: Bearer $KEY\" '{address.Replace("'", "%27", StringComparison.Ordinal)}'", answer.Status, body, took));
    }

    private static readonly JsonSerializerOptions Readable = new() { WriteIndented = true, Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping };
}
