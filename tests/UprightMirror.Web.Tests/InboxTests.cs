using System.Net;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Microsoft.Extensions.DependencyInjection;
using UprightMirror.Storage;

namespace UprightMirror.Web.Tests;

/// <summary>Addresses that records are sent to: who may open them, who may send there, and what bad senders are told.</summary>
[Collection("product")]
public sealed class InboxTests(Product product) : IClassFixture<Product>, IAsyncLifetime
{
    private const string Key = "paddle-in-the-marsh";
    private readonly string system = $"site-{Guid.NewGuid():N}";

    public async ValueTask InitializeAsync() => await product.Factory.Services.GetRequiredService<KeptConnections>().Save(
        new KeptConnection(this.system, this.system, "We", "#000000", "events", new Uri($"events:{this.system}"), JsonSerializer.SerializeToElement(new { })), new Dictionary<string, string>(), CancellationToken.None);

    public async ValueTask DisposeAsync() => await product.Factory.Services.GetRequiredService<KeptConnections>().Remove(this.system, CancellationToken.None);

    private string Inboxes => $"/api/systems/{this.system}/inboxes";

    private async Task<string> Open(object asked, string collection = "sign-ups")
    {
        var (client, _) = await product.Known("administrator");
        var answer = await client.PutAsJsonAsync($"{this.Inboxes}/{collection}", asked);
        answer.StatusCode.ShouldBe(HttpStatusCode.NoContent, await answer.Content.ReadAsStringAsync());
        return (await this.Shown("administrator")).GetProperty("path").GetString()!;
    }

    private async Task<JsonElement> Shown(string role) => (await (await product.Known(role)).Client.GetFromJsonAsync<JsonElement>(this.Inboxes))[0];

    private async Task<string> Refused(object asked, string collection = "sign-ups") =>
        await Title(await (await product.Known("administrator")).Client.PutAsJsonAsync($"{this.Inboxes}/{collection}", asked));

    private static async Task<string> Title(HttpResponseMessage answer) => (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("title").GetString()!;

    private async Task<HttpResponseMessage> Post(string path, byte[] body, string type = "application/json", params (string Name, string Value)[] headers)
    {
        var content = new ByteArrayContent(body);
        content.Headers.ContentType = MediaTypeHeaderValue.Parse(type);
        var request = new HttpRequestMessage(HttpMethod.Post, path) { Content = content };
        foreach (var (name, value) in headers)
        {
            request.Headers.Add(name, value);
        }

        return await product.Factory.CreateClient().SendAsync(request);
    }

    private async Task<string?> Known(string email)
    {
        var inboxes = product.Factory.Services.GetRequiredService<Inboxes>();
        await inboxes.WorkThrough(500, DateTimeOffset.UtcNow, CancellationToken.None);
        await foreach (var record in inboxes.Records(this.system, "sign-ups", null, email, CancellationToken.None))
        {
            return record.Body;
        }

        return null;
    }

    [Fact]
    public async Task What_anybody_sends_to_an_open_address_is_taken_and_shown_to_map_from()
    {
        var path = await this.Open(new { admits = "open", idField = "email" });
        (await this.Post(path, "email=ada%40t.example&name=Ada+Marsh"u8.ToArray(), "application/x-www-form-urlencoded")).StatusCode.ShouldBe(HttpStatusCode.Accepted);
        (await this.Known("ada@t.example")).ShouldBe("""{"email":"ada@t.example","name":"Ada Marsh"}""");
        var shown = await this.Shown("administrator");
        (shown.GetProperty("records").GetInt32(), shown.GetProperty("last")[0].GetProperty("outcome").GetString()).ShouldBe((1, "taken"));

        // A reader sees that it came, and neither the address nor who it is about.
        var masked = await this.Shown("reader");
        masked.GetProperty("path").ValueKind.ShouldBe(JsonValueKind.Null);
        masked.ToString().ShouldNotContain("ada@");
        masked.ToString().ShouldNotContain("Ada Marsh");
    }

    [Fact]
    public async Task Without_the_key_or_with_a_wrong_one_nothing_is_taken()
    {
        var path = await this.Open(new { admits = "key", header = "X-Key", secret = Key, idField = "email" });
        var body = """{"email":"ada@t.example"}"""u8.ToArray();
        (await this.Post(path, body)).StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
        (await this.Post(path, body, "application/json", ("X-Key", Key + "x"))).StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
        (await this.Known("ada@t.example")).ShouldBeNull();
        (await this.Post(path, body, "application/json", ("X-Key", Key))).StatusCode.ShouldBe(HttpStatusCode.Accepted);
        (await this.Known("ada@t.example")).ShouldNotBeNull();
        (await this.Shown("administrator")).ToString().ShouldNotContain(Key);
    }

    [Fact]
    public async Task What_is_signed_wrongly_or_was_signed_last_month_is_refused()
    {
        var path = await this.Open(new { admits = "signed", secret = Key, idField = "email" });
        var body = """{"email":"ada@t.example"}"""u8.ToArray();
        (string, string)[] Signed(DateTimeOffset at)
        {
            var seconds = at.ToUnixTimeSeconds().ToString(System.Globalization.CultureInfo.InvariantCulture);
            byte[] signed = [.. Encoding.UTF8.GetBytes($"m1.{seconds}."), .. body];
            return [("webhook-id", "m1"), ("webhook-timestamp", seconds), ("webhook-signature", "v1," + Convert.ToBase64String(HMACSHA256.HashData(Encoding.UTF8.GetBytes(Key), signed)))];
        }

        var replayed = await this.Post(path, body, "application/json", Signed(DateTimeOffset.UtcNow.AddDays(-30)));
        replayed.StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
        (await Title(replayed)).ShouldContain("5 minutes");
        (await this.Post(path, """{"email":"eve@t.example"}"""u8.ToArray(), "application/json", Signed(DateTimeOffset.UtcNow))).StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
        (await this.Post(path, body, "application/json", Signed(DateTimeOffset.UtcNow))).StatusCode.ShouldBe(HttpStatusCode.Accepted);
        (await this.Post(path, body, "application/json", Signed(DateTimeOffset.UtcNow))).StatusCode.ShouldBe(HttpStatusCode.Accepted);
        (await this.Shown("administrator")).GetProperty("last").EnumerateArray().Select(e => e.GetProperty("outcome").GetString()).ShouldBe(["again", "waiting", "refused", "refused"]);
    }

    [Fact]
    public async Task Twenty_megabytes_and_what_is_no_JSON_are_refused_in_words_and_the_next_is_taken()
    {
        var path = await this.Open(new { admits = "open", idField = "email" });
        (await this.Post(path, new byte[20 * 1024 * 1024])).StatusCode.ShouldBe(HttpStatusCode.RequestEntityTooLarge);
        var broken = await this.Post(path, """{"email": "ada@t.example", """u8.ToArray());
        broken.StatusCode.ShouldBe(HttpStatusCode.BadRequest);
        (await Title(broken)).ShouldStartWith("It is not JSON: line 1");
        (await this.Shown("administrator")).GetProperty("last")[0].GetProperty("reason").GetString().ShouldStartWith("It is not JSON");
        (await this.Post(path, """{"email":"ada@t.example"}"""u8.ToArray())).StatusCode.ShouldBe(HttpStatusCode.Accepted);
        (await this.Post("/events/nobody-knows-it", "{}"u8.ToArray())).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }

    [Fact]
    public async Task Only_what_can_work_is_opened_and_only_by_an_administrator()
    {
        (await (await product.Known("steward")).Client.PutAsJsonAsync($"{this.Inboxes}/a", new { admits = "open", idField = "email" })).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
        (await (await product.Known("steward")).Client.DeleteAsync($"{this.Inboxes}/a")).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
        (await this.Refused(new { admits = "open", idField = "" })).ShouldStartWith("Name the field that tells one record from another");
        (await this.Refused(new { admits = "everybody", idField = "email" })).ShouldStartWith("Say who may send");
        (await this.Refused(new { admits = "key", idField = "email", secret = Key })).ShouldBe("Name the header that carries the key.");
        (await this.Refused(new { admits = "key", idField = "email", header = "X-Key" })).ShouldStartWith("Type the key");
        (await this.Refused(new { admits = "key", idField = "email", header = "X-Key", secret = "short" })).ShouldStartWith("A key has at least 12 characters");
        (await this.Refused(new { admits = "key", idField = "email", header = "X Key:", secret = Key })).ShouldStartWith("The name of a header");
        (await this.Refused(new { admits = "open", idField = "email" }, "sign ups")).ShouldStartWith("Give what comes there a name");
        (await Title(await (await product.Known("administrator")).Client.PutAsJsonAsync("/api/systems/s/inboxes/a", new { admits = "open", idField = "email" }))).ShouldBe("S is read, and need not send its records. Add a system that sends them.");
    }
}
