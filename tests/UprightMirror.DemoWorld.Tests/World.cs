using System.Globalization;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using Microsoft.AspNetCore.Mvc.Testing;
using Npgsql;

namespace UprightMirror.DemoWorld.Tests;

/// <summary>A small demo world on a database of its own, and clients that are signed in to its systems.</summary>
public sealed class World : IAsyncLifetime
{
    private WebApplicationFactory<Program> factory = null!;

    public HttpClient Anyone { get; private set; } = null!;

    public async ValueTask InitializeAsync()
    {
        var server = Environment.GetEnvironmentVariable("UPRIGHT_TEST_SERVER") ?? throw new InvalidOperationException("UPRIGHT_TEST_SERVER is not set: run ./test, which starts a PostgreSQL of its own.");
        var name = $"world{Guid.NewGuid():N}";
        await using (var source = NpgsqlDataSource.Create(server))
        {
            await using var create = source.CreateCommand($"create database {name}");
            await create.ExecuteNonQueryAsync();
        }

        var database = new NpgsqlConnectionStringBuilder(server) { Database = name }.ToString();
        this.factory = new WebApplicationFactory<Program>().WithWebHostBuilder(host =>
        {
            host.UseSetting("database", database);
            host.UseSetting("companies", "42");
        });
        this.Anyone = this.factory.CreateClient(new WebApplicationFactoryClientOptions { AllowAutoRedirect = false });
    }

    public async ValueTask DisposeAsync() => await this.factory.DisposeAsync();

    public async Task<HttpClient> Slipway()
    {
        var answer = await this.Anyone.PostAsync("/slipway/oauth/token", new FormUrlEncodedContent(new Dictionary<string, string> { ["grant_type"] = "client_credentials", ["client_id"] = "upright-mirror", ["client_secret"] = "slip-4417-demo" }));
        var token = (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("access_token").GetString();
        return this.With("/slipway/api/", new AuthenticationHeaderValue("Bearer", token));
    }

    public HttpClient Ballast() => this.With("/ballast/odata/", new AuthenticationHeaderValue("Basic", Convert.ToBase64String(Encoding.UTF8.GetBytes("UPRIGHT-SVC:ballast-demo-20931"))));

    public HttpClient Pennant()
    {
        var client = this.With("/pennant/api/", null);
        client.DefaultRequestHeaders.Add("X-Pennant-Key", "pennant-7731-demo");
        return client;
    }

    /// <summary>Waits until the second, or the closed door, of a system's limit is over.</summary>
    public static Task Breathe(double seconds = 1.1) => Task.Delay(TimeSpan.FromSeconds(seconds));

    public static async Task<JsonElement> Json(HttpResponseMessage answer) => await answer.Content.ReadFromJsonAsync<JsonElement>();

    public static HttpRequestMessage Patch(string path, object body, string? tag, string type = "application/json")
    {
        var request = new HttpRequestMessage(HttpMethod.Patch, path) { Content = new StringContent(JsonSerializer.Serialize(body), Encoding.UTF8, type) };
        if (tag is not null)
        {
            request.Headers.TryAddWithoutValidation("If-Match", tag);
        }

        return request;
    }

    public static string Text(JsonElement json, string name) => json.GetProperty(name).ValueKind == JsonValueKind.Number ? json.GetProperty(name).GetRawText().ToString(CultureInfo.InvariantCulture) : json.GetProperty(name).GetString()!;

    private HttpClient With(string under, AuthenticationHeaderValue? authorization)
    {
        var client = this.factory.CreateClient(new WebApplicationFactoryClientOptions { AllowAutoRedirect = false });
        client.BaseAddress = new Uri(client.BaseAddress!, under);
        client.DefaultRequestHeaders.Authorization = authorization;
        return client;
    }
}
