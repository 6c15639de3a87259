using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using Microsoft.Extensions.DependencyInjection;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Web.Tests;

/// <summary>A record's page: what it points at, what points at it, and reading it again.</summary>
[Collection("product")]
public sealed class RecordPageTests(Product product) : IClassFixture<Product>
{
    private static int counter;

    private readonly string firms = $"linked-firms-{Interlocked.Increment(ref counter)}";
    private string Orders => $"orders-of-{this.firms}";
    private HttpClient client = null!;
    private int firm;
    private int order;

    private static SideField Cell(string path, Conversion? conversion = null, bool moves = true) => new(path, moves, moves, conversion ?? new AsItStands());

    private Mirrors Mirrors => product.Factory.Services.GetRequiredService<Mirrors>();

    private async Task<Guid> Link(int mirror, string title, string agreed = "{}")
    {
        var link = Guid.CreateVersion7();
        await product.Do("insert into link (mirror_id, id, title, search, agreed, created_at) values (@mirror, @link, @title, '', @agreed::jsonb, clock_timestamp())", ("mirror", mirror), ("link", link), ("title", title), ("agreed", agreed));
        return link;
    }

    private static string Agreed(Guid firm, string title) => JsonSerializer.Serialize(new Dictionary<string, object>
    {
        ["Firm"] = new { value = new { link = firm, title }, shown = title, side = 0, who = (string?)null, changedAt = (string?)null, at = DateTimeOffset.UtcNow, run = 1, why = "a test" },
    });

    /// <summary>Two firms, of which one system keeps two collections with the same ids; orders point at the first by what is agreed, and each side says which firm by an id of its own.</summary>
    private async Task<(Guid Brae, Guid Corrie)> Begin()
    {
        (this.client, _) = await product.Known("administrator");
        this.firm = await product.Save(new MirrorDefinition(this.firms, this.firms, "firm", [new SideDefinition("t", "firms"), new SideDefinition("u", "firms"), new SideDefinition("t", "leads")], [new AgreedFieldDefinition("Name", FieldType.Text, [Cell("n"), Cell("n"), Cell("n")])], [new RecognisingRule("Name")], "Name"));
        this.order = await product.Save(new MirrorDefinition(
            this.Orders, this.Orders, "order", [new SideDefinition("t", "orders"), new SideDefinition("u", "orders")],
            [
                new AgreedFieldDefinition("Number", FieldType.Text, [Cell("n"), Cell("n")]),
                new AgreedFieldDefinition("Firm", FieldType.Reference, [Cell("firm", new ReferenceTo(this.firms)), Cell("by", new ReferenceTo(this.firms))]),
                new AgreedFieldDefinition("Sent to", FieldType.Reference, [Cell("to", new ReferenceTo(this.firms), moves: false), null]),
            ],
            [new RecognisingRule("Number")], "Number"));
        var (brae, corrie) = (await this.Link(this.firm, "Brae Hire"), await this.Link(this.firm, "Corrie Boats"));
        foreach (var (side, id, link) in new[] { (0, "c1", brae), (1, "1", brae), (0, "c2", corrie), (1, "2", corrie), (2, "c1", corrie) })
        {
            await product.Hold(this.firm, side, id, link, ("n", "a firm"));
        }

        return (brae, corrie);
    }

    private async Task<JsonElement> Page(Guid link) => await this.client.GetFromJsonAsync<JsonElement>($"/api/records/{link}");

    private static JsonElement Field(JsonElement page, string name) => page.GetProperty("fields").EnumerateArray().Single(f => f.GetProperty("name").GetString() == name);

    private static (string? Title, Guid? Link) Points(JsonElement of) => of.GetProperty("points") is { ValueKind: JsonValueKind.Object } to ? (to.GetProperty("title").GetString(), to.GetProperty("link").GetGuid()) : (null, null);

    [Fact]
    public async Task Ids_of_other_records_are_shown_as_the_records_that_they_are_of()
    {
        var (brae, corrie) = await this.Begin();
        var link = await this.Link(this.order, "SO-1", Agreed(brae, "Brae Hire"));
        await product.Hold(this.order, 0, "o1", link, ("n", "SO-1"), ("firm", "c1"), ("to", "c2"));
        await product.Hold(this.order, 1, "9", link, ("n", "SO-1"), ("by", "404"));

        var page = await this.Page(link);

        Points(Field(page, "Firm")).ShouldBe(("Brae Hire", brae));
        Points(Field(page, "Firm").GetProperty("cells")[0]).ShouldBe(("Brae Hire", brae));
        Field(page, "Firm").GetProperty("cells")[0].GetProperty("raw").GetString().ShouldBe("c1");
        Points(Field(page, "Firm").GetProperty("cells")[1]).ShouldBe((null, null), "no record has this id");
        Points(Field(page, "Sent to").GetProperty("cells")[0]).ShouldBe(("Corrie Boats", corrie), "also what is only compared");
        Points(Field(page, "Number").GetProperty("cells")[0]).ShouldBe((null, null));
    }

    [Fact]
    public async Task What_points_at_a_record_is_counted_and_listed_the_newest_first()
    {
        var (brae, corrie) = await this.Begin();
        for (var n = 1; n <= 120; n++)
        {
            await this.Link(this.order, $"SO-{n}", Agreed(brae, "Brae Hire"));
        }

        var pointing = (await this.Page(brae)).GetProperty("pointing").EnumerateArray().ShouldHaveSingleItem();
        (pointing.GetProperty("mirror").GetString(), pointing.GetProperty("field").GetString(), pointing.GetProperty("count").GetInt32()).ShouldBe((this.Orders, "Firm", 120));
        pointing.GetProperty("records").EnumerateArray().Select(r => r.GetProperty("title").GetString()).ShouldBe(Enumerable.Range(113, 8).Reverse().Select(n => $"SO-{n}"));
        (await this.Page(corrie)).GetProperty("pointing").GetArrayLength().ShouldBe(0);

        async Task<string?[]> More(int offset) => [.. (await this.client.GetFromJsonAsync<JsonElement>($"/api/records/{brae}/pointing?mirror={this.Orders}&field=Firm&offset={offset}")).EnumerateArray().Select(r => r.GetProperty("title").GetString())];
        (await More(0)).Length.ShouldBe(100);
        (await More(100)).ShouldBe(Enumerable.Range(1, 20).Reverse().Select(n => $"SO-{n}"));
        (await More(-5)).Length.ShouldBe(100);
        (await this.client.GetAsync($"/api/records/{brae}/pointing?mirror=nobodys&field=Firm")).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }

    [Fact]
    public async Task A_record_is_read_again_by_a_run_of_its_own_and_by_those_who_may()
    {
        var (brae, _) = await this.Begin();
        var answer = await this.client.PostAsync($"/api/records/{brae}/read-again", null);
        answer.StatusCode.ShouldBe(HttpStatusCode.Accepted, await answer.Content.ReadAsStringAsync());
        var run = (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("run").GetInt64();
        (await this.client.GetFromJsonAsync<JsonElement>($"/api/runs/{run}")).GetProperty("run").GetProperty("startedBy").GetString()!.ShouldEndWith(", to read one record again");

        (await this.client.PostAsync($"/api/records/{Guid.NewGuid()}/read-again", null)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        await this.Mirrors.SetState(this.firm, "paused", CancellationToken.None);
        var refused = await this.client.PostAsync($"/api/records/{brae}/read-again", null);
        refused.StatusCode.ShouldBe(HttpStatusCode.Conflict);
        (await refused.Content.ReadAsStringAsync()).ShouldContain("is paused");
        var (reader, _) = await product.Known("reader");
        (await reader.PostAsync($"/api/records/{brae}/read-again", null)).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
    }
}
