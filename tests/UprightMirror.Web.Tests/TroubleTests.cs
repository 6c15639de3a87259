using System.Collections.Immutable;
using UprightMirror.Connectors;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Engine;
using UprightMirror.Engine.Tests.Simulation;
using UprightMirror.Storage;
using UprightMirror.Storage.Tests;

namespace UprightMirror.Web.Tests;

/// <summary>What becomes of a run when records can't be taken, how they are put right, and runs of less than everything; on PostgreSQL.</summary>
public sealed class TroubleTests(TestDatabase database) : IClassFixture<TestDatabase>
{
    private static int counter;

    private readonly MemorySystem crm = new("Slipway CRM", new Random(1), false);
    private readonly MemorySystem erp = new("Ballast ERP", new Random(2), false);
    private readonly string key = $"trouble{Interlocked.Increment(ref counter)}";

    private MirrorDefinition Customers => new(
        this.key, this.key, "customer", [new SideDefinition("crm", "organisations"), new SideDefinition("erp", "Customers")],
        [Both("Name", FieldType.Text), Both("Seats", FieldType.Number), Both("Town", FieldType.Text)], [new RecognisingRule("Name")], "Name");

    private static AgreedFieldDefinition Both(string name, FieldType type) => new(name, type, [new SideField(name, true, true, new AsItStands()), new SideField(name, true, true, new AsItStands())], "latest");

    private static RawFields Company(string name, string seats = "4", string town = "Kelburn") => RawFields.Of([KeyValuePair.Create("Name", Value.Text(name)), KeyValuePair.Create("Seats", Value.Text(seats)), KeyValuePair.Create("Town", Value.Text(town))]);

    private sealed class Two(MemorySystem crm, MemorySystem erp, ISet<string> readOnly) : ISystems
    {
        public Task<ISystemConnector> Connect(string system, CancellationToken cancellation) => Task.FromResult<ISystemConnector>(new Described(system == "crm" ? crm : erp, readOnly));

        public Task<string?> KeyOf(string name, CancellationToken cancellation) => Task.FromResult<string?>(null);

        public Task KeepHealth(CancellationToken cancellation) => Task.CompletedTask;
    }

    /// <summary>A system in memory that tells what its fields are.</summary>
    private sealed class Described(MemorySystem inner, ISet<string> readOnly) : Around(inner)
    {
        private readonly MemorySystem inner = inner;

        public override Task<CatalogueCollection> Describe(string collection, CancellationToken cancellation) =>
            Task.FromResult(new CatalogueCollection(collection, new[] { "Name", "Seats", "Town" }.ToImmutableDictionary(f => f, f => new CatalogueField(f, "string", false, readOnly.Contains(f), null))));

        public override Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation) => this.inner.Write(collection, request, cancellation);
    }

    private Two Systems(params string[] readOnly) => new(this.crm, this.erp, readOnly.ToHashSet());

    private readonly HeldRecords held = new(database.Source, TimeProvider.System);

    private async Task<KeptMirror> Kept(MirrorDefinition definition)
    {
        var mirrors = new Mirrors(database.Source);
        await mirrors.Save(definition, "a test", CancellationToken.None);
        return (await mirrors.Find(definition.Key, CancellationToken.None))! with { Guards = Core.Reconciling.Guards.None };
    }

    private async Task<RunReport> Run(MirrorDefinition? of = null, bool rehearse = false, RunLimits? limits = null)
    {
        this.crm.Tick(TimeSpan.FromMinutes(1));
        this.erp.Tick(TimeSpan.FromMinutes(1));
        var runner = new MirrorRunner(new RunSessions(database.Source, new RunBook(database.Source, TimeProvider.System), TimeProvider.System), this.Systems(), new Mirrors(database.Source), TimeProvider.System);
        return (await runner.Run(await this.Kept(of ?? this.Customers), rehearse, "a test", null, CancellationToken.None, limits: limits))!;
    }

    private async Task<IReadOnlyList<HoldView>> Holds() => [.. (await new Views(database.Source).Holds(1000, CancellationToken.None)).Where(h => h.MirrorId == this.Kept(this.Customers).Result.Id)];

    private IEnumerable<string> Names => this.erp.Ids.Select(i => this.erp.Fields(i)["Name"].Display).Order();

    [Theory]
    [InlineData(null, "finished", 2)]
    [InlineData(1, "failed", 0)]
    [InlineData(3, "finished", 2)]
    public async Task A_run_goes_on_or_stops_as_its_mirror_says(int? after, string state, int written)
    {
        foreach (var (name, seats) in new[] { ("a", "4"), ("b", "many"), ("c", "four"), ("d", "8") })
        {
            this.crm.Add(Company(name, seats));
        }

        var mirror = this.Customers with { StopsAfter = after };
        var rehearsal = await this.Run(mirror, rehearse: true);
        (rehearsal.State, rehearsal.Counts.Held).ShouldBe(("finished", 2), "a rehearsal shows all of it");
        (await this.Holds()).ShouldBeEmpty();
        var kept = (await new RunBook(database.Source, TimeProvider.System).Find(rehearsal.RunId, CancellationToken.None))!;
        (await new Views(database.Source).RehearsedHolds(kept, CancellationToken.None)).Select(h => $"{h.Side} {h.Title} {h.Field}").ShouldBe(["0 b Seats", "0 c Seats"]);
        var run = await this.Run(mirror);
        (run.State, this.erp.Ids.Count()).ShouldBe((state, written));
        (await this.Holds()).Count.ShouldBe(2);
        if (after == 1)
        {
            run.Reason!.ShouldStartWith("It stopped at the first record that could not be taken, as the mirror asks. Slipway CRM, customer");
            (await this.Run(mirror)).State.ShouldBe("finished", "what is held is known: the next run goes on with the others");
            this.Names.ShouldBe(["a", "d"]);
        }
    }

    [Fact]
    public async Task A_refused_write_stops_the_run_too_and_nothing_that_was_sent_is_lost()
    {
        for (var i = 0; i < 40; i++)
        {
            this.crm.Add(Company($"c{i:D2}"));
        }

        this.erp.Refuses = 1;
        var run = await this.Run(this.Customers with { StopsAfter = 5 });
        run.State.ShouldBe("failed");
        run.Reason!.ShouldContain("records that could not be taken, as the mirror asks. The last: Ballast ERP refused the new customer");
        (await this.Holds()).Count.ShouldBeInRange(5, 39, "the rest was not tried");
        this.erp.Refuses = 0;
        (await this.Run()).State.ShouldBe("finished");
        await this.held.Release([.. (await this.Holds()).Select(h => h.Id)], CancellationToken.None);
        (await this.Run()).State.ShouldBe("finished");
        this.Names.ShouldBe(Enumerable.Range(0, 40).Select(i => $"c{i:D2}"));
    }

    [Fact]
    public async Task Only_what_a_run_set_aside_is_tried_again()
    {
        var bad = this.crm.Add(Company("bad", "many"));
        this.crm.Add(Company("good"));
        var first = await this.Run();
        this.crm.Edit(bad, "Seats", Value.Text("12"));
        this.crm.Add(Company("later"));
        var mirror = await this.Kept(this.Customers);
        var (holds, records) = await this.held.OfRun(mirror.Id, first.RunId, CancellationToken.None);
        (await this.held.Release(holds, CancellationToken.None)).ShouldBe(1);
        var again = await this.Run(limits: new RunLimits(records));
        (again.State, again.Counts.Read, again.Counts.Created).ShouldBe(("finished", 1, 1));
        this.Names.ShouldBe(["bad", "good"]);
        (await this.held.OfRun(mirror.Id, first.RunId, CancellationToken.None)).Holds.ShouldBeEmpty();
        await this.Run();
        this.Names.ShouldBe(["bad", "good", "later"], "a whole run reads on from where the last whole one read");
    }

    [Fact]
    public async Task A_run_does_exactly_what_was_rehearsed_and_leaves_the_rest_to_the_next()
    {
        var (one, two) = (this.crm.Add(Company("one")), this.crm.Add(Company("two")));
        await this.Run();
        this.crm.Edit(one, "Town", Value.Text("Otterford"));
        this.crm.Edit(two, "Town", Value.Text("Barr End"));
        this.crm.Add(Company("three"));
        var rehearsed = await this.Run(rehearse: true);
        rehearsed.Counts.Planned.ShouldBe(3);
        this.crm.Edit(two, "Town", Value.Text("Somewhere else"));
        this.crm.Add(Company("four"));
        var run = await this.Run(limits: new RunLimits(AsRehearsed: rehearsed.RunId));
        (run.State, run.Counts.Written, run.Reason).ShouldBe(("finished", 2, "2 writes were not rehearsed just so, and left to the next run."));
        this.Names.ShouldBe(["one", "three", "two"]);
        IEnumerable<string> Towns() => this.erp.Ids.Select(i => this.erp.Fields(i)).OrderBy(f => f["Name"].Display, StringComparer.Ordinal).Select(f => f["Town"].Display);
        Towns().ShouldBe(["Otterford", "Kelburn", "Kelburn"]);
        (await this.Run()).Counts.Written.ShouldBe(2);
        this.Names.ShouldBe(["four", "one", "three", "two"]);
        Towns().ShouldBe(["Kelburn", "Otterford", "Kelburn", "Somewhere else"]);
        (await this.Run()).Counts.Written.ShouldBe(0);
    }

    [Fact]
    public async Task A_rehearsal_of_a_sample_decides_about_it_alone_and_leaves_no_trace()
    {
        foreach (var n in Enumerable.Range(0, 12))
        {
            this.crm.Add(Company($"c{n:D2}"));
        }

        var some = await this.Run(rehearse: true, limits: new RunLimits(Sample: 5));
        (some.State, some.Counts.Read, some.Counts.Planned).ShouldBe(("finished", 12, 5));
        (await this.Run(rehearse: true, limits: new RunLimits(Find: "C07"))).Counts.Planned.ShouldBe(1);
        (await this.Run(rehearse: true, limits: new RunLimits(Find: "nobody"))).Counts.Planned.ShouldBe(0);
        var sampled = (await new RunBook(database.Source, TimeProvider.System).List((await this.Kept(this.Customers)).Id, null, 3, CancellationToken.None)).Select(r => r.Sampled);
        sampled.ShouldBe([0, 1, 5]);
        (await this.Run(rehearse: true)).Counts.Planned.ShouldBe(12, "nothing of it is remembered");

        // What was seen of five is done of five, and the next run does the others.
        (await this.Run(limits: new RunLimits(AsRehearsed: some.RunId))).Counts.Written.ShouldBe(5);
        (await this.Run()).Counts.Written.ShouldBe(7);
        var one = this.crm.Ids.First();
        (await this.Run(rehearse: true, limits: new RunLimits(Find: one))).Counts.Planned.ShouldBe(0, "found by its id, looked at anew, and nothing to write");
    }

    [Fact]
    public async Task A_value_is_put_right_in_its_own_system_and_not_over_what_somebody_edits_there()
    {
        var bad = this.crm.Add(Company("bad", "many"));
        await this.Run();
        var correcting = new Correcting(this.Systems());
        (await correcting.Look(this.Customers, 0, bad, "Seats", CancellationToken.None)).ShouldBe(new InItsSystem("Seats", "many", null));
        var edited = false;
        this.crm.BeforeWrite = _ =>
        {
            if (!edited)
            {
                edited = true;
                this.crm.Edit(bad, "Town", Value.Text("Otterford"));
            }
        };
        (await correcting.Write(this.Customers, 0, bad, "Seats", "12", CancellationToken.None)).WhyNot.ShouldBeNull();
        (this.crm.Fields(bad)["Seats"].Display, this.crm.Fields(bad)["Town"].Display).ShouldBe(("12", "Otterford"));
        await this.Run();
        (await this.Holds()).ShouldBeEmpty();
        this.erp.Fields(this.erp.Ids.Single())["Seats"].Display.ShouldBe("12");
        (await new Correcting(this.Systems("Seats")).Write(this.Customers, 0, bad, "Seats", "13", CancellationToken.None)).WhyNot.ShouldBe("Slipway CRM lets nobody write Seats: put it right there, where it comes from.");
        (await correcting.Write(this.Customers, 0, "gone", "Seats", "13", CancellationToken.None)).WhyNot.ShouldBe("Slipway CRM has no record gone any more.");
    }

    [Fact]
    public async Task What_is_agreed_is_put_right_on_every_side_and_can_be_undone()
    {
        var one = this.crm.Add(Company("one"));
        await this.Run();
        var mirror = await this.Kept(this.Customers);
        var deciding = new Deciding(this.Customers, ["Slipway CRM", "Ballast ERP"], new DecisionStore(database.Source, mirror.Id, this.Customers, TimeProvider.System), TimeProvider.System);
        var link = await database.Ask<Guid>($"select id from link where mirror_id = {mirror.Id}");
        (await deciding.Correct(link, "Seats", "many", "Maren Voll", CancellationToken.None)).Why.ShouldBe("Seats: \"many\" can't be read as a number.");
        (await deciding.Correct(link, "Seats", "20", "Maren Voll", CancellationToken.None)).ShouldBe((DecisionEnd.Made, null));
        await this.Run();
        (this.crm.Fields(one)["Seats"].Display, this.erp.Fields(this.erp.Ids.Single())["Seats"].Display).ShouldBe(("20", "20"));
        (await this.Run()).Counts.Written.ShouldBe(0);
        var decision = await database.Ask<long>($"select id from conflict where mirror_id = {mirror.Id}");
        (await deciding.Undo(decision, "Maren Voll", CancellationToken.None)).End.ShouldBe(DecisionEnd.Made);
        (await database.Ask<string>($"select state from conflict where id = {decision}")).ShouldBe("closed", "what no conflict was about becomes none");
        await this.Run();
        this.crm.Fields(one)["Seats"].Display.ShouldBe("4");
    }
}
