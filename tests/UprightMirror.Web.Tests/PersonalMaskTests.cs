using System.Text.Json.Nodes;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Tests;

/// <summary>What is personal is taken out of an answer wherever it stands, and nothing else is.</summary>
public sealed class PersonalMaskTests
{
    private static readonly PersonalNames Names = new(["mail", "Phone", "full name", "street"]);

    private static JsonNode Masked(string answer, string? mirror = null)
    {
        var json = JsonNode.Parse(answer)!;
        new PersonalMask(Names, m => m is null or "people").TakeOut(json, mirror);
        return json;
    }

    [Theory]
    [InlineData("E-Mail", true)]
    [InlineData("TELEPHONE NO", true)]
    [InlineData("phoneMain", true)]
    [InlineData("FullName", true)]
    [InlineData("Name", false)]
    [InlineData("address.street", true)]
    [InlineData("", false)]
    [InlineData(null, false)]
    public void A_field_is_known_by_the_words_in_its_name(string? field, bool isPersonal) => Names.Cover(field).ShouldBe(isPersonal);

    [Fact]
    public void A_record_keeps_what_is_not_personal_and_its_story_says_nothing_that_is()
    {
        var page = Masked("""
            {"mirror":"customers","title":"Tern Point Sailing","fields":[
              {"name":"Phone","cells":[{"path":"phoneMain","raw":"0131 496 0701"},null],"agreed":{"value":"0131 496 0701","who":"ann@crm.example","why":"the latest"}},
              {"name":"Town","cells":[{"path":"street.town","raw":"Leith"}],"agreed":{"value":"Leith","why":"the latest"}}],
             "timeline":[{"field":"Phone","before":null,"after":"0131 496 0701","why":"Slipway CRM says 0131 496 0701 and is newer"},{"field":"Town","before":"x","after":"Leith","why":"agreed"}]}
            """);
        page.ToJsonString().ShouldNotContain("496");
        page.ToJsonString().ShouldNotContain("ann@");
        page["title"]!.GetValue<string>().ShouldBe("Tern Point Sailing", "a company is nobody");
        page["fields"]![0]!["cells"]![0]!["path"]!.GetValue<string>().ShouldBe("phoneMain");
        page["fields"]![0]!["agreed"]!["value"]!.GetValue<string>().ShouldBe("0•••");
        page["fields"]![0]!["name"]!.GetValue<string>().ShouldBe("Phone");
        page["fields"]![0]!["agreed"]!["why"]!.GetValue<string>().ShouldBe("the latest", "a reason is not a value");
        page["fields"]![1]!["cells"]![0]!["raw"]!.GetValue<string>().ShouldBe("Leith");
        page["fields"]![1]!["agreed"]!["value"]!.GetValue<string>().ShouldBe("Leith");
        page["timeline"]![1]!["after"]!.GetValue<string>().ShouldBe("Leith");
        page["timeline"]![0]!["why"]!.GetValue<string>().ShouldBe("Slipway CRM says 0••• and is newer");
    }

    [Fact]
    public void Values_in_a_row_are_told_apart_by_the_fields_beside_them()
    {
        var conflict = Masked("""{"mirror":"customers","title":"Tern","fields":["Town","Street"],"competing":[{"side":0,"name":"CRM","values":["Leith","Quay 7"]}],"choices":[{"rule":"Street of the latest","chooses":["Leith","Quay 7"]}]}""");
        conflict["competing"]![0]!["values"]!.AsArray().Select(v => v!.GetValue<string>()).ShouldBe(["Leith", "Q•••"]);
        conflict["choices"]![0]!["chooses"]!.AsArray().Select(v => v!.GetValue<string>()).ShouldBe(["Leith", "Q•••"]);
        var draft = Masked("""{"fields":[{"name":"Town"},{"name":"Full name"}],"samples":[["Leith",null],["Maria Hand",null]],"agreed":["Leith","Maria Hand"]}""", "customers");
        draft.ToJsonString().ShouldNotContain("Maria");
        draft["samples"]![0]![0]!.GetValue<string>().ShouldBe("Leith");
    }

    [Fact]
    public void Titles_that_are_somebodys_name_are_taken_out_and_where_the_mirror_is_not_told_too()
    {
        Masked("""{"run":{"mirror":"people"},"records":[{"title":"Maria Hand"}]}""")["records"]![0]!["title"]!.GetValue<string>().ShouldBe("M•••");
        Masked("""{"run":{"mirror":"customers"},"records":[{"title":"Tern Point"}]}""")["records"]![0]!["title"]!.GetValue<string>().ShouldBe("Tern Point");
        Masked("""[{"title":"Maria Hand"}]""")[0]!["title"]!.GetValue<string>().ShouldBe("M•••");
        Masked("""[{"title":"Tern Point"}]""", "customers")[0]!["title"]!.GetValue<string>().ShouldBe("Tern Point");
    }

    [Theory]
    [InlineData("Slipway CRM, customer 12: Phone \"ring the boathouse\" can't be read.", "Slipway CRM, customer 12: Phone \"r•••\" can't be read.")]
    [InlineData("Ballast ERP, order 12: Town \"Leith\" takes 3 characters.", "Ballast ERP, order 12: Town \"Leith\" takes 3 characters.")]
    [InlineData("same Full name: Maria Hand", "same Full name: M•••")]
    [InlineData("same Number: 4711", "same Number: 4711")]
    [InlineData("it said: no maria.hand@club.example, nor +44 131 496 0701", "it said: no m•••, nor •••")]
    [InlineData("run 12 began 2026-03-02T12:00:00+00:00", "run 12 began 2026-03-02T12:00:00+00:00")]
    public void A_sentence_says_what_it_says_without_what_it_quotes(string sentence, string read) => new PersonalMask(Names, _ => false).Sentence(sentence).ShouldBe(read);

    [Fact]
    public void An_id_that_is_an_address_is_masked_and_any_other_stays() =>
        Masked("""{"mirror":"customers","rows":[{"link":"l-1","ids":["17",null,"maria@club.example"]}]}""")["rows"]![0]!.ToJsonString().ShouldContain("\"17\",null,\"m", Case.Sensitive);

    [Fact]
    public void A_line_of_a_file_is_masked_by_its_columns_or_by_the_field_that_it_is_about()
    {
        var mask = new PersonalMask(Names, m => m == "people");
        mask.Row(["Maria Hand", "17", "Leith", "Quay 7", null], ["People", "CRM", "Town", "Street", "Phone"], (0, "people")).ShouldBe(["M•••", "17", "Leith", "Q•••", null]);
        mask.Row(["change", "Tern", "Street", "Quay 7", "Quay 8"], ["What", "Customers", "Field", "Before", "After"], (1, "customers"), "Street", [3, 4]).ShouldBe(["change", "Tern", "Street", "Q•••", "Q•••"]);
        mask.Row(["change", "Tern", "Town", "Leith", "Perth"], ["What", "Customers", "Field", "Before", "After"], (1, "customers"), "Town", [3, 4])[4].ShouldBe("Perth");
    }

    /// <summary>Answers of every shape that the API has, put together at random: no personal value is left anywhere, in a sentence neither, and every other one is.</summary>
    [Theory]
    [InlineData(1)]
    [InlineData(20260302)]
    [InlineData(77)]
    [InlineData(4711)]
    public void Whatever_an_answer_is_made_of_personal_values_are_gone_and_the_others_stay(int seed)
    {
        string[] personal = ["Phone", "E-mail", "Street", "Full name"], others = ["Town", "Stage", "Credit limit"];
        var random = new Random(seed);
        for (var round = 0; round < 200; round++)
        {
            var number = 0;
            var (hidden, kept) = (new List<string>(), new List<string>());
            (string Field, string Value) Next()
            {
                var isPersonal = random.Next(2) == 0;
                var value = $"{(isPersonal ? "Secret" : "Known")} thing {round}x{number++}";
                (isPersonal ? hidden : kept).Add(value);
                return (isPersonal ? personal[random.Next(personal.Length)] : others[random.Next(others.Length)], value);
            }

            var parts = new JsonArray();
            for (var n = random.Next(1, 8); n > 0; n--)
            {
                var (field, value) = Next();
                var (other, second) = Next();
                parts.Add(random.Next(6) switch
                {
                    0 => new JsonObject { ["field"] = field, ["before"] = null, ["after"] = value, ["why"] = $"CRM says {value} and is newer", ["rest"] = new JsonObject { ["field"] = other, ["value"] = second } },
                    1 => new JsonObject { ["name"] = field, ["cells"] = new JsonArray(new JsonObject { ["path"] = field, ["raw"] = value }, null), ["agreed"] = new JsonObject { ["value"] = value, ["why"] = "the latest" }, ["next"] = new JsonObject { ["field"] = other, ["was"] = second } },
                    2 => new JsonObject { ["fields"] = new JsonArray(field, other), ["values"] = new JsonArray(value, second), ["why"] = $"{second}, or {value}" },
                    3 => new JsonObject { ["fields"] = new JsonArray(new JsonObject { ["name"] = field }, new JsonObject { ["name"] = other }), ["samples"] = new JsonArray(new JsonArray(value, null), new JsonArray(second)), ["agreed"] = new JsonArray(value, second) },
                    4 => new JsonObject { ["says"] = new JsonArray(new JsonObject { ["field"] = field, ["system"] = "CRM", ["value"] = value }, new JsonObject { ["field"] = other, ["system"] = null, ["value"] = second }), ["title"] = "Tern" },
                    _ => new JsonObject { ["deep"] = new JsonArray(new JsonObject { ["within"] = new JsonObject { ["field"] = field, ["now"] = value, ["would"] = value } }), ["field"] = other, ["after"] = second },
                });
            }

            var answer = new JsonObject { ["mirror"] = "customers", ["parts"] = parts };
            new PersonalMask(Names, m => m is null or "people").TakeOut(answer, null);
            var text = answer.ToJsonString();
            hidden.Where(text.Contains).ShouldBeEmpty(text);
            kept.Where(k => !text.Contains(k, StringComparison.Ordinal)).ShouldBeEmpty(text);
        }
    }
}
