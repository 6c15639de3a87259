using System.Collections.Immutable;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Storage;

/// <summary>
/// What one pass of a mirror recalls and remembers. Each method that saves does so as a whole or not at all, so that a run
/// which is cut off between any two of them goes on from there (law L6).
/// </summary>
public interface IRunStore
{
    long RunId { get; }

    ILikenessStore Likeness { get; }

    Task<Watermark?> ReadWatermark(int side, CancellationToken cancellation);

    Task SaveWatermark(int side, Watermark mark, CancellationToken cancellation);

    /// <summary>Remembers records as just read. One that differs from what was known waits to be reconciled, and is released if it was held.</summary>
    /// <returns>How many differ.</returns>
    Task<int> SaveObserved(int side, IReadOnlyList<ObservedRecord> records, CancellationToken cancellation);

    /// <summary>Remembers that records are not there any more. Those that are not known do not count.</summary>
    /// <returns>How many were there until now.</returns>
    Task<int> SaveRemoved(int side, IReadOnlyCollection<string> ids, CancellationToken cancellation);

    /// <summary>The ids of all records of a side that were ever seen and not forgotten: there may be some that are known to be gone.</summary>
    Task<IReadOnlyCollection<string>> ReadIds(int side, CancellationToken cancellation);

    /// <summary>Of some records, the ids of those that are there as far as is known.</summary>
    Task<IReadOnlyCollection<string>> ReadThere(int side, IReadOnlyCollection<string> ids, CancellationToken cancellation);

    /// <summary>When a side was last looked through whole; null for never.</summary>
    Task<DateTimeOffset?> ReadSwept(int side, CancellationToken cancellation);

    /// <summary>Remembers that a side, which was read before, was looked through whole.</summary>
    Task SaveSwept(int side, DateTimeOffset at, CancellationToken cancellation);

    /// <summary>Records that wait and belong to no link, in the order of side and id, after the one given.</summary>
    Task<IReadOnlyList<KnownRecord>> ReadUnlinked((int Side, string Id) after, int count, CancellationToken cancellation);

    Task SaveKeys(IReadOnlyList<MatchCandidate> records, CancellationToken cancellation);

    /// <summary>Every record of the mirror that has one of the keys.</summary>
    Task<IReadOnlyList<MatchCandidate>> FindByKeys(IReadOnlyCollection<MatchKey> keys, CancellationToken cancellation);

    /// <summary>Puts records into links; a link that does not exist yet is made.</summary>
    Task SaveLinks(IReadOnlyList<LinkedAs> links, CancellationToken cancellation);

    /// <summary>Sets records aside: they no longer wait.</summary>
    Task SaveHolds(IReadOnlyList<Hold> holds, CancellationToken cancellation);

    /// <summary>In a rehearsal: has it decide about some records, each anew, and about no other; the run is known to be of so many.</summary>
    /// <param name="find">What their titles hold, or the id of one of their records; null for any, picked at random.</param>
    /// <returns>How many there are.</returns>
    Task<int> PickForRehearsal(int most, string? find, CancellationToken cancellation);

    /// <summary>Of what is planned, drops all that a rehearsal did not show just so; the next run plans it again.</summary>
    /// <returns>How many were dropped.</returns>
    Task<int> KeepOnlyAsRehearsed(long rehearsal, CancellationToken cancellation);

    /// <summary>Records that no link has and that the scope does not cover: they no longer wait, and nothing holds them.</summary>
    Task SaveOutOfScope(IReadOnlyList<RecordPlace> records, CancellationToken cancellation);

    /// <summary>Links of which a record waits, in the order of their ids, after the one given.</summary>
    Task<IReadOnlyList<LinkedRecord>> ReadWaiting(Guid after, int count, CancellationToken cancellation);

    /// <summary>Remembers what was decided: agreed values, shadows, conflicts, journal, and the deliveries that follow, planned. The records no longer wait.</summary>
    Task SaveReconciled(IReadOnlyList<Reconciled> records, CancellationToken cancellation);

    /// <summary>Deliveries that are planned, in the order in which they were, after the one given.</summary>
    /// <param name="aside">Only those that do not come from reconciling.</param>
    Task<IReadOnlyList<Delivery>> ReadPlanned(long after, int count, bool aside, CancellationToken cancellation);

    /// <summary>How many records of a side are known.</summary>
    Task<int> CountRecords(int side, CancellationToken cancellation);

    /// <summary>What the planned deliveries come to, and what is gone from the sides: only of sides where there is any. Their records are not counted.</summary>
    Task<IReadOnlyList<AboutToDo>> CountPlanned(CancellationToken cancellation);

    /// <summary>Whether an earlier run of the mirror came to its end.</summary>
    Task<bool> HasFinishedBefore(CancellationToken cancellation);

    /// <summary>Deliveries that were sent and never answered.</summary>
    Task<IReadOnlyList<Delivery>> ReadUnanswered(CancellationToken cancellation);

    Task MarkSent(IReadOnlyCollection<long> deliveries, CancellationToken cancellation);

    /// <summary>Remembers the answers to deliveries.</summary>
    Task SaveAnswers(IReadOnlyCollection<(Delivery Delivery, DeliveryEnd End)> answers, CancellationToken cancellation);

    /// <summary>What is remembered of one record; null when it was never seen.</summary>
    Task<KnownRecord?> ReadKnown(int side, string id, CancellationToken cancellation);

    /// <summary>A link's record on a side, as it was read last; null when there is none.</summary>
    Task<ObservedRecord?> ReadMember(Guid link, int side, CancellationToken cancellation);

    /// <summary>What a record is linked with; null for nothing.</summary>
    Task<Guid?> LinkOf(int side, string id, CancellationToken cancellation);

    /// <summary>Sets how far the run is, for those who watch.</summary>
    Task SaveProgress(RunStage stage, RunCounts counts, CancellationToken cancellation);

    /// <summary>Keeps what the run told since this was last called, and where its time went. In a rehearsal it is kept, too.</summary>
    Task SaveLog(IReadOnlyList<RunLine> lines, RunSpent spent, CancellationToken cancellation);

    /// <summary>Much was put in at once: the store looks over what it has, so as to find it again by the shortest way.</summary>
    Task TakeStock(CancellationToken cancellation);

    /// <summary>What was created since is found by its new ids from now on. A system that takes so many calls a second does not wait for this meanwhile.</summary>
    Task SaveFoundAnew(CancellationToken cancellation);

    /// <summary>Links that look at records of other mirrors which moved since, or point at one that has another id somewhere, are looked at again by this run.</summary>
    Task LookAtDue(CancellationToken cancellation);

    /// <summary>Records that are held, linked or not, are looked at again by this run.</summary>
    Task LookAtHeldAgain(CancellationToken cancellation);
}

public enum RunStage
{
    Collecting,
    Recognising,
    Reconciling,
    Delivering,
}

/// <summary>What a run did so far, in records. Every record that it looked at counts once, under what became of it last.</summary>
/// <param name="Read">Records read from the systems, unchanged ones included.</param>
public sealed record RunCounts(int Read, int Created, int Updated, int Linked, int Unchanged, int InConflict, int Held, int Refused, int Planned, int Written, int OutOfScope = 0)
{
    public static readonly RunCounts Zero = new(0, 0, 0, 0, 0, 0, 0, 0, 0, 0);
}

/// <param name="Why">The reason, for the journal.</param>
public sealed record LinkedAs(Guid Link, int Side, string Id, string Title, string Why);

/// <summary>What a side's shadow becomes.</summary>
/// <param name="Shadow">The raw fields to remember as known; null leaves it as it is.</param>
/// <param name="Forgotten">True when the record no longer belongs to the link; a decision on its removal has then been carried out.</param>
public sealed record SideAfter(int Side, string Id, Core.Mapping.RawFields? Shadow, IReadOnlyDictionary<string, string> Told, IReadOnlySet<string> Owed, IReadOnlySet<string> Unmet, bool Forgotten = false);

/// <param name="Values">What each competing side says by agreed field; null for a side that removed the record.</param>
public sealed record ConflictToOpen(ImmutableArray<string> Fields, ImmutableSortedDictionary<int, ImmutableArray<Core.Values.Value>?> Values, string Why)
{
    /// <summary>When each competing side changed it, by its own clock; sides that do not say are left out.</summary>
    public IReadOnlyDictionary<int, DateTimeOffset> ChangedAt { get; init; } = ImmutableDictionary<int, DateTimeOffset>.Empty;
}

/// <summary>Everything that reconciling one record came to.</summary>
/// <param name="Agreed">The agreed values that moved, by field's name.</param>
/// <param name="Title">What people call the record from now on.</param>
public sealed record Reconciled(
    Guid Link,
    string Title,
    RecordOutcome Outcome,
    IReadOnlyDictionary<string, AgreedValue> Agreed,
    ImmutableArray<SideAfter> Sides,
    ImmutableArray<ConflictToOpen> Conflicts,
    ImmutableArray<long> ClosedConflicts,
    ImmutableArray<Delivery> Deliveries,
    ImmutableArray<Hold> Holds,
    ImmutableArray<JournalEntry> Journal,
    bool GoneEverywhere = false)
{
    /// <summary>False for a record that the scope does not cover.</summary>
    public bool IsFollowed { get; init; } = true;

    /// <summary>What an undo of the run goes back to; null where nothing moved, and for records that met for the first time.</summary>
    public RecordMemory? Memory { get; init; }
}

/// <summary>How a delivery ended, or why it goes on.</summary>
public abstract record DeliveryEnd
{
    private DeliveryEnd()
    {
    }

    /// <summary>The system stored it. <paramref name="Waiting"/>: it shows something else that changed, to be reconciled.</summary>
    public sealed record Confirmed(ObservedRecord? Stored, SideAfter? After, bool Waiting, ImmutableArray<JournalEntry> Journal) : DeliveryEnd;

    /// <summary>The record moved meanwhile: it is reconciled again with what it holds now.</summary>
    public sealed record Overtaken : DeliveryEnd
    {
        /// <summary>What was left as it stood, where that is a story.</summary>
        public ImmutableArray<JournalEntry> Journal { get; init; } = [];
    }

    public sealed record Refused(Hold Hold, JournalEntry Journal) : DeliveryEnd;

    /// <summary>It did not reach the system: it stays planned.</summary>
    public sealed record Postponed : DeliveryEnd;

    /// <summary>Nobody knows whether it took effect: the next run looks first.</summary>
    public sealed record Unknown(string Reason) : DeliveryEnd;
}
