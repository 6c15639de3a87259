using System.Collections.Immutable;
using UprightMirror.Connectors;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>What a run tells as it goes, and where its time goes. Calls may be under way side by side.</summary>
/// <param name="clock">Gives the lines their time, and measures.</param>
public sealed class RunLog(TimeProvider clock)
{
    /// <summary>So many lines of a run are kept, and of each level but errors so many; what is over that is counted.</summary>
    public const int MostLines = 2000;

    private readonly Lock turn = new();
    private readonly List<RunLine> lines = [];
    private readonly long[] stages = new long[Enum.GetValues<RunStage>().Length];
    private readonly Dictionary<(int? Side, string System, string What), (int Calls, int Failed, TimeSpan Spent, TimeSpan Slowest)> calls = [];
    private int said;
    private int left;
    private (RunStage Stage, long Since)? current;

    /// <summary>Says a line. Of a run that says too much, the errors are kept all the same.</summary>
    public void Say(LineLevel level, string text)
    {
        lock (this.turn)
        {
            if (this.said >= MostLines && level != LineLevel.Error)
            {
                this.left++;
                return;
            }

            this.lines.Add(new RunLine(++this.said, clock.GetUtcNow(), level, text));
        }
    }

    /// <summary>From now on time goes to this stage.</summary>
    public void Enter(RunStage stage)
    {
        lock (this.turn)
        {
            this.Leave();
            this.current = (stage, clock.GetTimestamp());
        }
    }

    /// <summary>Notes a call that has ended.</summary>
    /// <param name="side">The side whose system was called; null for one that only gives what is fetched by a key.</param>
    /// <param name="system">What that one is called; of a side's nothing is noted.</param>
    /// <param name="began">The clock's timestamp from before it.</param>
    public void Called(int? side, string system, string what, long began, bool failed)
    {
        var took = clock.GetElapsedTime(began);
        lock (this.turn)
        {
            var key = (side, side is null ? system : "", what);
            var (count, failures, spent, slowest) = this.calls.GetValueOrDefault(key);
            this.calls[key] = (count + 1, failures + (failed ? 1 : 0), spent + took, took > slowest ? took : slowest);
        }
    }

    /// <summary>Says how many lines were too many, and ends the stage that goes on.</summary>
    public void End()
    {
        lock (this.turn)
        {
            this.Leave();
            if (this.left > 0)
            {
                this.lines.Add(new RunLine(++this.said, clock.GetUtcNow(), LineLevel.Info, $"{this.left:N0} more lines were not kept."));
                this.left = 0;
            }
        }
    }

    /// <summary>The lines that were not taken yet.</summary>
    public IReadOnlyList<RunLine> Take()
    {
        lock (this.turn)
        {
            var taken = this.lines.ToList();
            this.lines.Clear();
            return taken;
        }
    }

    /// <summary>Where time went so far.</summary>
    public RunSpent Spent
    {
        get
        {
            lock (this.turn)
            {
                return new RunSpent(
                    [.. Enum.GetValues<RunStage>().Select(s => new StageSpent(s, this.Milliseconds(s))).Where(s => s.Milliseconds > 0)],
                    [.. this.calls.OrderBy(c => c.Key.Side ?? int.MaxValue).ThenBy(c => c.Key.System, StringComparer.Ordinal).ThenByDescending(c => c.Value.Spent).ThenBy(c => c.Key.What, StringComparer.Ordinal).Select(c => new CallsSpent(c.Key.Side, c.Key.What, c.Value.Calls, c.Value.Failed, Whole(c.Value.Spent), Whole(c.Value.Slowest), c.Key.Side is null ? c.Key.System : null))]);
            }
        }
    }

    private long Milliseconds(RunStage stage) =>
        Whole(TimeSpan.FromTicks(this.stages[(int)stage]) + (this.current is { } now && now.Stage == stage ? clock.GetElapsedTime(now.Since) : TimeSpan.Zero));

    private void Leave()
    {
        if (this.current is { } before)
        {
            this.stages[(int)before.Stage] += clock.GetElapsedTime(before.Since).Ticks;
            this.current = null;
        }
    }

    private static long Whole(TimeSpan time) => (long)Math.Round(time.TotalMilliseconds);
}
