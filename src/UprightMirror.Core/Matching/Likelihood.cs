using System.Collections.Immutable;

namespace UprightMirror.Core.Matching;

/// <summary>What one piece of evidence says of a pair, as it is told.</summary>
/// <param name="Fields">The agreed fields that it is made of.</param>
/// <param name="Words">How far the two agree: "the same", "one digit apart"; "nothing to compare" where one of them says nothing.</param>
/// <param name="Bits">What it adds to the odds, as a power of two; below 0 it speaks against.</param>
public sealed record EvidenceLine(ImmutableArray<string> Fields, string Words, decimal Bits);

/// <summary>
/// How likely two records are one thing, as it is kept, shown and decided by: the binary logarithm of the odds, in lines of two decimals each, that
/// add up to the last digit. The likelihood is worked out of their sum and of nothing else.
/// </summary>
/// <param name="Before">Before any evidence: how rare it is that two records are one thing.</param>
/// <param name="Relatives">What it takes away that the two may be relatives; 0 or less.</param>
/// <param name="Rivals">What it takes away that one of them may be another record as well; 0 or less.</param>
public sealed record Likelihood(decimal Before, ImmutableArray<EvidenceLine> Lines, decimal Relatives, decimal Rivals)
{
    private const int Decimals = 2;

    /// <summary>Odds beyond 2 to the power of this are told as that.</summary>
    private const double Most = 200;

    [System.Text.Json.Serialization.JsonIgnore]
    public decimal Sum => this.Before + this.Lines.Sum(l => l.Bits) + this.Relatives + this.Rivals;

    /// <summary>That the two are one thing, 0 to 1.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public double Probability => 1 / (1 + Math.Pow(2, -(double)this.Sum));

    /// <param name="names">The agreed fields by the columns that the plan speaks of.</param>
    public static Likelihood Of(PairEvidence evidence, MatchPlan plan, IReadOnlyList<string> names) => new(
        Bits(evidence.Before),
        [.. evidence.Fields.Select(e =>
        {
            var field = plan.Fields[e.Field];
            return new EvidenceLine([.. field.Columns.Where(c => c >= 0).Select(c => names[c])], e.Level < 0 ? "nothing to compare" : field.Comparator.Levels[e.Level].Words, Bits(e.Weight));
        })],
        Bits(evidence.Relatives), Bits(evidence.Rivals));

    private static decimal Bits(double natural) => Math.Round((decimal)Math.Clamp(natural / Math.Log(2), -Most, Most), Decimals);
}
