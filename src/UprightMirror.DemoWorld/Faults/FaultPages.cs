using System.Globalization;
using System.Text;
using System.Text.Encodings.Web;

namespace UprightMirror.DemoWorld.Faults;

/// <summary>The operator's page and API: what is wrong with each system, to be switched on and off.</summary>
public static class FaultPages
{
    public static void MapFaults(this IEndpointRouteBuilder app)
    {
        app.MapGet("/faults/api", (FaultSwitches faults) => FaultSwitches.Systems.ToDictionary(s => s, faults.Of));
        app.MapPut("/faults/api/{system}", (string system, Fault fault, FaultSwitches faults) => With(system, () => faults.Set(system, fault)));
        app.MapDelete("/faults/api/{system}", (string system, FaultSwitches faults) => With(system, () => faults.Clear(system)));
        app.MapGet("/faults", (FaultSwitches faults) => Page(faults));
        app.MapPost("/faults/{system}", async (string system, HttpRequest request, FaultSwitches faults) =>
        {
            var form = await request.ReadFormAsync();
            int Number(string name) => int.TryParse(form[name], CultureInfo.InvariantCulture, out var n) ? n : 0;
            var before = faults.Of(system);
            var field = form["field"].ToString();
            IReadOnlyList<FieldFault> fields = form.ContainsKey("keepFields") ? before.Fields ?? [] : [];
            return With(system, () => faults.Set(system, new Fault(
                Number("slow"), form.ContainsKey("down"), form.ContainsKey("html"), form.ContainsKey("dropBefore"), form.ContainsKey("dropAfter"), Number("refuseEvery"), Number("errorEvery"),
                form.ContainsKey("wrongSecret"), form.ContainsKey("forbidden"), Number("clock"),
                form.ContainsKey("endTokens") ? DateTimeOffset.UtcNow : before.TokensEndedAt,
                field.Length > 0 ? [.. fields, new FieldFault(form["kind"].ToString(), form["collection"].ToString(), field, form["type"].ToString())] : fields,
                form.ContainsKey("eventsTwice"), Number("eventsLate"), form.ContainsKey("eventsNever")))) is { } answer && answer is IStatusCodeHttpResult { StatusCode: 404 } ? answer : Results.Redirect("/faults");
        }).DisableAntiforgery();
    }

    private static IResult With(string system, Action act)
    {
        if (!FaultSwitches.Systems.Contains(system))
        {
            return Results.NotFound();
        }

        act();
        return Results.NoContent();
    }

    private static IResult Page(FaultSwitches faults)
    {
        var html = new StringBuilder("<!doctype html><html lang='en'><meta charset='utf-8'><title>Faults</title><body style='font-family:monospace;background:#222;color:#ddd;margin:24px'><h2>Faults of the demo's systems</h2><p>For who shows or tests what happens when things go wrong. <a style='color:#9cf' href='/'>All systems</a></p>");
        foreach (var system in FaultSwitches.Systems)
        {
            var f = faults.Of(system);
            string Box(string name, string label, bool on) => $"<label><input type='checkbox' name='{name}' {(on ? "checked" : "")}> {label}</label><br>";
            string Count(string name, string label, int n) => $"<label>{label} <input name='{name}' value='{n.ToString(CultureInfo.InvariantCulture)}' size='6'></label><br>";
            html.Append($"<form method='post' action='/faults/{system}' style='display:inline-block;vertical-align:top;border:1px solid #666;padding:12px;margin:0 12px 12px 0'><h3>{system}</h3>")
                .Append(Count("slow", "milliseconds slower", f.SlowMilliseconds)).Append(Box("down", "down: connections are cut", f.Down)).Append(Box("html", "answers with a web page", f.AnswersHtml))
                .Append(Box("dropBefore", "breaks before a write takes effect", f.DropBefore)).Append(Box("dropAfter", "breaks after a write took effect", f.DropAfter))
                .Append(Count("refuseEvery", "refuses every nth write", f.RefuseEvery)).Append(Count("errorEvery", "500 on every nth call", f.ErrorEvery))
                .Append(Box("wrongSecret", "the secret was changed", f.WrongSecret)).Append(Box("forbidden", "no right to read", f.Forbidden)).Append(Box("endTokens", "end all tokens now", false)).Append(Count("clock", "seconds its clock is ahead", f.ClockSeconds))
                .Append(Events.EventSender.Signs.ContainsKey(system) ? Box("eventsTwice", "sends each event twice", f.EventsTwice) + Count("eventsLate", "seconds its events are late", f.EventsLateSeconds) + Box("eventsNever", "sends no events", f.EventsNever) : "")
                .Append("<br>a field: <select name='kind'><option>add</option><option>remove</option><option>retype</option></select> <input name='collection' placeholder='collection' size='14'> <input name='field' placeholder='field' size='14'> <select name='type'><option>string</option><option>integer</option><option>number</option><option>boolean</option></select><br>");
            foreach (var field in f.Fields ?? [])
            {
                html.Append(HtmlEncoder.Default.Encode($"{field.Kind} {field.Collection}.{field.Field} {field.Type}")).Append("<br>");
            }

            html.Append(Box("keepFields", "keep the changed fields", true)).Append("<button>Set</button></form>");
        }

        return Results.Content(html.Append("</body></html>").ToString(), "text/html; charset=utf-8");
    }
}
