using UprightMirror.Core.Mapping;

namespace UprightMirror.Core.Matching;

/// <summary>
/// What all records of a mirror come to when they are compared with each other: what was learned, which are linked by themselves and which a person is
/// asked about, each pair with its evidence.
/// </summary>
/// <param name="Likely">Pairs that are worth telling, with their evidence; those far below the line are not.</param>
public sealed record Resemblance(Matched Matched, LinkingPlan Plan, IReadOnlyDictionary<(int A, int B), Likelihood> Likely)
{
    /// <summary>Odds so far below the line at which a person is asked, as a natural logarithm, are still worth telling.</summary>
    private const double Margin = 1;

    /// <param name="texts">What each record says, by the evidence.</param>
    /// <param name="records">The same records, in the same order.</param>
    /// <param name="isDifferent">Whether a person said that two records are different.</param>
    /// <param name="judged">Pairs that people judged, to learn from; null to learn from the records alone.</param>
    /// <param name="from">Pairs from this likelihood on are told; null for a little below the line at which a person is asked.</param>
    public static Resemblance Of(LikenessDefinition likeness, int sides, IReadOnlyList<LinkableRecord> records, IReadOnlyList<IReadOnlyList<string>> texts, Func<int, int, bool> isDifferent, double? from = null, IReadOnlyList<JudgedPairOf>? judged = null)
    {
        var plan = likeness.Plan();
        var matched = MatchModel.Learn(plan, MatchSet.Of([.. Enumerable.Repeat(plan, sides)], [.. texts.Select((t, i) => (t, (byte)records[i].Side))]), judged);
        var likely = new Dictionary<(int, int), Likelihood>();
        var least = from is { } at ? Math.Log(at / (1 - at)) : Math.Log(likeness.AskAt / (1 - likeness.AskAt)) - Margin;
        LikelyPair[] Told(IReadOnlyList<MatchedPair> pairs, Matcher matcher) =>
        [
            .. pairs.Where(p => p.Weight >= least).Select(p =>
            {
                var likelihood = likely[(p.A, p.B)] = Likelihood.Of(matcher.Evidence(p), plan, likeness.Fields);
                return new LikelyPair(p.A, p.B, likelihood.Probability, p.Weight - p.Rivals);
            }),
        ];
        LikelyPair Double(int a, int b)
        {
            var weight = matched.Within.WeightOf(a, b);
            var likelihood = likely[(a, b)] = Likelihood.Of(matched.Within.Evidence(new MatchedPair(a, b, weight, 0, 1)), plan, likeness.Fields);
            return new LikelyPair(a, b, likelihood.Probability, weight);
        }

        var linking = Linking.Solve(records, Told(matched.AcrossPairs, matched.Across), Told(matched.WithinPairs, matched.Within), isDifferent, matched.Across.WeightOf, likeness.LinkAt, likeness.AskAt, Double);
        return new Resemblance(matched, linking, likely);
    }
}
