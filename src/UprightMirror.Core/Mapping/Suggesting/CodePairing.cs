using System.Collections.Immutable;

namespace UprightMirror.Core.Mapping.Suggesting;

/// <param name="Count">In how many records it was seen; 0 for one that only a description names.</param>
public sealed record SeenValue(string Value, int Count);

/// <summary>A row that a code list may have.</summary>
/// <param name="Agreed">The agreed value; null where none was found for the code.</param>
/// <param name="Confidence">0 to 1.</param>
/// <param name="Why">In words; null where nothing was found.</param>
public sealed record PairedCode(string Code, int Count, string? Agreed, double Confidence, string? Why);

/// <summary>Finds which of a side's codes means which agreed value.</summary>
public static class CodePairing
{
    private const double WorthOffering = 0.45;
    private const int Enough = 2;

    /// <param name="together">How many records that are one real thing say the code on this side and the value in agreed form.</param>
    /// <returns>One row for each code, the most frequent first.</returns>
    public static ImmutableArray<PairedCode> Pair(IReadOnlyList<SeenValue> codes, IReadOnlyList<SeenValue> agreed, IReadOnlyDictionary<(string Code, string Agreed), int> together)
    {
        var found = new Dictionary<string, (string Agreed, double Confidence, string Why)>(StringComparer.Ordinal);
        foreach (var code in codes)
        {
            // What the same real things say on both sides is the best evidence there is.
            var said = together.Where(t => t.Key.Code == code.Value).OrderByDescending(t => t.Value).ThenBy(t => t.Key.Agreed, StringComparer.Ordinal).ToList();
            var all = said.Sum(s => s.Value);
            if (all >= Enough && said[0].Value * 10 >= all * 6)
            {
                found[code.Value] = (said[0].Key.Agreed, (double)said[0].Value / all * (1 - (0.5 / all)), $"{said[0].Value:N0} of {all:N0} records that are the same say so");
            }
        }

        var left = codes.Where(c => !found.ContainsKey(c.Value)).ToList();
        var right = agreed.Where(a => found.Values.All(f => f.Agreed != a.Value)).ToList();
        if (left.Count > 0 && right.Count > 0)
        {
            var worth = new double[left.Count, right.Count];
            for (var i = 0; i < left.Count; i++)
            {
                for (var j = 0; j < right.Count; j++)
                {
                    worth[i, j] = Likeness(left[i].Value, right[j].Value);
                }
            }

            var best = Assignment.Best(worth);
            for (var i = 0; i < left.Count; i++)
            {
                if (best[i] >= 0 && worth[i, best[i]] >= WorthOffering)
                {
                    found[left[i].Value] = (right[best[i]].Value, worth[i, best[i]], worth[i, best[i]] > 0.9 ? "they read the same" : "they look alike");
                }
            }
        }

        return [.. codes.OrderByDescending(c => c.Count).ThenBy(c => c.Value, StringComparer.Ordinal).Select(c => found.TryGetValue(c.Value, out var f) ? new PairedCode(c.Value, c.Count, f.Agreed, f.Confidence, f.Why) : new PairedCode(c.Value, c.Count, null, 0, null))];
    }

    /// <summary>How much a code looks like a value, 0 to 1: the same letters, an abbreviation of it, the same digits; two short codes that begin alike may be all there is.</summary>
    public static double Likeness(string code, string value)
    {
        var (a, b) = (Plain(code), Plain(value));
        if (a.Length == 0 || b.Length == 0)
        {
            return 0;
        }

        if (a == b)
        {
            return 0.98;
        }

        var (digits, others) = (string.Concat(a.Where(char.IsDigit)), string.Concat(b.Where(char.IsDigit)));
        if (digits != others && digits.Length > 0 && others.Length > 0)
        {
            return 0;
        }

        var (shorter, longer) = a.Length <= b.Length ? (a, b) : (b, a);
        var share = Math.Sqrt((double)shorter.Length / longer.Length);
        return digits.Length > 0 && digits == others && (digits == a || digits == b) ? 0.85
            : longer.StartsWith(shorter, StringComparison.Ordinal) ? 0.6 + (0.3 * share)
            : Initials(code.Length <= value.Length ? value : code) == shorter && shorter.Length > 1 ? 0.8
            : longer[0] == shorter[0] && IsWithin(shorter, longer) ? 0.5 + (0.3 * share)
            : longer[0] == shorter[0] && longer[^1] == shorter[^1] ? 0.46
            : longer[0] == shorter[0] ? (longer.Length <= 3 && digits.Length == 0 ? 0.46 : 0.3)
            : 0;
    }

    private static string Plain(string text) => string.Concat(text.Where(char.IsLetterOrDigit)).ToUpperInvariant();

    private static string Initials(string text) => string.Concat(text.Split([' ', '-', '_', '/', '.'], StringSplitOptions.RemoveEmptyEntries).Select(w => char.ToUpperInvariant(w[0])));

    /// <summary>Whether all letters of the one stand in the other, in that order.</summary>
    private static bool IsWithin(string letters, string text)
    {
        var at = 0;
        foreach (var c in text)
        {
            at += at < letters.Length && letters[at] == c ? 1 : 0;
        }

        return at == letters.Length;
    }
}
