using System.Collections.Concurrent;

namespace UprightMirror.Connectors.Calling;

/// <summary>
/// Lets calls through to one system as fast as it allows and no faster. The spacing of calls follows the generic cell rate
/// algorithm (ITU-T I.371, virtual scheduling); when the system turns calls away all the same, the gate learns a slower pace and
/// tries the faster one again little by little.
/// </summary>
public sealed class CallGate
{
    /// <summary>The least by which calls are sent wider apart than the limit, so that a late one and an early one do not share a second.</summary>
    private const double LeastMargin = 0.03;

    /// <summary>Where few calls are allowed, one that is late by this share of their spacing still does no harm.</summary>
    private const double LateBy = 0.4;

    private const double Slowest = 16;

    /// <summary>A right to call that was reserved for a moment this long past is not used: others may have called meanwhile.</summary>
    private static readonly TimeSpan Stale = TimeSpan.FromMilliseconds(30);

    private static readonly TimeSpan BetweenTries = TimeSpan.FromMilliseconds(15);

    private readonly string system;
    private readonly ICallBudget budget;
    private readonly TimeProvider clock;
    private readonly int atOnce;
    private readonly TimeSpan? spacing;
    private readonly SemaphoreSlim here;
    private readonly SemaphoreSlim reserving = new(1, 1);
    private readonly ConcurrentQueue<DateTimeOffset> reserved = new();
    private double slower = 1;

    /// <param name="callsPerSecond">The most calls that begin in a second; null for no limit.</param>
    public CallGate(string system, ICallBudget budget, TimeProvider clock, int atOnce, int? callsPerSecond)
    {
        this.system = system;
        this.budget = budget;
        this.clock = clock;
        this.atOnce = atOnce;
        this.spacing = callsPerSecond is { } limit ? TimeSpan.FromSeconds((1 + Math.Max(LeastMargin, LateBy / limit)) / limit) : null;
        this.here = new SemaphoreSlim(atOnce, atOnce);
    }

    /// <summary>The calls per second that are let through now; null when there is no limit.</summary>
    public double? Pace => this.spacing is { } space ? 1 / (space.TotalSeconds * Volatile.Read(ref this.slower)) : null;

    /// <summary>Waits for a place and a turn. The place is given back when the result is disposed.</summary>
    public async Task<IAsyncDisposable> Enter(CancellationToken cancellation)
    {
        await this.here.WaitAsync(cancellation);
        int? place = null;
        try
        {
            while ((place = await this.budget.TakePlace(this.system, this.atOnce, cancellation)) is null)
            {
                await Task.Delay(BetweenTries, this.clock, cancellation);
            }

            await this.Turn(cancellation);
            return new Place(this, place.Value);
        }
        catch
        {
            if (place is { } taken)
            {
                await this.budget.GivePlace(this.system, taken, CancellationToken.None);
            }

            this.here.Release();
            throw;
        }
    }

    /// <summary>The system turned a call away.</summary>
    /// <param name="wait">How long it asked to wait; null when it did not say.</param>
    public Task TurnedAway(TimeSpan? wait, CancellationToken cancellation)
    {
        this.slower = Math.Min(this.slower * 1.25, Slowest);
        this.reserved.Clear();
        return this.budget.Pause(this.system, wait ?? TimeSpan.FromSeconds(1), cancellation);
    }

    /// <summary>The system took a call: after many of them the faster pace is tried again.</summary>
    public void Took() => this.slower = Math.Max(1, this.slower * 0.998);

    private async Task Turn(CancellationToken cancellation)
    {
        if (this.spacing is not { } fastest)
        {
            var wait = await this.budget.Reserve(this.system, TimeSpan.Zero, 1, cancellation);
            await this.Wait(wait, cancellation);
            return;
        }

        DateTimeOffset turn;
        await this.reserving.WaitAsync(cancellation);
        try
        {
            var now = this.clock.GetUtcNow();
            while (!this.reserved.TryDequeue(out turn) || turn + Stale < now)
            {
                if (!this.reserved.IsEmpty)
                {
                    continue;
                }

                // Several at a time where calls are quick after one another, so that the budget is not asked for each of them.
                var space = fastest * this.slower;
                var count = Math.Clamp((int)(0.1 / space.TotalSeconds), 1, 20);
                var first = now + await this.budget.Reserve(this.system, space, count, cancellation);
                for (var i = 1; i < count; i++)
                {
                    this.reserved.Enqueue(first + (space * i));
                }

                turn = first;
                break;
            }
        }
        finally
        {
            this.reserving.Release();
        }

        await this.Wait(turn - this.clock.GetUtcNow(), cancellation);
    }

    private Task Wait(TimeSpan time, CancellationToken cancellation) => time > TimeSpan.Zero ? Task.Delay(time, this.clock, cancellation) : Task.CompletedTask;

    private sealed class Place(CallGate gate, int place) : IAsyncDisposable
    {
        public async ValueTask DisposeAsync()
        {
            await gate.budget.GivePlace(gate.system, place, CancellationToken.None);
            gate.here.Release();
        }
    }
}
