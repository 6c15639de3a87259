using System.Collections.Immutable;

namespace UprightMirror.Core.Notices;

/// <summary>What people can be told of.</summary>
public enum NoticeKind
{
    RunFailed,

    /// <summary>A guard stopped a run before it wrote.</summary>
    RunPaused,

    /// <summary>Something in a queue waits for a person for longer than it should.</summary>
    WaitsLong,

    /// <summary>A system does not answer, or does again.</summary>
    SystemDown,

    /// <summary>What a connection signs in with ends soon, or has ended.</summary>
    CredentialsEnd,

    /// <summary>The description of a system is not what it was.</summary>
    FieldsChanged,

    /// <summary>A chosen thing happened to a record.</summary>
    RecordEvent,
}

/// <summary>What can be told of each kind, and how it is worded unless somebody words it otherwise.</summary>
public static class NoticeKinds
{
    private static readonly ImmutableArray<string> Always = ["when", "link"];

    /// <summary>The fields that a wording can use; a record's event has those of its mirror besides.</summary>
    public static ImmutableArray<string> Fields(NoticeKind kind) =>
    [
        .. kind switch
        {
            NoticeKind.RunFailed or NoticeKind.RunPaused => ImmutableArray.Create("mirror", "run", "reason"),
            NoticeKind.WaitsLong => ["queue", "count", "oldest", "hours"],
            NoticeKind.SystemDown => ["system", "state", "reason"],
            NoticeKind.CredentialsEnd => ["system", "day", "state"],
            NoticeKind.FieldsChanged => ["system", "count", "changes"],
            _ => ["mirror", "record", "system", "id", "what", "field", "before", "after", "reason"],
        }, .. Always,
    ];

    public static (string Subject, string Text) Wording(NoticeKind kind) => kind switch
    {
        NoticeKind.RunFailed => ("{mirror}: run {run} failed", "{reason}\n\n{link}"),
        NoticeKind.RunPaused => ("{mirror}: run {run} waits for you before it writes", "{reason}\n\n{link}"),
        NoticeKind.WaitsLong => ("{count} {queue} waiting for more than {hours} hours", "The oldest is {oldest}.\n\n{link}"),
        NoticeKind.SystemDown => ("{system} {state}", "{reason}\n\n{link}"),
        NoticeKind.CredentialsEnd => ("The credentials of {system} {state}", "Their last day is {day}. Type new ones before its mirrors stop.\n\n{link}"),
        NoticeKind.FieldsChanged => ("{system}: {count} changes of its fields", "{changes}\n\n{link}"),
        _ => ("{record}: {what}", "{mirror}, {system} {id}.\n\n{link}"),
    };
}
