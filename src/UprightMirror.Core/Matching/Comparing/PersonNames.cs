using System.Collections.Frozen;
using System.Collections.Immutable;

namespace UprightMirror.Core.Matching.Comparing;

/// <summary>
/// Names of people, given and family name as one piece of evidence: the same in any order, with a short form or initials for the given name, with a
/// slip of the hand, or only one of the two.
/// </summary>
public sealed class PersonNames : Comparator
{
    private const double Alike = 0.92;

    /// <summary>Words that belong to the family name after them.</summary>
    private static readonly FrozenSet<string> Particles = new[] { "van", "von", "de", "der", "den", "del", "della", "di", "da", "dos", "du", "la", "le", "ter", "ten", "te", "o", "mac", "mc", "af", "av", "zu", "zum", "vom", "ni", "nic", "ui" }.ToFrozenSet(StringComparer.Ordinal);

    private static readonly FrozenSet<string> Titles = new[] { "mr", "mrs", "ms", "miss", "dr", "prof", "professor", "sir", "herr", "frau", "dhr", "mevr", "hr", "fru", "jr", "sr" }.ToFrozenSet(StringComparer.Ordinal);

    public override string Kind => "person";

    public override string Words => "name";

    public override ImmutableArray<string> Parts { get; } = ["given", "family", "name"];

    public override ImmutableArray<Level> Levels { get; } =
    [
        new("different", 0.01, 1), new("only the family name", 0.01, 0.005) { IsOfRelatives = true }, new("only the given name", 0.04, 0.01), new("the family name, and initials or nothing against it", 0.07, 0.0005),
        new("the family name, and a form of the given name", 0.12, 0.0005), new("the same but for a slip, or in the other order", 0.15, 0.0001), new("the same", 0.6, 0.0001),
    ];

    public override Prepared? Prepare(IReadOnlyList<string> parts)
    {
        var (given, family) = (Plain(parts[0]), Plain(parts[1]));
        if (given.Length == 0 && family.Length == 0 && parts.Count > 2 && parts[2].Length > 0)
        {
            (given, family) = Split(parts[2]);
        }

        return given.Length == 0 && family.Length == 0 ? null : new Name(given, family);
    }

    public override int Compare(Prepared a, Prepared b)
    {
        var (one, other) = ((Name)a, (Name)b);
        if (one.Given.Length > 0 && one.Given == other.Given && one.Family.Length > 0 && one.Family == other.Family)
        {
            return 6;
        }

        var straight = Straight(one, one.Family, other, other.Family);
        return straight < 4 && IsTurned(one, other) ? 5 : straight;
    }

    public override IEnumerable<string> InCommon(Prepared a, Prepared b, int level)
    {
        var (one, other) = ((Name)a, (Name)b);
        return level switch
        {
            6 => [$"g{one.Given}", $"f{one.Family}"],
            1 or 3 or 4 when one.Family.Length > 0 => [$"f{Either(one.Family, other.Family)}"],
            2 => [$"g{Either(one.Given, other.Given)}"],
            _ => [],
        };
    }

    private static string Either(string a, string b) => string.CompareOrdinal(a, b) <= 0 ? a : b;

    /// <summary>Whether the one's given name is the other's family name and the other way round, but for a slip.</summary>
    private static bool IsTurned(Name one, Name other) =>
        one.Given.Length > 1 && one.Family.Length > 1 && other.Given.Length > 1 && other.Family.Length > 1
        && ((one.Given == other.Family && IsSameOrSlip(one.Family, other.Given)) || (one.Family == other.Given && IsSameOrSlip(one.Given, other.Family)));

    private static bool IsSameOrSlip(string a, string b) => a == b || IsSlip(a, b);

    private static int Straight(Name one, string family, Name other, string otherFamily)
    {
        var families = family.Length == 0 || otherFamily.Length == 0 ? -1 : family == otherFamily ? 2 : IsSlip(family, otherFamily) || PartOf(family, otherFamily) ? 1 : 0;
        var givens = families == 0 && one.First != other.First ? 0 : Givens(one, other);
        return (families, givens) switch
        {
            (2, 3) => 6,
            (1, 3) or (2, 2) => 5,
            (2, 1) => 4,
            (1, 2) or (1, 1) => 4,
            (2 or 1, -1 or 0) when givens == -1 => 3,
            (2 or 1, _) => 1,
            (-1, 3) => 3,
            (0, 3) => 2,
            (-1, _) => givens > 0 ? 2 : Comparator.Different,
            _ => Comparator.Different,
        };
    }

    /// <returns>3 the same, 2 a slip, 1 a form of the other, -1 initials or nothing said, 0 different.</returns>
    private static int Givens(Name one, Name other)
    {
        var (a, b) = (one.Given, other.Given);
        if (a.Length == 0 || b.Length == 0 || ((one.IsInitials || other.IsInitials) && Initials.Fit(a, b)))
        {
            return -1;
        }

        if (one.First == other.First)
        {
            return 3;
        }

        return one.Forms.Overlaps(other.Forms) || (Math.Min(a.Length, b.Length) > 2 && (a.StartsWith(b, StringComparison.Ordinal) || b.StartsWith(a, StringComparison.Ordinal))) ? 1
            : IsSlip(one.First, other.First) ? 2
            : 0;
    }

    private static bool IsSlip(string a, string b) =>
        Math.Min(a.Length, b.Length) > 3 && (DamerauLevenshtein.Distance(a, b, 1) <= 1 || (Math.Min(a.Length, b.Length) > 6 && JaroWinkler.Likeness(a, b) >= Alike && DamerauLevenshtein.Distance(a, b, 2) <= 2));

    /// <summary>Half of a double name: Voll of Voll Lunde.</summary>
    private static bool PartOf(string a, string b) => a.Length > 3 && b.Length > 3 && a.Length != b.Length && (a.Length > b.Length ? a : b).Split(' ') is { Length: > 1 } words && words.Contains(a.Length > b.Length ? b : a);

    private static string FirstOf(string given) => given.IndexOf(' ', StringComparison.Ordinal) is > 0 and var gap && gap > 1 ? given[..gap] : given;

    private static string Plain(string text) => string.Join(' ', Folding.Words(text).Split(' ', StringSplitOptions.RemoveEmptyEntries).Where(w => !Titles.Contains(w)));

    private static (string Given, string Family) Split(string text)
    {
        if (text.Split(',', 2) is [var before, var after] && after.Trim().Length > 0)
        {
            return (Plain(after), Plain(before));
        }

        var words = Plain(text).Split(' ', StringSplitOptions.RemoveEmptyEntries);
        if (words.Length < 2)
        {
            return ("", words.FirstOrDefault() ?? "");
        }

        var from = words.Length - 1;
        while (from > 1 && Particles.Contains(words[from - 1]))
        {
            from--;
        }

        return (string.Join(' ', words[..from]), string.Join(' ', words[from..]));
    }

    private sealed record Name(string Given, string Family) : Prepared($"{Given}|{Family}")
    {
        public string First { get; } = FirstOf(Given);

        public bool IsInitials { get; } = Initials.IsInitials(Given);

        /// <summary>The names that the given name may be a form of.</summary>
        public FrozenSet<string> Forms { get; } = GivenNames.FormsOf(FirstOf(Given));

        public override IReadOnlyList<string> Names => [$"g{this.Given}", $"f{this.Family}"];

        public override IEnumerable<string> Keys
        {
            get
            {
                var (given, family) = (this.First, this.Family);
                if (given.Length > 0 && family.Length > 0)
                {
                    // In either order, and by sound.
                    yield return string.CompareOrdinal(given, family) < 0 ? $"n{given} {family}" : $"n{family} {given}";
                    yield return $"k{Skeleton.Of(family)} {given[0]}";
                    foreach (var form in this.Forms)
                    {
                        yield return $"v{family} {form}";
                    }
                }
            }
        }

        public override IEnumerable<string> HalfKeys => this.Family.Length > 0 ? [$"f{Skeleton.Of(this.Family)}", .. this.Given.Length > 1 ? [$"g{this.First}"] : Array.Empty<string>()] : [];
    }
}
