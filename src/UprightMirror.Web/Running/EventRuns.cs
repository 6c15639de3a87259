using UprightMirror.Connectors.Events;
using UprightMirror.Storage;

namespace UprightMirror.Web.Running;

/// <summary>
/// Runs the mirrors of a system soon after an event came from it: those of the collection that it names, or all where it names none. Events that come close together make one run; those that come
/// while a mirror runs make one more, after it.
/// </summary>
internal sealed class EventRuns(KeptEvents events, KeptConnections connections, Mirrors mirrors, OwnRuns runs, TimeProvider clock, ILogger<EventRuns> log)
    : Watching("Events", TimeSpan.FromMilliseconds(500), clock, log)
{
    /// <summary>So long nothing more came: the burst is over.</summary>
    private static readonly TimeSpan Quiet = TimeSpan.FromSeconds(1);

    /// <summary>So long the first one waited: the run begins, burst or not.</summary>
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(5);

    private readonly TimeProvider clock = clock;

    protected override async Task Look(CancellationToken cancellation)
    {
        foreach (var waiting in await events.Waiting(cancellation))
        {
            await this.Begin(waiting, cancellation);
        }
    }

    private async Task Begin(WaitingEvents waiting, CancellationToken cancellation)
    {
        var now = this.clock.GetUtcNow();
        if (now - waiting.LastAt < Quiet && now - waiting.FirstAt < Patience)
        {
            return;
        }

        var name = (await connections.All(cancellation)).FirstOrDefault(c => c.System == waiting.System)?.Name ?? waiting.System;
        var begun = true;
        var live = (await mirrors.All(cancellation)).Where(m => m.State == "live" && m.Definition.Timing.OnEvents && m.Definition.Sides.Any(s => s.System == waiting.System)).ToList();
        var collections = live.SelectMany(m => m.Definition.Sides).Where(s => s.System == waiting.System).Select(s => s.Collection.Split('[')[0]).ToHashSet();
        var concerned = waiting.Said.SelectMany(said => ReceivedEvent.Concerns(said, collections)).ToHashSet();
        foreach (var mirror in live.Where(m => m.Definition.Sides.Any(s => s.System == waiting.System && concerned.Contains(s.Collection.Split('[')[0]))))
        {
            begun &= await runs.Start(mirror, $"an event of {name}", cancellation);
        }

        // A mirror that runs already may have read past the change: it is run once more when it ends.
        if (begun)
        {
            await events.RunAsked(waiting, now, cancellation);
        }
    }
}
