using System.Collections.Immutable;
using CsCheck;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Tests;

/// <summary>Differences that a formula settles.</summary>
public class ByFormulaTests
{
    private static readonly string[] Names = ["Slipway CRM", "Ballast ERP", "Pennant Mail"];

    private static ByFormula Rule(string formula, FieldType type = FieldType.Number) => new([0, 1, 2], formula, type, ["slipway", "ballast", "pennant"]);

    private static Value Number(decimal n) => new NumberValue(n);

    private static Verdict Decide(ByFormula rule, Value before, params (int Side, Value Says)[] says) =>
        rule.Decide([.. says.Select(s => new Candidate(s.Side, [s.Says], null))], [before], Names);

    [Fact]
    public void What_it_gives_is_the_agreed_value_and_comes_from_the_side_that_says_it()
    {
        var rule = Rule("MAX([Slipway CRM]; ballast) + 0");
        Decide(rule, Number(1), (0, Number(10)), (1, Number(12))).ShouldBe(new Verdict([Number(12)], 1, null, "the formula MAX([Slipway CRM]; ballast) + 0 gives what Ballast ERP says"), Same);
        Decide(Rule("([Slipway CRM] + [ballast erp]) / 2"), Number(1), (0, Number(10)), (1, Number(12))).ShouldBe(new Verdict([Number(11)], Candidate.WorkedOut, null, "the formula ([Slipway CRM] + [ballast erp]) / 2"), Same);
    }

    [Fact]
    public void A_side_that_did_not_change_it_says_what_was_agreed() =>
        Decide(Rule("pennant + before * 100"), Number(3), (0, Number(10)), (1, Number(12))).Values.ShouldBe([Number(303)]);

    [Theory]
    [InlineData("[Slipway CRM] / ([Ballast ERP] - 12)", "the formula gives #DIV/0!: a number was divided by zero")]
    [InlineData("\"twelve\"", "the formula gives \"twelve\", which is not a number")]
    [InlineData("[Ledger]", "the formula can't be used. At character 1: There is no field called Ledger")]
    public void Where_it_gives_no_value_a_person_is_asked(string formula, string why)
    {
        var verdict = Decide(Rule(formula), Number(1), (0, Number(10)), (1, Number(12)));
        verdict.IsConflict.ShouldBeTrue();
        verdict.Why.ShouldStartWith(why);
    }

    [Fact]
    public void What_a_person_decided_is_not_overruled() =>
        Decide(Rule("MAX([Slipway CRM]; [Ballast ERP])"), Number(1), (0, Number(10)), (Candidate.Person, Number(7))).Values.ShouldBe([Number(7)]);

    [Fact]
    public void L5_The_order_of_the_sides_does_not_matter() => Gen.Select(Gen.Int[0, 5], Gen.Int[0, 5], Gen.Int[0, 5]).Sample((a, b, c) =>
    {
        var rule = Rule("IF([Slipway CRM] > [Ballast ERP]; [Pennant Mail]; [Ballast ERP] + before)");
        (int, Value)[] says = [(0, Number(a)), (1, Number(b)), (2, Number(c))];
        Decide(rule, Number(1), says).ShouldBe(Decide(rule, Number(1), [.. says.Reverse()]), Same);
    });

    [Fact]
    public void In_a_mirror_it_settles_writes_both_sides_and_is_checked()
    {
        AgreedFieldDefinition Field(string? formula, string? group = null, FieldType type = FieldType.Number) =>
            new("Limit", type, [new SideField("limit", true, true, new AsItStands()), new SideField("CreditLimit", true, true, new AsItStands())], "formula", RuleFormula: formula, Group: group);
        MirrorDefinition Of(params AgreedFieldDefinition[] fields) => new("customers", "Customers", "customer", [new SideDefinition("slipway", "organisations"), new SideDefinition("ballast", "Customers")], [.. fields], [new RecognisingRule("Limit")], "Limit");

        var rules = Of(Field("MIN(slipway; ballast)")).Rules(Names[..2]);
        var outcome = Reconciler.Reconcile(rules, new RecordState([new AgreedField(Number(5), 0, null)], [new SideState([Number(10)], [Number(5)]), new SideState([Number(8)], [Number(5)])]));
        outcome.Changes.Single().After.Value.ShouldBe(Number(8));
        outcome.Writes.Select(w => (w.Side, w.Fields.Single().Value)).ShouldBe([(0, Number(8))]);
        outcome.Superseded.ShouldHaveSingleItem().Said.ShouldBe(Number(10));

        IEnumerable<string> Wrong(params AgreedFieldDefinition[] fields) => MappingCheck.Of(Of(fields), [CatalogueCollection.Unknown("a"), CatalogueCollection.Unknown("b")], Names[..2]).Where(f => f.IsWrong).Select(f => f.Words);
        Wrong(Field("MIN(slipway; ballast)")).ShouldBeEmpty();
        Wrong(Field(null)).ShouldHaveSingleItem().ShouldContain("No formula is given");
        Wrong(Field("MIN(slipway; pennant)")).ShouldHaveSingleItem().ShouldContain("There is no field called pennant");
        Wrong(Field("SUM(LINKED(\"invoices\"; \"Total\"))")).ShouldHaveSingleItem().ShouldContain("nothing of other records");
        Wrong(Field("1", "Money"), Field("1", "Money") with { Name = "Other", Rule = "ask" }).ShouldContain(w => w.Contains("settled as a whole", StringComparison.Ordinal));
    }

    [Fact]
    public void A_scenario_takes_it_too()
    {
        const string scenario = """
            {"fields":[{"name":"Limit","type":"number","rule":"formula","formula":"MIN(crm; erp)"}],"agreed":{"Limit":5},
             "sides":[{"name":"crm","gives":["Limit"],"takes":["Limit"],"now":{"Limit":10},"shadow":{"Limit":5}},{"name":"erp","gives":["Limit"],"takes":["Limit"],"now":{"Limit":8},"shadow":{"Limit":5}}]}
            """;
        Scenario.Reconcile(scenario).ToJsonString().ShouldContain("\"writes\":{\"crm\":{\"Limit\":8}}");
        Should.Throw<ScenarioException>(() => Scenario.Reconcile(scenario.Replace("MIN(crm; erp)", "MIN(crm; mail)", StringComparison.Ordinal))).Message.ShouldContain("There is no field called mail");
    }

    private static readonly IEqualityComparer<Verdict> Same = EqualityComparer<Verdict>.Create((a, b) => a.Values.AsSpan().SequenceEqual(b.Values.AsSpan()) && (a.Side, a.ChangedAt, a.Why) == (b.Side, b.ChangedAt, b.Why));
}
