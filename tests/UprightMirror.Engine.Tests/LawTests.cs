using CsCheck;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Engine.Tests.Simulation;

namespace UprightMirror.Engine.Tests;

/// <summary>
/// The laws of keeping records the same, over generated histories of two to four systems in memory. A failing seed is printed
/// and replays exactly: <c>new World(seed)</c>.
/// </summary>
public class LawTests
{
    private const int Histories = 1000;

    private static readonly Gen<int> Seeds = Gen.Int[0, int.MaxValue - 1];

    private static Task ForAnyHistory(Func<int, Task> law) => Seeds.SampleAsync(law, iter: Histories, threads: 2);

    [Fact]
    public Task L1_With_no_outside_edit_a_second_run_writes_nothing() => ForAnyHistory(async seed =>
    {
        var world = new World(seed);
        await world.LiveFor(12);
        await world.Run();
        var writes = world.Systems.Sum(s => s.Writes.Count);
        world.Store.LookAtEverythingAgain();

        var second = await world.Run();

        world.Systems.Sum(s => s.Writes.Count).ShouldBe(writes);
        second.Counts.Written.ShouldBe(0);
    });

    [Fact]
    public Task L2_Once_edits_stop_every_side_that_takes_a_field_holds_the_agreed_value() => ForAnyHistory(async seed =>
    {
        var world = new World(seed);
        await world.LiveFor(12);
        await world.Settle();

        world.Store.OpenConflicts.ShouldBeEmpty();
        foreach (var record in world.Store.AllLinked)
        {
            foreach (var field in world.Mirror.Fields.Where(f => record.Agreed.ContainsKey(f.Name)))
            {
                foreach (var member in record.Members.Where(m => field.Cells[m.Side] is { Takes: true, Drift: not Drift.Leave }))
                {
                    var held = world.Systems[member.Side].Fields(member.Id)[field.Name];
                    var agreed = record.Agreed[field.Name].Value;
                    var ownForm = field.Name == "Shout" && member.Side == 1 && held.Display == agreed.Display.ToUpperInvariant();
                    var byFormula = field.Cells[member.Side]!.Conversion is FormulaConversion formula && (held.Equals(formula.ToSide(agreed)) || formula.Read(new Reading(held, world.Systems[member.Side].Fields(member.Id), field.Type, null, ConversionSetting.None), out _) is { } said && said.Equals(agreed));
                    var stands = agreed.IsEmpty && held.Display == field.Cells[member.Side]!.Default;
                    (ownForm || byFormula || stands || held.Equals(agreed)).ShouldBeTrue($"{field.Name} of {record.Title} is agreed as {agreed}, and {world.Systems[member.Side].Name} holds {held}");
                }
            }
        }
    });

    [Fact]
    public Task L3_Each_value_typed_on_a_giving_side_is_agreed_or_superseded_by_a_named_cause_or_in_an_open_conflict() => ForAnyHistory(async seed =>
    {
        var world = new World(seed);
        await world.LiveFor(14);
        await world.Run();

        foreach (var typed in world.Edits.Where(e => !e.Value.IsEmpty && e.Path is "Phone" or "Name" or "Note" or "Long" or "Street" or "Town"))
        {
            var cell = world.Mirror.Fields.First(f => f.Name == typed.Path).Cells[typed.Side]!;
            var overtyped = world.Edits.Any(e => e.Number > typed.Number && (e.Side, e.Id, e.Path) == (typed.Side, typed.Id, typed.Path)) ||
                world.Edits.SkipWhile(e => e != typed).Skip(1).Any(e => (e.Side, e.Id, e.Path) == (typed.Side, typed.Id, typed.Path));
            if (!cell.Gives || overtyped)
            {
                continue; // It does not count there, or the same field was typed over by its own user.
            }

            var record = world.Store.AllLinked.First(l => l.Members.Any(m => (m.Side, m.Id) == (typed.Side, typed.Id)));
            var journal = world.Store.Journal.Where(j => j.Link == record.Link).ToList();
            var text = ValueJson.Write(typed.Value)!.ToJsonString();
            bool Tells(JournalEntry entry, System.Text.Json.Nodes.JsonNode? node) => entry.Field == typed.Path && node?.ToJsonString() == text;
            bool Lists(JournalEntry entry) => entry.After!.ToJsonString().Contains(text, StringComparison.Ordinal);

            var agreed = record.Agreed.GetValueOrDefault(typed.Path)?.Value.Equals(typed.Value) == true || journal.Any(j => (j.Kind == JournalKind.Agreed && Tells(j, j.After)) || (j.Kind == JournalKind.Met && Lists(j)));
            var superseded = journal.Any(j => j.Kind == JournalKind.Superseded && j.Side == typed.Side && Tells(j, j.Before) && j.Why.Length > 0)
                || journal.Any(j => j.Kind == JournalKind.Written && j.Side == typed.Side && Tells(j, j.Before) && j.Why.StartsWith("first meeting", StringComparison.Ordinal));
            var inConflict = world.Store.OpenConflicts.Any(c => c.Link == record.Link && c.Values.Values.Any(v => v is { } values && values.Contains(typed.Value)))
                || journal.Any(j => j.Kind == JournalKind.ConflictOpened && Lists(j) && journal.Any(d => d.Kind is JournalKind.Decided or JournalKind.ConflictClosed));
            (agreed || superseded || inConflict).ShouldBeTrue($"{typed.Value}, typed in {world.Systems[typed.Side].Name} {typed.Id}, is nowhere\n{world.Picture()}\n{string.Join('\n', journal)}");
        }
    });

    [Fact]
    public Task L5_The_order_in_which_records_are_read_does_not_matter() => ForAnyHistory(async seed =>
    {
        async Task<string> After(bool shuffles)
        {
            var world = new World(seed);
            var order = new Random(seed);
            for (var round = 0; round < 4; round++)
            {
                world.AddRecords();
                for (var i = 0; i < 5; i++)
                {
                    world.EditSomething();
                }

                foreach (var system in world.Systems)
                {
                    system.Shuffles = shuffles && order.Next(2) == 0;
                }

                await world.Run();
            }

            return world.Picture();
        }

        (await After(true)).ShouldBe(await After(false));
    });

    [Fact]
    public Task L6_A_process_that_ends_anywhere_changes_nothing_in_the_end() => ForAnyHistory(async seed =>
    {
        async Task<string> After(int savesUntilEnd)
        {
            var world = new World(seed, everyoneGivesAndTakes: true);
            world.AddRecords();
            await world.Run();
            for (var i = 0; i < 6; i++)
            {
                world.EditSomething();
            }

            world.AddRecords();
            world.Store.SavesUntilEnd = savesUntilEnd;
            try
            {
                await world.Run();
            }
            catch (ProcessEnded)
            {
            }

            world.Store.SavesUntilEnd = -1;
            await world.Run();
            return world.Picture();
        }

        (await After(1 + (seed % 23))).ShouldBe(await After(-1));
    });

    [Fact]
    public Task L4_However_answers_are_lost_one_real_thing_is_created_at_most_once_on_a_side() => ForAnyHistory(async seed =>
    {
        var world = new World(seed);
        foreach (var system in world.Systems)
        {
            system.LosesAnswers = 0.3;
            system.HasReferences = seed % 3 != 0;
        }

        await world.LiveFor(12);
        await world.Run();
        await world.Run();

        foreach (var system in world.Systems)
        {
            system.Ids.GroupBy(id => system.Fields(id)["Code"].Display).ShouldAllBe(g => g.Count() == 1);
        }
    });

    [Fact]
    public Task L9_A_field_that_settles_furthest_along_never_moves_back() => ForAnyHistory(async seed =>
    {
        var world = new World(seed);
        var furthest = new Dictionary<Guid, int>();
        for (var i = 0; i < 6; i++)
        {
            await world.LiveFor(4);
            foreach (var record in world.Store.AllLinked.Where(r => r.Agreed.ContainsKey("State")))
            {
                var position = World.States.IndexOf(record.Agreed["State"].Value.Display);
                position.ShouldBeGreaterThanOrEqualTo(furthest.GetValueOrDefault(record.Link, -1));
                furthest[record.Link] = position;
            }
        }
    });

    [Fact]
    public Task L10_A_field_in_conflict_is_written_nowhere() => ForAnyHistory(async seed =>
    {
        var world = new World(seed, everyoneGivesAndTakes: true);
        await world.LiveFor(10);
        var frozen = world.Store.OpenConflicts
            .SelectMany(c => world.Store.AllLinked.First(l => l.Link == c.Link).Members.SelectMany(m => c.Fields.Select(f => (m.Side, m.Id, Field: f))))
            .ToHashSet();
        var writes = world.Systems.Select(s => s.Writes.Count).ToList();

        await world.Run();

        var stillFrozen = world.Store.OpenConflicts.Select(c => (c.Link, c.Fields)).ToList();
        for (var s = 0; s < world.Systems.Length; s++)
        {
            foreach (var write in world.Systems[s].Writes.Skip(writes[s]))
            {
                write.Paths.Any(p => frozen.Contains((s, write.Id, p))).ShouldBeFalse();
            }
        }

        stillFrozen.Count.ShouldBeGreaterThanOrEqualTo(frozen.Count > 0 ? 1 : 0);
    });

    [Fact]
    public Task A_change_made_while_a_write_is_under_way_is_not_overwritten() => ForAnyHistory(async seed =>
    {
        var world = new World(seed, everyoneGivesAndTakes: true);
        world.AddRecords();
        await world.Run();
        world.EditSomething();
        var interrupted = false;
        foreach (var (system, side) in world.Systems.Select((s, i) => (s, i)))
        {
            system.BeforeWrite = id =>
            {
                if (!interrupted)
                {
                    interrupted = true;
                    system.Edit(id, "Phone", Value.Text("typed meanwhile"));
                }
            };
        }

        await world.Run();

        if (interrupted)
        {
            var everywhere = world.Systems.SelectMany(s => s.Ids.Select(id => s.Fields(id)["Phone"].Display)).Count(p => p == "typed meanwhile");
            var inConflict = world.Store.OpenConflicts.Any(c => c.Values.Values.Any(v => v!.Value.Any(x => x.Display == "typed meanwhile")));
            (inConflict ? everywhere >= 1 : everywhere == world.Systems.Length).ShouldBeTrue(world.Picture());
        }
    });

    [Fact]
    public Task L7_A_rehearsal_decides_what_the_run_then_writes() => ForAnyHistory(async seed =>
    {
        // The memory store can't roll back, so two worlds of the same seed stand for before and after.
        var rehearsed = new World(seed, numbers: false);
        await rehearsed.LiveFor(8);
        var run = new World(seed, numbers: false);
        await run.LiveFor(8);
        var writes = run.Systems.Sum(s => s.Writes.Count);

        var plan = await rehearsed.Run(rehearse: true);
        var end = await run.Run();

        rehearsed.Systems.Sum(s => s.Writes.Count).ShouldBe(writes);
        plan.Counts.Planned.ShouldBe(run.Systems.Sum(s => s.Writes.Count) - writes);
        end.Counts.Written.ShouldBe(plan.Counts.Planned);
    });
}
