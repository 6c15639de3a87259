using System.Runtime.CompilerServices;
using UprightMirror.Connectors;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Testing;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Engine;

/// <summary>A system as one run calls it: each call's time goes into the run's log.</summary>
public sealed class TimedSystem(ISystemConnector system, int side, RunLog log, TimeProvider clock) : ISystemConnector
{
    private const string Describing = "reading its description";
    private const string Reading = "reading";
    private const string Removals = "looking for what is gone";
    private const string One = "reading one record";
    private const string Finding = "finding by our reference";
    private const string Writing = "writing";

    public string Name => system.Name;

    public CallsSeen Seen => system.Seen;

    public IReadOnlyList<CallMade> TakeCalls() => system.TakeCalls();

    public Task<CatalogueCollection> Describe(string collection, CancellationToken cancellation) => this.Timed(Describing, () => system.Describe(collection, cancellation));

    public Task<Catalogue> ReadCatalogue(CancellationToken cancellation) => system.ReadCatalogue(cancellation);

    public IAsyncEnumerable<TestStep> Test(CancellationToken cancellation) => system.Test(cancellation);

    public IAsyncEnumerable<IReadOnlyList<ObservedRecord>> Take(string collection, DateTimeOffset? since, IReadOnlyCollection<string>? fields, CancellationToken cancellation) =>
        this.Timed(Reading, system.Take(collection, since, fields, cancellation), cancellation);

    public Task PutAway(string collection, CancellationToken cancellation) => system.PutAway(collection, cancellation);

    public IAsyncEnumerable<IReadOnlyList<ObservedRecord>> ReadChanged(string collection, DateTimeOffset? since, IReadOnlyCollection<string>? fields, CancellationToken cancellation) =>
        this.Timed(Reading, system.ReadChanged(collection, since, fields, cancellation), cancellation);

    public Task<IReadOnlyList<string>?> ReadRemoved(string collection, DateTimeOffset since, CancellationToken cancellation) =>
        this.Timed(Removals, () => system.ReadRemoved(collection, since, cancellation));

    public bool ListsAll(string collection) => system.ListsAll(collection);

    public DateTimeOffset? NewestWaiting(string collection) => system.NewestWaiting(collection);

    public IAsyncEnumerable<IReadOnlyList<string>> ReadIds(string collection, CancellationToken cancellation) => this.Timed(Removals, system.ReadIds(collection, cancellation), cancellation);

    public Task<ObservedRecord?> ReadOne(string collection, string id, CancellationToken cancellation) => this.Timed(One, () => system.ReadOne(collection, id, cancellation));

    public Task<ObservedRecord?> FindByReference(string collection, string reference, CancellationToken cancellation) => this.Timed(Finding, () => system.FindByReference(collection, reference, cancellation));

    public Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation) =>
        this.Timed(Writing, () => system.Write(collection, request, cancellation), answer => answer is not WriteAnswer.Stored);

    public Task<int> MostAtOnce(string collection, CancellationToken cancellation) => system.MostAtOnce(collection, cancellation);

    public Task<IReadOnlyList<WriteAnswer>> WriteMany(string collection, IReadOnlyList<WriteRequest> requests, CancellationToken cancellation) =>
        this.Timed(Writing, () => system.WriteMany(collection, requests, cancellation), answers => answers.Any(a => a is not WriteAnswer.Stored));

    public Task<RequestShown> Show(string collection, WriteRequest request, CancellationToken cancellation) => system.Show(collection, request, cancellation);

    private async Task<T> Timed<T>(string what, Func<Task<T>> call, Func<T, bool>? hasFailed = null)
    {
        var began = clock.GetTimestamp();
        var failed = true;
        try
        {
            var answer = await call();
            failed = hasFailed?.Invoke(answer) ?? false;
            return answer;
        }
        finally
        {
            log.Called(side, system.Name, what, began, failed);
        }
    }

    /// <summary>What is read page by page takes the time until each page is there, not what is done with it.</summary>
    private async IAsyncEnumerable<T> Timed<T>(string what, IAsyncEnumerable<T> pages, [EnumeratorCancellation] CancellationToken cancellation)
    {
        await using var page = pages.GetAsyncEnumerator(cancellation);
        while (await this.Timed(what, () => page.MoveNextAsync().AsTask()))
        {
            yield return page.Current;
        }
    }
}
