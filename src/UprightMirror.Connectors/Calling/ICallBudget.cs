namespace UprightMirror.Connectors.Calling;

/// <summary>
/// Keeps the calls of every worker together within what one system allows. Where it is kept decides who shares it: in memory,
/// one process; in the database, all of them.
/// </summary>
public interface ICallBudget
{
    /// <summary>Reserves the right to begin some calls, one after another with a spacing between them.</summary>
    /// <returns>How long to wait before the first of them may begin; zero when it may begin now.</returns>
    Task<TimeSpan> Reserve(string system, TimeSpan spacing, int calls, CancellationToken cancellation);

    /// <summary>Takes one of the places for calls that are under way at once.</summary>
    /// <param name="places">How many there are.</param>
    /// <returns>The place, to be given back; null when all are taken.</returns>
    Task<int?> TakePlace(string system, int places, CancellationToken cancellation);

    Task GivePlace(string system, int place, CancellationToken cancellation);

    /// <summary>Nobody begins a call for this long: the system asked for it.</summary>
    Task Pause(string system, TimeSpan time, CancellationToken cancellation);
}

/// <summary>A budget for one process.</summary>
public sealed class LocalCallBudget(TimeProvider clock) : ICallBudget
{
    private readonly Lock door = new();
    private readonly Dictionary<string, DateTimeOffset> next = [];
    private readonly HashSet<(string System, int Place)> taken = [];

    public Task<TimeSpan> Reserve(string system, TimeSpan spacing, int calls, CancellationToken cancellation)
    {
        lock (this.door)
        {
            var now = clock.GetUtcNow();
            var first = this.next.TryGetValue(system, out var at) && at > now ? at : now;
            this.next[system] = first + (spacing * calls);
            return Task.FromResult(first - now);
        }
    }

    public Task<int?> TakePlace(string system, int places, CancellationToken cancellation)
    {
        lock (this.door)
        {
            for (var place = 0; place < places; place++)
            {
                if (this.taken.Add((system, place)))
                {
                    return Task.FromResult<int?>(place);
                }
            }

            return Task.FromResult<int?>(null);
        }
    }

    public Task GivePlace(string system, int place, CancellationToken cancellation)
    {
        lock (this.door)
        {
            this.taken.Remove((system, place));
        }

        return Task.CompletedTask;
    }

    public Task Pause(string system, TimeSpan time, CancellationToken cancellation)
    {
        lock (this.door)
        {
            var until = clock.GetUtcNow() + time;
            this.next[system] = this.next.TryGetValue(system, out var at) && at > until ? at : until;
        }

        return Task.CompletedTask;
    }
}
