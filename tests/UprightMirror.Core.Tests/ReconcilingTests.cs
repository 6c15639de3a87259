using System.Text.Json.Nodes;
using UprightMirror.Core.Reconciling;

namespace UprightMirror.Core.Tests;

/// <summary>What becomes of one record, in examples that a person can check. Each is a scenario as the command line takes it.</summary>
public class ReconcilingTests
{
    private static JsonObject Outcome(string fields, string sides, string agreed = "null") =>
        Scenario.Reconcile($$"""{"fields":{{fields}},"sides":{{sides}},"agreed":{{agreed}}}""");

    /// <summary>Two sides that give and take one field "f", whose value was "old" everywhere.</summary>
    private static JsonObject Two(string field, string crm, string erp, string old = "\"old\"", string crmAt = "null", string erpAt = "null") => Outcome(
        $$"""[{"name":"f",{{field}}}]""",
        $$"""
        [{"name":"crm","gives":["f"],"takes":["f"],"shadow":{"f":{{old}}},"now":{"f":{{crm}}},"changedAt":{{crmAt}}},
         {"name":"erp","gives":["f"],"takes":["f"],"shadow":{"f":{{old}}},"now":{"f":{{erp}}},"changedAt":{{erpAt}}}]
        """,
        $$"""{"f":{{old}}}""");

    private static string Agreed(JsonObject outcome, string field = "f") => outcome["agreed"]![field]?.ToJsonString() ?? "null";

    private static string Writes(JsonObject outcome) => outcome["writes"]!.ToJsonString();

    [Fact]
    public void Nobody_changed_so_the_agreed_value_stays()
    {
        var outcome = Two("\"rule\":\"ask\"", "\"old\"", "\"old\"");
        Agreed(outcome).ShouldBe("\"old\"");
        Writes(outcome).ShouldBe("{}");
        outcome["causes"]!["f"]!.GetValue<string>().ShouldBe("nobody changed it");
    }

    [Fact]
    public void One_side_changed_so_the_other_gets_it()
    {
        var outcome = Two("\"rule\":\"ask\"", "\"new\"", "\"old\"");
        Agreed(outcome).ShouldBe("\"new\"");
        Writes(outcome).ShouldBe("""{"erp":{"f":"new"}}""");
    }

    [Fact]
    public void Both_changed_to_the_same_so_that_is_agreed_and_nothing_is_written()
    {
        var outcome = Two("\"rule\":\"ask\"", "\"new\"", "\"new\"");
        Agreed(outcome).ShouldBe("\"new\"");
        Writes(outcome).ShouldBe("{}");
        outcome["conflicts"]!.AsArray().ShouldBeEmpty();
    }

    [Fact]
    public void Asking_freezes_the_field_and_keeps_the_agreed_value()
    {
        var outcome = Two("\"rule\":\"ask\"", "\"a\"", "\"b\"");
        Agreed(outcome).ShouldBe("\"old\"");
        Writes(outcome).ShouldBe("{}");
        outcome["conflicts"]!.ToJsonString().ShouldBe("""[{"fields":["f"],"values":{"crm":{"f":"a"},"erp":{"f":"b"}}}]""");
    }

    [Theory]
    [InlineData("\"rule\":\"rank\"", "a")]
    [InlineData("\"rule\":\"rank\",\"rank\":[\"erp\"]", "bb")]
    [InlineData("\"rule\":\"fullest\"", "bb")]
    public void A_rule_decides_between_two_texts(string rule, string wins) => Agreed(Two(rule, "\"a\"", "\"bb\"")).ShouldBe($"\"{wins}\"");

    [Theory]
    [InlineData("\"2026-03-01T10:00:00Z\"", "\"2026-03-01T11:00:00Z\"", "b")]
    [InlineData("\"2026-03-01T12:00:00+02:00\"", "\"2026-03-01T11:00:00Z\"", "b")]
    [InlineData("\"2026-03-01T11:00:00Z\"", "\"2026-03-01T11:00:00Z\"", "a")]
    [InlineData("null", "\"2026-03-01T11:00:00Z\"", "a")]
    public void The_latest_change_counts_and_equal_or_missing_times_fall_to_rank(string crmAt, string erpAt, string wins) =>
        Agreed(Two("\"rule\":\"latest\"", "\"a\"", "\"b\"", crmAt: crmAt, erpAt: erpAt)).ShouldBe($"\"{wins}\"");

    [Theory]
    [InlineData("greatest", "7.5")]
    [InlineData("least", "3")]
    public void Greatest_and_least_compare_amounts(string rule, string wins) => Agreed(Two($"\"type\":\"number\",\"rule\":\"{rule}\"", "7.5", "3", old: "5")).ShouldBe(wins);

    [Fact]
    public void Furthest_along_takes_the_furthest_state_whoever_wrote_last() =>
        Agreed(Two("""
            "rule":"furthest","states":["lead","offer","won"]
            """, "\"won\"", "\"offer\"", old: "\"lead\"")).ShouldBe("\"won\"");

    [Fact]
    public void A_single_step_back_is_not_taken_and_the_side_is_put_right()
    {
        var outcome = Two("""
            "rule":"furthest","states":["lead","offer","won"]
            """, "\"lead\"", "\"offer\"", old: "\"offer\"");
        Agreed(outcome).ShouldBe("\"offer\"");
        Writes(outcome).ShouldBe("""{"crm":{"f":"offer"}}""");
    }

    [Fact]
    public void All_of_them_is_the_union() =>
        Agreed(Two("\"type\":\"list\",\"rule\":\"union\"", """["x","a"]""", """["x","b"]""", old: """["x"]""")).ShouldBe("""["x","a","b"]""");

    [Fact]
    public void An_emptied_value_travels()
    {
        var outcome = Two("\"rule\":\"ask\"", "null", "\"old\"");
        Agreed(outcome).ShouldBe("null");
        Writes(outcome).ShouldBe("""{"erp":{"f":null}}""");
    }

    [Fact]
    public void Where_emptying_does_not_travel_the_side_gets_the_agreed_value_back()
    {
        var outcome = Two("\"rule\":\"ask\",\"emptyTravels\":false", "null", "\"old\"");
        Agreed(outcome).ShouldBe("\"old\"");
        Writes(outcome).ShouldBe("""{"crm":{"f":"old"}}""");
    }

    [Fact]
    public void Where_emptying_does_not_travel_it_does_not_compete_with_a_change()
    {
        var outcome = Two("\"rule\":\"ask\",\"emptyTravels\":false", "null", "\"new\"");
        Agreed(outcome).ShouldBe("\"new\"");
        Writes(outcome).ShouldBe("""{"crm":{"f":"new"}}""");
    }

    [Fact]
    public void At_a_first_meeting_different_values_fall_to_rank_even_where_people_are_asked_later()
    {
        var outcome = Outcome("""[{"name":"f","rule":"ask","rank":["erp"]},{"name":"g","rule":"ask"}]""", """
            [{"name":"crm","gives":["f","g"],"takes":["f","g"],"now":{"f":"a","g":"only"}},
             {"name":"erp","gives":["f","g"],"takes":["f","g"],"now":{"f":"b","g":null}}]
            """);
        outcome["agreed"]!.ToJsonString().ShouldBe("""{"f":"b","g":"only"}""");
        Writes(outcome).ShouldBe("""{"crm":{"f":"b"},"erp":{"g":"only"}}""");
        outcome["conflicts"]!.AsArray().ShouldBeEmpty();
    }

    [Fact]
    public void A_side_without_the_record_gets_it_whole_but_for_empty_fields()
    {
        var outcome = Outcome("""[{"name":"f","rule":"ask"},{"name":"g","rule":"ask"}]""", """
            [{"name":"crm","gives":["f","g"],"takes":["f","g"],"now":{"f":"a","g":null}},
             {"name":"erp","gives":["f","g"],"takes":["f","g"],"now":null}]
            """);
        Writes(outcome).ShouldBe("""{"erp":{"f":"a"}}""");
    }

    [Fact]
    public void A_third_side_that_joins_meets_what_the_others_agreed_and_does_not_overrule_a_higher_rank()
    {
        const string Fields = """[{"name":"f","rule":"ask","rank":["crm","erp","mail"]},{"name":"g","rule":"ask"}]""";
        var outcome = Outcome(Fields, """
            [{"name":"crm","gives":["f","g"],"takes":["f","g"],"shadow":{"f":"x","g":null},"now":{"f":"x","g":null}},
             {"name":"erp","gives":["f","g"],"takes":["f","g"],"shadow":{"f":"x","g":null},"now":{"f":"x","g":null}},
             {"name":"mail","gives":["f","g"],"takes":["f","g"],"now":{"f":"theirs","g":"new"}}]
            """, """{"f":"x","g":null}""");
        outcome["agreed"]!.ToJsonString().ShouldBe("""{"f":"x","g":"new"}""");
        Writes(outcome).ShouldBe("""{"crm":{"g":"new"},"erp":{"g":"new"},"mail":{"f":"x"}}""");
    }

    [Fact]
    public void A_field_group_is_settled_as_one_value()
    {
        var outcome = Outcome("""[{"name":"street","rule":"ask","group":"address"},{"name":"town","rule":"ask","group":"address"},{"name":"name","rule":"ask"}]""", """
            [{"name":"crm","gives":["street","town","name"],"takes":["street","town","name"],"shadow":{"street":"1 Old","town":"T","name":"N"},"now":{"street":"2 New","town":"T","name":"N2"}},
             {"name":"erp","gives":["street","town","name"],"takes":["street","town","name"],"shadow":{"street":"1 Old","town":"T","name":"N"},"now":{"street":"1 Old","town":"U","name":"N"}}]
            """, """{"street":"1 Old","town":"T","name":"N"}""");
        outcome["conflicts"]!.ToJsonString().ShouldBe("""[{"fields":["street","town"],"values":{"crm":{"street":"2 New","town":"T"},"erp":{"street":"1 Old","town":"U"}}}]""");
        Writes(outcome).ShouldBe("""{"erp":{"name":"N2"}}""");
    }

    [Fact]
    public void An_edit_on_a_side_that_only_takes_is_put_back()
    {
        var outcome = Outcome("""[{"name":"f","rule":"rank"}]""", """
            [{"name":"erp","gives":["f"],"takes":[],"shadow":{"f":"x"},"now":{"f":"x"}},{"name":"crm","gives":[],"takes":["f"],"shadow":{"f":"x"},"now":{"f":"drifted"}}]
            """, """{"f":"x"}""");
        Agreed(outcome).ShouldBe("\"x\"");
        Writes(outcome).ShouldBe("""{"crm":{"f":"x"}}""");
    }

    [Fact]
    public void A_side_that_only_gives_is_never_written()
    {
        var outcome = Outcome("""[{"name":"f","rule":"rank","rank":["b"]}]""", """
            [{"name":"a","gives":["f"],"takes":[],"shadow":{"f":"x"},"now":{"f":"from a"}},{"name":"b","gives":["f"],"takes":["f"],"shadow":{"f":"x"},"now":{"f":"from b"}}]
            """, """{"f":"x"}""");
        Agreed(outcome).ShouldBe("\"from b\"");
        Writes(outcome).ShouldBe("{}");
    }

    [Fact]
    public void Removed_here_and_changed_there_is_a_conflict_and_nothing_is_written()
    {
        var outcome = Outcome("""[{"name":"f","rule":"rank"}]""", """
            [{"name":"crm","gives":["f"],"takes":["f"],"shadow":{"f":"x"},"now":null},{"name":"erp","gives":["f"],"takes":["f"],"shadow":{"f":"x"},"now":{"f":"y"}}]
            """, """{"f":"x"}""");
        outcome["conflicts"]!.ToJsonString().ShouldBe("""[{"fields":["f"],"values":{"crm":null,"erp":{"f":"y"}}}]""");
        Writes(outcome).ShouldBe("{}");
    }

    [Fact]
    public void What_a_side_that_only_takes_says_is_kept_while_nobody_gives_anything_and_emptying_does_not_travel()
    {
        const string Sides = """[{"name":"erp","gives":["f"],"takes":[],"now":{"f":null}},{"name":"crm","gives":[],"takes":["f"],"now":{"f":"30 days"}}]""";
        var kept = Outcome("""[{"name":"f","rule":"rank","emptyTravels":false}]""", Sides);
        Agreed(kept).ShouldBe("\"30 days\"");
        Writes(kept).ShouldBe("{}");
        Writes(Outcome("""[{"name":"f","rule":"rank"}]""", Sides)).ShouldBe("""{"crm":{"f":null}}""");
    }

    [Theory]
    [InlineData("not json", "not JSON: line 1, character 2")]
    [InlineData("[]", "must be a JSON object")]
    [InlineData("""{"fields":[{"name":"f"}],"sides":[{"name":"a","gives":[],"takes":[],"now":null}]}""", "Field \"f\" has no \"rule\"")]
    [InlineData("""{"fields":[{"name":"f","rule":"newest"}],"sides":[{"name":"a","gives":[],"takes":[],"now":null}]}""", "the rule \"newest\"")]
    [InlineData("""{"fields":[{"name":"f","rule":"rank","type":"money"}],"sides":[{"name":"a","gives":[],"takes":[],"now":null}]}""", "the type \"money\"")]
    [InlineData("""{"fields":[{"name":"f","rule":"union"}],"sides":[{"name":"a","gives":[],"takes":[],"now":null}]}""", "needs a list")]
    [InlineData("""{"fields":[{"name":"f","rule":"rank","type":"number"}],"sides":[{"name":"crm","gives":["f"],"takes":[],"now":{"f":"many"}}]}""", "Side \"crm\", field \"f\": \"many\", which is not a number")]
    [InlineData("""{"fields":[{"name":"f","rule":"rank","type":"date"}],"sides":[{"name":"crm","gives":["f"],"takes":[],"now":{"f":"2026-02-30"}}]}""", "not a date")]
    [InlineData("""{"fields":[{"name":"f","rule":"rank"}],"sides":[{"name":"crm","gives":["g"],"takes":[],"now":{}}]}""", "Side \"crm\" gives \"g\"")]
    [InlineData("""{"fields":[{"name":"f","rule":"rank"}],"sides":[{"name":"crm","gives":["f"],"takes":["f"]}]}""", "Side \"crm\" has no \"now\"")]
    [InlineData("""{"fields":[{"name":"f","rule":"rank","rank":["erp"]}],"sides":[{"name":"crm","gives":["f"],"takes":["f"],"now":{}}]}""", "ranks \"erp\"")]
    public void A_scenario_that_can_not_be_read_says_where_and_why(string scenario, string says) =>
        Should.Throw<ScenarioException>(() => Scenario.Reconcile(scenario)).Message.ShouldContain(says);
}
