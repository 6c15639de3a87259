using Microsoft.AspNetCore.Http;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Connectors.Tests;

public class ReadingTests
{
    private static async Task<List<ObservedRecord>> All(ISystemConnector connector, string collection, DateTimeOffset? since = null) =>
        await connector.ReadChanged(collection, since, null, CancellationToken.None).SelectMany(p => p).ToListAsync();

    [Fact]
    public async Task A_description_that_changed_is_known_to_the_next_who_asks()
    {
        await using var system = await StandInSystem.Start(context => StandInSystem.Json(context, """{"items":[]}"""));
        var connector = system.Rest();
        (await connector.Describe("things", CancellationToken.None)).Fields.Keys.ShouldContain("name");
        system.DescribedBy = StandInSystem.Description.Replace("\"name\":{", "\"title\":{", StringComparison.Ordinal);
        (await connector.Describe("things", CancellationToken.None)).Fields.Keys.ShouldNotContain("name");
        (await connector.ReadCatalogue(CancellationToken.None))["things"]!.Fields.Keys.ShouldContain("title");
    }

    [Fact]
    public async Task Every_page_is_read_and_the_question_names_the_time_and_the_cursor()
    {
        await using var system = await StandInSystem.Start(c => StandInSystem.Json(c, c.Request.Query["cursor"] == "next"
            ? """{"items":[{"id":"2","name":"b","at":"2026-03-01T10:00:00Z","who":"Ida","tag":"\"v2\"","address":{"town":"Weir"}}]}"""
            : """{"items":[{"id":"1","name":"a"}],"nextCursor":"next"}"""));
        var connector = system.Rest(new ConnectionSettings(Collections: new Dictionary<string, CollectionSettings>
        {
            ["things"] = new(ChangedSinceParameter: "since", ChangedAt: "at", ChangedBy: "who", VersionTag: "tag"),
        }));

        var records = await All(connector, "things", new DateTimeOffset(2026, 3, 1, 9, 0, 0, TimeSpan.Zero));

        records.Select(r => r.Id).ShouldBe(["1", "2"]);
        records[1].VersionTag.ShouldBe("\"v2\"");
        records[1].ChangedBy.ShouldBe("Ida");
        records[1].Fields["address.town"].Display.ShouldBe("Weir");
        records[1].Fields.Paths.ShouldNotContain("tag");
        system.Calls.Where(c => c.Contains("/api", StringComparison.Ordinal)).ShouldBe(["GET /api/things?since=2026-03-01T09:00:00Z", "GET /api/things?since=2026-03-01T09:00:00Z&cursor=next"]);
    }

    [Fact]
    public async Task The_description_tells_fields_lengths_and_what_is_required()
    {
        await using var system = await StandInSystem.Start(c => StandInSystem.Json(c, "{}"));
        var things = await system.Rest().Describe("things", CancellationToken.None);
        things.Fields["name"].ShouldBe(new Core.Catalogues.CatalogueField("name", "string", true, false, 20));
        things.Fields["address.town"].Required.ShouldBeFalse();
        things.Fields["id"].ReadOnly.ShouldBeTrue();
        var sets = await system.OData().Describe("Things", CancellationToken.None);
        sets.Fields["No"].Required.ShouldBeTrue();
        sets.Fields["Name"].MaxLength.ShouldBe(9);
        (await Should.ThrowAsync<SystemFault>(() => system.OData().Describe("Nothing", CancellationToken.None))).Message.ShouldBe("Stand-in has no entity set Nothing. It has Things.");
    }

    [Fact]
    public async Task A_token_that_was_ended_early_is_renewed_once()
    {
        var tokens = 0;
        await using var system = await StandInSystem.Start(c =>
        {
            if (c.Request.Path == "/token")
            {
                return StandInSystem.Json(c, $$"""{"access_token":"t{{Interlocked.Increment(ref tokens)}}","expires_in":600}""");
            }

            return c.Request.Headers.Authorization == "Bearer t2" ? StandInSystem.Json(c, """{"items":[{"id":"1"}]}""") : StandInSystem.Json(c, "", 401);
        });
        var connector = system.Rest(new ConnectionSettings(new SignInSettings("clientCredentials")), new() { ["clientId"] = "i", ["clientSecret"] = "s" });
        (await All(connector, "things")).Count.ShouldBe(1);
        (await All(connector, "things")).Count.ShouldBe(1);
        tokens.ShouldBe(2);
    }

    [Fact]
    public async Task OData_goes_on_by_next_links_of_the_same_system_only()
    {
        await using var system = await StandInSystem.Start(c => StandInSystem.Json(c, c.Request.QueryString.Value!.Contains("skiptoken", StringComparison.Ordinal)
            ? """{"value":[{"@odata.etag":"W/\"2\"","No":"2"}],"@odata.nextLink":"http://elsewhere.example/odata/Things"}"""
            : """{"value":[{"@odata.etag":"W/\"1\"","No":"1"}],"@odata.nextLink":"Things?$skiptoken=1"}"""));
        var read = new List<string>();
        var fault = await Should.ThrowAsync<SystemFault>(async () =>
        {
            await foreach (var page in system.OData().ReadChanged("Things", null, null, CancellationToken.None))
            {
                read.AddRange(page.Select(r => $"{r.Id} {r.VersionTag}"));
            }
        });
        read.ShouldBe(["1 W/\"1\"", "2 W/\"2\""]);
        fault.Message.ShouldContain("elsewhere.example").ShouldContain("credentials never go elsewhere");
    }

    [Fact]
    public async Task OData_writes_with_the_tag_that_was_read_and_quotes_keys()
    {
        string? sent = null;
        await using var system = await StandInSystem.Start(async c =>
        {
            sent = $"{c.Request.Method} {c.Request.Headers.IfMatch} {await new StreamReader(c.Request.Body).ReadToEndAsync()}";
            await StandInSystem.Json(c, """{"@odata.etag":"W/\"2\"","No":"O'Neil","Name":"STORED"}""");
        });
        var answer = await system.OData().Write("Things", new WriteRequest("O'Neil", RawFields.Of([KeyValuePair.Create("Name", Value.Text("stored"))]), null, "W/\"1\""), CancellationToken.None);
        sent.ShouldBe("PATCH W/\"1\" {\"Name\":\"stored\"}");
        system.Calls.ShouldContain("PATCH /odata/Things('O''Neil')");
        answer.ShouldBeOfType<WriteAnswer.Stored>().Record!.Fields["Name"].Display.ShouldBe("STORED");
    }

    [Fact]
    public async Task The_calls_of_one_second_stay_within_the_systems_limit()
    {
        var times = new List<long>();
        await using var system = await StandInSystem.Start(c =>
        {
            lock (times)
            {
                times.Add(TimeProvider.System.GetTimestamp());
            }

            return StandInSystem.Json(c, """{"id":"1"}""");
        });
        var connector = system.Rest(new ConnectionSettings(CallsPerSecond: 20, CallsAtOnce: 8));
        await Task.WhenAll(Enumerable.Range(0, 45).Select(n => connector.ReadOne("things", "1", CancellationToken.None)));
        var within = times.Select(from => times.Count(t => t >= from && TimeProvider.System.GetElapsedTime(from, t) < TimeSpan.FromSeconds(1))).Max();
        within.ShouldBeLessThanOrEqualTo(21);
    }
}
