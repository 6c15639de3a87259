using System.Collections.Immutable;
using Microsoft.AspNetCore.DataProtection;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Timing;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage.Tests;

public class RunStoreTests(TestDatabase database) : IClassFixture<TestDatabase>
{
    private static readonly DateTimeOffset At = new(2026, 3, 1, 9, 0, 0, TimeSpan.Zero);
    private static int counter;

    private static MirrorDefinition NewMirror() => new(
        $"m{Interlocked.Increment(ref counter)}", $"Mirror {counter}", "customer",
        [new SideDefinition("a", "as"), new SideDefinition("b", "bs")],
        [
            new AgreedFieldDefinition("Name", FieldType.Text, [new SideField("name", true, true, new AsItStands()), new SideField("Name", true, true, new AsItStands())]),
            new AgreedFieldDefinition("Since", FieldType.Date, [new SideField("since", true, true, new AsItStands()), null], "greatest"),
            new AgreedFieldDefinition("Tel", FieldType.Phone, [new SideField("tel", true, true, new PhoneConversion(PhoneForm.NationalDigits)), new SideField("Tel", false, true, new CodeList([("x", "y")]), Drift.Hold)], "furthest", ["b"], ["p", "q"], "ask", "g", false),
        ],
        [new RecognisingRule("Name")],
        "Name");

    private async Task<(KeptMirror Mirror, IRunSession Session)> Begin(bool rehearse = false, KeptMirror? known = null)
    {
        var mirrors = new Mirrors(database.Source);
        if (known is null)
        {
            var definition = NewMirror();
            await mirrors.Save(definition with { Timing = new MirrorTiming(TimingKind.Every, 5) }, "a test", CancellationToken.None);
            known = (await mirrors.Find(definition.Key, CancellationToken.None))!;
        }

        var sessions = new RunSessions(database.Source, new RunBook(database.Source, TimeProvider.System), TimeProvider.System);
        return (known, (await sessions.Begin(known, rehearse, "a test", CancellationToken.None))!);
    }

    private static ObservedRecord Observed(string id, string name, string tag = "1") =>
        new(id, RawFields.Of([KeyValuePair.Create("name", Value.Text(name)), KeyValuePair.Create("n", (Value)new NumberValue(1.50m))]), tag, At, "Ida");

    [Fact]
    public async Task A_definition_is_read_back_as_it_was_kept()
    {
        var (mirror, session) = await this.Begin();
        await session.DisposeAsync();
        var kept = mirror.Definition;
        var made = NewMirror();
        kept.Fields[2].Cells[1]!.ShouldBe(made.Fields[2].Cells[1]! with { Conversion = kept.Fields[2].Cells[1]!.Conversion });
        kept.Fields[2].Cells[1]!.Conversion.ShouldBeOfType<CodeList>().Table.Codes.ShouldBe([("x", "y")]);
        kept.Fields[2].Cells[0]!.Conversion.ShouldBe(new PhoneConversion(PhoneForm.NationalDigits));
        kept.Fields[1].Cells[1].ShouldBeNull();
        kept.Fields[2].States.ShouldBe(["p", "q"]);
        kept.Timing.ShouldBe(new MirrorTiming(TimingKind.Every, 5));
    }

    [Fact]
    public async Task A_run_that_nobody_asked_for_is_to_be_taken_up_when_it_was_cut_off_until_another_has_begun()
    {
        var (mirror, asked) = await this.Begin();
        var book = new RunBook(database.Source, TimeProvider.System);
        var sessions = new RunSessions(database.Source, book, TimeProvider.System);
        async Task<bool> IsToBeTakenUp() => (await book.CutOff(CancellationToken.None)).Any(c => c.MirrorId == mirror.Id);
        await asked.DisposeAsync();
        await book.EndDead(CancellationToken.None);
        (await IsToBeTakenUp()).ShouldBeFalse(); // Who asked for it sees that it failed.

        var own = (await sessions.Begin(mirror, false, "an event", CancellationToken.None, byItself: true))!;
        (await IsToBeTakenUp()).ShouldBeFalse();
        await own.DisposeAsync();
        await book.EndDead(CancellationToken.None);
        (await IsToBeTakenUp()).ShouldBeTrue();
        await using var next = await sessions.Begin(mirror, false, "run 2, which was cut off", CancellationToken.None, byItself: true);
        (await IsToBeTakenUp()).ShouldBeFalse();
    }

    [Fact]
    public async Task Only_one_run_of_a_mirror_goes_on_at_a_time_and_a_dead_one_lets_go()
    {
        var (mirror, first) = await this.Begin();
        var sessions = new RunSessions(database.Source, new RunBook(database.Source, TimeProvider.System), TimeProvider.System);
        (await sessions.Begin(mirror, false, "another", CancellationToken.None)).ShouldBeNull();
        var book = new RunBook(database.Source, TimeProvider.System);
        await book.EndDead(CancellationToken.None);
        (await book.Find(first.Store.RunId, CancellationToken.None))!.State.ShouldBe("running");
        await first.DisposeAsync();
        (await book.EndDead(CancellationToken.None)).ShouldBeGreaterThanOrEqualTo(1);
        (await book.Find(first.Store.RunId, CancellationToken.None))!.State.ShouldBe("failed");
        await using var second = await sessions.Begin(mirror, false, "another", CancellationToken.None);
        second.ShouldNotBeNull();
        (await new RunBook(database.Source, TimeProvider.System).List(mirror.Id, null, 10, CancellationToken.None)).Select(r => r.State).ShouldBe(["running", "failed"]);
    }

    [Fact]
    public async Task What_was_seen_is_new_once_and_waits_until_it_is_linked()
    {
        var (_, session) = await this.Begin();
        await using var s = session;
        var store = session.Store;
        (await store.SaveObserved(0, [Observed("1", "a"), Observed("2", "b"), Observed("2", "b2")], CancellationToken.None)).ShouldBe(2);
        (await store.SaveObserved(0, [Observed("1", "a", "2")], CancellationToken.None)).ShouldBe(0);
        (await store.SaveObserved(0, [Observed("1", "changed")], CancellationToken.None)).ShouldBe(1);
        var unlinked = await store.ReadUnlinked((-1, ""), 10, CancellationToken.None);
        unlinked.Select(r => (r.Id, r.Raw!["name"].Display)).ShouldBe([("1", "changed"), ("2", "b2")]);
        unlinked[0].Raw!["n"].ShouldBe(new NumberValue(1.5m));
        unlinked[0].ChangedBy.ShouldBe("Ida");
        (await store.ReadUnlinked((0, "1"), 10, CancellationToken.None)).Single().Id.ShouldBe("2");

        await store.SaveKeys([new MatchCandidate(0, "1", null, [new MatchKey(0, "0:CHANGED")])], CancellationToken.None);
        (await store.FindByKeys([new MatchKey(0, "0:CHANGED")], CancellationToken.None)).Single().Id.ShouldBe("1");
        var link = Guid.CreateVersion7();
        await store.SaveLinks([new LinkedAs(link, 0, "1", "changed", "new")], CancellationToken.None);
        (await store.ReadUnlinked((-1, ""), 10, CancellationToken.None)).Single().Id.ShouldBe("2");
        (await store.ReadWaiting(Guid.Empty, 10, CancellationToken.None)).Single().Members.Single().Id.ShouldBe("1");
        await store.SaveWatermark(0, new Watermark(At, At.AddMinutes(1)), CancellationToken.None);
        (await store.ReadWatermark(0, CancellationToken.None))!.ShouldBe(new Watermark(At, At.AddMinutes(1)));
    }

    [Fact]
    public async Task A_reconciled_record_is_kept_whole_and_a_decision_on_an_old_revision_is_not_taken()
    {
        var (mirror, session) = await this.Begin();
        await using var s = session;
        var store = session.Store;
        var link = Guid.CreateVersion7();
        await store.SaveObserved(0, [Observed("1", "a")], CancellationToken.None);
        await store.SaveLinks([new LinkedAs(link, 0, "1", "a", "new")], CancellationToken.None);
        var agreed = new AgreedValue(new DateValue(new DateOnly(2026, 3, 1)), 0, At, "Ida", At, session.Store.RunId, "only a changed it");
        Reconciled Outcome(string competing) => new(
            link, "a", RecordOutcome.InConflict, new Dictionary<string, AgreedValue> { ["Since"] = agreed },
            [new SideAfter(0, "1", Observed("1", "a").Fields, new Dictionary<string, string> { ["Name"] = "\"A\"" }, new HashSet<string> { "Name" }, new HashSet<string> { "Tel" })],
            [new ConflictToOpen(["Name"], ImmutableSortedDictionary<int, ImmutableArray<Value>?>.Empty.Add(0, [Value.Text(competing)]).Add(1, [Value.Empty]), "both changed it")],
            [], [new Delivery(0, link, "a", 1, WriteKind.Create, null, "ref", [new DeliveredField("Name", "Name", Value.Empty, Value.Text("a"), Value.Text("a"), "new")], null)], [], []);
        await store.SaveReconciled([Outcome("first")], CancellationToken.None);
        await store.SaveReconciled([Outcome("second")], CancellationToken.None);

        var decisions = new DecisionStore(database.Source, mirror.Id, mirror.Definition, TimeProvider.System);
        var kept = (await decisions.ReadLinked(link, CancellationToken.None))!;
        kept.Agreed["Since"].ShouldBe(agreed);
        kept.Members.Single().Told["Name"].ShouldBe("\"A\"");
        kept.Members.Single().Owed.ShouldBe(["Name"]);
        kept.Members.Single().Unmet.ShouldBe(["Tel"]);
        kept.OpenConflicts.Single().Sides.ShouldBe([0, 1]);
        (await store.ReadPlanned(0, 10, false, CancellationToken.None)).Single().Fields.Single().Raw.Display.ShouldBe("a");

        var open = (await decisions.ReadOpenConflict(kept.OpenConflicts[0].Id, CancellationToken.None))!;
        open.Revision.ShouldBe(2);
        open.Values[0]!.Value[0].Display.ShouldBe("second");
        Decided On(int revision) => new(link, open.Id, revision, new Dictionary<string, AgreedValue>(), [], new Dictionary<int, Removal>(), "Maren Voll", "this", []);
        (await decisions.SaveDecided(On(1), CancellationToken.None)).ShouldBeFalse();
        (await decisions.SaveDecided(On(2), CancellationToken.None)).ShouldBeTrue();
        (await decisions.SaveDecided(On(2), CancellationToken.None)).ShouldBeFalse();
    }

    [Fact]
    public async Task A_side_that_is_forgotten_takes_its_removal_decision_with_it()
    {
        var (mirror, session) = await this.Begin();
        await using var s = session;
        var link = Guid.CreateVersion7();
        await session.Store.SaveObserved(0, [Observed("1", "a")], CancellationToken.None);
        await session.Store.SaveLinks([new LinkedAs(link, 0, "1", "a", "new")], CancellationToken.None);
        await database.Ask<string>($"update link set removal_decisions = '{{\"0\": \"CreateAgain\", \"1\": \"Ask\"}}' where id = '{link}' returning title");
        var none = new HashSet<string>();
        await session.Store.SaveReconciled(
            [new Reconciled(link, "a", RecordOutcome.Unchanged, new Dictionary<string, AgreedValue>(), [new SideAfter(0, "1", null, new Dictionary<string, string>(), none, none, Forgotten: true)], [], [], [], [], [])], CancellationToken.None);
        var kept = (await new DecisionStore(database.Source, mirror.Id, mirror.Definition, TimeProvider.System).ReadLinked(link, CancellationToken.None))!;
        kept.Members.ShouldBeEmpty();
        kept.RemovalDecisions.Keys.ShouldBe([1]);
    }

    [Fact]
    public async Task A_rehearsal_leaves_nothing_behind_but_its_line_in_the_list()
    {
        var (mirror, first) = await this.Begin();
        await first.DisposeAsync();
        var (_, rehearsal) = await this.Begin(rehearse: true, mirror);
        await rehearsal.Store.SaveObserved(0, [Observed("1", "a")], CancellationToken.None);
        await rehearsal.Store.SaveProgress(RunStage.Collecting, RunCounts.Zero with { Read = 1 }, CancellationToken.None);
        await rehearsal.End("finished", RunCounts.Zero with { Planned = 3 }, null, CancellationToken.None, []);
        await rehearsal.DisposeAsync();
        (await database.Ask<long>($"select count(*) from system_record where mirror_id = {mirror.Id}")).ShouldBe(0);
        (await new RunBook(database.Source, TimeProvider.System).List(mirror.Id, null, 1, CancellationToken.None)).Single().Counts.Planned.ShouldBe(3);
    }

    [Fact]
    public async Task What_a_run_tells_is_kept_in_a_rehearsal_too_and_for_a_set_time()
    {
        var book = new RunBook(database.Source, TimeProvider.System);
        var (_, rehearsal) = await this.Begin(rehearse: true);
        var spent = new RunSpent([new StageSpent(RunStage.Collecting, 40)], [new CallsSpent(0, "reading", 2, 1, 30, 20)]);
        RunLine Line(int n, LineLevel level, int daysAgo) => new(n, TimeProvider.System.GetUtcNow().AddDays(-daysAgo), level, $"line {n}\0");
        await rehearsal.Store.SaveLog([Line(1, LineLevel.Info, 8), Line(2, LineLevel.Warning, 8)], RunSpent.Nothing, CancellationToken.None);
        await rehearsal.Store.SaveLog([Line(2, LineLevel.Warning, 8), Line(3, LineLevel.Info, 6), Line(4, LineLevel.Error, 6)], spent, CancellationToken.None);
        var id = rehearsal.Store.RunId;
        await rehearsal.DisposeAsync();
        (await book.Lines(id, false, CancellationToken.None)).Select(l => (l.N, l.Level, l.Text)).ShouldBe([(1, LineLevel.Info, "line 1"), (2, LineLevel.Warning, "line 2"), (3, LineLevel.Info, "line 3"), (4, LineLevel.Error, "line 4")]);
        (await book.Lines(id, true, CancellationToken.None)).Select(l => l.N).ShouldBe([2, 4]);
        var kept = (await book.Spent(id, CancellationToken.None))!;
        (kept.Stages.Single(), kept.Calls.Single()).ShouldBe((spent.Stages.Single(), spent.Calls.Single()));
        (await book.LinesKept(CancellationToken.None)).ShouldBe(90);
        await book.KeepLines(7, CancellationToken.None);
        await book.ForgetLines(CancellationToken.None);
        (await book.Lines(id, false, CancellationToken.None)).Select(l => l.N).ShouldBe([3, 4]);
        await book.KeepLines(90, CancellationToken.None);
    }

    [Fact]
    public async Task Somebody_who_asks_for_a_stop_gets_it()
    {
        var (_, session) = await this.Begin();
        await using var s = session;
        (await new RunBook(database.Source, TimeProvider.System).RequestStop(session.Store.RunId, CancellationToken.None)).ShouldBeTrue();
        await Assert.ThrowsAsync<RunStopped>(() => session.Store.SaveProgress(RunStage.Delivering, RunCounts.Zero, CancellationToken.None));
    }

    [Fact]
    public async Task Secrets_are_not_in_the_database_in_clear()
    {
        var connections = new KeptConnections(database.Source, new EphemeralDataProtectionProvider());
        var connection = new KeptConnection("s", "S", "S", "#000000", "rest", new Uri("http://127.0.0.1/"), System.Text.Json.JsonSerializer.SerializeToElement(new { }));
        await connections.Save(connection, new Dictionary<string, string> { ["password"] = "hunter-of-otters" }, CancellationToken.None);
        (await connections.Secrets("s", CancellationToken.None))["password"].ShouldBe("hunter-of-otters");
        (await database.Ask<string>("select string_agg(c::text, '') from connection c")).ShouldNotContain("hunter");
    }

    private static Hold Held(string id, string reason) => new(null, 0, id, id, "Name", reason, null);

    private async Task<int> Holds(KeptMirror mirror)
    {
        await using var command = database.Source.CreateCommand("select count(*)::int from hold where mirror_id = @mirror");
        command.Parameters.AddWithValue("mirror", mirror.Id);
        return (int)(await command.ExecuteScalarAsync())!;
    }

    [Fact]
    public async Task A_record_that_was_held_before_it_was_linked_is_looked_at_again_and_its_hold_ends_with_its_cause()
    {
        var (mirror, session) = await this.Begin();
        await using var s = session;
        var store = session.Store;
        await store.SaveObserved(0, [Observed("1", "a"), Observed("2", "b")], CancellationToken.None);
        await store.SaveHolds([Held("1", "it waits"), Held("2", "it waits")], CancellationToken.None);
        (await store.ReadUnlinked((-1, ""), 10, CancellationToken.None)).ShouldBeEmpty();

        await store.LookAtHeldAgain(CancellationToken.None);
        (await store.ReadUnlinked((-1, ""), 10, CancellationToken.None)).Count.ShouldBe(2);
        await store.SaveHolds([Held("1", "it waits"), Held("2", "it is bad")], CancellationToken.None);
        (await this.Holds(mirror)).ShouldBe(2);

        await store.LookAtHeldAgain(CancellationToken.None);
        await store.SaveLinks([new LinkedAs(Guid.CreateVersion7(), 0, "1", "a", "new")], CancellationToken.None);
        (await this.Holds(mirror)).ShouldBe(1);
        (await store.ReadUnlinked((-1, ""), 10, CancellationToken.None)).Select(r => r.Id).ShouldBe(["2"]);
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public async Task What_was_held_is_tried_again_after_publishing_and_after_a_shared_code_list_changed(bool publishes)
    {
        var (mirror, session) = await this.Begin();
        await session.Store.SaveObserved(0, [Observed("1", "a")], CancellationToken.None);
        await session.Store.SaveHolds([Held("1", "a code is not in the list")], CancellationToken.None);
        await session.DisposeAsync();
        if (publishes)
        {
            var drafts = new Drafts(database.Source, TimeProvider.System);
            await drafts.Save(mirror, 0, mirror.Definition with { CountryField = "Name" }, "An edit", "Maren Voll", CancellationToken.None);
            (await drafts.Publish(mirror, await drafts.Of(mirror, CancellationToken.None), "because", "Maren Voll", CancellationToken.None)).ShouldBeTrue();
        }
        else
        {
            await new CodeLists(database.Source).Save(new KeptCodeList($"List of {mirror.Id}", new CodeTable([("A", "B")]), "Maren Voll", At), [mirror.Id], CancellationToken.None);
        }

        var (_, next) = await this.Begin(known: (await new Mirrors(database.Source).Find(mirror.Definition.Key, CancellationToken.None))!);
        await using var n = next;
        (await next.Store.ReadUnlinked((-1, ""), 10, CancellationToken.None)).Select(r => r.Id).ShouldBe(["1"]);
    }

    [Fact]
    public async Task What_other_mirrors_point_at_is_every_linked_record_on_every_side()
    {
        var (mirror, session) = await this.Begin();
        await using var s = session;
        var link = Guid.CreateVersion7();
        await session.Store.SaveObserved(0, [Observed("1", "Brae Hire"), Observed("9", "not linked")], CancellationToken.None);
        await session.Store.SaveObserved(1, [Observed("C-1", "Brae Hire")], CancellationToken.None);
        await session.Store.SaveLinks([new LinkedAs(link, 0, "1", "Brae Hire", "new"), new LinkedAs(link, 1, "C-1", "Brae Hire", "same")], CancellationToken.None);
        var known = await new Mirrors(database.Source).ReferencesTo([mirror.Definition.Key, "no such mirror"], CancellationToken.None);
        var found = known.Linked(mirror.Definition.Key, "a", "1")!;
        (found.Link, found.Title, known.IdOf(mirror.Definition.Key, link, "b"), known.Linked(mirror.Definition.Key, "a", "9")).ShouldBe((link, "Brae Hire", "C-1", null));
    }
}
