using System.Collections.Immutable;
using System.Globalization;

namespace UprightMirror.Core.Reconciling;

/// <summary>What a guard watches over.</summary>
public enum Guarded
{
    Creations,
    Changes,
    Removals,
    EmptiedFields,
}

/// <summary>A limit that pauses a run when it would go beyond both of its parts.</summary>
/// <param name="Number">How many pass; 0 or more.</param>
/// <param name="Share">Which share of the side's records passes; 0 to 1.</param>
public sealed record GuardLimit(int Number, double Share)
{
    public bool Stops(int count, int records) => count > this.Number && count > this.Share * records;
}

/// <summary>What a run is about to do on one side.</summary>
/// <param name="Records">How many records the side has; 0 while nobody counted them.</param>
/// <param name="Gone">Records of the side that are not there any more, and that nothing was decided about yet.</param>
public sealed record AboutToDo(int Side, int Records, int Creations, int Changes, int Removals, int EmptiedFields, int Gone);

/// <summary>What a guard stopped a run at.</summary>
/// <param name="Gone">True for records that were removed on the side, rather than by the run.</param>
public sealed record GuardFinding(Guarded What, int Side, int Count, int Records, GuardLimit Limit, bool Gone = false)
{
    /// <summary>What it found, as a sentence.</summary>
    /// <param name="system">The side's system.</param>
    public string Words(string system)
    {
        var of = string.Create(CultureInfo.InvariantCulture, $"{this.Count:N0} of {this.Records:N0} records");
        var passes = string.Create(CultureInfo.InvariantCulture, $"({this.Limit.Number:N0} pass, or {this.Limit.Share * 100:0.#} %)");
        return this.What switch
        {
            _ when this.Gone => $"{of} are gone from {system} {passes}.",
            Guarded.Creations => string.Create(CultureInfo.InvariantCulture, $"It would create {this.Count:N0} records in {system}, which has {this.Records:N0} {passes}."),
            Guarded.Changes => $"It would change {of} in {system} {passes}.",
            Guarded.Removals => $"It would remove {of} from {system} {passes}.",
            _ => string.Create(CultureInfo.InvariantCulture, $"It would empty {this.Count:N0} {(this.Count == 1 ? "field" : "fields")} in {system}, which has {this.Records:N0} records {passes}."),
        };
    }
}

/// <summary>The limits that pause a run before it does something large and unlikely; null for none.</summary>
public sealed record Guards(GuardLimit? Creations, GuardLimit? Changes, GuardLimit? Removals, GuardLimit? EmptiedFields)
{
    /// <summary>What is seldom meant: a twentieth of the records removed or emptied, a third created or changed, in one run.</summary>
    public static readonly Guards Default = new(new GuardLimit(200, 0.3), new GuardLimit(200, 0.3), new GuardLimit(10, 0.05), new GuardLimit(50, 0.05));

    /// <summary>Nothing pauses a run.</summary>
    public static readonly Guards None = new(null, null, null, null);

    public GuardLimit? Of(Guarded what) => what switch
    {
        Guarded.Creations => this.Creations,
        Guarded.Changes => this.Changes,
        Guarded.Removals => this.Removals,
        _ => this.EmptiedFields,
    };

    public Guards With(Guarded what, GuardLimit? limit) => what switch
    {
        Guarded.Creations => this with { Creations = limit },
        Guarded.Changes => this with { Changes = limit },
        Guarded.Removals => this with { Removals = limit },
        _ => this with { EmptiedFields = limit },
    };

    /// <summary>What stops a run.</summary>
    /// <param name="about">What it is about to do, side by side.</param>
    /// <param name="isFirstLoad">True while the mirror has never run to its end: it is meant to create and change much then, and only removals count.</param>
    /// <param name="allowed">What a person has seen and let pass once: as much, and a tenth more.</param>
    public ImmutableArray<GuardFinding> Find(IEnumerable<AboutToDo> about, bool isFirstLoad, IReadOnlyCollection<GuardFinding> allowed)
    {
        var found = about.SelectMany(a => new (Guarded What, int Count, bool Gone)[]
        {
            (Guarded.Creations, a.Creations, false), (Guarded.Changes, a.Changes, false), (Guarded.Removals, a.Removals, false), (Guarded.EmptiedFields, a.EmptiedFields, false), (Guarded.Removals, a.Gone, true),
        }.Where(w => !isFirstLoad || w.What == Guarded.Removals).Select(w => (w.What, a.Side, w.Count, a.Records, w.Gone)));
        return [.. found
            .Where(f => this.Of(f.What) is { } limit && limit.Stops(f.Count, f.Records) && !allowed.Any(a => (a.What, a.Side, a.Gone) == (f.What, f.Side, f.Gone) && f.Count <= a.Count * 1.1))
            .Select(f => new GuardFinding(f.What, f.Side, f.Count, f.Records, this.Of(f.What)!, f.Gone))];
    }
}
