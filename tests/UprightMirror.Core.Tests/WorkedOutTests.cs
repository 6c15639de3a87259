using System.Collections.Immutable;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Tests;

/// <summary>Fields that no side gives: worked out of the other agreed fields and the ids that sides have for the record.</summary>
public class WorkedOutTests
{
    private static readonly DateTimeOffset Noon = new(2026, 3, 2, 12, 0, 0, TimeSpan.Zero);
    private static readonly string[] Names = ["Slipway CRM", "Ballast ERP"];

    private static SideField At(string path, bool gives, bool takes) => new(path, gives, takes, new AsItStands());

    private static AgreedFieldDefinition Given(string name, FieldType type = FieldType.Text) => new(name, type, [At(name, true, true), At(name, true, true)]);

    private static AgreedFieldDefinition Made(string name, string formula, FieldType type = FieldType.Text, bool gives = false) => new(name, type, [null, At(name, gives, true)], WorkedOut: formula);

    private static MirrorDefinition Of(params AgreedFieldDefinition[] fields) => new("people", "People", "person", [new SideDefinition("slipway", "people"), new SideDefinition("ballast", "People")], [.. fields], [new RecognisingRule("First")], "First");

    private static ReconcileRules Rules(params AgreedFieldDefinition[] fields) => Of(fields).Rules(Names, Noon);

    private static Value Text(string text) => Value.Text(text);

    /// <summary>A record that both sides have: everything agreed and held as given, but for what the CRM says now.</summary>
    private static RecordState Held(Value[] agreed, Value[] crm, params string?[] ids) => new(
        [.. agreed.Select(v => new AgreedField(v, 0, null))],
        [new SideState(crm, agreed), new SideState(agreed, agreed)])
    { Around = Surroundings.None with { Ids = [.. ids] } };

    [Fact]
    public void It_follows_the_fields_that_it_is_made_of_and_the_side_that_takes_it_is_told()
    {
        var rules = Rules(Given("First"), Given("Family"), Made("Whole name", "JOIN(\" \"; first; family)"));
        Value[] before = [Text("Hanne"), Text("Lunde"), Text("Hanne Lunde")];
        var outcome = Reconciler.Reconcile(rules, Held(before, [Text("Hanne"), Text("Voll"), Value.Empty], "o1", "C-1"));

        outcome.Changes.Single(c => c.Field == 2).After.ShouldBe(new AgreedField(Text("Hanne Voll"), Candidate.WorkedOut, null));
        outcome.Writes.Single().Fields.Select(f => (f.Field, f.Value.Display)).ShouldBe([(1, "Voll"), (2, "Hanne Voll")]);
        outcome.Writes.Single().Fields[1].Why.ShouldBe("worked out of First, Family");
    }

    [Fact]
    public void Where_nothing_moved_nothing_is_written_and_an_edit_on_the_taking_side_is_put_back()
    {
        var rules = Rules(Given("First"), Made("Loud", "UPPER(First)"));
        Value[] agreed = [Text("Hanne"), Text("HANNE")];
        Reconciler.Reconcile(rules, Held(agreed, agreed, "o1", "C-1")).ShouldBeSameAs(Outcome.Unchanged);

        var drifted = new RecordState(Held(agreed, agreed).Agreed, [new SideState(agreed, agreed), new SideState([Text("Hanne"), Text("typed over")], agreed)]);
        Reconciler.Reconcile(rules, drifted).Writes.Single().Fields.Single().Value.ShouldBe(Text("HANNE"));
    }

    [Fact]
    public void A_formula_that_became_another_is_noticed_without_any_edit()
    {
        Value[] agreed = [Text("Hanne"), Text("HANNE")];
        var outcome = Reconciler.Reconcile(Rules(Given("First"), Made("Loud", "LOWER(First)")), Held(agreed, agreed));
        outcome.Writes.Single().Fields.Single().Value.ShouldBe(Text("hanne"));
    }

    [Fact]
    public void One_may_be_made_of_another_whatever_their_order()
    {
        var rules = Rules(Given("First"), Made("Long", "Loud & \"!\""), Made("Loud", "UPPER(First)"));
        rules.WorkedOut.ShouldBe([2, 1]);
        Value[] agreed = [Text("Hanne"), Value.Empty, Value.Empty];
        WorkedOutField.Fill(rules, agreed, Surroundings.None).ShouldBeEmpty();
        agreed.Select(v => v.Display).ShouldBe(["Hanne", "HANNE!", "HANNE"]);
    }

    [Fact]
    public void The_id_in_another_system_is_known_by_the_systems_name_or_key_once_it_has_the_record()
    {
        var rules = Rules(Given("First"), Made("Office number", "REFERENCE(\"Ballast ERP\")"), Made("Both", "REFERENCE(\"slipway\") & REFERENCE(\"ballast\")"));
        rules.Fields[1].WorkedOut!.UsesIds.ShouldBeTrue();
        Value[] agreed = [Text("Hanne"), Value.Empty, Value.Empty];
        WorkedOutField.Fill(rules, agreed, Surroundings.None with { Ids = ["o1", null] });
        agreed[1].ShouldBe(Value.Empty);
        WorkedOutField.Fill(rules, agreed, Surroundings.None with { Ids = ["o1", "C-21704"] });
        (agreed[1].Display, agreed[2].Display).ShouldBe(("C-21704", "o1C-21704"));
    }

    [Fact]
    public void What_can_not_be_worked_out_stays_as_it_is_everywhere_and_says_why()
    {
        var rules = Rules(Given("First"), Given("Pieces", FieldType.Number), Made("Each", "100 / pieces", FieldType.Number));
        Value[] before = [Text("Hanne"), new NumberValue(4), new NumberValue(25)];
        var outcome = Reconciler.Reconcile(rules, Held(before, [Text("Hanne"), new NumberValue(0), Value.Empty]));
        outcome.NotWorkedOut.Single().ShouldBe(new NotWorkedOut(2, "the formula \"100 / pieces\" gives #DIV/0!: a number was divided by zero"));
        outcome.IsFrozen(2).ShouldBeTrue();
        outcome.Writes.SelectMany(w => w.Fields).Select(f => f.Field).ShouldBe([1]);
        outcome.Changes.ShouldNotContain(c => c.Field == 2);
    }

    [Fact]
    public void It_waits_for_a_field_that_is_in_conflict_from_the_first_meeting_on()
    {
        var ask = Given("First") with { FirstMeeting = "ask" };
        var outcome = Reconciler.Reconcile(Rules(ask, Made("Loud", "UPPER(First)")), new RecordState(null, [new SideState([Text("Hanne"), Value.Empty], null), new SideState([Text("Johanne"), Value.Empty], null)]));
        outcome.Conflicts.ShouldHaveSingleItem();
        outcome.IsFrozen(1).ShouldBeTrue();
        outcome.NotWorkedOut.ShouldBeEmpty();
        outcome.Writes.ShouldBeEmpty();
    }

    [Fact]
    public void Telephone_numbers_are_read_in_the_records_own_country()
    {
        var mirror = Of(Given("First"), Given("Number"), Given("Country"), Made("Dialled", "PHONEDIGITS(Number)")) with { CountryField = "Country" };
        Value[] agreed = [Text("Hanne"), Text("0131 496 0210"), Text("GB"), Value.Empty];
        WorkedOutField.Fill(mirror.Rules(Names, Noon), agreed, Surroundings.None).ShouldBeEmpty();
        agreed[3].Display.ShouldBe("+441314960210");
    }

    [Theory]
    [InlineData("Lowd", "There is no field called Lowd")]
    [InlineData("LEFT(First", "are not closed")]
    [InlineData("Loud & First", "Loud is worked out of itself, so it goes round in a circle")]
    [InlineData("Echo & First", "Loud is worked out of Echo, so it goes round in a circle")]
    public void A_formula_that_can_not_be_used_is_found_by_the_check(string formula, string words)
    {
        var mirror = Of(Given("First"), Made("Loud", formula), Made("Echo", "Loud"));
        Wrong(mirror).ShouldContain(w => w.Contains(words, StringComparison.Ordinal), string.Join("\n", Wrong(mirror)));

        // It never stops the rest of the record either.
        Value[] agreed = [Text("Hanne"), Value.Empty, Value.Empty];
        Reconciler.Reconcile(mirror.Rules(Names, Noon), Held(agreed, [Text("Johanne"), Value.Empty, Value.Empty])).Writes.Single().Fields.Select(f => f.Field).ShouldBe([0]);
    }

    [Fact]
    public void A_side_that_gives_it_is_found_by_the_check_and_never_counts()
    {
        var mirror = Of(Given("First"), Made("Loud", "UPPER(First)", gives: true));
        Wrong(mirror).ShouldBe(["Loud is worked out by a formula, so no side gives it. Let the sides take it only, or take the formula out."]);
        mirror.Rules(Names).Sides[1].Gives.ShouldBe([true, false]);
        Wrong(Of(Given("First"), Made("Loud", "UPPER(First)"))).ShouldBeEmpty();
    }

    [Fact]
    public void It_is_said_in_plain_words()
    {
        var mirror = Of(Given("First"), Made("Loud", "UPPER(First)"));
        PlainWords.OfField(mirror, 1, mirror.Rules(Names)).ShouldBe("The loud is worked out: First in capitals. Ballast ERP gets it.");
    }

    private static List<string> Wrong(MirrorDefinition mirror) =>
        [.. MappingCheck.Of(mirror, [CatalogueCollection.Unknown("people"), CatalogueCollection.Unknown("People")], Names).Where(f => f.IsWrong).Select(f => f.Words)];
}
