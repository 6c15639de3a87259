using System.Collections.Immutable;

namespace UprightMirror.Core.Formulas.Functions;

/// <summary>Functions on dates and times. Text that is an ISO 8601 date counts as one.</summary>
internal static class DateFunctions
{
    private const string Group = "Dates";

    public static readonly ImmutableArray<FormulaFunction> All =
    [
        new("DATE", Group, "year:whole, month:whole, day:whole", "A date; a month or day beyond the last goes on into the next year or month.", new("DATE(2026; 3; 2)", "2026-03-02"), (a, _) => Date((int)a[0].Number, (int)a[1].Number, (int)a[2].Number)),
        new("DATEVALUE", Group, "text:text", "The date of an ISO 8601 text.", new("DATEVALUE(\"2026-03-02\")", "2026-03-02"),
            (a, _) => Coercion.DateOf(a[0].Text) is { } date ? Item.Days(date.Number, NumberSense.Date) : Item.Of(ItemError.Value($"{Coercion.Quoted(a[0].Text)} is not a date, or does not exist; a date is written 2026-11-23"))),
        new("TIME", Group, "hour:number, minute:number, second:number", "A time of day.", new("TIME(14; 30; 0)", "14:30:00"), (a, _) => Time((a[0].Number / 24) + (a[1].Number / 1440) + (a[2].Number / 86400))),
        new("TIMEVALUE", Group, "text:text", "The time of day of a text.", new("TIMEVALUE(\"14:30\")", "14:30:00"),
            (a, _) => Coercion.TimeOf(a[0].Text) is { } time ? time : Coercion.DateOf(a[0].Text) is { } at ? Time(at.Number) : Item.Of(ItemError.Value($"{Coercion.Quoted(a[0].Text)} is not a time; a time is written 14:30 or 14:30:05"))),
        new("YEAR", Group, "date:date", "The year of a date.", new("YEAR(\"2026-03-02\")", "2026"), (a, _) => Part(a[0], d => d.Year)),
        new("MONTH", Group, "date:date", "The month of a date, 1 to 12.", new("MONTH(\"2026-03-02\")", "3"), (a, _) => Part(a[0], d => d.Month)),
        new("DAY", Group, "date:date", "The day of a date within its month.", new("DAY(\"2026-03-02\")", "2"), (a, _) => Part(a[0], d => d.Day)),
        new("HOUR", Group, "time:date", "The hour of a time, 0 to 23.", new("HOUR(\"14:30\")", "14"), (a, _) => Part(a[0], d => d.Hour)),
        new("MINUTE", Group, "time:date", "The minute of a time.", new("MINUTE(\"14:30\")", "30"), (a, _) => Part(a[0], d => d.Minute)),
        new("SECOND", Group, "time:date", "The second of a time.", new("SECOND(\"14:30:05\")", "5"), (a, _) => Part(a[0], d => d.Second)),
        new("WEEKDAY", Group, "date:date, [type:whole]", "The day of the week: 1 is Sunday; with type 2, 1 is Monday; with type 3, 0 is Monday.", new("WEEKDAY(\"2026-03-02\"; 2)", "1"), (a, _) => Weekday(a[0], TextFunctions.Count(a, 1, 1))),
        new("EDATE", Group, "date:date, months:whole", "So many months later, at most the month's last day.", new("EDATE(\"2026-01-31\"; 1)", "2026-02-28"), (a, _) => Months(a[0], (int)a[1].Number, end: false)),
        new("EOMONTH", Group, "date:date, months:whole", "The last day of the month that is so many months later.", new("EOMONTH(\"2026-01-15\"; 1)", "2026-02-28"), (a, _) => Months(a[0], (int)a[1].Number, end: true)),
        new("DATEDIF", Group, "start:date, end:date, unit:text", "How much lies between two dates: \"y\" years, \"m\" months, \"d\" days; \"ym\" months beyond the years, \"md\" days beyond the months, \"yd\" days beyond the years.", new("DATEDIF(\"2024-05-20\"; \"2026-03-02\"; \"m\")", "21"), (a, _) => Between(a[0], a[1], a[2].Text)),
        new("TODAY", Group, "", "The date of the run, UTC: the same for all of its records.", new("TODAY() - TODAY()", "0"), (_, s) => Item.Of(DateOnly.FromDateTime(s.Now.UtcDateTime))),
        new("NOW", Group, "", "The date and time of the run, UTC.", new("NOW() - NOW()", "0"), (_, s) => Item.Of(DateTime.SpecifyKind(s.Now.UtcDateTime, DateTimeKind.Unspecified))),
    ];

    private static Item Date(int year, int month, int day)
    {
        if (year is < 1 or > 9999 || Math.Abs((long)month) > 120_000 || Math.Abs((long)day) > 4_000_000)
        {
            return Item.Of(ItemError.Number("years are 1 to 9999"));
        }

        var months = (((long)year - 1) * 12) + month - 1;
        return months is < 0 or >= 9999 * 12
            ? Item.Of(ItemError.Number("the date lies outside of the years 1 to 9999"))
            : Item.Days((decimal)(new DateTime((int)(months / 12) + 1, (int)(months % 12) + 1, 1, 0, 0, 0, DateTimeKind.Unspecified) - Item.DayZero).TotalDays + day - 1, NumberSense.Date);
    }

    private static Item Time(decimal days) => Item.Days(days - Math.Floor(days), NumberSense.Time);

    private static Item Part(Item date, Func<DateTime, int> part) => Item.Of(part(Item.Moment(date.Number)!.Value));

    private static Item Weekday(Item date, int type)
    {
        var day = (int)Item.Moment(date.Number)!.Value.DayOfWeek;
        return type switch
        {
            1 => Item.Of(day + 1),
            2 => Item.Of(((day + 6) % 7) + 1),
            3 => Item.Of((day + 6) % 7),
            _ => Item.Of(ItemError.Number("the type is 1, 2 or 3")),
        };
    }

    private static Item Months(Item date, int months, bool end)
    {
        var from = Item.Moment(date.Number)!.Value.Date;
        var at = (from.Year * 12L) + from.Month - 1 + months;
        if (at is < 12 or >= 10000 * 12L)
        {
            return Item.Of(ItemError.Number("the date lies outside of the years 1 to 9999"));
        }

        var (year, month) = ((int)(at / 12), (int)(at % 12) + 1);
        var last = DateTime.DaysInMonth(year, month);
        return Item.Of(new DateOnly(year, month, end ? last : Math.Min(from.Day, last)));
    }

    private static Item Between(Item start, Item end, string unit)
    {
        var (from, to) = (Item.Moment(start.Number)!.Value.Date, Item.Moment(end.Number)!.Value.Date);
        if (from > to)
        {
            return Item.Of(ItemError.Number("the first date lies after the second"));
        }

        var months = ((to.Year - from.Year) * 12) + to.Month - from.Month - (to.Day < from.Day ? 1 : 0);
        return unit.Trim().ToUpperInvariant() switch
        {
            "Y" => Item.Of(months / 12),
            "M" => Item.Of(months),
            "D" => Item.Of((to - from).Days),
            "YM" => Item.Of(months % 12),
            "MD" => Item.Of((to - from.AddMonths(months)).Days),
            "YD" => Item.Of((to - from.AddYears(months / 12)).Days),
            _ => Item.Of(ItemError.Value($"{Coercion.Quoted(unit)} is no unit; it is y, m, d, ym, md or yd")),
        };
    }
}
