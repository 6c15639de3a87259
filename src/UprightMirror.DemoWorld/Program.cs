using Microsoft.AspNetCore.OData;
using Npgsql;
using UprightMirror.DemoWorld.Ballast;
using UprightMirror.DemoWorld.Making;
using UprightMirror.DemoWorld.Pages;
using UprightMirror.DemoWorld.Slipway;

// The simulated systems of the demo: a process of their own, which knows nothing of the product.
var builder = WebApplication.CreateBuilder(args);
var database = builder.Configuration["database"] ?? throw new InvalidOperationException("Say where the demo world keeps its data: --database \"Host=…\".");
builder.Logging.SetMinimumLevel(LogLevel.Warning);
builder.Services.AddSingleton(NpgsqlDataSource.Create(database));
builder.Services.AddSingleton(TimeProvider.System);
builder.Services.AddSingleton<DemoData>().AddSingleton<Customers>();
builder.Services.AddSlipway();
builder.Services.AddControllers().AddOData(options => options.AddRouteComponents("ballast/odata", CustomersController.Model()).Select().Filter().OrderBy().Count().SkipToken().SetMaxTop(200));

var app = builder.Build();
await app.Services.GetRequiredService<DemoData>().Fill(builder.Configuration.GetValue("companies", 360), CancellationToken.None);
app.UseBallastGate();
app.UseRouting();
app.UseRateLimiter();
app.MapControllers();
app.MapSlipway();
app.MapStaffPages();
app.MapGet("/health", () => Results.Text("ready"));
await app.RunAsync();

/// <summary>The entry point, visible to tests.</summary>
public partial class Program;
