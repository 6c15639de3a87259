using System.Collections.Immutable;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Engine.Tests.Simulation;

namespace UprightMirror.Engine.Tests;

/// <summary>Fields that no side gives, through whole runs: written, explained, held where they can't be worked out, and let go again.</summary>
public class WorkedOutRunTests
{
    private readonly MemorySystem crm = new("Slipway CRM", new Random(1), false);
    private readonly MemorySystem erp = new("Ballast ERP", new Random(2), false);
    private readonly MemoryStore store = new();
    private MirrorDefinition mirror = Made("100 / Pieces");

    private static AgreedFieldDefinition Given(string name, FieldType type = FieldType.Text) => new(name, type, [new SideField(name, true, true, new AsItStands()), new SideField(name, true, true, new AsItStands())]);

    private static AgreedFieldDefinition Taken(string name, string formula, FieldType type, params int[] sides) =>
        new(name, type, [.. Enumerable.Range(0, 2).Select(s => sides.Contains(s) ? new SideField(name, false, true, new AsItStands()) : null)], WorkedOut: formula);

    private static MirrorDefinition Made(string each) => new(
        "packs", "Packs", "pack", [new SideDefinition("crm", "packs"), new SideDefinition("erp", "Packs")],
        [Given("Code"), Given("Pieces", FieldType.Number), Taken("Each", each, FieldType.Number, 1), Taken("Office id", "REFERENCE(\"Ballast ERP\")", FieldType.Text, 0)], [new RecognisingRule("Code")], "Code");

    private Task<RunEnd> Run()
    {
        this.crm.Tick(TimeSpan.FromMinutes(1));
        this.erp.Tick(TimeSpan.FromMinutes(1));
        return new MirrorRun(new MirrorContext(this.mirror, [this.crm, this.erp], [CatalogueCollection.Unknown("packs"), CatalogueCollection.Unknown("Packs")], this.store, TimeProvider.System)).Execute(false, CancellationToken.None);
    }

    private static RawFields Pack(string code, decimal pieces) => RawFields.Of([KeyValuePair.Create("Code", Value.Text(code)), KeyValuePair.Create("Pieces", (Value)new NumberValue(pieces))]);

    private RawFields There(string code) => this.erp.Ids.Select(this.erp.Fields).Single(f => f["Code"].Display == code);

    [Fact]
    public async Task The_id_that_a_side_gave_a_new_record_is_on_the_other_side_in_the_same_run_and_the_next_is_quiet()
    {
        var id = this.crm.Add(Pack("P1", 4));
        await this.Run();
        this.There("P1")["Each"].ShouldBe(new NumberValue(25));
        this.crm.Fields(id)["Office id"].Display.ShouldBe(this.erp.Ids.Single());
        var writes = this.crm.Writes.Count + this.erp.Writes.Count;
        this.store.LookAtEverythingAgain();
        (await this.Run()).Counts.Written.ShouldBe(0);
        (this.crm.Writes.Count + this.erp.Writes.Count).ShouldBe(writes);
    }

    [Fact]
    public async Task It_follows_an_edit_and_the_journal_says_what_it_was_worked_out_of()
    {
        var id = this.crm.Add(Pack("P1", 4));
        await this.Run();
        this.crm.Edit(id, "Pieces", new NumberValue(5));
        await this.Run();
        this.There("P1")["Each"].ShouldBe(new NumberValue(20));
        this.store.Journal.Last(j => j.Kind == JournalKind.Agreed && j.Field == "Each").ShouldSatisfyAllConditions(j => j.Why.ShouldBe("worked out of Pieces"), j => j.Side.ShouldBeNull());
    }

    [Fact]
    public async Task What_can_not_be_worked_out_holds_that_record_in_words_its_other_fields_and_the_others_go_on_and_it_is_let_go_when_it_can()
    {
        var bad = this.crm.Add(Pack("P0", 0));
        this.crm.Add(Pack("P1", 4));
        (await this.Run()).Fault.ShouldBeNull();
        this.store.Holds.Single().Reason.ShouldBe("Each of pack \"P0\": the formula \"100 / Pieces\" gives #DIV/0!: a number was divided by zero. Nothing is written to it before that is put right.");
        this.There("P1")["Each"].ShouldBe(new NumberValue(25));
        (this.There("P0")["Pieces"].Display, this.There("P0")["Each"].IsEmpty).ShouldBe(("0", true));

        this.crm.Edit(bad, "Pieces", new NumberValue(8));
        await this.Run();
        this.store.Holds.ShouldBeEmpty();
        this.There("P0")["Each"].ShouldBe(new NumberValue(12.5m));
    }

    [Fact]
    public async Task A_formula_that_became_another_counts_for_every_record_with_the_next_look()
    {
        this.crm.Add(Pack("P1", 4));
        await this.Run();
        this.mirror = Made("200 / Pieces");
        this.store.LookAtEverythingAgain();
        await this.Run();
        this.There("P1")["Each"].ShouldBe(new NumberValue(50));
    }
}
