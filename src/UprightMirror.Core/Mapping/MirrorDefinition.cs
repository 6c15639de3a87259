using System.Collections.Immutable;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Timing;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Mapping;

/// <summary>A side's field beside an agreed field.</summary>
/// <param name="Path">The field's place in the side's own record.</param>
/// <param name="Gives">Whether the side's changes count.</param>
/// <param name="Takes">Whether the side is written.</param>
/// <param name="Default">What the side is told, in its own form, where the agreed value is empty; null for nothing.</param>
/// <param name="OnlyAtFirst">Whether what the side gives counts only while nothing else is agreed: it fills a new record, and changes none.</param>
public sealed record SideField(string Path, bool Gives, bool Takes, Conversion Conversion, Drift Drift = Drift.PutBack, string? Default = null, bool OnlyAtFirst = false)
{
    /// <summary>Every field of the side that the agreed value is made of: its own, and those that its conversion reads beside it.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public ImmutableArray<string> Reads => this.Conversion.Inputs.IsEmpty ? [this.Path] : [this.Path, .. this.Conversion.Inputs.Where(i => i != this.Path)];
}

/// <summary>An agreed field: how it is settled, and where each side keeps it.</summary>
/// <param name="Rule">The settling rule's name as in scenarios: rank, latest, furthest, …</param>
/// <param name="Rank">System names, the one that counts most first; sides left out follow in the mirror's order.</param>
/// <param name="FirstMeeting">The rule's name for sides that never met; rank unless told otherwise.</param>
/// <param name="Cells">One for each side, in the mirror's order; null where the side does not keep the field.</param>
/// <param name="Lines">For a field that holds lines: what each line has. Its cells then say where each side keeps the lines.</param>
/// <param name="WorkedOut">For a field that no side gives: the formula over other agreed fields that it is worked out by.</param>
/// <param name="RuleFormula">For the settling rule <c>formula</c>: the formula over what the sides say.</param>
public sealed record AgreedFieldDefinition(
    string Name,
    FieldType Type,
    ImmutableArray<SideField?> Cells,
    string Rule = "ask",
    ImmutableArray<string> Rank = default,
    ImmutableArray<string> States = default,
    string FirstMeeting = "rank",
    string? Group = null,
    bool EmptyTravels = true,
    LinesDefinition? Lines = null,
    string? WorkedOut = null,
    string? RuleFormula = null)
{
    public ImmutableArray<string> Rank { get; init; } = Rank.IsDefault ? [] : Rank;

    public ImmutableArray<string> States { get; init; } = States.IsDefault ? [] : States;

    /// <summary>True where no side gives it and none takes it: nothing is agreed on, and follow-up checks compare what the sides say.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public bool IsOnlyCompared => this.WorkedOut is null && this.Cells.All(c => c is null or { Gives: false, Takes: false });
}

/// <summary>What each line of a record has.</summary>
/// <param name="Key">The line field that tells one line from another, such as its number or its product.</param>
/// <param name="Fields">The line fields. Their cells' paths stand within a line; each is kept on every side that keeps the lines.</param>
/// <param name="Total">What the lines must add up to; null for nothing.</param>
public sealed record LinesDefinition(string Key, ImmutableArray<AgreedFieldDefinition> Fields, TotalCheck? Total = null);

/// <summary>The lines must add up to what a field of the record says.</summary>
/// <param name="Field">The agreed field of the record.</param>
/// <param name="Amount">A formula over the line fields: what one line amounts to.</param>
/// <param name="Tolerance">How far apart the two may be; 0 or more.</param>
public sealed record TotalCheck(string Field, string Amount, decimal Tolerance);

/// <summary>A system's place in a mirror.</summary>
/// <param name="System">The system's key, such as <c>slipway</c>.</param>
/// <param name="Collection">Its collection, in the system's own word.</param>
/// <param name="Constants">What every record that is created there is given beside the agreed fields.</param>
/// <param name="Scope">Which of its records are kept the same: a formula over its own fields; null for all.</param>
/// <param name="Leaving">What becomes of a linked record that is not in the scope any more.</param>
/// <param name="SweepEveryHours">How often its records are looked through for those that are gone, where the system does not tell; 0 for never.</param>
/// <param name="DoubleMark">What a record is marked with that was entered twice and is not the one that is kept; null to leave it as it is.</param>
public sealed record SideDefinition(
    string System, string Collection, bool MayCreate = true, bool MayRemove = false, Removal Removal = Removal.Ask, ImmutableArray<SideConstant> Constants = default, SideConstant? DoubleMark = null,
    string? Scope = null, Leaving Leaving = Leaving.StopFollowing, int SweepEveryHours = 24)
{
    public ImmutableArray<SideConstant> Constants { get; init; } = Constants.IsDefault ? [] : Constants;
}

/// <param name="Path">The side's field.</param>
/// <param name="Text">What it is given, in the side's own form.</param>
public sealed record SideConstant(string Path, string Text);

/// <summary>Fields by which records are certainly the same: an exact key, or a normalised e-mail address.</summary>
/// <param name="Field">The agreed field's name.</param>
public sealed record RecognisingRule(string Field);

/// <summary>The standing arrangement that keeps one record type the same in two or more systems.</summary>
/// <param name="Key">Short name in addresses and commands: <c>customers</c>.</param>
/// <param name="Name">What people call it: Customers.</param>
/// <param name="RecordType">One record of it, in the singular: customer.</param>
/// <param name="CountryField">The agreed field that says in which country a record's telephone numbers are read; null when none does.</param>
/// <param name="TitleField">The agreed field by which people know a record.</param>
/// <param name="Recognising">Tried in order; the first that finds something decides.</param>
/// <param name="Likeness">How records are recognised where no key says so; null to go by keys alone.</param>
/// <param name="LeavesOut">True where a record that is recognised as none of another side's is left as it is, and created nowhere.</param>
/// <param name="Judged">Doubts of the check, in its own words, that a person says are as they should be. One that comes to be said otherwise is a new doubt.</param>
public sealed record MirrorDefinition(
    string Key,
    string Name,
    string RecordType,
    ImmutableArray<SideDefinition> Sides,
    ImmutableArray<AgreedFieldDefinition> Fields,
    ImmutableArray<RecognisingRule> Recognising,
    string TitleField,
    string? CountryField = null,
    ImmutableArray<string> Judged = default,
    LikenessDefinition? Likeness = null,
    bool LeavesOut = false)
{
    public ImmutableArray<string> Judged { get; init; } = Judged.IsDefault ? [] : Judged;

    /// <summary>When it runs by itself.</summary>
    public MirrorTiming Timing { get; init; } = MirrorTiming.ByHandOnly;

    /// <summary>How many records may be set aside by one run before it stops; 1 for the first. Null to go on with the others however many there are.</summary>
    public int? StopsAfter { get; init; }

    /// <summary>The shared code lists by name, as they stand; kept beside the definition, not in it.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public ImmutableDictionary<string, CodeTable> CodeLists { get; init; } = ImmutableDictionary<string, CodeTable>.Empty;

    /// <summary>The definition with the shared code lists as they stand now, in every field that uses one.</summary>
    public MirrorDefinition With(ImmutableDictionary<string, CodeTable> codeLists) => this with
    {
        CodeLists = codeLists,
        Fields = [.. this.Fields.Select(f => With(f, codeLists))],
    };

    private static AgreedFieldDefinition With(AgreedFieldDefinition field, ImmutableDictionary<string, CodeTable> codeLists) => field with
    {
        Cells = [.. field.Cells.Select(c => c is { Conversion: CodeList { Name: { } name } list } && codeLists.TryGetValue(name, out var table) ? c with { Conversion = list with { Table = table } } : c)],
        Lines = field.Lines is { } lines ? lines with { Fields = [.. lines.Fields.Select(l => With(l, codeLists))] } : null,
    };

    /// <summary>The other mirrors that fields of this one point at, by key.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public IEnumerable<string> PointsAt => this.Fields.Concat(this.Fields.SelectMany(f => f.Lines?.Fields ?? [])).SelectMany(f => f.Cells).Select(c => (c?.Conversion as ReferenceTo)?.Mirror).OfType<string>().Distinct(StringComparer.Ordinal);

    /// <summary>The fields of other mirrors' records that worked-out fields look at.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public ImmutableArray<LinkedField> LooksAt => [.. this.Fields.Where(f => f.WorkedOut is not null)
        .SelectMany(f => Formula.Parse(f.WorkedOut!, null, out var formula, out _) ? LinkedField.In(formula, out _) : []).Distinct()];

    /// <summary>Whether a worked-out field asks which follow-up checks flag a record.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public bool AsksForFlags => this.Fields.Any(f => f.WorkedOut is not null && Formula.Parse(f.WorkedOut, null, out var formula, out _) && Flags.AreAskedFor(formula));

    /// <summary>Whether a worked-out field fetches records by a key.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public bool Fetches => this.Fields.Any(f => f.WorkedOut is not null && Formula.Parse(f.WorkedOut, null, out var formula, out _) && formula.Calls.Any(c => c.Function.Name == Fetched.FunctionName));

    /// <summary>The rules in the form that reconciling reads.</summary>
    /// <param name="names">What people call each side's system, in the mirror's order: these stand in every reason.</param>
    /// <param name="now">The run's time, for formulas that ask for it.</param>
    public ReconcileRules Rules(IReadOnlyList<string> names, DateTimeOffset now = default) => new(
        [.. this.Fields.Select(f =>
        {
            var rank = SettlingRule.FullRank(f.Rank.Select(r => this.SideOf(r, f.Name)), this.Sides.Length);
            return new FieldRules(f.Name, f.Type, this.RuleNamed(f.Rule, rank, f, now), this.RuleNamed(f.FirstMeeting, rank, f, now), f.WorkedOut is null ? f.Group : null, f.EmptyTravels)
            {
                WorkedOut = f.WorkedOut is null ? null : WorkedOutField.Of(this, f, names, now),
            };
        })],
        [.. this.Sides.Select((side, s) => new SideRules(
            names[s],
            [.. this.Fields.Select(f => f.WorkedOut is null && f.Cells[s]?.Gives == true)],
            [.. this.Fields.Select(f => f.Cells[s]?.Takes == true)],
            [.. this.Fields.Select(f => f.Cells[s]?.Drift ?? Drift.PutBack)],
            side.Removal)
        {
            MayCreate = side.MayCreate,
            MayRemove = side.MayRemove,
            Leaving = side.Leaving,
        })]);

    /// <summary>The agreed fields that a side keeps now and did not keep before, or in another of its fields: there the sides meet anew.</summary>
    public static IEnumerable<string> MetAnew(MirrorDefinition before, MirrorDefinition after, int side) =>
        after.Fields.Where(f => f.Cells[side] is { } cell && before.Fields.FirstOrDefault(b => b.Name == f.Name)?.Cells.ElementAtOrDefault(side)?.Path != cell.Path).Select(f => f.Name);

    /// <summary>The mirror without the sides of one system: fields that nobody keeps then go with them, and nothing recognises by those.</summary>
    public MirrorDefinition Without(string system)
    {
        var left = Enumerable.Range(0, this.Sides.Length).Where(s => this.Sides[s].System != system).ToList();
        if (left.Count == this.Sides.Length)
        {
            return this;
        }

        ImmutableArray<AgreedFieldDefinition> fields = [.. this.Fields.Select(Left).Where(f => f.WorkedOut is not null || f.Cells.Any(c => c is not null))];
        var names = fields.Select(f => f.Name).ToHashSet(StringComparer.Ordinal);
        return this with
        {
            Sides = [.. left.Select(s => this.Sides[s])],
            Fields = fields,
            Recognising = [.. this.Recognising.Where(r => names.Contains(r.Field))],
            Likeness = this.Likeness is { } likeness ? likeness with { Evidence = [.. likeness.Evidence.Where(e => names.Contains(e.Field))] } : null,
        };

        AgreedFieldDefinition Left(AgreedFieldDefinition field) => field with
        {
            Cells = [.. left.Select(s => field.Cells[s])],
            Rank = [.. field.Rank.Where(r => r != system)],
            Lines = field.Lines is { } lines ? lines with { Fields = [.. lines.Fields.Select(Left)] } : null,
        };
    }

    private int SideOf(string system, string field) =>
        this.Sides.Select(s => s.System).ToList().IndexOf(system) is >= 0 and var side
            ? side
            : throw new ArgumentException($"Mirror {this.Name}: the field {field} ranks {system}, which is not one of its sides.");

    private SettlingRule RuleNamed(string name, ImmutableArray<int> rank, AgreedFieldDefinition field, DateTimeOffset now) => name switch
    {
        "rank" => new ByRank(rank),
        "latest" => new Latest(rank),
        "furthest" => new FurthestAlong(rank, field.States),
        "fullest" => new Fullest(rank),
        "greatest" => new GreatestOrLeast(rank, true),
        "least" => new GreatestOrLeast(rank, false),
        "union" => new AllOfThem(rank),
        "ask" => new Ask(rank),
        "formula" => new ByFormula(rank, field.RuleFormula ?? "", field.Type, [.. this.Sides.Select(s => s.System)]) { CodeLists = this.CodeLists, Now = now },
        _ => throw new ArgumentException($"The field {field.Name} has the settling rule {name}, which there is not."),
    };
}
