using System.Collections.Immutable;
using UprightMirror.Core.Timing;

namespace UprightMirror.Core.Notices;

/// <summary>When people are told.</summary>
public enum NoticePace
{
    AtOnce,

    /// <summary>What happened in an hour together, at the full hour.</summary>
    Hourly,

    /// <summary>What happened in a day together.</summary>
    Daily,
}

/// <summary>When a notice goes out.</summary>
/// <param name="At">For daily: the time of day; 07:00 when null.</param>
/// <param name="TimeZone">The time zone's name, as in the IANA database.</param>
/// <param name="Quiet">When nothing goes out; what happens then is told when it is over.</param>
public sealed record NoticeTiming(NoticePace Pace = NoticePace.AtOnce, TimeOnly? At = null, string TimeZone = "UTC", QuietHours? Quiet = null)
{
    private static readonly TimeOnly Morning = new(7, 0);

    /// <summary>What is wrong with it, in words; empty when it can be used.</summary>
    public ImmutableArray<string> Problems() =>
        !TimeZoneInfo.TryFindSystemTimeZoneById(this.TimeZone, out _) ? [$"There is no time zone {this.TimeZone}. A name such as Europe/Amsterdam is expected."]
        : this.Quiet is { Days.IsEmpty: true } quiet && quiet.From == quiet.To ? ["The quiet hours take up the whole of every day: nothing would ever be told."]
        : [];

    /// <summary>When something that happened at a moment is told.</summary>
    public DateTimeOffset DueAt(DateTimeOffset happened)
    {
        var times = new MirrorTiming(this.Pace == NoticePace.Hourly ? TimingKind.Hourly : TimingKind.Daily, At: this.Pace == NoticePace.Hourly ? TimeOnly.MinValue : this.At ?? Morning, TimeZone: this.TimeZone, Quiet: this.Quiet);
        return this.Pace == NoticePace.AtOnce ? times.QuietUntil(happened) ?? happened : times.Next(happened) ?? happened;
    }
}
