using System.Collections.Immutable;
using UprightMirror.Connectors;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Engine.Tests.Simulation;
using UprightMirror.Storage;

namespace UprightMirror.Engine.Tests;

/// <summary>One bad record never stops the others, and a system that fails never loses what was done before.</summary>
public class BadRecordTests
{
    private static readonly MirrorDefinition Mirror = new(
        "customers", "Customers", "customer",
        [new SideDefinition("crm", "organisations"), new SideDefinition("erp", "Customers")],
        [
            new AgreedFieldDefinition("Name", FieldType.Text, [new SideField("Name", true, true, new AsItStands()), new SideField("Name", true, true, new AsItStands())]),
            new AgreedFieldDefinition("E-mail", FieldType.Email, [new SideField("Mail", true, true, new AsItStands()), new SideField("Mail", true, true, new AsItStands())]),
            new AgreedFieldDefinition("Since", FieldType.Date, [new SideField("Since", true, true, new AsItStands()), new SideField("Since", true, true, new AsItStands())]),
        ],
        [new RecognisingRule("E-mail")],
        "Name");

    private readonly MemorySystem crm = new("Slipway CRM", new Random(1), false);
    private readonly MemorySystem erp = new("Ballast ERP", new Random(2), false);
    private readonly MemoryStore store = new();

    private List<CatalogueField> described = [new("Name", "string", true, false, 20), new("Mail", "string", false, false, null), new("Since", "date", false, false, null)];

    private Task<RunEnd> Run(ISystemConnector? instead = null)
    {
        this.crm.Tick(TimeSpan.FromMinutes(1));
        this.erp.Tick(TimeSpan.FromMinutes(1));
        var required = new CatalogueCollection("Customers", this.described.ToImmutableDictionary(f => f.Path));
        return new MirrorRun(new MirrorContext(Mirror, [this.crm, instead ?? this.erp], [required, required], this.store, TimeProvider.System)).Execute(false, CancellationToken.None);
    }

    private static RawFields Customer(string? name, string mail, string since = "2026-03-01") =>
        RawFields.Of([KeyValuePair.Create("Name", Value.Text(name)), KeyValuePair.Create("Mail", Value.Text(mail)), KeyValuePair.Create("Since", Value.Text(since))]);

    [Fact]
    public async Task A_field_that_vanished_from_the_description_holds_the_records_that_come_by_and_empties_nothing()
    {
        var id = this.crm.Add(Customer("Brae Hire", "office@brae.example"));
        await this.Run();
        this.described = [.. this.described.Where(f => f.Path != "Since")];
        this.crm.Edit(id, "Since", Value.Empty);
        this.crm.Edit(id, "Name", Value.Text("Brae Hire & Tackle"));

        await this.Run();

        this.store.Holds.ShouldContain(h => h.Reason.Contains("Since is not in the system's own description any more", StringComparison.Ordinal));
        var there = this.erp.Fields(this.erp.Ids.Single());
        there["Since"].Display.ShouldBe("2026-03-01");
        there["Name"].Display.ShouldBe("Brae Hire");
    }

    [Fact]
    public async Task A_record_that_can_not_be_read_is_held_with_its_system_record_and_field_and_the_others_go_on()
    {
        var bad = this.crm.Add(Customer("Brae Hire", "office@brae.example", "the first of March"));
        var nameless = this.crm.Add(Customer(null, "post@nobody.example"));
        this.crm.Add(Customer("Tern Point", "post@tern.example"));

        var end = await this.Run();

        end.Fault.ShouldBeNull();
        end.Counts.Held.ShouldBe(2);
        this.erp.Ids.Select(id => this.erp.Fields(id)["Name"].Display).ShouldBe(["Tern Point"]);
        this.store.Holds.Select(h => h.Reason).ShouldBe([
            $"Slipway CRM, customer {bad}: Since is \"the first of March\", which can't be read as a date (such as 2026-11-23).",
            $"Slipway CRM, customer {nameless}: Name is empty, and the system's own description says that it never is."]);
        (await this.Run()).Counts.Written.ShouldBe(0);

        this.crm.Edit(bad, "Since", Value.Text("2026-03-01"));
        await this.Run();
        this.erp.Ids.Count().ShouldBe(2);
        this.store.Holds.Select(h => h.RecordId).ShouldBe([nameless]);
    }

    [Fact]
    public async Task Two_records_of_one_side_in_one_link_are_held_and_the_others_go_on()
    {
        this.crm.Add(Customer("Brae Hire", "office@brae.example"));
        await this.Run();
        var link = this.store.AllLinked.Single().Link;
        var second = this.crm.Add(Customer("Brae Hire", "second@brae.example"));
        await this.store.SaveObserved(0, [(await this.crm.ReadOne("organisations", second, CancellationToken.None))!], CancellationToken.None);
        await this.store.SaveLinks([new LinkedAs(link, 0, second, "Brae Hire", "a mistake")], CancellationToken.None);
        this.crm.Add(Customer("Tern Point", "post@tern.example"));
        this.store.LookAtEverythingAgain();

        var end = await this.Run();

        end.Fault.ShouldBeNull();
        this.store.Holds.Single().Reason.ShouldBe($"Slipway CRM has 2 records for this one customer: Slipway CRM-0001, {second}. Nothing is sent before one of them is removed there.");
        this.erp.Ids.Select(id => this.erp.Fields(id)["Name"].Display).ShouldBe(["Brae Hire", "Tern Point"]);
    }

    [Fact]
    public async Task A_creation_that_nobody_knows_the_outcome_of_is_not_planned_again_in_the_same_run()
    {
        // The ERP numbers what it creates, so the record is reconciled a second time while the answer of the third side is lost.
        var third = new MemorySystem("Pennant Mail", new Random(3), false) { HasReferences = false };
        this.erp.Assigns = "Since";
        var mirror = Mirror with
        {
            Sides = [.. Mirror.Sides, new SideDefinition("mail", "companies")],
            Fields = [.. Mirror.Fields.Select(f => f with { Type = FieldType.Text, Cells = [f.Cells[0], f.Name == "Since" ? f.Cells[1]! with { Takes = false } : f.Cells[1], f.Cells[0]] })],
        };
        this.crm.Add(RawFields.Of([KeyValuePair.Create("Name", Value.Text("Brae Hire")), KeyValuePair.Create("Mail", Value.Text("office@brae.example"))]));
        for (var run = 0; run < 4; run++)
        {
            this.crm.Tick(TimeSpan.FromMinutes(1));
            this.erp.Tick(TimeSpan.FromMinutes(1));
            third.Tick(TimeSpan.FromMinutes(1));
            await new MirrorRun(new MirrorContext(mirror, [this.crm, this.erp, new LosingAnswers(third)], [.. Enumerable.Repeat(CatalogueCollection.Unknown("x"), 3)], this.store, TimeProvider.System)).Execute(false, CancellationToken.None);
        }

        third.Ids.Count().ShouldBe(1);
        this.store.AllLinked.Single().Members.Select(m => m.Side).ShouldBe([0, 1, 2]);
    }

    [Fact]
    public async Task A_linked_record_that_became_unreadable_keeps_what_was_agreed_and_goes_on_when_it_is_put_right()
    {
        var id = this.crm.Add(Customer("Tern Point", "post@tern.example"));
        await this.Run();
        this.crm.Edit(id, "Since", Value.Text("soon"));
        this.crm.Edit(id, "Name", Value.Text("Tern Point Sailing"));
        (await this.Run()).Counts.Held.ShouldBe(1);
        this.erp.Fields(this.erp.Ids.Single())["Name"].Display.ShouldBe("Tern Point");

        this.crm.Edit(id, "Since", Value.Text("2026-04-01"));
        await this.Run();
        this.erp.Fields(this.erp.Ids.Single())["Name"].Display.ShouldBe("Tern Point Sailing");
        this.erp.Fields(this.erp.Ids.Single())["Since"].Display.ShouldBe("2026-04-01");
        this.store.Holds.ShouldBeEmpty();
    }

    [Fact]
    public async Task A_value_too_long_for_the_other_side_holds_that_write_and_says_so()
    {
        var id = this.crm.Add(Customer("Tern Point", "post@tern.example"));
        await this.Run();
        this.crm.Edit(id, "Name", Value.Text("Tern Point Sailing and Paddling Club"));
        await this.Run();
        this.store.Holds.Single().Reason.ShouldBe($"Ballast ERP, customer {this.erp.Ids.Single()}: Name takes 20 characters, and Name \"Tern Point Sailing and Paddling Club\" has 36.");
        (await this.Run()).Counts.Written.ShouldBe(0);
    }

    [Fact]
    public async Task Two_records_of_one_side_with_one_address_are_held_and_never_guessed()
    {
        this.erp.Add(Customer("Brae Hire", "office@brae.example"));
        this.crm.Add(Customer("Brae Hire", "office@brae.example"));
        this.crm.Add(Customer("Brae Tackle", "OFFICE@brae.example"));
        await this.Run();
        this.store.Holds.ShouldAllBe(h => h.Field == "E-mail" && h.Reason.Contains("nobody can tell which", StringComparison.Ordinal));
        this.store.AllLinked.ShouldBeEmpty();
        this.erp.Ids.Count().ShouldBe(1);
    }

    [Fact]
    public async Task A_system_that_goes_down_ends_the_run_with_its_reason_and_the_next_run_goes_on_from_there()
    {
        for (var i = 0; i < 10; i++)
        {
            this.crm.Add(Customer($"Club {i}", $"c{i}@club.example"));
        }

        var end = await this.Run(new DownAfter(this.erp, 4));
        end.Fault.ShouldBe("Ballast ERP can't be reached.");
        this.erp.Ids.Count().ShouldBe(4);
        (await this.Run()).Fault.ShouldBeNull();
        this.erp.Ids.Select(id => this.erp.Fields(id)["Name"].Display).Distinct().Count().ShouldBe(10);
        this.erp.Ids.Count().ShouldBe(10);
    }

    [Fact]
    public async Task The_run_tells_what_was_read_held_and_not_written()
    {
        this.crm.Add(Customer("Brae Hire", "office@brae.example", "the first of March"));
        this.crm.Add(Customer("Tern Point", "post@tern.example"));
        var context = new MirrorContext(Mirror, [this.crm, new DownAfter(this.erp, 0)], [.. Enumerable.Repeat(CatalogueCollection.Unknown("x"), 2)], this.store, TimeProvider.System);
        await new MirrorRun(context).Execute(false, CancellationToken.None);
        await context.KeepLog(CancellationToken.None);
        this.store.Lines.Select(l => l.N).ShouldBe(Enumerable.Range(1, this.store.Lines.Count));
        this.store.Lines[0].Text.ShouldBe("Slipway CRM: everything was read: 2 records, 2 other than known.");
        this.store.Lines.Where(l => l.Level != LineLevel.Info).Select(l => (l.Level, l.Text)).ShouldBe(
            [(LineLevel.Warning, this.store.Holds.Single().Reason), (LineLevel.Error, "Ballast ERP can't be reached.")]);
        this.store.Lines[^1].Text.ShouldBe("Ballast ERP: 0 records were written, 1 not.");
    }

    [Fact]
    public async Task What_a_system_refuses_is_held_in_its_own_words_and_tried_again_when_it_changes()
    {
        var id = this.crm.Add(Customer("Tern Point", "post@tern.example"));
        await this.Run(new Refusing(this.erp));
        this.store.Holds.Single().Answer.ShouldBe("No.");
        (await this.Run()).Counts.Written.ShouldBe(0);
        this.crm.Edit(id, "Name", Value.Text("Tern Point Sailing"));
        await this.Run();
        this.erp.Fields(this.erp.Ids.Single())["Name"].Display.ShouldBe("Tern Point Sailing");
        this.store.Holds.ShouldBeEmpty();
    }

    private sealed class LosingAnswers(MemorySystem system) : Around(system)
    {
        private readonly MemorySystem system = system;

        public override async Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation)
        {
            await this.system.Write(collection, request, cancellation);
            return new WriteAnswer.Unknown("the connection broke after it");
        }
    }

    private sealed class DownAfter(MemorySystem system, int writes) : Around(system)
    {
        private readonly MemorySystem system = system;
        private int left = writes;

        public override Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation) =>
            this.left-- > 0 ? this.system.Write(collection, request, cancellation) : Task.FromResult<WriteAnswer>(new WriteAnswer.NotReached("Ballast ERP can't be reached."));
    }

    private sealed class Refusing(MemorySystem system) : Around(system)
    {
        public override Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation) => Task.FromResult<WriteAnswer>(new WriteAnswer.Refused("No."));
    }
}
