using System.Collections.Concurrent;
using UprightMirror.Connectors;
using UprightMirror.Engine;
using UprightMirror.Storage;

namespace UprightMirror.Web.Running;

/// <summary>Runs a mirror soon after a file came into a folder that is a side of it.</summary>
internal sealed partial class FileArrivals(Mirrors mirrors, KeptConnections connections, ISystems systems, OwnRuns runs, TimeProvider clock, ILogger<FileArrivals> log)
    : Watching("What came into folders", TimeSpan.FromSeconds(2), clock, log)
{
    /// <summary>So long nothing was added to it: it is there as a whole.</summary>
    private static readonly TimeSpan Whole = TimeSpan.FromSeconds(2);

    private readonly TimeProvider clock = clock;
    private readonly ILogger log = log;
    private readonly ConcurrentDictionary<(int Mirror, int Side), DateTimeOffset> seen = [];

    protected override async Task Look(CancellationToken cancellation)
    {
        var folders = (await connections.All(cancellation)).Where(c => c.Protocol == "folder").ToDictionary(c => c.System, c => c.Name);
        foreach (var mirror in folders.Count == 0 ? [] : (await mirrors.All(cancellation)).Where(m => m.State == "live" && m.Definition.Timing.OnFiles))
        {
            for (var side = 0; side < mirror.Definition.Sides.Length; side++)
            {
                if (folders.TryGetValue(mirror.Definition.Sides[side].System, out var name))
                {
                    await this.Look(mirror, side, name, cancellation);
                }
            }
        }
    }

    private async Task Look(KeptMirror mirror, int side, string name, CancellationToken cancellation)
    {
        try
        {
            var of = mirror.Definition.Sides[side];

            // One that a run could not take stays there: it is not run for again and again.
            if ((await systems.Connect(of.System, cancellation)).NewestWaiting(of.Collection) is { } newest && this.clock.GetUtcNow() - newest >= Whole && this.seen.GetValueOrDefault((mirror.Id, side)) < newest
                && await runs.Start(mirror, $"a file in {name}", cancellation))
            {
                this.seen[(mirror.Id, side)] = newest;
            }
        }
        catch (Exception e) when (e is SystemFault or IOException or UnauthorizedAccessException)
        {
            // A folder that can't be looked into keeps no other waiting.
            this.NotThere(name, e.Message);
        }
    }

    [LoggerMessage(LogLevel.Warning, "{Folder} can't be looked into now, and will be again: {Reason}")]
    private partial void NotThere(string folder, string reason);
}
