using System.Security.Claims;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Core.Mapping;
using UprightMirror.Storage;
using UprightMirror.Web.Running;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

public sealed record MirrorRow(string Key, string Name, string RecordType, string State, int Version, int? EveryMinutes, IReadOnlyList<SideShown> Sides, int Fields, int Records, RunShown? LastRun, DateTimeOffset? NextRun);

/// <param name="InPlainWords">Sentences about the mirror as a whole; each field carries its own.</param>
/// <param name="Sample">A record whose values the spine shows; null when the mirror has none.</param>
public sealed record MirrorPage(MirrorRow Mirror, IReadOnlyList<FieldShown> Fields, IReadOnlyList<string> InPlainWords, SampleShown? Sample, GuardsShown Guards);

/// <param name="Position">1 for the first.</param>
public sealed record SampleShown(Guid Link, string Title, int Position, int Of);

/// <param name="State">live or paused.</param>
/// <param name="EveryMinutes">1 to 10,080, or null to run by hand only.</param>
public sealed record Timing(string State, int? EveryMinutes);

public sealed record RunStarted(long Run);

internal static class MirrorEndpoints
{
    public static void MapMirrors(this RouteGroupBuilder api)
    {
        api.MapGet("/mirrors", List).WithName("getMirrors");
        api.MapGet("/mirrors/{key}", Page).WithName("getMirror");
        api.MapPut("/mirrors/{key}/timing", SetTiming).RequireAuthorization(Roles.Administrator).WithName("setTiming");
        api.MapPost("/mirrors/{key}/runs", (string key, bool? rehearse, Mirrors mirrors, RunQueue queue, ClaimsPrincipal user, CancellationToken cancellation) => Start(key, rehearse == true, mirrors, queue, user, cancellation))
            .RequireAuthorization(Roles.Steward).WithName("startRun");
    }

    private static async Task<IReadOnlyList<MirrorRow>> List(Mirrors mirrors, KeptConnections connections, RunBook book, Views views, MirrorSchedule schedule, CancellationToken cancellation)
    {
        var shown = await Shown.With(connections, cancellation);
        var rows = new List<MirrorRow>();
        foreach (var mirror in await mirrors.All(cancellation))
        {
            rows.Add(await Row(mirror, shown, book, views, schedule, cancellation));
        }

        return rows;
    }

    private static async Task<Results<Ok<MirrorPage>, NotFound>> Page(string key, int? sample, Mirrors mirrors, KeptConnections connections, RunBook book, Views views, MirrorSchedule schedule, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var shown = await Shown.With(connections, cancellation);
        var position = Math.Max(1, sample ?? 1);
        var total = await views.RecordCount(mirror.Id, null, cancellation);
        var rows = await views.Records(mirror.Id, mirror.Definition.Sides.Length, null, null, position - 1, 1, cancellation);
        var record = rows.Count == 0 ? null : await views.Record(rows[0].Link, cancellation);
        return TypedResults.Ok(new MirrorPage(
            await Row(mirror, shown, book, views, schedule, cancellation),
            shown.Fields(mirror.Definition, record),
            [.. PlainWords.OfMirror(mirror.Definition, shown.Names(mirror.Definition))],
            record is null ? null : new SampleShown(record.Link, record.Title, position, total),
            GuardsEndpoints.Shown(mirror.Guards)));
    }

    private static async Task<MirrorRow> Row(KeptMirror mirror, Shown shown, RunBook book, Views views, MirrorSchedule schedule, CancellationToken cancellation)
    {
        var last = (await book.List(mirror.Id, null, 1, cancellation)).FirstOrDefault();
        return new MirrorRow(
            mirror.Definition.Key, mirror.Definition.Name, mirror.Definition.RecordType, mirror.State, mirror.Version, mirror.EveryMinutes, shown.Sides(mirror.Definition),
            mirror.Definition.Fields.Length, await views.RecordCount(mirror.Id, cancellation), last is null ? null : RunsEndpoints.Of(last, mirror), await schedule.Next(mirror.Definition.Key, cancellation));
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> SetTiming(string key, Timing timing, Mirrors mirrors, MirrorSchedule schedule, CancellationToken cancellation)
    {
        if (timing.State is not ("live" or "paused") || timing.EveryMinutes is < 1 or > 10080)
        {
            return TypedResults.Problem(statusCode: 400, title: "A mirror is live or paused, and runs every 1 to 10,080 minutes (a week).");
        }

        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        if (mirror.State == "draft")
        {
            return TypedResults.Problem(statusCode: 409, title: $"{mirror.Definition.Name} is a draft. Publish it first; then it can be timed.");
        }

        await mirrors.SetTiming(mirror.Id, timing.State, timing.EveryMinutes, cancellation);
        await schedule.Apply(mirror with { State = timing.State, EveryMinutes = timing.EveryMinutes }, cancellation);
        return TypedResults.NoContent();
    }

    private static async Task<Results<Accepted<RunStarted>, NotFound, ProblemHttpResult>> Start(string key, bool rehearse, Mirrors mirrors, RunQueue queue, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        if (mirror.State == "draft")
        {
            return TypedResults.Problem(statusCode: 409, title: $"{mirror.Definition.Name} is a draft. Publish it first; then it can run.");
        }

        return await queue.Start(mirror, rehearse, user.Identity!.Name!) is { } run
            ? TypedResults.Accepted($"/api/runs/{run}", new RunStarted(run))
            : TypedResults.Problem(statusCode: 409, title: $"A run of {mirror.Definition.Name} is going on already.");
    }
}
