using System.Text.Json;
using Microsoft.AspNetCore.Http;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;

namespace UprightMirror.Connectors.Tests;

/// <summary>Many records in one call: a result for every row, and one bad row costs only itself.</summary>
public class BulkTests
{
    private static readonly BulkSettings ByReference = new("/things/bulk", "rows", 3, "ref", Row: "row", Message: "why", Record: "record");
    private static readonly BulkSettings ByMail = new("/things/upsert", "rows", 3, "mail", Changes: true, Message: "why");

    private static ConnectionSettings Settings(BulkSettings bulk, Paging? paging = null) => new(Collections: new Dictionary<string, CollectionSettings>
    {
        ["things"] = new(Items: "items", Paging: paging, PageSize: 10, ChangedAt: "at", Reference: bulk.Key == "ref" ? "ref" : null, Bulk: bulk),
    });

    private static WriteRequest New(string name, string reference) => new(null, RawFields.Of([KeyValuePair.Create("name", Value.Text(name))]), reference, null);

    private static WriteRequest Change(string id, string tag, params (string Path, string Text)[] fields) =>
        new(id, RawFields.Of(fields.Select(f => KeyValuePair.Create(f.Path, (Value)Value.Text(f.Text)))), null, tag);

    private static async Task<JsonElement> Body(HttpContext context) => (await JsonDocument.ParseAsync(context.Request.Body)).RootElement.GetProperty("rows");

    [Fact]
    public async Task Creations_go_in_one_call_with_our_references_and_each_row_has_its_own_end()
    {
        await using var system = await StandInSystem.Start(async c =>
        {
            var rows = await Body(c);
            rows.EnumerateArray().Select(r => r.GetProperty("ref").GetString()).ShouldBe(["r1", "r2", "r3"]);
            await StandInSystem.Json(c, """
                {"results":[{"row":2,"id":"13","record":{"id":"13","name":"c","at":"2026-03-01T10:00:00Z"}},{"row":0,"id":"11","record":{"id":"11","name":"A","at":"2026-03-01T10:00:00Z"}},{"row":1,"id":null,"why":"name is taken"}]}
                """);
        });
        var connector = system.Rest(Settings(ByReference));
        (await connector.MostAtOnce("things", CancellationToken.None)).ShouldBe(3);

        var answers = await connector.WriteMany("things", [New("a", "r1"), New("b", "r2"), New("c", "r3")], CancellationToken.None);

        answers[0].ShouldBeOfType<WriteAnswer.Stored>().Record!.Fields["name"].Display.ShouldBe("A");
        answers[1].ShouldBe(new WriteAnswer.Refused("name is taken"));
        answers[2].ShouldBeOfType<WriteAnswer.Stored>().Record!.Id.ShouldBe("13");
        system.Calls.Count(c => c.StartsWith("POST", StringComparison.Ordinal)).ShouldBe(1);
    }

    [Fact]
    public async Task What_is_changed_so_is_read_just_before_and_what_moved_or_is_gone_is_not_sent()
    {
        var sent = new List<string>();
        await using var system = await StandInSystem.Start(async c =>
        {
            if (c.Request.Method == "GET")
            {
                await StandInSystem.Json(c, """
                    {"items":[{"id":4,"mail":"a@x.example","name":"a","at":"2026-03-01T10:00:00Z"},{"id":7,"mail":"b@x.example","name":"b","at":"2026-03-01T11:11:11Z"},{"id":8,"mail":"d@x.example","name":"d","at":"2026-03-01T10:00:00Z"}]}
                    """);
                return;
            }

            sent.AddRange((await Body(c)).EnumerateArray().Select(r => r.GetRawText()));
            await StandInSystem.Json(c, """{"results":[{"id":4}]}""");
        });
        var connector = system.Rest(Settings(ByMail, new Paging.IdRange("from", "to", null)));
        const string AsRead = "2026-03-01T10:00:00Z";

        var answers = await connector.WriteMany(
            "things", [Change("4", AsRead, ("name", "new")), Change("7", AsRead, ("name", "new")), Change("9", AsRead, ("name", "new")), Change("8", AsRead, ("mail", "other@x.example"))], CancellationToken.None);

        sent.ShouldBe(["""{"mail":"a@x.example","name":"new"}"""]);
        answers[0].ShouldBeOfType<WriteAnswer.Stored>();
        answers[1].ShouldBeOfType<WriteAnswer.Moved>();
        answers[2].ShouldBeOfType<WriteAnswer.Gone>();
        answers[3].ShouldBeOfType<WriteAnswer.Refused>().Words.ShouldContain("tells records apart by");
        system.Calls.Where(c => c.StartsWith("GET /api/things?", StringComparison.Ordinal)).ShouldBe(["GET /api/things?from=4&to=9", "GET /api/things?from=4&to=4"]);
    }

    [Fact]
    public async Task Two_rows_of_one_key_are_not_sent_as_one_record()
    {
        await using var system = await StandInSystem.Start(c => StandInSystem.Json(c, """{"results":[{"row":0,"id":"1","record":{"id":"1","name":"a"}}]}"""));
        var answers = await system.Rest(Settings(ByReference)).WriteMany("things", [New("a", "same"), New("b", "same")], CancellationToken.None);
        answers[0].ShouldBeOfType<WriteAnswer.Stored>();
        answers[1].ShouldBeOfType<WriteAnswer.Refused>().Words.ShouldContain("\"same\"");
    }

    [Theory]
    [InlineData(503, """{"later":true}""", typeof(WriteAnswer.NotReached))]
    [InlineData(500, "oops", typeof(WriteAnswer.Unknown))]
    [InlineData(400, """{"title":"too many rows"}""", typeof(WriteAnswer.Refused))]
    [InlineData(200, """{"nothing":[]}""", typeof(WriteAnswer.Unknown))]
    [InlineData(200, """{"results":[{"row":0,"id":"1"}]}""", typeof(WriteAnswer.Unknown))]
    [InlineData(200, """{"results":[{"row":77,"id":"1","record":{"id":"1"}}]}""", typeof(WriteAnswer.Unknown))]
    public async Task A_call_that_goes_wrong_leaves_no_row_without_an_end(int status, string body, Type end)
    {
        await using var system = await StandInSystem.Start(async c =>
        {
            c.Response.StatusCode = c.Request.Method == "GET" ? 404 : status;
            await c.Response.WriteAsync(body);
        });
        var answers = await system.Rest(Settings(ByReference) with { TimeoutSeconds = 5 }).WriteMany("things", [New("a", "r1"), New("b", "r2")], CancellationToken.None);
        answers.Count.ShouldBe(2);
        answers.ShouldAllBe(a => a.GetType() == end);
    }
}
