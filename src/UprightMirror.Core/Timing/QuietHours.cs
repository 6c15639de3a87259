namespace UprightMirror.Core.Timing;

/// <summary>A time of each day in which a mirror does not begin a run by itself.</summary>
/// <param name="From">The first minute of it, in the timing's time zone.</param>
/// <param name="To">The first minute after it; earlier than <paramref name="From"/> where it goes past midnight. The same as it: the whole day.</param>
/// <param name="Days">The days on which it begins; none means every day.</param>
public sealed record QuietHours(TimeOnly From, TimeOnly To, System.Collections.Immutable.ImmutableArray<DayOfWeek> Days = default)
{
    public System.Collections.Immutable.ImmutableArray<DayOfWeek> Days { get; init; } = Days.IsDefault ? [] : Days;

    private bool GoesPastMidnight => this.To <= this.From;

    /// <summary>When the quiet that a moment stands in ends; null where it is not quiet then.</summary>
    /// <param name="at">The moment.</param>
    /// <param name="zone">In whose hours.</param>
    public DateTimeOffset? EndOf(DateTimeOffset at, TimeZoneInfo zone)
    {
        var local = TimeZoneInfo.ConvertTime(at, zone);
        var today = DateOnly.FromDateTime(local.DateTime);
        foreach (var began in new[] { today.AddDays(-1), today })
        {
            if (!this.Days.IsEmpty && !this.Days.Contains(began.DayOfWeek))
            {
                continue;
            }

            var begins = began.ToDateTime(this.From);
            var ends = (this.GoesPastMidnight ? began.AddDays(1) : began).ToDateTime(this.To);
            if (local.DateTime >= begins && local.DateTime < ends && Instant(ends, zone) is var end && end > at)
            {
                return end;
            }
        }

        return null;
    }

    /// <summary>The moment that clocks of a zone show as a time; where they jump over it, the first moment after the jump.</summary>
    private static DateTimeOffset Instant(DateTime local, TimeZoneInfo zone)
    {
        while (zone.IsInvalidTime(local))
        {
            local = local.AddMinutes(1);
        }

        return new DateTimeOffset(local, zone.GetUtcOffset(local));
    }
}
