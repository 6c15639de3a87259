using System.Collections.Immutable;
using Npgsql;
using UprightMirror.Core.Reconciling;

namespace UprightMirror.Storage;

/// <summary>A run that is going on: its store, and its place in the list of runs.</summary>
public interface IRunSession : IAsyncDisposable
{
    IRunStore Store { get; }

    /// <summary>Notes how the run ended.</summary>
    /// <param name="state">finished, failed, stopped or paused.</param>
    /// <param name="counts">What it did; null leaves what its progress said last.</param>
    Task End(string state, RunCounts? counts, string? reason, CancellationToken cancellation, ImmutableArray<GuardFinding> guarded);
}

/// <summary>Begins runs, one of a mirror at a time.</summary>
public interface IRunSessions
{
    /// <summary>Begins a run of a mirror; of a draft only a rehearsal. Null when one is going on already, here or in another process.</summary>
    /// <param name="byItself">True when nobody asked for it.</param>
    Task<IRunSession?> Begin(KeptMirror mirror, bool rehearse, string startedBy, CancellationToken cancellation, bool byItself = false);
}

public sealed class RunSessions(NpgsqlDataSource database, RunBook book, TimeProvider clock) : IRunSessions
{
    public async Task<IRunSession?> Begin(KeptMirror mirror, bool rehearse, string startedBy, CancellationToken cancellation, bool byItself = false)
    {
        if (await PostgresRunStore.Open(database, mirror.Id, mirror.Definition, clock, cancellation) is not { } store)
        {
            return null;
        }

        var id = await book.Start(mirror, rehearse, startedBy, cancellation, byItself);
        await store.Begin(id, rehearse, cancellation);
        if (rehearse && mirror.InForce is { } before)
        {
            // As if it had been published: all of this is taken back at the end.
            await store.LookAtAll(before, mirror.Definition, cancellation);
        }

        return new Session(store, book);
    }

    private sealed class Session(PostgresRunStore store, RunBook book) : IRunSession
    {
        public IRunStore Store => store;

        public async Task End(string state, RunCounts? counts, string? reason, CancellationToken cancellation, ImmutableArray<GuardFinding> guarded)
        {
            if (state == "finished")
            {
                await store.KeepRehearsed(cancellation);
            }

            await book.End(store.RunId, state, counts, reason, cancellation, guarded);
        }

        public ValueTask DisposeAsync() => store.DisposeAsync();
    }
}
