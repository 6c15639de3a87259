using System.Collections.Immutable;
using UprightMirror.Connectors;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>What somebody who asked for a run is told.</summary>
/// <param name="State">finished, failed or stopped.</param>
public sealed record RunReport(long RunId, string State, RunCounts Counts, string? Reason);

/// <summary>Runs a kept mirror: connects its systems, opens its store, and notes in the list of runs how it went.</summary>
public sealed class MirrorRunner(IRunSessions sessions, ISystems systems, IMirrors mirrors, TimeProvider clock)
{
    /// <summary>Runs or rehearses a mirror.</summary>
    /// <param name="startedBy">Who or what asked for it, for the list of runs.</param>
    /// <param name="begun">Called with the run's number as soon as it has one.</param>
    /// <returns>Null when a run of this mirror is going on already.</returns>
    public async Task<RunReport?> Run(KeptMirror mirror, bool rehearse, string startedBy, Action<long>? begun, CancellationToken cancellation)
    {
        await using var session = await sessions.Begin(mirror, rehearse, startedBy, cancellation);
        if (session is null)
        {
            return null;
        }

        begun?.Invoke(session.Store.RunId);
        RunCounts? counts = null;
        try
        {
            var context = await this.Prepare(mirror, session.Store, cancellation);
            var end = await new MirrorRun(context).Execute(rehearse, cancellation);
            counts = end.Counts;
            return await Ended(end.Fault is null ? "finished" : "failed", end.Fault);
        }
        catch (SystemFault fault)
        {
            return await Ended("failed", fault.Message);
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

        async Task<RunReport> Ended(string state, string? reason)
        {
            await session.End(state, counts, reason, CancellationToken.None);
            return new RunReport(session.Store.RunId, state, counts ?? RunCounts.Zero, reason);
        }
    }

    private async Task<MirrorContext> Prepare(KeptMirror mirror, IRunStore store, CancellationToken cancellation)
    {
        var connectors = ImmutableArray.CreateBuilder<ISystemConnector>();
        var catalogues = ImmutableArray.CreateBuilder<Core.Catalogues.CatalogueCollection>();
        foreach (var side in mirror.Definition.Sides)
        {
            var connector = await systems.Connect(side.System, cancellation);
            connectors.Add(connector);
            catalogues.Add(await connector.Describe(side.Collection, cancellation));
        }

        return new MirrorContext(mirror.Definition, connectors.ToImmutable(), catalogues.ToImmutable(), store, clock, await mirrors.ReferencesTo([.. mirror.Definition.PointsAt], cancellation));
    }
}
