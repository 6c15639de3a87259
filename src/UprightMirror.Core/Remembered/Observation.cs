using UprightMirror.Core.Mapping;

namespace UprightMirror.Core.Remembered;

/// <summary>A record as a system just gave it.</summary>
/// <param name="VersionTag">The system's own tag of this state, sent back as the precondition of a write; null when it has none.</param>
/// <param name="ChangedAt">When it was last changed, by the system's clock; null when it does not say.</param>
/// <param name="ChangedBy">Who changed it, in the system's words; null when it does not say.</param>
public sealed record ObservedRecord(string Id, RawFields Fields, string? VersionTag, DateTimeOffset? ChangedAt, string? ChangedBy);

/// <summary>How far a side has been read: the newest change time seen, by the system's own clock.</summary>
public sealed record Watermark(DateTimeOffset Time);

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
    string? ChangedBy);
