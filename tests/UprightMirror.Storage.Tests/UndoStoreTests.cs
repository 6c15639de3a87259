using System.Collections.Immutable;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage.Tests;

/// <summary>What a run wrote and what was known before it, and the undo of it, as they stand in the database.</summary>
public class UndoStoreTests(TestDatabase database) : IClassFixture<TestDatabase>
{
    private static readonly DateTimeOffset At = new(2026, 3, 1, 9, 0, 0, TimeSpan.Zero);

    private static readonly MirrorDefinition Definition = new(
        "undone", "Undone", "customer", [new SideDefinition("a", "as"), new SideDefinition("b", "bs")],
        [new AgreedFieldDefinition("Name", FieldType.Text, [new SideField("name", true, true, new AsItStands()), new SideField("name", true, true, new AsItStands())])], [new RecognisingRule("Name")], "Name");

    private static ObservedRecord Observed(string id, string name, string tag = "1") => new(id, RawFields.Of([KeyValuePair.Create("name", (Value)Value.Text(name))]), tag, At, null);

    private static AgreedValue Agreed(string name, long run) => new(Value.Text(name), 0, At, "Ida", At, run, "only a changed it");

    private static SideAfter Known(int side, string id, string name, params string[] owed) => new(side, id, Observed(id, name).Fields, ImmutableDictionary<string, string>.Empty, owed.ToHashSet(), new HashSet<string>());

    [Fact]
    public async Task A_run_is_read_back_with_what_was_before_it_undone_and_left_alone_until_it_is_let_go_on()
    {
        var mirrors = new Mirrors(database.Source);
        await mirrors.Save(Definition, "a test", CancellationToken.None);
        var mirror = (await mirrors.Find("undone", CancellationToken.None))!;
        var sessions = new RunSessions(database.Source, new RunBook(database.Source, TimeProvider.System), TimeProvider.System);
        var link = Guid.CreateVersion7();
        long run;
        await using (var session = (await sessions.Begin(mirror, false, "a test", CancellationToken.None))!)
        {
            var store = session.Store;
            run = store.RunId;
            await store.SaveObserved(0, [Observed("1", "new")], CancellationToken.None);
            await store.SaveObserved(1, [Observed("7", "old")], CancellationToken.None);
            await store.SaveLinks([new LinkedAs(link, 0, "1", "old", "new"), new LinkedAs(link, 1, "7", "old", "new")], CancellationToken.None);
            var memory = new RecordMemory(run, At, new Dictionary<string, AgreedValue?> { ["Name"] = Agreed("old", 1) }, [new SideBefore(0, "1", Observed("1", "old").Fields, ImmutableDictionary<string, string>.Empty, new HashSet<string>(), new HashSet<string>()), new SideBefore(1, "7", Observed("7", "old").Fields, new Dictionary<string, string> { ["Name"] = "\"Old\"" }, new HashSet<string> { "Name" }, new HashSet<string>())]);
            Reconciled Outcome(RecordMemory remembered, string field) => new(link, "new", RecordOutcome.Unchanged, new Dictionary<string, AgreedValue> { ["Name"] = Agreed("new", run) }, [Known(0, "1", "new"), Known(1, "7", "old", "Name")], [], [],
                [new Delivery(0, link, "new", 1, WriteKind.Change, "7", "ref", [new DeliveredField(field, "name", Value.Text("old"), Value.Text("new"), Value.Text("new"), "only a changed it")], "1")], [], [])
            { Memory = remembered };
            await store.SaveReconciled([Outcome(memory, "Name")], CancellationToken.None);

            // Reconciled once more in the same run: what was known before the first time counts.
            await store.SaveReconciled([Outcome(memory with { Agreed = new Dictionary<string, AgreedValue?> { ["Name"] = Agreed("between", run) }, Sides = [] }, "Name")], CancellationToken.None);
            var planned = (await store.ReadPlanned(0, 10, false, CancellationToken.None)).ShouldHaveSingleItem();
            (await store.CountPlanned(CancellationToken.None)).ShouldHaveSingleItem().ShouldBe(new AboutToDo(1, 0, 0, 1, 0, 0, 0));
            await store.SaveAnswers([(planned, new DeliveryEnd.Confirmed(Observed("7", "new", "2"), Known(1, "7", "new"), false,
                [new JournalEntry(link, JournalKind.Written, 1, "Name", "old", "new", "only a changed it", null)]))], CancellationToken.None);
            await session.End("finished", RunCounts.Zero with { Written = 1 }, null, CancellationToken.None, []);
        }

        await using (var store = await UndoStore.Open(database.Source, mirror.Id, Definition, TimeProvider.System, CancellationToken.None))
        {
            var done = (await store.ReadDone(run, null, Guid.Empty, 10, CancellationToken.None)).ShouldHaveSingleItem();
            done.Written.ShouldBe([new WrittenByRun(WriteKind.Change, 1, "Name", Value.Text("old"), Value.Text("new"))]);
            done.Memory!.Agreed["Name"].ShouldBe(Agreed("old", 1));
            done.Memory.Sides.Select(s => (s.Side, s.Id, s.Shadow!["name"].Display, s.Owed.Count)).ShouldBe([(0, "1", "old", 0), (1, "7", "old", 1)]);
            (await store.ReadDone(run, Guid.NewGuid(), Guid.Empty, 10, CancellationToken.None)).ShouldBeEmpty();
            (await store.ReadDone(run, null, link, 10, CancellationToken.None)).ShouldBeEmpty();

            (await store.KeepOut(CancellationToken.None)).ShouldBeTrue();
            (await sessions.Begin(mirror, false, "meanwhile", CancellationToken.None)).ShouldBeNull("a run is kept out until it is kept");
            await store.SaveUndone(run, [new RunUndone(link, "old", done.Memory.Agreed, done.Memory.Sides, [],
                [new Delivery(0, link, "old", 1, WriteKind.Change, "7", "ref", [new DeliveredField("Name", "name", Value.Text("new"), Value.Text("old"), Value.Text("old"), "undone")], "2") { Undoes = run }], [],
                new Hold(link, 1, "7", "old", null, "undone", null))], true, "Maren Voll", CancellationToken.None);
        }

        var views = new Views(database.Source);
        (await views.SetAside(CancellationToken.None)).ShouldHaveSingleItem().ShouldBe(new UndoneView(mirror.Id, run, 1, "Maren Voll", (await views.SetAside(CancellationToken.None))[0].Since));
        var kept = (await new RunBook(database.Source, TimeProvider.System).Find(run, CancellationToken.None))!;
        (kept.UndoneBy, kept.SetAside, kept.Remembers).ShouldBe(("Maren Voll", 1, true));
        await using (var session = (await sessions.Begin(mirror, false, "the next", CancellationToken.None))!)
        {
            var store = session.Store;
            (await store.ReadWaiting(Guid.Empty, 10, CancellationToken.None)).ShouldBeEmpty("it is left alone");
            await store.SaveObserved(0, [Observed("1", "edited")], CancellationToken.None);
            (await store.ReadWaiting(Guid.Empty, 10, CancellationToken.None)).ShouldBeEmpty("an edit does not let it go on");
            var back = (await store.ReadPlanned(0, 10, true, CancellationToken.None)).ShouldHaveSingleItem();
            (back.IsAside, back.Undoes, back.Fields[0].Raw.Display).ShouldBe((true, run, "old"));
            (await views.ReleaseUndone(run, CancellationToken.None)).ShouldBe(1);
            var free = (await store.ReadWaiting(Guid.Empty, 10, CancellationToken.None)).ShouldHaveSingleItem();
            free.Agreed["Name"].ShouldBe(Agreed("old", 1));
            free.Members.Select(m => (m.Raw!["name"].Display, m.Shadow!["name"].Display)).ShouldBe([("edited", "old"), ("new", "old")]);
            free.Members[1].Told["Name"].ShouldBe("\"Old\"");
        }
    }

    [Fact]
    public async Task A_rehearsal_keeps_what_it_would_have_written_and_a_guards_answer_is_taken_once()
    {
        var mirrors = new Mirrors(database.Source);
        await mirrors.Save(Definition with { Key = "rehearsed", Name = "Rehearsed" }, "a test", CancellationToken.None);
        var mirror = (await mirrors.Find("rehearsed", CancellationToken.None))!;
        var book = new RunBook(database.Source, TimeProvider.System);
        var sessions = new RunSessions(database.Source, book, TimeProvider.System);
        await using (var session = (await sessions.Begin(mirror, true, "a test", CancellationToken.None))!)
        {
            var link = Guid.CreateVersion7();
            await session.Store.SaveObserved(0, [Observed("1", "a")], CancellationToken.None);
            await session.Store.SaveLinks([new LinkedAs(link, 0, "1", "a", "new")], CancellationToken.None);
            await session.Store.SaveReconciled([new Reconciled(link, "a", RecordOutcome.Unchanged, new Dictionary<string, AgreedValue>(), [], [], [],
                [new Delivery(0, link, "a", 1, WriteKind.Create, null, "ref", [new DeliveredField("Name", "name", Value.Empty, Value.Text("a"), Value.Text("a"), "new")], null)], [], [])], CancellationToken.None);
            await session.End("finished", RunCounts.Zero with { Planned = 1 }, null, CancellationToken.None, []);
        }

        var rehearsal = (await book.List(mirror.Id, null, 1, CancellationToken.None)).Single();
        var (writes, total) = await new Views(database.Source).Planned(rehearsal, new PlannedOnly(), 0, 10, CancellationToken.None);
        (writes.Single().Title, writes.Single().Kind, writes.Single().Link, total).ShouldBe(("a", "Create", null, 1));
        (await database.Ask<long>($"select count(*) from link where mirror_id = {mirror.Id}")).ShouldBe(0);

        var found = new GuardFinding(Guarded.Removals, 1, 50, 100, new GuardLimit(10, 0.05));
        await using (var session = (await sessions.Begin(mirror, false, "a test", CancellationToken.None))!)
        {
            await session.End("paused", null, "too much", CancellationToken.None, [found]);
        }

        var paused = (await book.List(mirror.Id, null, 1, CancellationToken.None)).Single();
        paused.Guarded.ShouldBe([found]);
        (await book.AnswerGuard(paused.Id, "once", "Maren Voll", CancellationToken.None)).ShouldBeTrue();
        (await book.AnswerGuard(paused.Id, "stop", "Somebody else", CancellationToken.None)).ShouldBeFalse();
        (await book.Find(paused.Id, CancellationToken.None))!.GuardAnsweredBy.ShouldBe("Maren Voll");
        await mirrors.SetGuards(mirror.Id, Guards.Default with { Changes = null }, CancellationToken.None);
        (await mirrors.Find("rehearsed", CancellationToken.None))!.Guards.ShouldBe(Guards.Default with { Changes = null });
    }

    [Fact]
    public async Task What_is_gone_is_kept_once_and_looking_a_side_through_knows_what_is_there()
    {
        var mirrors = new Mirrors(database.Source);
        await mirrors.Save(Definition with { Key = "gone", Name = "Gone" }, "a test", CancellationToken.None);
        var mirror = (await mirrors.Find("gone", CancellationToken.None))!;
        await using var session = (await new RunSessions(database.Source, new RunBook(database.Source, TimeProvider.System), TimeProvider.System).Begin(mirror, false, "a test", CancellationToken.None))!;
        var store = session.Store;
        await store.SaveObserved(0, [Observed("1", "a"), Observed("2", "b")], CancellationToken.None);
        await store.TakeStock(CancellationToken.None);

        (await store.SaveRemoved(0, ["2", "9"], CancellationToken.None)).ShouldBe(1);
        (await store.SaveRemoved(0, ["2"], CancellationToken.None)).ShouldBe(0);

        (await store.ReadIds(0, CancellationToken.None)).Order().ShouldBe(["1", "2"]);
        (await store.ReadThere(0, ["1", "2", "9"], CancellationToken.None)).ShouldBe(["1"]);
        (await store.CountRecords(0, CancellationToken.None)).ShouldBe(2);
        (await store.ReadSwept(0, CancellationToken.None)).ShouldBeNull();
        await store.SaveWatermark(0, new Watermark(At, At), CancellationToken.None);
        await store.SaveSwept(0, At, CancellationToken.None);
        (await store.ReadSwept(0, CancellationToken.None)).ShouldBe(At);
    }
}
