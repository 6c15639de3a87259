using System.Collections.Immutable;
using System.Text.Json.Serialization;

namespace UprightMirror.Connectors.Calling;

/// <summary>What a system's own description can't say about how to talk to it.</summary>
/// <param name="Collections">How each collection is read and written, where it is not as guessed.</param>
/// <param name="CallsPerSecond">The most calls that begin in one second; null for no limit.</param>
/// <param name="CallsAtOnce">The most calls under way at once.</param>
/// <param name="TimeoutSeconds">How long one call may take.</param>
/// <param name="AllowPrivate">Whether the address may be in a private network or on this machine: an administrator's explicit yes.</param>
/// <param name="Proxy">The HTTP proxy to go through; null for none.</param>
/// <param name="CertificateAuthority">The certificate, as PEM, of a private authority that the system's own is signed by; null when a public one did.</param>
/// <param name="DescriptionText">The OpenAPI document itself, when it was uploaded instead of read from the address.</param>
/// <param name="Service">Where the records are, when that is another system than the one that the description was read from.</param>
/// <param name="Schema">For databases, the schema that is looked at.</param>
public sealed record ConnectionSettings(
    SignInSettings? SignIn = null,
    IReadOnlyDictionary<string, CollectionSettings>? Collections = null,
    int? CallsPerSecond = null,
    int CallsAtOnce = 4,
    int TimeoutSeconds = 30,
    bool AllowPrivate = false,
    Uri? Proxy = null,
    string? CertificateAuthority = null,
    string? DescriptionText = null,
    Uri? Service = null,
    string? Schema = null)
{
    /// <summary>What was set for a collection; null when nothing was.</summary>
    public CollectionSettings? For(string collection) => this.Collections?.GetValueOrDefault(collection);
}

/// <param name="Kind"><c>none</c>, <c>basic</c>, <c>key</c>, <c>bearer</c> or <c>clientCredentials</c>.</param>
/// <param name="TokenAddress">For client credentials, where tokens are given out; from the description when null.</param>
/// <param name="KeyName">For a key, the header or query parameter that carries it.</param>
/// <param name="KeyInQuery">For a key, whether it goes into the query instead of a header.</param>
/// <param name="Scope">For client credentials, the scope to ask for; null for none.</param>
/// <param name="From">Secrets that are not kept here but taken from an environment variable or a file when they are needed, by name.</param>
public sealed record SignInSettings(
    string Kind = "none",
    Uri? TokenAddress = null,
    string? KeyName = null,
    bool KeyInQuery = false,
    string? Scope = null,
    IReadOnlyDictionary<string, SecretSource>? From = null)
{
    /// <summary>The names of the secrets that this kind of sign-in needs.</summary>
    [JsonIgnore]
    public IReadOnlyList<string> Needs => this.Kind switch
    {
        "basic" => ["user", "password"],
        "key" => ["key"],
        "bearer" => ["token"],
        "clientCredentials" => ["clientId", "clientSecret"],
        _ => [],
    };
}

/// <summary>Where a secret is taken from: one of the two.</summary>
/// <param name="Environment">An environment variable whose name begins with <c>UPRIGHT_SECRET_</c>.</param>
/// <param name="File">The name of a file in the folder that <c>UPRIGHT_SECRETS</c> names.</param>
public sealed record SecretSource(string? Environment = null, string? File = null);

/// <summary>How one collection is read and written. Names are those of the system; the defaults are the commonest.</summary>
/// <param name="Path">The collection's path under the service; its name when null.</param>
/// <param name="Items">The property of a page that holds its records; null when a page is an array.</param>
/// <param name="Paging">How a page leads to the next one.</param>
/// <param name="PageSizeParameter">The query parameter that takes the number of records of a page; null when it can't be asked for.</param>
/// <param name="ChangedSinceParameter">The query parameter that asks for what changed at or after a time; null when everything is read.</param>
/// <param name="VersionTag">The field of a record in a list that holds its ETag.</param>
/// <param name="Reference">A field where our reference may be stored on creation, and by which a record can be found; null when there is none.</param>
/// <param name="RemovedPath">Where removals are told; null when they are not.</param>
/// <param name="RemovedSinceParameter">The query parameter there that asks for what was removed at or after a time; null when everything is told.</param>
/// <param name="Bulk">How many records are written in one call; null when they can't be.</param>
/// <param name="Expand">Navigations that are read with each record: an order's lines.</param>
/// <param name="FilePattern">For a folder, the names of the files that hold this collection: <c>orders-*.csv</c>.</param>
/// <param name="DecimalMark">For CSV, the decimal mark when it is not to be detected.</param>
/// <param name="RowsBy">For files, the column that rows of one record have in common; null when each row is a record.</param>
/// <param name="Beside">For files, the collection whose files these are: it puts them away, and this one reads what waits and what was put away lately.</param>
/// <param name="LineColumns">With <paramref name="RowsBy"/>, the columns that belong to each row; none for all but that one.</param>
public sealed record CollectionSettings(
    string? Path = null,
    string? Items = "items",
    Paging? Paging = null,
    string? PageSizeParameter = null,
    int PageSize = 100,
    string? ChangedSinceParameter = null,
    string Id = "id",
    string? ChangedAt = null,
    string? ChangedBy = null,
    string? VersionTag = null,
    string? Reference = null,
    string? RemovedPath = null,
    string? RemovedSinceParameter = null,
    BulkSettings? Bulk = null,
    IReadOnlyList<string>? Expand = null,
    string? FilePattern = null,
    string? DecimalMark = null,
    string? RowsBy = null,
    IReadOnlyList<string>? LineColumns = null,
    string? Beside = null)
{
    /// <summary>The fields that say something about a record, not in it.</summary>
    [JsonIgnore]
    public ImmutableHashSet<string> Stamps => [.. new[] { this.ChangedAt, this.ChangedBy, this.VersionTag, this.Reference }.OfType<string>()];

    [JsonIgnore]
    public Paging PagingOrDefault => this.Paging ?? new Paging.Cursor();
}

/// <summary>How many records are created or changed in one call.</summary>
/// <param name="Path">Where they are sent, under the service.</param>
/// <param name="Items">The property that takes the rows.</param>
/// <param name="Most">The most rows of one call.</param>
/// <param name="Key">The field that rows are told apart by: what has it already is changed, what has not is created.</param>
/// <param name="Changes">True where changed records go this way too, because there is no other.</param>
/// <param name="Results">The property of the answer that holds a result for every row.</param>
/// <param name="Row">The property of a result that says which row it is of, from 0; null where they come in order.</param>
/// <param name="Id">The property of a result that holds the record's id; it has none where the row was refused.</param>
/// <param name="Message">The property of a result that says why a row was refused; null when nothing does.</param>
/// <param name="Record">The property of a result that holds the record as it was stored; null when it must be read back.</param>
public sealed record BulkSettings(
    string Path, string Items, int Most, string Key, bool Changes = false, string Results = "results", string? Row = null, string Id = "id", string? Message = null, string? Record = null);

/// <summary>How one page of a collection leads to the next.</summary>
[JsonPolymorphic(TypeDiscriminatorPropertyName = "kind")]
[JsonDerivedType(typeof(Whole), "whole")]
[JsonDerivedType(typeof(Cursor), "cursor")]
[JsonDerivedType(typeof(Offset), "offset")]
[JsonDerivedType(typeof(PageNumber), "page")]
[JsonDerivedType(typeof(NextLink), "nextLink")]
[JsonDerivedType(typeof(LinkHeader), "linkHeader")]
[JsonDerivedType(typeof(IdRange), "idRange")]
public abstract record Paging
{
    private Paging()
    {
    }

    /// <summary>One answer holds everything.</summary>
    public sealed record Whole : Paging;

    /// <summary>A page names where the next one begins.</summary>
    /// <param name="Parameter">The query parameter that takes the cursor.</param>
    /// <param name="Next">The property of a page that holds it, levels joined by a dot.</param>
    public sealed record Cursor(string Parameter = "cursor", string Next = "nextCursor") : Paging;

    /// <summary>Pages begin after a number of records.</summary>
    public sealed record Offset(string Parameter = "offset") : Paging;

    /// <summary>Pages have numbers.</summary>
    /// <param name="First">The number of the first page: 0 or 1.</param>
    public sealed record PageNumber(string Parameter = "page", int First = 1) : Paging;

    /// <summary>A page holds the address of the next one.</summary>
    /// <param name="Property">The property that holds it, levels joined by a dot.</param>
    public sealed record NextLink(string Property = "next") : Paging;

    /// <summary>The answer's Link header names the next page (RFC 8288).</summary>
    public sealed record LinkHeader : Paging;

    /// <summary>Records are asked for by the range of their numbers; not every number has one.</summary>
    /// <param name="From">The query parameter that takes the first number.</param>
    /// <param name="To">The query parameter that takes the last number.</param>
    /// <param name="Highest">The property of a page that tells the highest number there is; null when nothing tells.</param>
    public sealed record IdRange(string From = "fromId", string To = "toId", string? Highest = "highestId", long First = 1) : Paging;
}
