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
