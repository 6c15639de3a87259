using System.Collections.Immutable;

namespace UprightMirror.Core.Matching;

/// <summary>What one field says of a pair.</summary>
/// <param name="Level">Index of the comparator's levels; -1 where one of the two says nothing.</param>
/// <param name="Weight">Natural logarithm of the odds that it adds; 0 where nothing can be compared.</param>
public sealed record FieldEvidence(int Field, int Level, double Weight);

/// <summary>All that speaks for and against a pair. Added up, it is the logarithm of the odds that the two are one thing.</summary>
/// <param name="Before">The odds before anything is compared: how rare it is that two records are one thing.</param>
/// <param name="Relatives">What it takes away that the two may be relatives, such as branches of one organisation; 0 or less.</param>
/// <param name="Rivals">What it takes away that one of them may be another record as well; 0 or less.</param>
public sealed record PairEvidence(double Before, ImmutableArray<FieldEvidence> Fields, double Relatives, double Rivals)
{
    public double Sum => this.Before + this.Fields.Sum(f => f.Weight) + this.Relatives + this.Rivals;
}

/// <summary>A pair that may be one thing.</summary>
/// <param name="Weight">Natural logarithm of the odds that the two are one thing.</param>
/// <param name="Rivals">How much of that others take away that may be the same as one of them; 0 or less.</param>
/// <param name="Ways">How many kinds of keys brought them together.</param>
public sealed record MatchedPair(int A, int B, double Weight, double Rivals, byte Ways)
{
    /// <summary>That the two are one thing, 0 to 1.</summary>
    public double Probability => 1 / (1 + Math.Exp(-this.Weight));
}

/// <summary>What a person said of two records, by their places among those that are matched.</summary>
public readonly record struct JudgedPairOf(int A, int B, bool IsSame);

/// <summary>
/// Finds the records that are one thing: brings together those worth comparing, learns from them what agreement is worth, and weighs each pair.
/// </summary>
public sealed class Matcher
{
    /// <summary>Pairs below these odds, 1 in 100, are not kept.</summary>
    private const double WorthKeeping = -4.6;

    /// <summary>From here no rarity of what two records share makes them one thing.</summary>
    private const double FarFrom = -14;

    private readonly MatchSet set;
    private readonly bool across;
    private readonly List<CandidatePair> candidates;
    private readonly Coincidences coincidences;
    private readonly double[][] average;
    private readonly double[][] averageRelated;

    private Matcher(MatchSet set, bool across, List<CandidatePair> candidates, BlockingReport report, Weights weights, Coincidences coincidences)
    {
        (this.set, this.across, this.candidates, this.Report, this.Weights, this.coincidences) = (set, across, candidates, report, weights, coincidences);
        this.average = Against(weights.Same);
        this.averageRelated = Against(weights.Related);

        double[][] Against(double[][] shares) => [.. shares.Zip(weights.Strangers, (own, strangers) => own.Zip(strangers, (m, u) => Math.Log(m / u)).ToArray())];
    }

    public BlockingReport Report { get; }

    /// <summary>The records that are matched.</summary>
    public MatchSet Set => this.set;

    public Weights Weights { get; }

    /// <summary>Compares and learns.</summary>
    /// <param name="across">True for records of different sides, of which at most one a side is the same thing; false to look for doubles on each side.</param>
    /// <param name="known">How records that are one thing agree, by field and level, where that was learned before; null to learn it.</param>
    /// <param name="judged">Pairs that people judged, by the records' places in the set.</param>
    public static Matcher Learn(MatchSet set, bool across, double[][]? known = null, IReadOnlyList<JudgedPairOf>? judged = null)
    {
        var (pairs, report) = Blocking.Pairs(set, across);
        double Pairs(double records) => records * (records - 1) / 2;
        var within = set.Sides.CountBy(s => s).Sum(s => Pairs(s.Value));
        var all = across ? Pairs(set.Count) - within : within;
        var coincidences = new Coincidences(set, across);
        var weights = Weights.Learn(set, coincidences, pairs, Math.Max(1, all), across, known, [.. (judged ?? []).Where(j => across != (set.Sides[j.A] == set.Sides[j.B]))]);
        for (var f = 0; f < set.Comparators.Length; f++)
        {
            coincidences.Correct(f, weights.Strangers[f][^1]);
        }

        return new Matcher(set, across, pairs, report, weights, coincidences);
    }

    /// <summary>A matcher of a few records, by what was learned from many.</summary>
    public static Matcher Of(MatchSet set, bool across, LearnedWeights learned) =>
        new(set, across, [], new BlockingReport(0, 0, 0), learned.Weights, new Coincidences(set, across, learned.Chances));

    /// <summary>What was learned, to be kept.</summary>
    public LearnedWeights Learned => new(this.Weights, this.coincidences.Learned);

    /// <summary>What speaks for one record being the same as each of the others that it can be compared with, worth keeping only, the likeliest first.</summary>
    public IReadOnlyList<MatchedPair> PairsOf(int record)
    {
        var weights = Enumerable.Range(0, this.set.Count)
            .Where(other => other != record && this.across != (this.set.Sides[other] == this.set.Sides[record]))
            .Select(other => (Other: other, Weight: this.WeightOf(record, other)))
            .Where(o => o.Weight >= WorthKeeping).ToList();
        return [.. weights.Select(o =>
        {
            // The odds of its rivals together: others of that side that this record may be. Doubles of this one are no rivals.
            var rivals = !this.across ? 0 : -Math.Log(1 + weights
                .Where(r => r.Other != o.Other && this.set.Sides[r.Other] == this.set.Sides[o.Other] && r.Weight > o.Weight - 14 && !this.AreDoubles(r.Other, o.Other))
                .Sum(r => Math.Exp(Math.Min(60, r.Weight))));
            return new MatchedPair(Math.Min(record, o.Other), Math.Max(record, o.Other), o.Weight + rivals, rivals, 1);
        }).Where(p => p.Weight >= WorthKeeping).OrderByDescending(p => p.Weight)];
    }

    /// <summary>Natural logarithm of the odds that two records are one thing, whatever else each may be.</summary>
    public double WeightOf(int a, int b) => this.Weight(a, b, this.set.Pattern(a, b));

    /// <summary>Every pair that is worth keeping, by what each record of it might be besides: across sides, one record is at most one thing of a side.</summary>
    public IReadOnlyList<MatchedPair> Pairs()
    {
        var weights = new double[this.candidates.Count];
        Parallel.For(0, weights.Length, i => weights[i] = this.Weight(this.candidates[i].A, this.candidates[i].B, this.candidates[i].Pattern));
        var likely = Enumerable.Range(0, weights.Length).Where(i => weights[i] >= WorthKeeping).ToList();
        if (!this.across)
        {
            return [.. likely.Select(i => new MatchedPair(this.candidates[i].A, this.candidates[i].B, weights[i], 0, this.candidates[i].Ways))];
        }

        // Who else each record might be, on the other's side.
        var rivals = likely.SelectMany(i => new[] { (Record: this.candidates[i].A, Other: this.candidates[i].B, i), (Record: this.candidates[i].B, Other: this.candidates[i].A, i) })
            .ToLookup(r => (r.Record, this.set.Sides[r.Other]), r => (r.Other, Weight: weights[r.i]));
        var made = new MatchedPair[likely.Count];
        Parallel.For(0, likely.Count, n =>
        {
            var pair = this.candidates[likely[n]];
            var weight = weights[likely[n]];
            var taken = -Math.Log(1 + Math.Max(Against(pair.A, pair.B), Against(pair.B, pair.A)));
            made[n] = new MatchedPair(pair.A, pair.B, weight + taken, taken, pair.Ways);

            // The odds of all rivals together. Doubles of this one are no rivals: either is the same thing.
            double Against(int record, int other) =>
                rivals[(record, this.set.Sides[other])].Where(r => r.Other != other && r.Weight > weight - 14 && !this.AreDoubles(r.Other, other)).Sum(r => Math.Exp(Math.Min(60, r.Weight)));
        });
        return [.. made.Where(m => m.Weight >= WorthKeeping)];
    }

    /// <summary>What speaks for and against a pair.</summary>
    public PairEvidence Evidence(MatchedPair pair)
    {
        var fields = ImmutableArray.CreateBuilder<FieldEvidence>();
        var related = this.Weights.RelatedPriorWeight;
        for (var f = 0; f < this.set.Comparators.Length; f++)
        {
            var level = this.set.Level(f, pair.A, pair.B);
            var chance = level < 0 ? 1 : this.Chance(f, pair.A, pair.B, level);
            fields.Add(new FieldEvidence(f, level, level < 0 ? 0 : Math.Log(this.Weights.Same[f][level] / chance)));
            related += level < 0 ? 0 : Math.Log(this.Weights.Related[f][level] / chance);
        }

        return new PairEvidence(this.Weights.PriorWeight, fields.ToImmutable(), -Softly(related), pair.Rivals);
    }

    /// <summary>
    /// About how many pairs that are one thing were never compared, by how many were brought together in one way only and in two (Chao 1987).
    /// </summary>
    public static double Missed(IReadOnlyList<MatchedPair> pairs)
    {
        double Found(int ways) => pairs.Where(p => p.Ways == ways).Sum(p => p.Probability);
        return Found(1) * Found(1) / (2 * Math.Max(1, Found(2)));
    }

    /// <summary>Whether two records of one side are one thing that was entered twice: nothing that both say is different, and they are no relatives.</summary>
    private bool AreDoubles(int a, int b)
    {
        var pattern = this.set.Pattern(a, b);
        return this.Weight(a, b, pattern) > 0 && !Enumerable.Range(0, this.set.Comparators.Length).Any(f => (int)(pattern >> (4 * f) & 15) is not 15 and var level && (level == 0 || this.set.Comparators[f].Levels[level].IsOfRelatives));
    }

    private double Weight(int a, int b, ulong pattern)
    {
        var (weight, related) = (this.Weights.PriorWeight, this.Weights.RelatedPriorWeight);
        for (var f = 0; f < this.set.Comparators.Length; f++)
        {
            var level = (int)(pattern >> (4 * f) & 15);
            if (level != 15)
            {
                weight += this.average[f][level];
                related += this.averageRelated[f][level];
            }
        }

        // Only where it could still decide anything it is looked at how rare what they share is.
        if (weight < FarFrom)
        {
            return weight - Softly(related);
        }

        (weight, related) = (this.Weights.PriorWeight, this.Weights.RelatedPriorWeight);
        for (var f = 0; f < this.set.Comparators.Length; f++)
        {
            var level = (int)(pattern >> (4 * f) & 15);
            if (level != 15)
            {
                var chance = this.Chance(f, a, b, level);
                weight += Math.Log(this.Weights.Same[f][level] / chance);
                related += Math.Log(this.Weights.Related[f][level] / chance);
            }
        }

        return weight - Softly(related);
    }

    private double Chance(int field, int a, int b, int level) => this.coincidences.Among(this.Weights.Strangers, field, a, b, level);

    /// <summary>The logarithm of one more than the odds: next to nothing for small ones.</summary>
    private static double Softly(double weight) => weight > 40 ? weight : Math.Log(1 + Math.Exp(weight));
}
