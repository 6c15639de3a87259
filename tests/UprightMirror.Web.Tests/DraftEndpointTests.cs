using System.Collections.Immutable;
using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using Microsoft.Extensions.DependencyInjection;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
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
            "a test", CancellationToken.None);
    }

    public async ValueTask DisposeAsync()
    {
        var services = product.Factory.Services;
        var mirror = (await services.GetRequiredService<Mirrors>().Find("bench", CancellationToken.None))!;
        await services.GetRequiredService<Drafts>().Discard(mirror.Id, CancellationToken.None);

        // What a test's run has read is no sample for the next test, in whatever order they come.
        await using var forget = services.GetRequiredService<Npgsql.NpgsqlDataSource>().CreateCommand($"delete from system_record where mirror_id = {mirror.Id}; delete from link where mirror_id = {mirror.Id}");
        await forget.ExecuteNonQueryAsync();
    }

    private static object Cell(string path, object? conversion = null, bool takes = true) => new { path, gives = true, takes, conversion = conversion ?? new { kind = "asItStands" }, drift = "putBack" };

    private static object Field(string name, object? left, object? right, string rule = "ask") =>
        new { name, type = "text", rule, rank = Array.Empty<string>(), states = Array.Empty<string>(), firstMeeting = "rank", group = (string?)null, emptyTravels = true, cells = new[] { left, right } };

    private static readonly object NameField = Field("Name", Cell("name"), Cell("CustomerName"));

    private async Task<HttpResponseMessage> Save(int step, params object[] fields) =>
        await (await product.Known("administrator")).Client.PutAsJsonAsync(Bench, new { step, what = "An edit", fields });

    /// <summary>A run reads one record and links it.</summary>
    private async Task LinkOne(string name)
    {
        var services = product.Factory.Services;
        var mirror = (await services.GetRequiredService<Mirrors>().Find("bench", CancellationToken.None))!;
        await using var session = (await services.GetRequiredService<IRunSessions>().Begin(mirror, false, "a test", CancellationToken.None))!;
        await session.Store.SaveObserved(0, [new ObservedRecord("1", RawFields.Of([KeyValuePair.Create("name", Value.Text(name))]), null, DateTimeOffset.UnixEpoch, null)], CancellationToken.None);
        await session.Store.SaveLinks([new LinkedAs(Guid.CreateVersion7(), 0, "1", name, "new")], CancellationToken.None);
    }

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
        (await client.PostAsJsonAsync($"{Bench}/publish", new { comment = "because" })).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
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
    public async Task Records_are_known_by_a_name_when_nobody_says_by_what()
    {
        await this.Save(0, NameField);
        var settings = System.Text.Json.Nodes.JsonNode.Parse((await this.Read()).GetProperty("settings").GetRawText())!;
        settings["titleField"] = "";
        var (client, _) = await product.Known("administrator");
        (await client.PutAsJsonAsync(Bench, new { step = 1, what = "An edit", fields = new[] { NameField }, settings })).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await this.Read()).GetProperty("settings").GetProperty("titleField").GetString().ShouldBe("Name");
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
        var answer = await client.PostAsJsonAsync($"{Bench}/publish", new { comment = "because" });
        answer.StatusCode.ShouldBe(HttpStatusCode.BadRequest);
        (await Title(answer)).ShouldBe("The mirror can't work so: S writes Code itself: it can't be told. Let it give Code only.");
        (await this.Read()).GetProperty("findings")[0].GetProperty("isWrong").GetBoolean().ShouldBeTrue();
    }

    [Fact]
    public async Task Times_that_never_come_and_mirrors_that_would_run_after_themselves_are_refused()
    {
        object Timing(string kind, string? calendar = null, string? after = null) => new { kind, calendar, after, timeZone = "Europe/Amsterdam", onEvents = true, onFiles = true };
        var tried = await this.Post("timing", Timing("calendar", "0 7 * * MON-FRI"));
        tried.GetProperty("problems").GetArrayLength().ShouldBe(0);
        tried.GetProperty("words").GetString()!.ShouldStartWith("It runs at 07:00, on Monday to Friday (Europe/Amsterdam)");
        tried.GetProperty("next").GetArrayLength().ShouldBe(5);
        (await this.Post("timing", Timing("calendar", "0 7 31 2 *"))).GetProperty("problems")[0].GetString().ShouldBe("0 7 31 2 * never comes: there is no such day.");
        (await this.Post("timing", Timing("after", after: "bench"))).GetProperty("problems")[0].GetString()!.ShouldContain("after itself");
        (await this.Post("timing", Timing("after", after: "nobody"))).GetProperty("problems")[0].GetString().ShouldBe("There is no mirror nobody to run after.");

        // Kept is only what can be.
        var settings = System.Text.Json.Nodes.JsonNode.Parse((await this.Read()).GetProperty("settings").GetRawText())!;
        settings["timing"] = JsonSerializer.SerializeToNode(Timing("calendar", "0 7 31 2 *"));
        var (client, _) = await product.Known("administrator");
        (await Title(await client.PutAsJsonAsync(Bench, new { step = 0, what = "Time it", fields = new[] { NameField }, settings }))).ShouldContain("never comes");
        settings["timing"] = JsonSerializer.SerializeToNode(Timing("hourly"));
        (await Title(await client.PutAsJsonAsync(Bench, new { step = 0, what = "Time it", fields = new[] { NameField }, settings }))).ShouldBe("Give the time at which it runs.");
    }

    [Fact]
    public async Task A_scope_is_counted_on_real_records_as_conditions_and_as_a_formula()
    {
        await this.LinkOne("Raven Rock");
        var tried = await this.Post("scope", new { side = 0, conditions = new { all = true, rows = new[] { new { path = "name", test = "beginsWith", values = new[] { "Raven" } } } } });
        (tried.GetProperty("looked").GetInt32(), tried.GetProperty("covered").GetInt32()).ShouldBe((1, 1));
        tried.GetProperty("formula").GetString().ShouldBe("LEFT(name; 5) = \"Raven\"");
        tried.GetProperty("in")[0].GetProperty("title").GetString().ShouldBe("Raven Rock");
        tried.GetProperty("seen")[0].GetProperty("values")[0].GetString().ShouldBe("Raven Rock");
        var other = await this.Post("scope", new { side = 0, formula = "name = \"Quarry Lake\"" });
        (other.GetProperty("covered").GetInt32(), other.GetProperty("out").GetArrayLength()).ShouldBe((0, 1));
        other.GetProperty("conditions").GetProperty("rows")[0].GetProperty("test").GetString().ShouldBe("is");
        (await this.Post("scope", new { side = 0, formula = "nam = 1" })).GetProperty("problem").GetString().ShouldBe("left has no field nam. Name one that it has.");
        var (client, _) = await product.Known("administrator");
        (await client.PostAsJsonAsync($"{Bench}/scope", new { side = 7, formula = "name = 1" })).StatusCode.ShouldBe(HttpStatusCode.BadRequest);
    }

    [Fact]
    public async Task What_was_edited_since_it_was_looked_at_is_not_published()
    {
        await this.Save(0, NameField, Field("Town", Cell("name"), null));
        await this.Save(1, NameField);
        var (client, _) = await product.Known("administrator");
        var answer = await client.PostAsJsonAsync($"{Bench}/publish", new { comment = "because", step = 1 });
        answer.StatusCode.ShouldBe(HttpStatusCode.Conflict);
        (await Title(answer)).ShouldStartWith("The draft was edited meanwhile: An edit, by");
        (await Title(await client.PostAsJsonAsync($"{Bench}/publish", new { comment = new string('x', 2001), step = 2 }))).ShouldBe("A comment has at most 2,000 characters.");
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
    public async Task A_field_is_worked_out_of_the_others_for_the_sample_record_and_mistakes_are_told()
    {
        await this.Save(0, NameField, Field("Loud", null, null));
        (await this.Post("worked-out", new { field = "Loud", type = "text", formula = "UPPER(Name)", sample = 1 })).GetProperty("title").ValueKind.ShouldBe(JsonValueKind.Null);
        await this.LinkOne("Raven Rock");
        Task<JsonElement> Tried(string formula) => this.Post("worked-out", new { field = "Loud", type = "text", formula, sample = 1 });
        var good = await Tried("UPPER(Name)");
        (good.GetProperty("title").GetString(), good.GetProperty("value").GetString()).ShouldBe(("Raven Rock", "RAVEN ROCK"));
        good.GetProperty("inWords").GetString().ShouldBe("Name in capitals");
        (await Tried("UPPER(Nme)")).GetProperty("problem").GetString()!.ShouldContain("Nme");
        (await Tried("1/0")).GetProperty("problem").GetString()!.ShouldContain("#DIV/0!");
        (await (await product.Known("administrator")).Client.PostAsJsonAsync($"{Bench}/worked-out", new { field = "Nobody", type = "text", formula = "1", sample = 1 })).StatusCode.ShouldBe(HttpStatusCode.NotFound);
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

    /// <summary>Taken unseen, either would hold every record: a stamp is not among what is read of a record, and a number without its country is no telephone number.</summary>
    [Fact]
    public async Task What_is_kept_about_a_record_is_not_suggested_and_national_numbers_are_not_sure_before_the_country_is_said()
    {
        var (services, client) = (product.Factory.Services, (await product.Known("administrator")).Client);
        var catalogues = services.GetRequiredService<Catalogues>();
        CatalogueField Text(string path) => new(path, "string", true, false, 60);
        await catalogues.Save("s", new Catalogue([
            new CatalogueCollection("left", new[] { Text("name"), Text("telephone"), Text("updatedAt"), Text("country") }.ToImmutableDictionary(f => f.Path)) { Stamps = ["updatedAt"] },
            new CatalogueCollection("right", new[] { Text("CustomerName"), Text("Telephone"), Text("UpdatedAt"), Text("Country") }.ToImmutableDictionary(f => f.Path)) { Stamps = ["UpdatedAt"] },
        ]), CancellationToken.None);
        (await catalogues.Last("s", CancellationToken.None))!.Catalogue["right"]!.Stamps.ShouldBe(["UpdatedAt"]);
        var profiling = new Profiling();
        foreach (var number in new[] { "01314960210", "01314960211", "01314960212" })
        {
            profiling.Look(RawFields.Of([KeyValuePair.Create("CustomerName", Value.Text("x")), KeyValuePair.Create("Telephone", Value.Text(number)), KeyValuePair.Create("Country", Value.Text("GB"))]));
        }

        await catalogues.SaveProfiles("s", new KeptProfiles("right", DateTimeOffset.UnixEpoch, 3, profiling.Profiles()), CancellationToken.None);
        var suggested = (await client.GetFromJsonAsync<JsonElement>($"{Bench}/suggestions")).GetProperty("suggestions").EnumerateArray().ToDictionary(s => s.GetProperty("leftPath").GetString()!);
        suggested.Keys.ShouldNotContain("updatedAt");
        suggested["telephone"].GetProperty("isSure").GetBoolean().ShouldBeFalse();
        suggested["telephone"].GetProperty("why").EnumerateArray().Select(w => w.GetString()).ShouldContain("its numbers are national: say first which field holds the country");
        await services.GetRequiredService<Npgsql.NpgsqlDataSource>().CreateCommand("delete from field_profile where collection = 'right'").ExecuteNonQueryAsync();
    }

    private async Task<HttpResponseMessage> Begin(object mirror) => await (await product.Known("administrator")).Client.PostAsJsonAsync("/api/mirrors", mirror);

    private static object NewMirror(string name, params object[] sides) => new { name, recordType = "customer", sides };

    private static object Side(string collection, string system = "s") => new { system, collection, mayCreate = true };

    [Fact]
    public async Task A_mirror_is_begun_mapped_and_taken_away_and_does_not_run_before_it_is_published()
    {
        var (client, _) = await product.Known("administrator");
        var begun = await this.Begin(NewMirror("Åse's  shops (two)", Side("left"), Side("right")));
        begun.StatusCode.ShouldBe(HttpStatusCode.Created);
        var key = (await begun.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("key").GetString()!;
        key.ShouldBe("se-s-shops-two");
        (await Title(await this.Begin(NewMirror("åse's  SHOPS (two)", Side("left"), Side("right"))))).ShouldStartWith("There is a mirror called");

        (await Title(await client.PostAsync($"/api/mirrors/{key}/runs", null))).ShouldContain("is a draft. Publish it first");
        (await Title(await client.PutAsJsonAsync($"/api/mirrors/{key}/state", new { state = "live" }))).ShouldContain("is a draft. Publish it first");
        (await client.GetFromJsonAsync<JsonElement>($"/api/mirrors/{key}/draft")).GetProperty("findings")[0].GetProperty("words").GetString()!.ShouldStartWith("Nothing is mapped yet.");

        var settings = new { name = "Shops", titleField = "Name", countryField = (string?)null, recognising = new[] { "Name" }, judged = Array.Empty<string>(), sides = new[] { new { mayCreate = true, removal = "ask", constants = Array.Empty<object>() }, new { mayCreate = false, removal = "forgetLink", constants = Array.Empty<object>() } } };
        (await client.PutAsJsonAsync($"/api/mirrors/{key}/draft", new { step = 0, what = "Map the name", fields = new[] { NameField }, settings })).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await client.DeleteAsync("/api/mirrors/bench")).StatusCode.ShouldBe(HttpStatusCode.Conflict);
        (await client.DeleteAsync($"/api/mirrors/{key}")).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await client.GetAsync($"/api/mirrors/{key}")).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }

    [Fact]
    public async Task A_mirror_that_can_not_be_is_refused_in_words()
    {
        (await Title(await this.Begin(NewMirror("One", Side("left"))))).ShouldBe("A mirror has 2 to 5 sides.");
        (await Title(await this.Begin(NewMirror("Twice", Side("left"), Side("left"))))).ShouldBe("Two sides are the same collection of the same system. Choose another one for one of them.");
        (await Title(await this.Begin(NewMirror("Lost", Side("left"), Side("middle"))))).ShouldBe("S has no collection middle. It has left, right.");
        (await Title(await this.Begin(NewMirror("Unknown", Side("left"), Side("x", "nowhere"))))).ShouldBe("There is no system nowhere. Add it under Systems first.");
        (await Title(await this.Begin(NewMirror("  ", Side("left"), Side("right"))))).ShouldStartWith("A mirror has a name of 1 to 80 characters");
        var (reader, _) = await product.Known("steward");
        (await reader.PostAsJsonAsync("/api/mirrors", NewMirror("No", Side("left"), Side("right")))).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
    }

    [Fact]
    public async Task Settings_are_kept_with_the_draft_and_follow_a_field_that_gets_another_name()
    {
        var (client, _) = await product.Known("administrator");
        var before = (await this.Read()).GetProperty("settings");
        before.GetProperty("titleField").GetString().ShouldBe("Name");
        await this.Save(0, Field("Called", Cell("name"), Cell("CustomerName")));
        var after = (await this.Read()).GetProperty("settings");
        after.GetProperty("titleField").GetString().ShouldBe("Called");
        after.GetProperty("recognising")[0].GetString().ShouldBe("Called");

        object With(params object[] constants) => new { name = "Bench", titleField = "Called", countryField = (string?)null, recognising = new[] { "Called" }, judged = Array.Empty<string>(), sides = new object[] { new { mayCreate = true, removal = "ask", constants }, new { mayCreate = true, removal = "ask", constants = Array.Empty<object>() } } };
        async Task<HttpResponseMessage> Put(object settings) => await client.PutAsJsonAsync(Bench, new { step = 1, what = "Constants", fields = new[] { Field("Called", Cell("name"), Cell("CustomerName")) }, settings });
        (await Title(await Put(With(new { path = "town", text = "A" }, new { path = "town", text = "B" })))).ShouldBe("s is given two constants in town. Take one of them out.");
        (await Title(await Put(With(new { path = "town", text = "" })))).ShouldStartWith("A side has at most 100 constants");
        (await Put(With(new { path = "town", text = "Harrowby" }))).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await this.Read()).GetProperty("settings").GetProperty("sides")[0].GetProperty("constants")[0].GetProperty("text").GetString().ShouldBe("Harrowby");
    }

    [Fact]
    public async Task A_shared_code_list_counts_at_once_says_who_uses_it_and_is_not_removed_under_them()
    {
        var (client, _) = await product.Known("administrator");
        const string List = "/api/code-lists/Shop%20kinds";
        (await Title(await client.PutAsJsonAsync(List, new { codes = new[] { new[] { "CL", "Club" }, new[] { "cl", "Shop" } } }))).ShouldStartWith("The code \"CL\" stands in the list 2 times");
        (await Title(await client.PutAsJsonAsync(List, new { codes = new[] { new[] { "CL", "" } } }))).ShouldStartWith("A row of the list has a code without a value");
        (await Title(await client.PutAsJsonAsync(List, new { codes = new[] { new[] { "CL", "Club" } }, unknownToAgreed = new { kind = "value", stand = "" } }))).ShouldBe("Say which value stands for a code that is not in the list.");
        (await client.PutAsJsonAsync(List, new { codes = new[] { new[] { "CL", "Club" } }, unknownToAgreed = new { kind = "value", stand = "Other" } })).StatusCode.ShouldBe(HttpStatusCode.NoContent);

        await this.Save(0, Field("Name", Cell("name", new { kind = "codeList", name = "Shop kinds" }), Cell("CustomerName")));
        (await this.Read()).GetProperty("fields")[0].GetProperty("cells")[0].GetProperty("conversion").GetProperty("codes")[0][1].GetString().ShouldBe("Club");
        await client.PutAsJsonAsync(List, new { codes = new[] { new[] { "CL", "Paddle club" } } });
        (await this.Read()).GetProperty("fields")[0].GetProperty("cells")[0].GetProperty("conversion").GetProperty("codes")[0][1].GetString().ShouldBe("Paddle club");
        (await client.GetFromJsonAsync<JsonElement>("/api/code-lists"))[0].GetProperty("mirrors")[0].GetString().ShouldBe("Bench");
        (await Title(await client.DeleteAsync(List))).ShouldBe("The mirror Bench uses Shop kinds. Give its fields another conversion first.");
        await client.DeleteAsync(Bench);
        (await client.DeleteAsync(List)).StatusCode.ShouldBe(HttpStatusCode.NoContent);
    }

    [Fact]
    public async Task A_refused_suggestion_stays_away_until_it_is_asked_for_again()
    {
        var (client, _) = await product.Known("administrator");
        var pair = new { leftSide = 0, leftPath = "town", rightSide = 1, rightPath = "City" };
        async Task<JsonElement> Suggested() => await client.GetFromJsonAsync<JsonElement>($"{Bench}/suggestions");
        (await client.PostAsJsonAsync($"{Bench}/suggestions/refused", pair)).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await Suggested()).GetProperty("suggestions").EnumerateArray().Select(s => s.GetProperty("leftPath").GetString()).ShouldBe(["telephone"]);
        (await Suggested()).GetProperty("refused")[0].GetProperty("rightPath").GetString().ShouldBe("City");
        (await client.PostAsJsonAsync($"{Bench}/suggestions/again", pair)).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await Suggested()).GetProperty("suggestions").GetArrayLength().ShouldBe(2);
    }

    [Fact]
    public async Task Lines_and_references_are_kept_as_they_were_sent_and_bad_ones_are_refused()
    {
        object Lines(object inner) => new { name = "Lines", type = "lines", rule = "latest", rank = Array.Empty<string>(), states = Array.Empty<string>(), firstMeeting = "rank", emptyTravels = true, cells = new[] { Cell("lines"), Cell("Lines") }, lines = inner };
        object Inner(string type = "number") => new { name = "Quantity", type, rule = "ask", rank = Array.Empty<string>(), states = Array.Empty<string>(), firstMeeting = "rank", emptyTravels = true, cells = new[] { Cell("quantity"), Cell("Quantity") } };
        (await this.Save(0, NameField, Lines(new { key = "Quantity", fields = new[] { Inner() }, total = new { field = "Total", amount = "Quantity * 2", tolerance = 0.01m } }))).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        var kept = (await this.Read()).GetProperty("fields")[1].GetProperty("lines");
        (kept.GetProperty("key").GetString(), kept.GetProperty("fields")[0].GetProperty("cells")[1].GetProperty("path").GetString(), kept.GetProperty("total").GetProperty("tolerance").GetDecimal()).ShouldBe(("Quantity", "Quantity", 0.01m));
        (await Title(await this.Save(1, Lines(new { key = "x", fields = new[] { Inner("lines") } })))).ShouldBe("Lines: Quantity can't hold lines itself: lines have no lines.");
        (await Title(await this.Save(1, Field("Customer", Cell("customer", new { kind = "reference" }), null)))).ShouldBe("Customer: Say of which mirror the record is.");
        (await this.Save(1, Field("Customer", Cell("customer", new { kind = "reference", mirror = "customers" }), null))).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await this.Read()).GetProperty("fields")[0].GetProperty("cells")[0].GetProperty("conversion").GetProperty("mirror").GetString().ShouldBe("customers");
    }

    [Fact]
    public async Task The_functions_are_told_from_the_table_that_the_evaluator_uses()
    {
        var (client, _) = await product.Known("reader");
        var functions = await client.GetFromJsonAsync<JsonElement>("/api/functions");
        functions.EnumerateArray().Select(f => f.GetProperty("name").GetString()).ShouldBe(UprightMirror.Core.Formulas.Functions.FunctionTable.All.Select(f => f.Name));
    }

    [Fact]
    public async Task A_record_of_a_system_that_does_not_answer_is_not_tried_and_says_so()
    {
        var (client, _) = await product.Known("administrator");
        var answer = await client.PostAsJsonAsync($"{Bench}/record", new { sample = 1, find = (string?)null });
        answer.StatusCode.ShouldBe(HttpStatusCode.BadRequest);
        (await Title(answer)).Length.ShouldBeGreaterThan(20);
    }
}
