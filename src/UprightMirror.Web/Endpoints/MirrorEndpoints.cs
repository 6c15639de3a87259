using System.Security.Claims;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Timing;
using UprightMirror.Engine;
using UprightMirror.Storage;
using UprightMirror.Web.Running;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <param name="When">When it runs by itself, as a sentence.</param>
public sealed record MirrorRow(string Key, string Name, string RecordType, string State, int Version, string When, IReadOnlyList<SideShown> Sides, int Fields, int Records, RunShown? LastRun, DateTimeOffset? NextRun);

/// <param name="InPlainWords">Sentences about the mirror as a whole; each field carries its own.</param>
/// <param name="Sample">A record whose values the spine shows; null when the mirror has none.</param>
public sealed record MirrorPage(MirrorRow Mirror, IReadOnlyList<FieldShown> Fields, IReadOnlyList<string> InPlainWords, SampleShown? Sample, GuardsShown Guards);

/// <param name="Position">1 for the first.</param>
public sealed record SampleShown(Guid Link, string Title, int Position, int Of);

/// <param name="State">live or paused.</param>
public sealed record MirrorState(string State);

public sealed record RunStarted(long Run);

internal static class MirrorEndpoints
{
    private const int MostSampled = 10_000;

    public static void MapMirrors(this RouteGroupBuilder api)
    {
        api.MapGet("/mirrors", List).WithName("getMirrors");
        api.MapGet("/mirrors/{key}", Page).WithName("getMirror");
        api.MapPut("/mirrors/{key}/state", SetState).RequireAuthorization(Roles.Administrator).Audited("paused or resumed {key}").WithName("setState");
        api.MapPost("/mirrors/{key}/runs", (string key, bool? rehearse, bool? draft, int? sample, string? find, Mirrors mirrors, Drafts drafts, RunQueue queue, ClaimsPrincipal user, CancellationToken cancellation) => Start(key, rehearse == true, draft == true, new RunLimits(Sample: sample, Find: string.IsNullOrWhiteSpace(find) ? null : find.Trim()), mirrors, drafts, queue, user, cancellation))
            .RequireAuthorization(Roles.Steward).WithName("startRun");
    }

    private static async Task<IReadOnlyList<MirrorRow>> List(Mirrors mirrors, KeptConnections connections, RunBook book, Views views, MirrorSchedule schedule, CancellationToken cancellation)
    {
        var shown = await Shown.With(connections, cancellation);
        var rows = new List<MirrorRow>();
        var all = await mirrors.All(cancellation);
        var names = all.ToDictionary(m => m.Definition.Key, m => m.Definition.Name);
        foreach (var mirror in all)
        {
            rows.Add(await Row(mirror, names, shown, book, views, schedule, cancellation));
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
        var named = (await mirrors.All(cancellation)).ToDictionary(m => m.Definition.Key, m => m.Definition.Name);
        return TypedResults.Ok(new MirrorPage(
            await Row(mirror, named, shown, book, views, schedule, cancellation),
            shown.Fields(mirror.Definition, record),
            [.. PlainWords.OfMirror(mirror.Definition, shown.Names(mirror.Definition), k => named.GetValueOrDefault(k, k))],
            record is null ? null : new SampleShown(record.Link, record.Title, position, total),
            GuardsEndpoints.Shown(mirror.Guards)));
    }

    private static async Task<MirrorRow> Row(KeptMirror mirror, IReadOnlyDictionary<string, string> names, Shown shown, RunBook book, Views views, MirrorSchedule schedule, CancellationToken cancellation)
    {
        var last = (await book.List(mirror.Id, null, 1, cancellation)).FirstOrDefault();
        return new MirrorRow(
            mirror.Definition.Key, mirror.Definition.Name, mirror.Definition.RecordType, mirror.State, mirror.Version, TimingWords.Of(mirror.Definition.Timing, k => names.GetValueOrDefault(k, k)), shown.Sides(mirror.Definition),
            mirror.Definition.Fields.Length, await views.RecordCount(mirror.Id, cancellation), last is null ? null : RunsEndpoints.Of(last, mirror), await schedule.Next(mirror.Definition.Key, cancellation));
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> SetState(string key, MirrorState asked, Mirrors mirrors, MirrorSchedule schedule, CancellationToken cancellation)
    {
        if (asked.State is not ("live" or "paused"))
        {
            return TypedResults.Problem(statusCode: 400, title: "A mirror is live or paused.");
        }

        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        if (mirror.State == "draft")
        {
            return TypedResults.Problem(statusCode: 409, title: $"{mirror.Definition.Name} is a draft. Publish it first; then it can be paused.");
        }

        await mirrors.SetState(mirror.Id, asked.State, cancellation);
        await schedule.Apply(mirror with { State = asked.State }, cancellation);
        return TypedResults.NoContent();
    }

    private static async Task<Results<Accepted<RunStarted>, NotFound, ProblemHttpResult>> Start(string key, bool rehearse, bool ofDraft, RunLimits limits, Mirrors mirrors, Drafts drafts, RunQueue queue, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        if (limits is { Sample: < 1 or > MostSampled } or { Find.Length: > 200 } || (!rehearse && limits is { Sample: not null } or { Find: not null }))
        {
            return TypedResults.Problem(statusCode: 400, title: $"A rehearsal, not a run, may be of a sample of 1 to {MostSampled} records, or of those that a text of at most 200 characters finds.");
        }

        if (ofDraft && !rehearse)
        {
            return TypedResults.Problem(statusCode: 409, title: "A draft can be rehearsed, not run. Publish it first.");
        }

        if (mirror.State == "draft" && !ofDraft)
        {
            return TypedResults.Problem(statusCode: 409, title: $"{mirror.Definition.Name} is a draft. Publish it first; then it can run.");
        }

        if (ofDraft)
        {
            var draft = await drafts.Of(mirror, cancellation);
            if (draft.Definition.Fields.IsEmpty)
            {
                return TypedResults.Problem(statusCode: 409, title: $"Nothing is mapped in {draft.Definition.Name} yet: there is nothing to rehearse.");
            }

            mirror = mirror with { Definition = draft.Definition, InForce = mirror.Definition };
        }

        return await queue.Start(mirror, rehearse, user.Identity!.Name!, limits: limits) is { } run
            ? TypedResults.Accepted($"/api/runs/{run}", new RunStarted(run))
            : TypedResults.Problem(statusCode: 409, title: $"A run of {mirror.Definition.Name} is going on already.");
    }
}
