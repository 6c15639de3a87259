using System.Collections.Immutable;
using System.Security.Claims;
using System.Text.Json;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Storage;
using UprightMirror.Web.Running;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <summary>What a guard paused a run at.</summary>
/// <param name="What">creations, changes, removals or emptiedFields.</param>
/// <param name="Gone">True for records that were removed on the side itself.</param>
public sealed record GuardShown(string What, int Side, int Count, int Records, bool Gone, int LimitNumber, double LimitShare);

/// <param name="Share">0 to 1.</param>
public sealed record GuardLimitShown(int Number, double Share);

/// <summary>A mirror's guards; null for one that is off.</summary>
public sealed record GuardsShown(GuardLimitShown? Creations, GuardLimitShown? Changes, GuardLimitShown? Removals, GuardLimitShown? EmptiedFields);

/// <param name="Answer">once: this run's writes are made; always: they are, and as much passes from now on; stop: the mirror is paused.</param>
public sealed record GuardAnswered(string Answer);

/// <summary>A write that a run waits to make, that a rehearsal would have made, or that a run made.</summary>
/// <param name="Link">Null for a record that only a rehearsal linked.</param>
/// <param name="Kind">create, change or remove.</param>
public sealed record PlannedShown(Guid? Link, string Title, int Side, string Kind, string? RecordId, IReadOnlyList<PlannedField> Fields);

public sealed record PlannedField(string Field, string Now, string After);

/// <param name="Writes">The first of them: removals first, then creations.</param>
/// <param name="Total">How many there are of what was asked for.</param>
/// <param name="Counts">How many there are of each kind on each side, whatever was asked for.</param>
/// <param name="Held">Of a rehearsal, what it would have set aside, by what for, the commonest first.</param>
public sealed record PlannedPage(IReadOnlyList<SideShown> Sides, IReadOnlyList<PlannedShown> Writes, int Total, IReadOnlyList<PlannedOfKind> Counts, IReadOnlyList<RehearsedHeld> Held);

/// <param name="Pattern">The reason without what is only one record's.</param>
/// <param name="Examples">The first of the records, with the reason of each.</param>
public sealed record RehearsedHeld(int Side, string? Field, string Pattern, int Records, IReadOnlyList<RehearsedExample> Examples);

public sealed record RehearsedExample(string Title, string Reason);

/// <param name="Kind">change, create or remove.</param>
public sealed record PlannedOfKind(string Kind, int Side, int Count);

/// <summary>Guards: their limits, what a paused run waits to do, and the answer to it.</summary>
internal static class GuardsEndpoints
{
    private const int MostShown = 200;
    private const int MostAsked = 10_000;
    private const int MostExamples = 5;

    public static void MapGuards(this RouteGroupBuilder api)
    {
        api.MapPut("/mirrors/{key}/guards", SetGuards).RequireAuthorization(Roles.Administrator).Audited("changed what pauses {key}").WithName("setGuards");
        api.MapGet("/runs/{id:long}/planned", Planned).WithName("getPlanned");
        api.MapGet("/runs/{id:long}/planned.csv", PlannedCsv).WithName("getPlannedAsCsv");
        api.MapPost("/runs/{id:long}/guard", Answer).RequireAuthorization(Roles.Steward).WithName("answerGuard");
    }

    public static string NameOf(Guarded what) => what switch { Guarded.Creations => "creations", Guarded.Changes => "changes", Guarded.Removals => "removals", _ => "emptiedFields" };

    public static GuardsShown Shown(Guards guards)
    {
        return new GuardsShown(Of(guards.Creations), Of(guards.Changes), Of(guards.Removals), Of(guards.EmptiedFields));

        static GuardLimitShown? Of(GuardLimit? limit) => limit is null ? null : new GuardLimitShown(limit.Number, limit.Share);
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> SetGuards(string key, GuardsShown asked, Mirrors mirrors, CancellationToken cancellation)
    {
        if (new[] { asked.Creations, asked.Changes, asked.Removals, asked.EmptiedFields }.Any(l => l is not null && (l.Number is < 0 or > 100_000_000 || l.Share is < 0 or > 1 or double.NaN)))
        {
            return TypedResults.Problem(statusCode: 400, title: "A guard lets pass a number from 0 and a share from 0 to 100 % of the records.");
        }

        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        await mirrors.SetGuards(mirror.Id, new Guards(Of(asked.Creations), Of(asked.Changes), Of(asked.Removals), Of(asked.EmptiedFields)), cancellation);
        return TypedResults.NoContent();

        static GuardLimit? Of(GuardLimitShown? limit) => limit is null ? null : new GuardLimit(limit.Number, limit.Share);
    }

    /// <param name="kind">change, create or remove.</param>
    private static async Task<Results<Ok<PlannedPage>, NotFound>> Planned(long id, int? count, string? kind, int? side, string? text, RunBook book, Mirrors mirrors, KeptConnections connections, Views views, CancellationToken cancellation)
    {
        if (await book.Find(id, cancellation) is not { } run || (await mirrors.All(cancellation)).FirstOrDefault(m => m.Id == run.MirrorId) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var (writes, total) = await views.Planned(run, Only(kind, side, text), 0, Math.Clamp(count ?? MostShown, 1, MostAsked), cancellation);
        return TypedResults.Ok(new PlannedPage((await Endpoints.Shown.With(connections, cancellation)).Sides(mirror.Definition), [.. writes.Select(w => new PlannedShown(w.Link, w.Title, w.Side, w.Kind.ToLowerInvariant(), w.RecordId, FieldsOf(w.Fields)))], total,
            [.. (await views.PlannedCounts(run, cancellation)).Select(c => new PlannedOfKind(c.Kind.ToLowerInvariant(), c.Side, c.Count))],
            run.Rehearsal ? Held(await views.RehearsedHolds(run, cancellation)) : []));
    }

    private static List<RehearsedHeld> Held(IReadOnlyList<HoldView> holds) =>
        [.. holds.GroupBy(h => (h.Side, h.Field, HeldReason.Of(h.Reason, h.RecordId, h.Title, h.Answer).Pattern)).OrderByDescending(g => g.Count())
            .Select(g => new RehearsedHeld(g.Key.Side, g.Key.Field, g.Key.Pattern, g.Count(), [.. g.Take(MostExamples).Select(h => new RehearsedExample(h.Title, h.Reason))]))];

    private static PlannedOnly Only(string? kind, int? side, string? text) =>
        new(kind is "change" or "create" or "remove" ? char.ToUpperInvariant(kind[0]) + kind[1..] : null, side, text?.Length > 200 ? text[..200] : text);

    /// <summary>The writes of a run, a line for each value: before and after.</summary>
    private static async Task<IResult> PlannedCsv(long id, string? kind, int? side, string? text, Masked masked, ClaimsPrincipal user, RunBook book, Mirrors mirrors, KeptConnections connections, Views views, CancellationToken cancellation)
    {
        if (await book.Find(id, cancellation) is not { } run || (await mirrors.All(cancellation)).FirstOrDefault(m => m.Id == run.MirrorId) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var names = (await Endpoints.Shown.With(connections, cancellation)).Names(mirror.Definition);
        var mask = await masked.For(user, cancellation);
        IReadOnlyList<string> columns = ["What", "System", mirror.Definition.Name, "Id there", "Field", "Before", "After"];
        return CsvAnswer.Of($"{mirror.Definition.Key}-{(run.Rehearsal ? "rehearsal" : "run")}-{id}.csv", columns, Rows());

        async IAsyncEnumerable<IReadOnlyList<string?>> Rows()
        {
            for (var offset = 0; ; offset += MostAsked)
            {
                var (writes, _) = await views.Planned(run, Only(kind, side, text), offset, MostAsked, cancellation);
                foreach (var write in writes)
                {
                    foreach (var field in FieldsOf(write.Fields).DefaultIfEmpty(new PlannedField("", "", "")))
                    {
                        IReadOnlyList<string?> line = [write.Kind.ToLowerInvariant(), names[write.Side], write.Title, write.RecordId, field.Field, field.Now, field.After];
                        yield return mask?.Row(line, columns, (2, mirror.Definition.Key), field.Field, [5, 6]) ?? line;
                    }
                }

                if (writes.Count < MostAsked)
                {
                    yield break;
                }
            }
        }
    }

    private static IReadOnlyList<PlannedField> FieldsOf(string json)
    {
        using var document = JsonDocument.Parse(json);
        return [.. document.RootElement.EnumerateArray().Select(f => new PlannedField(f.GetProperty("field").GetString()!, ValueJson.ReadRaw(f.GetProperty("before")).Display, ValueJson.ReadRaw(f.GetProperty("raw")).Display))];
    }

    private static async Task<Results<Ok<GuardGone>, NotFound, ProblemHttpResult>> Answer(
        long id, GuardAnswered asked, RunBook book, Mirrors mirrors, MirrorSchedule schedule, RunQueue queue, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (asked.Answer is not ("once" or "always" or "stop"))
        {
            return TypedResults.Problem(statusCode: 400, title: "A guard is answered by once, always or stop.");
        }

        if (await book.Find(id, cancellation) is not { } run || (await mirrors.All(cancellation)).FirstOrDefault(m => m.Id == run.MirrorId) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        if (asked.Answer != "once" && !user.IsInRole(Roles.Administrator))
        {
            return TypedResults.Problem(statusCode: 403, title: "Only an administrator changes a mirror's guards or pauses it. You can let this run go on once.");
        }

        if (run is not { State: "paused", GuardAnswer: null })
        {
            return NotWaiting();
        }

        // The answer counts only with the run that it lets go on: one that is going on already looks at the guards by itself.
        var begun = asked.Answer == "stop" ? null : await queue.Start(mirror, rehearse: false, $"{user.Identity!.Name}, after the guard of run {id}", run.Guarded);
        if (asked.Answer != "stop" && begun is null)
        {
            return TypedResults.Problem(statusCode: 409, title: $"A run of {mirror.Definition.Name} is going on. Wait until it has ended, then answer.");
        }

        if (!await book.AnswerGuard(id, asked.Answer, user.Identity!.Name!, cancellation))
        {
            return NotWaiting();
        }

        if (asked.Answer == "stop")
        {
            await mirrors.SetState(mirror.Id, "paused", cancellation);
            await schedule.Apply(mirror with { State = "paused" }, cancellation);
        }
        else if (asked.Answer == "always")
        {
            await mirrors.SetGuards(mirror.Id, run.Guarded.Aggregate(mirror.Guards, (kept, found) => kept.Of(found.What) is { } limit ? kept.With(found.What, limit with { Number = Math.Max(limit.Number, found.Count) }) : kept), cancellation);
        }

        return TypedResults.Ok(new GuardGone(begun));

        static ProblemHttpResult NotWaiting() => TypedResults.Problem(statusCode: 409, title: "This run does not wait for an answer: somebody gave one, or it is not paused.");
    }
}

/// <param name="Run">The run that makes the writes; null where none was begun.</param>
public sealed record GuardGone(long? Run);
