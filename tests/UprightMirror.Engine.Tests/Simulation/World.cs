using System.Collections.Immutable;
using System.Globalization;
using Microsoft.Extensions.Time.Testing;
using UprightMirror.Connectors;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Engine.Tests.Simulation;

/// <summary>Something typed on a side by one of its users.</summary>
/// <param name="Number">Its place among all edits of the history.</param>
public sealed record Typed(int Number, int Side, string Id, string Path, Value Value);

/// <summary>A mirror between two to four systems in memory, and a history made from one seed: the same seed is the same history.</summary>
public sealed class World
{
    public static readonly ImmutableArray<string> States = ["lead", "offer", "won", "paid"];

    private readonly Random chance;
    private readonly FakeTimeProvider clock = new(new DateTimeOffset(2026, 3, 1, 8, 0, 0, TimeSpan.Zero));
    private readonly HashSet<(int Side, string Id, string Path, Value Value)> brought = [];
    private int edits;

    /// <param name="lines">Whether the things have lines, as orders do.</param>
    /// <param name="numbers">Whether one side numbers what is created there: what it will say can't be known before.</param>
    public World(int seed, bool everyoneGivesAndTakes = false, bool numbers = true, bool lines = false)
    {
        this.chance = new Random(seed);
        var sides = this.chance.Next(2, 5);
        this.Systems = [.. Enumerable.Range(0, sides).Select(s => new MemorySystem($"S{s}", new Random(seed + s), s == 1) { Assigns = numbers && s == 1 ? "Number" : null })];
        this.Mirror = this.MakeMirror(sides, everyoneGivesAndTakes, numbers, lines);
    }

    public MirrorDefinition Mirror { get; }

    public TimeProvider Clock => this.clock;

    public ImmutableArray<MemorySystem> Systems { get; }

    public MemoryStore Store { get; } = new();

    public List<Typed> Edits { get; } = [];

    public ReconcileRules Rules => this.Mirror.Rules([.. this.Systems.Select(s => s.Name)]);

    /// <param name="atOnce">Without any time since what was done before.</param>
    public async Task<RunEnd> Run(bool rehearse = false, bool atOnce = false)
    {
        if (!atOnce)
        {
            this.Tick();
        }

        this.Store.RunId++;
        var context = new MirrorContext(
            this.Mirror, [.. this.Systems.Cast<ISystemConnector>()], [.. this.Systems.Select(_ => CatalogueCollection.Unknown("things"))], this.Store, this.clock);
        return await new MirrorRun(context).Execute(rehearse, CancellationToken.None);
    }

    /// <summary>Time goes on for everyone, for the systems not quite alike.</summary>
    public void Tick()
    {
        this.clock.Advance(TimeSpan.FromMinutes(5));
        foreach (var system in this.Systems)
        {
            system.Tick(TimeSpan.FromSeconds(290 + this.chance.Next(20)));
        }
    }

    /// <summary>Adds one to three records, some on several sides at once under the same code.</summary>
    public void AddRecords()
    {
        for (var n = this.chance.Next(1, 4); n > 0; n--)
        {
            var code = $"C{++this.edits}";
            foreach (var side in Enumerable.Range(0, this.Systems.Length).Where(_ => this.chance.Next(2) == 0).DefaultIfEmpty(0).ToList())
            {
                var fields = this.Mirror.Fields.Where(f => f is { WorkedOut: null, Name: not "Code" and not "Number" } && f.Cells[side] is not null).Select(f => f.Name)
                    .Where(_ => this.chance.Next(4) > 0).Select(f => KeyValuePair.Create(f, this.NewValue(f))).ToList();
                var id = this.Systems[side].Add(RawFields.Of(fields.Append(KeyValuePair.Create("Code", Value.Text(code)))));
                this.brought.UnionWith(fields.Select(f => (side, id, f.Key, f.Value)));
            }
        }
    }

    /// <summary>One user edits one field of one record on one side.</summary>
    /// <param name="unseen">In a transaction that stays open while the side is read the next time.</param>
    /// <param name="soon">Some seconds after what was done before.</param>
    public void EditSomething(int? onSide = null, string? onId = null, bool unseen = false, bool soon = false)
    {
        var side = onSide ?? this.chance.Next(this.Systems.Length);
        var ids = this.Systems[side].Ids.OrderBy(i => this.Systems[side].Fields(i)["Code"].Display, StringComparer.Ordinal).ToList();
        if (ids.Count == 0)
        {
            return;
        }

        var id = onId ?? ids[this.chance.Next(ids.Count)];
        var fields = this.Mirror.Fields.Where(f => f.Name != "Code" && f.Cells[side] is not null).ToList();
        var field = fields[this.chance.Next(fields.Count)];
        var value = this.chance.Next(8) == 0 ? Value.Empty : this.NewValue(field.Name);
        if (soon)
        {
            this.Systems[side].Tick(TimeSpan.FromSeconds(5));
        }
        else
        {
            this.Tick();
        }

        if (unseen)
        {
            this.Systems[side].EditUnseen(id, field.Name, value);
        }
        else
        {
            this.Systems[side].Edit(id, field.Name, value);
        }

        this.Edits.Add(new Typed(this.edits, side, id, field.Name, value));
    }

    /// <summary>Whether a user of a side said so there, in its own form or in the agreed one, at any time.</summary>
    public bool WasTyped(int side, string id, string path, Value value)
    {
        var cell = this.Mirror.Fields.First(f => f.Name == path).Cells[side]!;
        return this.brought.Where(b => (b.Side, b.Id, b.Path) == (side, id, path)).Select(b => b.Value)
            .Concat(this.Edits.Where(e => (e.Side, e.Id, e.Path) == (side, id, path)).Select(e => e.Value))
            .Any(said => Agreed(said).Equals(value) || (path == "Shout" && string.Equals(said.Display, value.Display, StringComparison.OrdinalIgnoreCase)));

        Value Agreed(Value said) => cell.Conversion is FormulaConversion formula && formula.Read(new Reading(said, RawFields.None, FieldType.Text, null, ConversionSetting.None), out _) is { } read ? read : said;
    }

    public async Task DecideSomeConflicts(bool all)
    {
        foreach (var conflict in this.Store.OpenConflicts.ToList().Where(_ => all || this.chance.Next(2) == 0))
        {
            var sides = conflict.Values.Keys.ToList();
            Answer answer = this.chance.Next(3) == 0 ? new Answer.KeepBefore() : new Answer.TakeSide(sides[this.chance.Next(sides.Count)]);
            var (end, why) = await new Deciding(this.Mirror, this.Rules.SideNames, this.Store, this.clock)
                .Decide(conflict.Id, conflict.Revision, answer, "Maren Voll", CancellationToken.None);
            end.ShouldBe(DecisionEnd.Made, why);
        }
    }

    /// <summary>What the sides hold of a conflict's fields.</summary>
    public IReadOnlyDictionary<(int Side, string Field), string> Fields(ConflictToDecide conflict) =>
        this.Store.AllLinked.Single(l => l.Link == conflict.Link).Members
            .SelectMany(m => conflict.Fields.Where(f => this.Mirror.Fields.First(d => d.Name == f).Cells[m.Side] is not null).Select(f => KeyValuePair.Create((m.Side, f), this.Systems[m.Side].Fields(m.Id)[f].Display)))
            .ToDictionary();

    /// <summary>A person takes one side's value.</summary>
    public Task Decide(ConflictToDecide conflict) => new Deciding(this.Mirror, this.Rules.SideNames, this.Store, this.clock)
        .Decide(conflict.Id, conflict.Revision, new Answer.TakeSide(conflict.Values.Keys.ElementAt(this.chance.Next(conflict.Values.Count))), "Maren Voll", CancellationToken.None);

    public Task<(DecisionEnd End, IReadOnlyList<string> Words)> Undo(long conflict) =>
        new Deciding(this.Mirror, this.Rules.SideNames, this.Store, this.clock).Undo(conflict, "Maren Voll", CancellationToken.None);

    /// <summary>Undoes a run. The next one makes the writes.</summary>
    public async Task<IReadOnlyList<UndoOfRecord>> UndoRun(long run) => (await new Undoing(this.Mirror, this.Rules.SideNames, this.Store).Undo(run, null, "Maren Voll", CancellationToken.None))!;

    public Task<IReadOnlyList<UndoOfRecord>> RehearseUndo(long run) => new Undoing(this.Mirror, this.Rules.SideNames, this.Store).Rehearse(run, null, "Maren Voll", CancellationToken.None);

    /// <summary>What every side holds of the mirror's fields.</summary>
    public IReadOnlyDictionary<(int Side, string Id, string Field), string> Held() => this.Systems
        .SelectMany((system, side) => system.Ids.SelectMany(id => this.Mirror.Fields.Where(f => f.Cells[side] is not null).Select(f => KeyValuePair.Create((side, id, f.Name), system.Fields(id)[f.Name].ToString()!))))
        .ToDictionary();

    /// <summary>Somebody edits what one side holds of a conflict's fields.</summary>
    public (int Side, string Field) EditOneOf(ConflictToDecide conflict)
    {
        var (side, field) = this.Fields(conflict).Keys.Order().ElementAt(this.chance.Next(this.Fields(conflict).Count));
        this.Tick();
        var id = this.Store.AllLinked.Single(l => l.Link == conflict.Link).Members.Single(m => m.Side == side).Id;
        this.Systems[side].Edit(id, field, Value.Text("edited since"));
        return (side, field);
    }

    /// <summary>A history of edits, runs and decisions, of some length.</summary>
    public async Task LiveFor(int steps)
    {
        this.AddRecords();
        for (var step = 0; step < steps; step++)
        {
            switch (this.chance.Next(10))
            {
                case 0:
                    this.AddRecords();
                    break;
                case <= 5:
                    this.EditSomething();
                    break;
                case <= 8:
                    await this.Run();
                    break;
                default:
                    await this.DecideSomeConflicts(false);
                    break;
            }
        }
    }

    /// <summary>People stop editing and every conflict is decided.</summary>
    public async Task Settle()
    {
        for (var i = 0; i < 6; i++)
        {
            await this.Run();
            await this.DecideSomeConflicts(true);
        }

        await this.Run();
    }

    /// <summary>Everything that can be seen from outside: what the systems hold, what is agreed, what is in conflict.</summary>
    public string Picture() => string.Join('\n', this.Systems.SelectMany(s => s.Ids.Select(id => $"{s.Name} {s.Fields(id)["Code"]}: {s.Fields(id).ToFlatJson().ToJsonString()}")).Order(StringComparer.Ordinal)
        .Concat(this.Store.AllLinked.Select(l => $"{l.Title}: {string.Join(", ", l.Agreed.OrderBy(a => a.Key, StringComparer.Ordinal).Select(a => $"{a.Key}={a.Value.Value}"))}").Order(StringComparer.Ordinal))
        .Concat(this.Store.OpenConflicts.Select(c => $"≠ {string.Join(",", c.Fields)}: {string.Join(" | ", c.Values.Select(v => $"{v.Key}={(v.Value is { } values ? string.Join(",", values) : "removed")}"))}").Order(StringComparer.Ordinal)));

    private Value NewValue(string field) => field switch
    {
        "State" => Value.Text(States[this.chance.Next(States.Length)]),
        "Tags" => Value.List(Enumerable.Range(0, this.chance.Next(1, 4)).Select(_ => $"t{this.chance.Next(6)}")),
        "Amount" => new NumberValue(++this.edits + (this.chance.Next(100) / 100m)),
        "Lines" => new LinesValue([.. Enumerable.Range(1, this.chance.Next(1, 4)).Select(n => ImmutableSortedDictionary<string, Value>.Empty
            .Add("Line", new NumberValue(n)).Add("Product", Value.Text($"p{this.chance.Next(5)}")).Add("Quantity", new NumberValue(++this.edits)))]),
        _ => Value.Text($"{field} {(++this.edits).ToString(CultureInfo.InvariantCulture)}"),
    };

    private MirrorDefinition MakeMirror(int sides, bool everyone, bool numbers, bool lines)
    {
        AgreedFieldDefinition Field(string name, string rule, FieldType type = FieldType.Text, string? group = null, bool emptyTravels = true)
        {
            var cells = Enumerable.Range(0, sides).Select(s => this.Cell(name, s, everyone || name == "Code")).ToImmutableArray();
            return new AgreedFieldDefinition(name, type, cells, rule, Rank: [$"s{this.chance.Next(sides)}"], States: name == "State" ? States : default, Group: group, EmptyTravels: emptyTravels);
        }

        // Nobody gives these: they are made of the others, and the sides take them.
        AgreedFieldDefinition WorkedOut(string name, string formula) =>
            new(name, FieldType.Text, [.. Enumerable.Range(0, sides).Select(s => s == 2 ? null : new SideField(name, false, true, new AsItStands()))], "rank", WorkedOut: formula);

        // Every side keeps the lines, and each of their fields.
        AgreedFieldDefinition Lines()
        {
            AgreedFieldDefinition OfLine(string name, FieldType type) => new(name, type, [.. Enumerable.Range(0, sides).Select(_ => new SideField(name, true, true, new AsItStands()))], "latest");
            return new AgreedFieldDefinition("Lines", FieldType.Lines, [.. Enumerable.Range(0, sides).Select(_ => new SideField("Lines", true, true, new AsItStands()))], this.chance.Next(2) == 0 ? "latest" : "ask",
                Lines: new LinesDefinition("Line", [OfLine("Line", FieldType.Number), OfLine("Product", FieldType.Text), OfLine("Quantity", FieldType.Number)]));
        }

        return new MirrorDefinition(
            "things", "Things", "thing",
            [.. Enumerable.Range(0, sides).Select(s => new SideDefinition($"s{s}", "things", Constants: s == 0 ? [new SideConstant("Origin", "mirror")] : []))],
            [
                Field("Code", "rank"), Field("Phone", "ask"), Field("Name", "rank"), Field("Note", "latest"), Field("Shout", "rank"), Field("Long", "fullest"),
                Field("State", "furthest"), Field("Tags", "union", FieldType.List), Field("Amount", "greatest", FieldType.Number),
                Field("Street", "ask", group: "address"), Field("Town", "ask", group: "address"), Field("Kept", "latest", emptyTravels: false),

                // One side numbers the records that are created there; the others take it.
                new AgreedFieldDefinition("Number", FieldType.Text, [.. Enumerable.Range(0, sides).Select(s => new SideField("Number", s == 1, s != 1, new AsItStands()))], "rank"),

                .. lines ? [Lines()] : ImmutableArray<AgreedFieldDefinition>.Empty,

                WorkedOut("Label", "JOIN(\", \"; name; town; initial)"), WorkedOut("Initial", "UPPER(LEFT([Note]; 1)) & COUNTFILLED(Tags)"),
                .. numbers ? [WorkedOut("Known", "IF(REFERENCE(\"S0\")=\"\"; \"no\"; \"yes\")")] : ImmutableArray<AgreedFieldDefinition>.Empty,
            ],
            [new RecognisingRule("Code")],
            "Code");
    }

    private SideField? Cell(string name, int side, bool everyone) => (everyone ? new SideField(name, true, true, ConversionOf(name, side)) : this.chance.Next(8) switch
    {
        0 => null,
        1 => new SideField(name, true, false, ConversionOf(name, side)),
        2 => new SideField(name, false, true, ConversionOf(name, side), this.chance.Next(2) == 0 ? Drift.PutBack : Drift.Leave),
        _ => new SideField(name, true, true, ConversionOf(name, side)),
    }) is { } cell ? cell with { Default = DefaultOf(name, side) } : null;

    /// <summary>What stands for an empty value on some sides.</summary>
    public static string? DefaultOf(string name, int side) => (name, side) is ("Phone", 1) or ("Town", 0) or ("Kept", 1) ? "none" : null;

    /// <summary>Formulas that lose something on one of the ways: in capitals towards a side, cut short and in order on the way from it.</summary>
    private static Conversion ConversionOf(string name, int side) => (name, side) switch
    {
        ("Note", 1) => new FormulaConversion(null, "UPPER(value)"),
        ("Name", 2) => new FormulaConversion("PROPER(TRIM(value))", "LEFT(value; 6)"),
        _ => new AsItStands(),
    };
}
