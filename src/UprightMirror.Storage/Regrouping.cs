using System.Collections.Immutable;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Storage;

/// <summary>Two records that a person judges.</summary>
/// <param name="State">open, same, different or withdrawn.</param>
public sealed record JudgedPair(long Id, RecordPlace A, RecordPlace B, Likelihood Likelihood, string State);

/// <summary>A record with the link that it belongs to.</summary>
/// <param name="DoubleOf">The record of its side that it counts as; null for itself.</param>
public sealed record PlacedRecord(KnownRecord Known, Guid? Link, string? DoubleOf);

/// <summary>What a record's place and memory become.</summary>
/// <param name="After">What is known of its side from now on; null to know nothing, so that it meets the others anew.</param>
public sealed record RecordPlaced(RecordPlace Place, Guid? Link, SideAfter? After, bool Waiting, string? DoubleOf = null);

/// <param name="Agreed">Values that are agreed from now on; the others stay.</param>
public sealed record LinkKept(Guid Link, string Title, IReadOnlyDictionary<string, AgreedValue> Agreed);

/// <summary>What is remembered of a pair from now on.</summary>
/// <param name="State">open, same or different.</param>
public sealed record PairJudged(RecordPlace A, RecordPlace B, string State)
{
    public static PairJudged Of(RecordPlace one, RecordPlace other, string state) => one.CompareTo(other) < 0 ? new(one, other, state) : new(other, one, state);
}

/// <summary>A decision about which records are one thing, and all that follows from it. Kept as a whole or not at all.</summary>
/// <param name="Pair">The pair that was asked about; null when nobody asked.</param>
/// <param name="What">same, different, double or apart.</param>
/// <param name="Links">Links that are made or changed.</param>
/// <param name="Dissolved">Links that are no more: their records are in others now.</param>
/// <param name="Aside">Writes that do not come from reconciling.</param>
/// <param name="Seen">How the records of its links stood when it was decided: if a run has put one more into a link since, nothing is kept. Empty where no link is changed.</param>
public sealed record Regrouped(
    long? Pair,
    string What,
    string Who,
    ImmutableArray<LinkKept> Links,
    ImmutableArray<Guid> Dissolved,
    ImmutableArray<RecordPlaced> Records,
    ImmutableArray<PairJudged> Pairs,
    ImmutableArray<JournalEntry> Journal,
    ImmutableArray<AsideDelivery> Aside,
    ImmutableArray<(RecordPlace Place, Guid? Link)> Seen = default)
{
    public ImmutableArray<(RecordPlace Place, Guid? Link)> Seen { get; init; } = Seen.IsDefault ? [] : Seen;
}

/// <summary>A write to a record of any mirror.</summary>
public sealed record AsideDelivery(int MirrorId, Delivery Delivery);

/// <summary>A value that a run wrote to a side.</summary>
/// <param name="Before">In the side's own form.</param>
public sealed record WrittenAcross(int Side, string Field, Core.Values.Value Before, Core.Values.Value After);

/// <summary>A record of another mirror that points at one.</summary>
/// <param name="Says">What stands in the field, in the side's own form.</param>
public sealed record PointingRecord(Guid Link, string Title, string Id, Core.Values.Value Says, string? VersionTag);

/// <summary>What a decision touched, as it stood before.</summary>
public sealed record BeforeRegrouping(
    IReadOnlyList<(Guid Link, string Title, IReadOnlyDictionary<string, AgreedValue> Agreed)> Links,
    IReadOnlyList<(RecordPlace Place, Guid? Link, string? DoubleOf)> Records,
    IReadOnlyList<AsideDelivery> Written);

/// <summary>A decision that can be taken back.</summary>
/// <param name="HasRun">True when a run has worked on its links since.</param>
public sealed record KeptRegrouping(long Id, long? Pair, string What, string Who, DateTimeOffset At, bool HasRun);

/// <summary>Where pairs are read for a decision, and decisions about them are kept.</summary>
public interface IRegroupingStore
{
    /// <summary>Told instead of a number where something changed between looking and deciding.</summary>
    const long OtherMeanwhile = 0;

    Task<JudgedPair?> ReadPair(long pair, CancellationToken cancellation);

    Task<PlacedRecord?> ReadPlaced(RecordPlace place, CancellationToken cancellation);

    Task<LinkedRecord?> ReadLinked(Guid link, CancellationToken cancellation);

    /// <summary>The first value that runs wrote over in each field of each side of a link since a record joined it, and whether that came from the record's side.</summary>
    Task<IReadOnlyList<WrittenAcross>> ReadWritten(Guid link, RecordPlace joined, CancellationToken cancellation);

    /// <summary>Records of a mirror's side that hold an id in a field.</summary>
    Task<IReadOnlyList<PointingRecord>> ReadPointing(int mirrorId, int side, string path, string id, CancellationToken cancellation);

    /// <summary>What a decision touched, and which writes beside reconciling were made for it.</summary>
    Task<BeforeRegrouping> ReadBefore(long regrouping, CancellationToken cancellation);

    /// <summary>Keeps a decision.</summary>
    /// <returns>Its number; null when a run of the mirror is going on and does not end soon; <see cref="OtherMeanwhile"/> when its links are not any more as they were seen.</returns>
    Task<long?> Save(Regrouped regrouped, CancellationToken cancellation);

    /// <summary>Sets a pair aside: it is shown after the others.</summary>
    Task PutOff(long pair, CancellationToken cancellation);

    /// <summary>The last decision about a pair that stands; null when there is none.</summary>
    Task<KeptRegrouping?> LastOf(long pair, CancellationToken cancellation);

    /// <summary>Puts back everything that a decision touched. Only while no run has worked on it since.</summary>
    /// <returns>False when a run did, or somebody took it back already.</returns>
    Task<bool> TakeBack(long regrouping, string who, CancellationToken cancellation);

    /// <summary>Notes that a decision was taken back by another one.</summary>
    Task NoteTakenBack(long regrouping, string who, CancellationToken cancellation);
}
