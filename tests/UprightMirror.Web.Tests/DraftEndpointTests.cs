using System.Collections.Immutable;
using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using Microsoft.Extensions.DependencyInjection;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Web.Tests;

/// <summary>The mapping bench over its API: who may edit, what is refused in words, what is tried and found.</summary>
[Collection("product")]
public sealed class DraftEndpointTests(Product product) : IClassFixture<Product>, IAsyncLifetime
{
    private const string Bench = "/api/mirrors/bench/draft";

    public async ValueTask InitializeAsync()
    {
        var services = product.Factory.Services;
        var catalogues = services.GetRequiredService<Catalogues>();
        CatalogueField Text(string path) => new(path, "string", false, false, 60);
        await catalogues.Save("s", new Catalogue([
            new CatalogueCollection("left", new[] { Text("name"), Text("town"), Text("telephone") }.ToImmutableDictionary(f => f.Path)),
            new CatalogueCollection("right", new[] { Text("CustomerName"), Text("City"), Text("Phone"), Text("Code") with { ReadOnly = true } }.ToImmutableDictionary(f => f.Path)),
        ]), CancellationToken.None);
        var profiling = new Profiling();
        foreach (var name in new[] { "Raven Rock", "Quarry Lake", "Barr End" })
        {
            profiling.Look(RawFields.Of([KeyValuePair.Create("name", Value.Text(name))]));
        }

        await catalogues.SaveProfiles("s", new KeptProfiles("left", DateTimeOffset.UnixEpoch, 3, profiling.Profiles()), CancellationToken.None);
        await services.GetRequiredService<Mirrors>().Save(
            new MirrorDefinition("bench", "Bench", "customer", [new SideDefinition("s", "left"), new SideDefinition("s", "right")],
                [new AgreedFieldDefinition("Name", FieldType.Text, [new SideField("name", true, true, new AsItStands()), new SideField("CustomerName", true, true, new AsItStands())])], [new RecognisingRule("Name")], "Name"),
            null, CancellationToken.None);
    }

    public async ValueTask DisposeAsync()
    {
        var services = product.Factory.Services;
        await services.GetRequiredService<Drafts>().Discard((await services.GetRequiredService<Mirrors>().Find("bench", CancellationToken.None))!.Id, CancellationToken.None);
    }

    private static object Cell(string path, object? conversion = null, bool takes = true) => new { path, gives = true, takes, conversion = conversion ?? new { kind = "asItStands" }, drift = "putBack" };

    private static object Field(string name, object? left, object? right, string rule = "ask") =>
        new { name, type = "text", rule, rank = Array.Empty<string>(), states = Array.Empty<string>(), firstMeeting = "rank", group = (string?)null, emptyTravels = true, cells = new[] { left, right } };

    private static readonly object NameField = Field("Name", Cell("name"), Cell("CustomerName"));

    private async Task<HttpResponseMessage> Save(int step, params object[] fields) =>
        await (await product.Known("administrator")).Client.PutAsJsonAsync(Bench, new { step, what = "An edit", fields });

    private async Task<JsonElement> Read() => await (await product.Known("administrator")).Client.GetFromJsonAsync<JsonElement>(Bench);

    private async Task<JsonElement> Post(string path, object body)
    {
        var answer = await (await product.Known("administrator")).Client.PostAsJsonAsync($"{Bench}/{path}", body);
        answer.StatusCode.ShouldBe(HttpStatusCode.OK, await answer.Content.ReadAsStringAsync());
        return await answer.Content.ReadFromJsonAsync<JsonElement>();
    }

    private static async Task<string> Title(HttpResponseMessage answer) => (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("title").GetString()!;

    [Theory]
    [InlineData("reader")]
    [InlineData("steward")]
    public async Task Only_an_administrator_edits_and_others_look(string role)
    {
        var (client, _) = await product.Known(role);
        (await client.GetAsync(Bench)).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await client.PutAsJsonAsync(Bench, new { step = 0, what = "x", fields = Array.Empty<object>() })).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
        (await client.PostAsync($"{Bench}/publish", null)).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
        (await client.PostAsync($"{Bench}/undo", null)).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
        (await client.DeleteAsync(Bench)).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
    }

    [Fact]
    public async Task An_edit_is_kept_as_it_was_sent_and_what_is_live_stays()
    {
        (await this.Save(0, NameField, Field("Town", Cell("town", new { kind = "formula", toAgreed = "PROPER(value)", toSide = "UPPER(value)" }), Cell("City", new { kind = "codeList", codes = new[] { new[] { "KB", "Kelburn" } } })))).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        var page = await this.Read();
        page.GetProperty("step").GetInt32().ShouldBe(1);
        var cells = page.GetProperty("fields")[1].GetProperty("cells");
        cells[0].GetProperty("conversion").GetProperty("toSide").GetString().ShouldBe("UPPER(value)");
        cells[1].GetProperty("conversion").GetProperty("codes")[0][1].GetString().ShouldBe("Kelburn");
        (await product.Factory.Services.GetRequiredService<Mirrors>().Find("bench", CancellationToken.None))!.Definition.Fields.Length.ShouldBe(1);
        (await this.Save(0, NameField)).StatusCode.ShouldBe(HttpStatusCode.Conflict);
    }

    [Fact]
    public async Task What_can_not_be_kept_is_refused_in_words()
    {
        (await Title(await this.Save(0, Field("", Cell("name"), null)))).ShouldBe("An agreed field has a name of at most 80 characters.");
        (await Title(await this.Save(0, Field("A", Cell("name"), null, rule: "by chance")))).ShouldBe("A: a settling rule or a side is not one that there is.");
        (await Title(await this.Save(0, Field("A", Cell("name", new { kind = "magic" }), null)))).ShouldBe("A: There is no conversion magic.");
        (await Title(await this.Save(0, Field("A", Cell("name", new { kind = "formula", toSide = new string('1', 40_000) }), null)))).ShouldStartWith("A: A formula has at most 32,768 characters");
    }

    [Fact]
    public async Task A_draft_that_can_not_work_is_not_published_and_says_why()
    {
        await this.Save(0, NameField, Field("Code", null, Cell("Code")));
        var (client, _) = await product.Known("administrator");
        var answer = await client.PostAsync($"{Bench}/publish", null);
        answer.StatusCode.ShouldBe(HttpStatusCode.BadRequest);
        (await Title(answer)).ShouldBe("The mirror can't work so: S writes Code itself: it can't be told. Let it give Code only.");
        (await this.Read()).GetProperty("findings")[0].GetProperty("isWrong").GetBoolean().ShouldBeTrue();
    }

    [Fact]
    public async Task A_formula_is_tried_on_the_values_that_are_known()
    {
        var tried = await this.Post("try", new { side = 0, type = "text", cell = Cell("name", new { kind = "formula", toSide = "UPPER(value)" }) });
        (tried.GetProperty("looked").GetInt32(), tried.GetProperty("lossy").GetInt32()).ShouldBe((3, 3));
        tried.GetProperty("trips")[0].GetProperty("back").GetString().ShouldBe(tried.GetProperty("trips")[0].GetProperty("raw").GetString()!.ToUpperInvariant());
        (await this.Post("try", new { side = 0, type = "text", cell = Cell("name", new { kind = "formula", toSide = "UPPER(" }) })).GetProperty("problems")[0].GetString()!.ShouldStartWith("The formula to the side's form: At character");
    }

    [Fact]
    public async Task A_formula_is_found_from_examples_and_nothing_is_guessed()
    {
        var found = await this.Post("learn", new { side = 0, path = "name", examples = new[] { new { value = "Raven Rock", output = "Rock, Raven" }, new { value = "Quarry Lake", output = "Lake, Quarry" } } });
        found.GetProperty("others")[0].GetProperty("output").GetString().ShouldBe("End, Barr");
        var none = await this.Post("learn", new { side = 0, path = "name", examples = new[] { new { value = "Raven Rock", output = "x7" }, new { value = "Quarry Lake", output = "qq!" } } });
        none.GetProperty("formula").ValueKind.ShouldBe(JsonValueKind.Null);
    }

    [Fact]
    public async Task Suggestions_leave_out_what_is_mapped_already()
    {
        var (client, _) = await product.Known("reader");
        var pairs = (await client.GetFromJsonAsync<JsonElement>($"{Bench}/suggestions")).GetProperty("suggestions").EnumerateArray().Select(s => (s.GetProperty("leftPath").GetString(), s.GetProperty("rightPath").GetString())).ToList();
        pairs.ShouldBe([("town", "City"), ("telephone", "Phone")], ignoreOrder: true);
    }
}
