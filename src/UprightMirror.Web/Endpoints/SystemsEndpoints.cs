using UprightMirror.Storage;

namespace UprightMirror.Web.Endpoints;

/// <param name="State">answering, slow, down, or not called yet.</param>
public sealed record SystemShown(string System, string Name, string Monogram, string Colour, string Protocol, string Address, string State, int? Milliseconds, long Calls, long Failures, string? LastFault, DateTimeOffset? LastFaultAt, DateTimeOffset? SeenAt);

internal static class SystemsEndpoints
{
    public static void MapSystems(this RouteGroupBuilder api) =>
        api.MapGet("/systems", (KeptConnections connections, CancellationToken cancellation) => All(connections, cancellation)).WithName("getSystems");

    public static async Task<IReadOnlyList<SystemShown>> All(KeptConnections connections, CancellationToken cancellation)
    {
        var health = (await connections.Health(cancellation)).ToDictionary(h => h.System);
        return [.. (await connections.All(cancellation)).Select(c => health.TryGetValue(c.System, out var h)
            ? new SystemShown(c.System, c.Name, c.Monogram, c.Colour, c.Protocol, c.Address.ToString(), h.State, h.Milliseconds, h.Calls, h.Failures, h.LastFault, h.LastFaultAt, h.SeenAt)
            : new SystemShown(c.System, c.Name, c.Monogram, c.Colour, c.Protocol, c.Address.ToString(), "not called yet", null, 0, 0, null, null, null))];
    }
}
