using System.Collections.Immutable;

namespace UprightMirror.Core.Notices;

/// <summary>What happens to a record that people can be told of.</summary>
public enum RecordHappening
{
    /// <summary>It was created in a system.</summary>
    Created,

    /// <summary>A value was written in a system.</summary>
    Written,

    /// <summary>What is agreed changed, whoever gave it.</summary>
    Agreed,
    ConflictOpened,
    Held,
    Refused,
    Removed,

    /// <summary>A follow-up check flags it.</summary>
    Flagged,
}

/// <summary>How people are told.</summary>
public enum NoticeChannel
{
    Mail,

    /// <summary>A call to an address, each notice as a CloudEvent.</summary>
    Event,

    /// <summary>A call to an address with a text, as rooms for talking take it.</summary>
    Message,
}

/// <summary>Whom to tell of what, how and when.</summary>
/// <param name="Mirror">The key of the mirror that it is about; null for every mirror.</param>
/// <param name="System">The key of the system that it is about; null for every system.</param>
/// <param name="Queue">For what waits: conflicts, lookAlikes or held; null for all three.</param>
/// <param name="Hours">For what waits: how long is too long, 1 to 720.</param>
/// <param name="Days">For credentials: how many days before they end, 1 to 90.</param>
/// <param name="Happening">For a record's event: which.</param>
/// <param name="Side">For a record's event: on which side of the mirror; null for any.</param>
/// <param name="Field">For a record's event: of which field; null for any.</param>
/// <param name="Becomes">For a record's event: only when the value became this; null for any.</param>
/// <param name="To">For mail, the addresses.</param>
/// <param name="Address">For calls, the address.</param>
/// <param name="AllowPrivate">Whether that address may be in a private network or on this machine.</param>
public sealed record NoticeRule(
    string Name,
    NoticeKind Kind,
    NoticeChannel Channel,
    NoticeTiming Timing,
    string Subject,
    string Text,
    bool IsOn = true,
    string? Mirror = null,
    string? System = null,
    string? Queue = null,
    int? Hours = null,
    int? Days = null,
    RecordHappening? Happening = null,
    int? Side = null,
    string? Field = null,
    string? Becomes = null,
    ImmutableArray<string> To = default,
    Uri? Address = null,
    bool AllowPrivate = false)
{
    public const int MostAddresses = 50;

    public ImmutableArray<string> To { get; init; } = To.IsDefault ? [] : To;

    /// <summary>What is wrong with it, in words; empty when it can be used.</summary>
    /// <param name="fields">The fields of its mirror.</param>
    /// <param name="isAddress">Whether a text is an address of mail.</param>
    public ImmutableArray<string> Problems(IReadOnlyCollection<string> fields, Func<string, bool> isAddress)
    {
        var found = ImmutableArray.CreateBuilder<string>();
        void If(bool wrong, string words)
        {
            if (wrong)
            {
                found.Add(words);
            }
        }

        If(string.IsNullOrWhiteSpace(this.Name) || this.Name.Length > 80, "Give the notice a name of at most 80 characters.");
        If(this.Kind == NoticeKind.WaitsLong && this.Hours is not (>= 1 and <= 720), "Say after how many hours something waits too long: 1 to 720.");
        If(this.Queue is not (null or "conflicts" or "lookAlikes" or "held"), "Choose conflicts, look-alikes, held records, or all of them.");
        If(this.Kind == NoticeKind.CredentialsEnd && this.Days is not (>= 1 and <= 90), "Say how many days before credentials end: 1 to 90.");
        If(this.Kind == NoticeKind.RecordEvent && (this.Mirror is null || this.Happening is null), "Choose the mirror, and what happens to its records.");
        If(this.Kind == NoticeKind.RecordEvent && this.Field is { } field && !fields.Contains(field), $"The mirror has no field {this.Field}.");
        If(this.Becomes?.Length > 200, "A value to wait for has at most 200 characters.");
        if (this.Channel == NoticeChannel.Mail)
        {
            If(this.To.IsEmpty || this.To.Length > MostAddresses, $"Give at least one address of mail, and at most {MostAddresses}.");
            found.AddRange(this.To.Where(t => !isAddress(t)).Select(t => $"{t} is no address of mail."));
        }
        else
        {
            If(this.Address is not { IsAbsoluteUri: true, Scheme: "http" or "https", UserInfo.Length: 0, OriginalString.Length: <= 2000 }, "The address begins with https:// or http://, and has no user or secret in it.");
        }

        IReadOnlyCollection<string> names = [.. NoticeKinds.Fields(this.Kind), .. this.Kind == NoticeKind.RecordEvent ? fields : []];
        If(string.IsNullOrWhiteSpace(this.Subject) || this.Subject.Length > 200 || this.Subject.Contains('\n', StringComparison.Ordinal), "A subject is one line of at most 200 characters.");
        If(string.IsNullOrWhiteSpace(this.Text), "Say what the notice says.");
        return [.. found, .. this.Timing.Problems(), .. NoticeWording.Problems(this.Subject, names), .. NoticeWording.Problems(this.Text, names)];
    }
}
