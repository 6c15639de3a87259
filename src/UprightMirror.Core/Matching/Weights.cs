using System.Collections.Immutable;

namespace UprightMirror.Core.Matching;

/// <summary>
/// What agreement at each level of each field is worth, after Fellegi and Sunter (1969): the logarithm of how much more often it is seen among
/// records that are one thing than among records that have nothing to do with each other. Learned from the records themselves by
/// expectation-maximisation (Dempster, Laird and Rubin 1977; for linkage Winkler 1988): over all pairs, those that share no key counting as strangers.
/// </summary>
/// <remarks>
/// Between the same and strangers stands a third class: relatives. Branches of one organisation share its name and web site, a parent and a child their
/// family name and house; fields agree together there though the things are two. What relatives are like is learned from the data like the rest.
/// </remarks>
public sealed class Weights
{
    private const int MostRounds = 80;
    private const int RandomPairs = 400_000;
    private const int MostLearnedFrom = 400_000;

    /// <summary>What is believed beforehand weighs as much as so many pairs.</summary>
    private const double Belief = 12;

    /// <summary>What a person said of a pair counts for so many that nobody looked at.</summary>
    private const double Judged = 5;

    private const double KnownFrom = 50;

    /// <summary>As they were learned before.</summary>
    [System.Text.Json.Serialization.JsonConstructor]
    public Weights(double[][] same, double[][] related, double[][] strangers, double prior, double relatedPrior) =>
        (this.Same, this.Related, this.Strangers, this.Prior, this.RelatedPrior) = (same, related, strangers, prior, relatedPrior);

    /// <summary>By field and level: the share of pairs that are one thing.</summary>
    public double[][] Same { get; }

    /// <summary>By field and level: the share of pairs that are two related things.</summary>
    public double[][] Related { get; }

    /// <summary>By field and level: the share of pairs that have nothing to do with each other.</summary>
    public double[][] Strangers { get; }

    /// <summary>The share of all pairs that are one thing.</summary>
    public double Prior { get; }

    /// <summary>The share of all pairs that are related.</summary>
    public double RelatedPrior { get; }

    /// <summary>The natural logarithm of the odds between one thing and strangers before any evidence.</summary>
    public double PriorWeight => Math.Log(this.Prior / (1 - this.Prior - this.RelatedPrior));

    /// <summary>The same between relatives and strangers.</summary>
    public double RelatedPriorWeight => Math.Log(this.RelatedPrior / (1 - this.Prior - this.RelatedPrior));

    /// <summary>Learns from candidate pairs.</summary>
    /// <param name="all">How many pairs there are in all, compared or not.</param>
    /// <param name="across">True for pairs of different sides.</param>
    /// <param name="known">
    /// How records that are one thing agree, where that was learned before: doubles on one side are so few that there is little to learn from, and what
    /// else is frequent there, such as namesakes, would be taken for them. Null to learn it.
    /// </param>
    /// <param name="judged">Pairs that people judged: what they said stands, and counts for several pairs that nobody looked at.</param>
    internal static Weights Learn(MatchSet set, Coincidences coincidences, IReadOnlyList<CandidatePair> pairs, double all, bool across, double[][]? known = null, IReadOnlyList<JudgedPairOf>? judged = null)
    {
        var fields = set.Comparators.Length;
        var drawn = ByChance(set);
        var alone = AgreedAlone(fields, pairs);
        for (var f = 0; f < fields; f++)
        {
            // Lots seldom draw what is rare; but whoever agrees in one field and in no other is a stranger, and is among the pairs.
            for (var l = 1; l < drawn[f].Length; l++)
            {
                drawn[f][l] = Math.Max(drawn[f][l], alone[f][l] / all);
            }

            // Counted whole where it can be: of what is rare, lots draw nothing.
            drawn[f][^1] = coincidences.AtTheTop(f) ?? drawn[f][^1];
        }

        var strangers = drawn.Select(d => (double[])d.Clone()).ToArray();
        var believed = set.Comparators.Select(c => c.Levels.Select(l => l.AmongSame).ToArray()).ToArray();
        var believedRelated = set.Comparators.Select(BelievedRelated).ToArray();
        var same = (known ?? believed).Select(b => (double[])b.Clone()).ToArray();
        var related = believedRelated.Select(b => (double[])b.Clone()).ToArray();

        // Some of the pairs tell as much as all, each with how rare what its two records share is: many strangers share a common name.
        var step = Math.Max(1, pairs.Count / MostLearnedFrom);
        var verdicts = (judged ?? []).ToDictionary(j => (Math.Min(j.A, j.B), Math.Max(j.A, j.B)), j => j.IsSame);
        CandidatePair[] learned =
        [
            .. verdicts.Keys.Select(p => new CandidatePair(p.Item1, p.Item2, set.Pattern(p.Item1, p.Item2), 1)),
            .. Enumerable.Range(0, (pairs.Count + step - 1) / step).Select(i => pairs[i * step]).Where(p => verdicts.Count == 0 || !verdicts.ContainsKey((p.A, p.B))),
        ];
        var said = verdicts.Values.ToArray();
        if (known is not null)
        {
            Blend(same, learned.Take(said.Length).Where((_, i) => said[i]));
        }

        var chances = new float[learned.Length * fields];
        Parallel.For(0, learned.Length, i =>
        {
            for (var f = 0; f < fields; f++)
            {
                var level = (int)(learned[i].Pattern >> (4 * f) & 15);
                chances[(i * fields) + f] = level == 15 ? 0 : (float)Math.Log(coincidences.Among(strangers, f, learned[i].A, learned[i].B, level));
            }
        });

        // Before anything is known: a third of the records have another half elsewhere, one in fifty a double beside it; relatives are as many.
        var prior = Math.Min(0.4, (across ? 0.33 : 0.02) * set.Count / Math.Max(1, all));
        var relatedPrior = prior;
        for (var round = 0; round < MostRounds; round++)
        {
            var (forSame, forRelated) = (Logarithms(same, drawn, strangers), Logarithms(related, drawn, strangers));
            var (before, beforeRelated) = (Math.Log(prior / (1 - prior - relatedPrior)), Math.Log(relatedPrior / (1 - prior - relatedPrior)));
            var countedSame = same.Select(s => new double[s.Length]).ToArray();
            var countedRelated = same.Select(s => new double[s.Length]).ToArray();
            var (sum, sumRelated) = (0.0, 0.0);
            for (var i = 0; i < learned.Length; i++)
            {
                var pattern = learned[i].Pattern;
                var (weight, relatedWeight) = (before, beforeRelated);
                for (var f = 0; f < fields; f++)
                {
                    var level = (int)(pattern >> (4 * f) & 15);
                    if (level != 15)
                    {
                        weight += forSame[f][level] - chances[(i * fields) + f];
                        relatedWeight += forRelated[f][level] - chances[(i * fields) + f];
                    }
                }

                var top = Math.Max(0, Math.Max(weight, relatedWeight));
                var (odds, relatedOdds) = (Math.Exp(weight - top), Math.Exp(relatedWeight - top));
                var whole = odds + relatedOdds + Math.Exp(-top);
                var (likely, likelyRelated, counts) = i >= said.Length ? (step * odds / whole, step * relatedOdds / whole, 1.0)
                    : said[i] ? (1, 0, Judged)
                    : (0, relatedOdds / (relatedOdds + Math.Exp(-top)), Judged);
                if (likely + likelyRelated < 1e-9)
                {
                    continue;
                }

                sum += likely;
                sumRelated += likelyRelated;
                for (var f = 0; f < fields; f++)
                {
                    var level = (int)(pattern >> (4 * f) & 15);
                    if (level != 15)
                    {
                        countedSame[f][level] += likely * counts;
                        countedRelated[f][level] += likelyRelated * counts;
                    }
                }
            }

            var moved = Math.Max(known is null ? Take(same, countedSame, believed) : 0, Take(related, countedRelated, believedRelated));
            prior = Math.Clamp((sum + 1) / (all + 1), 1e-15, 0.4);
            relatedPrior = Math.Clamp((sumRelated + 1) / (all + 1), 1e-15, 0.4);
            if (!across)
            {
                // Among pairs drawn by lot there were some that are one thing.
                for (var f = 0; f < fields; f++)
                {
                    for (var l = 0; l < same[f].Length; l++)
                    {
                        strangers[f][l] = Math.Max(drawn[f][l] * 0.02, drawn[f][l] - (prior * same[f][l]));
                    }
                }
            }

            if (moved < 1e-5)
            {
                break;
            }
        }

        return new Weights(same, related, strangers, prior, relatedPrior);
    }

    /// <summary>Shares that were learned elsewhere, as fifty pairs would show them, and pairs that people called the same beside them.</summary>
    private static void Blend(double[][] shares, IEnumerable<CandidatePair> same)
    {
        var counts = shares.Select(s => s.Select(share => share * KnownFrom).ToArray()).ToArray();
        foreach (var pair in same)
        {
            for (var f = 0; f < counts.Length; f++)
            {
                if ((int)(pair.Pattern >> (4 * f) & 15) is not 15 and var level)
                {
                    counts[f][level] += Judged;
                }
            }
        }

        for (var f = 0; f < shares.Length; f++)
        {
            shares[f] = [.. counts[f].Select(c => c / counts[f].Sum())];
        }
    }

    /// <summary>
    /// How relatives are believed to agree: as often not as so. What is called by a name of its own, a child or a branch, is seldom called quite the same.
    /// </summary>
    private static double[] BelievedRelated(Comparing.Comparator comparator)
    {
        var hasOwnName = comparator.Levels.Any(l => l.IsOfRelatives);
        var shares = comparator.Levels.Select((l, i) => ((hasOwnName && !l.IsOfRelatives ? 0.1 : 0.5) * l.AmongSame) + (i == 0 ? 0.5 : 0) + (l.IsOfRelatives ? 0.3 : 0)).ToArray();
        return [.. shares.Select(s => s / shares.Sum())];
    }

    /// <summary>By field and level, how many pairs agree so in that field and in nothing else that can be compared.</summary>
    private static long[][] AgreedAlone(int fields, IReadOnlyList<CandidatePair> pairs)
    {
        var alone = Enumerable.Range(0, fields).Select(_ => new long[16]).ToArray();
        foreach (var pair in pairs)
        {
            var (agreed, differs, only) = (0, 0, 0);
            for (var f = 0; f < fields; f++)
            {
                var level = (int)(pair.Pattern >> (4 * f) & 15);
                if (level == 0)
                {
                    differs++;
                }
                else if (level != 15)
                {
                    agreed++;
                    only = f;
                }
            }

            if (agreed == 1 && differs > 0)
            {
                alone[only][pair.Pattern >> (4 * only) & 15]++;
            }
        }

        return alone;
    }

    /// <summary>The shares as they were counted, with what was believed beforehand.</summary>
    /// <returns>How much the most changed of them moved.</returns>
    private static double Take(double[][] shares, double[][] counted, double[][] believed)
    {
        var moved = 0.0;
        for (var f = 0; f < shares.Length; f++)
        {
            var seen = counted[f].Sum();
            for (var l = 0; l < shares[f].Length; l++)
            {
                var now = (counted[f][l] + (Belief * believed[f][l])) / (seen + Belief);
                moved = Math.Max(moved, Math.Abs(now - shares[f][l]));
                shares[f][l] = now;
            }
        }

        return moved;
    }

    /// <summary>The logarithms of shares, with what strangers' shares have moved since they were drawn.</summary>
    private static double[][] Logarithms(double[][] of, double[][] drawn, double[][] strangers) =>
        [.. of.Select((shares, f) => shares.Select((share, l) => Math.Log(share) + Math.Log(drawn[f][l] / strangers[f][l])).ToArray())];

    /// <summary>
    /// How often two records that have nothing to do with each other agree, from pairs drawn by lot, the same ones each time. Of one side: there a
    /// pair that is one thing is rare.
    /// </summary>
    private static double[][] ByChance(MatchSet set)
    {
        var random = new Random(20260301);
        var counts = set.Comparators.Select(c => new double[c.Levels.Length]).ToArray();
        var drawn = (int)Math.Min(RandomPairs, (long)set.Count * (set.Count - 1) / 2 * 4);
        for (var n = 0; n < drawn; n++)
        {
            var (a, b) = (random.Next(set.Count), random.Next(set.Count));
            if (a == b || set.Sides[a] != set.Sides[b])
            {
                continue;
            }

            for (var f = 0; f < counts.Length; f++)
            {
                var level = set.Level(f, a, b);
                if (level >= 0)
                {
                    counts[f][level]++;
                }
            }
        }

        return [.. counts.Select((own, f) =>
        {
            var levels = set.Comparators[f].Levels;
            var seen = own.Sum();

            // Believed beforehand like so many pairs more: agreement that was never drawn is rare, not impossible.
            const double Before = 200;
            var rest = levels.Skip(1).Sum(l => l.AmongDifferent);
            return levels.Select((l, i) => (own[i] + (Before * (i == 0 ? Math.Max(0.01, 1 - rest) : l.AmongDifferent * 0.1))) / (seen + Before)).ToArray();
        })];
    }
}
