using System.Net;

namespace UprightMirror.Connectors.Calling;

/// <summary>An answer that came, whatever it says.</summary>
public sealed record Answered(HttpStatusCode Status, string Body, string? ETag, string? ContentType, Uri Address)
{
    /// <summary>The address of the next page, when the Link header names one (RFC 8288).</summary>
    public string? NextPage { get; init; }
}

/// <summary>What a caller saw of its system since it was made.</summary>
/// <param name="MedianMilliseconds">Of the last answers; null when none came.</param>
/// <param name="ClockAhead">How far the system's clock is ahead of ours, from its last answer; null when it does not say.</param>
/// <param name="LimitTold">The limit that its answers tell, in their own words; null when they tell none.</param>
/// <param name="Pace">Calls a second that are let through now; null when there is no limit.</param>
/// <param name="SignedInUntil">When what calls are signed with ends; null when it does not.</param>
/// <param name="TurnedAway">How many calls it turned away because there were too many.</param>
public sealed record CallsSeen(
    long Calls,
    long Failures,
    int? MedianMilliseconds,
    string? LastFault,
    DateTimeOffset? LastFaultAt,
    TimeSpan? ClockAhead = null,
    string? LimitTold = null,
    double? Pace = null,
    DateTimeOffset? SignedInUntil = null,
    long TurnedAway = 0);

/// <summary>A call that was made, for people to look at. Secrets are taken out of it; what is personal is not.</summary>
/// <param name="Status">Null when no answer came.</param>
public sealed record CallMade(DateTimeOffset At, string Method, string Address, int? Status, int Milliseconds, long Bytes, string What, string? Fault, string? Sent, string? Answered);
