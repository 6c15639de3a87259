using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using Microsoft.Extensions.DependencyInjection;
using Npgsql;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Web.Tests;

/// <summary>Searches that are kept, and lists as files.</summary>
[Collection("product")]
public sealed class ListsTests(Product product) : IClassFixture<Product>
{
    private async Task<int> Mirror(string key)
    {
        var mirrors = product.Factory.Services.GetRequiredService<Mirrors>();
        await mirrors.Save(
            new MirrorDefinition(key, key, "customer", [new SideDefinition("s", "as"), new SideDefinition("s", "bs")], [new AgreedFieldDefinition("Name", FieldType.Text, [new SideField("n", true, true, new AsItStands()), new SideField("n", true, true, new AsItStands())])], [new RecognisingRule("Name")], "Name"),
            "a test", CancellationToken.None);
        return (await mirrors.Find(key, CancellationToken.None))!.Id;
    }

    [Fact]
    public async Task A_list_comes_whole_as_a_file_and_nothing_in_it_is_a_formula_for_a_spreadsheet()
    {
        var mirror = await this.Mirror("listed");
        foreach (var (n, name) in new[] { "=HYPERLINK(\"http://x\")", "+44 131 4960021", "-12.5", "-cmd", "@SUM(A1)", "Plain, \"quoted\"" }.Index())
        {
            await product.Do($"insert into link (mirror_id, id, title, agreed, search) values ({mirror}, gen_random_uuid(), 'r{n}', jsonb_build_object('Name', jsonb_build_object('shown', $${name}$$)), 'r{n}')");
        }

        await product.Do($"insert into link (mirror_id, id, title, search) select {mirror}, gen_random_uuid(), 'more ' || n, 'more ' || n from generate_series(1, 2500) n");
        var (client, _) = await product.Known("steward");
        var lines = (await client.GetStringAsync("/api/records.csv?mirror=listed")).Split("\r\n", StringSplitOptions.RemoveEmptyEntries);
        lines.Length.ShouldBe(2507);
        lines[0].TrimStart('\uFEFF').ShouldBe("listed,S,S,Name,Conflicts,Held,Changed");
        lines[^6..].Select(l => l[..l.IndexOf(",0,0,", StringComparison.Ordinal)]).ShouldBe(
            ["r0,,,\"'=HYPERLINK(\"\"http://x\"\")\"", "r1,,,+44 131 4960021", "r2,,,-12.5", "r3,,,'-cmd", "r4,,,'@SUM(A1)", "r5,,,\"Plain, \"\"quoted\"\"\""]);
        (await client.GetStringAsync("/api/records.csv?mirror=listed&text=more")).Split("\r\n", StringSplitOptions.RemoveEmptyEntries).Length.ShouldBe(2501, "a file holds all that a search finds");
        (await client.GetFromJsonAsync<JsonElement>("/api/records?mirror=listed&text=more")).GetProperty("total").GetInt32().ShouldBe(Views.MostCounted + 1, "a page says that there are more than a thousand");
        (await client.GetAsync("/api/records.csv?mirror=nothing")).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }

    [Fact]
    public async Task A_search_is_kept_for_who_kept_it_and_no_other()
    {
        var (reader, steward) = ((await product.Known("reader")).Client, (await product.Known("steward")).Client);
        (await reader.PostAsJsonAsync("/api/views", new { name = " Mine ", query = "only=held" })).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await reader.PostAsJsonAsync("/api/views", new { name = "Mine", query = "only=conflict" })).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await reader.PostAsJsonAsync("/api/views", new { name = "", query = "" })).StatusCode.ShouldBe(HttpStatusCode.BadRequest);
        var view = (await reader.GetFromJsonAsync<JsonElement>("/api/views")).EnumerateArray().ShouldHaveSingleItem();
        (view.GetProperty("name").GetString(), view.GetProperty("query").GetString()).ShouldBe(("Mine", "only=conflict"));
        (await steward.GetFromJsonAsync<JsonElement>("/api/views")).EnumerateArray().ShouldBeEmpty();
        var address = $"/api/views/{view.GetProperty("id")}";
        (await steward.DeleteAsync(address)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        (await reader.DeleteAsync(address)).StatusCode.ShouldBe(HttpStatusCode.NoContent);
    }
}
