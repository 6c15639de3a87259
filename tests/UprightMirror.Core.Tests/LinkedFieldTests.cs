using System.Collections.Immutable;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Tests;

/// <summary>Fields that are worked out of the records of other mirrors that point at a record: a customer's open amount, of its invoices.</summary>
public class LinkedFieldTests
{
    private static readonly DateTimeOffset Noon = new(2026, 3, 2, 12, 0, 0, TimeSpan.Zero);

    private static SideField At(string path, Conversion? conversion = null) => new(path, true, true, conversion ?? new AsItStands());

    private static MirrorDefinition Customers(string formula, FieldType type = FieldType.Number) => new("customers", "Customers", "customer", [new SideDefinition("crm", "organisations"), new SideDefinition("mail", "companies")],
        [new AgreedFieldDefinition("Name", FieldType.Text, [At("name"), At("name")]), new AgreedFieldDefinition("Worked out", type, [null, new SideField("field", false, true, new AsItStands())], WorkedOut: formula)], [new RecognisingRule("Name")], "Name");

    private static MirrorDefinition Invoices(params string[] pointing) => new("invoices", "Invoices", "invoice", [new SideDefinition("erp", "Invoices"), new SideDefinition("crm", "invoices")],
        [
            new AgreedFieldDefinition("Number", FieldType.Text, [At("no"), At("number")]), new AgreedFieldDefinition("Total", FieldType.Number, [At("total"), At("total")]),
            new AgreedFieldDefinition("Issued on", FieldType.Date, [At("on"), At("on")]),
            .. pointing.Select(p => new AgreedFieldDefinition(p, FieldType.Reference, [At(p, new ReferenceTo("customers")), At(p, new ReferenceTo("customers"))])),
        ], [new RecognisingRule("Number")], "Number");

    private static Surroundings Linked(string field, params Value[] values) => Surroundings.None with { Linked = ImmutableDictionary<LinkedField, ImmutableArray<Value>>.Empty.Add(new LinkedField("invoices", field), [.. values]) };

    private static (Value Value, string? Why) Work(string formula, FieldType type, Surroundings around)
    {
        Value[] agreed = [Value.Text("Brae Hire"), Value.Empty];
        var problems = WorkedOutField.Fill(Customers(formula, type).Rules(["CRM", "Mail"], Noon), agreed, around);
        return (agreed[1], problems.GetValueOrDefault(1));
    }

    [Theory]
    [InlineData("SUM(LINKED(\"invoices\"; \"Total\"))", "1848.75")]
    [InlineData("SUM(linked(\"INVOICES\"; \"total\")) / 2", "924.375")]
    [InlineData("COUNTFILLED(LINKED(\"invoices\"; \"Total\"))", "2")]
    [InlineData("MAX(LINKED(\"invoices\"; \"Total\")) + LEN(Name)", "1209")]
    public void They_are_added_up_counted_and_compared_as_a_list_is(string formula, string result) =>
        Work(formula, FieldType.Number, Linked("Total", new NumberValue(1200), Value.Empty, new NumberValue(648.75m))).ShouldBe((new NumberValue(decimal.Parse(result, System.Globalization.CultureInfo.InvariantCulture)), null));

    [Fact]
    public void The_latest_date_is_a_date_and_none_is_empty_where_the_formula_says_so()
    {
        const string Last = "IF(COUNTFILLED(LINKED(\"invoices\"; \"Issued on\")) = 0; \"\"; MAX(LINKED(\"invoices\"; \"Issued on\")))";
        Work(Last, FieldType.Date, Linked("Issued on", new DateValue(new DateOnly(2026, 2, 3)), new DateValue(new DateOnly(2025, 12, 31)))).ShouldBe((new DateValue(new DateOnly(2026, 2, 3)), null));
        Work(Last, FieldType.Date, Linked("Issued on")).ShouldBe((Value.Empty, null));
    }

    [Fact]
    public void What_was_not_looked_up_is_no_zero() =>
        Work("SUM(LINKED(\"invoices\"; \"Total\"))", FieldType.Number, Surroundings.None).Why!.ShouldContain("what the linked invoices hold is not known here");

    [Fact]
    public void A_record_is_told_when_what_it_looks_at_moved_and_is_quiet_when_it_did_not()
    {
        var rules = Customers("SUM(LINKED(\"invoices\"; \"Total\"))").Rules(["CRM", "Mail"], Noon);
        Value[] agreed = [Value.Text("Brae Hire"), new NumberValue(1200)];
        RecordState State(params Value[] totals) => new([.. agreed.Select(v => new AgreedField(v, 0, null))], [new SideState([agreed[0], Value.Empty], [agreed[0], null]), new SideState(agreed, agreed)]) { Around = Linked("Total", totals) };

        Reconciler.Reconcile(rules, State(new NumberValue(1200))).ShouldBeSameAs(Outcome.Unchanged);
        Reconciler.Reconcile(rules, State(new NumberValue(700), new NumberValue(500))).Writes.ShouldBeEmpty();
        var written = Reconciler.Reconcile(rules, State(new NumberValue(1200), new NumberValue(300))).Writes.ShouldHaveSingleItem().Fields.ShouldHaveSingleItem();
        (written.Field, written.Value, written.Why).ShouldBe((1, new NumberValue(1500), "worked out of Total of the linked invoices"));
    }

    [Theory]
    [InlineData("LINKED(\"invoices\"; \"Total\")", null)]
    [InlineData("LINKED(\"Invoices\"; \"total\"; \"Payer\")", null)]
    [InlineData("LINKED(\"bills\"; \"Total\")", "there is no mirror called bills. There are invoices.")]
    [InlineData("LINKED(\"invoices\"; \"Sum\")", "Invoices has no field called Sum.")]
    [InlineData("LINKED(\"invoices\"; \"Payer\")", "Payer of Invoices points at records, which no formula can work with.")]
    [InlineData("LINKED(\"invoices\"; \"Total\"; \"Shipped to\")", "does not point at Customers by Shipped to, but by Payer.")]
    [InlineData("LINKED(Name; \"Total\")", "wants names in quotes")]
    [InlineData("1 + 2 + -LINKED(\"invoices\"; Name) %", "wants names in quotes")]
    public void The_check_says_what_is_meant_or_what_is_wrong(string formula, string? problem)
    {
        var words = WorkedOutField.Problems(Customers(formula), [Customers(formula), Invoices("Payer")]).Select(p => p.Words).ToList();
        if (problem is null)
        {
            words.ShouldBeEmpty();
        }
        else
        {
            words.ShouldHaveSingleItem().ShouldContain(problem);
        }
    }

    [Fact]
    public void Of_two_ways_to_point_one_must_be_named_and_none_is_told()
    {
        var asks = Customers("SUM(LINKED(\"invoices\"; \"Total\"))");
        WorkedOutField.Problems(asks, [asks, Invoices("Payer", "Ordered by")]).ShouldHaveSingleItem().Words.ShouldContain("Say which: LINKED(\"invoices\"; \"Total\"; \"Payer\").");
        WorkedOutField.Problems(asks, [asks, Invoices()]).ShouldHaveSingleItem().Words.ShouldContain("no field of Invoices points at Customers.");
        asks.LooksAt.ShouldBe([new LinkedField("invoices", "Total")]);
    }
}
