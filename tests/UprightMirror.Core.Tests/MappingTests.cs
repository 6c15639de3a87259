using System.Collections.Immutable;
using System.Text.Json;
using CsCheck;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Tests;

/// <summary>Formulas as conversions, values there and back, and what is wrong with a mirror's fields.</summary>
public class MappingTests
{
    private static readonly DateTimeOffset Now = new(2026, 3, 2, 0, 0, 0, TimeSpan.Zero);

    private static RawFields Raw(string json) => RawFields.FromJson(JsonDocument.Parse(json).RootElement);

    private static SideField Cell(Conversion conversion) => new("name", true, true, conversion);

    private static RoundTripReport There(Conversion conversion, FieldType type, params string[] values) =>
        RoundTrip.Try(Cell(conversion), type, values.Select(v => RawFields.Of([KeyValuePair.Create("name", Value.Text(v))])), _ => "GB", Now);

    [Theory]
    [InlineData("UPPER(value)", null, FieldType.Text, "Kelburn", "KELBURN")]
    [InlineData("UPPER([name])", null, FieldType.Text, "Kelburn", "KELBURN")]
    [InlineData("[given] & \" \" & value", null, FieldType.Text, "Lunde", "Hanne Lunde")]
    [InlineData("VALUE(value) * 100", null, FieldType.Number, "12.5", "1250")]
    [InlineData("DATEVALUE(RIGHT(value; 4) & \"-\" & MID(value; 4; 2) & \"-\" & LEFT(value; 2))", null, FieldType.Date, "02/03/2026", "2026-03-02")]
    [InlineData("IF(value = \"Y\"; TRUE(); FALSE())", null, FieldType.YesNo, "Y", "yes")]
    [InlineData("PHONE(value)", null, FieldType.Phone, "0131 496 0210", "+44 131 496 0210")]
    public void A_formula_makes_the_agreed_value_of_the_sides_own_record(string formula, string? back, FieldType type, string held, string agreed)
    {
        var conversion = new FormulaConversion(formula, back);
        var record = Raw($$"""{"name":"{{held}}","given":"Hanne"}""");
        conversion.Read(new Reading(record["name"], record, type, "GB", Now), out var why)!.Display.ShouldBe(agreed);
        why.ShouldBeNull();
    }

    [Theory]
    [InlineData("VALUE(value)", "the formula \"VALUE(value)\" gives #VALUE! for \"ask\": \"ask\" is not a number")]
    [InlineData("LEFT(value", "its formula can't be used. At character 11: The brackets of LEFT at character 1 are not closed: ) or ; is expected")]
    [InlineData("\"seven\"", "the formula gives \"seven\", which is not a number")]
    public void What_a_formula_can_not_do_is_said_with_the_value_and_the_formula(string formula, string words)
    {
        var record = Raw("""{"name":"ask"}""");
        new FormulaConversion(formula, null).Read(new Reading(record["name"], record, FieldType.Number, null, Now), out var why).ShouldBeNull();
        why.ShouldBe(words);
    }

    [Fact]
    public void The_fields_that_a_formula_reads_beside_its_own_are_known()
    {
        new FormulaConversion("[given] & value & [family]", null).Inputs.ShouldBe(["given", "family"], ignoreOrder: true);
        Cell(new FormulaConversion("[given] & value", "value")).Reads.ShouldBe(["name", "given"]);
        new FormulaConversion("(", "[a] & [b]").Problems.Count().ShouldBe(2);
        new FormulaConversion("UPPER(value)", null).ShouldBe(new FormulaConversion("UPPER(value)", null));
    }

    [Fact]
    public void A_side_in_capitals_loses_the_case_and_it_is_told_with_examples()
    {
        var report = There(new FormulaConversion(null, "UPPER(value)"), FieldType.Text, "Kelburn", "TIDEWELL", "Mill Lane");
        (report.Looked, report.Of(TripEnd.Same), report.Of(TripEnd.Lossy)).ShouldBe((3, 1, 2));
        report.Examples.Select(e => (e.Raw.Display, e.Back.Display)).ShouldBe([("Kelburn", "KELBURN"), ("Mill Lane", "MILL LANE")]);
        report.Inverse.ShouldBe("[value]"); // As it stands: that is what would bring them back.
    }

    [Fact]
    public void What_is_only_written_another_way_is_no_loss_and_what_can_not_go_is_held()
    {
        var phones = There(new PhoneConversion(PhoneForm.International), FieldType.Phone, "0131 496 0210", "+44 131 496 0310", "ask reception");
        (phones.Of(TripEnd.Rewritten), phones.Of(TripEnd.Same), phones.Of(TripEnd.Held)).ShouldBe((1, 1, 1));
        There(new CodeList([("GBR", "GB"), ("UK", "GB")]), FieldType.Text, "GBR", "UK").Of(TripEnd.Lossy).ShouldBe(1);
    }

    [Fact]
    public void The_formula_for_the_way_back_is_found_where_there_is_one()
    {
        var report = There(new FormulaConversion("\"0\" & MID(value; 5; LEN(value))", null), FieldType.Text, "+353861234567", "+353872223344", "+353851112233");
        report.Of(TripEnd.Lossy).ShouldBe(3);
        var back = new FormulaConversion("\"0\" & MID(value; 5; LEN(value))", report.Inverse.ShouldNotBeNull());
        There(back, FieldType.Text, "+353861234567", "+353897776655").Of(TripEnd.Same).ShouldBe(2);
    }

    /// <summary>Whatever the values: each ends one way, and what goes there and back unchanged by both formulas is the same.</summary>
    [Fact]
    public void Every_value_ends_one_way() => Gen.String[1, 20].Array[1, 30].Sample(values =>
    {
        var report = There(new AsItStands(), FieldType.Text, values);
        return report.Counts.Values.Sum() == report.Looked && report.Of(TripEnd.Lossy) + report.Of(TripEnd.Held) <= values.Count(v => v.Trim().Length == 0 || v != v.Trim());
    }, iter: 200);

    private static CatalogueCollection Described(params CatalogueField[] fields) => new("x", fields.ToImmutableDictionary(f => f.Path));

    private static MirrorDefinition With(params AgreedFieldDefinition[] fields) => new("m", "M", "customer", [new SideDefinition("a", "x"), new SideDefinition("b", "x", MayCreate: false)], [.. fields], [], "Name");

    private static AgreedFieldDefinition Field(string name, SideField? a, SideField? b, FieldType type = FieldType.Text) => new(name, type, [a, b]);

    private static SideField At(string path, bool gives = true, bool takes = true, Conversion? conversion = null) => new(path, gives, takes, conversion ?? new AsItStands());

    [Fact]
    public void A_mapping_that_is_right_has_no_findings() =>
        MappingCheck.Of(With(Field("Name", At("name"), At("Title"))), [Described(new CatalogueField("name", "string", true, false, 60)), Described(new CatalogueField("Title", "string", true, false, 60))], ["A", "B"]).ShouldBeEmpty();

    [Theory]
    [InlineData("readOnly", true, "A writes name itself: it can't be told. Let it give Name only.")]
    [InlineData("vanished", true, "A has no field gone (any more). Pick another one, or read its catalogue again.")]
    [InlineData("formula", true, "The formula to the agreed form: At character 5: The formula ends too early: a field, a text in quotes, a number or a function is expected.")]
    [InlineData("reads", true, "A has no field nowhere (any more). Pick another one, or read its catalogue again.")]
    [InlineData("reads what is written", false, "Name is made of A's other too, which this mirror writes: after such a write it takes one more run until Name follows.")]
    [InlineData("nobody gives", true, "Nobody gives Name, so it never has a value. Let a side give it.")]
    [InlineData("nobody takes", false, "No other side takes Name: it is known, and goes nowhere. Let a side take it, if it should.")]
    [InlineData("long", false, "name of A takes 40 characters, and Name may have 60. A longer one would be held; the formula LEFT(value; 40) cuts it.")]
    [InlineData("type", false, "name of A is integer, and Name is text. Check the values, or add a conversion.")]
    [InlineData("codes", true, "The code list has XX, which A does not take in name. It takes GB, IE.")]
    [InlineData("allowed", false, "name of A takes only GB, IE. Add a code list, so that nothing else is sent.")]
    [InlineData("twice", true, "Two agreed fields are called Name. Give one of them another name.")]
    [InlineData("taken twice", true, "A would be told two things in name: by Other and by Name. Let one of them not be taken there.")]
    [InlineData("required", false, "A requires vat for a new customer, and nobody supplies it. Map it, unless A fills it in by itself.")]
    [InlineData("one way", false, "Name goes to and from A's name with a formula for one way only. Try it there and back, and add the other.")]
    [InlineData("empty row", false, "Spare is on no side yet. Pick a field of a side for it, or take it away.")]
    public void What_is_wrong_or_doubtful_is_found_with_a_way_to_put_it_right(string what, bool isWrong, string words)
    {
        var (name, title) = (new CatalogueField("name", "string", false, false, 60), new CatalogueField("Title", "string", false, false, 60));
        var good = Field("Name", At("name"), At("Title"));
        var (fields, described) = what switch
        {
            "readOnly" => ([good], name with { ReadOnly = true }),
            "vanished" => ([good with { Cells = [At("gone"), At("Title")] }], name),
            "formula" => ([good with { Cells = [At("name", conversion: new FormulaConversion("1 + ", "value")), At("Title")] }], name),
            "reads" => ([good with { Cells = [At("name", takes: false, conversion: new FormulaConversion("value & [nowhere]", null)), At("Title")] }], name),
            "reads what is written" => ([good with { Cells = [At("name", takes: false, conversion: new FormulaConversion("value & [other]", null)), At("Title")] }, Field("Other", At("other"), null)], name),
            "nobody gives" => ([good with { Cells = [At("name", gives: false), At("Title", gives: false)] }], name),
            "nobody takes" => ([good with { Cells = [At("name", takes: false), At("Title", takes: false)] }], name),
            "long" => ([good], name with { MaxLength = 40 }),
            "type" => ([good], name with { Type = "integer", MaxLength = null }),
            "codes" => ([good with { Cells = [At("name", conversion: new CodeList([("GB", "GB"), ("XX", "?")])), At("Title")] }], name with { Allowed = ["GB", "IE"] }),
            "allowed" => ([good], name with { Allowed = ["GB", "IE"] }),
            "twice" => ([good, good with { Cells = [null, At("Title")] }], name),
            "taken twice" => ([good, Field("Other", At("name"), At("Title", takes: false))], name),
            "one way" => ([good with { Cells = [At("name", conversion: new FormulaConversion("UPPER(value)", null)), At("Title")] }], name),
            "empty row" => ([good, Field("Spare", null, null)], name),
            _ => (ImmutableArray.Create(good), name),
        };
        var catalogue = what == "required" ? Described(described, new CatalogueField("vat", "string", true, false, null)) : Described(described);
        MappingCheck.Of(With([.. fields]), [catalogue, Described(title)], ["A", "B"]).ShouldContain(f => f.IsWrong == isWrong && f.Words == words);
    }
}
