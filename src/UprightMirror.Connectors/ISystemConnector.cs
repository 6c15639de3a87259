using System.Runtime.CompilerServices;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Testing;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Connectors;

/// <summary>One system, whatever its protocol. All that the engine knows of the outside.</summary>
public interface ISystemConnector
{
    /// <summary>The system's name as people know it: it stands in every sentence about it.</summary>
    string Name { get; }

    /// <summary>The collection's fields as the system's own description tells them.</summary>
    /// <exception cref="SystemFault">The system or its description can't be read.</exception>
    Task<CatalogueCollection> Describe(string collection, CancellationToken cancellation);

    /// <summary>Every collection that can be read, as the system's own description tells it.</summary>
    /// <exception cref="SystemFault">The system or its description can't be read.</exception>
    Task<Catalogue> ReadCatalogue(CancellationToken cancellation);

    /// <summary>Tries the connection, step by step. What goes wrong is a step that failed, not an exception.</summary>
    IAsyncEnumerable<TestStep> Test(CancellationToken cancellation);

    /// <summary>What was seen of the system since the connector was made.</summary>
    CallsSeen Seen => new(0, 0, null, null, null);

    /// <summary>The calls made since this was last asked.</summary>
    IReadOnlyList<CallMade> TakeCalls() => [];

    /// <summary>
    /// Reads like <see cref="ReadChanged"/>, to keep it: what may be read only once is put away by <see cref="PutAway"/> afterwards.
    /// Who only looks, such as a rehearsal or a survey, uses the other.
    /// </summary>
    IAsyncEnumerable<IReadOnlyList<ObservedRecord>> Take(string collection, DateTimeOffset? since, IReadOnlyCollection<string>? fields, CancellationToken cancellation) =>
        this.ReadChanged(collection, since, fields, cancellation);

    /// <summary>What was taken of a collection is kept now: what may be read only once is put away.</summary>
    Task PutAway(string collection, CancellationToken cancellation) => Task.CompletedTask;

    /// <summary>Reads what changed at or after a time; everything when it is null. A page at a time, oldest change first where the system can.</summary>
    /// <param name="fields">The fields that are needed, for systems that can be asked for some only; null for all.</param>
    /// <exception cref="SystemFault">The system can't be read to the end.</exception>
    IAsyncEnumerable<IReadOnlyList<ObservedRecord>> ReadChanged(string collection, DateTimeOffset? since, IReadOnlyCollection<string>? fields, CancellationToken cancellation);

    /// <summary>Ids of records that were removed at or after a time, as the system itself tells; null where it does not tell.</summary>
    /// <exception cref="SystemFault">It can't be asked.</exception>
    Task<IReadOnlyList<string>?> ReadRemoved(string collection, DateTimeOffset since, CancellationToken cancellation) => Task.FromResult<IReadOnlyList<string>?>(null);

    /// <summary>Whether a reading of everything gives every record that is there. Where it does, what is missing from it was removed.</summary>
    bool ListsAll(string collection) => true;

    /// <summary>When the newest of what waits to be taken came, where records come as files and wait; null where none waits.</summary>
    DateTimeOffset? NewestWaiting(string collection) => null;

    /// <summary>The ids of all records that are there, a page at a time.</summary>
    /// <exception cref="SystemFault">The system can't be read to the end.</exception>
    async IAsyncEnumerable<IReadOnlyList<string>> ReadIds(string collection, [EnumeratorCancellation] CancellationToken cancellation)
    {
        await foreach (var page in this.ReadChanged(collection, null, [], cancellation))
        {
            yield return [.. page.Select(r => r.Id)];
        }
    }

    /// <summary>One record as it stands now; null when there is none.</summary>
    Task<ObservedRecord?> ReadOne(string collection, string id, CancellationToken cancellation);

    /// <summary>The record that carries our reference; null when there is none, or when the system has no field for it.</summary>
    Task<ObservedRecord?> FindByReference(string collection, string reference, CancellationToken cancellation);

    /// <summary>Writes one record. What can go wrong by nature is an answer, not an exception.</summary>
    Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation);

    /// <summary>How many records of a collection one call can write; 1 where each is a call of its own.</summary>
    Task<int> MostAtOnce(string collection, CancellationToken cancellation) => Task.FromResult(1);

    /// <summary>Writes several records, together where the system can. One that goes wrong costs only itself.</summary>
    /// <returns>An answer for each, in their order.</returns>
    async Task<IReadOnlyList<WriteAnswer>> WriteMany(string collection, IReadOnlyList<WriteRequest> requests, CancellationToken cancellation) =>
        await Task.WhenAll(requests.Select(r => this.Write(collection, r, cancellation)));

    /// <summary>What <see cref="Write"/> would send, without sending it. Sign-in and its secrets are left out.</summary>
    /// <exception cref="SystemFault">The system's description, which it is made by, can't be read.</exception>
    Task<RequestShown> Show(string collection, WriteRequest request, CancellationToken cancellation);
}

/// <summary>A request as a person reads it.</summary>
/// <param name="Line">What is done and where: <c>PATCH https://…</c>, a statement, or a file's name.</param>
/// <param name="Headers">Name and value.</param>
/// <param name="Body">Null when nothing is sent along.</param>
public sealed record RequestShown(string Line, IReadOnlyList<(string Name, string Value)> Headers, string? Body);

/// <param name="Id">The record to write; null to create one.</param>
/// <param name="Reference">Stored in the far record on creation, where it has a field for it.</param>
/// <param name="VersionTag">The write must fail unless the record still carries this tag; null when the system has no tags.</param>
/// <param name="Remove">True to remove the record; the fields are then not looked at.</param>
public sealed record WriteRequest(string? Id, RawFields Fields, string? Reference, string? VersionTag, bool Remove = false);

/// <summary>What a system answered to a write.</summary>
public abstract record WriteAnswer
{
    private WriteAnswer()
    {
    }

    /// <summary>It took effect, and this is what the system stored; null when it was a removal.</summary>
    public sealed record Stored(ObservedRecord? Record) : WriteAnswer;

    /// <summary>The record changed since it was read: nothing was written.</summary>
    public sealed record Moved : WriteAnswer;

    /// <summary>There is no such record any more.</summary>
    public sealed record Gone : WriteAnswer;

    /// <summary>The system will not have it.</summary>
    /// <param name="Words">The system's own words.</param>
    public sealed record Refused(string Words) : WriteAnswer;

    /// <summary>It certainly did not take effect, and may be tried again later.</summary>
    public sealed record NotReached(string Reason) : WriteAnswer;

    /// <summary>Nobody knows whether it took effect: look before doing it again.</summary>
    public sealed record Unknown(string Reason) : WriteAnswer;
}

/// <summary>A system that can't be talked to: which one, what happened, and what to do, in one message.</summary>
public sealed class SystemFault(string message, Exception? inner = null) : Exception(message, inner);
