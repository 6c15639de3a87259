using System.Net.Http.Headers;
using System.Runtime.CompilerServices;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

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

    public async Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation)
    {
        var own = settings.For(collection);
        Uri address;
        try
        {
            address = request.Id is null ? await this.Address(collection, cancellation) : await this.AddressOf(collection, request.Id, cancellation);
        }
        catch (SystemFault e)
        {
            return new WriteAnswer.NotReached(e.Message);
        }

        var fields = request.Id is null && own.Reference is not null && request.Reference is not null ? request.Fields.With(own.Reference, Value.Text(request.Reference)) : request.Fields;
        return await WriteAnswers.Send(caller, Message, $"the change of {collection} {request.Id ?? "(new)"}", Stored, cancellation);

        HttpRequestMessage Message()
        {
            var message = new HttpRequestMessage(request.Remove ? HttpMethod.Delete : request.Id is null ? HttpMethod.Post : HttpMethod.Patch, address);
            if (!request.Remove)
            {
                message.Content = new StringContent(fields.ToNestedJson().ToJsonString(), Encoding.UTF8, request.Id is null ? "application/json" : "application/merge-patch+json");
            }

            if (request.VersionTag is { } tag && EntityTagHeaderValue.TryParse(tag, out var etag))
            {
                message.Headers.IfMatch.Add(etag);
            }

            return message;
        }

        async Task<WriteAnswer> Stored(Answered answer)
        {
            if (request.Remove)
            {
                return new WriteAnswer.Stored(null);
            }

            try
            {
                using var document = JsonDocument.Parse(answer.Body);
                return new WriteAnswer.Stored(this.RecordOf(document.RootElement, collection, own, answer.ETag));
            }
            catch (Exception e) when (e is JsonException or SystemFault)
            {
                // It says nothing of what it stored: read it back.
                return request.Id is { } id && await this.ReadOne(collection, id, cancellation) is { } back
                    ? new WriteAnswer.Stored(back)
                    : new WriteAnswer.Unknown($"{name} took the change and did not say what it stored.");
            }
        }
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
