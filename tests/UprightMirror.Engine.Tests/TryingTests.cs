using System.Collections.Immutable;
using UprightMirror.Connectors;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Engine.Tests.Simulation;

namespace UprightMirror.Engine.Tests;

/// <summary>One record is tried by the rules of a run, from what the systems say now; nothing is sent and nothing is kept.</summary>
public class TryingTests
{
    private static AgreedFieldDefinition Field(string name, Conversion? there = null, string? standsFor = null, FieldType type = FieldType.Text) =>
        new(name, type, [new SideField(name, true, true, new AsItStands()), new SideField(name, true, true, there ?? new AsItStands(), Default: standsFor)]);

    private static readonly MirrorDefinition Mirror = new("customers", "Customers", "customer",
        [new SideDefinition("crm", "organisations"), new SideDefinition("erp", "Customers", Constants: [new SideConstant("Currency", "EUR")])],
        [Field("Name", new FormulaConversion(null, "UPPER(value)")), Field("Terms", standsFor: "N30")], [new RecognisingRule("Name")], "Name");

    private readonly MemorySystem crm = new("Slipway CRM", new Random(1), false);
    private readonly MemorySystem erp = new("Ballast ERP", new Random(2), false);

    private Task<TriedRecord> Try(LinkedRecord record, MirrorDefinition? draft = null, MirrorDefinition? published = null) =>
        new Trying(new KnownSystems(new Dictionary<string, ISystemConnector> { ["crm"] = this.crm, ["erp"] = this.erp }), new OnlyReferences(References.None), TimeProvider.System).Try(draft ?? Mirror, published, record, CancellationToken.None);

    private static RawFields Raw(params (string Path, string? Text)[] fields) => RawFields.Of(fields.Select(f => KeyValuePair.Create(f.Path, Value.Text(f.Text))));

    private static KnownRecord Known(int side, string id, RawFields raw, RawFields? shadow = null) =>
        new(side, id, raw, shadow, ImmutableDictionary<string, string>.Empty, ImmutableHashSet<string>.Empty, ImmutableHashSet<string>.Empty, "1", null, null);

    private static LinkedRecord Record(params KnownRecord[] members) => new(Guid.NewGuid(), "Brae Hire", ImmutableDictionary<string, AgreedValue>.Empty, [.. members], [], ImmutableDictionary<int, Removal>.Empty);

    [Fact]
    public async Task A_record_that_the_other_side_lacks_would_be_created_with_its_form_its_defaults_and_its_constants()
    {
        var id = this.crm.Add(Raw(("Name", "Brae Hire")));
        var tried = await this.Try(Record(Known(0, id, this.crm.Fields(id))));

        tried.Sides[0].Delivery.ShouldBeNull();
        var there = tried.Sides[1].Delivery!;
        there.Kind.ShouldBe(WriteKind.Create);
        there.Fields.Select(f => (f.Path, f.Raw.Display)).ShouldBe([("Name", "BRAE HIRE"), ("Terms", "N30"), ("Currency", "EUR")], ignoreOrder: true);
        tried.Sides[1].Request!.Body.ShouldBe("""{"Currency":"EUR","Name":"BRAE HIRE","Terms":"N30"}""");
        this.erp.Ids.ShouldBeEmpty();
        this.erp.Writes.ShouldBeEmpty();
    }

    [Fact]
    public async Task What_the_systems_say_now_counts_not_what_was_read_of_them_last()
    {
        var (left, right) = (this.crm.Add(Raw(("Name", "Brae Hire"), ("Terms", "N14"))), this.erp.Add(Raw(("Name", "BRAE HIRE"), ("Terms", "N14"))));
        var record = Record(Known(0, left, this.crm.Fields(left), this.crm.Fields(left)), Known(1, right, this.erp.Fields(right), this.erp.Fields(right)));
        this.crm.Edit(left, "Terms", Value.Text("N60"));

        var change = (await this.Try(record)).Sides[1].Delivery!;
        change.Kind.ShouldBe(WriteKind.Change);
        change.Fields.Single(f => f.Path == "Terms").Raw.Display.ShouldBe("N60");
        this.erp.Fields(right)["Terms"].Display.ShouldBe("N14");
    }

    [Fact]
    public async Task A_system_that_does_not_answer_is_worked_out_from_what_was_read_of_it_last_and_that_is_said()
    {
        var id = this.crm.Add(Raw(("Name", "Brae Hire")));
        var record = Record(Known(0, id, this.crm.Fields(id)));
        this.crm.Down = "Slipway CRM can't be reached.";
        var tried = await this.Try(record);
        tried.Sides[0].Problems.ShouldHaveSingleItem().ShouldStartWith("Slipway CRM can't be reached. What follows is worked out from");
        tried.Sides[1].Delivery!.Kind.ShouldBe(WriteKind.Create);
    }

    [Fact]
    public async Task What_would_be_held_says_why_and_sends_nothing()
    {
        var draft = Mirror with { Fields = [.. Mirror.Fields, Field("Since", type: FieldType.Date)] };
        var id = this.crm.Add(Raw(("Name", "Brae Hire"), ("Since", "some day")));
        var tried = await this.Try(Record(Known(0, id, this.crm.Fields(id))), draft, Mirror);
        tried.Sides.ShouldAllBe(s => s.Delivery == null);
        tried.Sides[0].Problems.ShouldHaveSingleItem().ShouldContain("Since is \"some day\", which can't be read as a date");
    }
}
