using UprightMirror.DemoWorld.Pages;

namespace UprightMirror.DemoWorld.Events;

/// <summary>Where a system's own administrator says to which address its events go.</summary>
public static class EventPages
{
    public static void MapEventPages(this IEndpointRouteBuilder app)
    {
        foreach (var (system, signs) in EventSender.Signs)
        {
            app.MapGet($"/{system}/events", (bool? saved, EventSender events) => StaffPages.Page($"{system}: events", "#f4f4f4", $"""
                <p><a href='/{system}'>Back to the records</a></p>{(saved == true ? "<p><strong>Saved.</strong></p>" : "")}
                <form method='post'><table>
                <tr><td><label for='address'>Send events to</label></td><td><input id='address' name='address' size='70' value='{StaffPages.Html(events.HookOf(system)?.Address.ToString())}'></td></tr>
                {(signs ? "<tr><td><label for='secret'>Sign them with</label></td><td><input id='secret' name='secret' size='40' autocomplete='off'></td></tr>" : "")}
                </table><button>Save</button></form>
                <p>{events.CountsOf(system).Sent} sent, {events.CountsOf(system).Failed} could not be sent. {(signs ? "The header X-Slipway-Signature holds sha256= and the HMAC of the body, in hexadecimal." : "They are not signed.")}</p>
                """));
            app.MapPost($"/{system}/events", async (HttpRequest request, EventSender events) =>
            {
                var form = await request.ReadFormAsync();
                var address = form["address"].ToString();
                if (address.Length > 0 && !(Uri.TryCreate(address, UriKind.Absolute, out var uri) && uri.Scheme is "http" or "https"))
                {
                    return Results.BadRequest("That is not a web address.");
                }

                events.Set(system, address.Length == 0 ? null : new Hook(new Uri(address), signs ? form["secret"].ToString() : null));
                return Results.Redirect($"/{system}/events?saved=true");
            }).DisableAntiforgery();
        }
    }
}
