using System.Globalization;
using UprightMirror.Engine.Tests.Simulation;

namespace UprightMirror.Engine.Tests;

/// <summary>
/// The whole engine in a deterministic simulation of everything that goes wrong. <c>UPRIGHT_SEEDS</c> says how many lives are lived (500 unless told otherwise; 10,000 at
/// night); a failing seed is named and replays exactly: <c>UPRIGHT_SEED=1234</c> lives that one only.
/// </summary>
public class SimulatorTests
{
    private const int Steps = 40;

    private static async Task Live(int seed, Planted planted = Planted.None)
    {
        var chaos = new Chaos(seed, planted);
        await chaos.Live(Steps);
        await chaos.Settle();
        Laws.NoDoubles(chaos.World);
        Laws.Converged(chaos.World);
        Laws.NothingLost(chaos.World);
        await Laws.Quiet(chaos.World);
    }

    [Fact]
    public async Task The_laws_hold_whatever_goes_wrong()
    {
        static int? Asked(string name) => int.TryParse(Environment.GetEnvironmentVariable(name), CultureInfo.InvariantCulture, out var number) ? number : null;
        int[] seeds = Asked("UPRIGHT_SEED") is { } one ? [one] : [.. Enumerable.Range(1, Asked("UPRIGHT_SEEDS") ?? 500)];
        var broken = new System.Collections.Concurrent.ConcurrentDictionary<int, string>();
        await Parallel.ForEachAsync(seeds, new ParallelOptions { MaxDegreeOfParallelism = 2 }, async (seed, _) =>
        {
            try
            {
                await Live(seed);
            }
            catch (Exception e)
            {
                broken[seed] = e is ShouldAssertException ? e.Message.Split("Additional Info:")[^1].Trim() : e.ToString();
            }
        });
        broken.OrderBy(b => b.Key).Take(5).Select(b => $"Seed {b.Key} of {seeds.Length}, one of {broken.Count}, breaks a law. UPRIGHT_SEED={b.Key} replays it. {b.Value}").ShouldBeEmpty();
    }

    /// <summary>A simulation that finds no fault has to be seen to find one.</summary>
    [Theory]
    [InlineData(Planted.SkipsTheOverlap)]
    [InlineData(Planted.CreatesBlindly)]
    [InlineData(Planted.ForgetsTheShadow)]
    public async Task A_fault_that_is_planted_is_found(Planted planted)
    {
        for (var seed = 1; seed <= 500; seed++)
        {
            try
            {
                await Live(seed, planted);
            }
            catch (ShouldAssertException)
            {
                return;
            }
        }

        throw new InvalidOperationException($"{planted} was found in none of 500 lives.");
    }
}
