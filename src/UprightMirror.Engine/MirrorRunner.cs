using System.Collections.Immutable;
using UprightMirror.Connectors;
using UprightMirror.Core.Reconciling;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>What somebody who asked for a run is told.</summary>
/// <param name="State">finished, failed, stopped or paused.</param>
public sealed record RunReport(long RunId, string State, RunCounts Counts, string? Reason);

/// <summary>Runs a kept mirror: connects its systems, opens its store, and notes in the list of runs how it went.</summary>
public sealed class MirrorRunner(IRunSessions sessions, ISystems systems, IMirrors mirrors, TimeProvider clock)
{
    /// <summary>Runs or rehearses a mirror.</summary>
    /// <param name="startedBy">Who or what asked for it, for the list of runs.</param>
    /// <param name="begun">Called with the run's number as soon as it has one.</param>
    /// <param name="sweep">True to look every side through for what is gone, whether that is due or not.</param>
    /// <param name="allowed">What a person lets the guards pass in this run.</param>
    /// <param name="byItself">True when nobody asked for it: if this process ends in the middle, another worker takes it up.</param>
    /// <param name="limits">Null for a whole run.</param>
    /// <returns>Null when a run of this mirror is going on already.</returns>
    public async Task<RunReport?> Run(KeptMirror mirror, bool rehearse, string startedBy, Action<long>? begun, CancellationToken cancellation, IReadOnlyCollection<GuardFinding>? allowed = null, bool sweep = false, bool byItself = false, RunLimits? limits = null)
    {
        await using var session = await sessions.Begin(mirror, rehearse, startedBy, cancellation, byItself);
        if (session is null)
        {
            return null;
        }

        begun?.Invoke(session.Store.RunId);
        RunCounts? counts = null;
        var log = new RunLog(clock);
        try
        {
            log.Say(LineLevel.Info, $"{(rehearse ? "Rehearsal" : "Run")} of {mirror.Definition.Name}, {(mirror.InForce is null ? $"version {mirror.Version}" : "its draft")}, asked for by {startedBy}{(limits?.Only is { } only ? $", of {only.Count:N0} records only" : "")}.");
            log.Enter(RunStage.Collecting); // Connecting, and reading what the systems say of themselves.
            var context = await MirrorContext.Of(rehearse ? mirror.Definition with { StopsAfter = null } : mirror.Definition, systems, mirrors, session.Store, clock, cancellation, mirror.Guards, log);
            var end = await new MirrorRun(context).Execute(rehearse, cancellation, allowed, sweep, limits);
            counts = end.Counts;
            var guard = end.Guarded.IsEmpty ? null : string.Join(" ", end.Guarded.Select(g => g.Words(context.Systems[g.Side].Name)));
            return guard is null || end.Fault is not null
                ? await Ended(end.Fault is null ? "finished" : "failed", end.Fault ?? (end.LeftForLater > 0 ? $"{end.LeftForLater:N0} {(end.LeftForLater == 1 ? "write was" : "writes were")} not rehearsed just so, and left to the next run." : null), end.Guarded)
                : await Ended(rehearse ? "finished" : "paused", rehearse ? $"A run would be paused by a guard: {guard}" : $"{guard} Nothing was written yet.", end.Guarded);
        }
        catch (SystemFault fault)
        {
            return await Ended("failed", fault.Message);
        }
        catch (OperationCanceledException) when (byItself && cancellation.IsCancellationRequested)
        {
            // The process is being ended, and nobody is there to ask again: in the list it is cut off, and another worker takes it up.
            return new RunReport(session.Store.RunId, "stopped", RunCounts.Zero, null);
        }
        catch (OperationCanceledException)
        {
            return await Ended("stopped", "Somebody stopped it. What it had done stays; the next run goes on from there.");
        }
        catch (Exception e) when (e is not OutOfMemoryException)
        {
            await Ended("failed", $"Something went wrong in Upright Mirror itself: {e.GetType().Name}: {e.Message}");
            throw;
        }
        finally
        {
            await systems.KeepHealth(CancellationToken.None);
        }

        async Task<RunReport> Ended(string state, string? reason, ImmutableArray<GuardFinding>? guarded = null)
        {
            log.Say(state switch { "failed" => LineLevel.Error, "paused" or "stopped" => LineLevel.Warning, _ => LineLevel.Info }, $"{char.ToUpperInvariant(state[0])}{state[1..]}.{(reason is null ? "" : $" {reason}")}");
            log.End();
            await session.Store.SaveLog(log.Take(), log.Spent, CancellationToken.None);
            await session.End(state, counts, reason, CancellationToken.None, guarded ?? []);
            return new RunReport(session.Store.RunId, state, counts ?? RunCounts.Zero, reason);
        }
    }
}
