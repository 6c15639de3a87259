using System.Net;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Text.Json;
using Microsoft.Extensions.DependencyInjection;
using Npgsql;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Web.Tests;

/// <summary>A mirror is looked up from elsewhere: by key, of the chosen fields alone, so often a minute.</summary>
[Collection("product")]
public sealed class LookupTests(Product product) : IClassFixture<Product>
{
    private static int counter;

    private readonly string name = $"looked-{Interlocked.Increment(ref counter)}";
    private int mirror;

    private static SideField Cell(string path) => new(path, true, true, new AsItStands());

    /// <summary>A mirror with a record that both sides have, one that is the first side's, and two that share a number.</summary>
    private async Task<HttpClient> Begin(bool isOn = true, int perMinute = 100, params string[] fields)
    {
        var mirrors = product.Factory.Services.GetRequiredService<Mirrors>();
        await mirrors.Save(
            new MirrorDefinition(this.name, this.name, "customer", [new SideDefinition("s", "as"), new SideDefinition("s", "bs")],
                [
                    new AgreedFieldDefinition("Name", FieldType.Text, [Cell("name"), Cell("name")]),
                    new AgreedFieldDefinition("Seats", FieldType.Number, [Cell("seats"), Cell("seats")]),
                    new AgreedFieldDefinition("Secret", FieldType.Text, [Cell("secret"), null]),
                ],
                [new RecognisingRule("Name")], "Name"),
            "a test", CancellationToken.None);
        this.mirror = (await mirrors.Find(this.name, CancellationToken.None))!.Id;
        foreach (var (id, number, seats) in new[] { ("17", "Tern 100% Point", 12.5m), ("18", "Brae_Hire", 1), ("19", "brae_hire", 2) })
        {
            var link = Guid.CreateVersion7();
            await product.Do($"""
                insert into link (mirror_id, id, title, agreed, search) values ({this.mirror}, '{link}', '{number}', jsonb_build_object(
                    'Name', jsonb_build_object('value', '{number}', 'shown', '{number}'), 'Seats', jsonb_build_object('value', {seats.ToString(System.Globalization.CultureInfo.InvariantCulture)}, 'shown', 'x'), 'Secret', jsonb_build_object('value', 'otter', 'shown', 'otter')), lower('{number} {id}'))
                """);
            await product.Do($"insert into system_record (mirror_id, side, id, link_id, raw, seen_at) values ({this.mirror}, 0, '{id}', '{link}', '[]', now())");
        }

        var (client, _) = await product.Known("administrator");
        (await client.PutAsJsonAsync($"/api/mirrors/{this.name}/lookup", new { isOn, fields = fields.Length > 0 ? fields : ["Name", "Seats"], perMinute })).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        return client;
    }

    private async Task<HttpClient> WithKey(HttpClient administrator)
    {
        var made = await (await administrator.PostAsJsonAsync($"/api/mirrors/{this.name}/lookup/keys", new { name = "the web shop" })).Content.ReadFromJsonAsync<JsonElement>();
        var outside = product.Factory.CreateClient();
        outside.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", made.GetProperty("key").GetString());
        return outside;
    }

    [Fact]
    public async Task A_record_is_found_by_its_id_on_a_side_or_by_a_value_and_gives_the_chosen_fields_alone()
    {
        var outside = await this.WithKey(await this.Begin());
        var byId = await outside.GetFromJsonAsync<JsonElement>($"/lookup/{this.name}/records/s/17");
        byId.GetProperty("fields").GetRawText().ShouldBe("""{"Name":"Tern 100% Point","Seats":12.5}""");
        byId.GetProperty("ids").GetProperty("s").GetString().ShouldBe("17");
        var byValue = await outside.GetFromJsonAsync<JsonElement>($"/lookup/{this.name}/records?field=Name&value={Uri.EscapeDataString("tern 100% POINT")}");
        byValue.GetProperty("record").GetString().ShouldBe(byId.GetProperty("record").GetString());
        foreach (var (address, status) in new[]
        {
            ("records/s/99", 404), ("records/nowhere/17", 400), ("records?field=Name&value=nobody", 404), ("records?field=Name&value=%25", 404), ("records?field=Name", 400), ("records", 400),
            ("records?field=Secret&value=otter", 400), ("records?field=Name&value=BRAE_HIRE", 409), ("records/s/17?view=elsewhere", 400), ($"records?field=Name&value={new string('x', 500)}", 400),
        })
        {
            var answer = await outside.GetAsync($"/lookup/{this.name}/{address}");
            ((int)answer.StatusCode).ShouldBe(status, address);
            (await answer.Content.ReadAsStringAsync()).ShouldNotContain("otter", Case.Sensitive, address);
        }
    }

    [Fact]
    public async Task What_a_side_holds_at_this_moment_is_asked_there_and_a_system_that_is_down_is_told()
    {
        var outside = await this.WithKey(await this.Begin());
        var answer = await outside.GetAsync($"/lookup/{this.name}/records/s/17?view=s"); // Nobody listens at its address.
        answer.StatusCode.ShouldBe(HttpStatusCode.BadGateway);
        (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("title").GetString()!.ShouldStartWith("S ");
    }

    [Fact]
    public async Task Without_a_key_of_this_mirror_nothing_is_told_not_even_which_mirrors_there_are()
    {
        var administrator = await this.Begin();
        var outside = await this.WithKey(administrator);
        foreach (var authorization in new[] { null, "Bearer", "Bearer look_0000", "Basic bG9vaw==", $"Bearer {new string('a', 5000)}" })
        {
            var stranger = product.Factory.CreateClient();
            _ = authorization is null || stranger.DefaultRequestHeaders.TryAddWithoutValidation("Authorization", authorization);
            (await stranger.GetAsync($"/lookup/{this.name}/records/s/17")).StatusCode.ShouldBe(HttpStatusCode.Unauthorized, authorization);
        }

        (await outside.GetAsync("/lookup/no-such-mirror/records/s/17")).StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
        (await outside.GetAsync($"/lookup/{this.name}/openapi.json")).StatusCode.ShouldBe(HttpStatusCode.OK);

        // A key that is taken away ends at once, and so does all of it where it is switched off.
        var keys = (await administrator.GetFromJsonAsync<JsonElement>($"/api/mirrors/{this.name}/lookup")).GetProperty("keys").EnumerateArray().ToList();
        keys.ShouldHaveSingleItem().GetProperty("lastUsedAt").ValueKind.ShouldBe(JsonValueKind.String);
        var second = await this.WithKey(administrator);
        (await administrator.DeleteAsync($"/api/mirrors/{this.name}/lookup/keys/{keys[0].GetProperty("id").GetInt64()}")).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await outside.GetAsync($"/lookup/{this.name}/records/s/17")).StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
        (await second.GetAsync($"/lookup/{this.name}/records/s/17")).StatusCode.ShouldBe(HttpStatusCode.OK);
        await administrator.PutAsJsonAsync($"/api/mirrors/{this.name}/lookup", new { isOn = false, fields = new[] { "Name" }, perMinute = 10 });
        (await second.GetAsync($"/lookup/{this.name}/records/s/17")).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
    }

    [Fact]
    public async Task Each_key_has_its_own_turns()
    {
        var administrator = await this.Begin(perMinute: 4);
        var (one, other) = (await this.WithKey(administrator), await this.WithKey(administrator));
        var statuses = new List<int>();
        for (var i = 0; i < 6; i++)
        {
            statuses.Add((int)(await one.GetAsync($"/lookup/{this.name}/records/s/17")).StatusCode);
        }

        statuses.ShouldBe([200, 200, 200, 200, 429, 429]);
        (await other.GetAsync($"/lookup/{this.name}/records/s/17")).StatusCode.ShouldBe(HttpStatusCode.OK);
    }

    [Fact]
    public async Task The_description_says_what_is_given_and_what_is_tried_is_what_others_get()
    {
        var administrator = await this.Begin();
        var outside = await this.WithKey(administrator);
        var description = await outside.GetFromJsonAsync<JsonElement>($"/lookup/{this.name}/openapi.json");
        description.GetProperty("openapi").GetString().ShouldBe("3.1.0");
        description.GetProperty("paths").EnumerateObject().Select(p => p.Name).ShouldBe(["/records/{system}/{id}", "/records"]);
        var fields = description.GetProperty("components").GetProperty("schemas").GetProperty("Record").GetProperty("properties").GetProperty("fields").GetProperty("properties");
        fields.EnumerateObject().Select(p => p.Name).ShouldBe(["Name", "Seats"]);
        fields.GetProperty("Seats").GetProperty("type")[0].GetString().ShouldBe("number");
        var tried = await (await administrator.PostAsJsonAsync($"/api/mirrors/{this.name}/lookup/try", new { system = "s", id = "17" })).Content.ReadFromJsonAsync<JsonElement>();
        tried.GetProperty("status").GetInt32().ShouldBe(200);
        JsonDocument.Parse(tried.GetProperty("answer").GetString()!).RootElement.GetProperty("fields").GetProperty("Name").GetString().ShouldBe("Tern 100% Point");
        tried.GetProperty("request").GetString()!.ShouldContain($"/lookup/{this.name}/records/s/17");
        foreach (var (wrong, words) in new (object, string)[] { (new { isOn = true, fields = Array.Empty<string>(), perMinute = 5 }, "at least one"), (new { isOn = true, fields = new[] { "Nope" }, perMinute = 5 }, "no field Nope"), (new { isOn = true, fields = new[] { "Name" }, perMinute = 0 }, "1 to 6000") })
        {
            var refused = await administrator.PutAsJsonAsync($"/api/mirrors/{this.name}/lookup", wrong);
            refused.StatusCode.ShouldBe(HttpStatusCode.BadRequest);
            (await refused.Content.ReadAsStringAsync()).ShouldContain(words);
        }
    }
}
