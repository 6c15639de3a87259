using System.Net;
using System.Net.Http.Json;
using System.Text.Json;

namespace UprightMirror.DemoWorld.Tests;

/// <summary>Each simulated system keeps its own limits and habits, so that what is tried on it is tried for real.</summary>
[Collection("world")] // One after another: the systems count everybody's calls.
public class HabitsTests(World world) : IClassFixture<World>
{
    [Fact]
    public async Task Slipway_trims_text_keeps_the_second_and_gives_a_new_tag()
    {
        await World.Breathe();
        var client = await world.Slipway();
        var created = await client.PostAsJsonAsync("organisations", new { name = "  Ravnes Kayak  ", address = new { town = " Ravnes " } });
        created.StatusCode.ShouldBe(HttpStatusCode.Created);
        var json = await World.Json(created);
        World.Text(json, "name").ShouldBe("Ravnes Kayak");
        json.GetProperty("address").GetProperty("town").GetString().ShouldBe("Ravnes");
        World.Text(json, "updatedAt").ShouldMatch(@"^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ$");

        var changed = await client.SendAsync(World.Patch($"organisations/{World.Text(json, "id")}", new { phoneMain = "+47 22 55 00 11" }, created.Headers.ETag!.ToString(), "application/merge-patch+json"));
        changed.Headers.ETag!.ToString().ShouldNotBe(created.Headers.ETag!.ToString());
        (await client.SendAsync(World.Patch($"organisations/{World.Text(json, "id")}", new { phoneMain = "x" }, created.Headers.ETag!.ToString()))).StatusCode.ShouldBe(HttpStatusCode.PreconditionFailed);
        (await client.SendAsync(World.Patch($"organisations/{World.Text(json, "id")}", new { phoneMain = "x" }, null))).StatusCode.ShouldBe((HttpStatusCode)428);
    }

    [Theory]
    [InlineData("{\"name\":\"\"}", "name is required")]
    [InlineData("{\"name\":\"A\",\"segment\":\"Pirates\"}", "segment is one of Club, School, Hire centre, Shop")]
    [InlineData("{\"name\":\"A\",\"custom\":{\"fleetSize\":\"many\"}}", "custom.fleetSize must be a number")]
    public async Task Slipway_says_which_field_it_will_not_have(string body, string words)
    {
        await World.Breathe();
        var answer = await (await world.Slipway()).PostAsync("organisations", new StringContent(body, System.Text.Encoding.UTF8, "application/json"));
        answer.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        World.Text(await World.Json(answer), "detail").ShouldBe(words);
    }

    [Fact]
    public async Task Slipway_gives_every_record_once_by_cursor_and_what_changed_since_a_time()
    {
        await World.Breathe();
        var client = await world.Slipway();
        var ids = new List<string>();
        for (string? cursor = ""; cursor is not null;)
        {
            var page = await client.GetFromJsonAsync<JsonElement>($"organisations?limit=17{(cursor.Length > 0 ? $"&cursor={Uri.EscapeDataString(cursor)}" : "")}");
            ids.AddRange(page.GetProperty("items").EnumerateArray().Select(i => World.Text(i, "id")));
            cursor = page.GetProperty("nextCursor").GetString();
        }

        ids.Count.ShouldBeGreaterThan(40);
        ids.ShouldBe(ids.Distinct());
        (await client.GetFromJsonAsync<JsonElement>($"organisations?updatedSince={DateTime.UtcNow.AddMinutes(5):yyyy-MM-ddTHH:mm:ssZ}")).GetProperty("items").GetArrayLength().ShouldBe(0);
    }

    [Fact]
    public async Task Slipway_turns_the_twenty_first_call_of_a_second_away_and_says_how_long_to_wait()
    {
        await World.Breathe();
        var client = await world.Slipway();
        var answers = await Task.WhenAll(Enumerable.Range(0, 45).Select(_ => client.GetAsync("products?limit=1")));
        var turnedAway = answers.Where(a => a.StatusCode == HttpStatusCode.TooManyRequests).ToList();
        turnedAway.Count.ShouldBeGreaterThan(4);
        turnedAway.ShouldAllBe(a => a.Headers.RetryAfter!.Delta == TimeSpan.FromSeconds(1));
    }

    [Fact]
    public async Task Slipway_writes_in_bulk_by_reference_with_a_result_for_every_row_and_tells_removals()
    {
        await World.Breathe();
        var client = await world.Slipway();
        var answer = await World.Json(await client.PostAsJsonAsync("people/bulk", new { items = new object[] { new { firstName = "Niamh", lastName = "Quill", externalReference = "r1" }, new { firstName = "Nobody", externalReference = "r2" }, new { firstName = "Neve", lastName = "Quill", externalReference = "r1" } } }));
        var rows = answer.GetProperty("results").EnumerateArray().Select(r => (r.GetProperty("status").GetInt32(), r.GetProperty("id").GetString())).ToList();
        rows.Select(r => r.Item1).ShouldBe([201, 422, 200]);
        rows[0].Item2.ShouldBe(rows[2].Item2);

        var one = await client.GetAsync($"people/{rows[0].Item2}");
        var remove = new HttpRequestMessage(HttpMethod.Delete, $"people/{rows[0].Item2}");
        remove.Headers.IfMatch.Add(one.Headers.ETag!);
        (await client.SendAsync(remove)).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await client.GetStringAsync("people/removals")).ShouldContain(rows[0].Item2!);
        (await client.GetAsync($"people/{rows[0].Item2}")).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }

    [Fact]
    public async Task Ballast_gives_numbers_rounds_keeps_capitals_and_wants_the_tag()
    {
        var client = world.Ballast();
        var created = await World.Json(await client.PostAsJsonAsync("Customers", new { CustomerName = "Halden Sailing", CountryCode = "NOR", CreditLimit = 12.345m, NameInCapitals = true }));
        var number = World.Text(created, "CustomerNo");
        (number[..2], World.Text(created, "CustomerName"), created.GetProperty("CreditLimit").GetDecimal()).ShouldBe(("C-", "HALDEN SAILING", 12.34m));
        var tag = World.Text(created, "@odata.etag");
        (await client.SendAsync(World.Patch($"Customers('{number}')", new { City = "Halden" }, null))).StatusCode.ShouldBe((HttpStatusCode)428);
        (await client.SendAsync(World.Patch($"Customers('{number}')", new { City = "Halden" }, tag))).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await client.SendAsync(World.Patch($"Customers('{number}')", new { City = "Elsewhere" }, tag))).StatusCode.ShouldBe(HttpStatusCode.PreconditionFailed);
        var refused = await client.PostAsJsonAsync("Customers", new { CustomerName = "A", CountryCode = "XXX" });
        (await refused.Content.ReadAsStringAsync()).ShouldContain("cannot be found in the related table (Country)");
    }

    [Fact]
    public async Task Ballast_pages_by_itself_selects_expands_lines_and_adds_them_up()
    {
        var client = world.Ballast();
        var first = await client.GetFromJsonAsync<JsonElement>("SalesOrders?$select=OrderNo,TotalAmount&$expand=Lines&$orderby=ChangedOn,OrderNo");
        var orders = first.GetProperty("value").EnumerateArray().ToList();
        orders.Count.ShouldBeGreaterThan(50);
        orders.ShouldAllBe(o => o.GetProperty("Lines").EnumerateArray().Sum(l => l.GetProperty("LineAmount").GetDecimal()) == o.GetProperty("TotalAmount").GetDecimal());
        var customer = World.Text((await client.GetFromJsonAsync<JsonElement>("Customers?$top=1")).GetProperty("value")[0], "CustomerNo");
        var item = (await client.GetFromJsonAsync<JsonElement>("Items?$top=1")).GetProperty("value")[0];
        var made = await World.Json(await client.PostAsJsonAsync("SalesOrders", new { CustomerNo = customer, OrderDate = "2026-03-01", Lines = new[] { new { LineNo = 10000, ItemNo = World.Text(item, "ItemNo"), Quantity = 2m, UnitPrice = 10m, DiscountPercent = 5m } } }));
        made.GetProperty("TotalAmount").GetDecimal().ShouldBe(19m);
    }

    [Fact]
    public async Task Pennant_reads_by_ranges_never_moves_a_stage_back_and_answers_row_by_row()
    {
        await World.Breathe(10.5);
        var client = world.Pennant();
        (await client.GetAsync("people?from_id=1&to_id=900")).StatusCode.ShouldBe(HttpStatusCode.BadRequest);
        var page = await client.GetFromJsonAsync<JsonElement>("people?from_id=1&to_id=300");
        page.GetProperty("people").GetArrayLength().ShouldBeInRange(60, 110);
        page.GetProperty("highest_id").GetInt64().ShouldBeGreaterThan(200);
        var results = (await World.Json(await client.PostAsJsonAsync("people/upsert", new
        {
            people = new object[]
        {
            new { email = "Kees@Canoe.example", stage = "customer" }, new { email = "no address" }, new { email = "kees@canoe.example", stage = "lead", family_name = "Dekker" }, new { email = "x@y.example", stage = "pirate" },
        }
        }))).GetProperty("results").EnumerateArray().ToList();
        results.Select(r => World.Text(r, "outcome")).ShouldBe(["created", "refused", "changed", "refused"]);
        var kees = await client.GetFromJsonAsync<JsonElement>($"people/{results[0].GetProperty("id").GetInt64()}");
        (World.Text(kees, "stage"), World.Text(kees, "family_name")).ShouldBe(("customer", "Dekker"));
    }

    [Fact]
    public async Task Pennant_closes_for_ten_seconds_after_a_sixth_call_in_a_second()
    {
        await World.Breathe(10.5);
        var client = world.Pennant();
        var answers = new List<HttpResponseMessage>();
        for (var i = 0; i < 7; i++)
        {
            answers.Add(await client.GetAsync("lists?from_id=1&to_id=2"));
        }

        answers[^1].StatusCode.ShouldBe(HttpStatusCode.TooManyRequests);
        answers[^1].Headers.RetryAfter!.Delta!.Value.TotalSeconds.ShouldBeInRange(8, 10);
    }

    [Theory]
    [InlineData("slipway", "{\"down\":true}")]
    [InlineData("ballast", "{\"forbidden\":true}")]
    [InlineData("slipway", "{\"answersHtml\":true}")]
    [InlineData("ballast", "{\"errorEvery\":1}")]
    public async Task A_fault_is_there_while_it_is_switched_on_and_gone_after(string system, string fault)
    {
        await World.Breathe();
        var client = system == "slipway" ? await world.Slipway() : world.Ballast();
        var path = system == "slipway" ? "products?limit=1" : "Items?$top=1";
        async Task<string> Says()
        {
            try
            {
                var answer = await client.GetAsync(path);
                return answer.Content.Headers.ContentType?.MediaType == "text/html" ? "page" : ((int)answer.StatusCode).ToString(System.Globalization.CultureInfo.InvariantCulture);
            }
            catch (Exception e) when (e is HttpRequestException or OperationCanceledException or IOException)
            {
                return "broken";
            }
        }

        (await world.Anyone.PutAsync($"/faults/api/{system}", new StringContent(fault, System.Text.Encoding.UTF8, "application/json"))).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await Says()).ShouldBeOneOf("broken", "403", "page", "500");
        await world.Anyone.DeleteAsync($"/faults/api/{system}");
        (await Says()).ShouldBe("200");
    }

    [Fact]
    public async Task A_field_that_an_operator_removes_is_gone_from_the_description_and_from_the_records()
    {
        await World.Breathe();
        var client = await world.Slipway();
        await world.Anyone.PutAsync("/faults/api/slipway", new StringContent("""{"fields":[{"kind":"remove","collection":"products","field":"family"},{"kind":"add","collection":"products","field":"grade","type":"integer"}]}""", System.Text.Encoding.UTF8, "application/json"));
        var properties = (await client.GetFromJsonAsync<JsonElement>("/slipway/openapi.json")).GetProperty("components").GetProperty("schemas").GetProperty("Product").GetProperty("properties");
        (properties.TryGetProperty("family", out _), properties.TryGetProperty("grade", out _)).ShouldBe((false, true));
        var product = (await client.GetFromJsonAsync<JsonElement>("products?limit=1")).GetProperty("items")[0];
        (product.TryGetProperty("family", out _), product.TryGetProperty("grade", out _)).ShouldBe((false, true));
        await world.Anyone.DeleteAsync("/faults/api/slipway");
    }
}
