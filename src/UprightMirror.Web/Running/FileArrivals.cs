using System.Collections.Concurrent;
using Npgsql;
using UprightMirror.Connectors;
using UprightMirror.Engine;
using UprightMirror.Storage;

namespace UprightMirror.Web.Running;

/// <summary>Runs a mirror soon after a file came into a folder that is a side of it.</summary>
public sealed partial class FileArrivals(Mirrors mirrors, KeptConnections connections, ISystems systems, OwnRuns runs, TimeProvider clock, ILogger<FileArrivals> log) : BackgroundService
{
    private static readonly TimeSpan Look = TimeSpan.FromSeconds(2);

    /// <summary>So long nothing was added to it: it is there as a whole.</summary>
    private static readonly TimeSpan Whole = TimeSpan.FromSeconds(2);

    private readonly ConcurrentDictionary<(int Mirror, int Side), DateTimeOffset> seen = [];

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Look, clock);
        while (await timer.WaitForNextTickAsync(stoppingToken))
        {
            try
            {
                await this.LookThrough(stoppingToken);
            }
            catch (Exception e) when (e is NpgsqlException or IOException or TimeoutException or SystemFault or UnauthorizedAccessException)
            {
                this.Wait(e.Message);
            }
        }
    }

    private async Task LookThrough(CancellationToken cancellation)
    {
        var folders = (await connections.All(cancellation)).Where(c => c.Protocol == "folder").ToDictionary(c => c.System, c => c.Name);
        foreach (var mirror in folders.Count == 0 ? [] : (await mirrors.All(cancellation)).Where(m => m.State == "live" && m.Definition.Timing.OnFiles))
        {
            for (var side = 0; side < mirror.Definition.Sides.Length; side++)
            {
                var of = mirror.Definition.Sides[side];
                if (!folders.TryGetValue(of.System, out var name) || (await systems.Connect(of.System, cancellation)).NewestWaiting(of.Collection) is not { } newest)
                {
                    continue;
                }

                // One that a run could not take stays there: it is not run for again and again.
                if (clock.GetUtcNow() - newest >= Whole && this.seen.GetValueOrDefault((mirror.Id, side)) < newest && await runs.Start(mirror, $"a file in {name}", cancellation))
                {
                    this.seen[(mirror.Id, side)] = newest;
                }
            }
        }
    }

    [LoggerMessage(LogLevel.Warning, "Folders could not be looked into, and are looked at again: {Reason}")]
    private partial void Wait(string reason);
}
