using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using Microsoft.Extensions.DependencyInjection;
using Npgsql;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Engine.Checks;
using UprightMirror.Storage;

namespace UprightMirror.Web.Tests;

/// <summary>Follow-up checks over what is remembered: what they flag, what hangs on it, what people say of it, and when they are looked at.</summary>
[Collection("product")]
public sealed class CheckTests(Product product) : IClassFixture<Product>
{
    private static int counter;

    private readonly string firms = $"firms-{Interlocked.Increment(ref counter)}";
    private string People => $"people-of-{this.firms}";
    private string Deals => $"deals-of-{this.firms}";
    private readonly Dictionary<string, Guid> links = [];
    private HttpClient client = null!;

    private static SideField Cell(string path, Conversion? conversion = null, bool moves = false) => new(path, moves, moves, conversion ?? new AsItStands());

    private Mirrors Mirrors => product.Factory.Services.GetRequiredService<Mirrors>();

    private async Task Hold(int mirror, int side, string id, string? link, params (string Path, string Text)[] fields)
    {
        if (link is not null && this.links.TryAdd(link, Guid.CreateVersion7()))
        {
            await product.Do("insert into link (mirror_id, id, title, search) values (@mirror, @link, @title, '')", ("mirror", mirror), ("link", this.links[link]), ("title", link));
        }

        await product.Hold(mirror, side, id, link is null ? null : this.links[link], fields);
    }

    private int people;

    /// <summary>Two firms with one name; Aoife works at the same one in both systems, Tomasz does not, Hanne is known to one system only. Tomasz has three deals: one is open, one is open and linked with nothing, one is lost.</summary>
    private async Task Begin()
    {
        (this.client, _) = await product.Known("administrator");
        var firm = await product.Save(new MirrorDefinition(this.firms, this.firms, "firm", [new SideDefinition("t", "firms"), new SideDefinition("u", "firms")], [new AgreedFieldDefinition("Name", FieldType.Text, [Cell("n", moves: true), Cell("n", moves: true)])], [new RecognisingRule("Name")], "Name"));
        this.people = await product.Save(new MirrorDefinition(
            this.People, this.People, "person", [new SideDefinition("t", "people"), new SideDefinition("u", "people")],
            [new AgreedFieldDefinition("Name", FieldType.Text, [Cell("n", moves: true), Cell("n", moves: true)]), new AgreedFieldDefinition("E-mail", FieldType.Email, [Cell("e"), Cell("e")]), new AgreedFieldDefinition("Company", FieldType.Reference, [Cell("at", new ReferenceTo(this.firms)), Cell("firm", new ReferenceTo(this.firms))])],
            [new RecognisingRule("Name")], "Name"));
        var deal = await product.Save(new MirrorDefinition(
            this.Deals, this.Deals, "deal", [new SideDefinition("t", "deals"), new SideDefinition("u", "orders")],
            [new AgreedFieldDefinition("Title", FieldType.Text, [Cell("title", moves: true), Cell("title", moves: true)]), new AgreedFieldDefinition("Person", FieldType.Reference, [Cell("person", new ReferenceTo(this.People)), null]), new AgreedFieldDefinition("Stage", FieldType.Text, [Cell("stage"), null])],
            [new RecognisingRule("Title")], "Title"));
        foreach (var (side, id, link) in new[] { (0, "c1", "Brae Hire"), (1, "1", "Brae Hire"), (0, "c2", "Brae Hire, Kelburn"), (1, "2", "Brae Hire, Kelburn") })
        {
            await this.Hold(firm, side, id, link, ("n", "Brae Hire"));
        }

        await this.Hold(this.people, 0, "p1", "Aoife", ("n", "Aoife"), ("at", "c1"));
        await this.Hold(this.people, 1, "11", "Aoife", ("n", "Aoife"), ("firm", "1"));
        await this.Hold(this.people, 0, "p2", "Tomasz", ("n", "Tomasz"), ("at", "c1"), ("e", "tomasz@brae.example"));
        await this.Hold(this.people, 1, "12", "Tomasz", ("n", "Tomasz"), ("firm", "2"), ("e", "wier@club.example"));
        await this.Hold(this.people, 0, "p3", "Hanne", ("n", "Hanne"), ("at", "c2"));
        await this.Hold(deal, 0, "d1", "Spring fleet", ("title", "Spring fleet"), ("person", "p2"), ("stage", "Quoted"));
        await this.Hold(deal, 0, "d2", null, ("title", "Hire season"), ("person", "p2"), ("stage", "New"));
        await this.Hold(deal, 0, "d3", "Old boats", ("title", "Old boats"), ("person", "p2"), ("stage", "Lost"));
        await this.Hold(deal, 0, "d4", "School package", ("title", "School package"), ("person", "p1"), ("stage", "New"));
    }

    private object Form(string name = "Another company", string condition = "[t.Company] <> [u.Company]", string when = "afterRuns", bool hangs = true, string? at = null) => new
    {
        name,
        condition,
        when,
        at,
        day = (int?)null,
        calendar = (string?)null,
        timeZone = "UTC",
        hangingMirror = hangs ? this.Deals : null,
        hangingBy = hangs ? "t.Person" : null,
        hangingOnly = hangs ? "OR([t.Stage] = \"New\"; [t.Stage] = \"Quoted\")" : null,
    };

    private async Task<long> Make(object? form = null)
    {
        var made = await this.client.PostAsJsonAsync($"/api/mirrors/{this.People}/checks", form ?? this.Form());
        made.StatusCode.ShouldBe(HttpStatusCode.OK, await made.Content.ReadAsStringAsync());
        return (await made.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("id").GetInt64();
    }

    private async Task<List<JsonElement>> Flags(long id, HttpClient? who = null) =>
        [.. (await (who ?? this.client).GetFromJsonAsync<JsonElement>($"/api/mirrors/{this.People}/checks/{id}/flags")).GetProperty("rows").EnumerateArray()];

    private async Task<JsonElement> Check(long id) =>
        (await this.client.GetFromJsonAsync<JsonElement>($"/api/mirrors/{this.People}/checks")).GetProperty("checks").EnumerateArray().Single(c => c.GetProperty("id").GetInt64() == id);

    private async Task<HttpStatusCode> Post(string path, object? body = null) => (await this.client.PostAsJsonAsync($"/api/mirrors/{this.People}/checks/{path}", body)).StatusCode;

    [Fact]
    public async Task A_check_flags_what_its_condition_is_true_of_and_lists_what_hangs_on_it()
    {
        await this.Begin();
        var id = await this.Make();

        var flag = (await this.Flags(id)).ShouldHaveSingleItem();
        flag.GetProperty("title").GetString().ShouldBe("Tomasz");
        flag.GetProperty("says").EnumerateArray().Select(s => $"{s.GetProperty("field").GetString()} {s.GetProperty("system").GetString()} {s.GetProperty("value").GetString()}").ShouldBe(["Company t Brae Hire", "Company u Brae Hire, Kelburn"]);
        flag.GetProperty("hangingCount").GetInt32().ShouldBe(2);
        flag.GetProperty("hanging").EnumerateArray().Select(h => (h.GetProperty("title").GetString(), h.GetProperty("link").ValueKind == JsonValueKind.Null)).ShouldBe([("Spring fleet", false), ("Hire season", true)], ignoreOrder: true);
        var check = await this.Check(id);
        (check.GetProperty("looked").GetInt32(), check.GetProperty("flagged").GetInt32(), check.GetProperty("untold").GetInt32()).ShouldBe((3, 1, 0));

        (await this.client.GetFromJsonAsync<JsonElement>("/api/today")).GetProperty("needs").EnumerateArray().Single(n => n.GetProperty("address").GetString() == $"/mirrors/{this.People}/checks?check={id}").GetProperty("text").GetString().ShouldBe($" of {this.People} is flagged: Another company");
        (await this.client.GetFromJsonAsync<JsonElement>($"/api/records/{this.links["Tomasz"]}/flags")).GetProperty("rows").GetArrayLength().ShouldBe(1);
        (await this.client.GetFromJsonAsync<JsonElement>($"/api/records/{this.links["Aoife"]}/flags")).GetProperty("rows").GetArrayLength().ShouldBe(0);
        (await this.Mirrors.FlagsOf((await this.Mirrors.Find(this.People, CancellationToken.None))!.Definition, [.. this.links.Values], CancellationToken.None)).ShouldHaveSingleItem().Value.ShouldBe(["Another company"]);
    }

    [Fact]
    public async Task What_a_person_says_is_fine_stays_so_until_it_says_something_else()
    {
        await this.Begin();
        var id = await this.Make();
        (await this.Post($"{id}/flags/{this.links["Tomasz"]}/fine", new { isFine = true })).ShouldBe(HttpStatusCode.NoContent);
        (await this.Post($"{id}/flags/{this.links["Aoife"]}/fine", new { isFine = true })).ShouldBe(HttpStatusCode.NotFound);
        await this.Post($"{id}/look");
        (await this.Flags(id)).ShouldHaveSingleItem().GetProperty("fineBy").GetString().ShouldNotBeNull();
        (await this.Check(id)).GetProperty("flagged").GetInt32().ShouldBe(0);
        (await this.Mirrors.FlagsOf((await this.Mirrors.Find(this.People, CancellationToken.None))!.Definition, [.. this.links.Values], CancellationToken.None)).ShouldBeEmpty();

        await this.Hold(this.people, 0, "p2", "Tomasz", ("n", "Tomasz"), ("at", ""));
        await this.Post($"{id}/look");
        (await this.Flags(id)).ShouldHaveSingleItem().GetProperty("fineBy").ValueKind.ShouldBe(JsonValueKind.Null);

        await this.Hold(this.people, 0, "p2", "Tomasz", ("n", "Tomasz"), ("at", "c2"));
        await this.Post($"{id}/look");
        (await this.Flags(id)).ShouldBeEmpty();

        (await this.client.GetFromJsonAsync<JsonElement>($"/api/records/{this.links["Tomasz"]}")).GetProperty("timeline").EnumerateArray().Select(e => $"{e.GetProperty("kind").GetString()}: {e.GetProperty("why").GetString()}")
            .ShouldBe(["unflagged: Another company", "flagged: Another company", "unflagged: Another company: fine as it is", "flagged: Another company"]);
    }

    [Fact]
    public async Task A_check_that_cannot_be_looked_at_any_more_says_why_and_keeps_what_it_flagged()
    {
        await this.Begin();
        var id = await this.Make();
        var mirror = (await this.Mirrors.Find(this.People, CancellationToken.None))!;
        await product.Save(mirror.Definition with { Fields = [.. mirror.Definition.Fields.Select(f => f.Name == "Company" ? f with { Name = "Employer" } : f)] });
        await this.Post($"{id}/look");
        (await this.Check(id)).GetProperty("problem").GetString()!.ShouldContain("t.Company");
        (await this.Flags(id)).Count.ShouldBe(1);
        (await this.client.PutAsJsonAsync($"/api/mirrors/{this.People}/checks/{id}", this.Form(condition: "[t.Employer] <> [u.Employer]"))).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await this.Check(id)).GetProperty("problem").ValueKind.ShouldBe(JsonValueKind.Null);
        (await this.Flags(id)).Count.ShouldBe(1);
    }

    [Fact]
    public async Task Whoever_asks_for_flags_is_worked_out_anew_when_one_comes_or_goes_whatever_made_it()
    {
        await this.Begin();
        async Task<Guid[]> Due()
        {
            await using var command = product.Factory.Services.GetRequiredService<NpgsqlDataSource>().CreateCommand("with due as (delete from link_due where mirror_id = @mirror returning link_id) select coalesce(array_agg(distinct link_id), '{}') from due");
            command.Parameters.AddWithValue("mirror", this.people);
            return (Guid[])(await command.ExecuteScalarAsync())!;
        }

        var (id, tomasz) = (await this.Make(), this.links["Tomasz"]);
        (await Due()).ShouldBe([tomasz]);
        await this.Post($"{id}/look");
        (await Due()).ShouldBeEmpty("it says the same");
        await this.Post($"{id}/flags/{tomasz}/fine", new { isFine = true });
        (await Due()).ShouldBe([tomasz]);
        foreach (var form in new[] { this.Form(name: "Elsewhere"), this.Form(name: "Elsewhere", condition: "[t.Company] = 1") })
        {
            (await this.client.PutAsJsonAsync($"/api/mirrors/{this.People}/checks/{id}", form)).StatusCode.ShouldBe(HttpStatusCode.OK);
            (await Due()).ShouldBe([tomasz]);
        }

        (await this.Flags(id)).ShouldBeEmpty();
        await this.client.PutAsJsonAsync($"/api/mirrors/{this.People}/checks/{id}", this.Form());
        await Due();
        await this.client.DeleteAsync($"/api/mirrors/{this.People}/checks/{id}");
        (await Due()).ShouldBe([tomasz]);
    }

    [Fact]
    public async Task What_cannot_be_told_is_counted_and_a_reader_is_not_told_of_whom()
    {
        await this.Begin();
        await this.Hold(this.people, 1, "12", "Tomasz", ("n", "Tomasz"), ("firm", "404"));
        var check = await this.Check(await this.Make());
        (check.GetProperty("untold").GetInt32(), check.GetProperty("flagged").GetInt32()).ShouldBe((1, 0));
        check.GetProperty("untoldWhy").GetString()!.ShouldContain("\"404\"");
        check.GetProperty("untoldWhy").GetString()!.ShouldNotContain("Tomasz");
    }

    [Fact]
    public async Task It_is_looked_at_after_runs_and_at_its_times_by_one_process_alone()
    {
        await this.Begin();
        var id = await this.Make(this.Form(hangs: false));
        var services = product.Factory.Services;
        var (checking, store) = (services.GetRequiredService<Checking>(), services.GetRequiredService<FollowUpChecks>());
        var before = (await store.Of(this.people, CancellationToken.None)).Single();
        before.LookedAt.ShouldNotBeNull();
        await product.Do("update follow_up_check set looked_at = now() - interval '1 hour' where id = @id", ("id", id));
        await checking.LookAtDue(CancellationToken.None);
        (await store.Of(this.people, CancellationToken.None)).Single().LookedAt!.Value.ShouldBeLessThan(DateTimeOffset.UtcNow.AddMinutes(-50), "no run has ended since");

        await product.Do("insert into run (mirror_id, rehearsal, state, started_by, started_at, ended_at) values (@mirror, false, 'finished', 'a test', now(), now())", ("mirror", this.people));
        await checking.LookAtDue(CancellationToken.None);
        var after = (await store.Of(this.people, CancellationToken.None)).Single();
        after.LookedAt!.Value.ShouldBeGreaterThan(DateTimeOffset.UtcNow.AddMinutes(-1));
        (await checking.Look(before, (await this.Mirrors.Find(this.People, CancellationToken.None))!, CancellationToken.None)).ShouldBeNull("another looked at it meanwhile");

        (await this.client.PutAsJsonAsync($"/api/mirrors/{this.People}/checks/{id}", this.Form(hangs: false, when: "hourly", at: "00:17"))).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await this.Check(id)).GetProperty("inWords").GetString().ShouldBe("every hour, at minute 17");
        await product.Do("update follow_up_check set looked_at = now() - interval '2 hours' where id = @id", ("id", id));
        await checking.LookAtDue(CancellationToken.None);
        (await store.Of(this.people, CancellationToken.None)).Single().LookedAt!.Value.ShouldBeGreaterThan(DateTimeOffset.UtcNow.AddMinutes(-1));
    }

    [Fact]
    public async Task One_whose_process_ended_while_it_looked_is_looked_at_again_and_nobody_looks_beside_another()
    {
        await this.Begin();
        var id = await this.Make(this.Form(hangs: false));
        var services = product.Factory.Services;
        var (checking, store, mirror) = (services.GetRequiredService<Checking>(), services.GetRequiredService<FollowUpChecks>(), (await this.Mirrors.Find(this.People, CancellationToken.None))!);
        async Task<KeptCheck> Kept() => (await store.Of(this.people, CancellationToken.None)).Single();
        var before = await Kept();

        // Another process looks at it, and is gone before it has kept anything.
        (await store.Claim(before, DateTimeOffset.UtcNow, CancellationToken.None)).ShouldBeTrue();
        (await checking.Look(before, mirror, CancellationToken.None)).ShouldBeNull();
        (await this.Post($"{id}/look")).ShouldBe(HttpStatusCode.Conflict);
        (await Kept()).LookedAt.ShouldBe(before.LookedAt, "it was not looked at");
        await product.Do("update follow_up_check set looking_until = now() - interval '1 second' where id = @id", ("id", id));
        (await this.Post($"{id}/look")).ShouldBe(HttpStatusCode.NoContent);
        (await Kept()).LookedAt!.Value.ShouldBeGreaterThan(before.LookedAt!.Value);

        // One that is told to end lets go of it.
        var now = await Kept();
        using var ending = new CancellationTokenSource();
        await Should.ThrowAsync<OperationCanceledException>(() => new Checking(new EndsWhileReading(store, ending), this.Mirrors, services.GetRequiredService<IConnections>(), TimeProvider.System).Look(now, mirror, ending.Token));
        (await Kept()).LookedAt.ShouldBe(now.LookedAt);
        (await this.Post($"{id}/look")).ShouldBe(HttpStatusCode.NoContent);
    }

    /// <summary>The process is told to end while it reads.</summary>
    private sealed class EndsWhileReading(FollowUpChecks checks, CancellationTokenSource ending) : IFollowUpChecks
    {
        public Task<IReadOnlyList<KeptCheck>> All(CancellationToken cancellation) => checks.All(cancellation);

        public Task<DateTimeOffset?> LastRun(IReadOnlyCollection<string> mirrors, CancellationToken cancellation) => checks.LastRun(mirrors, cancellation);

        public Task<bool> Claim(KeptCheck check, DateTimeOffset now, CancellationToken cancellation) => checks.Claim(check, now, cancellation);

        public Task Release(KeptCheck check, CancellationToken cancellation) => checks.Release(check, cancellation);

        public async Task<IReadOnlyList<LinkedRecord>> Records(KeptMirror mirror, Guid after, int count, CancellationToken cancellation)
        {
            await ending.CancelAsync();
            return await checks.Records(mirror, after, count, cancellation);
        }

        public Task<IReadOnlyList<KnownRecord>> Unlinked(KeptMirror mirror, int side, string after, int count, CancellationToken cancellation) => checks.Unlinked(mirror, side, after, count, cancellation);

        public Task<int> Save(KeptCheck check, CheckLooked looked, IReadOnlyList<FoundRecord> found, DateTimeOffset now, CancellationToken cancellation) => checks.Save(check, looked, found, now, cancellation);
    }

    [Fact]
    public async Task A_condition_is_tried_before_it_is_kept_and_one_that_cannot_be_used_is_refused()
    {
        await this.Begin();
        var tried = await (await this.client.PostAsJsonAsync($"/api/mirrors/{this.People}/checks/try", this.Form(name: ""))).Content.ReadFromJsonAsync<JsonElement>();
        (tried.GetProperty("looked").GetInt32(), tried.GetProperty("count").GetInt32()).ShouldBe((3, 1));
        (await this.client.GetFromJsonAsync<JsonElement>($"/api/mirrors/{this.People}/checks")).GetProperty("checks").GetArrayLength().ShouldBe(0);
        foreach (var form in new[] { this.Form(condition: "[t.Nothing] = 1"), this.Form(condition: ""), this.Form(name: ""), this.Form(when: "sometimes"), this.Form(when: "daily", at: "25:99"), this.Form(name: new string('x', 90)) })
        {
            (await this.client.PostAsJsonAsync($"/api/mirrors/{this.People}/checks", form)).StatusCode.ShouldBe(HttpStatusCode.BadRequest, form.ToString());
        }

        await this.Make();
        (await this.client.PostAsJsonAsync($"/api/mirrors/{this.People}/checks", this.Form(name: "another COMPANY"))).StatusCode.ShouldBe(HttpStatusCode.BadRequest);
        (await this.client.PutAsJsonAsync($"/api/mirrors/{this.People}/checks/999999", this.Form(name: "Other"))).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }

    [Fact]
    public async Task A_reader_sees_flags_without_personal_values_and_says_nothing_of_them()
    {
        await this.Begin();
        var id = await this.Make(this.Form(condition: "[t.E-mail] <> [u.E-mail]", hangs: false));
        (await this.Flags(id)).ShouldHaveSingleItem().GetRawText().ShouldContain("tomasz@brae.example");
        var (reader, _) = await product.Known("reader");
        (await this.Flags(id, reader)).ShouldHaveSingleItem().GetRawText().ShouldNotContain("brae.example");
        (await reader.PostAsJsonAsync($"/api/mirrors/{this.People}/checks/{id}/flags/{this.links["Tomasz"]}/fine", new { isFine = true })).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
        (await this.client.DeleteAsync($"/api/mirrors/{this.People}/checks/{id}")).StatusCode.ShouldBe(HttpStatusCode.NoContent);
        (await this.client.GetAsync($"/api/mirrors/{this.People}/checks/{id}/flags")).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }
}
