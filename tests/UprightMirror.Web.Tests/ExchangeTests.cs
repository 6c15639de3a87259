using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Timing;
using UprightMirror.Engine;
using UprightMirror.Engine.Exchange;
using UprightMirror.Storage;

namespace UprightMirror.Web.Tests;

/// <summary>Mirrors leave one workspace as a file and come into another, whose connections have other names.</summary>
[Collection("product")]
public sealed class ExchangeTests(Product product) : IClassFixture<Product>
{
    private static Processes Workspace(string sends, string holds) => new(
        Environment.GetEnvironmentVariable("UPRIGHT_TEST_SERVER") ?? throw new InvalidOperationException("UPRIGHT_TEST_SERVER is not set: run ./test, which starts a PostgreSQL of its own."), "", sends, holds);

    [Fact]
    public async Task What_was_exported_from_one_workspace_runs_in_another_whose_connections_have_other_names()
    {
        string text;
        await using (var one = Workspace("site", "club"))
        {
            await one.Begin();
            await one.BringIn("members", new MirrorTiming(TimingKind.Hourly, At: new TimeOnly(0, 20)));
            text = FileText.Write(MirrorFile.Of([(await one.Mirrors.Find("members", CancellationToken.None))!.Definition], [], key => (key, key == "site" ? "events" : "postgresql")));
        }

        await using var other = Workspace("website", "register");
        await other.Begin();
        await other.Prepare("members");
        var inboxes = new Inboxes(other.Source, other.Protection);
        await inboxes.Put((await inboxes.Of("website", CancellationToken.None)).Single().Id, [new InboxArrival(DateTimeOffset.UtcNow, "JSON", "ada@t.example", DateTimeOffset.UtcNow, null, """{"email":"ada@t.example","name":"Ada","town":"Kelburn"}""", null)], CancellationToken.None);
        await inboxes.WorkThrough(10, DateTimeOffset.UtcNow, CancellationToken.None);

        var (connections, catalogues) = (new KeptConnections(other.Source, other.Protection), new Catalogues(other.Source, TimeProvider.System));
        var systems = new Systems(connections, new KeptCalls(other.Source), new Outside(TimeProvider.System, new SharedCallBudget(new CallTurns(other.Source))) { Received = new ReceivedRecords(inboxes) });
        foreach (var system in new[] { "website", "register" })
        {
            await new Surveying(systems, catalogues, TimeProvider.System).Survey(system, _ => { }, CancellationToken.None);
        }

        var file = FileText.Read(text).File!;
        var drafts = new Drafts(other.Source, TimeProvider.System);
        var importing = new Importing(other.Mirrors, drafts, new CodeLists(other.Source), connections, catalogues, TimeProvider.System);
        (await importing.Match(file, CancellationToken.None)).Select(m => $"{m.System} is {m.Guess?.System}, {m.Guess?.Missing.Length} missing").ShouldBe(["club is register, 0 missing", "site is website, 0 missing"]);

        // Nothing happens by guess: a person says it, and says it of each.
        (await importing.Import(file, new Dictionary<string, string> { ["site"] = "website" }, "a test", CancellationToken.None)).ShouldHaveSingleItem().ShouldBe("Say which connection club (club) is here.");
        (await importing.Import(file, new Dictionary<string, string> { ["site"] = "register", ["club"] = "register" }, "a test", CancellationToken.None)).ShouldHaveSingleItem().ShouldStartWith("site was reached by events, and register is by postgresql");
        (await importing.Import(file, new Dictionary<string, string> { ["site"] = "", ["club"] = "register" }, "a test", CancellationToken.None)).ShouldHaveSingleItem().ShouldEndWith("would have one side: a mirror has two or more.");
        (await other.Mirrors.All(CancellationToken.None)).ShouldBeEmpty();

        var said = new Dictionary<string, string> { ["site"] = "website", ["club"] = "register" };
        (await importing.Import(file, said, "a test", CancellationToken.None)).ShouldBeEmpty();
        (await importing.Import(file, said, "a test", CancellationToken.None)).ShouldHaveSingleItem().ShouldStartWith("There is a mirror members (members) here already.");
        var draft = (await other.Mirrors.Find("members", CancellationToken.None))!;
        (draft.State, draft.Version, (await drafts.Of(draft, CancellationToken.None)).Definition.Timing.Kind).ShouldBe(("draft", 0, TimingKind.Hourly));

        (await drafts.Publish(draft, await drafts.Of(draft, CancellationToken.None), "From the other workspace", "a test", CancellationToken.None)).ShouldBeTrue();
        var runner = new MirrorRunner(new RunSessions(other.Source, new RunBook(other.Source, TimeProvider.System), TimeProvider.System), systems, other.Mirrors, TimeProvider.System);
        var report = await runner.Run((await other.Mirrors.Find("members", CancellationToken.None))!, false, "a test", null, CancellationToken.None);
        (report!.State, report.Reason).ShouldBe(("finished", null));
        (await other.Table("members")).ShouldBe("ada@t.example Ada Kelburn");
    }

    [Fact]
    public async Task Only_administrators_take_files_out_and_in_and_mistakes_are_told_by_line()
    {
        foreach (var role in new[] { "reader", "steward" })
        {
            (await (await product.Known(role)).Client.GetAsync("/api/mirrors/file")).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
            (await (await product.Known(role)).Client.PostAsJsonAsync("/api/mirrors/file", new { text = "" })).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
        }

        var (client, _) = await product.Known("administrator");
        var looked = await (await client.PostAsJsonAsync("/api/mirrors/file/look", new { text = "form: 1\nsystems: {}\ncodeLists: {}\nmirrors:\n  - key: a\n    nonsense: 1\n" })).Content.ReadFromJsonAsync<JsonElement>();
        looked.GetProperty("problems").EnumerateArray().Select(p => $"{p.GetProperty("line")} {p.GetProperty("words").GetString()}").ShouldContain("6 nonsense is not known here");
        (await client.PostAsJsonAsync("/api/mirrors/file", new { text = "form: 7" })).StatusCode.ShouldBe(HttpStatusCode.BadRequest);
        (await client.GetAsync("/api/mirrors/file?mirror=nobody")).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        var templates = (await client.GetFromJsonAsync<JsonElement>("/api/mirrors/templates")).EnumerateArray().Select(t => t.GetProperty("key").GetString()!).ToList();
        templates.ShouldBe(Templates.All.Select(t => t.Key));
        (await client.GetStringAsync("/api/mirrors/templates/people")).ShouldBe(Templates.All.Single(t => t.Key == "people").Text);
        (await client.GetAsync("/api/mirrors/templates/nothing")).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        (await client.GetStringAsync("/api/mirrors/file/schema")).ShouldBe(FileSchema.Document().ToJsonString());
    }
}
