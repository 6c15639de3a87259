using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using Microsoft.Extensions.DependencyInjection;
using Npgsql;

namespace UprightMirror.Web.Tests;

/// <summary>Who may sign in, and the list of what was changed.</summary>
[Collection("product")]
public sealed class PeopleTests(Product product) : IClassFixture<Product>
{
    private static readonly string[] Roles = ["administrator", "steward", "reader"];

    private async Task<HttpClient> SignIn(string email, string password, HttpStatusCode expected = HttpStatusCode.OK)
    {
        var client = product.Factory.CreateClient();
        var answer = await client.PostAsJsonAsync("/api/session", new { email, password });
        answer.StatusCode.ShouldBe(expected);
        if (expected == HttpStatusCode.OK)
        {
            client.DefaultRequestHeaders.Add("X-Upright-Token", (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("token").GetString());
        }

        return client;
    }

    private async Task<JsonElement> Person(string email) => (await (await product.Known("administrator")).Client.GetFromJsonAsync<JsonElement>("/api/people")).EnumerateArray().First(p => p.GetProperty("email").GetString() == email);

    private async Task<(long Id, string Password)> Add(string email, string role = "steward")
    {
        var answer = await (await product.Known("administrator")).Client.PostAsJsonAsync("/api/people", new { email, name = $"Name of {email}", role, isOff = false });
        answer.StatusCode.ShouldBe(HttpStatusCode.OK, await answer.Content.ReadAsStringAsync());
        return ((await this.Person(email)).GetProperty("id").GetInt64(), (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("password").GetString()!);
    }

    private static async Task<string> Title(HttpResponseMessage answer) => (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("title").GetString()!;

    [Fact]
    public async Task A_person_who_is_added_signs_in_with_the_first_password_and_chooses_their_own()
    {
        var (_, first) = await this.Add("new@t.example");
        var client = await this.SignIn("new@t.example", first);
        (await client.GetFromJsonAsync<JsonElement>("/api/session")).GetProperty("mustChange").GetBoolean().ShouldBeTrue();
        (await Title(await client.PutAsJsonAsync("/api/session/password", new { old = "wrong", @new = "a boat on the reeds" }))).ShouldBe("The password that you have now is not right.");
        (await Title(await client.PutAsJsonAsync("/api/session/password", new { old = first, @new = "short" }))).ShouldStartWith("A password has 12 to 256 characters");
        (await Title(await client.PutAsJsonAsync("/api/session/password", new { old = first, @new = "password12345" }))).ShouldStartWith("That is among the first");
        var elsewhere = await this.SignIn("new@t.example", first);
        (await client.PutAsJsonAsync("/api/session/password", new { old = first, @new = "a boat on the reeds" })).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await client.GetFromJsonAsync<JsonElement>("/api/session")).GetProperty("mustChange").GetBoolean().ShouldBeFalse();
        (await elsewhere.GetAsync("/api/session")).StatusCode.ShouldBe(HttpStatusCode.Unauthorized, "who knew the old password is signed out");
        await this.SignIn("new@t.example", first, HttpStatusCode.Unauthorized);
        await this.SignIn("NEW@t.example", "a boat on the reeds");
    }

    [Fact]
    public async Task Another_role_counts_at_once_and_who_is_switched_off_is_out()
    {
        var (id, first) = await this.Add("role@t.example", "administrator");
        var client = await this.SignIn("role@t.example", first);
        (await client.GetAsync("/api/people")).StatusCode.ShouldBe(HttpStatusCode.OK);
        var admin = (await product.Known("administrator")).Client;
        Task<HttpResponseMessage> Make(string role, bool isOff) => admin.PutAsJsonAsync($"/api/people/{id}", new { email = "role@t.example", name = "R", role, isOff });
        (await Make("reader", false)).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await client.GetAsync("/api/people")).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
        (await Make("reader", true)).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await client.GetAsync("/api/today")).StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
        await this.SignIn("role@t.example", first, HttpStatusCode.Unauthorized);
    }

    [Fact]
    public async Task A_session_that_is_ended_elsewhere_is_over()
    {
        var (id, first) = await this.Add("two@t.example");
        var client = await this.SignIn("two@t.example", first);
        var session = (await this.Person("two@t.example")).GetProperty("sessions").EnumerateArray().Single().GetProperty("id").GetGuid();
        var admin = (await product.Known("administrator")).Client;
        (await admin.DeleteAsync($"/api/people/{id + 1000}/sessions/{session}")).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        (await admin.DeleteAsync($"/api/people/{id}/sessions/{session}")).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await client.GetAsync("/api/today")).StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
    }

    [Fact]
    public async Task Signing_out_ends_the_session_even_for_who_kept_its_cookie()
    {
        var (_, first) = await this.Add("out@t.example");
        var client = product.Factory.CreateDefaultClient();
        var answer = await client.PostAsJsonAsync("/api/session", new { email = "out@t.example", password = first });
        var cookies = string.Join("; ", answer.Headers.GetValues("Set-Cookie").Select(c => c.Split(';')[0]));
        var token = (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("token").GetString();
        async Task<HttpStatusCode> As(HttpMethod method)
        {
            using var request = new HttpRequestMessage(method, "/api/session");
            request.Headers.Add("Cookie", cookies);
            request.Headers.Add("X-Upright-Token", token);
            return (await product.Factory.CreateDefaultClient().SendAsync(request)).StatusCode;
        }

        (await As(HttpMethod.Get)).ShouldBe(HttpStatusCode.OK);
        (await As(HttpMethod.Delete)).ShouldBe(HttpStatusCode.NoContent);
        (await As(HttpMethod.Get)).ShouldBe(HttpStatusCode.Unauthorized);
    }

    [Fact]
    public async Task The_last_administrator_stays_one()
    {
        var admin = (await product.Known("administrator")).Client;
        foreach (var other in (await admin.GetFromJsonAsync<JsonElement>("/api/people")).EnumerateArray().Where(p => p.GetProperty("role").GetString() == "administrator" && !p.GetProperty("isYou").GetBoolean()))
        {
            (await admin.PutAsJsonAsync($"/api/people/{other.GetProperty("id")}", new { email = other.GetProperty("email").GetString(), name = "x", role = "reader", isOff = false })).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        }

        var me = await this.Person("administrator@t.example");
        foreach (var (role, isOff) in new[] { ("reader", false), ("administrator", true) })
        {
            (await Title(await admin.PutAsJsonAsync($"/api/people/{me.GetProperty("id")}", new { email = "administrator@t.example", name = "administrator", role, isOff }))).ShouldStartWith("That is the last administrator");
        }
    }

    [Fact]
    public async Task Only_administrators_see_people_notices_and_changes()
    {
        foreach (var role in Roles)
        {
            foreach (var path in new[] { "/api/people", "/api/notices", "/api/setting-changes" })
            {
                (await (await product.Known(role)).Client.GetAsync(path)).StatusCode.ShouldBe(role == "administrator" ? HttpStatusCode.OK : HttpStatusCode.Forbidden, $"{role} {path}");
            }
        }
    }

    [Fact]
    public async Task A_change_of_settings_stands_in_the_list_without_its_secrets_and_a_refused_one_does_not()
    {
        var admin = (await product.Known("administrator")).Client;
        object Connection(string name) => new { name, protocol = "rest", address = "https://erp.example/api", settings = new { callsAtOnce = 4, timeoutSeconds = 30, allowPrivate = false, signIn = new { kind = "key", keyInQuery = false } }, secrets = new Dictionary<string, string> { ["key"] = "heron-at-dawn" } };
        (await admin.PostAsJsonAsync("/api/systems", Connection("Audited"))).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await admin.PostAsJsonAsync("/api/systems", Connection(""))).StatusCode.ShouldBe(HttpStatusCode.BadRequest);
        (await admin.PutAsJsonAsync("/api/site", new { address = "https://mirror.example", host = "mail.example", port = 587, security = "startTls", account = "m", from = "m@mirror.example", password = "heron-at-dusk", hasPassword = false })).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        var changes = (await admin.GetFromJsonAsync<JsonElement>("/api/setting-changes")).GetProperty("changes").EnumerateArray().ToList();
        changes.Take(2).Select(c => (c.GetProperty("who").GetString(), c.GetProperty("what").GetString())).ShouldBe([("administrator", "changed how mail goes out"), ("administrator", "connected a system")]);
        changes[1].GetProperty("sent").GetString()!.ShouldContain("https://erp.example/api");
        var whole = await admin.GetStringAsync("/api/setting-changes");
        whole.ShouldNotContain("heron-at-dawn");
        whole.ShouldNotContain("heron-at-dusk");
        (await admin.GetStringAsync("/api/notices")).ShouldNotContain("heron-at-dusk");
    }

    [Theory]
    [InlineData("update setting_change set who = 'nobody'")]
    [InlineData("delete from setting_change")]
    [InlineData("truncate setting_change")]
    public async Task Nothing_is_taken_out_of_the_list_not_even_by_hand(string sql)
    {
        await this.Add($"{Guid.NewGuid():N}@t.example");
        await using var command = product.Factory.Services.GetRequiredService<NpgsqlDataSource>().CreateCommand(sql);
        (await Should.ThrowAsync<PostgresException>(() => command.ExecuteNonQueryAsync())).MessageText.ShouldBe("What is written in the list of changes stays as it is.");
    }
}
