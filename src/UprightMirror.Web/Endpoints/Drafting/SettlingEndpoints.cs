using System.Collections.Immutable;
using Microsoft.AspNetCore.Http.HttpResults;
using Npgsql;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Web.Endpoints.Drafting;

/// <summary>A rule, and what it would have made of the differences at hand.</summary>
/// <param name="Rank">The system that it puts first; empty where it goes by none.</param>
/// <param name="Settles">How many of the open conflicts it would settle.</param>
/// <param name="Agrees">How many of the decided ones it would have decided as the person did.</param>
public sealed record RuleAtHand(string Words, string Rule, IReadOnlyList<string> Rank, int Settles, int Agrees);

/// <summary>A real difference between sides.</summary>
/// <param name="Decided">What a person decided; null while it is open.</param>
/// <param name="Would">What each rule would choose, in the order of the rules; null where it would ask.</param>
public sealed record DifferenceAtHand(long Id, string Title, IReadOnlyList<CompetingShown> Competing, IReadOnlyList<string>? Decided, IReadOnlyList<IReadOnlyList<string>?> Would);

/// <param name="Open">How many conflicts are open; the first of them are among the differences.</param>
/// <param name="Past">How many decided ones were replayed.</param>
/// <param name="FormulaProblem">What is wrong with the formula that was asked about; null when nothing is, or none was.</param>
public sealed record SettlingAtHand(IReadOnlyList<string> Fields, IReadOnlyList<RuleAtHand> Rules, IReadOnlyList<DifferenceAtHand> Differences, int Open, int Past, string? FormulaProblem);

/// <summary>What each rule would have made of the differences that there really are.</summary>
internal static class SettlingEndpoints
{
    private const int MostOpen = 40;
    private const int MostPast = 200;
    private const int MostShown = 60;

    public static void MapSettling(this RouteGroupBuilder api) => api.MapGet("/mirrors/{key}/settling", AtHand).WithName("getSettling");

    private static async Task<Results<Ok<SettlingAtHand>, NotFound>> AtHand(string key, string field, string? formula, Mirrors mirrors, KeptConnections connections, Views views, NpgsqlDataSource database, TimeProvider clock, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror || mirror.Definition.Fields.FirstOrDefault(f => f.Name == field) is not { } definition)
        {
            return TypedResults.NotFound();
        }

        ImmutableArray<string> fields = definition.Group is { } group ? [.. mirror.Definition.Fields.Where(f => f.Group == group).Select(f => f.Name)] : [field];
        var names = (await Shown.With(connections, cancellation)).Names(mirror.Definition);
        var store = new DecisionStore(database, mirror.Id, mirror.Definition, clock);
        var waiting = (await views.Conflicts(1000, cancellation)).Where(c => c.MirrorId == mirror.Id && c.Fields.SequenceEqual(fields)).ToList();
        var open = new List<(long Id, string Title, PastConflict Conflict)>();
        foreach (var one in waiting.Take(MostOpen))
        {
            if (await store.ReadOpenConflict(one.Id, cancellation) is { } conflict && conflict.Values.Values.All(v => v is not null) && await store.ReadLinked(conflict.Link, cancellation) is { } record)
            {
                ImmutableArray<Value> before = [.. fields.Select(f => record.Agreed.GetValueOrDefault(f)?.Value ?? Value.Empty)];
                open.Add((one.Id, one.Title, new PastConflict([.. conflict.Values.Select(v => new Candidate(v.Key, v.Value!.Value, conflict.ChangedAt.TryGetValue(v.Key, out var at) ? at : null))], before, before)));
            }
        }

        var past = await store.ReadPast(fields, MostPast, cancellation);
        var all = open.Select(o => o.Conflict).Concat(past.Select(p => p.Conflict)).ToList();
        var asked = string.IsNullOrWhiteSpace(formula) || formula.Length > Formula.Longest ? null
            : new ByFormula(SettlingRule.FullRank([], names.Count), formula, definition.Type, [.. mirror.Definition.Sides.Select(s => s.System)]) { CodeLists = mirror.Definition.CodeLists, Now = clock.GetUtcNow() };
        var problem = asked?.Problem(names);
        var replayed = RuleReplay.Of(all, definition.Type, names.Count, definition.States, names)
            .Concat(asked is null || problem is not null || fields.Length > 1 ? [] : [RuleReplay.Of(asked, all, names)])
            .Select(r => (Replayed: r, Settles: r.Verdicts.Take(open.Count).Count(v => !v.IsConflict), Agrees: Enumerable.Range(open.Count, past.Count).Count(i => r.AgreesOn(i, all[i]))))
            .OrderByDescending(r => r.Replayed.Rule is ByFormula).ThenByDescending(r => r.Agrees).ThenByDescending(r => r.Settles).ToList();
        return TypedResults.Ok(new SettlingAtHand(
            fields,
            [.. replayed.Select(r => new RuleAtHand(DecidedEndpoints.Words(r.Replayed.Rule, names), r.Replayed.Rule.Name, r.Replayed.Rule is ByRank ? [mirror.Definition.Sides[r.Replayed.Rule.Rank[0]].System] : [], r.Settles, r.Agrees))],
            [.. open.Select(o => (o.Id, o.Title, o.Conflict, IsOpen: true)).Concat(past.Select(p => (p.Id, p.Title, p.Conflict, IsOpen: false))).Take(MostShown).Select((d, i) => new DifferenceAtHand(
                d.Id, d.Title,
                [.. d.Conflict.Candidates.Select(c => new CompetingShown(c.Side >= 0 ? c.Side : null, Displayed(c.Values), c.Side >= 0 ? names[c.Side] : null))],
                d.IsOpen ? null : Displayed(d.Conflict.Decided),
                [.. replayed.Select(r => r.Replayed.Verdicts[i] is { IsConflict: false } verdict ? Displayed(verdict.Values) : null)]))],
            waiting.Count,
            past.Count,
            problem));
    }

    private static IReadOnlyList<string> Displayed(ImmutableArray<Value> values) => [.. values.Select(v => v.Display)];
}
