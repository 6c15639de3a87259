using System.Collections.Immutable;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Engine.Tests.Simulation;

namespace UprightMirror.Engine.Tests;

/// <summary>Orders through whole runs: what is not linked yet is waited for, what a system numbers by itself comes back, lines are left alone where nobody maps them.</summary>
public class OrderRunTests
{
    private static readonly Guid Customer = Guid.Parse("0198a000-0000-7000-8000-000000000001");

    private static SideField At(string path, Conversion? conversion = null, bool takes = true) => new(path, true, takes, conversion ?? new AsItStands());

    private static readonly MirrorDefinition Orders = new("orders", "Orders", "order", [new SideDefinition("crm", "deals"), new SideDefinition("erp", "SalesOrders")],
        [
            new AgreedFieldDefinition("Number", FieldType.Text, [At("number"), At("No", takes: false)], "latest"),
            new AgreedFieldDefinition("Title", FieldType.Text, [At("title"), At("Reference")], "latest"),
            new AgreedFieldDefinition("Customer", FieldType.Reference, [At("customer", new ReferenceTo("customers")), At("CustomerNo", new ReferenceTo("customers"))], "latest"),
            new AgreedFieldDefinition("Lines", FieldType.Lines, [At("lines"), At("Lines")], "latest", Lines: new LinesDefinition("Line",
                [new AgreedFieldDefinition("Line", FieldType.Number, [At("no"), At("LineNo")]), new AgreedFieldDefinition("Product", FieldType.Text, [At("product"), At("ItemNo")])])),
        ],
        [new RecognisingRule("Number"), new RecognisingRule("Title")], "Title");

    private readonly MemorySystem crm = new("Slipway CRM", new Random(1), false);
    private readonly MemorySystem erp = new("Ballast ERP", new Random(2), false) { Assigns = "No" };
    private readonly MemoryStore store = new();
    private References known = References.None;

    private async Task<RunEnd> Run()
    {
        this.crm.Tick(TimeSpan.FromMinutes(1));
        this.erp.Tick(TimeSpan.FromMinutes(1));
        return await new MirrorRun(new MirrorContext(Orders, [this.crm, this.erp], [CatalogueCollection.Unknown("deals"), CatalogueCollection.Unknown("SalesOrders")], this.store, TimeProvider.System, this.known)).Execute(false, CancellationToken.None);
    }

    private void Link() => this.known = new References([new ReferenceKnown("customers", "crm", "4007", Customer, "Brae Hire"), new ReferenceKnown("customers", "erp", "C-1", Customer, "Brae Hire")]);

    private static LinesValue Lines(params (int No, string Product)[] lines) => new([.. lines.Select(l => ImmutableSortedDictionary<string, Value>.Empty.Add("no", new NumberValue(l.No)).Add("product", Value.Text(l.Product)))]);

    private string NewDeal() => this.crm.Add(RawFields.Of([KeyValuePair.Create("title", Value.Text("Spring fleet")), KeyValuePair.Create("customer", Value.Text("4007")), KeyValuePair.Create("lines", (Value)Lines((2, "PA-1"), (1, "KA-7")))]));

    [Fact]
    public async Task A_deal_waits_for_its_customer_and_goes_on_by_itself_when_that_is_linked()
    {
        this.NewDeal();
        (await this.Run()).Counts.Held.ShouldBe(1);
        this.store.Holds.Single().Reason.ShouldContain("it waits for the record \"4007\" of the mirror customers");
        this.erp.Ids.ShouldBeEmpty();

        this.Link();
        await this.Run();
        this.store.Holds.ShouldBeEmpty();
        this.erp.Fields(this.erp.Ids.Single())["CustomerNo"].Display.ShouldBe("C-1");
    }

    [Fact]
    public async Task A_linked_record_that_waits_for_a_new_customer_goes_on_by_itself_too()
    {
        this.Link();
        var deal = this.NewDeal();
        await this.Run();
        this.crm.Edit(deal, "customer", Value.Text("4008"));
        (await this.Run()).Counts.Held.ShouldBe(1);
        var other = Guid.Parse("0198a000-0000-7000-8000-000000000002");
        this.known = new References([new ReferenceKnown("customers", "crm", "4008", other, "Corrie"), new ReferenceKnown("customers", "erp", "C-2", other, "Corrie"), new ReferenceKnown("customers", "crm", "4007", Customer, "Brae Hire"), new ReferenceKnown("customers", "erp", "C-1", Customer, "Brae Hire")]);
        await this.Run();
        this.erp.Fields(this.erp.Ids.Single())["CustomerNo"].Display.ShouldBe("C-2");
    }

    [Fact]
    public async Task The_number_that_a_system_gives_a_record_comes_back_once_and_then_it_is_quiet()
    {
        this.Link();
        var deal = this.NewDeal();
        await this.Run();
        this.crm.Fields(deal)["number"].Display.ShouldBe("N-1");
        (await this.Run()).Counts.Written.ShouldBe(0);
        this.erp.Ids.Count().ShouldBe(1);
    }

    [Fact]
    public async Task A_changed_line_reaches_the_other_side_and_what_nobody_maps_there_stays()
    {
        this.Link();
        var deal = this.NewDeal();
        await this.Run();
        var order = this.erp.Ids.Single();
        var there = (LinesValue)this.erp.Fields(order)["Lines"];
        this.erp.Edit(order, "Lines", new LinesValue([.. there.Lines.Select(l => l.Add("Note", Value.Text($"about {l["ItemNo"].Display}")))]));
        (await this.Run()).Counts.Written.ShouldBe(0);

        this.crm.Edit(deal, "lines", Lines((1, "KA-8"), (3, "CL-2"), (2, "PA-1")));
        await this.Run();
        ((LinesValue)this.erp.Fields(order)["Lines"]).Lines.Select(l => $"{l["LineNo"]} {l["ItemNo"]} {l.GetValueOrDefault("Note", Value.Empty)}").ShouldBe(["1 KA-8 about KA-7", "2 PA-1 about PA-1", "3 CL-2 "]);
        (await this.Run()).Counts.Written.ShouldBe(0);
    }

    [Fact]
    public async Task A_side_that_only_takes_a_reference_is_told_the_id_that_a_customer_created_again_has()
    {
        this.Link();
        this.NewDeal();
        var taking = Orders with { Fields = [.. Orders.Fields.Select(f => f.Name == "Customer" ? f with { Cells = [f.Cells[0], f.Cells[1]! with { Gives = false }] } : f)] };
        async Task Run() => await new MirrorRun(new MirrorContext(taking, [this.crm, this.erp], [CatalogueCollection.Unknown("deals"), CatalogueCollection.Unknown("SalesOrders")], this.store, TimeProvider.System, this.known)).Execute(false, CancellationToken.None);
        await Run();
        this.known = new References([new ReferenceKnown("customers", "crm", "4007", Customer, "Brae Hire"), new ReferenceKnown("customers", "erp", "C-9", Customer, "Brae Hire")]);
        this.store.Due.UnionWith(this.store.AllLinked.Select(l => l.Link));
        await Run();
        this.store.Holds.ShouldBeEmpty();
        this.erp.Fields(this.erp.Ids.Single())["CustomerNo"].Display.ShouldBe("C-9");
    }
}
