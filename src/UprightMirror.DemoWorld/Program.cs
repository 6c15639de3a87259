using Microsoft.AspNetCore.OData;
using Npgsql;
using UprightMirror.DemoWorld.Ballast;
using UprightMirror.DemoWorld.DropFolder;
using UprightMirror.DemoWorld.Events;
using UprightMirror.DemoWorld.Faults;
using UprightMirror.DemoWorld.Making;
using UprightMirror.DemoWorld.Notices;
using UprightMirror.DemoWorld.Pages;
using UprightMirror.DemoWorld.Pennant;
using UprightMirror.DemoWorld.Shelves;
using UprightMirror.DemoWorld.Slipway;

// The simulated systems of the demo: a process of their own, which knows nothing of the product.
var builder = WebApplication.CreateBuilder(args);
var database = builder.Configuration["database"] ?? throw new InvalidOperationException("Say where the demo world keeps its data: --database \"Host=…\".");
var folder = builder.Configuration["folder"];
builder.Logging.SetMinimumLevel(LogLevel.Warning);
builder.Services.AddSingleton(NpgsqlDataSource.Create(database));
builder.Services.AddSingleton(TimeProvider.System);
builder.Services.AddSingleton<ShelfStore>().AddSingleton<FaultSwitches>().AddSingleton<BallastRecords>().AddSingleton<OrderFiles>().AddSingleton<TheWorld>().AddSingleton<Story>();
builder.Services.AddSingleton<EventSender>().AddHostedService(s => s.GetRequiredService<EventSender>());
var mail = builder.Configuration.GetValue<int?>("mail") is { } mailPort ? new MailCatcher(mailPort) : null;
if (mail is not null)
{
    builder.Services.AddHostedService(_ => mail);
}

builder.Services.AddSlipway();
builder.Services.AddPennant();
builder.Services.AddControllers().AddOData(options => options.AddRouteComponents("ballast/odata", BallastModel.Make()).Select().Filter().OrderBy().Count().Expand().SkipToken().SetMaxTop(200));

var app = builder.Build();
await app.Services.GetRequiredService<TheWorld>().Fill(builder.Configuration.GetValue("companies", 360), builder.Configuration["truth"], CancellationToken.None);
if (folder is not null && (!Directory.Exists(folder) || !Directory.EnumerateFileSystemEntries(folder).Any()))
{
    app.Services.GetRequiredService<OrderFiles>().Write(folder);
}

app.UseFaultGate();
app.UseBallastGate();
app.UseRouting();
app.UseRateLimiter();
app.MapControllers();
app.MapSlipway();
app.MapPennant();
app.MapFaults();
app.MapEventPages();
app.MapNoticePages(mail);
app.MapStaffPages(folder);
app.MapPost("/story/day", (Story story) => story.WorkADay());
app.MapPost("/story/systems", (Story story) => story.ChangeTheSystems());
app.MapGet("/health", () => Results.Text("ready"));
await app.RunAsync();

/// <summary>The entry point, visible to tests.</summary>
public partial class Program;
