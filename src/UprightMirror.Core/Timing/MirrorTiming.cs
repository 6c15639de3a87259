using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json.Serialization;
using Cronos;

namespace UprightMirror.Core.Timing;

/// <summary>What a mirror goes by.</summary>
public enum TimingKind
{
    /// <summary>Only when somebody asks, or something happens that <see cref="MirrorTiming"/> says it runs on.</summary>
    ByHand,

    /// <summary>So many minutes after the last time.</summary>
    Every,

    /// <summary>Each hour, at the same minute.</summary>
    Hourly,
    Daily,
    Weekly,
    Monthly,
    Yearly,

    /// <summary>A calendar expression of five fields: minute, hour, day of the month, month, day of the week (cron).</summary>
    Calendar,

    /// <summary>When a run of another mirror has finished.</summary>
    After,
}

/// <summary>When a mirror runs by itself.</summary>
/// <param name="Minutes">For every: 1 to 10,080.</param>
/// <param name="At">The time of day, in <paramref name="TimeZone"/>; for hourly only its minute counts.</param>
/// <param name="Days">For weekly: at least one.</param>
/// <param name="DayOfMonth">For monthly and yearly: 1 to 31, or <see cref="LastDay"/>. For monthly at most 28, since not every month has more.</param>
/// <param name="Month">For yearly: 1 to 12.</param>
/// <param name="Calendar">For a calendar expression: it.</param>
/// <param name="After">For after another: that mirror's key.</param>
/// <param name="TimeZone">The time zone's name, as in the IANA database.</param>
/// <param name="Quiet">When no run begins by itself, whatever else is said; null for never.</param>
/// <param name="OnEvents">Whether it also runs soon after one of its systems told that something changed.</param>
/// <param name="OnFiles">Whether it also runs soon after a file came into a folder that is a side of it.</param>
public sealed record MirrorTiming(
    TimingKind Kind = TimingKind.ByHand,
    int? Minutes = null,
    TimeOnly? At = null,
    ImmutableArray<DayOfWeek> Days = default,
    int? DayOfMonth = null,
    int? Month = null,
    string? Calendar = null,
    string? After = null,
    string TimeZone = "UTC",
    QuietHours? Quiet = null,
    bool OnEvents = true,
    bool OnFiles = true)
{
    /// <summary>For <see cref="DayOfMonth"/>: whatever day is the month's last.</summary>
    public const int LastDay = -1;

    public const int MostMinutes = 10_080;

    /// <summary>How long a calendar expression may be.</summary>
    public const int LongestCalendar = 120;

    private const int MostSteps = 1000;

    public static readonly MirrorTiming ByHandOnly = new();

    /// <summary>For weekly: from Monday on, none twice.</summary>
    public ImmutableArray<DayOfWeek> Days { get; init => field = InOrder(value); } = InOrder(Days);

    public bool Equals(MirrorTiming? other) =>
        other is not null && (this.Kind, this.Minutes, this.At, this.DayOfMonth, this.Month, this.Calendar, this.After, this.TimeZone, this.OnEvents, this.OnFiles)
            == (other.Kind, other.Minutes, other.At, other.DayOfMonth, other.Month, other.Calendar, other.After, other.TimeZone, other.OnEvents, other.OnFiles)
        && this.Days.SequenceEqual(other.Days)
        && (this.Quiet, other.Quiet) switch
        {
            (null, null) => true,
            ({ } one, { } another) => one.From == another.From && one.To == another.To && one.Days.SequenceEqual(another.Days),
            _ => false,
        };

    public override int GetHashCode() => HashCode.Combine(this.Kind, this.Minutes, this.At, this.DayOfMonth, this.Month, this.Calendar, this.After, this.TimeZone);

    /// <summary>The same in five fields; null for what is no calendar.</summary>
    [JsonIgnore]
    public string? Expression
    {
        get
        {
            var (hour, minute) = (this.At?.Hour ?? 0, this.At?.Minute ?? 0);
            var day = this.DayOfMonth == LastDay ? "L" : Number(this.DayOfMonth ?? 1);
            return this.Kind switch
            {
                TimingKind.Hourly => $"{minute} * * * *",
                TimingKind.Daily => $"{minute} {hour} * * *",
                TimingKind.Weekly => $"{minute} {hour} * * {string.Join(',', this.Days.Select(d => Number((int)d)))}",
                TimingKind.Monthly => $"{minute} {hour} {day} * *",
                TimingKind.Yearly => $"{minute} {hour} {day} {Number(this.Month ?? 1)} *",
                TimingKind.Calendar => this.Calendar,
                _ => null,
            };
        }
    }

    /// <summary>Whether it has times of its own, whatever happens elsewhere.</summary>
    [JsonIgnore]
    public bool HasTimes => this.Kind is not (TimingKind.ByHand or TimingKind.After);

    private TimeZoneInfo Zone => TimeZoneInfo.FindSystemTimeZoneById(this.TimeZone);

    /// <summary>What is wrong with it, in words; empty when it can be used.</summary>
    /// <param name="now">From when on a calendar expression must come at least once.</param>
    /// <param name="self">The key of the mirror that it is of.</param>
    public ImmutableArray<string> Problems(DateTimeOffset now, string self)
    {
        var found = ImmutableArray.CreateBuilder<string>();
        if (!TimeZoneInfo.TryFindSystemTimeZoneById(this.TimeZone, out _))
        {
            return [$"There is no time zone {this.TimeZone}. A name such as Europe/Amsterdam is expected."];
        }

        switch (this.Kind)
        {
            case TimingKind.Every when this.Minutes is not (>= 1 and <= MostMinutes):
                found.Add("Give a whole number of minutes from 1 to 10,080 (a week).");
                break;
            case TimingKind.Hourly or TimingKind.Daily or TimingKind.Weekly or TimingKind.Monthly or TimingKind.Yearly when this.At is null:
                found.Add("Give the time at which it runs.");
                break;
            case TimingKind.Weekly when this.Days.IsEmpty:
                found.Add("Choose at least one day of the week.");
                break;
            case TimingKind.Monthly when this.DayOfMonth is not (LastDay or (>= 1 and <= 28)):
                found.Add("Choose a day from 1 to 28, which every month has, or the last day.");
                break;
            case TimingKind.Yearly when this.Month is not (>= 1 and <= 12) || this.DayOfMonth is not (LastDay or (>= 1 and <= 31)) || this.DayOfMonth > DateTime.DaysInMonth(2024, this.Month.Value):
                found.Add("Choose a day that there is in that month.");
                break;
            case TimingKind.After when string.IsNullOrEmpty(this.After):
                found.Add("Choose the mirror after which it runs.");
                break;
            case TimingKind.After when this.After == self:
                found.Add("A mirror can't run after itself: it would never stop.");
                break;
            case TimingKind.Calendar when CalendarProblem(this.Calendar, now, this.Zone) is { } wrong:
                found.Add(wrong);
                break;
        }

        if (this.Quiet is { Days.IsEmpty: true } quiet && quiet.From == quiet.To)
        {
            found.Add("The quiet hours take up the whole of every day: it would never run by itself.");
        }

        if (found.Count == 0 && this.HasTimes && this.Next(now) is null)
        {
            found.Add("All its times fall into its quiet hours, and these never end: it would never run by itself.");
        }

        return found.ToImmutable();
    }

    private static string? CalendarProblem(string? expression, DateTimeOffset now, TimeZoneInfo zone)
    {
        if (string.IsNullOrWhiteSpace(expression) || expression.Length > LongestCalendar)
        {
            return "Give five fields: minute, hour, day of the month, month, day of the week; such as 30 6 * * MON-FRI.";
        }

        try
        {
            return CronExpression.Parse(expression).GetNextOccurrence(now, zone) is null ? $"{expression} never comes: there is no such day." : null;
        }
        catch (CronFormatException e)
        {
            return $"{expression} is no calendar expression. {e.Message.TrimEnd('.')}. Five fields are expected: minute, hour, day of the month, month, day of the week.";
        }
    }

    /// <summary>The next time after a moment at which it runs by itself: the first of its own times, or the end of the quiet hours that this time stands in.</summary>
    /// <returns>Null when it has none.</returns>
    public DateTimeOffset? Next(DateTimeOffset after)
    {
        if (!this.HasTimes)
        {
            return null;
        }

        var zone = this.Zone;
        var next = this.Kind == TimingKind.Every
            ? after.AddMinutes(this.Minutes ?? 1)
            : CronExpression.Parse(this.Expression!).GetNextOccurrence(after, zone);
        for (var step = 0; next is { } at && this.Quiet?.EndOf(at, zone) is { } end; step++)
        {
            if (step == MostSteps)
            {
                return null;
            }

            // A time that falls into the quiet hours is made up once, when they are over.
            next = end;
        }

        return next;
    }

    /// <summary>The next times, in the timing's own zone.</summary>
    public ImmutableArray<DateTimeOffset> NextTimes(DateTimeOffset after, int count)
    {
        var times = ImmutableArray.CreateBuilder<DateTimeOffset>();
        for (var at = this.Next(after); at is { } time && times.Count < count; at = this.Next(time))
        {
            times.Add(TimeZoneInfo.ConvertTime(time, this.Zone));
        }

        return times.ToImmutable();
    }

    /// <summary>When the quiet hours that a moment stands in end; null where a run may begin by itself.</summary>
    public DateTimeOffset? QuietUntil(DateTimeOffset at) => this.Quiet?.EndOf(at, this.Zone);

    private static ImmutableArray<DayOfWeek> InOrder(ImmutableArray<DayOfWeek> days) => days.IsDefault ? [] : [.. days.Distinct().OrderBy(d => ((int)d + 6) % 7)];

    private static string Number(int number) => number.ToString(CultureInfo.InvariantCulture);
}
