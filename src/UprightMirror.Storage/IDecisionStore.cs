using System.Collections.Immutable;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage;

/// <summary>A conflict as a person looks at it.</summary>
/// <param name="Revision">Grows whenever the competing values change, so that nobody decides on what they did not see.</param>
public sealed record ConflictToDecide(long Id, Guid Link, ImmutableArray<string> Fields, ImmutableSortedDictionary<int, ImmutableArray<Value>?> Values, int Revision)
{
    /// <summary>When each side changed it; sides that do not say are left out.</summary>
    public IReadOnlyDictionary<int, DateTimeOffset> ChangedAt { get; init; } = ImmutableDictionary<int, DateTimeOffset>.Empty;
}

/// <summary>What one side held, and what was known of it, when a conflict was decided: to be put back when the decision is undone.</summary>
/// <param name="Field">The agreed field.</param>
/// <param name="Path">Where the side keeps it.</param>
/// <param name="Raw">What it held.</param>
/// <param name="Shadow">As it was known; null where it never was.</param>
/// <param name="Told">As in <see cref="KnownRecord.Told"/>; null for nothing.</param>
public sealed record SideMemory(int Side, string Id, string Field, string Path, Value Raw, Value? Shadow, string? Told, bool Owed, bool Unmet);

/// <summary>A conflict that a person decided, with what is needed to undo that.</summary>
/// <param name="Before">What was agreed before, one for each field; null where nothing was.</param>
/// <param name="Memory">What the sides held.</param>
public sealed record DecidedConflict(
    long Id, Guid Link, ImmutableArray<string> Fields, ImmutableSortedDictionary<int, ImmutableArray<Value>?> Values, IReadOnlyDictionary<string, AgreedValue?> Before, ImmutableArray<SideMemory> Memory, string Who, string What);

/// <summary>A decision that is taken back.</summary>
/// <param name="Agreed">What is agreed again; null where nothing was.</param>
/// <param name="Sides">What is known of the sides from now on.</param>
/// <param name="PutBack">Writes that put back what was written since.</param>
public sealed record Undone(long Conflict, Guid Link, IReadOnlyDictionary<string, AgreedValue?> Agreed, ImmutableArray<SideAfter> Sides, ImmutableArray<Delivery> PutBack, ImmutableArray<JournalEntry> Journal);

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
    ImmutableArray<JournalEntry> Journal)
{
    /// <summary>The fields, where no conflict was about them and a person set them by hand; empty otherwise.</summary>
    public ImmutableArray<string> ByHand { get; init; } = [];

    /// <summary>What was chosen, by field; null for a removal.</summary>
    public IReadOnlyDictionary<string, Value>? Chosen { get; init; }

    /// <summary>What was agreed before, by field; null where nothing was.</summary>
    public IReadOnlyDictionary<string, AgreedValue?> Before { get; init; } = ImmutableDictionary<string, AgreedValue?>.Empty;

    /// <summary>What the sides held.</summary>
    public ImmutableArray<SideMemory> Memory { get; init; } = [];

    /// <summary>What the person says about it; null for nothing.</summary>
    public string? Comment { get; init; }
}

/// <summary>Where conflicts are read for a decision and decisions are kept.</summary>
public interface IDecisionStore
{
    Task<ConflictToDecide?> ReadOpenConflict(long conflict, CancellationToken cancellation);

    Task<LinkedRecord?> ReadLinked(Guid link, CancellationToken cancellation);

    /// <summary>Keeps a decision and lets the record wait for the next run.</summary>
    /// <returns>False when the conflict was closed, or its values changed, since it was read: nothing is kept then.</returns>
    Task<bool> SaveDecided(Decided decided, CancellationToken cancellation);

    /// <summary>A decision that can be undone; null when there is none such.</summary>
    Task<DecidedConflict?> ReadDecided(long conflict, CancellationToken cancellation);

    /// <summary>What a run wrote into a side since a conflict was decided: by agreed field, the value that stands there by it.</summary>
    Task<IReadOnlyDictionary<(int Side, string Field), Value>> ReadWrittenSince(long conflict, CancellationToken cancellation);

    /// <summary>Takes a decision back: its conflict is open again.</summary>
    /// <returns>False when it is not decided any more, or its fields are in another conflict by now: nothing is kept then.</returns>
    Task<bool> SaveUndone(Undone undone, CancellationToken cancellation);

    /// <summary>Decided conflicts about some fields, the last one first.</summary>
    Task<IReadOnlyList<(long Id, string Title, PastConflict Conflict, string Who, DateTimeOffset At)>> ReadPast(ImmutableArray<string> fields, int most, CancellationToken cancellation);
}
