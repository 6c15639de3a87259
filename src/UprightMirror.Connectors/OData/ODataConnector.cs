using System.Globalization;
using System.Runtime.CompilerServices;
using System.Text.Json;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Testing;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Connectors.OData;

/// <summary>Any OData v4 service (OASIS, 2014), from its <c>$metadata</c>.</summary>
public sealed class ODataConnector(string name, Uri root, ConnectionSettings settings, Caller caller) : ISystemConnector
{
    private const int MostPages = 100_000;

    private readonly Uri root = new(root.ToString().TrimEnd('/') + "/");
    private readonly SemaphoreSlim oneAtATime = new(1, 1);
    private ODataDescription? described;

    public string Name => name;

    public CallsSeen Seen => caller.Seen;

    public IReadOnlyList<CallMade> TakeCalls() => caller.TakeCalls();

    public async Task<CatalogueCollection> Describe(string collection, CancellationToken cancellation)
    {
        // Anew, not as it was read some days ago: a run begins with this, and must know what has changed.
        this.described = null;
        return this.Stamped(await this.Set(collection, cancellation));
    }

    public async Task<Catalogue> ReadCatalogue(CancellationToken cancellation)
    {
        this.described = null;
        return new Catalogue([.. (await this.Description(cancellation)).Sets.Values.OrderBy(s => s.Name, StringComparer.Ordinal).Select(this.Stamped)]);
    }

    public IAsyncEnumerable<TestStep> Test(CancellationToken cancellation) => new HttpTest(
        name,
        this.root,
        settings,
        caller,
        async token =>
        {
            var sets = (await this.Description(token)).Sets;
            return (sets.Keys.Order(StringComparer.Ordinal).ToList(), $"OData v4 metadata, {sets.Count} {(sets.Count == 1 ? "entity set" : "entity sets")}.", null);
        },
        (collection, _) => Task.FromResult(new Uri(this.root, collection + "?$top=1")),
        this.Sample,
        DescriptionIsOpen: false).Steps(cancellation);

    public async IAsyncEnumerable<IReadOnlyList<ObservedRecord>> ReadChanged(string collection, DateTimeOffset? since, IReadOnlyCollection<string>? fields, [EnumeratorCancellation] CancellationToken cancellation)
    {
        var set = await this.Set(collection, cancellation);
        var own = this.Own(set);
        var query = new List<string>();
        if (own.ChangedAt is { } stamp)
        {
            query.Add($"$orderby={stamp},{set.Key}");
            if (since is { } time)
            {
                query.Add($"$filter={Uri.EscapeDataString($"{stamp} ge {time.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss.fff'Z'", CultureInfo.InvariantCulture)}")}");
            }
        }
        else
        {
            query.Add($"$orderby={set.Key}");
        }

        if (fields is not null)
        {
            var named = fields.Select(f => f.Split('.')[0]).Concat([set.Key, own.ChangedAt, own.ChangedBy, own.Reference]).OfType<string>().Where(set.Properties.Contains).Distinct().Order(StringComparer.Ordinal);
            query.Add($"$select={string.Join(',', named)}");
        }

        if (own.Expand is { Count: > 0 } expand)
        {
            query.Add($"$expand={string.Join(',', expand)}");
        }

        var next = new Uri(this.root, collection + (query.Count > 0 ? "?" + string.Join('&', query) : ""));
        var seen = new HashSet<Uri>();
        for (var page = 0; page < MostPages && next is not null; page++)
        {
            if (!seen.Add(next))
            {
                throw caller.Fault($"{name} goes round in a circle: the next page of {collection} is one that was read already. Ask who runs it.");
            }

            var (json, _) = await caller.Read(next, $"its {collection}", cancellation);
            using var document = json ?? throw caller.Fault($"{name} has no {collection} at {this.root} (404). Check the address of the connection.");
            yield return [.. Values(document.RootElement, collection).Select(v => this.RecordOf(v, set, own, null))];
            next = document.RootElement.TryGetProperty("@odata.nextLink", out var link) && link.GetString() is { } more ? this.SameSystem(new Uri(this.root, more)) : null;
        }
    }

    public async Task<ObservedRecord?> ReadOne(string collection, string id, CancellationToken cancellation)
    {
        var set = await this.Set(collection, cancellation);
        var expand = this.Own(set).Expand is { Count: > 0 } lines ? $"?$expand={string.Join(',', lines)}" : "";
        var (json, etag) = await caller.Read(new Uri(this.AddressOf(set, id) + expand), $"{collection} {id}", cancellation);
        using var document = json;
        return document is null ? null : this.RecordOf(document.RootElement, set, this.Own(set), etag);
    }

    public async Task<ObservedRecord?> FindByReference(string collection, string reference, CancellationToken cancellation)
    {
        var set = await this.Set(collection, cancellation);
        var own = this.Own(set);
        if (own.Reference is null)
        {
            return null;
        }

        var filter = Uri.EscapeDataString($"{own.Reference} eq {Quoted(reference)}");
        var (json, _) = await caller.Read(new Uri(this.root, $"{collection}?$filter={filter}{(own.Expand is { Count: > 0 } lines ? $"&$expand={string.Join(',', lines)}" : "")}"), $"its {collection}", cancellation);
        using var document = json;
        return document is null ? null : Values(document.RootElement, collection).Select(v => this.RecordOf(v, set, own, null)).FirstOrDefault(r => r.Fields[own.Reference].Display == reference);
    }

    public async Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation)
    {
        ODataDescription.EntitySet set;
        try
        {
            set = await this.Set(collection, cancellation);
        }
        catch (SystemFault e)
        {
            return new WriteAnswer.NotReached(e.Message);
        }

        return await this.WriteOf(set, request, cancellation).Send(() => Task.FromResult(this.WrittenAt(set, request)), cancellation);
    }

    public async Task<RequestShown> Show(string collection, WriteRequest request, CancellationToken cancellation)
    {
        var set = await this.Set(collection, cancellation);
        return await this.WriteOf(set, request, cancellation).Show(() => Task.FromResult(this.WrittenAt(set, request)));
    }

    private RecordWrite WriteOf(ODataDescription.EntitySet set, WriteRequest request, CancellationToken cancellation) =>
        new(caller, name, set.Name, this.Own(set), request, "application/json", (json, etag) => this.RecordOf(json, set, this.Own(set), etag), id => this.ReadOne(set.Name, id, cancellation));

    private Uri WrittenAt(ODataDescription.EntitySet set, WriteRequest request) => request.Id is null ? new Uri(this.root, set.Name) : this.AddressOf(set, request.Id);

    private async Task<ODataDescription.EntitySet> Set(string collection, CancellationToken cancellation)
    {
        var read = await this.Description(cancellation);
        return read.Sets.GetValueOrDefault(collection)
            ?? throw caller.Fault($"{name} has no entity set {collection}. It has {string.Join(", ", read.Sets.Keys.Order().Take(12))}.");
    }

    private async Task<ODataDescription> Description(CancellationToken cancellation)
    {
        await this.oneAtATime.WaitAsync(cancellation);
        try
        {
            return this.described ??= ODataDescription.Read(await caller.ReadText(new Uri(this.root, "$metadata"), "its metadata", false, cancellation), this.root, name);
        }
        finally
        {
            this.oneAtATime.Release();
        }
    }

    /// <summary>How a set is read: as set, otherwise as its metadata and the usual names suggest.</summary>
    private CatalogueCollection Stamped(ODataDescription.EntitySet set) => set.Catalogue with { Stamps = this.Own(set).Stamps };

    private CollectionSettings Own(ODataDescription.EntitySet set) => settings.For(set.Name) ?? set.Guessed;

    /// <summary>The first record of a set; null when it is empty.</summary>
    private async Task<ObservedRecord?> Sample(string collection, CancellationToken cancellation)
    {
        var set = await this.Set(collection, cancellation);
        var (json, _) = await caller.Read(new Uri(this.root, collection + "?$top=1"), $"its {collection}", cancellation);
        using var document = json ?? throw caller.Fault($"{name} has no {collection} at {this.root} (404), though its metadata names it. Ask who runs it.");
        return Values(document.RootElement, collection).Select(v => this.RecordOf(v, set, this.Own(set), null)).FirstOrDefault();
    }

    private Uri AddressOf(ODataDescription.EntitySet set, string id) => new(this.root, $"{set.Name}({Uri.EscapeDataString(set.KeyIsText ? Quoted(id) : id)})");

    private static string Quoted(string text) => $"'{text.Replace("'", "''", StringComparison.Ordinal)}'";

    /// <summary>A service may name its next page anywhere; credentials go only where the administrator said.</summary>
    private Uri SameSystem(Uri link) => link.Authority == this.root.Authority && link.Scheme == this.root.Scheme
        ? link
        : throw caller.Fault($"{name} says that its next page is on another system ({link.Authority}). It is not followed, so that credentials never go elsewhere.");

    private IEnumerable<JsonElement> Values(JsonElement json, string collection) =>
        json.ValueKind == JsonValueKind.Object && json.TryGetProperty("value", out var values) && values.ValueKind == JsonValueKind.Array
            ? values.EnumerateArray()
            : throw caller.Fault($"{name} answered a page of {collection} without \"value\". Check that the address of the connection is an OData v4 service.");

    private ObservedRecord RecordOf(JsonElement json, ODataDescription.EntitySet set, CollectionSettings own, string? etag)
    {
        var all = RawFields.FromJson(json);
        var id = all[set.Key];
        if (id.IsEmpty)
        {
            throw caller.Fault($"{name} answered {set.Name} with a record that has no {set.Key}: without it nothing can be kept the same.");
        }

        var fields = RawFields.Of(all.Paths.Where(p => !p.Contains('@', StringComparison.Ordinal)).Select(p => KeyValuePair.Create(p, all[p])));
        return ReadStamps.Record(fields, id.Display, own, all["@odata.etag"] is { IsEmpty: false } tag ? tag.Display : etag);
    }
}
