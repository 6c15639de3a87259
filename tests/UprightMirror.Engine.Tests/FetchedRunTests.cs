using UprightMirror.Connectors;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Engine.Tests.Simulation;

namespace UprightMirror.Engine.Tests;

/// <summary>A field that is filled from a third system by a key: fetched once a run, by what is settled in that very run; and what happens where that system has nothing or does not answer.</summary>
public class FetchedRunTests
{
    private static readonly MirrorDefinition Boats = new("boats", "Boats", "boat", [new SideDefinition("crm", "boats"), new SideDefinition("mail", "boats")],
        [
            new AgreedFieldDefinition("Name", FieldType.Text, [new SideField("name", true, true, new AsItStands()), new SideField("name", true, true, new AsItStands())]),
            new AgreedFieldDefinition("Berth", FieldType.Text, [new SideField("berth", true, true, new AsItStands()), new SideField("berth", true, true, new AsItStands())], Rule: "latest"),
            new AgreedFieldDefinition("Length", FieldType.Number, [null, new SideField("length", false, true, new AsItStands())], WorkedOut: "FETCHED(\"register\"; \"berths\"; [Berth]; \"length\") * 2"),
        ],
        [new RecognisingRule("Name")], "Name");

    private readonly MemorySystem crm = new("Slipway CRM", new Random(1), false);
    private readonly MemorySystem mail = new("Pennant Mail", new Random(2), false);
    private readonly Counting register = new();
    private readonly MemoryStore store = new();
    private MirrorDefinition mirror = Boats;
    private RunLog log = null!;

    private (int Calls, int Failed)? Fetches => this.log.Spent.Calls.Where(c => c is { System: "Harbour register", What: "fetching by a key", Side: null }).Select(c => ((int, int)?)(c.Calls, c.Failed)).SingleOrDefault();

    /// <summary>The third system: three berths, one without a length.</summary>
    private sealed class Counting() : Around(new MemorySystem("Harbour register", new Random(3), false))
    {
        private readonly Lock gate = new();

        public List<string> Asked { get; } = [];

        public bool IsDown { get; set; }

        public override Task<Core.Remembered.ObservedRecord?> ReadOne(string collection, string id, CancellationToken cancellation)
        {
            lock (this.gate)
            {
                this.Asked.Add($"{collection} {id}");
            }

            return this.IsDown ? throw new SystemFault("Harbour register does not answer.")
                : Task.FromResult(id is "B-1" or "B-2" or "B-3" ? new Core.Remembered.ObservedRecord(id, RawFields.Of(id == "B-3" ? [] : [KeyValuePair.Create("length", (Value)new NumberValue(id == "B-1" ? 11.5m : 9))]), null, null, null) : null);
        }
    }

    private async Task<RunEnd> Run()
    {
        this.crm.Tick(TimeSpan.FromMinutes(1));
        this.mail.Tick(TimeSpan.FromMinutes(1));
        this.register.Asked.Clear();
        var systems = new KnownSystems(new Dictionary<string, ISystemConnector> { ["crm"] = this.crm, ["mail"] = this.mail, ["register"] = this.register });
        this.log = new RunLog(TimeProvider.System);
        return await new MirrorRun(await MirrorContext.Of(this.mirror, systems, new OnlyReferences(References.None), this.store, TimeProvider.System, CancellationToken.None, log: this.log)).Execute(false, CancellationToken.None);
    }

    private string Add(string name, string berth) => this.crm.Add(RawFields.Of([KeyValuePair.Create("name", (Value)Value.Text(name)), KeyValuePair.Create("berth", berth.Length == 0 ? Value.Empty : Value.Text(berth))]));

    private string Length(string name) => this.mail.Ids.Select(this.mail.Fields).Single(f => f["name"].Display == name)["length"].Display;

    [Fact]
    public async Task A_field_is_filled_by_a_key_each_record_is_fetched_once_and_a_new_key_counts_in_the_run_that_settles_it()
    {
        var tern = this.Add("Tern", "B-1");
        this.Add("Otter", "B-1");
        this.Add("Heron", "");
        this.Add("Gannet", "B-3");
        this.Add("Curlew", "B-99");
        (await this.Run()).Counts.Held.ShouldBe(0);
        (this.Length("Tern"), this.Length("Otter")).ShouldBe(("23", "23"));
        this.register.Asked.Order().ShouldBe(["berths B-1", "berths B-3", "berths B-99"]);
        this.Fetches.ShouldBe((3, 0));

        (await this.Run()).Counts.Written.ShouldBe(0);
        this.register.Asked.ShouldBeEmpty("nothing moved");
        this.Fetches.ShouldBeNull();

        this.crm.Edit(tern, "berth", Value.Text("B-2"));
        await this.Run();
        this.Length("Tern").ShouldBe("18");
        this.register.Asked.ShouldContain("berths B-2");
    }

    [Fact]
    public async Task A_system_that_does_not_answer_holds_the_records_that_need_it_and_no_other_and_they_go_on_by_themselves()
    {
        this.Add("Tern", "B-1");
        this.Add("Heron", "");
        this.register.IsDown = true;
        var end = await this.Run();
        end.Fault.ShouldBeNull();
        this.Fetches.ShouldBe((1, 1));
        this.store.Holds.ShouldContain(h => h.Reason.Contains("Harbour register does not answer", StringComparison.Ordinal));
        this.mail.Ids.Select(this.mail.Fields).Select(f => f["name"].Display).ShouldContain("Heron");

        this.register.IsDown = false;
        await this.Run();
        this.Length("Tern").ShouldBe("23");
    }

    [Fact]
    public async Task What_is_fetched_may_be_fetched_by_in_turn_but_not_without_end()
    {
        this.mirror = Boats with { Fields = [Boats.Fields[0], Boats.Fields[1], Boats.Fields[2] with { WorkedOut = "FETCHED(\"register\"; \"berths\"; \"B-\" & (FETCHED(\"register\"; \"berths\"; [Berth]; \"length\") - 8); \"length\")" }] };
        this.Add("Tern", "B-2");
        await this.Run();
        this.Length("Tern").ShouldBe("11.5");
        this.register.Asked.ShouldBe(["berths B-2", "berths B-1"]);
    }
}
