using System.Collections.Immutable;
using System.Diagnostics;
using System.Globalization;
using System.Text.Json;
using System.Threading.RateLimiting;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.Logging;
using Npgsql;
using UprightMirror.Connectors;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Catalogues;
using UprightMirror.Storage;

/// <summary>Reading systems: how fast beside what their limits allow, and in how much memory.</summary>
internal static class Reading
{
    private const int Records = 100_000;
    private const int CallsPerSecond = 20;
    private const int PageSize = 100;
    private const int PagesTimed = 300;

    private const string Metadata = """
        <?xml version="1.0"?><edmx:Edmx Version="4.0" xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx"><edmx:DataServices><Schema Namespace="N" xmlns="http://docs.oasis-open.org/odata/ns/edm">
        <EntityType Name="T"><Key><PropertyRef Name="id"/></Key><Property Name="id" Type="Edm.Int32" Nullable="false"/><Property Name="name" Type="Edm.String"/></EntityType>
        <EntityContainer Name="C"><EntitySet Name="things" EntityType="N.T"/></EntityContainer></Schema></edmx:DataServices></edmx:Edmx>
        """;

    private const string Description = """
        {"openapi":"3.1.0","info":{"title":"t","version":"1"},"servers":[{"url":"/api"}],"paths":{"/things":{"get":{
          "parameters":[{"name":"cursor","in":"query","schema":{"type":"string"}}],
          "responses":{"200":{"description":"ok","content":{"application/json":{"schema":{"type":"object","properties":{"nextCursor":{"type":"string"},"items":{"type":"array","items":{"type":"object","properties":{"id":{"type":"integer"},"name":{"type":"string"}}}}}}}}}}}}}}
        """;

    /// <summary>A system in a process of its own, so that only the reading's own memory is measured.</summary>
    public static async Task Serve(int port)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        var app = builder.Build();
        app.Urls.Add($"http://127.0.0.1:{port.ToString(CultureInfo.InvariantCulture)}");
        using var limiter = new FixedWindowRateLimiter(new FixedWindowRateLimiterOptions { PermitLimit = CallsPerSecond, Window = TimeSpan.FromSeconds(1) });
        app.MapGet("/openapi.json", () => Description);
        app.MapGet("/odata/$metadata", () => Metadata);
        app.MapGet("/api/things", (int? cursor) => Page(cursor ?? 0, limited: false));
        app.MapGet("/limited/things", (int? cursor) => Page(cursor ?? 0, limited: true));
        app.MapGet("/odata/things", (int? skip) =>
        {
            var from = skip ?? 0;
            return Results.Text($$"""{"value":[{{Rows(from)}}]{{(from + PageSize < Records ? $",\"@odata.nextLink\":\"things?skip={from + PageSize}\"" : "")}}}""", "application/json");
        });
        await app.RunAsync();

        IResult Page(int from, bool limited)
        {
            if (limited && !limiter.AttemptAcquire().IsAcquired)
            {
                return Results.StatusCode(429);
            }

            return Results.Text($$"""{"items":[{{Rows(from)}}],"nextCursor":{{(from + PageSize < Records ? $"\"{from + PageSize}\"" : "null")}}}""", "application/json");
        }

        static string Rows(int from) => string.Join(',', Enumerable.Range(from, PageSize).Select(i => $$"""{"id":{{i}},"name":"Record number {{i}} of a system","note":"{{new string('x', 200)}}"}"""));
    }

    /// <summary>Reads one kind whole and prints how many records came and the most memory that the process took.</summary>
    public static async Task<int> Read(string kind, string address)
    {
        var settings = new ConnectionSettings(AllowPrivate: true, Collections: kind == "folder" ? new Dictionary<string, CollectionSettings> { ["things"] = new(FilePattern: "things*", Id: "id") } : null);
        var connection = new SystemConnection("Bench", kind, new Uri(address), JsonSerializer.SerializeToElement(settings, JsonSerializerOptions.Web), kind == "postgresql" ? Secrets() : new Dictionary<string, string>());
        var connector = connection.Connect(new Outside(TimeProvider.System, new LocalCallBudget(TimeProvider.System)) { Folders = new DirectoryInfo("/") });
        var count = 0;
        var began = Stopwatch.GetTimestamp();
        await foreach (var page in connector.ReadChanged("things", null, null, CancellationToken.None))
        {
            count += page.Count;
        }

        var took = Stopwatch.GetElapsedTime(began);
        var peak = Process.GetCurrentProcess().PeakWorkingSet64 / 1024 / 1024;
        Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"read, {kind}: {count:N0} records, {count / took.TotalSeconds:N0} a second, at most {peak} MB (limit: 200 MB)"));
        return count == Records && peak < 200 ? 0 : 1;
    }

    private static Dictionary<string, string> Secrets()
    {
        var server = new NpgsqlConnectionStringBuilder(Environment.GetEnvironmentVariable("UPRIGHT_BENCH_SERVER"));
        return new Dictionary<string, string> { ["user"] = server.Username!, ["password"] = server.Password ?? "unused" };
    }

    /// <summary>How near reading comes to the fastest that 20 calls a second of 100 records allow.</summary>
    public static async Task<int> Pace(int port)
    {
        var settings = new ConnectionSettings(AllowPrivate: true, CallsPerSecond: CallsPerSecond, Collections: new Dictionary<string, CollectionSettings> { ["things"] = new(Path: "/things") }, Service: new Uri($"http://127.0.0.1:{port}/limited"));
        var connector = new SystemConnection("Bench", "rest", new Uri($"http://127.0.0.1:{port}/openapi.json"), JsonSerializer.SerializeToElement(settings, JsonSerializerOptions.Web), new Dictionary<string, string>())
            .Connect(new Outside(TimeProvider.System, new LocalCallBudget(TimeProvider.System)));
        var pages = 0;
        var began = 0L;
        await foreach (var page in connector.ReadChanged("things", null, null, CancellationToken.None))
        {
            // From the second page on: the first one pays for starting up.
            began = pages++ == 0 ? Stopwatch.GetTimestamp() : began;
            if (pages > PagesTimed)
            {
                break;
            }
        }

        var perSecond = PagesTimed / Stopwatch.GetElapsedTime(began).TotalSeconds;
        var share = 100 * perSecond / CallsPerSecond;
        Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"reading at a limit of {CallsPerSecond} calls a second: {perSecond:0.00} calls a second, {share:0.0} % of the fastest, {connector.Seen.TurnedAway} turned away (limit: at least 95 %)"));
        return share >= 95 ? 0 : 1;
    }

    /// <summary>Opening and searching a catalogue of 600 fields.</summary>
    public static async Task<int> Catalogue()
    {
        var address = Environment.GetEnvironmentVariable("UPRIGHT_BENCH_SERVER")!;
        Database.Migrate(address);
        await using var database = NpgsqlDataSource.Create(address);
        await using (var connection = database.CreateCommand("insert into connection (system, name, monogram, colour, protocol, address, secrets) values ('bench', 'Bench', 'B', '#000000', 'rest', 'http://x.example/', '') on conflict do nothing"))
        {
            await connection.ExecuteNonQueryAsync();
        }

        var catalogues = new Catalogues(database, TimeProvider.System);
        var fields = Enumerable.Range(0, 600).Select(i => new CatalogueField($"group{i % 12}.field{i}", "string", false, false, 100) { Label = $"Field number {i}" }).ToImmutableDictionary(f => f.Path);
        await catalogues.Save("bench", new Catalogue([new CatalogueCollection("things", fields)]), CancellationToken.None);
        async Task<double> Median(Func<Task> work)
        {
            var times = new List<double>();
            for (var i = 0; i < 25; i++)
            {
                var began = Stopwatch.GetTimestamp();
                await work();
                times.Add(Stopwatch.GetElapsedTime(began).TotalMilliseconds);
            }

            return times.Order().ElementAt(12);
        }

        var open = await Median(() => catalogues.Last("bench", CancellationToken.None));
        var search = await Median(() => catalogues.Search("field number 5", 100, CancellationToken.None));
        Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"catalogue of 600 fields: opened in {open:0.0} ms (limit: 200 ms), searched in {search:0.0} ms (limit: 50 ms)"));
        return open < 200 && search < 50 ? 0 : 1;
    }
}
