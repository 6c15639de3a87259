using System.Collections.Immutable;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Reconciling;

/// <summary>A field whose agreed value became another.</summary>
public sealed record AgreedChange(int Field, Value Before, AgreedField After, string Why);

public enum WriteKind
{
    Change,
    Create,
    Remove,
}

/// <summary>What one side is owed: the fields that it takes and does not hold yet, in agreed form.</summary>
/// <param name="Why">For each field, the reason in words.</param>
public sealed record SideWrite(int Side, WriteKind Kind, ImmutableArray<(int Field, Value Value, string Why)> Fields)
{
    /// <summary>The reason of a write where nothing was decided just now.</summary>
    public const string NotHeld = "the side does not hold the agreed value";
}

/// <summary>Changes that no rule may decide.</summary>
/// <param name="Fields">The frozen fields: one, or all of a field group; all of the record for a removal.</param>
/// <param name="Values">What each competing side says, in the order of <paramref name="Fields"/>; null for a side that removed the record.</param>
public sealed record Conflict(ImmutableArray<int> Fields, ImmutableSortedDictionary<int, ImmutableArray<Value>?> Values, string Why)
{
    public bool IsRemoval => this.Values.Values.Any(v => v is null);
}

/// <summary>An edit on a side that only takes the field, where the field says to hold it.</summary>
public sealed record HeldDrift(int Side, int Field, Value Was, Value Now);

/// <summary>What a side said and lost with: another value was settled on, for a reason that can be named (law L3).</summary>
public sealed record Superseded(int Side, int Field, Value Said, Value By, string Why);

/// <summary>A field that is made of others and can't be worked out: it stays as it is, everywhere.</summary>
public sealed record NotWorkedOut(int Field, string Why);

/// <summary>What becomes of one record. An outcome with nothing in it is the one shared <see cref="Unchanged"/>.</summary>
public sealed record Outcome
{
    public static readonly Outcome Unchanged = new();

    public ImmutableArray<AgreedChange> Changes { get; init; } = [];

    public ImmutableArray<SideWrite> Writes { get; init; } = [];

    public ImmutableArray<Conflict> Conflicts { get; init; } = [];

    /// <summary>Open conflicts that closed because the sides came to the same value.</summary>
    public ImmutableArray<OpenConflict> ClosedConflicts { get; init; } = [];

    public ImmutableArray<HeldDrift> HeldDrifts { get; init; } = [];

    public ImmutableArray<NotWorkedOut> NotWorkedOut { get; init; } = [];

    /// <summary>
    /// Values that competed and lost. On a first meeting, that somebody said nothing is no story.
    /// </summary>
    public ImmutableArray<Superseded> Superseded { get; init; } = [];

    /// <summary>Sides whose removal means that the link to them is forgotten.</summary>
    public ImmutableArray<int> Forgotten { get; init; } = [];

    /// <summary>Fields that may be written nowhere and whose shadows stay as they are (law L10); null when none.</summary>
    public bool[]? Frozen { get; init; }

    public bool IsFrozen(int field) => this.Frozen is { } frozen && frozen[field];

    /// <summary>True when no side has the record any more.</summary>
    public bool GoneEverywhere { get; init; }

    /// <summary>The side whose scope does not cover the record: nothing of it is decided, and what is known of it stays as it was. Null when it is followed.</summary>
    public int? NotFollowed { get; init; }

    /// <summary>Why each field is as it is, where there is more to say than that nobody changed it.</summary>
    public ImmutableDictionary<int, string> Causes { get; init; } = ImmutableDictionary<int, string>.Empty;
}
