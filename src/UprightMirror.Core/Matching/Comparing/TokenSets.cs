namespace UprightMirror.Core.Matching.Comparing;

/// <summary>
/// How alike two sets of words are: the weight of what they share of the weight of all that they say (a generalised Jaccard index, with words that
/// are nearly the same letters shared in part). Rare words weigh more.
/// </summary>
public static class TokenSets
{
    /// <summary>Words at least so alike are taken for one with a typing error in it.</summary>
    private const double NearlyTheSame = 0.9;

    /// <param name="weightA">For each word of <paramref name="a"/>, more than 0.</param>
    /// <param name="weightB">For each word of <paramref name="b"/>, more than 0.</param>
    /// <returns>0 for nothing in common, 1 for the same words in any order.</returns>
    public static double Likeness(IReadOnlyList<string> a, IReadOnlyList<double> weightA, IReadOnlyList<string> b, IReadOnlyList<double> weightB)
    {
        if (a.Count == 0 || b.Count == 0)
        {
            return 0;
        }

        double shared = 0, all = 0;
        Span<bool> taken = b.Count <= 64 ? stackalloc bool[b.Count] : new bool[b.Count];
        for (var i = 0; i < a.Count; i++)
        {
            var (best, at) = (0.0, -1);
            for (var j = 0; j < b.Count; j++)
            {
                if (taken[j])
                {
                    continue;
                }

                var likeness = a[i] == b[j] ? 1 : a[i].Length > 3 && b[j].Length > 3 ? JaroWinkler.Likeness(a[i], b[j]) : 0;
                if (likeness > best)
                {
                    (best, at) = (likeness, j);
                }
            }

            if (best >= NearlyTheSame)
            {
                taken[at] = true;
                shared += best * (weightA[i] + weightB[at]) / 2;
                all += (weightA[i] + weightB[at]) / 2;
            }
            else
            {
                all += weightA[i];
            }
        }

        for (var j = 0; j < b.Count; j++)
        {
            all += taken[j] ? 0 : weightB[j];
        }

        return all == 0 ? 0 : shared / all;
    }
}
