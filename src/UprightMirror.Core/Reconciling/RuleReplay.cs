using System.Collections.Immutable;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Reconciling;

/// <summary>A conflict that a person decided.</summary>
/// <param name="Candidates">What competed.</param>
/// <param name="Before">What was agreed before, one for each field.</param>
/// <param name="Decided">What the person decided, one for each field.</param>
public sealed record PastConflict(ImmutableArray<Candidate> Candidates, ImmutableArray<Value> Before, ImmutableArray<Value> Decided);

/// <summary>How a rule would have decided past conflicts.</summary>
/// <param name="Verdicts">One for each, in their order.</param>
/// <param name="Agrees">How many it would have decided as the person did.</param>
/// <param name="Asks">How many it would still have asked about.</param>
public sealed record ReplayedRule(SettlingRule Rule, ImmutableArray<Verdict> Verdicts, int Agrees, int Asks)
{
    /// <summary>Whether the verdict on one past conflict is what the person decided.</summary>
    public bool AgreesOn(int at, PastConflict past) => SaysTheSame(this.Verdicts[at], past);

    internal static bool SaysTheSame(Verdict verdict, PastConflict past) => !verdict.IsConflict && verdict.Values.AsSpan().SequenceEqual(past.Decided.AsSpan());
}

/// <summary>Replays past conflicts under other rules, to find the rule that decides as people have.</summary>
public static class RuleReplay
{
    /// <summary>Every rule that could settle a field, the one that agrees best first; of equals, the simpler one.</summary>
    /// <param name="type">The field's type, or that of the first field of a group.</param>
    /// <param name="sides">How many sides the mirror has.</param>
    /// <param name="states">The field's states, furthest last; empty where it has none.</param>
    public static ImmutableArray<ReplayedRule> Of(IReadOnlyList<PastConflict> past, FieldType type, int sides, ImmutableArray<string> states, IReadOnlyList<string> names) =>
        [.. Rules(type, sides, states).Select(rule => Of(rule, past, names)).OrderByDescending(r => r.Agrees).ThenBy(r => r.Asks)];

    /// <summary>How one rule would have decided.</summary>
    public static ReplayedRule Of(SettlingRule rule, IReadOnlyList<PastConflict> past, IReadOnlyList<string> names)
    {
        ImmutableArray<Verdict> verdicts = [.. past.Select(p => rule.Decide(p.Candidates, p.Before, names))];
        return new ReplayedRule(rule, verdicts, verdicts.Where((v, i) => ReplayedRule.SaysTheSame(v, past[i])).Count(), verdicts.Count(v => v.IsConflict));
    }

    private static IEnumerable<SettlingRule> Rules(FieldType type, int sides, ImmutableArray<string> states)
    {
        var inOrder = SettlingRule.FullRank([], sides);
        for (var side = 0; side < sides; side++)
        {
            yield return new ByRank(SettlingRule.FullRank([side], sides));
        }

        yield return new Latest(inOrder);
        if (!states.IsEmpty)
        {
            yield return new FurthestAlong(inOrder, states);
        }

        if (type == FieldType.List)
        {
            yield return new AllOfThem(inOrder);
        }
        else
        {
            yield return new Fullest(inOrder);
        }

        if (type is FieldType.Number or FieldType.Date or FieldType.DateTime)
        {
            yield return new GreatestOrLeast(inOrder, true);
            yield return new GreatestOrLeast(inOrder, false);
        }
    }
}
