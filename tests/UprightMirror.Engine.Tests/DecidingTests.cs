using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Values;
using UprightMirror.Engine.Tests.Simulation;

namespace UprightMirror.Engine.Tests;

/// <summary>What a person answers to a conflict, and what the next run makes of it.</summary>
public class DecidingTests
{
    private static readonly MirrorDefinition Mirror = new(
        "customers", "Customers", "customer",
        [new SideDefinition("crm", "organisations"), new SideDefinition("erp", "Customers")],
        [
            new AgreedFieldDefinition("Code", FieldType.Text, [Both("Code"), Both("Code")], "rank"),
            new AgreedFieldDefinition("Telephone", FieldType.Phone, [Both("Tel"), Both("Tel")]),
            new AgreedFieldDefinition("Country", FieldType.Text, [Both("Country"), Both("Country")], "rank"),
        ],
        [new RecognisingRule("Code")],
        "Code",
        "Country");

    private readonly MemorySystem crm = new("Slipway CRM", new Random(1), false);
    private readonly MemorySystem erp = new("Ballast ERP", new Random(2), false);
    private readonly MemoryStore store = new();

    private static SideField Both(string path) => new(path, true, true, new AsItStands());

    private async Task<RunEnd> Run()
    {
        this.crm.Tick(TimeSpan.FromMinutes(1));
        this.erp.Tick(TimeSpan.FromMinutes(1));
        var unknown = CatalogueCollection.Unknown("x");
        return await new MirrorRun(new MirrorContext(Mirror, [this.crm, this.erp], [unknown, unknown], this.store, TimeProvider.System)).Execute(false, CancellationToken.None);
    }

    private Task<(DecisionEnd End, string? Why)> Decide(long conflict, int revision, Answer answer) =>
        new Deciding(Mirror, ["Slipway CRM", "Ballast ERP"], this.store, TimeProvider.System).Decide(conflict, revision, answer, "Maren Voll", CancellationToken.None);

    /// <summary>One customer in both systems whose telephone was changed differently.</summary>
    private async Task<(string Crm, string Erp)> InConflict()
    {
        var id = this.crm.Add(RawFields.Of([KeyValuePair.Create("Code", Value.Text("C1")), KeyValuePair.Create("Tel", Value.Text("+441314960001")), KeyValuePair.Create("Country", Value.Text("GB"))]));
        await this.Run();
        var other = this.erp.Ids.Single();
        this.crm.Edit(id, "Tel", Value.Text("+441314960111"));
        this.erp.Edit(other, "Tel", Value.Text("+441314960222"));
        await this.Run();
        return (id, other);
    }

    private (string Crm, string Erp) Telephones() => (this.crm.Fields(this.crm.Ids.Single())["Tel"].Display, this.erp.Fields(this.erp.Ids.Single())["Tel"].Display);

    [Fact]
    public async Task A_sides_value_the_one_before_or_another_typed_as_people_dial_it_goes_out_with_the_next_run()
    {
        foreach (var (answer, number) in new (Answer, string)[]
        {
            (new Answer.TakeSide(0), "+441314960111"), (new Answer.TakeSide(1), "+441314960222"), (new Answer.KeepBefore(), "+441314960001"), (new Answer.TypeAnother(["0131 496 0333"]), "+441314960333"),
        })
        {
            var world = new DecidingTests();
            await world.InConflict();
            var open = world.store.OpenConflicts.Single();
            (await world.Decide(open.Id, open.Revision, answer)).End.ShouldBe(DecisionEnd.Made);
            await world.Run();
            world.Telephones().ShouldBe((number, number));
            world.store.OpenConflicts.ShouldBeEmpty();
            (await world.Run()).Counts.Written.ShouldBe(0);
        }
    }

    [Fact]
    public async Task What_can_not_be_a_telephone_number_is_not_taken_and_the_conflict_stays()
    {
        await this.InConflict();
        var open = this.store.OpenConflicts.Single();
        var (end, why) = await this.Decide(open.Id, open.Revision, new Answer.TypeAnother(["ask Ingrid"]));
        end.ShouldBe(DecisionEnd.NotPossible);
        why.ShouldBe("Telephone: \"ask Ingrid\" can't be read as a telephone number.");
        (await this.Decide(open.Id, open.Revision, new Answer.OfRemoval(Removal.ForgetLink))).End.ShouldBe(DecisionEnd.NotPossible);
        this.store.OpenConflicts.Count().ShouldBe(1);
    }

    [Fact]
    public async Task Nobody_decides_on_values_that_they_did_not_see()
    {
        var (id, _) = await this.InConflict();
        var seen = this.store.OpenConflicts.Single();
        this.crm.Edit(id, "Tel", Value.Text("+441314960444"));
        await this.Run();
        (await this.Decide(seen.Id, seen.Revision, new Answer.TakeSide(0))).End.ShouldBe(DecisionEnd.ChangedMeanwhile);
        this.store.OpenConflicts.Single().Values[0]!.Value[0].Display.ShouldBe("+44 131 496 0444");
    }

    [Fact]
    public async Task A_conflict_closes_itself_when_the_sides_come_to_the_same()
    {
        var (id, other) = await this.InConflict();
        this.crm.Edit(id, "Tel", Value.Text("+441314960555"));
        this.erp.Edit(other, "Tel", Value.Text("0044 131 496 0555".Replace("0044", "+44")));
        await this.Run();
        this.store.OpenConflicts.ShouldBeEmpty();
        this.store.Journal.ShouldContain(j => j.Kind == Core.Remembered.JournalKind.ConflictClosed);
    }

    [Fact]
    public async Task An_edit_made_before_the_decision_arrives_competes_with_it()
    {
        var (_, other) = await this.InConflict();
        var open = this.store.OpenConflicts.Single();
        await this.Decide(open.Id, open.Revision, new Answer.TakeSide(0));
        this.erp.Edit(other, "Tel", Value.Text("+441314960666"));
        await this.Run();
        var again = this.store.OpenConflicts.Single();
        again.Values.Keys.ShouldBe([Candidate.Person, 1]);
        await this.Run();
        this.store.OpenConflicts.Count().ShouldBe(1);
        await this.Decide(again.Id, this.store.OpenConflicts.Single().Revision, new Answer.TakeSide(1));
        await this.Run();
        this.Telephones().ShouldBe(("+441314960666", "+441314960666"));
    }

    [Theory]
    [InlineData(Removal.RemoveElsewhere, 0)]
    [InlineData(Removal.CreateAgain, 2)]
    [InlineData(Removal.ForgetLink, 1)]
    public async Task A_removal_asks_a_person_and_does_what_they_say(Removal answer, int recordsLeft)
    {
        var id = this.crm.Add(RawFields.Of([KeyValuePair.Create("Code", Value.Text("C1")), KeyValuePair.Create("Country", Value.Text("GB"))]));
        await this.Run();
        var other = this.erp.Ids.Single();
        this.erp.Remove(other);
        this.crm.Edit(id, "Country", Value.Text("IE"));
        await this.Run();

        var open = this.store.OpenConflicts.Single();
        open.Values[1].ShouldBeNull();
        this.erp.Ids.ShouldBeEmpty();
        (await this.Decide(open.Id, open.Revision, new Answer.OfRemoval(answer))).End.ShouldBe(DecisionEnd.Made);
        await this.Run();

        (this.crm.Ids.Count() + this.erp.Ids.Count()).ShouldBe(recordsLeft);
        this.store.OpenConflicts.ShouldBeEmpty();
        (await this.Run()).Counts.Written.ShouldBe(0);
    }
}
