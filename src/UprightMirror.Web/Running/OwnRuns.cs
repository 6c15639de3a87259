using UprightMirror.Storage;

namespace UprightMirror.Web.Running;

/// <summary>Begins runs that nobody asked for, because something happened: an event, a file, the end of another mirror's run. In quiet hours they are put off to the end of these.</summary>
public sealed class OwnRuns(RunQueue queue, MirrorSchedule schedule, TimeProvider clock)
{
    /// <returns>False when a run of this mirror is going on already: what happened has to be told again.</returns>
    public async Task<bool> Start(KeptMirror mirror, string why, CancellationToken cancellation)
    {
        if (mirror.Definition.Timing.QuietUntil(clock.GetUtcNow()) is { } end)
        {
            await schedule.MakeUp(mirror, end, cancellation);
            return true;
        }

        return await queue.Start(mirror, rehearse: false, why, byItself: true) is not null;
    }
}
