using System.Security.Claims;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Engine;
using UprightMirror.Storage;
using UprightMirror.Web.Running;
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

    /// <summary>Of a rehearsal that decided about some records only: how many; null for all.</summary>
    public int? Sampled { get; init; }
}

/// <param name="Held">How many records it set aside that are held still.</param>
public sealed record RunPage(RunShown Run, IReadOnlyList<RunRecordView> Records, int Total, int Held);

/// <param name="Level">info, warning or error.</param>
public sealed record RunLineShown(int N, DateTimeOffset At, string Level, string Text);

/// <param name="Stage">collecting, recognising, reconciling or delivering.</param>
public sealed record StageSpentShown(string Stage, long Milliseconds);

/// <param name="What">Such as reading, or writing.</param>
/// <param name="Calls">For reading, pages.</param>
public sealed record CallsSpentShown(string System, string What, int Calls, int Failed, long Milliseconds, long SlowestMilliseconds);

/// <param name="Days">For so many days lines are kept.</param>
public sealed record RunLogShown(IReadOnlyList<RunLineShown> Lines, IReadOnlyList<StageSpentShown> Stages, IReadOnlyList<CallsSpentShown> Calls, int Days);

/// <param name="Days">1 to 3650.</param>
public sealed record LogKeeping(int Days);

internal static class RunsEndpoints
{
    public static void MapRuns(this RouteGroupBuilder api)
    {
        api.MapGet("/runs", List).WithName("getRuns");
        api.MapGet("/runs/{id:long}", Page).WithName("getRun");
        api.MapGet("/runs/{id:long}/log", Log).WithName("getRunLog");
        api.MapGet("/keeping", async (RunBook book, CancellationToken cancellation) => new LogKeeping(await book.LinesKept(cancellation))).RequireAuthorization(Roles.Administrator).WithName("getKeeping");
        api.MapPut("/keeping", Keep).RequireAuthorization(Roles.Administrator).Audited("changed for how long runs' logs are kept").WithName("setKeeping");
        api.MapPost("/runs/{id:long}/again", Again).RequireAuthorization(Roles.Steward).WithName("runAgain");
        api.MapPost("/runs/{id:long}/as-rehearsed", AsRehearsed).RequireAuthorization(Roles.Steward).WithName("runAsRehearsed");
        api.MapPost("/runs/{id:long}/stop", async Task<Results<NoContent, ProblemHttpResult>> (long id, RunBook book, CancellationToken cancellation) =>
            await book.RequestStop(id, cancellation) ? TypedResults.NoContent() : TypedResults.Problem(statusCode: 409, title: "This run is not running any more.")).RequireAuthorization(Roles.Steward).WithName("stopRun");
    }

    /// <summary>What a run told as it went, and where its time went.</summary>
    private static async Task<Results<Ok<RunLogShown>, NotFound>> Log(long id, bool? warnings, RunBook book, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation)
    {
        if (await book.Find(id, cancellation) is not { } run || await book.Spent(id, cancellation) is not { } spent)
        {
            return TypedResults.NotFound();
        }

        var names = (await Shown.With(connections, cancellation)).Names((await mirrors.All(cancellation)).First(m => m.Id == run.MirrorId).Definition);
        return TypedResults.Ok(new RunLogShown(
            [.. (await book.Lines(id, warnings == true, cancellation)).Select(l => new RunLineShown(l.N, l.At, l.Level.ToString().ToLowerInvariant(), l.Text))],
            [.. spent.Stages.Select(s => new StageSpentShown(s.Stage.ToString().ToLowerInvariant(), s.Milliseconds))],
            [.. spent.Calls.Select(c => new CallsSpentShown(c.System ?? names.ElementAtOrDefault(c.Side ?? -1) ?? "a side that is gone", c.What, c.Calls, c.Failed, c.Milliseconds, c.SlowestMilliseconds))],
            await book.LinesKept(cancellation)));
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> Keep(LogKeeping asked, RunBook book, CancellationToken cancellation)
    {
        if (asked.Days is < 1 or > 3650)
        {
            return SystemsEndpoints.Problem("Logs are kept for 1 to 3650 days.");
        }

        await book.KeepLines(asked.Days, cancellation);
        return TypedResults.NoContent();
    }

    /// <summary>Tries again what a run set aside, and nothing else.</summary>
    private static async Task<Results<Accepted<RunStarted>, NotFound, ProblemHttpResult>> Again(long id, RunBook book, HeldRecords held, Mirrors mirrors, RunQueue queue, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (await book.Find(id, cancellation) is not { Rehearsal: false } run)
        {
            return TypedResults.NotFound();
        }

        var mirror = (await mirrors.All(cancellation)).First(m => m.Id == run.MirrorId);
        var (holds, records) = await held.OfRun(mirror.Id, id, cancellation);
        if (holds.Count == 0)
        {
            return TypedResults.Problem(statusCode: 409, title: "Nothing of this run is held any more: it was tried again, or left out, since.");
        }

        await held.Release(holds, cancellation);
        return await queue.Start(mirror, false, $"{user.Identity!.Name}, for what run {id} set aside", limits: new RunLimits(records)) is { } started
            ? TypedResults.Accepted($"/api/runs/{started}", new RunStarted(started))
            : TypedResults.Problem(statusCode: 409, title: $"A run of {mirror.Definition.Name} is going on. What was set aside is taken up by it, or by the next.");
    }

    /// <summary>Makes the writes that a rehearsal showed, as far as they would still be made just so, and no other.</summary>
    private static async Task<Results<Accepted<RunStarted>, NotFound, ProblemHttpResult>> AsRehearsed(long id, RunBook book, Mirrors mirrors, RunQueue queue, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (await book.Find(id, cancellation) is not { Rehearsal: true } rehearsal)
        {
            return TypedResults.NotFound();
        }

        var mirror = (await mirrors.All(cancellation)).First(m => m.Id == rehearsal.MirrorId);
        return rehearsal switch
        {
            { State: not "finished" } => TypedResults.Problem(statusCode: 409, title: "The rehearsal did not come to its end: rehearse again."),
            { OfDraft: true } when rehearsal.Version == mirror.Version => TypedResults.Problem(statusCode: 409, title: "It was a draft that was rehearsed. Publish it first."),
            _ when mirror.State == "draft" => TypedResults.Problem(statusCode: 409, title: $"{mirror.Definition.Name} is a draft. Publish it first; then it can run."),
            _ => await queue.Start(mirror, false, $"{user.Identity!.Name}, as rehearsed in {id}", limits: new RunLimits(AsRehearsed: id)) is { } started
                ? TypedResults.Accepted($"/api/runs/{started}", new RunStarted(started))
                : TypedResults.Problem(statusCode: 409, title: $"A run of {mirror.Definition.Name} is going on already."),
        };
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
        Sampled = run.Sampled,
    };

    private static async Task<IReadOnlyList<RunShown>> List(string? mirror, long? before, RunBook book, Mirrors mirrors, CancellationToken cancellation)
    {
        var kept = (await mirrors.All(cancellation)).ToDictionary(m => m.Id);
        var only = mirror is null ? null : kept.Values.FirstOrDefault(m => m.Definition.Key == mirror);
        return [.. (await book.List(only?.Id, before, 100, cancellation)).Select(r => Of(r, kept[r.MirrorId]))];
    }

    private static async Task<Results<Ok<RunPage>, NotFound>> Page(long id, string? outcome, int? offset, RunBook book, Mirrors mirrors, Views views, HeldRecords held, CancellationToken cancellation)
    {
        if (await book.Find(id, cancellation) is not { } run)
        {
            return TypedResults.NotFound();
        }

        var (records, total) = await views.RunRecords(id, outcome, Math.Max(0, offset ?? 0), 200, cancellation);
        return TypedResults.Ok(new RunPage(Of(run, (await mirrors.All(cancellation)).First(m => m.Id == run.MirrorId)), records, total, (await held.OfRun(run.MirrorId, id, cancellation)).Holds.Count));
    }
}
