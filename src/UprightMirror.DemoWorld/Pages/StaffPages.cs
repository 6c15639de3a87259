using System.Text;
using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Nodes;
using UprightMirror.DemoWorld.Ballast;
using UprightMirror.DemoWorld.Slipway;

namespace UprightMirror.DemoWorld.Pages;

/// <summary>The plain pages where each system's own staff looks up and edits a record. They know nothing of any other system.</summary>
public static class StaffPages
{
    private static readonly (string Path, string Label)[] OrganisationFields =
    [
        ("name", "Name"), ("phoneMain", "Main telephone"), ("email", "E-mail"), ("website", "Website"), ("address.street", "Street"), ("address.town", "Town"), ("address.postcode", "Postcode"),
        ("address.country", "Country"), ("segment", "Segment"), ("paymentTerms", "Payment terms"), ("vatNumber", "VAT number"),
    ];

    public static void MapStaffPages(this IEndpointRouteBuilder app)
    {
        app.MapGet("/", () => Page("Saltmarsh Paddle Works: demo systems", "#f4f4f4", "<p>The simulated systems of the demo. Each has its own page, where its own staff works.</p><ul><li><a href='/slipway'>Slipway CRM</a></li><li><a href='/ballast'>Ballast ERP</a></li></ul>"));
        app.MapGet("/slipway", async (string? q, Organisations organisations, CancellationToken cancellation) =>
            List("Slipway CRM: organisations", "#eef3fb", "/slipway", q, (await organisations.Search(q ?? "", cancellation)).Select(r => (r.Id, new[] { r.Id, (string?)r.Json["name"], (string?)r.Json["phoneMain"], (string?)r.Json["email"] }))));
        app.MapGet("/slipway/organisations/{id}", async (string id, bool? saved, Organisations organisations, CancellationToken cancellation) =>
            await organisations.Find(id, cancellation) is { } row
                ? Form($"Slipway CRM: organisation {id}", "#eef3fb", "/slipway", saved == true, OrganisationFields.Select(f => (f.Path, f.Label, At(row.Json, f.Path))), $"Version {row.Version}, last changed by {(string?)row.Json["updatedBy"]} at {(string?)row.Json["updatedAt"]}")
                : Results.NotFound());
        app.MapPost("/slipway/organisations/{id}", async (string id, HttpRequest request, Organisations organisations, CancellationToken cancellation) =>
        {
            var form = await request.ReadFormAsync(cancellation);
            var body = new JsonObject();
            foreach (var (path, _) in OrganisationFields.Where(f => form.ContainsKey(f.Path)))
            {
                var levels = path.Split('.');
                var parent = levels.Length == 1 ? body : (JsonObject)(body[levels[0]] ??= new JsonObject());
                parent[levels[^1]] = form[path].ToString();
            }

            await organisations.Change(id, null, JsonSerializer.SerializeToElement(body), form["user"].ToString() is { Length: > 0 } user ? user : "Aoife Brannock", cancellation);
            return Results.Redirect($"/slipway/organisations/{Uri.EscapeDataString(id)}?saved=true");
        }).DisableAntiforgery();

        app.MapGet("/ballast", async (string? q, Customers customers, CancellationToken cancellation) =>
            List("BALLAST ERP - CUSTOMERS", "#fdf6e8", "/ballast", q, (await customers.All(cancellation))
                .Where(c => q is null || c.CustomerNo == q || c.CustomerName.Contains(q, StringComparison.OrdinalIgnoreCase) || c.EMail?.Contains(q, StringComparison.OrdinalIgnoreCase) == true)
                .Take(60).Select(c => (c.CustomerNo, new[] { c.CustomerNo, c.CustomerName, c.TelephoneNo, c.EMail }))));
        app.MapGet("/ballast/customers/{number}", async (string number, bool? saved, string? refused, Customers customers, CancellationToken cancellation) =>
            await customers.Find(number, cancellation) is { } c
                ? Form($"BALLAST ERP - CUSTOMER {number}", "#fdf6e8", "/ballast", saved == true, CustomerFields(c), refused ?? $"Version {c.Version}, changed by {c.ChangedBy} on {c.ChangedOn:yyyy-MM-dd HH:mm:ss}Z")
                : Results.NotFound());
        app.MapPost("/ballast/customers/{number}", async (string number, HttpRequest request, Customers customers, CancellationToken cancellation) =>
        {
            if (await customers.Find(number, cancellation) is not { } c)
            {
                return Results.NotFound();
            }

            var form = await request.ReadFormAsync(cancellation);
            string? Typed(string name, string? before) => form.ContainsKey(name) ? form[name].ToString() : before;
            c.CustomerName = Typed("CustomerName", c.CustomerName)!;
            c.TelephoneNo = Typed("TelephoneNo", c.TelephoneNo);
            c.EMail = Typed("EMail", c.EMail);
            c.Street = Typed("Street", c.Street);
            c.City = Typed("City", c.City);
            c.PostCode = Typed("PostCode", c.PostCode);
            c.CountryCode = Typed("CountryCode", c.CountryCode)!;
            c.PaymentTermsCode = Typed("PaymentTermsCode", c.PaymentTermsCode);
            c.TaxRegistrationNo = Typed("TaxRegistrationNo", c.TaxRegistrationNo);
            c.CreditLimit = decimal.TryParse(Typed("CreditLimit", null), System.Globalization.CultureInfo.InvariantCulture, out var limit) ? limit : c.CreditLimit;
            var address = $"/ballast/customers/{Uri.EscapeDataString(number)}";
            try
            {
                await customers.Change(c, c.Version, form["user"].ToString() is { Length: > 0 } user ? user : "Accounts desk", cancellation);
                return Results.Redirect($"{address}?saved=true");
            }
            catch (RefusedException e)
            {
                return Results.Redirect($"{address}?refused={Uri.EscapeDataString(e.Message)}");
            }
        }).DisableAntiforgery();
    }

    private static IEnumerable<(string, string, string?)> CustomerFields(Customer c) =>
    [
        ("CustomerName", "CUSTOMER NAME", c.CustomerName), ("TelephoneNo", "TELEPHONE NO", c.TelephoneNo), ("EMail", "E-MAIL", c.EMail), ("Street", "STREET", c.Street), ("City", "CITY", c.City),
        ("PostCode", "POST CODE", c.PostCode), ("CountryCode", "COUNTRY CODE", c.CountryCode), ("PaymentTermsCode", "PAYMENT TERMS CODE", c.PaymentTermsCode),
        ("TaxRegistrationNo", "TAX REG NO", c.TaxRegistrationNo), ("CreditLimit", "CREDIT LIMIT", c.CreditLimit?.ToString(System.Globalization.CultureInfo.InvariantCulture)),
    ];

    private static string? At(JsonObject json, string path) => path.Split('.') is [var parent, var child] ? (string?)json[parent]?[child] : (string?)json[path];

    private static IResult List(string title, string ground, string home, string? query, IEnumerable<(string Id, string?[] Cells)> rows)
    {
        var kind = home == "/slipway" ? "organisations" : "customers";
        var html = new StringBuilder($"<form><input name='q' value='{Html(query)}' size='40' aria-label='Search'> <button>Search</button></form><table border='1' cellpadding='4'>");
        foreach (var (id, cells) in rows)
        {
            html.Append("<tr>").Append($"<td><a href='{home}/{kind}/{Html(Uri.EscapeDataString(id))}'>{Html(id)}</a></td>").Append(string.Concat(cells.Skip(1).Select(c => $"<td>{Html(c)}</td>"))).Append("</tr>");
        }

        return Page(title, ground, html.Append("</table>").ToString());
    }

    private static IResult Form(string title, string ground, string home, bool saved, IEnumerable<(string Name, string Label, string? Value)> fields, string foot)
    {
        var html = new StringBuilder($"<p><a href='{home}'>Back to the list</a></p>{(saved ? "<p><strong>Saved.</strong></p>" : "")}<form method='post'><table>");
        foreach (var (name, label, value) in fields)
        {
            html.Append($"<tr><td><label for='{name}'>{Html(label)}</label></td><td><input id='{name}' name='{name}' value='{Html(value)}' size='50'></td></tr>");
        }

        return Page(title, ground, html.Append($"<tr><td><label for='user'>Signed in as</label></td><td><input id='user' name='user' value='{(home == "/slipway" ? "Aoife Brannock" : "Accounts desk")}'></td></tr></table><button>Save</button></form><p>{Html(foot)}</p>").ToString());
    }

    private static IResult Page(string title, string ground, string body) => Results.Content(
        $"<!doctype html><html lang='en'><meta charset='utf-8'><title>{Html(title)}</title><body style='font-family:serif;background:{ground};margin:24px'><h2>{Html(title)}</h2>{body}</body></html>", "text/html; charset=utf-8");

    private static string Html(string? text) => HtmlEncoder.Default.Encode(text ?? "");
}
