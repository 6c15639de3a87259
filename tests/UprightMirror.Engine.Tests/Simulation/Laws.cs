using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Engine.Tests.Simulation;

/// <summary>The laws as checks of a world: each fails with what is wrong.</summary>
public static class Laws
{
    /// <summary>L1: with no outside edit, another run writes nothing, though every record is looked at again.</summary>
    public static async Task Quiet(World world)
    {
        var writes = world.Systems.Sum(s => s.Writes.Count);
        world.Store.LookAtEverythingAgain();

        var second = await world.Run();

        world.Systems.Sum(s => s.Writes.Count).ShouldBe(writes, "L1: a run with nothing to do wrote");
        second.Counts.Written.ShouldBe(0);
    }

    /// <summary>L2: every side that takes a field holds the agreed value in its own form.</summary>
    public static void Converged(World world)
    {
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
                    (ownForm || byFormula || stands || held.Equals(agreed)).ShouldBeTrue($"L2: {field.Name} of {record.Title} is agreed as {agreed}, and {world.Systems[member.Side].Name} holds {held}");
                }
            }
        }
    }

    /// <summary>L3: each value typed on a giving side is agreed, superseded by a named later cause, or in an open conflict.</summary>
    public static void NothingLost(World world)
    {
        foreach (var typed in world.Edits.Where(e => !e.Value.IsEmpty && e.Path is "Phone" or "Name" or "Note" or "Long" or "Street" or "Town" or "Lines"))
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

            var agreed = record.Agreed.GetValueOrDefault(typed.Path)?.Value.Equals(typed.Value) == true || journal.Any(j => (j.Kind is JournalKind.Agreed or JournalKind.Decided && Tells(j, j.After)) || (j.Kind == JournalKind.Met && Lists(j)));
            var superseded = journal.Any(j => j.Kind == JournalKind.Superseded && j.Side == typed.Side && Tells(j, j.Before) && j.Why.Length > 0);
            var inConflict = world.Store.OpenConflicts.Any(c => c.Link == record.Link && c.Values.Values.Any(v => v is { } values && values.Contains(typed.Value)))
                || journal.Any(j => j.Kind == JournalKind.ConflictOpened && Lists(j) && journal.Any(d => d.Kind is JournalKind.Decided or JournalKind.ConflictClosed));
            (agreed || superseded || inConflict).ShouldBeTrue($"L3: {typed.Value}, typed in {world.Systems[typed.Side].Name} {typed.Id}, is nowhere\n{world.Picture()}\n{string.Join('\n', journal)}");
        }
    }

    /// <summary>L4: one real thing is created at most once on a side.</summary>
    public static void NoDoubles(World world)
    {
        foreach (var system in world.Systems)
        {
            system.Ids.GroupBy(id => system.Fields(id)["Code"].Display).ShouldAllBe(g => g.Count() == 1, $"L4: {system.Name} has one thing twice");
        }
    }

    /// <summary>What competes in a conflict was said by somebody there: our own writes never compete with anything.</summary>
    public static void NothingInvented(World world)
    {
        foreach (var conflict in world.Store.OpenConflicts)
        {
            var record = world.Store.AllLinked.First(l => l.Link == conflict.Link);
            foreach (var (side, values) in conflict.Values.Where(v => v.Key >= 0 && v.Value is not null))
            {
                var id = record.Members.First(m => m.Side == side).Id;
                var said = values!.Value.Select((value, i) => (Field: conflict.Fields[i], Value: value)).Any(v => world.WasTyped(side, id, v.Field, v.Value));
                said.ShouldBeTrue($"{string.Join(", ", values!.Value)} competes in {string.Join(", ", conflict.Fields)} of {record.Title}, and nobody typed it in {world.Systems[side].Name}");
            }
        }
    }
}
