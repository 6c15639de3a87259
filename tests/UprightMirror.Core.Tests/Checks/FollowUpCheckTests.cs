using UprightMirror.Core.Checks;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Timing;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Tests.Checks;

/// <summary>A check's condition is true of what is agreed and what each side says; what it can't use is told before it is kept.</summary>
public class FollowUpCheckTests
{
    private static readonly DateTimeOffset Now = new(2026, 3, 2, 8, 0, 0, TimeSpan.Zero);
    private static readonly string[] Names = ["Tide CRM", "Mail"];

    private static SideField Cell(string path, Conversion? conversion = null, bool moves = false) => new(path, moves, moves, conversion ?? new AsItStands());

    private static readonly MirrorDefinition People = new(
        "people", "People", "person", [new SideDefinition("tide", "people"), new SideDefinition("mail", "persons")],
        [
            new AgreedFieldDefinition("E-mail", FieldType.Text, [Cell("email", moves: true), Cell("email", moves: true)]),
            new AgreedFieldDefinition("Company", FieldType.Reference, [Cell("company", new ReferenceTo("firms")), Cell("firm_no", new ReferenceTo("firms"))]),
            new AgreedFieldDefinition("Score", FieldType.Number, [null, Cell("score")]),
            new AgreedFieldDefinition("Lines", FieldType.Lines, [Cell("lines"), Cell("lines")]),
            new AgreedFieldDefinition("v2.Note", FieldType.Text, [Cell("note", moves: true), null]),
        ],
        [new RecognisingRule("E-mail")], "E-mail");

    private static readonly MirrorDefinition Deals = new(
        "deals", "Deals", "deal", [new SideDefinition("tide", "deals")],
        [new AgreedFieldDefinition("Person", FieldType.Reference, [Cell("person", new ReferenceTo("people"))]), new AgreedFieldDefinition("Stage", FieldType.Text, [Cell("stage")])], [], "Stage");

    private static FollowUpCheck Check(string condition, HangingRecords? hanging = null, MirrorTiming? timing = null, string name = "Another company") => new(name, condition, hanging, timing ?? MirrorTiming.ByHandOnly);

    private static string? Problem(FollowUpCheck check) => check.Problem(People, Names, [(People, Names), (Deals, ["Tide CRM"])], Now);

    [Theory]
    [InlineData("E-mail", null, 0)]
    [InlineData("e-MAIL", null, 0)]
    [InlineData("Tide CRM.Company", 0, 1)]
    [InlineData("tide.company", 0, 1)]
    [InlineData("mail.Score", 1, 2)]
    [InlineData("v2.Note", null, 4)]
    [InlineData("Tide CRM.v2.Note", 0, 4)]
    public void A_name_means_what_is_agreed_or_what_a_side_says(string name, int? side, int field) =>
        Assert.Equal(new CheckedField(side, field), CheckedField.Find(name, People, Names));

    [Theory]
    [InlineData("Tide CRM.Score")] // That side does not keep it.
    [InlineData("Elsewhere.Company")]
    [InlineData("Mail.")]
    [InlineData(".Company")]
    [InlineData("")]
    public void Any_other_name_means_nothing(string name) => Assert.Null(CheckedField.Find(name, People, Names));

    [Theory]
    [InlineData("", "No formula is given.")]
    [InlineData("[Mail.Company] <>", "")]
    [InlineData("[Nobody.Company] = 1", "Nobody.Company")]
    [InlineData("SUM(LINKED(\"deals\"; \"Stage\")) > 1", "LINKED asks for something else")]
    [InlineData("FLAGGED(\"x\")", "FLAGGED asks for something else")]
    [InlineData("[Mail.Lines] = 1", "holds lines")]
    public void A_condition_that_cannot_be_used_is_refused_with_why(string condition, string why)
    {
        var problem = Problem(Check(condition));
        Assert.NotNull(problem);
        Assert.Contains(why, problem, StringComparison.Ordinal);
    }

    [Fact]
    public void What_hangs_on_it_must_point_here()
    {
        const string fine = "[Mail.Score] > 3";
        Assert.Null(Problem(Check(fine, new HangingRecords("deals", "Tide CRM.Person", "[Tide CRM.Stage] = \"New\""))));
        Assert.Contains("no mirror boats", Problem(Check(fine, new HangingRecords("boats", "Person", null))), StringComparison.Ordinal);
        Assert.Contains("does not point at records of People", Problem(Check(fine, new HangingRecords("deals", "Stage", null))), StringComparison.Ordinal);
        Assert.Contains("Which of Deals are listed", Problem(Check(fine, new HangingRecords("deals", "Person", "[Colour] = 1"))), StringComparison.Ordinal);
    }

    [Fact]
    public void Its_name_and_its_times_are_looked_at_too()
    {
        Assert.Contains("name", Problem(Check("[Mail.Score] > 3", name: " ")), StringComparison.Ordinal);
        Assert.Contains("never comes", Problem(Check("[Mail.Score] > 3", timing: new MirrorTiming(TimingKind.Calendar, Calendar: "0 0 31 2 *"))), StringComparison.Ordinal);
        Assert.Null(Problem(Check("[Mail.Score] > 3", timing: new MirrorTiming(TimingKind.After, After: "people"))));
    }

    private static readonly (Guid One, Guid Other) Firms = (Guid.NewGuid(), Guid.NewGuid());

    /// <summary>Both firms are called the same: they are told apart by which they are.</summary>
    private static readonly References Known = new([
        new ReferenceKnown("firms", "tide", "c1", Firms.One, "Brae Hire"), new ReferenceKnown("firms", "mail", "1", Firms.One, "Brae Hire"),
        new ReferenceKnown("firms", "tide", "c2", Firms.Other, "Brae Hire"), new ReferenceKnown("firms", "mail", "2", Firms.Other, "Brae Hire")]);

    private static bool? IsTrue(string condition, (string Path, string Text)[]? tide, (string Path, string Text)[]? mail, out string? why)
    {
        var formula = SideFormula.Read(condition, People, Names, out var problem);
        Assert.True(formula is not null, problem);
        var sides = new[] { tide, mail }.Select((held, side) => held is null ? null : new Translator(People, side, Core.Catalogues.CatalogueCollection.Unknown("x"), Now, Known).ToAgreed(RawFields.Of(held.Select(h => KeyValuePair.Create(h.Path, Value.Text(h.Text)))))).ToList();
        var agreed = new Dictionary<string, AgreedValue> { ["E-mail"] = new(Value.Text("aoife@club.example"), 0, null, null, Now, 1, "") };
        return formula.IsTrue(new LinkedRecord(Guid.NewGuid(), "Aoife", agreed, [], [], new Dictionary<int, Reconciling.Removal>()), sides, Now, out why);
    }

    [Theory]
    [InlineData("c1", "1", false)]
    [InlineData("c1", "2", true)]
    [InlineData("", "2", true)]
    [InlineData("", "", false)]
    public void Two_sides_that_point_at_different_records_differ_whatever_these_are_called(string tide, string mail, bool differ)
    {
        Assert.Equal(differ, IsTrue("[Tide CRM.Company] <> [Mail.Company]", [("company", tide)], [("firm_no", mail)], out var why));
        Assert.Null(why);
    }

    [Fact]
    public void A_record_that_a_side_does_not_have_is_passed_over_and_one_that_cannot_be_read_is_told()
    {
        Assert.False(IsTrue("[Tide CRM.Company] <> [Mail.Company]", [("company", "c1")], null, out _));
        Assert.Null(IsTrue("[Tide CRM.Company] <> [Mail.Company]", [("company", "c1")], [("firm_no", "99")], out var why));
        Assert.Contains("not linked yet", why, StringComparison.Ordinal);
        Assert.Null(IsTrue("[Mail.Score] / 0 > 1", [], [("score", "4")], out why));
        Assert.Contains("#DIV/0!", why, StringComparison.Ordinal);
        Assert.True(IsTrue("IFERROR([Tide CRM.Company] <> [Mail.Company]; TRUE())", [("company", "c1")], [("firm_no", "99")], out _));
        Assert.True(IsTrue("[E-mail] = \"aoife@club.example\"", null, null, out _));
    }

    [Fact]
    public void What_is_only_compared_holds_no_record()
    {
        var held = new Translator(People, 1, Core.Catalogues.CatalogueCollection.Unknown("persons"), Now, Known).ToAgreed(RawFields.Of([KeyValuePair.Create("firm_no", Value.Text("99"))]));
        Assert.True(held.IsClear);
        Assert.Equal("Company", People.Fields[Assert.Single(held.Problems).Field].Name);
        Assert.False(new Translator(People with { Fields = [.. People.Fields.Select(f => f.Name == "Company" ? f with { Cells = [f.Cells[0], f.Cells[1]! with { Gives = true }] } : f)] }, 1, Core.Catalogues.CatalogueCollection.Unknown("persons"), Now, Known)
            .ToAgreed(RawFields.Of([KeyValuePair.Create("firm_no", Value.Text("99"))])).IsClear);
    }

    [Fact]
    public void A_worked_out_field_carries_the_flag()
    {
        var mirror = People with { Fields = [.. People.Fields, new AgreedFieldDefinition("Follow up", FieldType.Text, [Cell("custom", moves: false), null], WorkedOut: "IF(FLAGGED(\"another COMPANY\"); \"ask\"; \"\")")] };
        Assert.True(mirror.AsksForFlags);
        Assert.False(People.AsksForFlags);
        var rules = mirror.Rules(Names, Now);
        var agreed = Enumerable.Repeat(Value.Empty, mirror.Fields.Length).ToArray();
        Assert.Empty(WorkedOutField.Fill(rules, agreed, Reconciling.Surroundings.None with { Flags = Core.Formulas.Flags.None.Add("Another company") }));
        Assert.Equal("ask", agreed[^1].Display);
        Assert.Empty(WorkedOutField.Fill(rules, agreed, Reconciling.Surroundings.None));
        Assert.True(agreed[^1].IsEmpty);
    }
}
