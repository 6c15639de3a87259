using System.Security.Cryptography;
using System.Text;
using System.Text.RegularExpressions;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Events;
using UprightMirror.Storage;
using UprightMirror.Web.Running;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <param name="Path">Where its events are sent: a path of this site. Only administrators are told it.</param>
/// <param name="Admits">open, key or signed.</param>
/// <param name="UsedBy">The mirrors that a side of is what comes here.</param>
/// <param name="Records">How many records are known by the events.</param>
/// <param name="Waiting">How many events were not worked through yet.</param>
public sealed record InboxShown(
    string Collection, string? Path, string Admits, string? Header, bool HasSecret, string? RecordField, string IdField, string? TimeField, IReadOnlyList<string> UsedBy, int Records, int Waiting, IReadOnlyList<InboxEventShown> Last);

/// <param name="Outcome">waiting, taken, older (the record was known newer), again or refused.</param>
public sealed record InboxEventShown(long Id, DateTimeOffset ReceivedAt, DateTimeOffset SaidAt, string Outcome, string? Reason, string Form, string? RecordId, string Body);

/// <param name="Admits">open, key or signed.</param>
/// <param name="Header">The header that carries the key or the signature; left out for signatures as the Standard Webhooks specification has them.</param>
/// <param name="Secret">Left out to keep what is kept.</param>
/// <param name="NewAddress">True to close the address that there is and open another.</param>
public sealed record InboxAsked(string Admits, string? Header, string? Secret, string? RecordField, string IdField, string? TimeField, bool NewAddress = false);

/// <summary>The addresses that a system sends its records to, where it is one that sends them by itself.</summary>
internal static partial class InboxEndpoints
{
    private const int Shown = 50;
    private const int MostOfOne = 100;

    public static void MapInboxes(this RouteGroupBuilder api)
    {
        api.MapGet("/systems/{key}/inboxes", All).WithName("getInboxes");
        api.MapPut("/systems/{key}/inboxes/{collection}", Open).RequireAuthorization(Roles.Administrator).Audited("opened or changed the address for {collection} of {key}").WithName("openInbox");
        api.MapDelete("/systems/{key}/inboxes/{collection}", Close).RequireAuthorization(Roles.Administrator).Audited("closed the address for {collection} of {key}").WithName("closeInbox");
    }

    /// <summary>Takes what was sent to an inbox into its queue, and answers.</summary>
    /// <param name="secret">The key, or what is signed with; null where anybody may send.</param>
    public static async Task<IResult> Receive(Inbox inbox, string? secret, byte[] body, HttpRequest request, Arrivals arrivals, DateTimeOffset now, CancellationToken cancellation)
    {
        string? Header(string name) => request.Headers[name].FirstOrDefault();
        if (NotAdmitted(inbox, secret, body, Header, now) is { } no)
        {
            await Keep([Refused("unread", no, body, now)]);
            return Results.Problem(statusCode: 401, title: no);
        }

        var sent = await SentRecords.Read(body, request.ContentType, Header, new InboxForm(inbox.RecordField, inbox.IdField, inbox.TimeField), now);
        if (sent.Refused is { } why)
        {
            await Keep([Refused(sent.Form, why, body, now)]);
            return Results.Problem(statusCode: 400, title: why);
        }

        await Keep([.. sent.Records.Select(r => new InboxArrival(now, sent.Form, r.Id, r.SaidAt ?? now, r.Fingerprint, r.Record.GetRawText(), null))]);
        return Results.Accepted();

        Task Keep(IReadOnlyList<InboxArrival> came) => arrivals.Keep(inbox.Id, came, cancellation);
    }

    private static InboxArrival Refused(string form, string why, byte[] body, DateTimeOffset now) =>
        new(now, form, null, now, null, Masking.Secrets(Encoding.UTF8.GetString(body.AsSpan(0, Math.Min(body.Length, EventEndpoints.BodyKept))), []), why);

    private static string? NotAdmitted(Inbox inbox, string? secret, byte[] body, Func<string, string?> header, DateTimeOffset now) => inbox switch
    {
        { Admits: "open" } => null,
        { Admits: "key", Header: { } carrier } => secret is not null && header(carrier) is { Length: <= 1024 } given && CryptographicOperations.FixedTimeEquals(SHA256.HashData(Encoding.UTF8.GetBytes(given)), SHA256.HashData(Encoding.UTF8.GetBytes(secret)))
            ? null : $"The key in {carrier} is missing or is not right.",
        { Admits: "signed", Header: { } carrier } => secret is not null && ReceivedEvent.IsSigned(body, header(carrier), secret) ? null : $"The signature in {carrier} is missing or is not right.",
        _ => secret is not null && ReceivedEvent.IsSignedWithTime(body, header, secret, now) ? null : $"The signature in webhook-signature is missing or is not right, or its time is more than {ReceivedEvent.SignatureLasts.TotalMinutes:0} minutes away.",
    };

    private static async Task<Results<Ok<IReadOnlyList<InboxShown>>, NotFound>> All(string key, Inboxes inboxes, KeptConnections connections, Mirrors mirrors, HttpContext http, CancellationToken cancellation)
    {
        if ((await connections.All(cancellation)).All(c => c.System != key))
        {
            return TypedResults.NotFound();
        }

        var isAdministrator = http.User.IsInRole(Roles.Administrator);
        var mayRead = isAdministrator || http.User.IsInRole(Roles.Steward);
        var counts = await inboxes.Counts(key, cancellation);
        var used = await UsedBy(key, mirrors, cancellation);
        var shown = new List<InboxShown>();
        foreach (var inbox in await inboxes.Of(key, cancellation))
        {
            var last = await inboxes.Last(inbox.Id, Shown, cancellation);
            var (records, waiting) = counts.GetValueOrDefault(inbox.Id);
            shown.Add(new InboxShown(
                inbox.Collection, isAdministrator ? $"/events/{inbox.Token}" : null, inbox.Admits, inbox.Header, inbox.HasSecret, inbox.RecordField, inbox.IdField, inbox.TimeField, [.. used[inbox.Collection]], records, waiting,
                [.. last.Select(e => new InboxEventShown(
                    e.Id, e.ReceivedAt, e.SaidAt, e is { Outcome: "taken", WorkedAt: null } ? "waiting" : e.WasOlder == true ? "older" : e.Outcome, e.Reason, e.Form, mayRead ? e.RecordId : null, mayRead ? Masking.Secrets(Cut(e.Body), []) : Masking.Personal(Cut(e.Body))))]));
        }

        return TypedResults.Ok<IReadOnlyList<InboxShown>>(shown);
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Open(
        string key, string collection, InboxAsked asked, Inboxes inboxes, KeptConnections connections, Surveys surveys, TimeProvider clock, CancellationToken cancellation)
    {
        if ((await connections.All(cancellation)).FirstOrDefault(c => c.System == key) is not { } connection)
        {
            return TypedResults.NotFound();
        }

        var all = await inboxes.Of(key, cancellation);
        var before = all.FirstOrDefault(i => i.Collection == collection);
        if (Wrong(collection, asked, connection, before, all.Count) is { } wrong)
        {
            return SystemsEndpoints.Problem(wrong);
        }

        static string? Typed(string? text) => text?.Trim() is { Length: > 0 } typed ? typed : null;
        var token = before is null || asked.NewAddress ? Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(16)) : before.Token;
        await inboxes.Open(
            new Inbox(0, key, collection, token, asked.Admits, asked.Admits == "open" ? null : Typed(asked.Header), false, Typed(asked.RecordField), asked.IdField.Trim(), Typed(asked.TimeField), before?.OpenedAt ?? clock.GetUtcNow()),
            asked.Admits == "open" ? null : Typed(asked.Secret), cancellation);
        surveys.Begin(key);
        return TypedResults.NoContent();
    }

    private static string? Wrong(string collection, InboxAsked asked, KeptConnection connection, Inbox? before, int count) => asked switch
    {
        _ when connection.Protocol != "events" => $"{connection.Name} is read, and need not send its records. Add a system that sends them.",
        _ when !CollectionName().IsMatch(collection) => "Give what comes there a name of letters, digits and hyphens, at most 60: sign-ups.",
        _ when before is null && count >= MostOfOne => $"A system sends to at most {MostOfOne} addresses.",
        { Admits: not ("open" or "key" or "signed") } => "Say who may send: anybody, who has the key, or who signs.",
        { Header: { } header } when header.Trim() is { Length: > 0 } named && !HeaderName().IsMatch(named) => "The name of a header has letters, digits and hyphens, at most 60.",
        { Admits: "key", Header: var header } when string.IsNullOrWhiteSpace(header) => "Name the header that carries the key.",
        { Secret.Length: > 1024 } => "A key has at most 1,024 characters.",
        { Admits: not "open", Secret: null or "" } when before?.HasSecret != true => asked.Admits == "key" ? "Type the key that the sender sends along." : "Type what the events are signed with, as the system shows it.",
        { Admits: "key", Secret: { Length: > 0 and < 12 } } => "A key has at least 12 characters: it is all that keeps others from sending.",
        _ when string.IsNullOrWhiteSpace(asked.IdField) => "Name the field that tells one record from another: without it each event would be a record of its own.",
        _ when new[] { asked.IdField, asked.RecordField, asked.TimeField }.Any(f => f?.Length > 200) => "The name of a field has at most 200 characters.",
        _ => null,
    };

    private static async Task<Results<NoContent, ProblemHttpResult>> Close(string key, string collection, Inboxes inboxes, Mirrors mirrors, CancellationToken cancellation)
    {
        if ((await UsedBy(key, mirrors, cancellation))[collection].ToList() is { Count: > 0 } using_)
        {
            return SystemsEndpoints.Problem($"What comes here is a side of {string.Join(" and ", using_)}. Take it out of there first.");
        }

        await inboxes.Close(key, collection, cancellation);
        return TypedResults.NoContent();
    }

    private static async Task<ILookup<string, string>> UsedBy(string system, Mirrors mirrors, CancellationToken cancellation) =>
        (await mirrors.All(cancellation)).SelectMany(m => m.Definition.Sides.Where(s => s.System == system).Select(s => (Collection: s.Collection.Split('[')[0], m.Definition.Name))).Distinct().ToLookup(u => u.Collection, u => u.Name);

    private static string Cut(string text) => text.Length <= EventEndpoints.BodyKept ? text : text[..EventEndpoints.BodyKept];

    [GeneratedRegex("^[A-Za-z0-9][A-Za-z0-9_-]{0,59}$")]
    private static partial Regex CollectionName();

    [GeneratedRegex("^[A-Za-z0-9_-]{1,60}$")]
    private static partial Regex HeaderName();
}
