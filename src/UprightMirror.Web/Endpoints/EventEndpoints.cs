using System.Security.Cryptography;
using System.Text;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Mvc;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Events;
using UprightMirror.Storage;
using UprightMirror.Web.Running;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <param name="Path">Where the system sends its events: a path of this site. Null when no address is open; only administrators are told it.</param>
/// <param name="Silence">What is to be said when changes were found that no event told of; null when all is well.</param>
public sealed record EventsShown(bool IsOpen, string? Path, string? SignatureHeader, bool HasSecret, string? Silence, IReadOnlyList<EventShown> Last);

/// <param name="LateSeconds">How long after it happened it came, by its own word; null when it does not say.</param>
/// <param name="Outcome">taken, again or refused.</param>
public sealed record EventShown(long Id, DateTimeOffset ReceivedAt, int? LateSeconds, string Outcome, string Body, DateTimeOffset? RunAskedAt);

/// <param name="SignatureHeader">The header that carries the signature; null where events are not signed.</param>
/// <param name="Secret">Left out to keep what is kept.</param>
/// <param name="NewAddress">True to close the address that there is and open another.</param>
public sealed record EventsAsked(string? SignatureHeader, string? Secret, bool NewAddress = false);

internal static class EventEndpoints
{
    /// <summary>In bytes.</summary>
    public const int LargestEvent = 256 * 1024;
    public const int BodyKept = 4000;

    public static void MapEvents(this RouteGroupBuilder api)
    {
        api.MapGet("/systems/{key}/events", Shown).WithName("getEvents");
        api.MapPut("/systems/{key}/events", Open).RequireAuthorization(Roles.Administrator).Audited("opened or changed the address for events of {key}").WithName("openEvents");
        api.MapDelete("/systems/{key}/events", Close).RequireAuthorization(Roles.Administrator).Audited("closed the address for events of {key}").WithName("closeEvents");
    }

    /// <summary>The address that systems call. Nobody signs in there: the address is not to be guessed, and events may be signed.</summary>
    public static void MapEventAddress(this IEndpointRouteBuilder app) =>
        app.MapPost("/events/{token}", Receive).AllowAnonymous().WithMetadata(new WithoutToken(), new RequestSizeLimitAttribute(LargestEvent + 1)).ExcludeFromDescription();

    private static async Task<IResult> Receive(string token, HttpRequest request, KeptEvents events, Arrivals arrivals, Changes changes, TimeProvider clock, CancellationToken cancellation)
    {
        var inbox = token.Length > 60 ? null : await arrivals.InboxOf(token, cancellation);
        var known = inbox is not null || token.Length > 60 ? null : await events.ByToken(token, cancellation);
        if (inbox is null && known is null)
        {
            return Results.Problem(statusCode: 404, title: "No system sends its events to this address.");
        }

        if (request.ContentLength > LargestEvent || await Body(request, cancellation) is not { } body)
        {
            return Results.Problem(statusCode: 413, title: $"An event has at most {LargestEvent / 1024} KB.");
        }

        if (inbox is var (own, key))
        {
            return await InboxEndpoints.Receive(own, key, body, request, arrivals, clock.GetUtcNow(), cancellation);
        }

        var address = known!;

        var now = clock.GetUtcNow();
        var isSigned = address.SignatureHeader is not { } header
            || (await events.Secret(address.System, cancellation) is { } secret && ReceivedEvent.IsSigned(body, request.Headers[header], secret));
        var read = ReceivedEvent.Read(body, name => request.Headers[name].FirstOrDefault());
        var text = Masking.Secrets(Encoding.UTF8.GetString(body.AsSpan(0, Math.Min(body.Length, BodyKept))), []);
        await events.Add(address.System, new KeptEvent(0, now, read.HappenedAt?.ToUniversalTime(), isSigned ? "taken" : "refused", text, null), read.Fingerprint, cancellation);
        changes.Tell("systems");
        return isSigned ? Results.Accepted() : Results.Problem(statusCode: 401, title: $"The signature in {address.SignatureHeader} is missing or is not right.");
    }

    /// <summary>Null when it is too large.</summary>
    private static async Task<byte[]?> Body(HttpRequest request, CancellationToken cancellation)
    {
        using var all = new MemoryStream();
        var part = new byte[16 * 1024];
        for (int read; (read = await request.Body.ReadAsync(part, cancellation)) > 0;)
        {
            all.Write(part, 0, read);
            if (all.Length > LargestEvent)
            {
                return null;
            }
        }

        return all.ToArray();
    }

    private static async Task<Results<Ok<EventsShown>, NotFound>> Shown(string key, KeptEvents events, KeptConnections connections, Mirrors mirrors, HttpContext http, TimeProvider clock, CancellationToken cancellation)
    {
        if ((await connections.All(cancellation)).FirstOrDefault(c => c.System == key) is not { } connection)
        {
            return TypedResults.NotFound();
        }

        var address = await events.AddressOf(key, cancellation);
        var last = await events.Last(key, 100, cancellation);
        return TypedResults.Ok(new EventsShown(
            address is not null,
            address is not null && http.User.IsInRole(Roles.Administrator) ? $"/events/{address.Token}" : null,
            address?.SignatureHeader,
            address?.HasSecret == true,
            address is null ? null : await Silence(connection, address, events, mirrors, clock.GetUtcNow(), cancellation),
            [.. last.Select(e => new EventShown(e.Id, e.ReceivedAt, e.HappenedAt is { } at ? (int)Math.Clamp((e.ReceivedAt - at).TotalSeconds, -86_400, 31_536_000) : null, e.Outcome, Masking.Personal(e.Body), e.RunAskedAt))]));
    }

    /// <summary>A change that was made a while ago and found by reading, with no event since: its events may have stopped.</summary>
    private static async Task<string?> Silence(KeptConnection connection, EventAddress address, KeptEvents events, Mirrors mirrors, DateTimeOffset now, CancellationToken cancellation)
    {
        var sides = (await mirrors.All(cancellation)).SelectMany(m => m.Definition.Sides.Select((s, i) => (m.Id, Side: i, s.System))).Where(s => s.System == connection.System).Select(s => (s.Id, s.Side)).ToList();
        var (changed, told) = await events.LastHeard(connection.System, sides, address.OpenedAt, cancellation);
        var grace = TimeSpan.FromSeconds(30);
        if (changed is not { } found || found > now - grace || told >= found - grace)
        {
            return null;
        }

        var before = told is { } last ? $"the last event came on {last:d MMM} at {last:HH:mm} UTC" : "no event ever came";
        return $"A change made on {found:d MMM} at {found:HH:mm} UTC was found by reading, and {before}. Look in {connection.Name} whether its events still go to this address. Nothing is lost: each run reads all that changed.";
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Open(string key, EventsAsked asked, KeptEvents events, KeptConnections connections, TimeProvider clock, CancellationToken cancellation)
    {
        if ((await connections.All(cancellation)).All(c => c.System != key))
        {
            return TypedResults.NotFound();
        }

        var before = await events.AddressOf(key, cancellation);
        var header = asked.SignatureHeader?.Trim() is { Length: > 0 } named ? named : null;
        if (header is { } h && (h.Length > 60 || !h.All(c => char.IsAsciiLetterOrDigit(c) || c is '-' or '_')))
        {
            return SystemsEndpoints.Problem("The name of a header has letters, digits and hyphens, at most 60.");
        }

        if (asked.Secret is { Length: > 1024 } || (header is not null && string.IsNullOrEmpty(asked.Secret) && before?.HasSecret != true))
        {
            return SystemsEndpoints.Problem("Type what the events are signed with, as the system shows it: at most 1,024 characters.");
        }

        var token = before is null || asked.NewAddress ? Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(16)) : before.Token;
        await events.Open(new EventAddress(key, token, header, false, before?.OpenedAt ?? clock.GetUtcNow()), string.IsNullOrEmpty(asked.Secret) ? null : asked.Secret, cancellation);
        return TypedResults.NoContent();
    }

    private static async Task<NoContent> Close(string key, KeptEvents events, CancellationToken cancellation)
    {
        await events.Close(key, cancellation);
        return TypedResults.NoContent();
    }
}
