using System.Collections.Concurrent;
using UprightMirror.Connectors;
using UprightMirror.Connectors.Calling;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>The systems that a mirror's sides name.</summary>
public interface ISystems
{
    /// <summary>The system's connector.</summary>
    /// <exception cref="SystemFault">There is no such connection, or its secrets can't be read.</exception>
    Task<ISystemConnector> Connect(string system, CancellationToken cancellation);

    /// <summary>The key of the system that people call so; null where none is called so. A key means itself.</summary>
    Task<string?> KeyOf(string name, CancellationToken cancellation);

    /// <summary>Keeps how the systems answered since this was last called.</summary>
    Task KeepHealth(CancellationToken cancellation);
}

/// <summary>Keeps the calls of all workers together within a system's limits, by way of the database.</summary>
public sealed class SharedCallBudget(ICallTurns turns) : ICallBudget
{
    public Task<TimeSpan> Reserve(string system, TimeSpan spacing, int calls, CancellationToken cancellation) => turns.Reserve(system, spacing, calls, cancellation);

    public Task<int?> TakePlace(string system, int places, CancellationToken cancellation) => turns.TakePlace(system, places, cancellation);

    public Task GivePlace(string system, int place, CancellationToken cancellation) => turns.GivePlace(system, place, cancellation);

    public Task Pause(string system, TimeSpan time, CancellationToken cancellation) => turns.Pause(system, time, cancellation);
}

/// <summary>Connects by the connections that are kept. A connector lives until its connection changes, and its limits and token with it.</summary>
public sealed class Systems(IConnections connections, IKeptCalls calls, Outside outside) : ISystems
{
    /// <summary>A system that takes this long in the middle is called slow.</summary>
    private const int SlowMilliseconds = 2000;

    private readonly ConcurrentDictionary<string, (KeptConnection Connection, ISystemConnector Connector, CallsSeen Kept)> connectors = new();

    public async Task<ISystemConnector> Connect(string system, CancellationToken cancellation)
    {
        var connection = (await connections.All(cancellation)).FirstOrDefault(c => c.System == system)
            ?? throw new SystemFault($"There is no connection called {system}. Add it under Systems, or choose another system for this side.");
        if (this.connectors.TryGetValue(system, out var known) && SameAs(known.Connection, connection))
        {
            return known.Connector;
        }

        try
        {
            var connector = Made(connection, await connections.Secrets(system, cancellation), outside);
            this.connectors[system] = (connection, connector, new CallsSeen(0, 0, null, null, null));
            return connector;
        }
        catch (System.Security.Cryptography.CryptographicException e)
        {
            throw new SystemFault($"The secrets of {connection.Name} were encrypted with keys that are not here. Type them again in its connection.", e);
        }
    }

    public async Task<string?> KeyOf(string name, CancellationToken cancellation)
    {
        var all = await connections.All(cancellation);
        return (all.FirstOrDefault(c => c.System == name) ?? all.FirstOrDefault(c => c.Name.Equals(name, StringComparison.OrdinalIgnoreCase)))?.System;
    }

    /// <summary>A connector for a connection that is being tried, kept or not. It tries each call once.</summary>
    /// <exception cref="SystemFault">The connection is not complete.</exception>
    public ISystemConnector Try(KeptConnection connection, IReadOnlyDictionary<string, string> secrets) => Made(connection, secrets, outside with { IsPatient = false });

    public async Task KeepHealth(CancellationToken cancellation)
    {
        foreach (var (system, (connection, connector, kept)) in this.connectors)
        {
            var seen = connector.Seen;
            if (seen.Calls == kept.Calls && seen.LastFaultAt == kept.LastFaultAt)
            {
                continue;
            }

            await this.Keep(system, seen, kept, connector.TakeCalls(), cancellation);
            this.connectors[system] = (connection, connector, seen);
        }
    }

    /// <summary>Keeps what a connector saw that only tried a connection.</summary>
    public Task KeepTried(string system, ISystemConnector connector, CancellationToken cancellation) =>
        this.Keep(system, connector.Seen, new CallsSeen(0, 0, null, null, null), connector.TakeCalls(), cancellation);

    private async Task Keep(string system, CallsSeen seen, CallsSeen before, IReadOnlyList<CallMade> made, CancellationToken cancellation)
    {
        var state = seen.LastFaultAt is { } at && at != before.LastFaultAt ? "down" : seen.MedianMilliseconds > SlowMilliseconds ? "slow" : "answering";
        await connections.AddHealth(
            new SystemHealth(system, state, seen.MedianMilliseconds, seen.Calls - before.Calls, seen.Failures - before.Failures, seen.LastFault, seen.LastFaultAt, outside.Clock.GetUtcNow(),
                seen.ClockAhead, seen.LimitTold, seen.Pace, seen.SignedInUntil, seen.TurnedAway - before.TurnedAway),
            cancellation);
        await calls.Add(system, [.. made.Select(c => new KeptCall(0, c.At, c.Method, c.Address, c.Status, c.Milliseconds, c.Bytes, c.What, c.Fault, c.Sent, c.Answered))], cancellation);
    }

    private static ISystemConnector Made(KeptConnection connection, IReadOnlyDictionary<string, string> secrets, Outside outside)
    {
        try
        {
            return new SystemConnection(connection.Name, connection.Protocol, connection.Address, connection.Settings, secrets).Connect(outside);
        }
        catch (Exception e) when (e is ArgumentException or System.Text.Json.JsonException)
        {
            throw new SystemFault($"The connection of {connection.Name} is not complete: {e.Message}", e);
        }
    }

    private static bool SameAs(KeptConnection a, KeptConnection b) =>
        a with { Settings = default } == b with { Settings = default } && a.Settings.GetRawText() == b.Settings.GetRawText();
}
