using System.Globalization;
using System.Reflection;
using System.Text;
using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.RegularExpressions;
using UprightMirror.DemoWorld.Ballast;
using UprightMirror.DemoWorld.DropFolder;
using UprightMirror.DemoWorld.Pennant;
using UprightMirror.DemoWorld.Shelves;
using UprightMirror.DemoWorld.Slipway;

namespace UprightMirror.DemoWorld.Pages;

/// <summary>The plain pages where each system's own staff looks up and edits a record. They know nothing of any other system.</summary>
public static partial class StaffPages
{
    private const int MostListed = 60;

    private const string Blue = "#eef3fb";
    private const string Cream = "#fdf6e8";
    private const string Pink = "#fbeef2";

    public static void MapStaffPages(this IEndpointRouteBuilder app, string? folder)
    {
        app.MapGet("/", () => Page("Saltmarsh Paddle Works: demo systems", "#f4f4f4", "<p>The simulated systems of the demo. Each has its own page, where its own staff works.</p><ul><li><a href='/slipway'>Slipway CRM</a></li><li><a href='/ballast'>Ballast ERP</a></li><li><a href='/pennant'>Pennant Mail</a></li><li><a href='/drop'>Drop folder</a></li></ul><p>What is told to people ends in <a href='/mail'>the mailbox</a> and in <a href='/room'>the office's room</a>.</p><p><a href='/faults'>Faults</a>, for who shows or tests what happens when things go wrong.</p>"));
        MapSlipway(app);
        MapBallast(app);
        MapPennant(app);
        app.MapGet("/drop", (string? sent) => Page("Drop folder", "#eef7ee", folder is null
            ? "<p>There is no folder: the demo was begun without one.</p>"
            : $"<p>{Html(folder)}</p>{(sent is null ? "" : $"<p><strong>Sent: {Html(sent)}</strong></p>")}<p>The web shop, a partner, a kiosk and a school each send their orders as files.</p><form method='post'><button>Send a file of each</button></form>"));
        app.MapPost("/drop", (OrderFiles files) => folder is null ? Results.NotFound() : Results.Redirect($"/drop?sent={Uri.EscapeDataString(string.Join(", ", files.Write(folder)))}")).DisableAntiforgery();
    }

    private static void MapSlipway(IEndpointRouteBuilder app)
    {
        var names = SlipwayDescription.Collections.Select(c => c.Name).ToArray();
        app.MapGet("/slipway", (string? q, string? of, SlipwayRecords records) =>
        {
            var collection = of is not null && records.Has(of) ? of : "organisations";
            string[] columns = collection switch { "people" => ["firstName", "lastName", "email"], "products" => ["code", "name", "family"], "deals" => ["title", "stage", "orderNumber"], "invoices" => ["number", "grossAmount", "paymentState"], _ => ["name", "phoneMain", "email"] };
            return List($"Slipway CRM: {collection}", Blue, "/slipway", names, collection, q, records[collection].All
                .Select(r => (r.Id, columns.Select(c => r.Body[c]?.ToString()).ToArray())));
        });
        app.MapGet("/slipway/{collection}/{id}", (string collection, string id, bool? saved, string? refused, SlipwayRecords records) =>
            records.Has(collection) && records[collection].Find(id) is { } row
                ? Form($"Slipway CRM: {collection} {id}", Blue, $"/slipway?of={collection}", saved == true, "Aoife Brannock",
                    SlipwayDescription.Collections.First(c => c.Name == collection).Fields.Where(f => !f.ReadOnly && f.Type != "list").Select(f => (f.Path, f.Title ?? Words(f.Path.Split('.')[^1]), row.Body[f.Path]?.ToString())),
                    refused ?? $"Version {row.Version}, last changed by {row.ChangedBy} at {row.ChangedAt:yyyy-MM-dd HH:mm:ss}Z")
                : Results.NotFound());
        app.MapPost("/slipway/{collection:regex(^(organisations|people|products|deals|invoices)$)}/{id}", async (string collection, string id, HttpRequest request, SlipwayRecords records, CancellationToken cancellation) =>
        {
            if (records[collection].Find(id) is null)
            {
                return Results.NotFound();
            }

            var form = await request.ReadFormAsync(cancellation);
            var body = new JsonObject();
            foreach (var field in SlipwayDescription.Collections.First(c => c.Name == collection).Fields.Where(f => form.ContainsKey(f.Path)))
            {
                var levels = field.Path.Split('.');
                var parent = levels.Length == 1 ? body : (JsonObject)(body[levels[0]] ??= new JsonObject());
                var text = form[field.Path].ToString();
                parent[levels[^1]] = field.Type switch
                {
                    _ when text.Length == 0 && field.Type is "number" or "integer" or "boolean" => null,
                    "number" or "integer" => decimal.TryParse(text, CultureInfo.InvariantCulture, out var number) ? JsonValue.Create(number) : JsonValue.Create(text),
                    "boolean" => JsonValue.Create(text is "true" or "yes"),
                    _ => JsonValue.Create(text),
                };
            }

            var address = $"/slipway/{collection}/{Uri.EscapeDataString(id)}";
            try
            {
                records.Change(collection, id, null, JsonSerializer.SerializeToElement(body), By(form, "Aoife Brannock"));
                return Results.Redirect($"{address}?saved=true");
            }
            catch (BadHttpRequestException e)
            {
                return Results.Redirect($"{address}?refused={Uri.EscapeDataString(e.Message)}");
            }
        }).DisableAntiforgery();
    }

    private static void MapBallast(IEndpointRouteBuilder app)
    {
        string[] names = ["customers", "items", "salesorders", "invoices"];
        app.MapGet("/ballast", (string? q, string? of, BallastRecords records) => of switch
        {
            "items" => List("BALLAST ERP - ITEMS", Cream, "/ballast", names, "items", q, records.Items.All.Select(r => (r.Id, new string?[] { r.Body.Description, r.Body.UnitPrice.ToString(CultureInfo.InvariantCulture) }))),
            "salesorders" => List("BALLAST ERP - SALES ORDERS", Cream, "/ballast", names, "salesorders", q, records.SalesOrders.All.Reverse().Select(r => (r.Id, new string?[] { r.Body.CustomerNo, r.Body.StatusCode, r.Body.TotalAmount.ToString(CultureInfo.InvariantCulture) }))),
            "invoices" => List("BALLAST ERP - INVOICES", Cream, "/ballast", names, "invoices", q, records.Invoices.All.Reverse().Select(r => (r.Id, new string?[] { r.Body.CustomerNo, r.Body.PaymentStatusCode, r.Body.GrossAmount.ToString(CultureInfo.InvariantCulture) }))),
            _ => List("BALLAST ERP - CUSTOMERS", Cream, "/ballast", names, "customers", q, records.Customers.All.Select(r => (r.Id, new[] { r.Body.CustomerName, r.Body.TelephoneNo, r.Body.EMail }))),
        });
        MapDocuments(app, "customers", r => r.Customers);
        MapDocuments(app, "items", r => r.Items);
        MapDocuments(app, "salesorders", r => r.SalesOrders);
        MapDocuments(app, "invoices", r => r.Invoices);
        app.MapPost("/ballast/salesorders/{number}/invoice", async (string number, HttpRequest request, BallastRecords records, CancellationToken cancellation) =>
        {
            if (records.SalesOrders.Find(number) is not { } order)
            {
                return Results.NotFound();
            }

            try
            {
                return Results.Redirect($"/ballast/invoices/{Uri.EscapeDataString(records.PostInvoice(order, By(await request.ReadFormAsync(cancellation), "Accounts desk")).Id)}?saved=true");
            }
            catch (RefusedException e)
            {
                return Results.Redirect($"/ballast/salesorders/{Uri.EscapeDataString(number)}?refused={Uri.EscapeDataString(e.Message)}");
            }
        }).DisableAntiforgery();
        app.MapPost("/ballast/invoices/{number}/payment", async (string number, HttpRequest request, BallastRecords records, CancellationToken cancellation) =>
        {
            if (records.Invoices.Find(number) is not { } invoice)
            {
                return Results.NotFound();
            }

            var form = await request.ReadFormAsync(cancellation);
            var address = $"/ballast/invoices/{Uri.EscapeDataString(number)}";
            if (!decimal.TryParse(form["amount"], CultureInfo.InvariantCulture, out var amount) || amount <= 0)
            {
                return Results.Redirect($"{address}?refused={Uri.EscapeDataString("An amount greater than 0 must be specified.")}");
            }

            records.Receive(invoice, amount, By(form, "Accounts desk"));
            return Results.Redirect($"{address}?saved=true");
        }).DisableAntiforgery();
    }

    /// <summary>What the office can do with a document beside editing it.</summary>
    private static string Actions<T>(string kind, Row<T> row)
        where T : Document => row.Body switch
        {
            SalesOrder => $"<form method='post' action='/ballast/{kind}/{Html(Uri.EscapeDataString(row.Id))}/invoice'><button>POST INVOICE</button></form>",
            Invoice invoice => $"<form method='post' action='/ballast/{kind}/{Html(Uri.EscapeDataString(row.Id))}/payment'><input name='amount' value='{invoice.RemainingAmount.ToString(CultureInfo.InvariantCulture)}' aria-label='AMOUNT'> <button>PAYMENT RECEIVED</button></form>",
            _ => "",
        };

    private static void MapDocuments<T>(IEndpointRouteBuilder app, string kind, Func<BallastRecords, Shelf<T>> shelfOf)
        where T : Document
    {
        var fields = typeof(T).GetProperties(BindingFlags.Public | BindingFlags.Instance)
            .Where(p => p.CanWrite && (p.PropertyType == typeof(string) || p.PropertyType == typeof(decimal) || p.PropertyType == typeof(decimal?) || p.PropertyType == typeof(bool)) && p.Name is not ("Number" or "ChangedBy") && !Attribute.IsDefined(p, typeof(System.ComponentModel.DataAnnotations.KeyAttribute)))
            .ToList();
        app.MapGet($"/ballast/{kind}/{{number}}", (string number, bool? saved, string? refused, BallastRecords records) =>
            shelfOf(records).Find(number) is { } row
                ? Form($"BALLAST ERP - {kind.ToUpperInvariant()} {number}", Cream, $"/ballast?of={kind}", saved == true, "Accounts desk",
                    fields.Select(f => (f.Name, Capitals(f.Name), Convert.ToString(f.GetValue(row.Body), CultureInfo.InvariantCulture))),
                    refused ?? $"Version {row.Version}, changed by {row.ChangedBy} on {row.ChangedAt:yyyy-MM-dd HH:mm:ss}Z", Actions(kind, row))
                : Results.NotFound());
        app.MapPost($"/ballast/{kind}/{{number}}", async (string number, HttpRequest request, BallastRecords records, CancellationToken cancellation) =>
        {
            if (shelfOf(records).Find(number) is not { } row)
            {
                return Results.NotFound();
            }

            var form = await request.ReadFormAsync(cancellation);
            var document = JsonSerializer.Deserialize<T>(JsonSerializer.Serialize(row.Body))!;
            document.Number = number;
            foreach (var field in fields.Where(f => form.ContainsKey(f.Name)))
            {
                var text = form[field.Name].ToString();
                field.SetValue(document, field.PropertyType == typeof(string) ? text
                    : field.PropertyType == typeof(bool) ? text.Equals("true", StringComparison.OrdinalIgnoreCase)
                    : decimal.TryParse(text, CultureInfo.InvariantCulture, out var amount) ? amount
                    : field.PropertyType == typeof(decimal) ? field.GetValue(document) : null);
            }

            var address = $"/ballast/{kind}/{Uri.EscapeDataString(number)}";
            try
            {
                records.Change(shelfOf(records), document, row.Version, By(form, "Accounts desk"));
                return Results.Redirect($"{address}?saved=true");
            }
            catch (RefusedException e)
            {
                return Results.Redirect($"{address}?refused={Uri.EscapeDataString(e.Message)}");
            }
        }).DisableAntiforgery();
    }

    private static void MapPennant(IEndpointRouteBuilder app)
    {
        var names = PennantDescription.Collections.Keys.ToArray();
        app.MapGet("/pennant", (string? q, string? of, PennantRecords records) =>
        {
            var collection = of is not null && records.Has(of) ? of : "people";
            string[] columns = collection switch { "people" => ["email", "given_name", "family_name"], "companies" => ["web_domain", "name"], "products" => ["sku", "title"], _ => ["title"] };
            return List($"pennant mail / {collection}", Pink, "/pennant", names, collection, q, records[collection].All.Select(r => (r.Id, columns.Select(c => r.Body[c]?.ToString()).ToArray())));
        });
        app.MapGet("/pennant/{collection}/{id}", (string collection, string id, bool? saved, string? refused, PennantRecords records) =>
            records.Has(collection) && records[collection].Find(id) is { } row
                ? Form($"pennant mail / {collection} / {id.TrimStart('0')}", Pink, $"/pennant?of={collection}", saved == true, "campaigns",
                    PennantDescription.Collections[collection].Where(f => !f.ReadOnly && f.Type is "string" or "email" or "date").Select(f => (f.Name, f.Name.Replace('_', ' '), row.Body[f.Name]?.ToString())),
                    refused ?? $"last modified by {row.ChangedBy} at {row.ChangedAt:yyyy-MM-dd HH:mm:ss}Z")
                : Results.NotFound());
        app.MapPost("/pennant/{collection:regex(^(people|companies|products|lists)$)}/{id}", async (string collection, string id, HttpRequest request, PennantRecords records, CancellationToken cancellation) =>
        {
            var form = await request.ReadFormAsync(cancellation);
            var body = new JsonObject(PennantDescription.Collections[collection].Where(f => form.ContainsKey(f.Name)).Select(f => KeyValuePair.Create(f.Name, (JsonNode?)(form[f.Name].ToString() is { Length: > 0 } text ? JsonValue.Create(text) : null))));
            var address = $"/pennant/{collection}/{Uri.EscapeDataString(id)}";
            try
            {
                records.Upsert(collection, JsonSerializer.SerializeToElement(body), By(form, "campaigns"));
                return Results.Redirect($"{address}?saved=true");
            }
            catch (BadHttpRequestException e)
            {
                return Results.Redirect($"{address}?refused={Uri.EscapeDataString(e.Message)}");
            }
        }).DisableAntiforgery();
    }

    private static string By(IFormCollection form, string otherwise) => form["user"].ToString() is { Length: > 0 } user ? user : otherwise;

    private static IResult List(string title, string ground, string home, string[] others, string collection, string? query, IEnumerable<(string Id, string?[] Cells)> rows)
    {
        var html = new StringBuilder("<p>").AppendJoin(" | ", others.Select(o => $"<a href='{home}?of={o}'>{Html(o)}</a>"))
            .Append(Events.EventSender.Signs.ContainsKey(home.TrimStart('/')) ? $" | <a href='{home}/events'>events</a>" : "")
            .Append($"</p><form><input type='hidden' name='of' value='{Html(collection)}'><input name='q' value='{Html(query)}' size='40' aria-label='Search'> <button>Search</button></form><table border='1' cellpadding='4'>");
        var found = rows.Where(r => string.IsNullOrEmpty(query) || r.Id == query || r.Cells.Any(c => c?.Contains(query, StringComparison.OrdinalIgnoreCase) == true)).Take(MostListed);
        foreach (var (id, cells) in found)
        {
            html.Append("<tr>").Append($"<td><a href='{home}/{collection}/{Html(Uri.EscapeDataString(id))}'>{Html(id)}</a></td>").Append(string.Concat(cells.Select(c => $"<td>{Html(c)}</td>"))).Append("</tr>");
        }

        return Page(title, ground, html.Append("</table>").ToString());
    }

    private static IResult Form(string title, string ground, string home, bool saved, string user, IEnumerable<(string Name, string Label, string? Value)> fields, string foot, string actions = "")
    {
        var html = new StringBuilder($"<p><a href='{home}'>Back to the list</a></p>{(saved ? "<p><strong>Saved.</strong></p>" : "")}<form method='post'><table>");
        foreach (var (name, label, value) in fields)
        {
            html.Append($"<tr><td><label for='{name}'>{Html(label)}</label></td><td><input id='{name}' name='{name}' value='{Html(value)}' size='50'></td></tr>");
        }

        return Page(title, ground, html.Append($"<tr><td><label for='user'>Signed in as</label></td><td><input id='user' name='user' value='{Html(user)}'></td></tr></table><button>Save</button></form>{actions}<p>{Html(foot)}</p>").ToString());
    }

    internal static IResult Page(string title, string ground, string body) => Results.Content(
        $"<!doctype html><html lang='en'><meta charset='utf-8'><title>{Html(title)}</title><body style='font-family:serif;background:{ground};margin:24px'><h2>{Html(title)}</h2>{body}</body></html>", "text/html; charset=utf-8");

    /// <summary>A field's name as people read it: vatNumber is "Vat number".</summary>
    private static string Words(string name) => name == "email" ? "E-mail" : char.ToUpperInvariant(name[0]) + Humps().Replace(name[1..], m => " " + m.Value.ToLowerInvariant());

    /// <summary>The office's way: TelephoneNo is "TELEPHONE NO".</summary>
    private static string Capitals(string name) => name == "EMail" ? "E-MAIL" : (name[0] + Humps().Replace(name[1..], m => " " + m.Value)).ToUpperInvariant();

    internal static string Html(string? text) => HtmlEncoder.Default.Encode(text ?? "");

    [GeneratedRegex("[A-Z]")]
    private static partial Regex Humps();
}
