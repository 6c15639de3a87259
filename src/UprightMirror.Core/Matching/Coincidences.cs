namespace UprightMirror.Core.Matching;

/// <summary>How often strangers share names of one kind.</summary>
/// <param name="Chance">That a stranger has what nobody else was seen to have.</param>
/// <param name="Typical">How common what strangers share is, on the average.</param>
/// <param name="Average">How often two strangers have the same.</param>
public sealed record NameChances(double Chance, double Typical, double Average)
{
    /// <summary>Of a kind of name that was never seen: next to impossible to share by chance.</summary>
    internal static readonly NameChances NeverSeen = new(1e-6, 0, 1e-6);
}

/// <summary>
/// How often strangers have the same by chance, name by name: a rare family name in common tells more than a common one. Counted within one side, so
/// that records which are one thing do not make what they share look common.
/// </summary>
internal sealed class Coincidences
{
    private readonly MatchSet set;
    private readonly bool across;

    /// <summary>By field and kind of name.</summary>
    private readonly Dictionary<char, NameChances>[] kinds;

    /// <param name="across">True where a record of another side may be the same thing; false where one of the same side may.</param>
    public Coincidences(MatchSet set, bool across)
    {
        (this.set, this.across) = (set, across);
        this.kinds = [.. set.Counts.Select((names, f) => names.GroupBy(n => n.Key[0]).ToDictionary(g => g.Key, g => Of(g.Select(n => n.Value), set.Said[f])))];
    }

    /// <summary>As they were learned before, for other records than those that they were learned from.</summary>
    public Coincidences(MatchSet set, bool across, IReadOnlyList<IReadOnlyDictionary<char, NameChances>> learned) =>
        (this.set, this.across, this.kinds) = (set, across, [.. learned.Select(k => k.ToDictionary())]);

    /// <summary>What was learned, by field and kind of name.</summary>
    public IReadOnlyList<IReadOnlyDictionary<char, NameChances>> Learned => this.kinds;

    /// <summary>Takes out what was counted as coincidence and is one thing entered twice, as far as that was learned.</summary>
    /// <param name="strangers">How often strangers have quite the same in a field.</param>
    public void Correct(int field, double strangers)
    {
        if (this.AtTheTop(field) is { } counted && strangers < counted)
        {
            // Of a value that is made of several names each carries its part.
            var part = Math.Pow(strangers / counted, 1.0 / this.NamesAtTheTop(field).Count());
            this.kinds[field] = this.kinds[field].ToDictionary(k => k.Key, k => k.Value with { Chance = k.Value.Chance * part });
        }
    }

    /// <summary>The chance that two strangers have just what these two have in common; null where that is not counted.</summary>
    private double? Chance(int field, int a, int b, int level)
    {
        double? chance = null;
        foreach (var name in this.set.InCommon(field, a, b, level))
        {
            chance = (chance ?? 1) * (this.Share(field, name) + this.ChancesOf(field, name).Chance);
        }

        return chance;
    }

    /// <summary>How often strangers have quite the same in a field, on the average; null where that is not counted.</summary>
    public double? AtTheTop(int field)
    {
        double? chance = null;
        foreach (var name in this.NamesAtTheTop(field))
        {
            chance = (chance ?? 1) * this.ChancesOf(field, name).Average;
        }

        return chance;
    }

    /// <summary>How often strangers agree in a field at a level, by how rare what these two have in common is.</summary>
    /// <param name="strangers">By field and level, how often strangers agree on the average.</param>
    public double Among(double[][] strangers, int field, int a, int b, int level) =>
        level == 0 ? strangers[field][level]
        : level == strangers[field].Length - 1 && this.Chance(field, a, b, level) is { } chance ? Math.Clamp(chance, 1e-12, 1)
        : strangers[field][level] * this.Ratio(field, a, b, level);

    /// <summary>How much rarer or more common than usual what they have in common is; 1 for as usual.</summary>
    private double Ratio(int field, int a, int b, int level)
    {
        var ratio = 1.0;
        foreach (var name in this.set.InCommon(field, a, b, level))
        {
            var (chance, typical, _) = this.ChancesOf(field, name);
            ratio *= (this.Share(field, name) + chance) / (typical + chance);
        }

        return Math.Clamp(ratio, 0.02, 50);
    }

    private NameChances ChancesOf(int field, string name) => this.kinds[field].GetValueOrDefault(name[0], NameChances.NeverSeen);

    private IEnumerable<string> NamesAtTheTop(int field) => this.set.Prepared[field].Take(1).SelectMany(p => this.set.Comparators[field].InCommon(p, p, this.set.Comparators[field].Levels.Length - 1));

    /// <summary>The share of other records that have a name, beside the two in question.</summary>
    private double Share(int field, string name)
    {
        var share = 0.0;
        var (counts, said) = (this.set.Counts[field][name], this.set.Said[field]);
        for (var s = 0; s < counts.Length; s++)
        {
            share = Math.Max(share, (counts[s] - (this.across ? 1 : 2)) / (double)Math.Max(1, said[s]));
        }

        return Math.Max(0, share);
    }

    private static NameChances Of(IEnumerable<int[]> counts, int[] said)
    {
        double pairs = 0, weighted = 0;
        foreach (var of in counts)
        {
            for (var s = 0; s < of.Length; s++)
            {
                pairs += of[s] * (of[s] - 1.0);
                weighted += of[s] * (of[s] - 1.0) * (of[s] - 1.0) / Math.Max(1, said[s]);
            }
        }

        // One pair of strangers more than were seen to have the same: what was never seen is rare, not impossible. And nothing that only two have is
        // as common as what many have.
        var all = said.Sum(n => n * (n - 1.0));
        var average = (pairs + 2) / (all + 2);
        return new NameChances(Math.Min(average, 1.0 / Math.Max(1, said.Max())), pairs > 0 ? weighted / pairs : 0, average);
    }
}
