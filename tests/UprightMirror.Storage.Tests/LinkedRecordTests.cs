using System.Collections.Immutable;
using Npgsql;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage.Tests;

/// <summary>What points at what, kept by the database for those who look at it, and whom a change is for.</summary>
public class LinkedRecordTests(TestDatabase database) : IClassFixture<TestDatabase>
{
    private static readonly DateTimeOffset At = new(2026, 3, 1, 9, 0, 0, TimeSpan.Zero);
    private static readonly LinkedField Totals = new("looked-invoices", "Total");

    private static SideField Cell(string path, Conversion? conversion = null) => new(path, true, true, conversion ?? new AsItStands());

    private static MirrorDefinition Customers(string? formula) => new("looking", "Looking", "customer", [new SideDefinition("a", "as"), new SideDefinition("b", "bs")],
        [
            new AgreedFieldDefinition("Name", FieldType.Text, [Cell("name"), Cell("name")]),
            .. formula is null ? [] : new[] { new AgreedFieldDefinition("Lifetime total", FieldType.Number, [null, new SideField("total", false, true, new AsItStands())], WorkedOut: formula) },
        ],
        [new RecognisingRule("Name")], "Name");

    private static readonly MirrorDefinition Invoices = new("looked-invoices", "Looked at", "invoice", [new SideDefinition("a", "invoices"), new SideDefinition("b", "invoices")],
        [
            new AgreedFieldDefinition("Total", FieldType.Number, [Cell("total"), Cell("total")]), new AgreedFieldDefinition("Note", FieldType.Text, [Cell("note"), Cell("note")]),
            new AgreedFieldDefinition("Customer", FieldType.Reference, [Cell("customer", new ReferenceTo("looking")), Cell("customer", new ReferenceTo("looking"))]),
        ],
        [new RecognisingRule("Note")], "Note");

    private static Reconciled Said(Guid link, params (string Field, Value Value)[] agreed) => new(link, "an invoice", RecordOutcome.Unchanged,
        agreed.ToDictionary(a => a.Field, a => new AgreedValue(a.Value, 0, At, null, At, 1, "a test")), [], [], [], [], [], []);

    [Fact]
    public async Task Each_change_of_what_is_looked_at_is_noted_once_for_those_it_is_for()
    {
        var (mirrors, none) = (new Mirrors(database.Source), CancellationToken.None);
        await mirrors.Save(Customers(null), "a test", none);
        await mirrors.Save(Invoices, "a test", none);
        var (looking, looked) = ((await mirrors.Find("looking", none))!, (await mirrors.Find("looked-invoices", none))!);
        var sessions = new RunSessions(database.Source, new RunBook(database.Source, TimeProvider.System), TimeProvider.System);
        Guid brae = Guid.CreateVersion7(), tern = Guid.CreateVersion7(), first = Guid.CreateVersion7(), second = Guid.CreateVersion7();
        await Do(looking, async store =>
        {
            await store.SaveObserved(0, [Observed("1"), Observed("2")], none);
            await store.SaveLinks([new LinkedAs(brae, 0, "1", "Brae Hire", "new"), new LinkedAs(tern, 0, "2", "Tern Point", "new")], none);
            await store.SaveReconciled([Said(brae), Said(tern)], none);
        });
        await Do(looked, async store =>
        {
            await store.SaveObserved(0, [Observed("i1"), Observed("i2")], none);
            await store.SaveLinks([new LinkedAs(first, 0, "i1", "i1", "new"), new LinkedAs(second, 0, "i2", "i2", "new")], none);
            await store.SaveReconciled([Said(first, ("Total", new NumberValue(1200)), ("Customer", new LinkValue(brae, "Brae Hire")))], none);
        });
        (await Due()).ShouldBeEmpty("nobody looks yet");

        // A draft may look at what nobody looks at yet; who looks from now on is looked at again.
        (await Read(brae)).ShouldBe([new NumberValue(1200)]);
        await mirrors.Save(Customers("SUM(LINKED(\"looked-invoices\"; \"Total\"))"), "a test", none);
        (await Due()).ShouldBe([brae]);
        (await Read(brae)).ShouldBe([new NumberValue(1200)]);
        (await Read(tern)).ShouldBeEmpty();
        (await Woken()).ShouldBe([brae]);
        (await Due()).ShouldBeEmpty();

        await Do(looked, store => store.SaveReconciled([Said(second, ("Total", new NumberValue(50)), ("Customer", new LinkValue(brae, "Brae Hire")))], none));
        (await Due()).ShouldBe([brae]);
        (await Read(brae)).ShouldBe([new NumberValue(1200), new NumberValue(50)], ignoreOrder: true);
        (await Woken()).ShouldBe([brae]);

        // What nobody asks for wakes nobody; a rehearsal wakes nobody for good.
        await Do(looked, store => store.SaveReconciled([Said(second, ("Note", Value.Text("thanks")))], none));
        (await Due()).ShouldBeEmpty();
        await Do(looked, store => store.SaveReconciled([Said(second, ("Total", new NumberValue(51)))], none), rehearse: true);
        (await Due()).ShouldBeEmpty();

        // Moved to another customer: both are looked at again.
        await Do(looked, store => store.SaveReconciled([Said(second, ("Customer", new LinkValue(tern, "Tern Point")))], none));
        (await Due()).ShouldBe([brae, tern], ignoreOrder: true);
        (await Read(brae)).ShouldBe([new NumberValue(1200)]);
        (await Read(tern)).ShouldBe([new NumberValue(50)]);
        await Woken();

        // Gone everywhere.
        await Do(looked, store => store.SaveReconciled([Said(second) with { GoneEverywhere = true }], none));
        (await Woken()).ShouldBe([tern]);
        (await Read(tern)).ShouldBeEmpty();

        // A record that loses its id on a side is told to those that point at it.
        await Do(looking, store => store.SaveReconciled([Said(brae) with { Sides = [new SideAfter(0, "1", null, ImmutableDictionary<string, string>.Empty, new HashSet<string>(), new HashSet<string>(), Forgotten: true)] }], none));
        (await database.Ask<Guid>($"select link_id from link_due where mirror_id = {looked.Id}")).ShouldBe(first);

        // A look that is taken out leaves nothing behind but what points.
        await mirrors.Save(Customers(null), "a test", none);
        (await database.Ask<long>("select count(*) from looked_at")).ShouldBe(0);
        (await database.Ask<long>("select count(*) from pointer")).ShouldBe(1);

        async Task Do(KeptMirror mirror, Func<PostgresRunStore, Task> work, bool rehearse = false)
        {
            await using var session = (await sessions.Begin(mirror, rehearse, "a test", none))!;
            await work((PostgresRunStore)session.Store);
            await session.End("finished", RunCounts.Zero, null, none, []);
        }

        async Task<List<Guid>> Due()
        {
            await using var command = database.Source.CreateCommand($"select distinct link_id from link_due where mirror_id = {looking.Id}");
            await using var reader = await command.ExecuteReaderAsync();
            var due = new List<Guid>();
            while (await reader.ReadAsync())
            {
                due.Add(reader.GetGuid(0));
            }

            return due;
        }

        async Task<List<Guid>> Woken()
        {
            var woken = new List<Guid>();
            await Do(looking, async store =>
            {
                await store.LookAtDue(none);
                woken.AddRange((await store.ReadWaiting(Guid.Empty, 10, none)).Select(r => r.Link));
                await store.SaveReconciled([.. woken.Select(l => Said(l))], none);
            });
            return woken;
        }

        async Task<ImmutableArray<Value>> Read(Guid link) => (await mirrors.LinkedTo(Customers("SUM(LINKED(\"looked-invoices\"; \"Total\"))"), [link], none))[link][Totals];

        static ObservedRecord Observed(string id) => new(id, RawFields.Of([KeyValuePair.Create("name", (Value)Value.Text(id))]), "1", At, null);
    }
}
