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

    /// <summary>Keeps how the systems answered since this was last called.</summary>
    Task KeepHealth(CancellationToken cancellation);
}

/// <summary>Connects by the connections that are kept. A connector lives until its connection changes, and its limits and token with it.</summary>
public sealed class Systems(IConnections connections, HttpMessageHandler handler, TimeProvider clock) : ISystems
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
            var secrets = await connections.Secrets(system, cancellation);
            var connector = new SystemConnection(connection.Name, connection.Protocol, connection.Address, connection.Settings, secrets).Connect(handler, clock);
            this.connectors[system] = (connection, connector, new CallsSeen(0, 0, null, null, null));
            return connector;
        }
        catch (System.Security.Cryptography.CryptographicException e)
        {
            throw new SystemFault($"The secrets of {connection.Name} were encrypted with keys that are not here. Type them again in its connection.", e);
        }
        catch (ArgumentException e)
        {
            throw new SystemFault($"The connection of {connection.Name} is not complete: {e.Message}", e);
        }
    }

    public async Task KeepHealth(CancellationToken cancellation)
    {
        foreach (var (system, (connection, connector, kept)) in this.connectors)
        {
            var seen = Of(connector);
            if (seen.Calls == kept.Calls && seen.LastFaultAt == kept.LastFaultAt)
            {
                continue;
            }

            var state = seen.LastFaultAt is { } at && at != kept.LastFaultAt ? "down" : seen.MedianMilliseconds > SlowMilliseconds ? "slow" : "answering";
            await connections.AddHealth(
                new SystemHealth(system, state, seen.MedianMilliseconds, seen.Calls - kept.Calls, seen.Failures - kept.Failures, seen.LastFault, seen.LastFaultAt, clock.GetUtcNow()),
                cancellation);
            this.connectors[system] = (connection, connector, seen);
        }
    }

    private static CallsSeen Of(ISystemConnector connector) => connector switch
    {
        Connectors.Rest.RestConnector rest => rest.Caller.Seen,
        Connectors.OData.ODataConnector odata => odata.Caller.Seen,
        _ => new CallsSeen(0, 0, null, null, null),
    };

    private static bool SameAs(KeptConnection a, KeptConnection b) =>
        a with { Settings = default } == b with { Settings = default } && a.Settings.GetRawText() == b.Settings.GetRawText();
}
