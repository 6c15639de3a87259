using Microsoft.Extensions.Time.Testing;
using UprightMirror.Connectors;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Engine.Tests.Simulation;
using UprightMirror.Storage;

namespace UprightMirror.Engine.Tests;

/// <summary>What was removed in a system is noticed, by its own word or by looking it through; and never by mistake.</summary>
public class RemovalTests
{
    private readonly FakeTimeProvider clock = new(new DateTimeOffset(2026, 3, 1, 8, 0, 0, TimeSpan.Zero));
    private readonly MemorySystem crm = new("Slipway CRM", new Random(1), false);
    private readonly MemorySystem erp = new("Ballast ERP", new Random(2), false);
    private readonly MemoryStore store = new();

    private static MirrorDefinition Mirror(Removal removal, int sweep = 24) => new(
        "customers", "Customers", "customer",
        [new SideDefinition("crm", "orgs", Removal: removal, MayRemove: true, SweepEveryHours: sweep), new SideDefinition("erp", "customers", MayRemove: true, Removal: removal, SweepEveryHours: sweep)],
        [
            new AgreedFieldDefinition("Code", FieldType.Text, [new SideField("Code", true, true, new AsItStands()), new SideField("Code", true, true, new AsItStands())], "rank"),
            new AgreedFieldDefinition("Phone", FieldType.Text, [new SideField("phone", true, true, new AsItStands()), new SideField("phone", true, true, new AsItStands())], "latest"),
        ],
        [new RecognisingRule("Code")], "Code");

    private async Task<RunEnd> Run(MirrorDefinition mirror, TimeSpan? later = null, bool sweep = false, RunLimits? limits = null, ISystemConnector? instead = null)
    {
        this.clock.Advance(later ?? TimeSpan.FromMinutes(5));
        this.crm.Tick(later ?? TimeSpan.FromMinutes(5));
        this.erp.Tick(later ?? TimeSpan.FromMinutes(5));
        this.store.RunId++;
        var unknown = CatalogueCollection.Unknown("x");
        return await new MirrorRun(new MirrorContext(mirror, [instead ?? this.crm, this.erp], [unknown, unknown], this.store, this.clock)).Execute(false, CancellationToken.None, sweep: sweep, limits: limits);
    }

    private string[] Load() => [.. Enumerable.Range(0, 30).Select(n => this.crm.Add(RawFields.Of([KeyValuePair.Create("Code", Value.Text($"C{n}")), KeyValuePair.Create("phone", Value.Text($"0{n}"))])))];

    [Fact]
    public async Task A_system_that_tells_is_believed_at_the_next_run()
    {
        this.crm.TellsRemovals = true;
        var ids = this.Load();
        await this.Run(Mirror(Removal.RemoveElsewhere));
        this.crm.Remove(ids[3]);

        await this.Run(Mirror(Removal.RemoveElsewhere));

        this.erp.Ids.Count().ShouldBe(29);
        (await this.Run(Mirror(Removal.RemoveElsewhere))).Counts.Written.ShouldBe(0);
    }

    [Fact]
    public async Task One_that_does_not_is_looked_through_once_a_day_or_when_it_is_asked_for()
    {
        var ids = this.Load();
        await this.Run(Mirror(Removal.RemoveElsewhere));
        this.crm.Remove(ids[3]);
        await this.Run(Mirror(Removal.RemoveElsewhere));
        this.erp.Ids.Count().ShouldBe(30, "nobody looked");

        await this.Run(Mirror(Removal.RemoveElsewhere), TimeSpan.FromHours(25));
        this.erp.Ids.Count().ShouldBe(29);

        this.crm.Remove(ids[4]);
        await this.Run(Mirror(Removal.RemoveElsewhere, sweep: 0), TimeSpan.FromHours(50));
        this.erp.Ids.Count().ShouldBe(29, "it is never looked through");
        await this.Run(Mirror(Removal.RemoveElsewhere, sweep: 0), sweep: true);
        this.erp.Ids.Count().ShouldBe(28);
    }

    [Fact]
    public async Task What_a_reading_overlooked_is_still_there()
    {
        var ids = this.Load();
        await this.Run(Mirror(Removal.RemoveElsewhere));
        this.crm.Overlooked.Add(ids[5]);

        (await this.Run(Mirror(Removal.RemoveElsewhere), sweep: true)).Counts.Written.ShouldBe(0);

        this.erp.Ids.Count().ShouldBe(30);
    }

    /// <summary>Such as a folder: it gives each record once, and can't be asked for it again.</summary>
    private sealed class OnlySends(MemorySystem system) : Around(system), ISystemConnector
    {
        bool ISystemConnector.ListsAll(string collection) => false;

        public override Task<ObservedRecord?> ReadOne(string collection, string id, CancellationToken cancellation) => Task.FromResult<ObservedRecord?>(null);
    }

    [Fact]
    public async Task One_record_that_is_read_again_is_as_it_is_there_now_and_no_other_is_looked_at()
    {
        var ids = this.Load();
        await this.Run(Mirror(Removal.RemoveElsewhere));
        this.crm.Edit(ids[3], "phone", Value.Text("999"));
        this.crm.Edit(ids[4], "phone", Value.Text("888"));

        (await this.Run(Mirror(Removal.RemoveElsewhere), limits: new RunLimits([new RecordPlace(0, ids[3])]))).Counts.Written.ShouldBe(1);
        this.erp.Ids.Select(id => this.erp.Fields(id)["phone"].Display).ShouldContain("999");
        this.erp.Ids.Select(id => this.erp.Fields(id)["phone"].Display).ShouldNotContain("888");

        this.crm.Remove(ids[3]);
        await this.Run(Mirror(Removal.RemoveElsewhere), limits: new RunLimits([new RecordPlace(0, ids[3])]));
        this.erp.Ids.Count().ShouldBe(29);
    }

    [Fact]
    public async Task A_record_of_a_system_that_only_sends_is_not_gone_because_it_can_not_be_read_again()
    {
        var (sends, ids) = (new OnlySends(this.crm), this.Load());
        await this.Run(Mirror(Removal.RemoveElsewhere), instead: sends);

        (await this.Run(Mirror(Removal.RemoveElsewhere), instead: sends, limits: new RunLimits([new RecordPlace(0, ids[3])]))).Counts.Written.ShouldBe(0);

        this.erp.Ids.Count().ShouldBe(30);
    }

    [Theory]
    [InlineData(Removal.Ask, 29, 30, 1)]
    [InlineData(Removal.CreateAgain, 30, 30, 0)]
    [InlineData(Removal.ForgetLink, 29, 30, 0)]
    [InlineData(Removal.RemoveElsewhere, 29, 29, 0)]
    public async Task Its_side_says_what_a_removal_means(Removal removal, int inCrm, int inErp, int conflicts)
    {
        var ids = this.Load();
        await this.Run(Mirror(removal));
        this.crm.Remove(ids[3]);

        await this.Run(Mirror(removal), sweep: true);
        await this.Run(Mirror(removal), sweep: true);

        (this.crm.Ids.Count(), this.erp.Ids.Count(), this.store.OpenConflicts.Count()).ShouldBe((inCrm, inErp, conflicts));
    }
}
