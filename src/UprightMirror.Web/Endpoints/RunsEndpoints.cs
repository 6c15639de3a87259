using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Storage;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <param name="State">waiting, running, paused (by a guard), finished, failed or stopped.</param>
/// <param name="Stage">While it runs: collecting, recognising, reconciling or delivering.</param>
public sealed record RunShown(long Id, string Mirror, string MirrorName, bool Rehearsal, string State, string StartedBy, DateTimeOffset StartedAt, DateTimeOffset? EndedAt, string? Stage, RunCounts Counts, string? Reason)
{
    /// <summary>True when it wrote something that can be undone.</summary>
    public bool CanUndo { get; init; }

    /// <summary>Who undid it; null when nobody did.</summary>
    public string? UndoneBy { get; init; }

    public DateTimeOffset? UndoneAt { get; init; }

    /// <summary>What a guard paused it at, a sentence each; empty for nothing.</summary>
    public IReadOnlyList<GuardShown> Guarded { get; init; } = [];

    /// <summary>What a person answered to the guard: once, always or stop; null while it waits for an answer.</summary>
    public string? GuardAnswer { get; init; }

    public string? GuardAnsweredBy { get; init; }

    /// <summary>How many records its undo set aside that nobody has let go on yet.</summary>
    public int SetAside { get; init; }

    /// <summary>The version that it went by; null where that is not known any more.</summary>
    public int? Version { get; init; }

    /// <summary>True for the rehearsal of a draft, which was begun from that version.</summary>
    public bool OfDraft { get; init; }
}

public sealed record RunPage(RunShown Run, IReadOnlyList<RunRecordView> Records, int Total);

internal static class RunsEndpoints
{
    public static void MapRuns(this RouteGroupBuilder api)
    {
        api.MapGet("/runs", List).WithName("getRuns");
        api.MapGet("/runs/{id:long}", Page).WithName("getRun");
        api.MapPost("/runs/{id:long}/stop", async Task<Results<NoContent, ProblemHttpResult>> (long id, RunBook book, CancellationToken cancellation) =>
            await book.RequestStop(id, cancellation) ? TypedResults.NoContent() : TypedResults.Problem(statusCode: 409, title: "This run is not running any more.")).RequireAuthorization(Roles.Steward).WithName("stopRun");
    }

    public static RunShown Of(KeptRun run, KeptMirror mirror) => new(
        run.Id, mirror.Definition.Key, mirror.Definition.Name, run.Rehearsal, run.State, run.StartedBy, run.StartedAt, run.EndedAt, run.Stage?.ToLowerInvariant(), run.Counts, run.Reason)
    {
        CanUndo = run is { Rehearsal: false, Remembers: true, UndoneBy: null, State: not "running", Counts.Written: > 0 },
        UndoneBy = run.UndoneBy,
        UndoneAt = run.UndoneAt,
        SetAside = run.SetAside,
        Guarded = [.. run.Guarded.Select(g => new GuardShown(GuardsEndpoints.NameOf(g.What), g.Side, g.Count, g.Records, g.Gone, g.Limit.Number, g.Limit.Share))],
        GuardAnswer = run.GuardAnswer,
        GuardAnsweredBy = run.GuardAnsweredBy,
        Version = run.Version,
        OfDraft = run.OfDraft,
    };

    private static async Task<IReadOnlyList<RunShown>> List(string? mirror, long? before, RunBook book, Mirrors mirrors, CancellationToken cancellation)
    {
        var kept = (await mirrors.All(cancellation)).ToDictionary(m => m.Id);
        var only = mirror is null ? null : kept.Values.FirstOrDefault(m => m.Definition.Key == mirror);
        return [.. (await book.List(only?.Id, before, 100, cancellation)).Select(r => Of(r, kept[r.MirrorId]))];
    }

    private static async Task<Results<Ok<RunPage>, NotFound>> Page(long id, string? outcome, int? offset, RunBook book, Mirrors mirrors, Views views, CancellationToken cancellation)
    {
        if (await book.Find(id, cancellation) is not { } run)
        {
            return TypedResults.NotFound();
        }

        var (records, total) = await views.RunRecords(id, outcome, Math.Max(0, offset ?? 0), 200, cancellation);
        return TypedResults.Ok(new RunPage(Of(run, (await mirrors.All(cancellation)).First(m => m.Id == run.MirrorId)), records, total));
    }
}
