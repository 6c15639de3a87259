using UprightMirror.Storage;

namespace UprightMirror.Web.Running;

/// <summary>
/// Works through what was sent to inboxes, and runs the mirrors of what came: at once where little comes, and once for many events that come close together. Each worker does; what one has taken no other takes.
/// </summary>
internal sealed class InboxRuns(Inboxes inboxes, Mirrors mirrors, OwnRuns runs, Surveys surveys, Changes changes, TimeProvider clock, ILogger<InboxRuns> log)
    : Watching("What was sent to us", TimeSpan.FromMilliseconds(150), clock, log)
{
    /// <summary>So many events are worked through in one transaction.</summary>
    private const int AtOnce = 500;

    /// <summary>So long nothing more came: the burst is over.</summary>
    private static readonly TimeSpan Quiet = TimeSpan.FromMilliseconds(100);

    /// <summary>So long the first one waited: the run begins, burst or not.</summary>
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(1);

    private static readonly TimeSpan PruneEvery = TimeSpan.FromHours(1);

    /// <summary>So often it is looked whether what comes has other fields than before.</summary>
    private static readonly TimeSpan LookEvery = TimeSpan.FromMinutes(10);

    private readonly TimeProvider clock = clock;
    private readonly Dictionary<(string System, string Collection), DateTimeOffset> lookedAt = [];
    private DateTimeOffset pruned;

    protected override async Task Look(CancellationToken cancellation)
    {
        var worked = 0;
        for (int some; (some = await inboxes.WorkThrough(AtOnce, this.clock.GetUtcNow(), cancellation)) > 0; worked += some)
        {
            if (some < AtOnce)
            {
                worked += some;
                break;
            }
        }

        if (worked > 0)
        {
            changes.Tell("events");
        }

        foreach (var waiting in await inboxes.ToRun(cancellation))
        {
            await this.Begin(waiting, cancellation);
        }

        if (this.clock.GetUtcNow() is var now && now - this.pruned > PruneEvery)
        {
            this.pruned = now;
            await inboxes.Prune(now, cancellation);
        }
    }

    private async Task Begin(ToRun waiting, CancellationToken cancellation)
    {
        var now = this.clock.GetUtcNow();
        if (now - waiting.LastAt < Quiet && now - waiting.FirstAt < Patience)
        {
            return;
        }

        var begun = true;
        foreach (var mirror in (await mirrors.All(cancellation)).Where(m => m.State == "live" && m.Definition.Timing.OnEvents && m.Definition.Sides.Any(s => s.System == waiting.System && s.Collection.Split('[')[0] == waiting.Collection)))
        {
            begun &= await runs.Start(mirror, $"an event of {waiting.Collection}", cancellation);
        }

        // What sends by itself is described by nothing but what it sends.
        if (now - this.lookedAt.GetValueOrDefault((waiting.System, waiting.Collection)) > LookEvery)
        {
            this.lookedAt[(waiting.System, waiting.Collection)] = now;
            surveys.Begin(waiting.System);
        }

        // A mirror that runs already may have read past what came: it is run once more when it ends.
        if (begun)
        {
            await inboxes.RunAsked(waiting, now, cancellation);
        }
    }
}
