using System.Collections.Immutable;
using System.Security.Claims;
using Microsoft.AspNetCore.Http.HttpResults;
using Npgsql;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Values;
using UprightMirror.Engine;
using UprightMirror.Storage;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <param name="Left">What was left as it is because somebody changed it since, one sentence each.</param>
public sealed record DecisionUndone(IReadOnlyList<string> Left);

/// <summary>Another open conflict about the same fields, between the same sides, and what the same decision would make of it.</summary>
/// <param name="Before">What is agreed now, one for each field.</param>
/// <param name="Chosen">What would be agreed; null when the decision can't be made there.</param>
/// <param name="Why">Why it can't; null when it can.</param>
public sealed record AlikeShown(ConflictRow Conflict, IReadOnlyList<string> Before, IReadOnlyList<string>? Chosen, string? Why);

/// <param name="Revision">The revision that was on the screen.</param>
public sealed record AlikeAsked(long Id, int Revision);

/// <param name="Take">side, before or combine: what can be decided of several at once.</param>
public sealed record DecideAlikeAsked(string Mirror, string Take, int? Side, string? Comment, IReadOnlyList<AlikeAsked> Conflicts);

/// <param name="Failed">Why some could not be decided, by conflict.</param>
public sealed record AlikeDecided(IReadOnlyList<long> Made, IReadOnlyDictionary<long, string> Failed);

/// <summary>A rule that could settle the field.</summary>
/// <param name="Rank">The systems of its rank that matter: the first; empty where the rule goes by none.</param>
public sealed record RuleTried(string Words, string Rule, IReadOnlyList<string> Rank, int Agrees, int Asks, int Of, bool IsCurrent);

/// <summary>A past conflict, and how a rule would have decided it.</summary>
/// <param name="Would">Null when it would still have asked.</param>
public sealed record PastShown(long Id, string Title, IReadOnlyList<CompetingShown> Competing, IReadOnlyList<string> Decided, IReadOnlyList<string>? Would, string Why, bool Agrees, string Who, DateTimeOffset At);

/// <param name="Rules">The one that agrees best with what people decided first.</param>
/// <param name="Shown">Index of the rule that <paramref name="Past"/> is replayed by.</param>
public sealed record RulePage(string Mirror, string MirrorName, IReadOnlyList<string> Fields, IReadOnlyList<SideShown> Sides, IReadOnlyList<RuleTried> Rules, int Shown, IReadOnlyList<PastShown> Past);

/// <param name="Rank">The system that ranks first; null where the rule goes by none.</param>
public sealed record RuleAsked(IReadOnlyList<string> Fields, string Rule, string? Rank);

/// <summary>What follows from decisions: taking them back, deciding others the same way, and the rule that would have made them.</summary>
internal static class DecidedEndpoints
{
    private const int MostAtOnce = 1000;
    private const int MostPast = 500;

    public static void MapDecided(this RouteGroupBuilder api)
    {
        api.MapPost("/conflicts/{id:long}/undo", Undo).RequireAuthorization(Roles.Steward).WithName("undoDecision");
        api.MapGet("/conflicts/{id:long}/alike", Alike).WithName("getAlike");
        api.MapPost("/conflicts/alike", DecideAlike).RequireAuthorization(Roles.Steward).WithName("decideAlike");
        api.MapGet("/conflicts/{id:long}/rule", Rule).WithName("getRule");
        api.MapPost("/mirrors/{key}/draft/rule", SetRule).RequireAuthorization(Roles.Administrator).WithName("setRule");
    }

    private static async Task<Results<Ok<DecisionUndone>, NotFound, ProblemHttpResult>> Undo(long id, Views views, Mirrors mirrors, KeptConnections connections, NpgsqlDataSource database, TimeProvider clock, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (await views.Conflict(id, cancellation) is not { } conflict)
        {
            return TypedResults.NotFound();
        }

        var mirror = (await mirrors.All(cancellation)).First(m => m.Id == conflict.MirrorId);
        var (end, words) = await (await Of(mirror, connections, database, clock, cancellation)).Undo(id, user.Identity!.Name!, cancellation);
        return end == DecisionEnd.Made ? TypedResults.Ok(new DecisionUndone(words)) : TypedResults.Problem(statusCode: 409, title: string.Join(" ", words));
    }

    private static async Task<Results<Ok<IReadOnlyList<AlikeShown>>, NotFound, ProblemHttpResult>> Alike(
        long id, string take, int? side, Views views, Mirrors mirrors, KeptConnections connections, NpgsqlDataSource database, TimeProvider clock, CancellationToken cancellation)
    {
        if (AnswerOf(take, side) is not { } answer)
        {
            return TypedResults.Problem(statusCode: 400, title: "Others can be decided alike by side, before or combine.");
        }

        if (await views.Conflict(id, cancellation) is not { } conflict)
        {
            return TypedResults.NotFound();
        }

        var mirror = (await mirrors.All(cancellation)).First(m => m.Id == conflict.MirrorId);
        var shown = await Shown.With(connections, cancellation);
        var store = new DecisionStore(database, mirror.Id, mirror.Definition, clock);
        var deciding = await Of(mirror, connections, database, clock, cancellation);
        var alike = new List<AlikeShown>();
        foreach (var other in (await views.Conflicts(MostAtOnce, cancellation)).Where(c => c.Id != id && c.MirrorId == conflict.MirrorId && c.Fields.SequenceEqual(conflict.Fields) && c.Sides == conflict.Sides))
        {
            var (values, why) = await deciding.Foresee(other.Id, answer, cancellation);
            var record = await store.ReadLinked(other.Link, cancellation);
            alike.Add(new AlikeShown(
                ConflictEndpoints.Row(other, mirror, shown), [.. other.Fields.Select(f => record?.Agreed.GetValueOrDefault(f)?.Value.Display ?? "")], values is { } chosen ? [.. chosen.Select(v => v.Display)] : null, why));
        }

        return TypedResults.Ok<IReadOnlyList<AlikeShown>>(alike);
    }

    private static async Task<Results<Ok<AlikeDecided>, NotFound, ProblemHttpResult>> DecideAlike(
        DecideAlikeAsked asked, Mirrors mirrors, KeptConnections connections, NpgsqlDataSource database, TimeProvider clock, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (AnswerOf(asked.Take, asked.Side) is not { } answer || asked.Conflicts.Count is 0 or > MostAtOnce || ConflictEndpoints.IsTooLong(asked.Comment))
        {
            return TypedResults.Problem(statusCode: 400, title: $"1 to {MostAtOnce} conflicts can be decided alike, by side, before or combine.");
        }

        if (await mirrors.Find(asked.Mirror, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var deciding = await Of(mirror, connections, database, clock, cancellation);
        var made = new List<long>();
        var failed = new Dictionary<long, string>();
        foreach (var (id, revision) in asked.Conflicts)
        {
            var (end, why) = await deciding.Decide(id, revision, answer, user.Identity!.Name!, cancellation, ConflictEndpoints.Comment(asked.Comment));
            if (end == DecisionEnd.Made)
            {
                made.Add(id);
            }
            else
            {
                failed[id] = why!;
            }
        }

        return TypedResults.Ok(new AlikeDecided(made, failed));
    }

    private static async Task<Results<Ok<RulePage>, NotFound>> Rule(long id, int? by, Views views, Mirrors mirrors, KeptConnections connections, NpgsqlDataSource database, TimeProvider clock, CancellationToken cancellation)
    {
        if (await views.Conflict(id, cancellation) is not { } conflict)
        {
            return TypedResults.NotFound();
        }

        var mirror = (await mirrors.All(cancellation)).First(m => m.Id == conflict.MirrorId);
        var shown = await Shown.With(connections, cancellation);
        var names = shown.Names(mirror.Definition);
        var past = await new DecisionStore(database, mirror.Id, mirror.Definition, clock).ReadPast([.. conflict.Fields], MostPast, cancellation);
        var field = mirror.Definition.Fields.First(f => f.Name == conflict.Fields[0]);
        var replayed = RuleReplay.Of([.. past.Select(p => p.Conflict)], field.Type, names.Count, field.States, names);
        var at = Math.Clamp(by ?? 0, 0, replayed.Length - 1);
        return TypedResults.Ok(new RulePage(
            mirror.Definition.Key, mirror.Definition.Name, conflict.Fields, shown.Sides(mirror.Definition),
            [.. replayed.Select(r => new RuleTried(Words(r.Rule, names), r.Rule.Name, r.Rule is ByRank ? [mirror.Definition.Sides[r.Rule.Rank[0]].System] : [], r.Agrees, r.Asks, past.Count, IsCurrent(r.Rule, field, mirror)))],
            at,
            [.. past.Select((p, i) => new PastShown(
                p.Id, p.Title, [.. p.Conflict.Candidates.Select(c => new CompetingShown(c.Side >= 0 ? c.Side : null, [.. c.Values.Select(v => v.Display)], c.Side >= 0 ? names[c.Side] : null))], [.. p.Conflict.Decided.Select(v => v.Display)],
                replayed[at].Verdicts[i] is { IsConflict: false } verdict ? [.. verdict.Values.Select(v => v.Display)] : null, replayed[at].Verdicts[i].Why, replayed[at].AgreesOn(i, p.Conflict), p.Who, p.At))]));
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> SetRule(string key, RuleAsked asked, Mirrors mirrors, Drafts drafts, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var draft = await drafts.Of(mirror, cancellation);
        var sides = draft.Definition.Sides.Select(s => s.System).ToList();
        if (asked.Rule is not ("rank" or "latest" or "furthest" or "fullest" or "greatest" or "least" or "union" or "ask") || (asked.Rank is { } first && !sides.Contains(first)) || !asked.Fields.All(f => draft.Definition.Fields.Any(d => d.Name == f)))
        {
            return TypedResults.Problem(statusCode: 400, title: "That is no settling rule, or no field or side of this mirror's draft.");
        }

        var definition = draft.Definition with
        {
            Fields = [.. draft.Definition.Fields.Select(f => asked.Fields.Contains(f.Name) ? f with { Rule = asked.Rule, Rank = asked.Rank is { } system ? [system] : f.Rank } : f)],
        };
        return await drafts.Save(mirror, draft.Step, definition, $"Settle {string.Join(", ", asked.Fields)} by a rule made of decisions", user.Identity!.Name!, cancellation)
            ? TypedResults.NoContent()
            : TypedResults.Problem(statusCode: 409, title: "Somebody else edited this draft a moment ago. Look at it, then try again.");
    }

    private static async Task<Deciding> Of(KeptMirror mirror, KeptConnections connections, NpgsqlDataSource database, TimeProvider clock, CancellationToken cancellation) =>
        new(mirror.Definition, (await Shown.With(connections, cancellation)).Names(mirror.Definition), new DecisionStore(database, mirror.Id, mirror.Definition, clock), clock);

    private static Answer? AnswerOf(string take, int? side) => take switch
    {
        "side" => new Answer.TakeSide(side ?? Candidate.Person),
        "before" => new Answer.KeepBefore(),
        "combine" => new Answer.Combine(),
        _ => null,
    };

    internal static string Words(SettlingRule rule, IReadOnlyList<string> names) => rule switch
    {
        ByRank => $"{names[rule.Rank[0]]} ranks first",
        _ => char.ToUpperInvariant(rule.Words[0]) + rule.Words[1..],
    };

    private static bool IsCurrent(SettlingRule rule, Core.Mapping.AgreedFieldDefinition field, KeptMirror mirror) =>
        rule.Name == field.Rule && (rule is not ByRank || mirror.Definition.Sides[rule.Rank[0]].System == (field.Rank.IsEmpty ? mirror.Definition.Sides[0].System : field.Rank[0]));
}
