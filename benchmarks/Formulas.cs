using System.Diagnostics;
using UprightMirror.Core.Formulas;

/// <summary>How fast formulas are worked out. Read once, worked out over and over on one core.</summary>
internal static class Formulas
{
    private const int Evaluations = 2_000_000;
    private const int Rounds = 7;

    public static int Evaluate()
    {
        if (!Formula.Parse("PROPER(TRIM([name]))", null, out var formula, out _))
        {
            return 1;
        }

        var setting = new FormulaSetting(DateTimeOffset.UnixEpoch);
        Item[][] records = [.. Enumerable.Range(0, 1000).Select(i => new[] { Item.Of($"  NEW raven ROCK  paddlers {i} ") })];
        var rates = new List<double>();
        for (var round = 0; round < Rounds; round++)
        {
            var started = Stopwatch.GetTimestamp();
            for (var i = 0; i < Evaluations; i++)
            {
                if (formula.Evaluate(records[i % 1000], setting).IsError)
                {
                    return 1;
                }
            }

            rates.Add(Evaluations / Stopwatch.GetElapsedTime(started).TotalSeconds);
        }

        Console.WriteLine($"formula PROPER(TRIM([name])), read once: {rates.Order().ElementAt(Rounds / 2):N0} evaluations a second on one core (limit: at least 1,000,000)");
        return rates.Order().ElementAt(Rounds / 2) >= 1_000_000 ? 0 : 1;
    }
}

/// <summary>How long the bench takes for what a person waits for: suggestions over wide collections, a formula from three examples.</summary>
internal static class Mapping
{
    public static int Measure()
    {
        var random = new Random(11);
        string[] words = ["customer", "billing", "delivery", "net", "gross", "order", "invoice", "tax", "city", "street", "phone", "mail", "date", "code", "number", "status", "note", "price", "quantity", "owner"];
        UprightMirror.Core.Mapping.Suggesting.FieldSketch Field(string prefix, int i) => new(
            $"{prefix}{words[i % 20]}_{words[i * 7 / 20 % 20]}_{i}", Samples: [.. Enumerable.Range(0, 200).Select(n => i % 4 == 0 ? $"value {random.Next(100_000)}" : i % 4 == 1 ? random.Next(1_000_000).ToString(System.Globalization.CultureInfo.InvariantCulture) : i % 4 == 2 ? $"a{random.Next(9999)}@club.example" : $"2026-0{random.Next(1, 9)}-1{random.Next(0, 9)}")]);
        List<UprightMirror.Core.Mapping.Suggesting.FieldSketch> left = [.. Enumerable.Range(0, 500).Select(i => Field("", i))], right = [.. Enumerable.Range(0, 500).Select(i => Field("c_", i))];
        var suggested = Middle(() => UprightMirror.Core.Mapping.Suggesting.Suggester.Suggest(left, right).Count);
        Console.WriteLine($"suggestions for 500 × 500 fields with 200 samples each: {suggested:N2} s (limit: 2 s)");

        UprightMirror.Core.Formulas.Learning.Example[] examples = [.. new[] { ("Hanne", "Lunde", "+353861234567", "2026-03-02"), ("Tomasz", "Wier", "+353872223344", "2025-12-24"), ("Aoife", "Brannock", "+353851112233", "2024-01-15") }
            .Select(e => new UprightMirror.Core.Formulas.Learning.Example([e.Item1, e.Item2, e.Item3, e.Item4, $"{e.Item1} {e.Item2}, {e.Item3}", "Saltmarsh Paddle Works"], $"{e.Item2.ToUpperInvariant()}-{e.Item1[0]}/{e.Item4[..4]}"))];
        var learned = Middle(() => UprightMirror.Core.Formulas.Learning.Learner.Learn(["first", "last", "phone", "day", "all", "firm"], examples).Count);
        Console.WriteLine($"a formula from three examples over six fields: {learned:N2} s (limit: 1 s)");
        return suggested < 2 && learned < 1 ? 0 : 1;
    }

    /// <summary>The middle of five, the first not counted.</summary>
    private static double Middle(Func<int> work)
    {
        var times = new List<double>();
        for (var round = 0; round < 6; round++)
        {
            var started = Stopwatch.GetTimestamp();
            work();
            times.Add(Stopwatch.GetElapsedTime(started).TotalSeconds);
        }

        return times.Skip(1).Order().ElementAt(2);
    }
}
