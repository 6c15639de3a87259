using System.Collections.Immutable;
using UprightMirror.Connectors;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Engine.Tests.Simulation;

namespace UprightMirror.Engine.Tests;

/// <summary>A customer's totals through whole runs: what its invoices come to is written where it is taken, when they move and only then.</summary>
public class LinkedRunTests
{
    private static readonly LinkedField Totals = new("invoices", "Total");

    private static readonly MirrorDefinition Customers = new("customers", "Customers", "customer", [new SideDefinition("crm", "organisations"), new SideDefinition("mail", "companies")],
        [
            new AgreedFieldDefinition("Name", FieldType.Text, [new SideField("name", true, true, new AsItStands()), new SideField("name", true, true, new AsItStands())]),
            new AgreedFieldDefinition("Lifetime total", FieldType.Number, [null, new SideField("total", false, true, new AsItStands())], WorkedOut: "SUM(LINKED(\"invoices\"; \"Total\"))"),
        ],
        [new RecognisingRule("Name")], "Name");

    private readonly MemorySystem crm = new("Slipway CRM", new Random(1), false);
    private readonly MemorySystem mail = new("Pennant Mail", new Random(2), false);
    private readonly MemoryStore store = new();
    private readonly OnlyReferences mirrors = new(References.None);

    private async Task<RunEnd> Run(bool rehearse = false)
    {
        this.crm.Tick(TimeSpan.FromMinutes(1));
        this.mail.Tick(TimeSpan.FromMinutes(1));
        var systems = new KnownSystems(new Dictionary<string, ISystemConnector> { ["crm"] = this.crm, ["mail"] = this.mail });
        return await new MirrorRun(await MirrorContext.Of(Customers, systems, this.mirrors, this.store, TimeProvider.System, CancellationToken.None)).Execute(rehearse, CancellationToken.None);
    }

    private void Invoiced(Guid customer, params decimal[] totals) =>
        this.mirrors.Linked[customer] = ImmutableDictionary<LinkedField, ImmutableArray<Value>>.Empty.Add(Totals, [.. totals.Select(t => (Value)new NumberValue(t))]);

    [Fact]
    public async Task A_total_follows_what_points_at_the_record_without_any_edit_of_the_record_itself()
    {
        this.crm.Add(RawFields.Of([KeyValuePair.Create("name", (Value)Value.Text("Brae Hire"))]));
        await this.Run();
        string Total() => this.mail.Fields(this.mail.Ids.Single())["total"].Display;
        Total().ShouldBe("0");

        var link = this.store.AllLinked.Single().Link;
        this.Invoiced(link, 1200, 648.75m);
        (await this.Run()).Counts.Written.ShouldBe(0, "nobody said that it moved");
        this.store.Due.Add(link);
        (await this.Run()).Counts.Written.ShouldBe(1);
        Total().ShouldBe("1848.75");
        (await this.Run()).Counts.Written.ShouldBe(0);

        this.mail.Edit(this.mail.Ids.Single(), "total", new NumberValue(1));
        await this.Run();
        Total().ShouldBe("1848.75", "what only takes is put back");
    }

    [Fact]
    public async Task A_link_that_is_gone_by_then_is_nobodys_concern()
    {
        this.store.Due.Add(Guid.NewGuid());
        (await this.Run()).Fault.ShouldBeNull();
    }
}
