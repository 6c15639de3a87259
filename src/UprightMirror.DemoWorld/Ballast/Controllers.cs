using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.OData.Deltas;
using Microsoft.AspNetCore.OData.Formatter;
using Microsoft.AspNetCore.OData.Query;
using Microsoft.AspNetCore.OData.Routing.Controllers;
using Microsoft.OData;
using UprightMirror.DemoWorld.Shelves;

namespace UprightMirror.DemoWorld.Ballast;

/// <summary>One of Ballast ERP's entity sets over OData v4. Every change must name the version that was read.</summary>
public abstract class DocumentsController<T>(BallastRecords records, Shelf<T> shelf) : ODataController
    where T : Document, new()
{
    private const string ServiceAccount = "UPRIGHT-SVC";

    [HttpGet]
    [EnableQuery(PageSize = 100, MaxNodeCount = 200)]
    public IQueryable<T> Get() => shelf.All.Select(BallastRecords.Shown).AsQueryable();

    [HttpGet]
    [EnableQuery]
    public IActionResult Get([FromODataUri] string key) => shelf.Find(key) is { } row ? this.Ok(BallastRecords.Shown(row)) : this.Missing(key);

    [HttpPost]
    public IActionResult Post([FromBody] T document)
    {
        if (document is null)
        {
            return this.Refuse("The body is not a record of this entity set.");
        }

        try
        {
            return this.Created(BallastRecords.Shown(records.Create(shelf, document, ServiceAccount)));
        }
        catch (RefusedException e)
        {
            return this.Refuse(e.Message);
        }
    }

    [HttpPatch]
    public IActionResult Patch([FromODataUri] string key, [FromBody] Delta<T> changes, ODataQueryOptions<T> options)
    {
        if (this.Request.Headers.IfMatch.Count == 0)
        {
            return this.StatusCode(StatusCodes.Status428PreconditionRequired, Error("428", "An If-Match header is required."));
        }

        if (shelf.Find(key) is not { } row)
        {
            return this.Missing(key);
        }

        var before = BallastRecords.Shown(row);
        if (options.IfMatch is { IsAny: false } tag && !tag.ApplyTo(new[] { before }.AsQueryable()).Cast<T>().Any())
        {
            return this.Overtaken(key);
        }

        var after = System.Text.Json.JsonSerializer.Deserialize<T>(System.Text.Json.JsonSerializer.Serialize(before))!;
        changes?.Patch(after);
        after.Number = key;
        try
        {
            return records.Change(shelf, after, row.Version, ServiceAccount) is { } changed ? this.Updated(BallastRecords.Shown(changed)) : this.Overtaken(key);
        }
        catch (RefusedException e)
        {
            return this.Refuse(e.Message);
        }
    }

    private ObjectResult Missing(string key) => this.StatusCode(404, Error("404", $"{typeof(T).Name} {key} does not exist."));

    private ObjectResult Overtaken(string key) => this.StatusCode(412, Error("412", $"Another user has changed {typeof(T).Name} {key} in the meantime."));

    private ObjectResult Refuse(string message) => this.StatusCode(400, Error("Application_FieldValidation", message));

    private static ODataError Error(string code, string message) => new() { Code = code, Message = message };
}

public sealed class CustomersController(BallastRecords records) : DocumentsController<Customer>(records, records.Customers);

public sealed class ItemsController(BallastRecords records) : DocumentsController<Item>(records, records.Items);

public sealed class SalesOrdersController(BallastRecords records) : DocumentsController<SalesOrder>(records, records.SalesOrders);

public sealed class InvoicesController(BallastRecords records) : DocumentsController<Invoice>(records, records.Invoices);
