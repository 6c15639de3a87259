using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Engine.Tests.Simulation;

namespace UprightMirror.Engine.Tests;

/// <summary>A run that is about to do something large and unlikely pauses before it writes; and a removal that was carried over can be undone.</summary>
public class GuardTests
{
    private readonly MemorySystem crm = new("Slipway CRM", new Random(1), false) { TellsRemovals = true };
    private readonly MemorySystem erp = new("Ballast ERP", new Random(2), false);
    private readonly MemoryStore store = new();

    private static readonly MirrorDefinition Mirror = new(
        "customers", "Customers", "customer",
        [new SideDefinition("crm", "orgs", Removal: Removal.RemoveElsewhere, MayRemove: true), new SideDefinition("erp", "customers", MayRemove: true)],
        [
            new AgreedFieldDefinition("Code", FieldType.Text, [new SideField("Code", true, true, new AsItStands()), new SideField("Code", true, true, new AsItStands())], "rank"),
            new AgreedFieldDefinition("Phone", FieldType.Text, [new SideField("phone", true, true, new AsItStands()), new SideField("phone", true, true, new AsItStands())], "latest"),
        ],
        [new RecognisingRule("Code")], "Code");

    private readonly List<string> ids = [];

    private async Task<RunEnd> Run(IReadOnlyCollection<GuardFinding>? allowed = null)
    {
        this.crm.Tick(TimeSpan.FromMinutes(1));
        this.erp.Tick(TimeSpan.FromMinutes(1));
        this.store.RunId++;
        var unknown = CatalogueCollection.Unknown("x");
        return await new MirrorRun(new MirrorContext(Mirror, [this.crm, this.erp], [unknown, unknown], this.store, TimeProvider.System) { Guards = new Guards(new GuardLimit(5, 0.1), new GuardLimit(5, 0.1), new GuardLimit(5, 0.1), new GuardLimit(5, 0.1)) })
            .Execute(false, CancellationToken.None, allowed);
    }

    private async Task Load()
    {
        for (var n = 0; n < 40; n++)
        {
            this.ids.Add(this.crm.Add(RawFields.Of([KeyValuePair.Create("Code", Value.Text($"C{n}")), KeyValuePair.Create("phone", Value.Text($"0{n}"))])));
        }

        (await this.Run()).Guarded.ShouldBeEmpty("a first load is meant to create everything");
        this.store.IsPastFirstLoad = true;
        this.erp.Ids.Count().ShouldBe(40);
    }

    private void Gone(int count)
    {
        foreach (var id in this.ids.Take(count))
        {
            this.crm.Remove(id);
        }
    }

    [Fact]
    public async Task A_run_that_would_empty_much_waits_and_writes_once_it_may()
    {
        await this.Load();
        this.crm.Tick(TimeSpan.FromMinutes(1));
        foreach (var id in this.ids.Take(20))
        {
            this.crm.Edit(id, "phone", Value.Empty);
        }

        var writes = this.erp.Writes.Count;
        var paused = await this.Run();

        paused.Guarded.Select(g => (g.What, g.Count)).ShouldBe([(Guarded.Changes, 20), (Guarded.EmptiedFields, 20)]);
        (this.erp.Writes.Count, (await this.Run()).Guarded.Length, this.erp.Writes.Count).ShouldBe((writes, 2, writes), "a later run waits as well");

        (await this.Run(paused.Guarded)).Guarded.ShouldBeEmpty();
        (this.erp.Writes.Count - writes, (await this.Run()).Counts.Written).ShouldBe((20, 0));
    }

    [Fact]
    public async Task What_is_put_right_in_the_meantime_is_not_written_and_nobody_is_asked_any_more()
    {
        await this.Load();
        this.crm.Tick(TimeSpan.FromMinutes(1));
        foreach (var id in this.ids.Take(20))
        {
            this.crm.Edit(id, "phone", Value.Empty);
        }

        await this.Run();
        var writes = this.erp.Writes.Count;
        this.crm.Tick(TimeSpan.FromMinutes(1));
        foreach (var (id, n) in this.ids.Take(20).Select((id, n) => (id, n)))
        {
            this.crm.Edit(id, "phone", Value.Text($"0{n}"));
        }

        (await this.Run()).Guarded.ShouldBeEmpty();
        (this.erp.Writes.Count - writes, (await this.Run()).Counts.Written).ShouldBe((0, 0));
        this.erp.Fields(this.erp.Ids.First())["phone"].Display.ShouldStartWith("0");
    }

    [Fact]
    public async Task When_most_records_are_gone_nothing_is_decided_about_any_before_somebody_says_so()
    {
        await this.Load();
        this.Gone(36);

        var paused = await this.Run();

        paused.Guarded.ShouldHaveSingleItem().Gone.ShouldBeTrue();
        (this.erp.Ids.Count(), this.store.OpenConflicts.Count()).ShouldBe((40, 0));

        await this.Run([.. paused.Guarded, new GuardFinding(Guarded.Removals, 1, 36, 40, new GuardLimit(5, 0.1))]);
        this.erp.Ids.Count().ShouldBe(4);
    }

    [Fact]
    public async Task A_removal_that_was_carried_over_is_created_again_when_its_run_is_undone()
    {
        await this.Load();
        this.Gone(2);
        await this.Run();
        this.erp.Ids.Count().ShouldBe(38);
        var run = this.store.RunId;

        var undone = (await new Undoing(Mirror, ["Slipway CRM", "Ballast ERP"], this.store).Undo(run, null, "Maren Voll", CancellationToken.None))!;
        await this.Run();

        undone.Select(u => (u.PutBack.Single().Kind, u.Left.Length)).ShouldBe([(WriteKind.Create, 0), (WriteKind.Create, 0)]);
        this.erp.Ids.Select(id => this.erp.Fields(id)["phone"].Display).Order().ShouldBe(Enumerable.Range(0, 40).Select(n => $"0{n}").Order());
        (await this.Run()).Counts.Written.ShouldBe(0, "they are left alone");

        this.store.LetGoOn();
        await this.Run();
        this.erp.Ids.Count().ShouldBe(38, "they are still gone from the CRM, and that is carried over again");
    }
}
