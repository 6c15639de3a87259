using System.Globalization;
using System.Net.Http.Headers;
using System.Runtime.CompilerServices;
using System.Text.Json;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Testing;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Connectors.Rest;

/// <summary>Any system with JSON over HTTP that an OpenAPI document describes; what the document can't say is guessed, and settings correct it.</summary>
public sealed class RestConnector(string name, Uri description, ConnectionSettings settings, Caller caller) : ISystemConnector
{
    private readonly SemaphoreSlim oneAtATime = new(1, 1);
    private RestDescription? described;

    public string Name => name;

    public CallsSeen Seen => caller.Seen;

    public IReadOnlyList<CallMade> TakeCalls() => caller.TakeCalls();

    public async Task<CatalogueCollection> Describe(string collection, CancellationToken cancellation)
    {
        // Anew, not as it was read some days ago: a run begins with this, and must know what has changed.
        this.described = null;
        var read = await this.Description(cancellation);
        var own = await this.Own(collection, cancellation);
        return read.Collection(collection, own) ?? throw caller.Fault($"{name} describes no {collection}: its OpenAPI document has no GET {own.Path ?? "/" + collection}.");
    }

    public async Task<Catalogue> ReadCatalogue(CancellationToken cancellation)
    {
        this.described = null;
        return (await this.Description(cancellation)).Catalogue(settings.For);
    }

    /// <summary>What the description says, with what is guessed from it.</summary>
    /// <exception cref="SystemFault">It can't be read.</exception>
    public Task<RestDescription> ReadDescription(CancellationToken cancellation) => this.Description(cancellation);

    public IAsyncEnumerable<TestStep> Test(CancellationToken cancellation) => new HttpTest(
        name,
        description,
        settings,
        caller,
        async token =>
        {
            var read = await this.Description(token);
            return (read.Guessed.Keys.Order(StringComparer.Ordinal).ToList(), $"\"{read.Title}\", {read.Guessed.Count} {(read.Guessed.Count == 1 ? "collection" : "collections")}{(settings.DescriptionText is null ? "" : ", from the uploaded document")}", read.CallsPerSecond);
        },
        async (collection, token) => await this.Address(collection, token),
        this.Sample,
        DescriptionIsOpen: true).Steps(cancellation);

    public async IAsyncEnumerable<IReadOnlyList<ObservedRecord>> ReadChanged(string collection, DateTimeOffset? since, IReadOnlyCollection<string>? fields, [EnumeratorCancellation] CancellationToken cancellation)
    {
        var own = await this.Own(collection, cancellation);
        var pages = new RestPages(name, caller, own, await this.Address(collection, cancellation), collection, since, page => this.RecordsOf(page, collection, own));
        await foreach (var page in pages.Read(cancellation))
        {
            // A system that can't be asked for changes is read whole; what did not change since need not go further.
            yield return own.ChangedSinceParameter is null && since is { } time ? [.. page.Where(r => r.ChangedAt is null || r.ChangedAt >= time)] : page;
        }
    }

    public async Task<IReadOnlyList<string>?> ReadRemoved(string collection, DateTimeOffset since, CancellationToken cancellation)
    {
        var own = await this.Own(collection, cancellation);
        if (own.RemovedPath is not { } path)
        {
            return null;
        }

        var address = await this.Under(path, cancellation);
        if (own.RemovedSinceParameter is { } parameter)
        {
            address = RestPages.With(address, [(parameter, since.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", System.Globalization.CultureInfo.InvariantCulture))]);
        }

        var (json, _) = await caller.Read(address, $"what was removed from its {collection}", cancellation);
        using var document = json;
        if (document is null)
        {
            return null;
        }

        var told = document.RootElement.ValueKind == JsonValueKind.Array ? document.RootElement
            : own.Items is { } items && document.RootElement.ValueKind == JsonValueKind.Object && document.RootElement.TryGetProperty(items, out var list) && list.ValueKind == JsonValueKind.Array ? list
            : throw caller.Fault($"{name} tells what was removed from its {collection} in a form that is not understood: a list of ids, or of records with their {own.Id}, was expected. Check the collection's settings.");
        return [.. told.EnumerateArray().Select(r => r.ValueKind == JsonValueKind.Object && r.TryGetProperty(own.Id, out var id) ? id : r).Where(id => id.ValueKind is JsonValueKind.String or JsonValueKind.Number).Select(id => id.ToString())];
    }

    public async Task<ObservedRecord?> ReadOne(string collection, string id, CancellationToken cancellation)
    {
        var own = await this.Own(collection, cancellation);
        var (json, etag) = await caller.Read(await this.AddressOf(collection, id, cancellation), $"{collection} {id}", cancellation);
        using var document = json;
        return document is null ? null : this.RecordOf(document.RootElement, collection, own, etag);
    }

    public async Task<ObservedRecord?> FindByReference(string collection, string reference, CancellationToken cancellation)
    {
        var own = await this.Own(collection, cancellation);
        if (own.Reference is null)
        {
            return null;
        }

        var (json, _) = await caller.Read(RestPages.With(await this.Address(collection, cancellation), [(own.Reference, reference)]), $"its {collection}", cancellation);
        using var document = json;

        // A system that does not know the parameter answers with everything: only a record that carries it counts.
        return document is null ? null : this.RecordsOf(document.RootElement, collection, own).FirstOrDefault(r => r.Fields[own.Reference].Display == reference);
    }

    public async Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation)
    {
        CollectionSettings own;
        try
        {
            own = await this.Own(collection, cancellation);
        }
        catch (SystemFault e)
        {
            return new WriteAnswer.NotReached(e.Message);
        }

        if (own.Bulk is { } bulk && request.Id is not null && BulkWrite.Takes(bulk, request))
        {
            return (await this.WriteMany(collection, [request], cancellation))[0];
        }

        if (request is { Id: { } id, VersionTag: { } tag } && !EntityTagHeaderValue.TryParse(tag, out _))
        {
            // Its versions are no preconditions: what it holds just before is compared instead.
            try
            {
                if (await this.ReadOne(collection, id, cancellation) is not { } now || now.VersionTag != tag)
                {
                    return new WriteAnswer.Moved();
                }
            }
            catch (SystemFault e)
            {
                return new WriteAnswer.NotReached(e.Message);
            }
        }

        return await this.WriteOf(collection, request, own, cancellation).Send(() => this.WrittenAt(collection, request, cancellation), cancellation);
    }

    public async Task<RequestShown> Show(string collection, WriteRequest request, CancellationToken cancellation) =>
        await this.WriteOf(collection, request, await this.Own(collection, cancellation), cancellation).Show(() => this.WrittenAt(collection, request, cancellation));

    private RecordWrite WriteOf(string collection, WriteRequest request, CollectionSettings own, CancellationToken cancellation) => new(
        caller, name, collection, own, request, "application/merge-patch+json", (json, etag) => this.RecordOf(json, collection, own, etag), id => this.ReadOne(collection, id, cancellation));

    private Task<Uri> WrittenAt(string collection, WriteRequest request, CancellationToken cancellation) =>
        request.Id is null ? this.Address(collection, cancellation) : this.AddressOf(collection, request.Id, cancellation);

    public async Task<int> MostAtOnce(string collection, CancellationToken cancellation) => (await this.Own(collection, cancellation)).Bulk?.Most ?? 1;

    public async Task<IReadOnlyList<WriteAnswer>> WriteMany(string collection, IReadOnlyList<WriteRequest> requests, CancellationToken cancellation)
    {
        CollectionSettings own;
        Uri address;
        try
        {
            own = await this.Own(collection, cancellation);
            if (own.Bulk is not { } bulk || !requests.All(r => BulkWrite.Takes(bulk, r)))
            {
                return await Task.WhenAll(requests.Select(r => this.Write(collection, r, cancellation)));
            }

            address = await this.Under(bulk.Path, cancellation);
        }
        catch (SystemFault e)
        {
            return [.. requests.Select(_ => new WriteAnswer.NotReached(e.Message))];
        }

        return await new BulkWrite(caller, name, collection, own, (ids, token) => this.ReadSome(collection, own, ids, token), json => this.RecordOf(json, collection, own, null)).Send(address, requests, cancellation);
    }

    /// <summary>Some records as they stand now, by their ids; those that are not there are left out.</summary>
    private async Task<IReadOnlyDictionary<string, ObservedRecord>> ReadSome(string collection, CollectionSettings own, IReadOnlyList<string> ids, CancellationToken cancellation)
    {
        var found = new Dictionary<string, ObservedRecord>(StringComparer.Ordinal);
        if (own.PagingOrDefault is Paging.IdRange range && ids.All(i => long.TryParse(i, CultureInfo.InvariantCulture, out _)))
        {
            var wanted = ids.ToHashSet(StringComparer.Ordinal);
            var numbers = new Queue<long>(ids.Select(i => long.Parse(i, CultureInfo.InvariantCulture)).Order());
            while (numbers.TryDequeue(out var from))
            {
                var to = from;
                while (numbers.TryPeek(out var next) && next - from < own.PageSize)
                {
                    to = numbers.Dequeue();
                }

                var asked = RestPages.With(await this.Address(collection, cancellation), [(range.From, from.ToString(CultureInfo.InvariantCulture)), (range.To, to.ToString(CultureInfo.InvariantCulture))]);
                var (json, _) = await caller.Read(asked, $"its {collection}", cancellation);
                using var document = json;
                foreach (var record in document is null ? [] : this.RecordsOf(document.RootElement, collection, own).Where(r => wanted.Contains(r.Id)))
                {
                    found[record.Id] = record;
                }
            }

            return found;
        }

        foreach (var id in ids)
        {
            if (await this.ReadOne(collection, id, cancellation) is { } record)
            {
                found[id] = record;
            }
        }

        return found;
    }

    /// <summary>The first record of a collection; null when it is empty.</summary>
    private async Task<ObservedRecord?> Sample(string collection, CancellationToken cancellation)
    {
        await foreach (var page in this.ReadChanged(collection, null, null, cancellation))
        {
            if (page.Count > 0)
            {
                return page[0];
            }
        }

        return null;
    }

    private async Task<RestDescription> Description(CancellationToken cancellation)
    {
        await this.oneAtATime.WaitAsync(cancellation);
        try
        {
            if (this.described is null)
            {
                this.described = RestDescription.Read(settings.DescriptionText ?? await caller.ReadText(description, "its OpenAPI document", true, cancellation), description, name);
                if (this.described.TokenAddress is { } token)
                {
                    caller.SignIn.LearnTokenAddress(this.SameSystem(token, "where tokens are given out"));
                }
            }

            return this.described;
        }
        finally
        {
            this.oneAtATime.Release();
        }
    }

    /// <summary>A description may name other addresses; credentials go only where the administrator said.</summary>
    private Uri SameSystem(Uri address, string what) => address.Authority == description.Authority && address.Scheme == description.Scheme
        ? address
        : throw caller.Fault($"{name}: its description says that {what} is another system ({address.Authority}). Credentials only go there when the connection itself names that address.");

    /// <summary>How a collection is read: as set, otherwise as guessed from the description.</summary>
    private async Task<CollectionSettings> Own(string collection, CancellationToken cancellation) =>
        settings.For(collection) ?? (await this.Description(cancellation)).Guessed.GetValueOrDefault(collection)?.Settings ?? new CollectionSettings();

    private async Task<Uri> Address(string collection, CancellationToken cancellation) =>
        await this.Under((await this.Own(collection, cancellation)).Path ?? "/" + collection, cancellation);

    private async Task<Uri> Under(string path, CancellationToken cancellation) =>
        new((settings.Service ?? this.SameSystem((await this.Description(cancellation)).Base, "where its records are")).ToString().TrimEnd('/') + path);

    private async Task<Uri> AddressOf(string collection, string id, CancellationToken cancellation) =>
        new($"{await this.Address(collection, cancellation)}/{Uri.EscapeDataString(id)}");

    private List<ObservedRecord> RecordsOf(JsonElement page, string collection, CollectionSettings own)
    {
        var items = page.ValueKind == JsonValueKind.Array ? page
            : page.ValueKind == JsonValueKind.Object && own.Items is not null && page.TryGetProperty(own.Items, out var inner) && inner.ValueKind == JsonValueKind.Array ? inner
            : throw caller.Fault($"{name} answered a page of {collection} without the list \"{own.Items}\". Check the collection's settings.");
        return [.. items.EnumerateArray().Select(i => this.RecordOf(i, collection, own, null))];
    }

    private ObservedRecord RecordOf(JsonElement json, string collection, CollectionSettings own, string? etag)
    {
        if (json.ValueKind != JsonValueKind.Object)
        {
            throw caller.Fault($"{name} answered {collection} with a record that is not an object.");
        }

        var fields = RawFields.FromJson(json);
        var id = fields[own.Id];
        if (id.IsEmpty)
        {
            throw caller.Fault($"{name} answered {collection} with a record that has no {own.Id}: without it nothing can be kept the same.");
        }

        // Where it has no versions, the time of the last change tells them apart.
        return ReadStamps.Record(fields, id.Display, own, etag ?? ((own.VersionTag ?? own.ChangedAt) is { } tag && !fields[tag].IsEmpty ? fields[tag].Display : null));
    }
}
