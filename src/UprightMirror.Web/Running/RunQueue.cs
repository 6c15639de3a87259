using System.Collections.Concurrent;
using UprightMirror.Core.Reconciling;
using UprightMirror.Engine;
using UprightMirror.Storage;

namespace UprightMirror.Web.Running;

/// <summary>Starts runs that somebody asked for, and lets them go on without the one who asked.</summary>
public sealed partial class RunQueue(MirrorRunner runner, IHostApplicationLifetime lifetime, ILogger<RunQueue> log)
{
    private readonly ConcurrentDictionary<int, byte> starting = new();

    /// <summary>Starts a run.</summary>
    /// <returns>Its number, or null when a run of this mirror is going on already.</returns>
    public async Task<long?> Start(KeptMirror mirror, bool rehearse, string startedBy, IReadOnlyCollection<GuardFinding>? allowed = null, bool byItself = false, RunLimits? limits = null)
    {
        if (!this.starting.TryAdd(mirror.Id, 0))
        {
            return null;
        }

        try
        {
            var begun = new TaskCompletionSource<long>(TaskCreationOptions.RunContinuationsAsynchronously);
            var running = Task.Run(() => runner.Run(mirror, rehearse, startedBy, id => begun.TrySetResult(id), lifetime.ApplicationStopping, allowed, byItself: byItself, limits: limits));
            var first = await Task.WhenAny(begun.Task, running);
            if (first == running && !begun.Task.IsCompleted)
            {
                await running;
                return null;
            }

            _ = this.Watch(running, mirror.Definition.Name);
            return await begun.Task;
        }
        finally
        {
            this.starting.TryRemove(mirror.Id, out _);
        }
    }

    private async Task Watch(Task<RunReport?> running, string name)
    {
        try
        {
            if (await running is { } report)
            {
                this.Ended(name, report.RunId, report.State, report.Counts.Written, report.Reason);
            }
        }
        catch (Exception e) when (e is not OutOfMemoryException)
        {
            this.Broke(e, name);
        }
    }

    [LoggerMessage(LogLevel.Information, "{Mirror}: run {Run} {State}, {Written} written. {Reason}")]
    private partial void Ended(string mirror, long run, string state, int written, string? reason);

    [LoggerMessage(LogLevel.Error, "{Mirror}: a run broke")]
    private partial void Broke(Exception e, string mirror);
}
