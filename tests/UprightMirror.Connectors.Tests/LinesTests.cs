using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;

namespace UprightMirror.Connectors.Tests;

/// <summary>Records with lines, over both protocols: described, read with the record, written with it, and never lost because an answer leaves them out.</summary>
public class LinesTests
{
    private const string Metadata = """
        <?xml version="1.0"?><edmx:Edmx Version="4.0" xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx"><edmx:DataServices><Schema Namespace="N" xmlns="http://docs.oasis-open.org/odata/ns/edm">
        <EntityType Name="L"><Key><PropertyRef Name="LineNo"/></Key><Property Name="LineNo" Type="Edm.Int32" Nullable="false"/><Property Name="ItemNo" Type="Edm.String" MaxLength="20"/></EntityType>
        <EntityType Name="O"><Key><PropertyRef Name="No"/></Key><Property Name="No" Type="Edm.String" Nullable="false"/><Property Name="Version" Type="Edm.Int32" Nullable="false"/><NavigationProperty Name="Lines" Type="Collection(N.L)" ContainsTarget="true"/></EntityType>
        <EntityContainer Name="C"><EntitySet Name="Things" EntityType="N.O"><Annotation Term="Org.OData.Core.V1.OptimisticConcurrency"><Collection><PropertyPath>Version</PropertyPath></Collection></Annotation></EntitySet></EntityContainer></Schema></edmx:DataServices></edmx:Edmx>
        """;

    private const string WithLines = """{"@odata.etag":"W/\"2\"","No":"SO-1","Version":2,"Lines":[{"LineNo":10000,"ItemNo":"PA-1"}]}""";

    private static async Task<StandInSystem> Orders(Func<Microsoft.AspNetCore.Http.HttpContext, string> answer)
    {
        var system = await StandInSystem.Start(c => StandInSystem.Json(c, answer(c)));
        system.DescribedByMetadata = Metadata;
        return system;
    }

    [Fact]
    public async Task Contained_lines_and_their_fields_are_in_the_catalogue_and_a_version_is_only_read()
    {
        await using var system = await Orders(_ => "{}");
        var fields = (await system.OData().Describe("Things", CancellationToken.None)).Fields;
        fields.Keys.ShouldBe(["No", "Version", "Lines", "Lines[].LineNo", "Lines[].ItemNo"], ignoreOrder: true);
        (fields["Version"].ReadOnly, fields["No"].ReadOnly, fields["Lines[].ItemNo"].IsInLines, fields["Lines"].IsInLines).ShouldBe((true, false, true, false));
        fields["Lines[].ItemNo"].MaxLength.ShouldBe(20);
    }

    [Fact]
    public async Task One_record_is_read_with_its_lines()
    {
        await using var system = await Orders(_ => WithLines);
        var record = await system.OData().ReadOne("Things", "SO-1", CancellationToken.None);
        system.Calls.ShouldContain("GET /odata/Things('SO-1')?$expand=Lines");
        record!.Fields["Lines"].ShouldBeOfType<LinesValue>().Lines[0]["ItemNo"].Display.ShouldBe("PA-1");
    }

    [Fact]
    public async Task An_answer_to_a_write_that_leaves_the_lines_out_is_read_back()
    {
        string? sent = null;
        await using var system = await Orders(c =>
        {
            if (c.Request.Method != "POST")
            {
                return WithLines;
            }

            sent = new StreamReader(c.Request.Body).ReadToEndAsync().Result;
            return """{"@odata.etag":"W/\"1\"","No":"SO-1","Version":1}""";
        });
        var lines = new LinesValue([System.Collections.Immutable.ImmutableSortedDictionary<string, Value>.Empty.Add("LineNo", new NumberValue(10000)).Add("ItemNo", Value.Text("PA-1"))]);
        var answer = await system.OData().Write("Things", new WriteRequest(null, RawFields.Of([KeyValuePair.Create("Lines", (Value)lines)]), null, null), CancellationToken.None);
        sent.ShouldBe("""{"Lines":[{"ItemNo":"PA-1","LineNo":10000}]}""");
        answer.ShouldBeOfType<WriteAnswer.Stored>().Record!.Fields["Lines"].ShouldBe(lines);
        system.Calls.Count(c => c.StartsWith("POST", StringComparison.Ordinal)).ShouldBe(1);
    }

    [Fact]
    public async Task A_request_that_is_only_shown_is_what_would_be_sent_and_nothing_is()
    {
        await using var system = await Orders(_ => "{}");
        var shown = await system.OData().Show("Things", new WriteRequest("SO-1", RawFields.Of([KeyValuePair.Create("Reference", Value.Text("Ærø"))]), null, "W/\"1\""), CancellationToken.None);
        Uri.UnescapeDataString(shown.Line).ShouldBe($"PATCH {system.Address}odata/Things('SO-1')");
        shown.Headers.ShouldContain(("If-Match", "W/\"1\""));
        shown.Body.ShouldBe("{\n  \"Reference\": \"Ærø\"\n}");
        shown.Headers.ShouldNotContain(h => h.Name == "Authorization");
        system.Calls.ShouldAllBe(c => c.StartsWith("GET", StringComparison.Ordinal));
    }

    [Fact]
    public async Task A_REST_description_tells_the_fields_of_lines_and_null_is_no_value_of_a_list()
    {
        await using var system = await StandInSystem.Start(c => StandInSystem.Json(c, """{"items":[]}"""));
        system.DescribedBy = StandInSystem.Description.Replace("\"address\":{", "\"lines\":{\"type\":\"array\",\"items\":{\"type\":\"object\",\"required\":[\"no\"],\"properties\":{\"no\":{\"type\":\"integer\"},\"product\":{\"type\":\"string\",\"maxLength\":20}}}},\"kind\":{\"type\":[\"string\",\"null\"],\"enum\":[\"Club\",\"Shop\",null]},\"address\":{", StringComparison.Ordinal);
        var fields = (await system.Rest().Describe("things", CancellationToken.None)).Fields;
        fields["lines[].product"].MaxLength.ShouldBe(20);
        fields["lines[].no"].IsInLines.ShouldBeTrue();
        fields["kind"].Allowed.ShouldBe(["Club", "Shop"]);
    }

    [Fact]
    public async Task A_REST_request_is_shown_without_its_token()
    {
        await using var system = await StandInSystem.Start(c => StandInSystem.Json(c, """{"id":"7"}"""));
        var shown = await system.Rest().Show("things", new WriteRequest(null, RawFields.Of([KeyValuePair.Create("address.town", Value.Text("Corrie"))]), null, null), CancellationToken.None);
        shown.Line.ShouldStartWith("POST http://127.0.0.1:");
        shown.Body!.ReplaceLineEndings("").Replace(" ", "", StringComparison.Ordinal).ShouldBe("""{"address":{"town":"Corrie"}}""");
        shown.Headers.ShouldNotContain(h => h.Name == "Authorization");
        system.Calls.ShouldNotContain(c => c.StartsWith("POST /things", StringComparison.Ordinal) || c.StartsWith("POST /api", StringComparison.Ordinal));
    }
}
