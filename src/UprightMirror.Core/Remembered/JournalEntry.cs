using System.Text.Json.Nodes;

namespace UprightMirror.Core.Remembered;

/// <summary>What an entry of the journal tells.</summary>
public enum JournalKind
{
    Linked,
    Met,
    Agreed,
    Superseded,
    Written,
    Created,
    Removed,
    ConflictOpened,
    ConflictClosed,
    Decided,
    Held,
    Released,
    Refused,
    Undone,
    LeftScope,
    CameBack,

    /// <summary>A follow-up check flags it; the reason is the check's name.</summary>
    Flagged,
    Unflagged,
}

/// <summary>One line of what happened to a record, value by value. The journal is only ever added to.</summary>
/// <param name="Side">The side that it happened on, or came from; null when it is about the agreed record.</param>
/// <param name="Who">A person, by name; null when nobody in particular.</param>
public sealed record JournalEntry(
    Guid Link,
    JournalKind Kind,
    int? Side,
    string? Field,
    JsonNode? Before,
    JsonNode? After,
    string Why,
    string? Who,
    DateTimeOffset? ChangedAt = null);

/// <summary>What became of a record in a run.</summary>
public enum RecordOutcome
{
    Unchanged,
    Linked,
    Updated,
    Created,
    InConflict,
    Held,
    Refused,
    OutOfScope,
}

/// <summary>A record set aside, with a reason and a way out, while the rest goes on.</summary>
/// <param name="Link">Null while the record belongs to no link.</param>
/// <param name="Answer">The system's own words, when it refused; null otherwise.</param>
public sealed record Hold(Guid? Link, int Side, string RecordId, string Title, string? Field, string Reason, string? Answer);
