using System.Collections.Concurrent;
using System.Collections.Immutable;
using System.Runtime.CompilerServices;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Testing;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Connectors.Shapes;

/// <summary>
/// Any system, with the lines of its records as collections of their own beside the ordinary ones. A line is written by writing all lines
/// of its record, with the others as they stand at that moment, and only if nobody changed it since it was read.
/// </summary>
public sealed class InnerRecords(ISystemConnector system) : ISystemConnector
{
    /// <summary>A record whose other lines keep changing while one is written is left to the next run after so many tries.</summary>
    private const int MostTries = 4;

    /// <summary>One write at a time to each outer record: not every system has version tags that would tell two of them apart.</summary>
    private readonly ImmutableArray<SemaphoreSlim> doors = [.. Enumerable.Range(0, 64).Select(_ => new SemaphoreSlim(1, 1))];
    private readonly ConcurrentDictionary<string, CatalogueCollection> described = new(StringComparer.Ordinal);

    public string Name => system.Name;

    /// <summary>The system itself, without its inner collections.</summary>
    public ISystemConnector System => system;

    public CallsSeen Seen => system.Seen;

    public IReadOnlyList<CallMade> TakeCalls() => system.TakeCalls();

    public IAsyncEnumerable<TestStep> Test(CancellationToken cancellation) => system.Test(cancellation);

    public async Task<Catalogue> ReadCatalogue(CancellationToken cancellation)
    {
        var catalogue = await system.ReadCatalogue(cancellation);
        return new Catalogue([.. catalogue.Collections.SelectMany(c => InnerCollection.In(c).Select(i => i.Describe(c)).Prepend(c))]);
    }

    public async Task<CatalogueCollection> Describe(string collection, CancellationToken cancellation)
    {
        if (InnerCollection.Of(collection) is not { } inner)
        {
            return await system.Describe(collection, cancellation);
        }

        var outer = await system.Describe(inner.Collection, cancellation);
        return this.described[collection] = outer.Fields.IsEmpty ? CatalogueCollection.Unknown(collection) : inner.Describe(outer);
    }

    public IAsyncEnumerable<IReadOnlyList<ObservedRecord>> Take(string collection, DateTimeOffset? since, IReadOnlyCollection<string>? fields, CancellationToken cancellation) =>
        InnerCollection.Of(collection) is { } inner ? this.Each(inner, system.Take(inner.Collection, since, inner.Outer(fields), cancellation), cancellation) : system.Take(collection, since, fields, cancellation);

    public Task PutAway(string collection, CancellationToken cancellation) => system.PutAway(InnerCollection.Of(collection)?.Collection ?? collection, cancellation);

    public IAsyncEnumerable<IReadOnlyList<ObservedRecord>> ReadChanged(string collection, DateTimeOffset? since, IReadOnlyCollection<string>? fields, CancellationToken cancellation) =>
        InnerCollection.Of(collection) is { } inner ? this.Each(inner, system.ReadChanged(inner.Collection, since, inner.Outer(fields), cancellation), cancellation) : system.ReadChanged(collection, since, fields, cancellation);

    /// <summary>That a line was removed is told by no system: it is missing from its record.</summary>
    public Task<IReadOnlyList<string>?> ReadRemoved(string collection, DateTimeOffset since, CancellationToken cancellation) =>
        InnerCollection.Of(collection) is null ? system.ReadRemoved(collection, since, cancellation) : Task.FromResult<IReadOnlyList<string>?>(null);

    public DateTimeOffset? NewestWaiting(string collection) => system.NewestWaiting(InnerCollection.Of(collection)?.Collection ?? collection);

    public bool ListsAll(string collection) => system.ListsAll(InnerCollection.Of(collection)?.Collection ?? collection);

    public IAsyncEnumerable<IReadOnlyList<string>> ReadIds(string collection, CancellationToken cancellation) =>
        InnerCollection.Of(collection) is null ? system.ReadIds(collection, cancellation) : this.InnerIds(collection, cancellation);

    private async IAsyncEnumerable<IReadOnlyList<string>> InnerIds(string collection, [EnumeratorCancellation] CancellationToken cancellation)
    {
        await foreach (var page in this.ReadChanged(collection, null, null, cancellation))
        {
            yield return [.. page.Select(r => r.Id)];
        }
    }

    public async Task<ObservedRecord?> ReadOne(string collection, string id, CancellationToken cancellation)
    {
        if (InnerCollection.Of(collection) is not { } inner)
        {
            return await system.ReadOne(collection, id, cancellation);
        }

        return await system.ReadOne(inner.Collection, InnerCollection.OuterId(id), cancellation) is { } outer ? inner.Records(outer, await this.KeyOf(inner, cancellation)).FirstOrDefault(r => r.Id == id) : null;
    }

    /// <summary>A line has no place for our reference: a creation that was never answered is found by reading what is there.</summary>
    public Task<ObservedRecord?> FindByReference(string collection, string reference, CancellationToken cancellation) =>
        InnerCollection.Of(collection) is null ? system.FindByReference(collection, reference, cancellation) : Task.FromResult<ObservedRecord?>(null);

    public async Task<RequestShown> Show(string collection, WriteRequest request, CancellationToken cancellation)
    {
        if (InnerCollection.Of(collection) is not { } inner)
        {
            return await system.Show(collection, request, cancellation);
        }

        var outer = await system.ReadOne(inner.Collection, OuterOf(request), cancellation);
        return outer is not null && (await this.Change(inner, outer, request, cancellation)).Lines is { } lines
            ? await system.Show(inner.Collection, Whole(inner, outer, lines), cancellation)
            : throw new SystemFault($"{this.Name}, {inner.Collection} {OuterOf(request)}: the line can't be shown there, since it is not there any more. Read the record again.");
    }

    public async Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation)
    {
        if (InnerCollection.Of(collection) is not { } inner)
        {
            return await system.Write(collection, request, cancellation);
        }

        var id = OuterOf(request);
        if (id.Length == 0)
        {
            return new WriteAnswer.Refused($"A line is created in a record of {inner.Collection}, and {InnerCollection.ParentId} does not say in which.");
        }

        var door = this.doors[(int)((uint)StringComparer.Ordinal.GetHashCode(inner.Collection + id) % this.doors.Length)];
        await door.WaitAsync(cancellation);
        try
        {
            for (var tries = 0; tries < MostTries; tries++)
            {
                if (await this.WriteOnce(inner, id, request, cancellation) is { } answer)
                {
                    return answer;
                }
            }

            return new WriteAnswer.Moved();
        }
        catch (SystemFault fault)
        {
            return new WriteAnswer.NotReached(fault.Message);
        }
        finally
        {
            door.Release();
        }
    }

    /// <summary>Lines are written one by one: each is a change of its record.</summary>
    public Task<int> MostAtOnce(string collection, CancellationToken cancellation) =>
        InnerCollection.Of(collection) is null ? system.MostAtOnce(collection, cancellation) : Task.FromResult(1);

    public async Task<IReadOnlyList<WriteAnswer>> WriteMany(string collection, IReadOnlyList<WriteRequest> requests, CancellationToken cancellation) =>
        InnerCollection.Of(collection) is null
            ? await system.WriteMany(collection, requests, cancellation)
            : await Task.WhenAll(requests.Select(r => this.Write(collection, r, cancellation)));

    /// <returns>Null when another line of the record changed meanwhile, and it must be tried again.</returns>
    private async Task<WriteAnswer?> WriteOnce(InnerCollection inner, string id, WriteRequest request, CancellationToken cancellation)
    {
        if (await system.ReadOne(inner.Collection, id, cancellation) is not { } outer)
        {
            return request.Id is null ? new WriteAnswer.Refused($"There is no {inner.Collection} {id}, which the line was to be created in.") : new WriteAnswer.Gone();
        }

        var (lines, early) = await this.Change(inner, outer, request, cancellation);
        if (lines is null)
        {
            return early;
        }

        var answer = await system.Write(inner.Collection, Whole(inner, outer, lines.Value), cancellation);
        if (answer is not WriteAnswer.Stored stored)
        {
            return answer is WriteAnswer.Moved ? null : answer;
        }

        if (request.Remove)
        {
            return new WriteAnswer.Stored(null);
        }

        var key = await this.KeyOf(inner, cancellation);
        var after = stored.Record is { } record ? inner.Records(record, key).ToList() : [];
        var before = inner.Records(outer, key).Select(r => r.Id).ToHashSet(StringComparer.Ordinal);
        var written = request.Id is { } own ? after.FirstOrDefault(r => r.Id == own) : after.LastOrDefault(r => !before.Contains(r.Id));
        return written is not null ? new WriteAnswer.Stored(written) : new WriteAnswer.Unknown($"{this.Name} took the change of {inner.Collection} {id}, and the line is not in what it stored.");
    }

    /// <summary>All lines as they are to be written; null with an answer where nothing is to be.</summary>
    private async Task<(ImmutableArray<ImmutableSortedDictionary<string, Value>>? Lines, WriteAnswer? Early)> Change(InnerCollection inner, ObservedRecord outer, WriteRequest request, CancellationToken cancellation)
    {
        var fields = request.Fields.Paths.Where(p => p != InnerCollection.ParentId).ToList();
        if (fields.FirstOrDefault(p => p.StartsWith(InnerCollection.OfParent, StringComparison.Ordinal)) is { } foreign)
        {
            return (null, new WriteAnswer.Refused($"{foreign} is a field of the record that the line stands in. It can't be written by its line."));
        }

        if (request.Id is not null && request.Fields[InnerCollection.ParentId] is { IsEmpty: false } told && told.Display != outer.Id)
        {
            return (null, new WriteAnswer.Refused($"A line can't be moved from {inner.Collection} {outer.Id} to {told.Display}."));
        }

        var lines = inner.LinesOf(outer);
        if (request.Id is null)
        {
            return (lines.Add(With(ImmutableSortedDictionary.Create<string, Value>(StringComparer.Ordinal))), null);
        }

        var at = inner.Records(outer, await this.KeyOf(inner, cancellation)).ToList().FindIndex(r => r.Id == request.Id);
        if (at < 0)
        {
            return (null, new WriteAnswer.Gone());
        }

        if (request.VersionTag is { } tag && inner.Records(outer, await this.KeyOf(inner, cancellation)).ElementAt(at).VersionTag != tag)
        {
            return (null, new WriteAnswer.Moved());
        }

        return (request.Remove ? lines.RemoveAt(at) : lines.SetItem(at, With(lines[at])), null);

        ImmutableSortedDictionary<string, Value> With(ImmutableSortedDictionary<string, Value> line) => line.SetItems(fields.Select(f => KeyValuePair.Create(f, request.Fields[f])));
    }

    private static WriteRequest Whole(InnerCollection inner, ObservedRecord outer, ImmutableArray<ImmutableSortedDictionary<string, Value>> lines) =>
        new(outer.Id, RawFields.Of([KeyValuePair.Create(inner.Path, lines.IsEmpty ? Value.Empty : new LinesValue(lines))]), null, outer.VersionTag);

    private static string OuterOf(WriteRequest request) => request.Id is { } id ? InnerCollection.OuterId(id) : request.Fields[InnerCollection.ParentId].Display;

    private async Task<string?> KeyOf(InnerCollection inner, CancellationToken cancellation) =>
        InnerCollection.KeyOf(this.described.TryGetValue(inner.Name, out var known) ? known : await this.Describe(inner.Name, cancellation));

    private async IAsyncEnumerable<IReadOnlyList<ObservedRecord>> Each(InnerCollection inner, IAsyncEnumerable<IReadOnlyList<ObservedRecord>> pages, [EnumeratorCancellation] CancellationToken cancellation)
    {
        var key = await this.KeyOf(inner, cancellation);
        await foreach (var page in pages.WithCancellation(cancellation))
        {
            yield return [.. page.SelectMany(outer => inner.Records(outer, key))];
        }
    }
}
