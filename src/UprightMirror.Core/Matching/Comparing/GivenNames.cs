using System.Collections.Frozen;

namespace UprightMirror.Core.Matching.Comparing;

/// <summary>Given names that stand for each other: Bob for Robert, Seán for John. The table is <c>given-names.txt</c>, and can be longer.</summary>
public static class GivenNames
{
    private static readonly FrozenDictionary<string, FrozenSet<string>> Families = Read(Lines());

    /// <summary>Whether two folded names are known to stand for each other: one of them is a form of the other, or both are of a third.</summary>
    public static bool StandForEachOther(string a, string b) => Families.TryGetValue(a, out var of) && Families.TryGetValue(b, out var also) && of.Overlaps(also);

    /// <summary>The names that a name may be a form of; none for one that the table does not have.</summary>
    public static FrozenSet<string> FormsOf(string name) => Families.GetValueOrDefault(name) ?? FrozenSet<string>.Empty;

    /// <param name="lines">A name, a colon, its other forms with commas between; lines that begin with # are skipped.</param>
    internal static FrozenDictionary<string, FrozenSet<string>> Read(IEnumerable<string> lines) => lines
        .Where(l => l.Length > 0 && l[0] != '#')
        .Select(l => l.Split(':', 2))
        .SelectMany(l => l[1].Split(',').Append(l[0]).Select(n => (Form: Folding.Words(n), Of: Folding.Words(l[0]))))
        .GroupBy(p => p.Form, p => p.Of, StringComparer.Ordinal)
        .ToFrozenDictionary(g => g.Key, g => g.ToFrozenSet(StringComparer.Ordinal), StringComparer.Ordinal);

    private static IEnumerable<string> Lines()
    {
        using var reader = new StreamReader(typeof(GivenNames).Assembly.GetManifestResourceStream("UprightMirror.Core.Matching.Comparing.given-names.txt")!);
        while (reader.ReadLine() is { } line)
        {
            yield return line.Trim();
        }
    }
}
