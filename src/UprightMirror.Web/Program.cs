using System.Text.Json;
using System.Text.Json.Serialization;
using Microsoft.AspNetCore.DataProtection;
using Npgsql;
using Quartz;
using Serilog;
using UprightMirror.Connectors.Calling;
using UprightMirror.Engine;
using UprightMirror.Engine.Exchange;
using UprightMirror.Engine.Checks;
using UprightMirror.Engine.LookingUp;
using UprightMirror.Engine.Notices;
using UprightMirror.Storage;
using UprightMirror.Web.Endpoints;
using UprightMirror.Web.Endpoints.Drafting;
using UprightMirror.Web.Running;
using UprightMirror.Web.SigningIn;

// The product: what people see, and the worker that runs mirrors. `--role web` or `--role worker` begins one of the two.
var builder = WebApplication.CreateBuilder(args);
var role = builder.Configuration["role"] ?? "both";
var address = Database.Shared(Environment.GetEnvironmentVariable("UPRIGHT_DATABASE") ?? throw new InvalidOperationException("UPRIGHT_DATABASE does not say where the database is. Begin with ./start."));
var keys = Environment.GetEnvironmentVariable("UPRIGHT_KEYS") ?? throw new InvalidOperationException("UPRIGHT_KEYS does not say where the keys are kept that encrypt secrets. Begin with ./start.");

builder.Host.UseSerilog((_, log) => log.MinimumLevel.Warning().MinimumLevel.Override("UprightMirror", Serilog.Events.LogEventLevel.Information).WriteTo.Console(formatProvider: System.Globalization.CultureInfo.InvariantCulture));
builder.WebHost.ConfigureKestrel(server =>
{
    server.AddServerHeader = false;
    server.Limits.MaxRequestBodySize = 1024 * 1024; // But for uploaded descriptions, which have a limit of their own.
});

builder.Services.AddSingleton(TimeProvider.System);
builder.Services.AddSingleton(NpgsqlDataSource.Create(address));
builder.Services.AddDataProtection().SetApplicationName("UprightMirror").PersistKeysToFileSystem(new DirectoryInfo(keys));
builder.Services.AddSingleton<Mirrors>().AddSingleton<IMirrors>(s => s.GetRequiredService<Mirrors>());
builder.Services.AddSingleton<KeptConnections>().AddSingleton<IConnections>(s => s.GetRequiredService<KeptConnections>());
builder.Services.AddSingleton<Users>().AddSingleton<RunBook>().AddSingleton<Views>().AddSingleton<Counts>().AddSingleton<HeldRecords>().AddSingleton<LookAlikes>().AddSingleton<WaitingLookAlikes>();
builder.Services.AddSingleton<IRunSessions, RunSessions>();
builder.Services.AddSingleton<KeptCalls>().AddSingleton<IKeptCalls>(s => s.GetRequiredService<KeptCalls>());
builder.Services.AddSingleton<Catalogues>().AddSingleton<ICatalogues>(s => s.GetRequiredService<Catalogues>());
builder.Services.AddSingleton(s => new Outside(s.GetRequiredService<TimeProvider>(), new SharedCallBudget(new CallTurns(s.GetRequiredService<NpgsqlDataSource>()))) { Received = new ReceivedRecords(s.GetRequiredService<Inboxes>()) });
builder.Services.AddSingleton<Systems>().AddSingleton<ISystems>(s => s.GetRequiredService<Systems>());
builder.Services.AddSingleton<KeptEvents>().AddSingleton<Inboxes>().AddSingleton<Drafts>().AddSingleton<CodeLists>().AddSingleton<Importing>();
builder.Services.AddSingleton<SampleRecords>().AddSingleton<Trying>().AddSingleton<BenchSamples>();
builder.Services.AddSingleton<Surveying>();
builder.Services.AddSingleton<KeptNotices>().AddSingleton<INotices>(s => s.GetRequiredService<KeptNotices>()).AddSingleton<Noticing>().AddSingleton<Correcting>().AddSingleton<SettingChanges>().AddSingleton<SavedViews>().AddSingleton<PersonalWords>().AddSingleton<Lookups>().AddSingleton<ILookups>(s => s.GetRequiredService<Lookups>()).AddSingleton<Lookup>().AddSingleton<LookupGate>().AddSingleton<Masked>();
builder.Services.AddSingleton<FollowUpChecks>().AddSingleton<IFollowUpChecks>(s => s.GetRequiredService<FollowUpChecks>()).AddSingleton<Checking>();
builder.Services.AddSingleton<MirrorRunner>();
builder.Services.AddSingleton<RunQueue>().AddSingleton<Changes>().AddHostedService(s => s.GetRequiredService<Changes>());
builder.Services.AddHostedService<DeadRuns>();
builder.Services.AddSingleton<Arrivals>().AddHostedService(s => s.GetRequiredService<Arrivals>());
builder.Services.AddSingleton<Surveys>();
if (role is "worker" or "both")
{
    builder.Services.AddHostedService(s => s.GetRequiredService<Surveys>());
    builder.Services.AddSingleton<OwnRuns>();
    builder.Services.AddHostedService<EventRuns>().AddHostedService<InboxRuns>().AddHostedService<CutOffRuns>().AddHostedService<Followers>().AddHostedService<FileArrivals>().AddHostedService<TellingPeople>().AddHostedService<Housekeeping>().AddHostedService<FollowUps>();
}

// Only the pages' own files: an answer of the API, which holds what is secret beside what somebody sent, is never compressed.
builder.Services.AddResponseCompression(compression =>
{
    compression.EnableForHttps = true;
    compression.MimeTypes = ["text/javascript", "text/css", "text/html", "image/svg+xml"];
});
builder.Services.AddSigningIn();
builder.Services.AddOpenApi("v1", api => api.AddDocumentTransformer((document, _, _) =>
{
    document.Info.Title = "Upright Mirror";
    document.Servers = [];
    return Task.CompletedTask;
}));
builder.Services.ConfigureHttpJsonOptions(json =>
{
    json.SerializerOptions.Converters.Add(new JsonStringEnumConverter(JsonNamingPolicy.CamelCase));
    json.SerializerOptions.NumberHandling = JsonNumberHandling.Strict;
});
builder.Services.AddProblemDetails();
builder.Services.AddMirrorSchedules(address, runsThem: role is "worker" or "both");

var app = builder.Build();
app.UseExceptionHandler();
app.UseStatusCodePages();
app.UseSafeHeaders();
app.UseResponseCompression();
app.UseDefaultFiles();
app.UseStaticFiles(new StaticFileOptions { OnPrepareResponse = file => file.Context.Response.Headers.CacheControl = file.Context.Request.Path.StartsWithSegments("/assets") ? "public, max-age=31536000, immutable" : "no-cache" });
app.UseRouting();
app.UseRateLimiter();
app.UseAuthentication();
app.UseAuthorization();
app.UseAntiforgeryOnWrites();
app.MapOpenApi("/api/openapi.json").AllowAnonymous();
app.MapGet("/health", () => "ready").AllowAnonymous().ExcludeFromDescription();

var api = app.MapGroup("/api").RequireAuthorization(Roles.Reader).AddEndpointFilter(Masked.Filter);
api.MapSession();
api.MapToday();
api.MapMirrors();
api.MapDrafts();
api.MapExchange();
api.MapRecords();
api.MapConflicts();
api.MapHeld();
api.MapDecided();
api.MapUndo();
api.MapGuards();
api.MapSettling();
api.MapLookAlikes();
api.MapRuns();
api.MapSystems();
api.MapCatalogues();
api.MapEvents();
api.MapInboxes();
api.MapChanges();
api.MapPeople();
api.MapNotices();
api.MapLookups();
api.MapChecks();
api.MapFallback(() => Results.Problem(statusCode: 404, title: "There is nothing at this address of the API.")).ExcludeFromDescription();
app.MapEventAddress();
app.MapLookupAddresses();
app.MapFallbackToFile("index.html").AllowAnonymous();

await app.RunAsync();

/// <summary>The entry point, visible to tests.</summary>
public partial class Program;
