using System.Text.Json;

namespace UprightMirror.Connectors.Calling;

/// <summary>Everything needed to reach one system.</summary>
/// <param name="Name">As people know it.</param>
/// <param name="Protocol"><c>rest</c>, <c>odata</c>, <c>folder</c>, <c>postgresql</c> or <c>events</c>.</param>
/// <param name="Address">For REST, where its OpenAPI document is; for OData, the service root; for a folder, its place; for a database, <c>postgresql://host:port/database</c>; for one that sends events, <c>events:</c> and its key.</param>
/// <param name="Settings">What the description can't say; see <see cref="ConnectionSettings"/>.</param>
/// <param name="Secrets">By name: <c>clientId</c>, <c>clientSecret</c>, <c>user</c>, <c>password</c>, <c>key</c>, <c>token</c>. Never logged.</param>
public sealed record SystemConnection(string Name, string Protocol, Uri Address, JsonElement Settings, IReadOnlyDictionary<string, string> Secrets)
{
    /// <exception cref="ArgumentException">The connection is not complete.</exception>
    public ISystemConnector Connect(Outside outside)
    {
        var settings = this.Settings.Deserialize<ConnectionSettings>(JsonSerializerOptions.Web) ?? new ConnectionSettings();
        var secrets = SecretsTaken.All(settings.SignIn, this.Secrets, outside.SecretFiles);
        Caller Caller() => new(this.Name, outside.Handler(settings), SignIn.Of(settings.SignIn, secrets), settings, outside);
        return new Shapes.InnerRecords(this.Protocol switch
        {
            "rest" => new Rest.RestConnector(this.Name, this.Address, settings, Caller()),
            "odata" => new OData.ODataConnector(this.Name, this.Address, settings, Caller()),
            "folder" => new Files.FolderConnector(this.Name, this.Address, settings, outside),
            "postgresql" => new Tables.TableConnector(this.Name, this.Address, settings, secrets, outside),
            "events" => new Events.EventsConnector(this.Name, this.Address.AbsolutePath, outside.Received),
            _ => throw new ArgumentException($"there is no protocol {this.Protocol}; known are rest, odata, folder, postgresql and events."),
        });
    }
}
