using System.Text;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Rest;

namespace UprightMirror.Connectors.Tests;

/// <summary>What a description can't say is guessed from names, whatever the names are.</summary>
public class GuessTests
{
    private static RestDescription Read(string text) => RestDescription.Read(text, new Uri("http://system.example/openapi.json"), "Stand-in");

    /// <summary>A document with one collection whose list takes the parameters and whose page has the properties.</summary>
    private static string Document(string parameters, string pageProperties, string recordProperties = "\"id\":{\"type\":\"integer\"},\"name\":{\"type\":\"string\"}") => """
        {"openapi":"3.1.0","info":{"title":"t","version":"1"},"paths":{
          "/things":{"get":{"parameters":[PARAMETERS],"responses":{"200":{"description":"ok","headers":{},"content":{"application/json":{"schema":{"type":"object","properties":{ PAGE, "things":{"type":"array","items":{"type":"object","properties":{ RECORD }}} }}}}}}},"post":{"responses":{"201":{"description":"ok"}}}},
          "/things/{id}":{"get":{"responses":{"200":{"description":"ok"}}},"patch":{"responses":{"200":{"description":"ok"}}}},
          "/things/removed":{"get":{"responses":{"200":{"description":"ok"}}}},
          "/things/bulk":{"post":{"responses":{"200":{"description":"ok"}}}}}}
        """.Replace("PARAMETERS", parameters, StringComparison.Ordinal).Replace("PAGE", pageProperties, StringComparison.Ordinal).Replace("RECORD", recordProperties, StringComparison.Ordinal);

    private static string Query(string name, string schema = "{\"type\":\"string\"}") => $$"""{"name":"{{name}}","in":"query","schema":{{schema}}}""";

    [Theory]
    [InlineData("pageToken", "\"nextPageToken\":{\"type\":\"string\"}", "cursor pageToken nextPageToken")]
    [InlineData("after", "\"meta\":{\"type\":\"object\",\"properties\":{\"next_cursor\":{\"type\":\"string\"}}}", "cursor after meta.next_cursor")]
    [InlineData("offset", "\"total\":{\"type\":\"integer\"}", "offset offset")]
    [InlineData("skip", "\"total\":{\"type\":\"integer\"}", "offset skip")]
    [InlineData("page_number", "\"total\":{\"type\":\"integer\"}", "page page_number")]
    [InlineData("anything", "\"links\":{\"type\":\"object\",\"properties\":{\"next\":{\"type\":\"string\"}}}", "nextLink links.next")]
    [InlineData("anything", "\"total\":{\"type\":\"integer\"}", "whole")]
    public void How_pages_go_on_is_guessed_from_parameters_and_properties(string parameter, string page, string expected)
    {
        var paging = Read(Document(Query(parameter), page)).Guessed["things"].Settings.Paging;
        (paging switch
        {
            Paging.Cursor c => $"cursor {c.Parameter} {c.Next}",
            Paging.Offset o => $"offset {o.Parameter}",
            Paging.PageNumber n => $"page {n.Parameter}",
            Paging.NextLink l => $"nextLink {l.Property}",
            Paging.Whole => "whole",
            var other => $"{other}",
        }).ShouldBe(expected);
    }

    [Fact]
    public void Ranges_of_ids_are_guessed_with_the_most_records_of_a_page()
    {
        var own = Read(Document($"{Query("from_id")},{Query("to_id")},{Query("limit", "{\"type\":\"integer\",\"maximum\":300}")}", "\"highest_id\":{\"type\":\"integer\"}")).Guessed["things"].Settings;
        own.Paging.ShouldBe(new Paging.IdRange("from_id", "to_id", "highest_id"));
        own.PageSize.ShouldBe(300);
        own.Items.ShouldBe("things");
    }

    [Fact]
    public void A_records_own_fields_are_guessed_and_each_guess_says_what_it_was_taken_from()
    {
        var read = Read(Document(Query("modified_since"), "\"total\":{\"type\":\"integer\"}", """
            "thingId":{"type":"string"},"modifiedOn":{"type":"string","format":"date-time"},"modifiedBy":{"type":"string"},"createdAt":{"type":"string","format":"date-time"},"_etag":{"type":"string"},"external_id":{"type":"string"}
            """));
        var found = read.Guessed["things"];
        read.Catalogue(_ => null)["things"]!.Stamps.Order().ShouldBe(["_etag", "external_id", "modifiedBy", "modifiedOn"]);
        found.Settings.ShouldSatisfyAllConditions(
            s => s.Id.ShouldBe("thingId"), s => s.ChangedAt.ShouldBe("modifiedOn"), s => s.ChangedBy.ShouldBe("modifiedBy"), s => s.VersionTag.ShouldBe("_etag"),
            s => s.Reference.ShouldBe("external_id"), s => s.ChangedSinceParameter.ShouldBe("modified_since"), s => s.RemovedPath.ShouldBe("/things/removed"));
        found.Guesses.ShouldAllBe(g => g.What.Length > 0 && g.Why.Length > 0);
        (found.MayCreate, found.MayChange, found.MayRemove).ShouldBe((true, true, false));
    }

    [Theory]
    [InlineData("\"externalRef\":{\"type\":\"string\"}", "", "externalRef", false)]
    [InlineData("\"mail\":{\"type\":\"string\"}", ",\"required\":[\"id\",\"mail\"]", "mail", true)]
    public void How_many_records_are_written_in_one_call_is_guessed_with_what_they_are_told_apart_by(string property, string required, string key, bool changes)
    {
        var own = Read("""
            {"openapi":"3.1.0","info":{"title":"t","version":"1"},"components":{"schemas":{"Thing":{"type":"object","properties":{"id":{"type":"integer","readOnly":true},PROPERTY}REQUIRED}}},"paths":{
              "/things":{"get":{"responses":{"200":{"description":"ok","content":{"application/json":{"schema":{"type":"object","properties":{"things":{"type":"array","items":{"$ref":"#/components/schemas/Thing"}}}}}}}}}},
              "/things/{id}":{"get":{"responses":{"200":{"description":"ok"}}}PATCH},
              "/things/upsert":{"post":{"requestBody":{"content":{"application/json":{"schema":{"type":"object","properties":{"rows":{"type":"array","maxItems":250,"items":{"$ref":"#/components/schemas/Thing"}}}}}}},
                "responses":{"200":{"description":"ok","content":{"application/json":{"schema":{"type":"object","properties":{"results":{"type":"array","items":{"type":"object","properties":{"row":{"type":"integer"},"id":{"type":"integer"},"detail":{"type":"string"},"record":{"$ref":"#/components/schemas/Thing"}}}}}}}}}}}}}}
            """.Replace("PROPERTY", property, StringComparison.Ordinal).Replace("REQUIRED", required, StringComparison.Ordinal).Replace("PATCH", changes ? "" : ",\"patch\":{\"responses\":{\"200\":{\"description\":\"ok\"}}}", StringComparison.Ordinal)).Guessed["things"].Settings;
        own.Bulk.ShouldBe(new BulkSettings("/things/upsert", "rows", 250, key, changes, "results", "row", "id", "detail", "record"));
    }

    [Fact]
    public void What_serves_a_collection_is_none_itself() =>
        Read(Document(Query("offset"), "\"total\":{\"type\":\"integer\"}")).Guessed.Keys.ShouldBe(["things"]);

    [Fact]
    public void The_sign_in_and_the_limit_are_read_where_the_description_tells_them()
    {
        var read = Read("""{"openapi":"3.0.3","info":{"title":"t","version":"1","x-rate-limit":12},"components":{"securitySchemes":{"k":{"type":"apiKey","in":"header","name":"X-Key"}}},"paths":{"/a":{"get":{"responses":{"200":{"description":"ok"}}}}}}""");
        read.SignIn.ShouldBe(new SignInSettings("key", KeyName: "X-Key"));
        read.CallsPerSecond.ShouldBe(12);
    }

    [Fact]
    public void A_description_that_goes_round_in_circles_ends()
    {
        var wide = string.Join(",", Enumerable.Range(0, 40).Select(i => $$"""
            "p{{i}}":{"$ref":"#/components/schemas/Node"}
            """));
        var read = Read("""
            {"openapi":"3.1.0","info":{"title":"t","version":"1"},"components":{"schemas":{"Node":{"type":"object","properties":{"id":{"type":"string"},WIDE}}}},
             "paths":{"/nodes":{"get":{"responses":{"200":{"description":"ok","content":{"application/json":{"schema":{"type":"array","items":{"$ref":"#/components/schemas/Node"}}}}}}}}}}
            """.Replace("WIDE", wide, StringComparison.Ordinal));
        read.Collection("nodes", read.Guessed["nodes"].Settings)!.Fields.Count.ShouldBeInRange(41, 5000);
    }

    [Fact]
    public void A_description_of_five_megabytes_is_read()
    {
        var paths = new StringBuilder();
        for (var i = 0; paths.Length < 5 * 1024 * 1024; i++)
        {
            paths.Append("""
                "/cNUMBER":{"get":{"description":"TEXT","responses":{"200":{"description":"ok","content":{"application/json":{"schema":{"type":"array","items":{"type":"object","properties":{"id":{"type":"string"}}}}}}}}}},
                """.Replace("NUMBER", $"{i}", StringComparison.Ordinal).Replace("TEXT", new string('x', 900), StringComparison.Ordinal));
        }

        var read = Read("""{"openapi":"3.1.0","info":{"title":"t","version":"1"},"paths":{""" + paths.ToString().TrimEnd().TrimEnd(',') + "}}");
        read.Guessed.Count.ShouldBeGreaterThan(3000);
    }

    [Theory]
    [InlineData("openapi: 3.0.3\npaths:\n  - [", "is not YAML that can be read: line")]
    [InlineData("just words", "can't be read")]
    [InlineData("{\"openapi\":\"3.1.0\",\"info\":{\"title\":\"t\",\"version\":\"1\"},\"paths\":{}}", "is not an OpenAPI document with paths")]
    public void What_is_no_description_is_refused_in_words(string text, string words) =>
        Should.Throw<SystemFault>(() => Read(text)).Message.ShouldContain(words);

    [Fact]
    public void Aliases_that_unfold_without_end_are_refused()
    {
        var bomb = new StringBuilder("a: &a [\"lol\",\"lol\",\"lol\",\"lol\",\"lol\",\"lol\",\"lol\",\"lol\",\"lol\"]\n");
        for (var level = 'b'; level <= 'j'; level++)
        {
            var before = (char)(level - 1);
            bomb.Append($"{level}: &{level} [{string.Join(",", Enumerable.Repeat($"*{before}", 9))}]\n");
        }

        Should.Throw<SystemFault>(() => Read(bomb.ToString())).Message.ShouldContain("unfolds into more than");
    }
}
