using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.OData.Deltas;
using Microsoft.AspNetCore.OData.Extensions;
using Microsoft.AspNetCore.OData.Query;
using Microsoft.AspNetCore.OData.Routing.Controllers;
using Microsoft.OData;
using Microsoft.OData.Edm;
using Microsoft.OData.ModelBuilder;

namespace UprightMirror.DemoWorld.Ballast;

/// <summary>Ballast ERP's customers over OData v4. Every change must name the version that was read.</summary>
public sealed class CustomersController(Customers customers) : ODataController
{
    private const string ServiceAccount = "UPRIGHT-SVC";

    public static IEdmModel Model()
    {
        var builder = new ODataConventionModelBuilder { Namespace = "Ballast", ContainerName = "Erp" };
        builder.EntitySet<Customer>("Customers");
        return builder.GetEdmModel();
    }

    [HttpGet]
    [EnableQuery(PageSize = 100, MaxNodeCount = 200)]
    public async Task<IQueryable<Customer>> Get(CancellationToken cancellation) => (await customers.All(cancellation)).AsQueryable();

    [HttpGet]
    [EnableQuery]
    public async Task<IActionResult> Get([FromRoute] string key, CancellationToken cancellation) =>
        await customers.Find(key, cancellation) is { } customer ? this.Ok(customer) : this.Missing(key);

    [HttpPost]
    public async Task<IActionResult> Post([FromBody] Customer customer, CancellationToken cancellation)
    {
        try
        {
            return this.Created(await customers.Create(customer, ServiceAccount, cancellation));
        }
        catch (RefusedException e)
        {
            return this.Refuse(e.Message);
        }
    }

    [HttpPatch]
    public async Task<IActionResult> Patch([FromRoute] string key, [FromBody] Delta<Customer> changes, ODataQueryOptions<Customer> options, CancellationToken cancellation)
    {
        if (this.Request.Headers.IfMatch.Count == 0)
        {
            return this.StatusCode(StatusCodes.Status428PreconditionRequired, Error("428", "An If-Match header is required."));
        }

        if (await customers.Find(key, cancellation) is not { } customer)
        {
            return this.Missing(key);
        }

        if (options.IfMatch is { IsAny: false } tag && !tag.ApplyTo(new[] { customer }.AsQueryable()).Cast<Customer>().Any())
        {
            return this.Overtaken(key);
        }

        var version = customer.Version;
        changes.Patch(customer);
        customer.CustomerNo = key;
        try
        {
            return await customers.Change(customer, version, ServiceAccount, cancellation) is { } changed ? this.Updated(changed) : this.Overtaken(key);
        }
        catch (RefusedException e)
        {
            return this.Refuse(e.Message);
        }
    }

    private ObjectResult Missing(string key) => this.StatusCode(404, Error("404", $"Customer {key} does not exist."));

    private ObjectResult Overtaken(string key) => this.StatusCode(412, Error("412", $"Another user has changed customer {key} in the meantime."));

    private ObjectResult Refuse(string message) => this.StatusCode(400, Error("Application_FieldValidation", message));

    private static ODataError Error(string code, string message) => new() { Code = code, Message = message };
}
