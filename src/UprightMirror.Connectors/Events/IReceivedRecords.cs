using UprightMirror.Core.Remembered;

namespace UprightMirror.Connectors.Events;

/// <summary>What systems have told of their records by events, kept here because nobody can ask them.</summary>
public interface IReceivedRecords
{
    /// <summary>The collections that a system tells of.</summary>
    Task<IReadOnlyList<string>> Collections(string system, CancellationToken cancellation);

    /// <summary>The records of a collection, each as its last event said it, that were told at or after a time; oldest first, a page at a time.</summary>
    /// <param name="since">By our own clock; null for all.</param>
    IAsyncEnumerable<IReadOnlyList<ObservedRecord>> Read(string system, string collection, DateTimeOffset? since, CancellationToken cancellation);

    /// <summary>Some records of a collection, those first that were told last.</summary>
    Task<IReadOnlyList<ObservedRecord>> Newest(string system, string collection, int most, CancellationToken cancellation);

    /// <summary>One record as its last event said it; null when none did.</summary>
    Task<ObservedRecord?> ReadOne(string system, string collection, string id, CancellationToken cancellation);
}

/// <summary>For who has nothing to do with what systems send.</summary>
public sealed class NothingReceived : IReceivedRecords
{
    public static readonly NothingReceived Instance = new();

    public Task<IReadOnlyList<string>> Collections(string system, CancellationToken cancellation) => Task.FromResult<IReadOnlyList<string>>([]);

    public async IAsyncEnumerable<IReadOnlyList<ObservedRecord>> Read(string system, string collection, DateTimeOffset? since, [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancellation)
    {
        await Task.CompletedTask;
        yield break;
    }

    public Task<IReadOnlyList<ObservedRecord>> Newest(string system, string collection, int most, CancellationToken cancellation) => Task.FromResult<IReadOnlyList<ObservedRecord>>([]);

    public Task<ObservedRecord?> ReadOne(string system, string collection, string id, CancellationToken cancellation) => Task.FromResult<ObservedRecord?>(null);
}
