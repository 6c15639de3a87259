namespace UprightMirror.Core.Matching.Comparing;

/// <summary>
/// How many slips of the hand lie between two words: a letter more, a letter less, another letter, or two neighbours that changed places
/// (Damerau 1964; each letter takes part in one change of places at most).
/// </summary>
public static class DamerauLevenshtein
{
    /// <summary>The number of slips; one more than <paramref name="most"/> as soon as it is certain that there are more.</summary>
    public static int Distance(ReadOnlySpan<char> a, ReadOnlySpan<char> b, int most = int.MaxValue - 1)
    {
        if (Math.Abs(a.Length - b.Length) > most)
        {
            return most + 1;
        }

        while (a.Length > 0 && b.Length > 0 && a[0] == b[0])
        {
            a = a[1..];
            b = b[1..];
        }

        while (a.Length > 0 && b.Length > 0 && a[^1] == b[^1])
        {
            a = a[..^1];
            b = b[..^1];
        }

        if (a.Length == 0 || b.Length == 0)
        {
            return Math.Min(Math.Max(a.Length, b.Length), most == int.MaxValue - 1 ? int.MaxValue : most + 1);
        }

        var width = b.Length + 1;
        Span<int> rows = width <= 256 ? stackalloc int[width * 3] : new int[width * 3];
        Span<int> before = rows[..width], last = rows[width..(2 * width)], now = rows[(2 * width)..];
        for (var j = 0; j < width; j++)
        {
            last[j] = j;
        }

        for (var i = 1; i <= a.Length; i++)
        {
            now[0] = i;
            var least = i;
            for (var j = 1; j < width; j++)
            {
                var cost = a[i - 1] == b[j - 1] ? 0 : 1;
                var best = Math.Min(Math.Min(now[j - 1], last[j]) + 1, last[j - 1] + cost);
                if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
                {
                    best = Math.Min(best, before[j - 2] + 1);
                }

                now[j] = best;
                least = Math.Min(least, best);
            }

            if (least > most)
            {
                return most + 1;
            }

            var spare = before;
            before = last;
            last = now;
            now = spare;
        }

        return Math.Min(last[b.Length], most + 1);
    }
}
