using System.Collections.Immutable;
using System.Globalization;

namespace UprightMirror.Core.Timing;

/// <summary>A timing in plain words.</summary>
public static class TimingWords
{
    private static readonly string[] Units = ["minutes", "hours", "days", "months"];

    /// <summary>When a mirror runs, as a sentence.</summary>
    /// <param name="nameOf">What people call a mirror, by its key.</param>
    public static string Of(MirrorTiming timing, Func<string, string> nameOf)
    {
        var zone = timing.TimeZone == "UTC" ? " (UTC)" : $" ({timing.TimeZone})";
        var at = timing.At is { } time ? $" at {Time(time)}{zone}" : "";
        var day = timing.DayOfMonth == MirrorTiming.LastDay ? "last day" : Ordinal(timing.DayOfMonth ?? 1);
        var month = CultureInfo.InvariantCulture.DateTimeFormat.GetMonthName(timing.Month ?? 1);
        var words = timing.Kind switch
        {
            TimingKind.ByHand => "It runs when somebody asks for it",
            TimingKind.Every => $"It runs every {Span(timing.Minutes ?? 0)}",
            TimingKind.Hourly => $"It runs every hour, at minute {timing.At?.Minute ?? 0}",
            TimingKind.Daily => $"It runs every day{at}",
            TimingKind.Weekly => $"It runs {Days(timing.Days)}{at}",
            TimingKind.Monthly => $"It runs on the {day} of each month{at}",
            TimingKind.Yearly => timing.DayOfMonth == MirrorTiming.LastDay ? $"It runs every year on the last day of {month}{at}" : $"It runs every year on {timing.DayOfMonth} {month}{at}",
            TimingKind.After => $"It runs whenever a run of {nameOf(timing.After ?? "")} has finished",
            _ => $"It runs {Calendar(timing.Calendar ?? "")}{zone}",
        };
        var also = (timing.OnEvents, timing.OnFiles) switch
        {
            (true, true) => ", and soon after a system tells of a change or a file comes",
            (true, false) => ", and soon after a system tells of a change",
            (false, true) => ", and soon after a file comes",
            _ => "",
        };
        var quiet = timing.Quiet is { } q
            ? $" From {Time(q.From)} to {Time(q.To)}{(q.Days.IsEmpty ? "" : $" {Days(q.Days)}")} no run begins by itself; what came due then is made up once afterwards."
            : "";
        return $"{words}{also}.{quiet}";
    }

    /// <summary>A time as people say it: Friday 27 November 2026, 06:00.</summary>
    public static string Of(DateTimeOffset at) => at.ToString("dddd d MMMM yyyy, HH:mm", CultureInfo.InvariantCulture);

    private static string Time(TimeOnly time) => time.ToString("HH:mm", CultureInfo.InvariantCulture);

    private static string Span(int minutes) => minutes switch
    {
        1 => "minute",
        60 => "hour",
        1440 => "day, counted from the last time",
        _ when minutes % 1440 == 0 => $"{minutes / 1440} days",
        _ when minutes % 60 == 0 => $"{minutes / 60} hours",
        _ => $"{minutes.ToString("N0", CultureInfo.InvariantCulture)} minutes",
    };

    private static string Days(ImmutableArray<DayOfWeek> days) => days switch
    {
        { Length: 7 } => "every day",
        { Length: 5 } when !days.Contains(DayOfWeek.Saturday) && !days.Contains(DayOfWeek.Sunday) => "every working day, Monday to Friday,",
        _ => $"every {List([.. days.Select(d => d.ToString())])}",
    };

    private static string Ordinal(int n) => (n % 10, n % 100 / 10) switch
    {
        (1, not 1) => $"{n}st",
        (2, not 1) => $"{n}nd",
        (3, not 1) => $"{n}rd",
        _ => $"{n}th",
    };

    private static string List(IReadOnlyList<string> words) => words.Count < 2 ? string.Concat(words) : $"{string.Join(", ", words.SkipLast(1))} and {words[^1]}";

    /// <summary>A calendar expression read aloud, field by field; one with marks beyond lists, ranges and steps stays as it is.</summary>
    private static string Calendar(string expression)
    {
        var fields = expression.Split(' ', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
        if (fields.Length != 5)
        {
            return $"by the calendar expression {expression}";
        }

        var isOneTime = int.TryParse(fields[0], NumberStyles.None, CultureInfo.InvariantCulture, out var minute) & int.TryParse(fields[1], NumberStyles.None, CultureInfo.InvariantCulture, out var hour);
        var said = fields.Select(Field).Skip(isOneTime ? 2 : 0).ToList();
        if (said.Contains(null))
        {
            return $"by the calendar expression {expression}";
        }

        var days = string.Join(", ", said.Where(f => f != ""));
        return isOneTime ? $"at {hour:00}:{minute:00}{(days == "" ? " every day" : $", {days}")}" : days;
    }

    /// <summary>One field in words, nothing for each and every; null where it can't be said.</summary>
    private static string? Field(string field, int which)
    {
        if (field is "*" or "?")
        {
            return which == 0 ? "every minute" : "";
        }

        if (field.StartsWith("*/", StringComparison.Ordinal) && which < 4)
        {
            return int.TryParse(field.AsSpan(2), NumberStyles.None, CultureInfo.InvariantCulture, out var step) ? $"every {step} {Units[which]}" : null;
        }

        var parts = new List<string>();
        foreach (var part in field.Split(','))
        {
            var (over, every) = part.Split('/') is [var before, var after] ? (before, after) : (part, null);
            var range = over.Split('-').Select(r => Name(r, which)).ToList();
            if (range.Count > 2 || range.Contains(null) || (every is not null && !int.TryParse(every, NumberStyles.None, CultureInfo.InvariantCulture, out _)))
            {
                return null;
            }

            parts.Add($"{(every is null ? "" : $"every {every} from ")}{string.Join(" to ", range)}");
        }

        var words = List(parts);
        return which switch
        {
            0 => $"at minute {words}",
            1 => $"in hour {words}",
            2 => $"on day {words} of the month",
            3 => $"in {words}",
            _ => $"on {words}",
        };
    }

    private static string? Name(string word, int which)
    {
        var format = CultureInfo.InvariantCulture.DateTimeFormat;
        if (int.TryParse(word, NumberStyles.None, CultureInfo.InvariantCulture, out var number))
        {
            return which switch
            {
                3 when number is >= 1 and <= 12 => format.GetMonthName(number),
                4 when number is >= 0 and <= 7 => format.GetDayName((DayOfWeek)(number % 7)),
                0 or 1 or 2 => word,
                _ => null,
            };
        }

        return which switch
        {
            3 => format.MonthNames.FirstOrDefault(m => word.Length == 3 && m.StartsWith(word, StringComparison.OrdinalIgnoreCase)),
            4 => format.DayNames.FirstOrDefault(d => word.Length == 3 && d.StartsWith(word, StringComparison.OrdinalIgnoreCase)),
            _ => null,
        };
    }
}
