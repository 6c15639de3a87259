using System.Collections.Immutable;

namespace UprightMirror.Core.Matching;

/// <summary>What agreement was found to be worth, and how often strangers share names.</summary>
/// <param name="Chances">By field and kind of name.</param>
public sealed record LearnedWeights(Weights Weights, IReadOnlyList<IReadOnlyDictionary<char, NameChances>> Chances);

/// <summary>
/// What was learned from all records of a mirror, kept: a record that comes later is weighed against the known ones as if it had been among them. How
/// many records have a name is kept beside it, name by name.
/// </summary>
/// <param name="Kinds">What is compared, by field: the comparator's kind.</param>
/// <param name="Words">By field, how much each word tells; those that tell most are left out.</param>
/// <param name="Said">By field and side: how many records say something.</param>
/// <param name="Across">For records of different sides; null where there were none.</param>
/// <param name="Within">For records of one side.</param>
/// <param name="Records">How many records it was learned from.</param>
/// <param name="Missed">About how many pairs that are one thing were never compared.</param>
public sealed record MatchModel(
    ImmutableArray<string> Kinds,
    IReadOnlyList<IReadOnlyDictionary<string, double>> Words,
    int[][] Said,
    LearnedWeights Across,
    LearnedWeights Within,
    int Records,
    double Missed)
{
    /// <summary>From so many pairs that are one thing it is known how such pairs agree.</summary>
    private const int EnoughPairs = 50;

    /// <summary>Learns from all records at once, and finds the pairs among them. Doubles on one side agree as records of different sides do that are one thing.</summary>
    /// <param name="judged">Pairs that people judged; null to learn from the records alone.</param>
    public static Matched Learn(MatchPlan plan, MatchSet set, IReadOnlyList<JudgedPairOf>? judged = null)
    {
        var across = Matcher.Learn(set, across: true, null, judged);
        var acrossPairs = across.Pairs();
        var within = Matcher.Learn(set, across: false, acrossPairs.Sum(p => p.Probability) >= EnoughPairs ? across.Weights.Same : null, judged);
        var withinPairs = within.Pairs();
        var model = new MatchModel(
            [.. plan.Fields.Select(f => f.Comparator.Kind)], [.. set.Comparators.Select(c => c.WordWeights)], set.Said, across.Learned, within.Learned, set.Count,
            Matcher.Missed(acrossPairs));
        return new Matched(model, across, acrossPairs, within, withinPairs);
    }

    /// <summary>Whether it was learned from the same kinds of evidence.</summary>
    public bool Fits(MatchPlan plan) => this.Kinds.SequenceEqual(plan.Fields.Select(f => f.Comparator.Kind));
}

/// <summary>What was learned from all records, and the pairs that were found.</summary>
public sealed record Matched(MatchModel Model, Matcher Across, IReadOnlyList<MatchedPair> AcrossPairs, Matcher Within, IReadOnlyList<MatchedPair> WithinPairs);
