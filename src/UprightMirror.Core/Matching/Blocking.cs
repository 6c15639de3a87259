namespace UprightMirror.Core.Matching;

/// <summary>A pair of records that may be the same.</summary>
/// <param name="Ways">How many kinds of keys brought them together.</param>
public readonly record struct CandidatePair(int A, int B, ulong Pattern, byte Ways);

/// <summary>What bringing records together came to.</summary>
/// <param name="Blocks">Groups of records that share a key and were compared with each other.</param>
/// <param name="Cut">Groups that were too large for that.</param>
public sealed record BlockingReport(int Blocks, int Cut, long Pairs);

/// <summary>
/// Brings together the records that are worth comparing: those that share any of many keys. Which keys serve is decided by the data: the smallest
/// groups first, as far as a budget goes that grows with the number of records; larger groups are cut.
/// </summary>
public static class Blocking
{
    /// <summary>So many pairs for each record, on the average.</summary>
    private const int PairsPerRecord = 16;

    private const int LeastBudget = 400_000;
    private const int LargestGroup = 600;
    private const int LargestToLookUp = 50;
    private const int MostKeys = 48;
    private const int GroupsAtOnce = 4096;

    /// <summary>The keys of each record: two that share one are worth comparing.</summary>
    public static IReadOnlyList<long[]> KeysByRecord(MatchSet set)
    {
        var (keys, owners) = KeysOf(set);
        var all = Enumerable.Repeat(Array.Empty<long>(), set.Count).ToArray();
        for (var i = 0; i < keys.Length;)
        {
            var to = i;
            while (to < keys.Length && owners[to] == owners[i])
            {
                to++;
            }

            all[owners[i]] = [.. keys[i..to].Select(k => unchecked((long)k))];
            i = to;
        }

        return all;
    }

    /// <summary>Keys that more than <see cref="LargestToLookUp"/> records share: by them alone nobody is looked for.</summary>
    public static IReadOnlyCollection<long> Common(MatchSet set)
    {
        var (keys, _) = KeysOf(set);
        Array.Sort(keys);
        var common = new List<long>();
        for (var i = 0; i < keys.Length;)
        {
            var to = i;
            while (to < keys.Length && keys[to] == keys[i])
            {
                to++;
            }

            if (to - i > LargestToLookUp)
            {
                common.Add(unchecked((long)keys[i]));
            }

            i = to;
        }

        return common;
    }

    /// <param name="across">True to compare records of different sides, false those of one side with each other.</param>
    internal static (List<CandidatePair> Pairs, BlockingReport Report) Pairs(MatchSet set, bool across)
    {
        var (order, owners) = KeysOf(set);
        Array.Sort(order, owners);

        // Groups of one key, the smallest first while the budget lasts.
        var groups = new List<(int From, int Length)>();
        for (var i = 0; i < order.Length;)
        {
            var to = i + 1;
            while (to < order.Length && order[to] == order[i])
            {
                to++;
            }

            if (to - i > 1)
            {
                groups.Add((i, to - i));
            }

            i = to;
        }

        groups.Sort((x, y) => x.Length != y.Length ? x.Length.CompareTo(y.Length) : x.From.CompareTo(y.From));
        var budget = Math.Max(LeastBudget, (long)set.Count * PairsPerRecord);
        var used = 0;
        for (var spent = 0L; used < groups.Count; used++)
        {
            var size = groups[used].Length;
            spent += (long)size * (size - 1) / 2;
            if (spent > budget || size > LargestGroup)
            {
                break;
            }
        }

        // Each record's groups, by number, in order: a pair is taken where its first common group is.
        var counts = new int[set.Count + 1];
        for (var g = 0; g < used; g++)
        {
            foreach (var r in owners.AsSpan(groups[g].From, groups[g].Length))
            {
                counts[r + 1]++;
            }
        }

        for (var r = 0; r < set.Count; r++)
        {
            counts[r + 1] += counts[r];
        }

        var places = (int[])counts.Clone();
        var inGroups = new int[counts[^1]];
        var family = new byte[used];
        for (var g = 0; g < used; g++)
        {
            family[g] = FamilyOf(order[groups[g].From]);
            foreach (var r in owners.AsSpan(groups[g].From, groups[g].Length))
            {
                inGroups[places[r]++] = g;
            }
        }

        // By parts of the groups, put together in their order: the same records give the same pairs in the same order.
        var found = new List<CandidatePair>[(used + GroupsAtOnce - 1) / GroupsAtOnce];
        Parallel.For(0, found.Length, part =>
        {
            var own = found[part] = [];
            for (var g = part * GroupsAtOnce; g < Math.Min(used, (part + 1) * GroupsAtOnce); g++)
            {
                var members = owners.AsSpan(groups[g].From, groups[g].Length);
                for (var i = 0; i < members.Length; i++)
                {
                    for (var j = i + 1; j < members.Length; j++)
                    {
                        var (a, b) = members[i] < members[j] ? (members[i], members[j]) : (members[j], members[i]);
                        if (across == (set.Sides[a] == set.Sides[b]))
                        {
                            continue;
                        }

                        var ways = Ways(inGroups.AsSpan(counts[a]..counts[a + 1]), inGroups.AsSpan(counts[b]..counts[b + 1]), g, family);
                        if (ways > 0)
                        {
                            own.Add(new CandidatePair(a, b, set.Pattern(a, b), ways));
                        }
                    }
                }
            }
        });
        var all = new List<CandidatePair>(found.Sum(f => f.Count));
        for (var part = 0; part < found.Length; part++)
        {
            all.AddRange(found[part]);
            found[part] = [];
        }

        return (all, new BlockingReport(used, groups.Count - used, all.Count));
    }

    /// <summary>How many kinds of keys two records share; 0 unless this group is the first that they share.</summary>
    private static byte Ways(ReadOnlySpan<int> a, ReadOnlySpan<int> b, int group, byte[] family)
    {
        var (i, j) = (0, 0);
        UInt128 kinds = 0;
        while (i < a.Length && j < b.Length)
        {
            if (a[i] == b[j])
            {
                if (kinds == 0 && a[i] != group)
                {
                    return 0;
                }

                kinds |= UInt128.One << (family[a[i]] & 127);
                i++;
                j++;
            }
            else if (a[i] < b[j])
            {
                i++;
            }
            else
            {
                j++;
            }
        }

        return (byte)UInt128.PopCount(kinds);
    }

    /// <summary>Every record's keys, with the record that each belongs to: those of each field, and halves of two fields together.</summary>
    private static (ulong[] Keys, int[] Owners) KeysOf(MatchSet set)
    {
        var fields = set.Comparators.Length;
        var whole = new ulong[fields][][];
        var halves = new ulong[fields][][];
        Parallel.For(0, fields, f =>
        {
            var number = (ulong)f;
            whole[f] = [.. set.Prepared[f].Select(p => p.Keys.Select(k => Hash(k, number)).ToArray())];
            halves[f] = [.. set.Prepared[f].Select(p => p.HalfKeys.Select(k => Hash(k, number + 64)).ToArray())];
        });
        var keys = new List<ulong>(set.Count * 12);
        var owners = new List<int>(set.Count * 12);
        Span<ulong> own = stackalloc ulong[MostKeys];
        for (var r = 0; r < set.Count; r++)
        {
            var count = 0;
            for (var f = 0; f < fields; f++)
            {
                var value = set.Values[f][r];
                if (value < 0)
                {
                    continue;
                }

                foreach (var key in whole[f][value])
                {
                    Add(own, ref count, key, (byte)f);
                }

                for (var other = f + 1; other < fields; other++)
                {
                    if (set.Values[other][r] is >= 0 and var its)
                    {
                        foreach (var half in halves[f][value])
                        {
                            foreach (var also in halves[other][its])
                            {
                                Add(own, ref count, Mix(half ^ Mix(also)), (byte)(16 + (f * 8) + other - f));
                            }
                        }
                    }
                }
            }

            foreach (var key in own[..count])
            {
                keys.Add(key);
                owners.Add(r);
            }
        }

        return ([.. keys], [.. owners]);

        static void Add(Span<ulong> own, ref int count, ulong key, byte family)
        {
            key = (key << 8) | family;
            if (count < own.Length && !own[..count].Contains(key))
            {
                own[count++] = key;
            }
        }
    }

    /// <summary>Which kind of key it is: it stands in the lowest eight bits.</summary>
    private static byte FamilyOf(ulong key) => (byte)key;

    private static ulong Hash(string text, ulong seed)
    {
        // FNV-1a (Fowler, Noll, Vo), spread once more: keys only have to tell texts apart.
        var hash = 14695981039346656037UL ^ (seed * 1099511628211UL);
        foreach (var c in text)
        {
            hash = (hash ^ c) * 1099511628211UL;
        }

        return Mix(hash);
    }

    private static ulong Mix(ulong x)
    {
        x ^= x >> 33;
        x *= 0xff51afd7ed558ccdUL;
        x ^= x >> 33;
        x *= 0xc4ceb9fe1a85ec53UL;
        return x ^ (x >> 33);
    }
}
