using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Engine;
using UprightMirror.Engine.Tests.Simulation;
using UprightMirror.Storage;
using UprightMirror.Storage.Tests;

namespace UprightMirror.Web.Tests;

/// <summary>What people say of look-alikes, through whole runs on PostgreSQL: linked, kept apart, taken apart again, merged, and all of it taken back.</summary>
public sealed class JudgingTests(TestDatabase database) : IClassFixture<TestDatabase>
{
    private const string Who = "Maren Voll";
    private static int counter;

    private readonly MemorySystem crm = new("Slipway CRM", new Random(1), false);
    private readonly MemorySystem erp = new("Ballast ERP", new Random(2), false);
    private readonly string key = $"judged{Interlocked.Increment(ref counter)}";
    private MirrorDefinition? orders;

    private MirrorDefinition Customers => new(
        this.key, this.key, "customer",
        [new SideDefinition("crm", "organisations", DoubleMark: new SideConstant("Note", "Entered twice: use {id}.")), new SideDefinition("erp", "Customers")],
        [Both("Name", FieldType.Text), Both("Telephone", FieldType.Text), Both("Town", FieldType.Text), Both("Note", FieldType.Text)],
        [], "Name",
        Likeness: new LikenessDefinition([new("Name", "organisation"), new("Telephone", "phone"), new("Town", "town")]));

    private static AgreedFieldDefinition Both(string name, FieldType type) => new(name, type, [new SideField(name, true, true, new AsItStands()), new SideField(name, true, true, new AsItStands())], "rank");

    private static RawFields Company(string name, string phone, string town) =>
        RawFields.Of([KeyValuePair.Create("Name", Value.Text(name)), KeyValuePair.Create("Telephone", Value.Text(phone)), KeyValuePair.Create("Town", Value.Text(town))]);

    private async Task<KeptMirror> Kept(MirrorDefinition definition)
    {
        var mirrors = new Mirrors(database.Source);
        await mirrors.Save(definition, "a test", CancellationToken.None);
        return (await mirrors.Find(definition.Key, CancellationToken.None))!;
    }

    private async Task<RunEnd> Run(MirrorDefinition? of = null)
    {
        this.crm.Tick(TimeSpan.FromMinutes(1));
        this.erp.Tick(TimeSpan.FromMinutes(1));
        var mirror = await this.Kept(of ?? this.Customers);
        await using var session = (await new RunSessions(database.Source, new RunBook(database.Source, TimeProvider.System), TimeProvider.System).Begin(mirror, false, "a test", CancellationToken.None))!;
        var references = await new Mirrors(database.Source).ReferencesTo([.. mirror.Definition.PointsAt], CancellationToken.None);
        var context = new MirrorContext(mirror.Definition, [this.crm, this.erp], [CatalogueCollection.Unknown("organisations"), CatalogueCollection.Unknown("Customers")], session.Store, TimeProvider.System, references);
        var end = await new MirrorRun(context).Execute(false, CancellationToken.None);
        end.Fault.ShouldBeNull();
        return end;
    }

    private async Task<Judging> Judging()
    {
        var mirror = await this.Kept(this.Customers);
        KeptMirror[] all = this.orders is null ? [mirror] : [mirror, await this.Kept(this.orders)];
        return new Judging(mirror, all, ["Slipway CRM", "Ballast ERP"], new RegroupingStore(database.Source, mirror.Id, mirror.Definition, TimeProvider.System), References.None, TimeProvider.System);
    }

    /// <summary>Two records that nobody would link by themselves, put to a person.</summary>
    private async Task<long> Ask(int sideA, string idA, int sideB, string idB)
    {
        var mirror = await this.Kept(this.Customers);
        await using var command = database.Source.CreateCommand("""
            insert into look_alike (mirror_id, side_a, id_a, side_b, id_b, likelihood, probability, found_at)
            values (@mirror, @sideA, @idA, @sideB, @idB, '{"before":-5,"lines":[{"fields":["Name"],"words":"the same","bits":7.5}],"relatives":0,"rivals":0}', 0.85, now())
            on conflict (mirror_id, side_a, id_a, side_b, id_b) do update set state = 'open' returning id
            """);
        command.Parameters.AddWithValue("mirror", mirror.Id);
        command.Parameters.AddWithValue("sideA", sideA);
        command.Parameters.AddWithValue("idA", idA);
        command.Parameters.AddWithValue("sideB", sideB);
        command.Parameters.AddWithValue("idB", idB);
        return (long)(await command.ExecuteScalarAsync())!;
    }

    private async Task<string> StateOf(long pair) => await database.Ask<string>($"select state from look_alike where id = {pair}");

    private async Task<Guid?> PointsAt(string order) => Guid.Parse(await database.Ask<string>($"select agreed -> 'Customer' -> 'value' ->> 'link' from link l join mirror m on m.id = l.mirror_id where m.key = '{this.orders!.Key}' and l.title = '{order}'"));

    private async Task<Guid?> LinkOf(int side, string id) => (await new RegroupingStore(database.Source, (await this.Kept(this.Customers)).Id, this.Customers, TimeProvider.System).ReadPlaced(new RecordPlace(side, id), CancellationToken.None))!.Link;

    /// <summary>One customer on each side, each known alone, and nothing created: as after a run that left them out.</summary>
    private async Task<long> TwoAlone()
    {
        this.crm.Add(Company("Heron Weir Canoe Club", "0131 4960210", "Kelburn"), "o1");
        this.erp.Add(Company("Herron Weir C.C.", "", "Otterford"), "C1");
        await this.Run(this.Customers with { LeavesOut = true });
        return await this.Ask(0, "o1", 1, "C1");
    }

    [Fact]
    public async Task Two_that_are_the_same_are_linked_and_the_next_run_brings_them_together()
    {
        var pair = await this.TwoAlone();

        var end = await (await this.Judging()).Same(pair, Who, CancellationToken.None);

        end.End.ShouldBe(DecisionEnd.Made);
        (await this.LinkOf(0, "o1")).ShouldBe(end.Link);
        await this.Run();
        this.erp.Fields("C1")["Name"].Display.ShouldBe("Heron Weir Canoe Club");
        this.erp.Fields("C1")["Telephone"].Display.ShouldBe("0131 4960210");
        (this.crm.Ids.Count(), this.erp.Ids.Count()).ShouldBe((1, 1));
        (await this.Run()).Counts.Written.ShouldBe(0);
        (await (await this.Judging()).Same(pair, Who, CancellationToken.None)).End.ShouldBe(DecisionEnd.ChangedMeanwhile);
    }

    [Fact]
    public async Task Undone_before_a_run_everything_is_as_it_was()
    {
        var pair = await this.TwoAlone();
        var judging = await this.Judging();
        await judging.Same(pair, Who, CancellationToken.None);

        (await judging.Undo(pair, Who, CancellationToken.None)).End.ShouldBe(DecisionEnd.Made);

        (await this.StateOf(pair)).ShouldBe("open");
        (await this.LinkOf(0, "o1")).ShouldBeNull();
        (await database.Ask<long>($"select count(*) from link l join mirror m on m.id = l.mirror_id where m.key = '{this.key}'")).ShouldBe(0);
        (await judging.Undo(pair, Who, CancellationToken.None)).End.ShouldBe(DecisionEnd.NotPossible);
    }

    [Fact]
    public async Task Undone_after_a_run_they_are_taken_apart_and_what_was_written_across_is_put_back()
    {
        var pair = await this.TwoAlone();
        await (await this.Judging()).Same(pair, Who, CancellationToken.None);
        await this.Run();

        (await (await this.Judging()).Undo(pair, Who, CancellationToken.None)).End.ShouldBe(DecisionEnd.Made);

        (await this.StateOf(pair)).ShouldBe("open");
        await this.Run(this.Customers with { Sides = [.. this.Customers.Sides.Select(s => s with { MayCreate = false })] });
        (this.erp.Fields("C1")["Name"].Display, this.erp.Fields("C1")["Telephone"].Display, this.erp.Fields("C1")["Town"].Display).ShouldBe(("Herron Weir C.C.", "", "Otterford"));
        this.crm.Fields("o1")["Name"].Display.ShouldBe("Heron Weir Canoe Club");
        (await this.LinkOf(0, "o1")).ShouldNotBe(await this.LinkOf(1, "C1"));
    }

    [Fact]
    public async Task A_wrong_link_is_broken_for_good_and_what_people_changed_since_is_left_alone()
    {
        var pair = await this.TwoAlone();
        var link = (await (await this.Judging()).Same(pair, Who, CancellationToken.None)).Link!.Value;
        await this.Run();
        this.erp.Edit("C1", "Town", Value.Text("Tidewell"));
        await this.Run();

        var judging = await this.Judging();
        var offers = await judging.WrittenAcross(link, 1, CancellationToken.None);
        offers.Where(o => o.Side == 1).Select(o => (o.Field, o.Before)).ShouldBe([("Name", "Herron Weir C.C."), ("Telephone", "")], ignoreOrder: true);

        // The town that the ERP said reached the CRM: that is put back there too.
        offers.Where(o => o.Side == 0).Select(o => (o.Field, o.Before, o.Now)).ShouldBe([("Town", "Kelburn", "Tidewell")]);
        await judging.TakeApart(link, 1, true, null, Who, CancellationToken.None);
        await this.Run(this.Customers with { Sides = [.. this.Customers.Sides.Select(s => s with { MayCreate = false })] });
        (this.erp.Fields("C1")["Name"].Display, this.erp.Fields("C1")["Town"].Display).ShouldBe(("Herron Weir C.C.", "Tidewell"));
        this.crm.Fields("o1")["Town"].Display.ShouldBe("Kelburn");
        (await this.StateOf(pair)).ShouldBe("different");

        // The right one is found by hand: that is remembered in its place.
        var joined = (await judging.Join(null, new RecordPlace(1, "C1"), new RecordPlace(0, "o1"), Who, CancellationToken.None)).Link;
        (await this.LinkOf(1, "C1")).ShouldBe(joined);
        (await this.LinkOf(0, "o1")).ShouldBe(joined);
        (await this.StateOf(pair)).ShouldBe("same");
    }

    [Fact]
    public async Task A_side_never_has_two_records_of_one_thing()
    {
        var pair = await this.TwoAlone();
        await (await this.Judging()).Same(pair, Who, CancellationToken.None);
        await this.Run();
        this.crm.Add(Company("Heron Weir", "0131 4960210", "Kelburn"), "o2");
        await this.Run(this.Customers with { LeavesOut = true, Likeness = null });

        var end = await (await this.Judging()).Same(await this.Ask(0, "o2", 1, "C1"), Who, CancellationToken.None);

        end.End.ShouldBe(DecisionEnd.NotPossible);
        end.Why!.ShouldContain("two records for one customer: o2 and o1");
    }

    /// <summary>A customer with its double in the CRM; the ERP knows the double, and an order points at it.</summary>
    private async Task<long> Twice()
    {
        this.crm.Add(Company("Heron Weir Canoe Club", "0131 4960210", "Kelburn"), "o1");
        this.crm.Add(Company("Heron Weir Canoe Clb", "0131 4960211", "Kelburn"), "o2");
        this.erp.Add(Company("HERON WEIR", "0131 4960211", "Kelburn"), "C2");
        await this.Run(this.Customers with { LeavesOut = true });
        await (await this.Judging()).Same(await this.Ask(0, "o2", 1, "C2"), Who, CancellationToken.None);
        await this.Run(this.Customers with { LeavesOut = true });
        this.orders = new MirrorDefinition(
            this.key + "-orders", this.key + " orders", "order", [new SideDefinition("crm", "deals", MayCreate: false), new SideDefinition("erp", "SalesOrders", MayCreate: false)],
            [new AgreedFieldDefinition("Customer", FieldType.Reference, [new SideField("customer", true, true, new ReferenceTo(this.key)), null]), new AgreedFieldDefinition("Number", FieldType.Text, [new SideField("number", true, true, new AsItStands()), null])],
            [new RecognisingRule("Number")], "Number");
        this.crm.Add(RawFields.Of([KeyValuePair.Create("customer", Value.Text("o2")), KeyValuePair.Create("number", Value.Text("SO-1"))]), "d1");
        return await this.Ask(0, "o1", 0, "o2");
    }

    [Fact]
    public async Task Of_two_that_were_entered_twice_one_is_kept_with_what_the_other_was_linked_with_and_what_points_at_it()
    {
        var pair = await this.Twice();
        await this.Run(this.orders);
        var judging = await this.Judging();
        (await judging.Same(pair, Who, CancellationToken.None)).Why.ShouldBe("Both are records of Slipway CRM. Say which of them is kept.");

        var end = await judging.Double(pair, keepFirst: true, ["Telephone"], Who, CancellationToken.None);

        end.Why.ShouldBeNull();
        await this.Run();
        await this.Run(this.orders);
        this.crm.Fields("o2")["Note"].Display.ShouldBe("Entered twice: use o1.");
        this.crm.Fields("o1")["Telephone"].Display.ShouldBe("0131 4960211");
        this.crm.Fields("d1")["customer"].Display.ShouldBe("o1");
        (await this.LinkOf(1, "C2")).ShouldBe(end.Link);
        (await this.LinkOf(0, "o1")).ShouldBe(end.Link);
        (await this.LinkOf(0, "o2")).ShouldBeNull();
        this.erp.Fields("C2")["Name"].Display.ShouldBe("Heron Weir Canoe Club");
        (await this.Run()).Counts.Written.ShouldBe(0);
        (await this.Run(this.orders)).Counts.Written.ShouldBe(0);

        (await this.PointsAt("SO-1")).ShouldBe(end.Link);

        // An order that still names the double means the one that is kept.
        this.crm.Add(RawFields.Of([KeyValuePair.Create("customer", Value.Text("o2")), KeyValuePair.Create("number", Value.Text("SO-2"))]), "d2");
        (await this.Run(this.orders)).Counts.Held.ShouldBe(0);
    }

    [Fact]
    public async Task A_merge_is_taken_back_before_a_run_and_after_one()
    {
        var pair = await this.Twice();
        await this.Run(this.orders);
        var (two, order) = (await this.LinkOf(0, "o2"), this.crm.Fields("d1"));
        await (await this.Judging()).Double(pair, true, ["Telephone"], Who, CancellationToken.None);
        (await this.PointsAt("SO-1")).ShouldBe(await this.LinkOf(0, "o1"));

        (await (await this.Judging()).Undo(pair, Who, CancellationToken.None)).Why.ShouldBeNull();
        (await this.PointsAt("SO-1")).ShouldBe(two);
        ((await this.LinkOf(0, "o2")), (await this.LinkOf(1, "C2")), await this.StateOf(pair)).ShouldBe((two, two, "open"));
        (await this.Run(this.orders)).Counts.Written.ShouldBe(0);
        this.crm.Fields("d1").ShouldBe(order);

        await (await this.Judging()).Double(pair, true, ["Telephone"], Who, CancellationToken.None);
        await this.Run();
        await this.Run(this.orders);
        (await (await this.Judging()).Undo(pair, Who, CancellationToken.None)).Why.ShouldBeNull();
        await this.Run(this.Customers with { Sides = [.. this.Customers.Sides.Select(s => s with { MayCreate = false })] });
        await this.Run(this.orders);
        (await this.LinkOf(0, "o2")).ShouldBe(two);
        (await this.LinkOf(1, "C2")).ShouldBe(two);
        (await this.LinkOf(0, "o1")).ShouldNotBe(two);
        this.crm.Fields("o2")["Note"].Display.ShouldBe("");
        this.crm.Fields("d1")["customer"].Display.ShouldBe("o2");
        (await this.PointsAt("SO-1")).ShouldBe(two);
        (await this.StateOf(pair)).ShouldBe("open");
    }

    [Fact]
    public async Task What_a_run_linked_between_looking_and_deciding_is_not_linked_twice()
    {
        var pair = await this.TwoAlone();
        var mirror = await this.Kept(this.Customers);
        var store = new RegroupingStore(database.Source, mirror.Id, mirror.Definition, TimeProvider.System);
        var other = Guid.CreateVersion7();
        await using (var elsewhere = database.Source.CreateCommand($"insert into link (mirror_id, id, title) values ({mirror.Id}, '{other}', 'linked meanwhile'); update system_record set link_id = '{other}' where mirror_id = {mirror.Id} and id = 'C1'"))
        {
            await elsewhere.ExecuteNonQueryAsync();
        }

        var link = Guid.CreateVersion7();
        var kept = await store.Save(
            new Regrouped(pair, "same", Who, [new LinkKept(link, "x", new Dictionary<string, Core.Remembered.AgreedValue>())], [], [new RecordPlaced(new(0, "o1"), link, null, false), new RecordPlaced(new(1, "C1"), link, null, false)],
                [new PairJudged(new(0, "o1"), new(1, "C1"), "same")], [], [], [(new(0, "o1"), null), (new(1, "C1"), null)]), CancellationToken.None);

        kept.ShouldBe(IRegroupingStore.OtherMeanwhile);
        (await this.StateOf(pair)).ShouldBe("open");
        (await this.LinkOf(1, "C1")).ShouldBe(other);
    }

    [Fact]
    public async Task A_judgement_waits_for_no_run_for_long_and_says_so()
    {
        var pair = await this.TwoAlone();
        var mirror = await this.Kept(this.Customers);
        await using var running = await new RunSessions(database.Source, new RunBook(database.Source, TimeProvider.System), TimeProvider.System).Begin(mirror, false, "a long run", CancellationToken.None);

        var end = await (await this.Judging()).Same(pair, Who, CancellationToken.None);

        (end.End, end.Why).ShouldBe((DecisionEnd.ChangedMeanwhile, $"A run of {this.key} is going on. Say it again when it has ended."));
        (await this.StateOf(pair)).ShouldBe("open");
    }
}
