using System.Collections.Immutable;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Remembered;

/// <summary>An agreed value and its whole story: any value answers "why are you this?".</summary>
/// <param name="Side">The side that said it; <see cref="Candidate.Person"/> when a person did.</param>
/// <param name="Who">The person who decided it here, or who changed it there if the system says so.</param>
public sealed record AgreedValue(Value Value, int Side, DateTimeOffset? ChangedAt, string? Who, DateTimeOffset At, long RunId, string Why);

/// <summary>A conflict that waits for a person, or was decided since.</summary>
/// <param name="Sides">The sides that compete; <see cref="Candidate.Person"/> for an agreed value that a person set.</param>
public sealed record KnownConflict(long Id, ImmutableArray<string> Fields, ImmutableArray<int> Sides);

/// <summary>The records of one real thing: at most one a side.</summary>
/// <param name="Agreed">By agreed field's name; empty for a link that was never reconciled.</param>
/// <param name="RemovalDecisions">By side, what a person said that the removal there means.</param>
public sealed record LinkedRecord(
    Guid Link,
    string Title,
    IReadOnlyDictionary<string, AgreedValue> Agreed,
    ImmutableArray<KnownRecord> Members,
    ImmutableArray<KnownConflict> OpenConflicts,
    IReadOnlyDictionary<int, Removal> RemovalDecisions)
{
    /// <summary>False while the scope of one of its sides does not cover it: it is left as it is.</summary>
    public bool IsFollowed { get; init; } = true;
}
