using System.Collections.Immutable;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage;

/// <summary>Something that a run wrote into a system.</summary>
/// <param name="Kind">Change, with the field and its values before and after, as the side writes them; or a record that was created or removed.</param>
/// <param name="Field">The agreed field's name; null unless a field was changed.</param>
/// <param name="Stored">A created record, as its system stored it; null for anything else.</param>
public sealed record WrittenByRun(WriteKind Kind, int Side, string? Field, Value Before, Value After, RawFields? Stored = null);

/// <summary>What a run did to one record, beside how that record stands now.</summary>
/// <param name="Now">Null when it is gone everywhere.</param>
/// <param name="Memory">What was known before the run decided about it; null when it met for the first time then.</param>
public sealed record DoneByRun(Guid Link, string Title, LinkedRecord? Now, RecordMemory? Memory, ImmutableArray<WrittenByRun> Written);

/// <summary>A record that goes back to what it was before a run, and is set aside until a person lets it go on.</summary>
/// <param name="Agreed">Agreed again, by field; null where nothing was. Null altogether for a record that had never met.</param>
/// <param name="Sides">What is known of the sides again; a shadow of null is forgotten.</param>
/// <param name="Missing">Sides of which nothing is known any more, that are known as removed there again.</param>
/// <param name="PutBack">The inverse writes.</param>
/// <param name="Hold">Why it waits.</param>
public sealed record RunUndone(
    Guid Link, string Title, IReadOnlyDictionary<string, AgreedValue?>? Agreed, ImmutableArray<SideBefore> Sides, ImmutableArray<SideBefore> Missing, ImmutableArray<Delivery> PutBack, ImmutableArray<JournalEntry> Journal, Hold Hold);

/// <summary>Where what a run did is read, and the undo of it kept.</summary>
public interface IUndoStore
{
    /// <summary>Keeps runs of the mirror out until the undo is kept.</summary>
    /// <returns>False when a run is going on and does not end soon.</returns>
    Task<bool> KeepOut(CancellationToken cancellation);

    /// <summary>Records that a run wrote to, in the order of their links, after the one given.</summary>
    /// <param name="only">One record; null for all of them.</param>
    Task<IReadOnlyList<DoneByRun>> ReadDone(long run, Guid? only, Guid after, int count, CancellationToken cancellation);

    /// <summary>Keeps an undo, as a whole or not at all.</summary>
    /// <param name="whole">True when the whole run was undone, and not one record of it.</param>
    Task SaveUndone(long run, IReadOnlyList<RunUndone> records, bool whole, string who, CancellationToken cancellation);
}
