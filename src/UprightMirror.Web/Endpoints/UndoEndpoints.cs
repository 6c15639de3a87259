using System.Security.Claims;
using Microsoft.AspNetCore.Http.HttpResults;
using Npgsql;
using UprightMirror.Core.Reconciling;
using UprightMirror.Engine;
using UprightMirror.Storage;
using UprightMirror.Web.Running;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <param name="Now">What the side holds, as it writes it.</param>
/// <param name="Back">What it held before the run.</param>
public sealed record PutBackShown(string Field, string Now, string Back);

/// <summary>One write that an undo would make.</summary>
/// <param name="Kind">change, create or remove.</param>
/// <param name="RecordId">Null for a record that is created again.</param>
public sealed record InverseShown(int Side, string Kind, string? RecordId, IReadOnlyList<PutBackShown> Fields);

/// <param name="Left">What stays as it is because somebody changed it since, one sentence each.</param>
public sealed record UndoneRecordShown(Guid Link, string Title, IReadOnlyList<InverseShown> Writes, IReadOnlyList<string> Left);

/// <summary>What an undo would make of one side.</summary>
public sealed record UndoneSideShown(int Side, int Changed, int Removed, int CreatedAgain);

/// <param name="Records">The first of them.</param>
/// <param name="Of">How many there are: those that go back, and those of which something stays.</param>
/// <param name="Back">Records of which something goes back: they are set aside.</param>
/// <param name="Left">How much stays as it is.</param>
public sealed record UndoRehearsed(RunShown Run, IReadOnlyList<SideShown> Sides, IReadOnlyList<UndoneSideShown> BySide, IReadOnlyList<UndoneRecordShown> Records, int Of, int Back, int Left);

/// <param name="Back">Records that were set aside; their writes are made by the run that begins now.</param>
/// <param name="Run">That run; null when one was going on already, which makes them, or the next.</param>
public sealed record RunUndoneShown(int Back, int Left, long? Run);

/// <param name="Records">How many go on.</param>
public sealed record LetGoOn(int Records);

/// <summary>Taking a run back, or what it did to one record: rehearsed first.</summary>
internal static class UndoEndpoints
{
    private const int MostShown = 200;

    public static void MapUndo(this RouteGroupBuilder api)
    {
        api.MapGet("/runs/{id:long}/undo", Rehearse).RequireAuthorization(Roles.Steward).WithName("rehearseUndo");
        api.MapPost("/runs/{id:long}/undo", Undo).RequireAuthorization(Roles.Steward).WithName("undoRun");
        api.MapPost("/runs/{id:long}/undo/release", async (long id, Views views, CancellationToken cancellation) => TypedResults.Ok(new LetGoOn(await views.ReleaseUndone(id, cancellation))))
            .RequireAuthorization(Roles.Steward).WithName("releaseUndone");
    }

    private static async Task<Results<Ok<UndoRehearsed>, NotFound, ProblemHttpResult>> Rehearse(
        long id, Guid? link, RunBook book, Mirrors mirrors, KeptConnections connections, NpgsqlDataSource database, TimeProvider clock, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (await Find(id, book, mirrors, cancellation) is not ({ } run, { } mirror))
        {
            return TypedResults.NotFound();
        }

        if (Refusal(run, link) is { } why)
        {
            return TypedResults.Problem(statusCode: 409, title: why);
        }

        var shown = await Endpoints.Shown.With(connections, cancellation);
        await using var store = await UndoStore.Open(database, mirror.Id, mirror.Definition, clock, cancellation);
        var all = await new Undoing(mirror.Definition, shown.Names(mirror.Definition), store).Rehearse(id, link, user.Identity!.Name!, cancellation);
        var writes = all.SelectMany(u => u.PutBack).ToList();
        return TypedResults.Ok(new UndoRehearsed(
            RunsEndpoints.Of(run, mirror),
            shown.Sides(mirror.Definition),
            [.. writes.GroupBy(w => w.Side).OrderBy(g => g.Key).Select(g => new UndoneSideShown(g.Key, g.Count(w => w.Kind == WriteKind.Change), g.Count(w => w.Kind == WriteKind.Remove), g.Count(w => w.Kind == WriteKind.Create)))],
            [.. all.OrderByDescending(u => u.Left.Length > 0).ThenBy(u => u.Title, StringComparer.CurrentCultureIgnoreCase).Take(MostShown).Select(u => new UndoneRecordShown(
                u.Link, u.Title,
                [.. u.PutBack.Select(w => new InverseShown(w.Side, w.Kind.ToString().ToLowerInvariant(), w.RecordId, [.. w.Fields.Select(f => new PutBackShown(f.Field, f.Before.Display, f.Raw.Display))]))],
                u.Left))],
            all.Count,
            all.Count(u => !u.PutBack.IsEmpty),
            all.Sum(u => u.Left.Length)));
    }

    private static async Task<Results<Ok<RunUndoneShown>, NotFound, ProblemHttpResult>> Undo(
        long id, Guid? link, RunBook book, Mirrors mirrors, KeptConnections connections, NpgsqlDataSource database, TimeProvider clock, RunQueue queue, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (await Find(id, book, mirrors, cancellation) is not ({ } run, { } mirror))
        {
            return TypedResults.NotFound();
        }

        if (Refusal(run, link) is { } why)
        {
            return TypedResults.Problem(statusCode: 409, title: why);
        }

        var names = (await Endpoints.Shown.With(connections, cancellation)).Names(mirror.Definition);
        IReadOnlyList<UndoOfRecord>? undone;
        await using (var store = await UndoStore.Open(database, mirror.Id, mirror.Definition, clock, cancellation))
        {
            undone = await new Undoing(mirror.Definition, names, store).Undo(id, link, user.Identity!.Name!, cancellation);
        }

        if (undone is null)
        {
            return TypedResults.Problem(statusCode: 409, title: $"A run of {mirror.Definition.Name} is going on. Stop it, or wait until it has ended; then undo.");
        }

        var back = undone.Count(u => !u.PutBack.IsEmpty);
        return TypedResults.Ok(new RunUndoneShown(back, undone.Sum(u => u.Left.Length), back == 0 ? null : await queue.Start(mirror, rehearse: false, $"{user.Identity.Name}, undoing run {id}")));
    }

    /// <summary>Why a run can't be undone; null when it can.</summary>
    private static string? Refusal(KeptRun run, Guid? link) =>
        run.State == "running" ? "This run is still going on. Stop it first; then it can be undone."
        : run.Rehearsal ? "A rehearsal wrote nothing that could be undone."
        : !run.Remembers ? "This run is older than what undoing needs to remember."
        : run.UndoneBy is { } who && link is null ? $"{who} undid this run already."
        : null;

    private static async Task<(KeptRun?, KeptMirror?)> Find(long id, RunBook book, Mirrors mirrors, CancellationToken cancellation) =>
        await book.Find(id, cancellation) is { } run ? (run, (await mirrors.All(cancellation)).FirstOrDefault(m => m.Id == run.MirrorId)) : (null, null);
}
