using System.Net.ServerSentEvents;
using System.Runtime.CompilerServices;
using UprightMirror.Web.Running;

namespace UprightMirror.Web.Endpoints;

internal static class ChangesEndpoints
{
    /// <summary>Pages hear here that something happened, as server-sent events, and read again what they show.</summary>
    public static void MapChanges(this RouteGroupBuilder api) =>
        api.MapGet("/changes", (Changes changes, CancellationToken cancellation) => TypedResults.ServerSentEvents(Events(changes, cancellation))).WithName("listen").ExcludeFromDescription();

    private static async IAsyncEnumerable<SseItem<string>> Events(Changes changes, [EnumeratorCancellation] CancellationToken cancellation)
    {
        yield return new SseItem<string>("listening", "change");
        await foreach (var change in changes.Listen(cancellation))
        {
            yield return new SseItem<string>(change, "change");
        }
    }
}
