using System.Collections.Immutable;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage;

/// <summary>A conflict as a person looks at it.</summary>
/// <param name="Revision">Grows whenever the competing values change, so that nobody decides on what they did not see.</param>
public sealed record ConflictToDecide(long Id, Guid Link, ImmutableArray<string> Fields, ImmutableSortedDictionary<int, ImmutableArray<Value>?> Values, int Revision);

/// <summary>A person's decision and what follows from it.</summary>
/// <param name="RemovalDecisions">What the removal on a side means, when the conflict was about one.</param>
public sealed record Decided(
    Guid Link,
    long Conflict,
    int Revision,
    IReadOnlyDictionary<string, AgreedValue> Agreed,
    ImmutableArray<SideAfter> Sides,
    IReadOnlyDictionary<int, Removal> RemovalDecisions,
    string Who,
    string What,
    ImmutableArray<JournalEntry> Journal);

/// <summary>Where conflicts are read for a decision and decisions are kept.</summary>
public interface IDecisionStore
{
    Task<ConflictToDecide?> ReadOpenConflict(long conflict, CancellationToken cancellation);

    Task<LinkedRecord?> ReadLinked(Guid link, CancellationToken cancellation);

    /// <summary>Keeps a decision and lets the record wait for the next run.</summary>
    /// <returns>False when the conflict was closed, or its values changed, since it was read: nothing is kept then.</returns>
    Task<bool> SaveDecided(Decided decided, CancellationToken cancellation);
}
