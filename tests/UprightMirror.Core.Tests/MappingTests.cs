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
        RoundTrip.Try(Cell(conversion), type, values.Select(v => RawFields.Of([KeyValuePair.Create("name", Value.Text(v))])), _ => "GB", new ConversionSetting(Now));

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
        conversion.Read(new Reading(record["name"], record, type, "GB", new ConversionSetting(Now)), out var why)!.Display.ShouldBe(agreed);
        why.ShouldBeNull();
    }

    [Theory]
    [InlineData("VALUE(value)", "the formula \"VALUE(value)\" gives #VALUE! for \"ask\": \"ask\" is not a number")]
    [InlineData("LEFT(value", "its formula can't be used. At character 11: The brackets of LEFT at character 1 are not closed: ) or ; is expected")]
    [InlineData("\"seven\"", "the formula gives \"seven\", which is not a number")]
    public void What_a_formula_can_not_do_is_said_with_the_value_and_the_formula(string formula, string words)
    {
        var record = Raw("""{"name":"ask"}""");
        new FormulaConversion(formula, null).Read(new Reading(record["name"], record, FieldType.Number, null, new ConversionSetting(Now)), out var why).ShouldBeNull();
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

    private static MirrorDefinition With(params AgreedFieldDefinition[] fields) => new("m", "M", "customer", [new SideDefinition("a", "x"), new SideDefinition("b", "x", MayCreate: false)], [.. fields], [new RecognisingRule("Name")], "Name");

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
    [InlineData("required", false, "A requires vat for a new customer, and nobody supplies it. Map it or give it a constant, unless A fills it in by itself.")]
    [InlineData("code twice", true, "The code \"GB\" stands in the list 2 times, for \"Britain\" and for \"Ireland\". A code can only mean one thing: take one of them out.")]
    [InlineData("empty list", true, "The code list between Name and A's name is empty: every record would be held. Fill it from the values that were seen.")]
    [InlineData("lost list", true, "There is no code list Countries any more. Choose another, or make it again.")]
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
            "code twice" => ([good with { Cells = [At("name", conversion: new CodeList([("GB", "Britain"), ("gb", "Ireland")])), At("Title")] }], name),
            "empty list" => ([good with { Cells = [At("name", conversion: new CodeList([])), At("Title")] }], name),
            "lost list" => ([good with { Cells = [At("name", conversion: new CodeList(new CodeTable([("GB", "GB")]), "Countries")), At("Title")] }], name),
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

    [Theory]
    [InlineData("gone", "x", "A has no field gone (any more). Take the constant out, or pick another field.")]
    [InlineData("name", "x", "A would be told two things in name: the constant \"x\" and Name. Take one of them out.")]
    [InlineData("stamp", "x", "A writes stamp itself: it can't be given a constant. Take it out.")]
    [InlineData("terms", "n90", "A does not take \"n90\" in terms. It takes n30, n60.")]
    [InlineData("count", "many", "count of A is a number, and \"many\" is none.")]
    [InlineData("short", "too long", "short of A takes 3 characters, and the constant has 8.")]
    public void A_constant_that_its_side_can_not_take_is_wrong(string path, string text, string words)
    {
        var mirror = With(Field("Name", At("name"), At("Title"))) with { Sides = [new SideDefinition("a", "x", Constants: [new SideConstant(path, text)]), new SideDefinition("b", "x", MayCreate: false)] };
        CatalogueField Of(string name) => new(name, "string", false, false, null);
        var finding = MappingCheck.Of(mirror, [Described(Of("name"), Of("stamp") with { ReadOnly = true }, Of("terms") with { Allowed = ["n30", "n60"] }, Of("count") with { Type = "integer" }, Of("short") with { MaxLength = 3 }), Described(Of("Title"))], ["A", "B"]).ShouldHaveSingleItem();
        (finding.IsWrong, finding.Side, finding.Path, finding.Words).ShouldBe((true, 0, path, words));
    }

    [Fact]
    public void A_constant_supplies_what_a_side_requires_and_is_said_in_plain_words()
    {
        var mirror = With(Field("Name", At("name"), At("Title"))) with { Sides = [new SideDefinition("a", "x", Constants: [new SideConstant("terms", "n30")]), new SideDefinition("b", "x", MayCreate: false)] };
        MappingCheck.Of(mirror, [Described(new CatalogueField("name", "string", false, false, 60), new CatalogueField("terms", "string", true, false, 60)), Described(new CatalogueField("Title", "string", false, false, 60))], ["A", "B"]).ShouldBeEmpty();
        PlainWords.OfMirror(mirror, ["A", "B"]).ShouldContain("A customer created in A is given terms \"n30\".");
    }

    [Fact]
    public void An_empty_mirror_says_what_comes_first() =>
        MappingCheck.Of(With() with { Recognising = [], TitleField = "" }, [Described(), Described()], ["A", "B"]).ShouldHaveSingleItem().Words.ShouldStartWith("Nothing is mapped yet.");

    [Theory]
    [InlineData(UnknownCodes.Hold, null, null)]
    [InlineData(UnknownCodes.Pass, null, "XX")]
    [InlineData(UnknownCodes.Value, "other", "other")]
    public void An_unknown_code_is_held_passed_or_stood_for_as_the_list_says(UnknownCodes kind, string? stand, string? becomes)
    {
        var table = new CodeTable([("GBR", "GB"), ("UK", "GB")], new UnknownCode(kind, stand), new UnknownCode(kind, stand));
        table.ToAgreed("XX")?.Display.ShouldBe(becomes);
        table.ToSide("XX")?.Display.ShouldBe(becomes);
        (table.ToAgreed("XX") is null).ShouldBe(becomes is null);
        table.ToAgreed(" gbr ")!.Display.ShouldBe("GB");
        table.ToSide("gb")!.Display.ShouldBe("GBR");
    }

    [Fact]
    public void A_default_is_told_where_the_agreed_value_is_empty_in_the_form_that_the_side_wants()
    {
        var mirror = With(Field("Limit", At("limit") with { Default = "500" }, At("Limit") with { Default = "none" }, FieldType.Number));
        var numbers = Described(new CatalogueField("limit", "decimal", true, false, null));
        new Translator(mirror, 0, numbers).ToSide(0, Value.Empty, out var problem).ShouldBe(new NumberValue(500));
        problem.ShouldBeNull();
        new Translator(mirror, 1, Described(new CatalogueField("Limit", "string", false, false, 10))).ToSide(0, Value.Empty, out _).ShouldBe(Value.Text("none"));
        new Translator(mirror, 0, numbers).ToSide(0, new NumberValue(7), out _).ShouldBe(new NumberValue(7));
    }

    [Fact]
    public void Shared_code_lists_stand_in_every_field_that_uses_them()
    {
        var mirror = With(Field("Country", At("country", conversion: new CodeList(new CodeTable([]), "Countries")), At("Land")));
        var table = new CodeTable([("GBR", "GB")]);
        mirror.With(System.Collections.Immutable.ImmutableDictionary<string, CodeTable>.Empty.Add("Countries", table)).Fields[0].Cells[0]!.Conversion.ToAgreed(Value.Text("GBR"), FieldType.Text, null)!.Display.ShouldBe("GB");
    }

    [Fact]
    public void A_doubt_that_a_person_judged_is_marked_and_comes_back_when_it_is_said_otherwise_and_what_is_wrong_can_not_be_judged()
    {
        var lonely = new AgreedFieldDefinition("Note", FieldType.Text, [new SideField("note", true, true, new AsItStands()), null]);
        var gone = new AgreedFieldDefinition("Gone", FieldType.Text, [new SideField("gone", false, true, new AsItStands()), null]);
        var mirror = new MirrorDefinition("m", "M", "customer", [new SideDefinition("a", "as"), new SideDefinition("b", "bs")], [lonely, gone], [new RecognisingRule("Note")], "Note");
        CatalogueCollection[] unknown = [CatalogueCollection.Unknown("as"), CatalogueCollection.Unknown("bs")];
        var words = MappingCheck.Of(mirror, unknown, ["A", "B"]).Select(f => f.Words).ToImmutableArray();
        words.Length.ShouldBe(2);

        var judged = MappingCheck.Of(mirror with { Judged = words }, unknown, ["A", "B"]);
        judged.Select(f => (f.IsWrong, f.IsJudged)).ShouldBe([(true, false), (false, true)]);

        MappingCheck.Of(mirror with { Judged = words, Fields = [lonely with { Name = "Remark" }], Recognising = [new RecognisingRule("Remark")], TitleField = "Remark" }, unknown, ["A", "B"]).Single().IsJudged.ShouldBeFalse();
    }
}
