using System.Collections.Frozen;
using System.Collections.Immutable;

namespace UprightMirror.Core.Matching.Comparing;

/// <summary>
/// Names of organisations: without their legal form, "the" and "and", with common abbreviations written out, and compared word by word. Rare words
/// tell more than common ones; a word of initials stands for the words that begin so.
/// </summary>
public sealed class OrganisationNames : Comparator
{
    private const double NearlyTheSame = 0.86;
    private const double Much = 0.6;
    private const double Something = 0.3;
    private const int MostWords = 12;

    /// <summary>What stands at the end of a name and says only in which legal form it does business.</summary>
    private static readonly FrozenSet<string> LegalForms = new[]
    {
        "ltd", "limited", "plc", "llp", "lp", "cic", "clg", "dac", "teo", "teoranta", "uc", "llc", "inc", "incorporated", "corp", "corporation", "co", "company", "pty", "gmbh", "mbh", "ag", "kg", "ohg", "gbr", "ug", "ev", "eg", "kgaa", "se",
        "bv", "nv", "vof", "cv", "as", "asa", "ans", "da", "ab", "hb", "oy", "oyj", "aps", "sa", "sas", "sarl", "srl", "spa", "sl", "sro", "doo", "stichting", "vereniging", "foundation", "trust ltd",
    }.ToFrozenSet(StringComparer.Ordinal);

    private static readonly FrozenSet<string> Small = new[] { "the", "and", "und", "en", "og", "et", "of", "der", "die", "das", "de", "het", "la", "le" }.ToFrozenSet(StringComparer.Ordinal);

    private static readonly FrozenDictionary<string, string> Abbreviations = new Dictionary<string, string>
    {
        ["st"] = "saint",
        ["intl"] = "international",
        ["int"] = "international",
        ["assoc"] = "association",
        ["assn"] = "association",
        ["bros"] = "brothers",
        ["mfg"] = "manufacturing",
        ["svcs"] = "services",
        ["svc"] = "service",
        ["dept"] = "department",
        ["univ"] = "university",
        ["uni"] = "university",
        ["sch"] = "school",
        ["ctr"] = "centre",
        ["center"] = "centre",
        ["centr"] = "centre",
        ["mt"] = "mount",
        ["nat"] = "national",
        ["natl"] = "national",
        ["grp"] = "group",
        ["soc"] = "society",
        ["tech"] = "technology",
        ["hosp"] = "hospital",
        ["eng"] = "engineering",
        ["mgmt"] = "management",
        ["cc"] = "canoe club",
    }.ToFrozenDictionary(StringComparer.Ordinal);

    private readonly FrozenDictionary<string, double> rarity;

    public OrganisationNames()
        : this(FrozenDictionary<string, double>.Empty)
    {
    }

    private OrganisationNames(FrozenDictionary<string, double> rarity) => this.rarity = rarity;

    public override string Kind => "organisation";

    public override string Words => "name";

    public override ImmutableArray<string> Parts { get; } = ["organisation"];

    public override ImmutableArray<Level> Levels { get; } =
    [
        new("different", 0.02, 1), new("a rare word in common", 0.03, 0.01), new("much in common", 0.06, 0.003), new("the same and more", 0.05, 0.001) { IsOfRelatives = true }, new("nearly the same", 0.14, 0.0005), new("the same", 0.7, 0.0005),
    ];

    /// <summary>Every word's weight: 1 for one that stands in a single record, less the more it stands in.</summary>
    public override Comparator For(IReadOnlyList<(Prepared Value, int Count)> values)
    {
        var counts = new Dictionary<string, int>(StringComparer.Ordinal);
        var all = 0;
        foreach (var (value, count) in values)
        {
            all += count;
            foreach (var word in ((Organisation)value).Parts.Distinct())
            {
                counts[word] = counts.GetValueOrDefault(word) + count;
            }
        }

        var whole = Math.Log(Math.Max(20, all));
        return new OrganisationNames(counts.ToFrozenDictionary(w => w.Key, w => Math.Max(0.12, Math.Log((double)Math.Max(20, all) / w.Value) / whole), StringComparer.Ordinal));
    }

    /// <summary>Those that more than one record has; the others weigh 1.</summary>
    public override IReadOnlyDictionary<string, double> WordWeights => this.rarity.Where(w => w.Value < 1).ToDictionary(StringComparer.Ordinal);

    public override Comparator With(IReadOnlyDictionary<string, double> wordWeights) => new OrganisationNames(wordWeights.ToFrozenDictionary(StringComparer.Ordinal));

    public override Prepared? Prepare(IReadOnlyList<string> parts)
    {
        var words = Folding.Words(parts[0].Replace("&", " and ", StringComparison.Ordinal)).Split(' ', StringSplitOptions.RemoveEmptyEntries).SelectMany(w => (Abbreviations.GetValueOrDefault(w) ?? w).Split(' ')).ToList();
        if (words.Count == 0)
        {
            return null;
        }

        while (words.Count > 1 && (LegalForms.Contains(words[^1]) || Small.Contains(words[^1])))
        {
            words.RemoveAt(words.Count - 1);
        }

        var telling = words.Where(w => !Small.Contains(w)).Take(MostWords).ToImmutableArray();
        telling = telling.IsEmpty ? [.. words.Take(MostWords)] : telling;
        return new Organisation(string.Join(' ', telling), telling);
    }

    public override int Compare(Prepared a, Prepared b)
    {
        if (a.Text == b.Text)
        {
            return 5;
        }

        var (one, other) = (((Organisation)a).Parts, ((Organisation)b).Parts);
        (one, other) = (Unfolded(one, other), Unfolded(other, one));
        var likeness = TokenSets.Likeness(one, [.. one.Select(this.Weight)], other, [.. other.Select(this.Weight)]);

        // Written together or apart, or one slip in all: boat shed, boatshed.
        var (whole, its) = (string.Concat(one), string.Concat(other));
        return whole.Length > 7 && DamerauLevenshtein.Distance(whole, its, 1) <= 1 ? 4
            : one.Length != other.Length && (one.Length < other.Length ? HasAll(other, one) : HasAll(one, other)) ? 3
            : likeness >= NearlyTheSame ? 4
            : likeness >= Much ? 2
            : likeness >= Something ? 1
            : Different;
    }

    /// <summary>Whether a name has all words of another, and more: a branch is often called so, by its town.</summary>
    private static bool HasAll(ImmutableArray<string> longer, ImmutableArray<string> shorter) =>
        shorter.All(w => longer.Contains(w) || (w.Length > 3 && longer.Any(l => DamerauLevenshtein.Distance(l, w, 1) <= 1)));

    private double Weight(string word) => this.rarity.GetValueOrDefault(word, 1);

    /// <summary>Words of initials written out by the other name's words.</summary>
    private static ImmutableArray<string> Unfolded(ImmutableArray<string> words, ImmutableArray<string> other)
    {
        for (var i = 0; i < words.Length; i++)
        {
            if (words[i].Length is < 2 or > 5 || other.Contains(words[i]))
            {
                continue;
            }

            for (var from = 0; from + words[i].Length <= other.Length; from++)
            {
                var run = other.AsSpan(from, words[i].Length).ToArray();
                if (run.Zip(words[i]).All(p => p.First[0] == p.Second))
                {
                    return [.. words[..i], .. run, .. words[(i + 1)..]];
                }
            }
        }

        return words;
    }

    private sealed record Organisation(string Text, ImmutableArray<string> Parts) : Prepared(Text)
    {
        private const int MostForPairs = 6;

        public override IEnumerable<string> Keys
        {
            get
            {
                yield return $"o{string.Concat(this.Parts.Order(StringComparer.Ordinal))}";
                var words = this.Parts.Distinct().Take(MostForPairs).Order(StringComparer.Ordinal).ToList();
                for (var i = 0; i < words.Count; i++)
                {
                    yield return $"q{words[i]}";
                    for (var j = i + 1; j < words.Count; j++)
                    {
                        yield return $"q{words[i]} {words[j]}";
                    }
                }
            }
        }

        public override IEnumerable<string> HalfKeys => this.Parts.Take(MostForPairs).Select(w => $"h{Skeleton.Of(w)}").Distinct();

        public bool Equals(Organisation? other) => other is not null && this.Text == other.Text;

        public override int GetHashCode() => StringComparer.Ordinal.GetHashCode(this.Text);
    }
}
