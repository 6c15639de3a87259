using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Engine.Tests.Simulation;

namespace UprightMirror.Engine.Tests;

/// <summary>Which records are kept the same at all: those that the scope of their side covers, for as long as it does.</summary>
public class ScopeTests
{
    private readonly MemorySystem crm = new("Slipway CRM", new Random(1), false);
    private readonly MemorySystem erp = new("Ballast ERP", new Random(2), false);
    private readonly MemoryStore store = new();
    private MirrorDefinition mirror = Deals(Leaving.StopFollowing);

    private static MirrorDefinition Deals(Leaving leaving) => new(
        "deals", "Deals", "deal",
        [new SideDefinition("crm", "deals", MayCreate: false, Scope: "AND(stage = \"Won\"; ready)", Leaving: leaving), new SideDefinition("erp", "orders", MayRemove: true)],
        [
            new AgreedFieldDefinition("Code", FieldType.Text, [new SideField("Code", true, true, new AsItStands()), new SideField("Code", false, true, new AsItStands())], "rank"),
            new AgreedFieldDefinition("Title", FieldType.Text, [new SideField("title", true, false, new AsItStands()), new SideField("title", false, true, new AsItStands())], "rank"),
        ],
        [new RecognisingRule("Code")], "Title");

    private async Task<RunEnd> Run()
    {
        this.crm.Tick(TimeSpan.FromMinutes(1));
        this.erp.Tick(TimeSpan.FromMinutes(1));
        var unknown = CatalogueCollection.Unknown("x");
        return await new MirrorRun(new MirrorContext(this.mirror, [this.crm, this.erp], [unknown, unknown], this.store, TimeProvider.System)).Execute(false, CancellationToken.None);
    }

    private string NewDeal(string stage = "Quoted") => this.crm.Add(RawFields.Of([
        KeyValuePair.Create("Code", Value.Text("D1")), KeyValuePair.Create("title", Value.Text("Spring fleet")), KeyValuePair.Create("stage", Value.Text(stage)), KeyValuePair.Create("ready", (Value)new YesNoValue(true))]));

    [Fact]
    public async Task A_record_outside_is_left_alone_and_goes_across_once_it_is_inside()
    {
        var deal = this.NewDeal();
        var first = await this.Run();
        first.Counts.OutOfScope.ShouldBe(1);
        (this.erp.Ids.Count(), this.store.Holds.Count, this.store.AllLinked.Count()).ShouldBe((0, 0, 0));

        this.crm.Edit(deal, "stage", Value.Text("Won"));
        await this.Run();

        this.erp.Fields(this.erp.Ids.Single())["title"].Display.ShouldBe("Spring fleet");
        (await this.Run()).Counts.Written.ShouldBe(0);
    }

    [Fact]
    public async Task One_that_leaves_is_followed_no_more_and_what_was_missed_is_made_up_for_when_it_comes_back()
    {
        var deal = this.NewDeal("Won");
        await this.Run();
        this.crm.Edit(deal, "stage", Value.Text("Lost"));
        this.crm.Edit(deal, "title", Value.Text("Autumn fleet"));

        var away = await this.Run();
        away.Counts.OutOfScope.ShouldBe(1);
        this.erp.Fields(this.erp.Ids.Single())["title"].Display.ShouldBe("Spring fleet");
        this.store.AllLinked.Single().IsFollowed.ShouldBeFalse();
        this.crm.Edit(deal, "title", Value.Text("Winter fleet"));
        await this.Run();
        this.store.Journal.Count(j => j.Kind == JournalKind.LeftScope).ShouldBe(1);

        this.crm.Edit(deal, "stage", Value.Text("Won"));
        await this.Run();

        this.erp.Fields(this.erp.Ids.Single())["title"].Display.ShouldBe("Winter fleet");
        this.store.AllLinked.Single().IsFollowed.ShouldBeTrue();
        this.store.Journal.Count(j => j.Kind == JournalKind.CameBack).ShouldBe(1);
    }

    [Fact]
    public async Task One_that_leaves_is_removed_where_it_only_follows_when_the_side_says_so()
    {
        this.mirror = Deals(Leaving.RemoveFollowers);
        var deal = this.NewDeal("Won");
        await this.Run();
        this.crm.Edit(deal, "stage", Value.Text("Lost"));

        await this.Run();

        this.erp.Ids.ShouldBeEmpty();
        this.crm.Ids.Count().ShouldBe(1);
        this.crm.Edit(deal, "stage", Value.Text("Won"));
        await this.Run();
        this.erp.Ids.Count().ShouldBe(1);
    }

    [Fact]
    public async Task A_scope_that_cannot_be_told_holds_the_record_with_the_reason()
    {
        this.crm.Add(RawFields.Of([KeyValuePair.Create("Code", Value.Text("D1")), KeyValuePair.Create("stage", Value.Text("Won")), KeyValuePair.Create("ready", Value.Text("perhaps"))]));
        await this.Run();
        this.store.Holds.Single().Reason.ShouldContain("whether it is in the scope can't be told");
        this.erp.Ids.ShouldBeEmpty();
    }
}
