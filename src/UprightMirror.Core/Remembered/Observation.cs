using UprightMirror.Core.Mapping;

namespace UprightMirror.Core.Remembered;

/// <summary>A record as a system just gave it.</summary>
/// <param name="VersionTag">The system's own tag of this state, sent back as the precondition of a write; null when it has none.</param>
/// <param name="ChangedAt">When it was last changed, by the system's clock; null when it does not say.</param>
/// <param name="ChangedBy">Who changed it, in the system's words; null when it does not say.</param>
public sealed record ObservedRecord(string Id, RawFields Fields, string? VersionTag, DateTimeOffset? ChangedAt, string? ChangedBy);

/// <summary>How far a side has been read.</summary>
/// <param name="Time">The newest change time seen, by the system's own clock.</param>
/// <param name="ReadAt">When that reading began, by our clock.</param>
public sealed record Watermark(DateTimeOffset Time, DateTimeOffset ReadAt)
{
    /// <summary>How far a side was read: never further than its own clock went when the reading began, whatever stamps it gave.</summary>
    /// <param name="newest">The newest change time seen.</param>
    /// <param name="began">When the reading began, by our clock.</param>
    /// <param name="ahead">How far its clock was ahead of ours then; null when it does not say.</param>
    public static Watermark Of(DateTimeOffset newest, DateTimeOffset began, TimeSpan? ahead) =>
        new(ahead is { } by && began + by < newest ? began + by : newest, began);

    /// <summary>
    /// From when on the side is read again. Stamps in the future, and a clock that was put back since, must not hide what is changed now: it is never later than
    /// when the last reading began, by the system's clock as it goes now.
    /// </summary>
    /// <param name="ahead">How far the system's clock is ahead of ours now; null when it does not say.</param>
    /// <param name="overlap">So much earlier than what was seen already: a stamp may become visible after a later one.</param>
    public DateTimeOffset Since(TimeSpan? ahead, TimeSpan overlap)
    {
        var began = this.ReadAt + (ahead ?? TimeSpan.Zero);
        return (this.Time < began ? this.Time : began) - overlap;
    }
}

/// <summary>What is remembered of one system's record.</summary>
/// <param name="Raw">As last read; null when the system no longer has it.</param>
/// <param name="Shadow">As it stood when it was last reconciled or written; null when it never was.</param>
/// <param name="Told">By agreed field, the agreed value (as JSON text) that was written and that the system stored its own way.</param>
/// <param name="Owed">Agreed fields whose value moved and that this side has not confirmed yet.</param>
/// <param name="Unmet">Agreed fields that this side brought to a first meeting which is still undecided.</param>
public sealed record KnownRecord(
    int Side,
    string Id,
    RawFields? Raw,
    RawFields? Shadow,
    IReadOnlyDictionary<string, string> Told,
    IReadOnlySet<string> Owed,
    IReadOnlySet<string> Unmet,
    string? VersionTag,
    DateTimeOffset? ChangedAt,
    string? ChangedBy)
{
    /// <summary>True when it was read since it was reconciled last, and said something else: nobody has seen that yet.</summary>
    public bool IsWaiting { get; init; }
}
