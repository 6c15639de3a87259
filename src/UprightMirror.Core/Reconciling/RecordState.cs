using System.Collections.Immutable;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Reconciling;

/// <summary>An agreed value and where it came from.</summary>
/// <param name="Side">The side that said it, <see cref="Candidate.Person"/>, or <see cref="Candidate.WorkedOut"/>.</param>
/// <param name="ChangedAt">When it was changed there; null when not known.</param>
public sealed record AgreedField(Value Value, int Side, DateTimeOffset? ChangedAt);

/// <summary>What is known of one side of a record. Every array holds one entry for each field; values are in agreed form.</summary>
/// <param name="Now">What the side says now; null when it has no such record.</param>
/// <param name="Shadow">What it said when last known; null when it never had the record; a null entry when that field was never looked at.
/// Where the side's own form has not changed, the entry must equal the one in <paramref name="Now"/>.</param>
/// <param name="Told">The agreed value that was last written and that the side stored its own way, as its shadow; null entries where none.</param>
/// <param name="Owed">Fields whose agreed value moved and that this side has not been told: an edit here was made without knowing it. Null when none.</param>
public sealed record SideState(Value[]? Now, Value?[]? Shadow, Value?[]? Told = null, bool[]? Owed = null, DateTimeOffset? ChangedAt = null)
{
    /// <summary>A person's answer to a removal on this side; null when nobody was asked or answered.</summary>
    public Removal? RemovalDecision { get; init; }

    /// <summary>True for a record that this side's scope does not cover.</summary>
    public bool IsOutOfScope { get; init; }
}

/// <summary>A conflict that is open: the fields that are frozen and the sides that compete.</summary>
public sealed record OpenConflict(ImmutableArray<int> Fields, ImmutableArray<int> Sides);

/// <summary>Everything that reconciling one record looks at.</summary>
/// <param name="Agreed">One entry for each field, null where nothing was ever agreed; null as a whole for a record that never met.</param>
public sealed record RecordState(AgreedField?[]? Agreed, SideState[] Sides)
{
    public ImmutableArray<OpenConflict> Open { get; init; } = [];

    /// <summary>What fields are worked out of beside the agreed values.</summary>
    public Surroundings Around { get; init; } = Surroundings.None;
}
