using System.Globalization;
using System.Security.Claims;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Engine;
using UprightMirror.Storage;
using UprightMirror.Web.Running;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <param name="Mirrors">Every mirror, with how many of its records fit.</param>
public sealed record RecordList(string Mirror, string MirrorName, IReadOnlyList<SideShown> Sides, IReadOnlyList<RecordRow> Rows, int Total, IReadOnlyList<MirrorRecords> Mirrors);

public sealed record MirrorRecords(string Key, string Name, int Count);

/// <param name="Id">The record's id there; null when the side has none.</param>
public sealed record MemberShown(int Side, string? Id, DateTimeOffset? ChangedAt, string? ChangedBy, DateTimeOffset? SeenAt);

/// <param name="Kind">linked, met, agreed, superseded, written, created, removed, conflictOpened, conflictClosed, decided, held, released, refused, undone, leftScope, cameBack, flagged or unflagged.</param>
public sealed record EntryShown(long Id, long? Run, DateTimeOffset At, string Kind, int? Side, string? Field, string? Before, string? After, string Why, string? Who, DateTimeOffset? ChangedAt);

/// <summary>Records of a mirror that point at one by a field of theirs.</summary>
/// <param name="Count">How many; the newest of them are in <paramref name="Records"/>.</param>
public sealed record PointingShown(string Mirror, string MirrorName, string Field, int Count, IReadOnlyList<PointedShown> Records);

public sealed record RecordPage(
    Guid Link, string Mirror, string MirrorName, string RecordType, string Title, DateTimeOffset LinkedSince, bool Waiting, IReadOnlyList<SideShown> Sides, IReadOnlyList<MemberShown> Members, IReadOnlyList<FieldShown> Fields, IReadOnlyList<ConflictRow> Conflicts,
    IReadOnlyList<EntryShown> Timeline, IReadOnlyList<PointingShown> Pointing);

/// <param name="Query">What is searched for, as it stands in an address.</param>
public sealed record ViewAsked(string Name, string Query);

internal static class RecordEndpoints
{
    private const int MostRows = 1000;
    private const int MostEntries = 500;
    private const int MostViews = 50;
    private const int FirstPointing = 8;
    private const int MostPointing = 100;

    public static void MapRecords(this RouteGroupBuilder api)
    {
        api.MapGet("/records", List).WithName("getRecords");
        api.MapGet("/records.csv", Csv).WithName("getRecordsAsCsv");
        api.MapGet("/views", (SavedViews views, ClaimsPrincipal user, CancellationToken cancellation) => views.Of(Email(user), cancellation)).WithName("getViews");
        api.MapPost("/views", Keep).WithName("keepView");
        api.MapDelete("/views/{id:long}", async Task<Results<NoContent, NotFound>> (long id, SavedViews views, ClaimsPrincipal user, CancellationToken cancellation) =>
            await views.Remove(Email(user), id, cancellation) ? TypedResults.NoContent() : TypedResults.NotFound()).WithName("removeView");
        api.MapGet("/records/{link:guid}", Page).WithName("getRecord");
        api.MapGet("/records/{link:guid}/pointing", Pointing).WithName("getPointing");
        api.MapPost("/records/{link:guid}/read-again", ReadAgain).RequireAuthorization(Roles.Steward).WithName("readAgain");
    }

    private static async Task<Results<Ok<RecordList>, NotFound, ProblemHttpResult>> List(string? mirror, string? text, string? only, int? offset, int? count, Views views, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation)
    {
        if (text?.Length > 200 || only is not (null or "conflict" or "held"))
        {
            return TypedResults.Problem(statusCode: 400, title: "Search for at most 200 characters; only is conflict or held.");
        }

        // Where it is not said which mirror, the first that has any that fit.
        var all = await mirrors.All(cancellation);
        var counts = await views.RecordCounts([.. all.Select(m => m.Id)], text, only, cancellation);
        var kept = mirror is not null ? await mirrors.Find(mirror, cancellation) : all.FirstOrDefault(m => counts.ContainsKey(m.Id)) ?? all.FirstOrDefault();
        if (kept is null)
        {
            return all.Count == 0 && mirror is null ? TypedResults.Ok(new RecordList("", "", [], [], 0, [])) : TypedResults.NotFound();
        }

        var shown = await Shown.With(connections, cancellation);
        var rows = !counts.ContainsKey(kept.Id) ? [] : await views.Records(kept.Id, kept.Definition.Sides.Length, text, only, Math.Max(0, offset ?? 0), Math.Clamp(count ?? 100, 1, MostRows), cancellation);
        return TypedResults.Ok(new RecordList(kept.Definition.Key, kept.Definition.Name, shown.Sides(kept.Definition), rows, counts.GetValueOrDefault(kept.Id), [.. all.Select(m => new MirrorRecords(m.Definition.Key, m.Definition.Name, counts.GetValueOrDefault(m.Id)))]));
    }

    private static string Email(ClaimsPrincipal user) => user.FindFirstValue(ClaimTypes.NameIdentifier)!;

    private static async Task<Results<NoContent, ProblemHttpResult>> Keep(ViewAsked asked, SavedViews views, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (asked.Name.Trim() is not { Length: > 0 and <= 60 } name || asked.Query.Length > 1000)
        {
            return SystemsEndpoints.Problem("Give the view a name of at most 60 characters.");
        }

        if ((await views.Of(Email(user), cancellation)).Count >= MostViews)
        {
            return SystemsEndpoints.Problem($"You keep {MostViews} views already. Forget one first.");
        }

        await views.Keep(Email(user), name, asked.Query, cancellation);
        return TypedResults.NoContent();
    }

    /// <summary>What a search finds, with its ids on every side and what is agreed.</summary>
    private static async Task<IResult> Csv(string mirror, string? text, string? only, Masked masked, ClaimsPrincipal user, Views views, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation)
    {
        if (text?.Length > 200 || only is not (null or "conflict" or "held"))
        {
            return TypedResults.Problem(statusCode: 400, title: "Search for at most 200 characters; only is conflict or held.");
        }

        if (await mirrors.Find(mirror, cancellation) is not { } kept)
        {
            return TypedResults.NotFound();
        }

        var names = (await Shown.With(connections, cancellation)).Names(kept.Definition);
        IReadOnlyList<string> fields = [.. kept.Definition.Fields.Select(f => f.Name)];
        var mask = await masked.For(user, cancellation);
        IReadOnlyList<string> columns = [kept.Definition.Name, .. names, .. fields, "Conflicts", "Held", "Changed"];
        return CsvAnswer.Of($"{kept.Definition.Key}.csv", columns, Rows());

        async IAsyncEnumerable<IReadOnlyList<string?>> Rows()
        {
            for (var offset = 0; ;)
            {
                var part = await views.Records(kept.Id, names.Count, text, only, offset, MostRows, cancellation, bounded: false);
                var agreed = await views.AgreedOf([.. part.Select(r => r.Link)], cancellation);
                foreach (var row in part)
                {
                    var values = agreed.GetValueOrDefault(row.Link);
                    IReadOnlyList<string?> line = [row.Title, .. row.Ids, .. fields.Select(f => values?.GetValueOrDefault(f)), Number(row.Conflicts), Number(row.Holds), row.ChangedAt.ToUniversalTime().ToString("yyyy-MM-dd HH:mm:ss'Z'", CultureInfo.InvariantCulture)];
                    yield return mask?.Row(line, columns, (0, kept.Definition.Key)) ?? line;
                }

                offset += part.Count;
                if (part.Count < MostRows)
                {
                    yield break;
                }
            }
        }

        static string Number(int number) => number.ToString(CultureInfo.InvariantCulture);
    }

    private static async Task<Results<Ok<RecordPage>, NotFound>> Page(Guid link, Views views, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation) =>
        await Read(link, views, mirrors, connections, cancellation) is { } page ? TypedResults.Ok(page) : TypedResults.NotFound();

    /// <summary>A record with all that is known of it; null when there is none.</summary>
    public static async Task<RecordPage?> Read(Guid link, Views views, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation)
    {
        var all = await mirrors.All(cancellation);
        if (await views.Record(link, cancellation) is not { } record || all.FirstOrDefault(m => m.Id == record.MirrorId) is not { } mirror)
        {
            return null;
        }

        var shown = await Shown.With(connections, cancellation);
        // Two of one side in one link are held, and shown by the first until that is put right.
        var members = record.Members.DistinctBy(m => m.Side).ToDictionary(m => m.Side);
        var timeline = await views.Journal(mirror.Id, link, MostEntries, cancellation);
        return new RecordPage(
            link, mirror.Definition.Key, mirror.Definition.Name, mirror.Definition.RecordType, record.Title, record.CreatedAt, record.Waiting, shown.Sides(mirror.Definition),
            [.. mirror.Definition.Sides.Select((_, s) => members.TryGetValue(s, out var m) ? new MemberShown(s, m.Id, m.ChangedAt, m.ChangedBy, m.SeenAt) : new MemberShown(s, null, null, null, null))],
            shown.Fields(mirror.Definition, record, await Shown.Pointed(mirror.Definition, record, all, views, cancellation)),
            [.. (await views.ConflictsOf(mirror.Id, link, cancellation)).Select(c => ConflictEndpoints.Row(c, mirror, shown))],
            [.. timeline.Select(Of)],
            [.. (await views.Pointing(mirror.Id, link, FirstPointing, cancellation)).Join(all, p => p.MirrorId, m => m.Id, (by, of) => new PointingShown(
                of.Definition.Key, of.Definition.Name, by.Field, by.Count, [.. by.First.Select(r => new PointedShown(of.Definition.Key, r.Link, r.Title))]))]);
    }

    /// <summary>More of the records that point at one, from the nth on.</summary>
    private static async Task<Results<Ok<IReadOnlyList<PointedShown>>, NotFound>> Pointing(Guid link, string mirror, string field, int? offset, Views views, Mirrors mirrors, CancellationToken cancellation)
    {
        if (await mirrors.Find(mirror, cancellation) is not { } of)
        {
            return TypedResults.NotFound();
        }

        IReadOnlyList<PointedShown> found = [.. (await views.PointingBy(of.Id, field, link, Math.Max(0, offset ?? 0), MostPointing, cancellation)).Select(r => new PointedShown(mirror, r.Link, r.Title))];
        return TypedResults.Ok(found);
    }

    /// <summary>Reads one record on all of its sides now, and does with it what a run does.</summary>
    private static async Task<Results<Accepted<RunStarted>, NotFound, ProblemHttpResult>> ReadAgain(Guid link, Views views, Mirrors mirrors, RunQueue queue, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (await views.Record(link, cancellation) is not { } record || (await mirrors.All(cancellation)).FirstOrDefault(m => m.Id == record.MirrorId) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        if (mirror.State != "live")
        {
            return TypedResults.Problem(statusCode: 409, title: $"{mirror.Definition.Name} is {mirror.State}: nothing is read or written before it is live.");
        }

        return await queue.Start(mirror, false, $"{user.Identity!.Name}, to read one record again", limits: new RunLimits([.. record.Members.Select(m => new RecordPlace(m.Side, m.Id))])) is { } started
            ? TypedResults.Accepted($"/api/runs/{started}", new RunStarted(started))
            : TypedResults.Problem(statusCode: 409, title: $"A run of {mirror.Definition.Name} is going on. Read it again when that is over.");
    }

    public static EntryShown Of(JournalView entry) => new(
        entry.Id, entry.RunId, entry.At, char.ToLowerInvariant(entry.Kind[0]) + entry.Kind[1..], entry.Side, entry.Field, Shown.Text(entry.Before), Shown.Text(entry.After), entry.Why, entry.Who, entry.ChangedAt);
}
