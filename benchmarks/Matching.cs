using System.Diagnostics;
using System.Globalization;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Matching.Comparing;

/// <summary>How well the same things are found where the truth is known, and how fast.</summary>
internal static class Matching
{
    /// <summary>Seeds that nobody looked at while the tables were made.</summary>
    private static readonly int[] Seeds = [90_125, 90_126, 90_127];

    public static int Quality()
    {
        var failed = 0;
        foreach (var (make, least) in new (Func<int, LabelledSet>, double)[] { (s => MatchingSets.Organisations(s), 0.98), (s => MatchingSets.People(s), 0.92) })
        {
            var table = new (double Said, int Count, int Right)[5];
            foreach (var seed in Seeds)
            {
                var set = make(seed);
                var (pairs, ids, matcher) = Match(set);
                var told = pairs.Where(p => p.Probability >= 0.5).ToList();
                bool IsTrue(MatchedPair p) => set.Truth.Contains((ids[p.A], ids[p.B]));
                double right = told.Count(IsTrue), precision = right / Math.Max(1, told.Count), recall = right / set.Truth.Count, f1 = 2 * precision * recall / (precision + recall);
                var compared = pairs.Select(p => (ids[p.A], ids[p.B])).ToHashSet();
                Say($"matching, {set.Name}, seed {seed}: precision {precision:0.0000}, recall {recall:0.0000}, F1 {f1:0.0000} (limit: at least {least:0.00}); {matcher.Report.Pairs:N0} pairs compared, {set.Truth.Count(t => !compared.Contains(t))} true ones lost or thought unlikely, {Matcher.Missed(pairs):0.#} estimated never compared");
                failed |= f1 >= least ? 0 : 1;
                foreach (var pair in pairs)
                {
                    ref var row = ref table[pair.Probability switch { < 0.1 => 0, < 0.5 => 1, < 0.9 => 2, < 0.99 => 3, _ => 4 }];
                    row = (row.Said + pair.Probability, row.Count + 1, row.Right + (IsTrue(pair) ? 1 : 0));
                }
            }

            foreach (var (said, count, right) in table.Where(r => r.Count > 0))
            {
                Say($"  said {said / count:0.000} on the average of {count} pairs: {right / (double)count:0.000} are right");
            }
        }

        return failed;
    }

    public static int Speed()
    {
        var random = new Random(7);
        string[] words = [.. Enumerable.Range(0, 4096).Select(_ => string.Concat(Enumerable.Range(0, random.Next(4, 11)).Select(_ => (char)('a' + random.Next(26)))))];
        var likeness = 0.0;
        var perSecond = Rate(4_000_000, i => likeness += JaroWinkler.Likeness(words[i & 4095], words[(i * 7) & 4095]));
        Say($"Jaro-Winkler on names: {perSecond:N0} comparisons a second on one core (limit: at least 2,000,000)");
        var exact = Comparators.Of("number")!.Value.Comparator;
        Prepared[] numbers = [.. words.Select(w => exact.Prepare([w[..4]])!)];
        var levels = 0L;
        var exactly = Rate(20_000_000, i => levels += exact.Compare(numbers[i & 4095], numbers[(i * 7) & 4095]));
        Say($"exact fields: {exactly:N0} comparisons a second on one core (limit: at least 20,000,000)");
        return perSecond >= 2_000_000 && exactly >= 20_000_000 && likeness > 0 && levels > 0 ? 0 : 1;
    }

    /// <summary>Doubles among many people, learning included; the cost beside the pairs that were compared.</summary>
    public static int Many(int count)
    {
        var set = MatchingSets.People(11, (int)(count / 1.456));
        var started = Stopwatch.GetTimestamp();
        var (pairs, ids, matcher) = Match(set);
        var seconds = Stopwatch.GetElapsedTime(started).TotalSeconds;
        using var process = Process.GetCurrentProcess();
        var gigabytes = process.PeakWorkingSet64 / 1e9;
        var told = pairs.Where(p => p.Probability >= 0.5).Select(p => (ids[p.A], ids[p.B])).ToList();
        var right = told.Count(set.Truth.Contains);
        Say($"doubles among {set.Sides[0].Count:N0} people: {seconds:0.0} s, {matcher.Report.Pairs:N0} pairs, {seconds * 1e6 / matcher.Report.Pairs:0.00} µs a pair, {gigabytes:0.0} GB at most, precision {right / (double)Math.Max(1, told.Count):0.000}, recall {right / (double)set.Truth.Count:0.000}{(count >= 1_000_000 ? " (limit: 60 s, 4 GB)" : "")}");
        return count >= 1_000_000 && (seconds > 60 || gigabytes > 4) ? 1 : 0;
    }

    private static (IReadOnlyList<MatchedPair> Pairs, List<string> Ids, Matcher Matcher) Match(LabelledSet set)
    {
        var plans = MatchPlan.Together([.. set.Sides.Select(rows => MatchPlan.Of([.. set.Columns.Select((c, i) => i == 0 ? "" : c)], [.. rows.Take(500)]))]);
        var rows = set.Sides.SelectMany((own, side) => own.Select(r => ((IReadOnlyList<string>)r, (byte)side))).ToList();
        var matcher = Matcher.Learn(MatchSet.Of(plans, rows), set.Sides.Length > 1);
        return (matcher.Pairs(), [.. rows.Select(r => r.Item1[0])], matcher);
    }

    private static double Rate(int times, Action<int> work)
    {
        var rates = new List<double>();
        for (var round = 0; round < 5; round++)
        {
            var started = Stopwatch.GetTimestamp();
            for (var i = 0; i < times; i++)
            {
                work(i);
            }

            rates.Add(times / Stopwatch.GetElapsedTime(started).TotalSeconds);
        }

        return rates.Order().ElementAt(2);
    }

    private static void Say(FormattableString line) => Console.WriteLine(line.ToString(CultureInfo.InvariantCulture));
}
