using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc.Testing;
using Microsoft.AspNetCore.Routing;
using Microsoft.Extensions.DependencyInjection;
using UprightMirror.Storage;
using UprightMirror.Storage.Tests;

using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Tests;

/// <summary>The product on a database of its own, with one person of each role and one connection with a secret.</summary>
public sealed class Product : IAsyncLifetime
{
    public const string Secret = "otter-in-the-reeds";

    private readonly TestDatabase database = new();

    public WebApplicationFactory<Program> Factory { get; private set; } = null!;

    public async ValueTask InitializeAsync()
    {
        await this.database.InitializeAsync();
        Environment.SetEnvironmentVariable("UPRIGHT_DATABASE", this.database.Address);
        Environment.SetEnvironmentVariable("UPRIGHT_KEYS", Directory.CreateTempSubdirectory("upright-keys").FullName);
        this.Factory = new WebApplicationFactory<Program>().WithWebHostBuilder(_ => { });
        var services = this.Factory.Services;
        foreach (var role in new[] { "administrator", "steward", "reader" })
        {
            await services.GetRequiredService<Users>().Add($"{role}@t.example", role, role, new PasswordHasher<string>().HashPassword("", "right"), CancellationToken.None);
        }

        await services.GetRequiredService<KeptConnections>().Save(
            new KeptConnection("s", "S", "S", "#000000", "rest", new Uri("http://127.0.0.1:1/"), JsonSerializer.SerializeToElement(new { })),
            new Dictionary<string, string> { ["clientSecret"] = Secret }, CancellationToken.None);
    }

    public async ValueTask DisposeAsync()
    {
        await this.Factory.DisposeAsync();
        await this.database.DisposeAsync();

        // Each product has a database, and so pools, of its own: what they leave open counts against the server's limit for minutes.
        Npgsql.NpgsqlConnection.ClearAllPools();
    }

    private readonly Dictionary<string, (HttpClient Client, string Token)> signedIn = [];

    /// <summary>Signs in once for each role: attempts are rationed.</summary>
    public async Task<(HttpClient Client, string Token)> Known(string role)
    {
        if (!this.signedIn.TryGetValue(role, out var known))
        {
            this.signedIn[role] = known = await this.SignedIn(role);
            known.Client.DefaultRequestHeaders.Add("X-Upright-Token", known.Token);
        }

        return known;
    }

    public async Task<(HttpClient Client, string Token)> SignedIn(string role)
    {
        var client = this.Factory.CreateClient();
        var answer = await client.PostAsJsonAsync("/api/session", new { email = $"{role}@t.example", password = "right" });
        answer.StatusCode.ShouldBe(HttpStatusCode.OK, await answer.Content.ReadAsStringAsync());
        return (client, (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("token").GetString()!);
    }
}

[Collection("product")] // The product reads its database from the environment, which the whole process shares.
public class SecurityTests(Product product) : IClassFixture<Product>
{
    private static readonly string[] OpenToAnyone = ["POST /api/session", "GET /api/openapi.json", "GET /health", "POST /events/{token}", "GET /lookup/{mirror}/openapi.json", "GET /lookup/{mirror}/records/{system}/{id}", "GET /lookup/{mirror}/records", "GET {*path:nonfile}", "HEAD {*path:nonfile}"];

    private IEnumerable<(string Name, RouteEndpoint Endpoint)> Endpoints() =>
        product.Factory.Services.GetRequiredService<EndpointDataSource>().Endpoints.OfType<RouteEndpoint>()
            .SelectMany(e => (e.Metadata.GetMetadata<HttpMethodMetadata>()?.HttpMethods ?? ["GET"]).Select(m => ($"{m} /{e.RoutePattern.RawText!.TrimStart('/')}".Replace("/{*path", "{*path", StringComparison.Ordinal), e)));

    [Fact]
    public void Every_endpoint_asks_who_you_are_but_those_listed_here()
    {
        var open = this.Endpoints()
            .Where(e => e.Endpoint.Metadata.GetMetadata<IAllowAnonymous>() is not null || e.Endpoint.Metadata.GetOrderedMetadata<IAuthorizeData>().Count == 0)
            .Select(e => e.Name).Distinct().ToList();
        open.ShouldBeSubsetOf(OpenToAnyone);
    }

    [Fact]
    public void Everything_that_writes_needs_more_than_a_reader_but_signing_out()
    {
        var writing = this.Endpoints().Where(e => !e.Name.StartsWith("GET", StringComparison.Ordinal) && !e.Name.StartsWith("HEAD", StringComparison.Ordinal) && e.Name.Contains("/api/", StringComparison.Ordinal) && !e.Name.Contains("{*", StringComparison.Ordinal)).ToList();
        writing.Count.ShouldBeGreaterThanOrEqualTo(6);
        writing.Where(e => !e.Endpoint.Metadata.GetOrderedMetadata<IAuthorizeData>().Any(a => a.Policy is "steward" or "administrator")).Select(e => e.Name).ShouldBe(["POST /api/session", "DELETE /api/session", "PUT /api/session/password", "POST /api/views", "DELETE /api/views/{id:long}"], ignoreOrder: true);
    }

    /// <summary>Edits of a draft have steps and versions of their own; the others look, and change nothing.</summary>
    private static readonly string[] NotInTheList =
    [
        "PUT /api/mirrors/{key}/draft", "POST /api/mirrors/{key}/draft/undo", "POST /api/mirrors/{key}/draft/redo", "POST /api/mirrors/{key}/draft/rule", "POST /api/mirrors/{key}/draft/suggestions/refused",
        "POST /api/mirrors/{key}/draft/suggestions/again", "POST /api/mirrors/{key}/draft/recognising", "POST /api/mirrors/{key}/draft/scope", "POST /api/mirrors/{key}/draft/timing", "POST /api/mirrors/{key}/draft/try",
        "POST /api/mirrors/{key}/draft/learn", "POST /api/mirrors/{key}/draft/record", "POST /api/mirrors/{key}/draft/worked-out", "POST /api/mirrors/{key}/draft/codes", "POST /api/systems/describe", "POST /api/systems/try",
        "POST /api/mirrors/file/look", "POST /api/notices/try", "POST /api/notices/again", "POST /api/mirrors/{key}/lookup/try", "POST /api/mirrors/{key}/checks/try",
    ];

    [Fact]
    public void Every_change_of_settings_comes_into_the_list_of_changes_but_those_listed_here() =>
        this.Endpoints().Where(e => !e.Name.StartsWith("GET", StringComparison.Ordinal) && e.Endpoint.Metadata.GetOrderedMetadata<IAuthorizeData>().Any(a => a.Policy == "administrator") && e.Endpoint.Metadata.GetMetadata<Audited>() is null)
            .Select(e => e.Name).ShouldBe(NotInTheList, ignoreOrder: true);


    [Fact]
    public async Task Nobody_who_is_not_signed_in_reads_anything()
    {
        var client = product.Factory.CreateClient();
        foreach (var path in new[] { "/api/today", "/api/records", "/api/conflicts", "/api/systems", "/api/changes", "/api/nothing" })
        {
            (await client.GetAsync(path)).StatusCode.ShouldBe(HttpStatusCode.Unauthorized, path);
        }
    }

    [Fact]
    public async Task A_change_without_the_sites_own_token_is_refused()
    {
        var (client, token) = await product.SignedIn("steward");
        (await client.PostAsync("/api/held/1/release", null)).StatusCode.ShouldBe(HttpStatusCode.BadRequest);
        client.DefaultRequestHeaders.Add("X-Upright-Token", token);
        (await client.PostAsync("/api/held/1/release", null)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }

    [Theory]
    [InlineData("reader", HttpStatusCode.Forbidden)]
    [InlineData("steward", HttpStatusCode.Forbidden)]
    [InlineData("administrator", HttpStatusCode.NotFound)]
    public async Task Only_an_administrator_pauses_a_mirror(string role, HttpStatusCode status)
    {
        var (client, token) = await product.SignedIn(role);
        client.DefaultRequestHeaders.Add("X-Upright-Token", token);
        (await client.PutAsJsonAsync("/api/mirrors/none/state", new { state = "live" })).StatusCode.ShouldBe(status);
    }

    [Fact]
    public async Task No_answer_holds_a_secret()
    {
        var (client, _) = await product.SignedIn("administrator");
        foreach (var path in new[] { "/api/systems", "/api/today", "/api/session", "/api/mirrors" })
        {
            (await client.GetStringAsync(path)).ShouldNotContain(Product.Secret);
        }
    }

    [Fact]
    public async Task Bad_input_is_refused_in_words()
    {
        var (client, _) = await product.SignedIn("reader");
        (await client.GetAsync($"/api/records?text={new string('x', 300)}")).StatusCode.ShouldBeOneOf(HttpStatusCode.BadRequest, HttpStatusCode.NotFound);
        (await client.GetAsync("/api/records/not-a-guid")).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        (await client.GetAsync("/api/runs/999999")).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }

    /// <summary>What holds a token beside what somebody sent would give it away by its length.</summary>
    [Fact]
    public async Task No_answer_of_the_API_is_compressed()
    {
        var (client, _) = await product.SignedIn("administrator");
        foreach (var path in new[] { "/api/session", "/api/today", "/api/systems" })
        {
            using var request = new HttpRequestMessage(HttpMethod.Get, path);
            request.Headers.Add("Accept-Encoding", "br, gzip");
            var answer = await client.SendAsync(request);
            answer.StatusCode.ShouldBe(HttpStatusCode.OK);
            answer.Content.Headers.ContentEncoding.ShouldBeEmpty(path);
        }
    }

    [Fact]
    public async Task The_pages_may_load_nothing_from_elsewhere_and_be_framed_by_nobody()
    {
        var answer = await product.Factory.CreateClient().GetAsync("/health");
        answer.Headers.GetValues("Content-Security-Policy").Single().ShouldContain("frame-ancestors 'none'");
        answer.Headers.GetValues("X-Content-Type-Options").Single().ShouldBe("nosniff");
    }
}

/// <summary>On its own product: it uses up the attempts of its address.</summary>
[Collection("product")]
public class AttemptTests(Product product) : IClassFixture<Product>
{
    [Fact]
    public async Task A_wrong_password_is_refused_and_too_many_attempts_have_to_wait()
    {
        var client = product.Factory.CreateClient();
        var statuses = new List<HttpStatusCode>();
        for (var i = 0; i < 14; i++)
        {
            statuses.Add((await client.PostAsJsonAsync("/api/session", new { email = "reader@t.example", password = "wrong" })).StatusCode);
        }

        statuses[0].ShouldBe(HttpStatusCode.Unauthorized);
        statuses.Distinct().ShouldBe([HttpStatusCode.Unauthorized, HttpStatusCode.TooManyRequests]);
        statuses.Count(s => s == HttpStatusCode.Unauthorized).ShouldBe(10);
        var refused = await client.PostAsJsonAsync("/api/session", new { email = "reader@t.example", password = "wrong" });
        (await refused.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("title").GetString().ShouldBe("Too many attempts to sign in came from here. Wait a minute, then try again.");
    }

    [Fact]
    public void Sign_ins_that_succeed_are_not_counted_and_those_of_another_address_neither()
    {
        using var failed = new FailedAttempts();
        for (var i = 0; i < 10; i++)
        {
            failed.MayTry("one").ShouldBeTrue();
            failed.Failed("one");
        }

        failed.MayTry("one").ShouldBeFalse();
        failed.MayTry("other").ShouldBeTrue();
    }
}
