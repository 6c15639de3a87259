using System.Collections.Frozen;
using System.Collections.Immutable;

namespace UprightMirror.Core.Formulas.Functions;

/// <summary>Every function of the formula language. The evaluator, the editor and the documentation use this one table.</summary>
public static class FunctionTable
{
    /// <summary>In the order in which they are documented.</summary>
    public static ImmutableArray<FormulaFunction> All { get; } = [.. TextFunctions.All, .. LogicalFunctions.All, .. NumberFunctions.All, .. DateFunctions.All, .. OwnFunctions.All];

    private static readonly FrozenDictionary<string, FormulaFunction> ByName = All.ToFrozenDictionary(f => f.Name, StringComparer.OrdinalIgnoreCase);

    /// <summary>The function called so, whatever the case; null when there is none.</summary>
    public static FormulaFunction? Find(string name) => ByName.GetValueOrDefault(name);

    /// <summary>The name that was probably meant; null when none is near.</summary>
    internal static string? Near(string name) => name.Length > 30 ? null : All
        .Select(f => (f.Name, Distance: Distance(name.ToUpperInvariant(), f.Name)))
        .Where(f => f.Distance <= Math.Max(1, name.Length / 3))
        .OrderBy(f => f.Distance).ThenBy(f => f.Name, StringComparer.Ordinal)
        .Select(f => f.Name).FirstOrDefault();

    /// <summary>How many letters must be put in, left out or changed (Levenshtein 1966).</summary>
    private static int Distance(string a, string b)
    {
        var row = Enumerable.Range(0, b.Length + 1).ToArray();
        for (var i = 1; i <= a.Length; i++)
        {
            var corner = row[0]++;
            for (var j = 1; j <= b.Length; j++)
            {
                (row[j], corner) = (Math.Min(Math.Min(row[j] + 1, row[j - 1] + 1), corner + (a[i - 1] == b[j - 1] ? 0 : 1)), row[j]);
            }
        }

        return row[^1];
    }
}
