namespace UprightMirror.Core.Matching.Comparing;

/// <summary>How alike two words are by their letters: Jaro (1989), with the bonus for a common beginning of Winkler (1990).</summary>
public static class JaroWinkler
{
    private const double Prefix = 0.1;
    private const int LongestPrefix = 4;

    /// <summary>0 for nothing in common, 1 for the same.</summary>
    public static double Likeness(ReadOnlySpan<char> a, ReadOnlySpan<char> b)
    {
        var jaro = Jaro(a, b);
        var common = 0;
        while (common < LongestPrefix && common < a.Length && common < b.Length && a[common] == b[common])
        {
            common++;
        }

        return jaro + (common * Prefix * (1 - jaro));
    }

    /// <summary>Jaro's likeness: the share of letters that both have near the same place, less those that changed places.</summary>
    public static double Jaro(ReadOnlySpan<char> a, ReadOnlySpan<char> b)
    {
        if (a.SequenceEqual(b))
        {
            return 1;
        }

        if (a.Length == 0 || b.Length == 0)
        {
            return 0;
        }

        // Longer words than names are compared by their beginnings: the bits below hold that many.
        a = a.Length > 64 ? a[..64] : a;
        b = b.Length > 64 ? b[..64] : b;
        var window = Math.Max(0, (Math.Max(a.Length, b.Length) / 2) - 1);
        ulong inA = 0, inB = 0;
        var same = 0;
        for (var i = 0; i < a.Length; i++)
        {
            var to = Math.Min(b.Length, i + window + 1);
            for (var j = Math.Max(0, i - window); j < to; j++)
            {
                if ((inB >> j & 1) == 0 && a[i] == b[j])
                {
                    inA |= 1UL << i;
                    inB |= 1UL << j;
                    same++;
                    break;
                }
            }
        }

        if (same == 0)
        {
            return 0;
        }

        var turned = 0;
        while (inA != 0)
        {
            turned += a[System.Numerics.BitOperations.TrailingZeroCount(inA)] != b[System.Numerics.BitOperations.TrailingZeroCount(inB)] ? 1 : 0;
            inA &= inA - 1;
            inB &= inB - 1;
        }

        return ((same / (double)a.Length) + (same / (double)b.Length) + ((same - (turned / 2.0)) / same)) / 3;
    }
}
