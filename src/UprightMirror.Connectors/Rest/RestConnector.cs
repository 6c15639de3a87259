using System.Runtime.CompilerServices;
using System.Text.Json;
using System.Text.Json.Nodes;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Connectors.Rest;

/// <summary>Any system with JSON over HTTP that an OpenAPI document describes, and a few settings for what the document can't say.</summary>
public sealed class RestConnector(string name, Uri description, ConnectionSettings settings, Caller caller) : ISystemConnector
{
    private const int MostPages = 100_000;

    private readonly SemaphoreSlim oneAtATime = new(1, 1);
    private RestDescription? described;

    public string Name => name;

    public Caller Caller => caller;

    public async Task<CatalogueCollection> Describe(string collection, CancellationToken cancellation)
    {
        var read = await this.Description(cancellation);
        return read.Collection(collection, settings.For(collection)) ?? throw caller.Fault($"{name} describes no {collection}: its OpenAPI document has no GET {settings.For(collection).Path ?? "/" + collection}.");
    }

    public async IAsyncEnumerable<IReadOnlyList<ObservedRecord>> ReadChanged(string collection, DateTimeOffset? since, [EnumeratorCancellation] CancellationToken cancellation)
    {
        var own = settings.For(collection);
        var first = await this.Address(collection, cancellation);
        string? cursor = null;
        for (var page = 0; page < MostPages; page++)
        {
            var query = new List<(string, string?)>
            {
                (own.ChangedSinceParameter ?? "", since?.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", System.Globalization.CultureInfo.InvariantCulture)),
                (own.PageSizeParameter ?? "", own.PageSizeParameter is null ? null : own.PageSize.ToString(System.Globalization.CultureInfo.InvariantCulture)),
                (own.CursorParameter, cursor),
            };
            var (json, _) = await caller.Read(With(first, query), $"its {collection}", cancellation);
            using var document = json ?? throw caller.Fault($"{name} has no {collection} at {first} (404). Check the address of the connection and the collection's path.");
            yield return this.RecordsOf(document.RootElement, collection, own);
            var next = own.NextCursor is not null && document.RootElement.ValueKind == JsonValueKind.Object && document.RootElement.TryGetProperty(own.NextCursor, out var value) && value.ValueKind == JsonValueKind.String ? value.GetString() : null;
            if (next is null || next == cursor)
            {
                yield break;
            }

            cursor = next;
        }
    }

    public async Task<ObservedRecord?> ReadOne(string collection, string id, CancellationToken cancellation)
    {
        var (json, etag) = await caller.Read(await this.AddressOf(collection, id, cancellation), $"{collection} {id}", cancellation);
        using var document = json;
        return document is null ? null : this.RecordOf(document.RootElement, collection, settings.For(collection), etag);
    }

    public async Task<ObservedRecord?> FindByReference(string collection, string reference, CancellationToken cancellation)
    {
        var own = settings.For(collection);
        if (own.Reference is null)
        {
            return null;
        }

        var (json, _) = await caller.Read(With(await this.Address(collection, cancellation), [(own.Reference, reference)]), $"its {collection}", cancellation);
        using var document = json;

        // A system that does not know the parameter answers with everything: only a record that carries it counts.
        return document is null ? null : this.RecordsOf(document.RootElement, collection, own).FirstOrDefault(r => r.Fields[own.Reference].Display == reference);
    }

    public Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation)
    {
        var own = settings.For(collection);
        return new RecordWrite(caller, name, collection, own, request, "application/merge-patch+json", (json, etag) => this.RecordOf(json, collection, own, etag), id => this.ReadOne(collection, id, cancellation))
            .Send(() => request.Id is null ? this.Address(collection, cancellation) : this.AddressOf(collection, request.Id, cancellation), cancellation);
    }

    private async Task<RestDescription> Description(CancellationToken cancellation)
    {
        await this.oneAtATime.WaitAsync(cancellation);
        try
        {
            if (this.described is null)
            {
                this.described = RestDescription.Read(await caller.ReadText(description, "its OpenAPI document", true, cancellation), description, name);
                if (this.described.TokenAddress is { } token)
                {
                    caller.SignIn.LearnTokenAddress(token);
                }
            }

            return this.described;
        }
        finally
        {
            this.oneAtATime.Release();
        }
    }

    private async Task<Uri> Address(string collection, CancellationToken cancellation) =>
        new((await this.Description(cancellation)).Base.ToString().TrimEnd('/') + (settings.For(collection).Path ?? "/" + collection));

    private async Task<Uri> AddressOf(string collection, string id, CancellationToken cancellation) =>
        new($"{await this.Address(collection, cancellation)}/{Uri.EscapeDataString(id)}");

    private static Uri With(Uri address, IEnumerable<(string Name, string? Value)> query)
    {
        var text = string.Join('&', query.Where(q => q.Name.Length > 0 && q.Value is not null).Select(q => $"{Uri.EscapeDataString(q.Name)}={Uri.EscapeDataString(q.Value!)}"));
        return text.Length == 0 ? address : new Uri($"{address}?{text}");
    }

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

        return ReadStamps.Record(fields, id.Display, own, etag ?? (own.VersionTag is { } tag && !fields[tag].IsEmpty ? fields[tag].Display : null));
    }
}
