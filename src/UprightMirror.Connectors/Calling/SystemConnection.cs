using System.Text.Json;

namespace UprightMirror.Connectors.Calling;

/// <summary>Everything needed to reach one system.</summary>
/// <param name="Name">As people know it.</param>
/// <param name="Protocol"><c>rest</c> or <c>odata</c>.</param>
/// <param name="Address">For REST, where its OpenAPI document is; for OData, the service root.</param>
/// <param name="Settings">What the description can't say; see <see cref="ConnectionSettings"/>.</param>
/// <param name="Secrets">By name: <c>clientId</c>, <c>clientSecret</c>, <c>user</c>, <c>password</c>. Never logged.</param>
public sealed record SystemConnection(string Name, string Protocol, Uri Address, JsonElement Settings, IReadOnlyDictionary<string, string> Secrets)
{
    public ISystemConnector Connect(HttpMessageHandler handler, TimeProvider clock)
    {
        var settings = this.Settings.Deserialize<ConnectionSettings>(JsonSerializerOptions.Web) ?? new ConnectionSettings();
        var signIn = SignIn.Of(settings.SignIn, this.Secrets);
        var caller = new Caller(this.Name, handler, signIn, settings, clock);
        return this.Protocol switch
        {
            "rest" => new Rest.RestConnector(this.Name, this.Address, settings, caller),
            "odata" => new OData.ODataConnector(this.Name, this.Address, settings, caller),
            _ => throw new ArgumentException($"{this.Name} has the protocol {this.Protocol}; known are rest and odata."),
        };
    }
}

/// <summary>What a system's own description can't say about how to talk to it.</summary>
/// <param name="CallsPerSecond">The most calls that begin in one second; null for no limit.</param>
/// <param name="CallsAtOnce">The most calls under way at once.</param>
/// <param name="TimeoutSeconds">How long one call may take.</param>
public sealed record ConnectionSettings(
    SignInSettings? SignIn = null,
    IReadOnlyDictionary<string, CollectionSettings>? Collections = null,
    int? CallsPerSecond = null,
    int CallsAtOnce = 4,
    int TimeoutSeconds = 30)
{
    public CollectionSettings For(string collection) => this.Collections?.GetValueOrDefault(collection) ?? new CollectionSettings();
}

/// <param name="Kind"><c>none</c>, <c>basic</c> or <c>clientCredentials</c>.</param>
/// <param name="TokenAddress">For client credentials, where tokens are given out; from the description when null.</param>
public sealed record SignInSettings(string Kind = "none", Uri? TokenAddress = null);

/// <summary>How one collection is read and written. Names are those of the system; the defaults are the commonest.</summary>
/// <param name="Path">The collection's path under the service; its name when null.</param>
/// <param name="Items">The property of a page that holds its records; null when a page is an array.</param>
/// <param name="NextCursor">The property of a page that holds the next page's cursor.</param>
/// <param name="CursorParameter">The query parameter that takes it.</param>
/// <param name="ChangedSinceParameter">The query parameter that asks for what changed at or after a time; null when everything is read.</param>
/// <param name="VersionTag">The field of a record in a list that holds its ETag.</param>
/// <param name="Reference">A field where our reference may be stored on creation, and by which a record can be found; null when there is none.</param>
public sealed record CollectionSettings(
    string? Path = null,
    string? Items = "items",
    string? NextCursor = "nextCursor",
    string CursorParameter = "cursor",
    string? PageSizeParameter = null,
    int PageSize = 100,
    string? ChangedSinceParameter = null,
    string Id = "id",
    string? ChangedAt = null,
    string? ChangedBy = null,
    string? VersionTag = null,
    string? Reference = null);
