using System.Globalization;

namespace UprightMirror.Core.Formulas.Learning;

/// <summary>Dates from one way of writing to another.</summary>
internal static class DateForms
{
    private const string Months = "\"JanFebMarAprMayJunJulAugSepOctNovDec\"";

    /// <summary>The ways: how it is read by .NET, how it is written by TEXT, and the formula that makes a date of it.</summary>
    private static readonly (string Pattern, string Form, Func<string, string> Read)[] Forms =
    [
        ("yyyy-MM-dd", "yyyy-mm-dd", f => $"DATEVALUE({f})"),
        ("dd/MM/yyyy", "dd/mm/yyyy", f => $"DATEVALUE(RIGHT({f}; 4) & \"-\" & MID({f}; 4; 2) & \"-\" & LEFT({f}; 2))"),
        ("MM/dd/yyyy", "mm/dd/yyyy", f => $"DATEVALUE(RIGHT({f}; 4) & \"-\" & LEFT({f}; 2) & \"-\" & MID({f}; 4; 2))"),
        ("dd.MM.yyyy", "dd.mm.yyyy", f => $"DATEVALUE(RIGHT({f}; 4) & \"-\" & MID({f}; 4; 2) & \"-\" & LEFT({f}; 2))"),
        ("dd-MM-yyyy", "dd-mm-yyyy", f => $"DATEVALUE(RIGHT({f}; 4) & \"-\" & MID({f}; 4; 2) & \"-\" & LEFT({f}; 2))"),
        ("MM-dd-yyyy", "mm-dd-yyyy", f => $"DATEVALUE(RIGHT({f}; 4) & \"-\" & LEFT({f}; 2) & \"-\" & MID({f}; 4; 2))"),
        ("yyyy/MM/dd", "yyyy/mm/dd", f => $"DATEVALUE(SUBSTITUTE({f}; \"/\"; \"-\"))"),
        ("yyyy.MM.dd", "yyyy.mm.dd", f => $"DATEVALUE(SUBSTITUTE({f}; \".\"; \"-\"))"),
        ("yyyyMMdd", "yyyymmdd", f => $"DATEVALUE(LEFT({f}; 4) & \"-\" & MID({f}; 5; 2) & \"-\" & RIGHT({f}; 2))"),
        ("ddMMyyyy", "ddmmyyyy", f => $"DATEVALUE(RIGHT({f}; 4) & \"-\" & MID({f}; 3; 2) & \"-\" & LEFT({f}; 2))"),
        ("d/M/yyyy", "d/m/yyyy", f => Parts(f, "/", 3, 2, 1)),
        ("M/d/yyyy", "m/d/yyyy", f => Parts(f, "/", 3, 1, 2)),
        ("d.M.yyyy", "d.m.yyyy", f => Parts(f, ".", 3, 2, 1)),
        ("d-M-yyyy", "d-m-yyyy", f => Parts(f, "-", 3, 2, 1)),
        ("dd/MM/yy", "dd/mm/yy", f => $"DATEVALUE(\"20\" & RIGHT({f}; 2) & \"-\" & MID({f}; 4; 2) & \"-\" & LEFT({f}; 2))"),
        ("MM/dd/yy", "mm/dd/yy", f => $"DATEVALUE(\"20\" & RIGHT({f}; 2) & \"-\" & LEFT({f}; 2) & \"-\" & MID({f}; 4; 2))"),
        ("dd.MM.yy", "dd.mm.yy", f => $"DATEVALUE(\"20\" & RIGHT({f}; 2) & \"-\" & MID({f}; 4; 2) & \"-\" & LEFT({f}; 2))"),
        ("d MMM yyyy", "d mmm yyyy", f => Named(f, 3, 2, 1)),
        ("dd MMM yyyy", "dd mmm yyyy", f => Named(f, 3, 2, 1)),
        ("d MMMM yyyy", "d mmmm yyyy", f => Named(f, 3, 2, 1)),
        ("dd MMMM yyyy", "dd mmmm yyyy", f => Named(f, 3, 2, 1)),
        ("dd-MMM-yyyy", "dd-mmm-yyyy", f => Named(f, 3, 2, 1, "-")),
        ("d-MMM-yyyy", "d-mmm-yyyy", f => Named(f, 3, 2, 1, "-")),
        ("MMM d, yyyy", "mmm d, yyyy", f => Named(f, 3, 1, 2)),
        ("MMMM d, yyyy", "mmmm d, yyyy", f => Named(f, 3, 1, 2)),
        ("yyyy-MM-dd'T'HH:mm:ss", "yyyy-mm-dd\"T\"hh:mm:ss", f => f + " + 0"),
        ("yyyy-MM-dd'T'HH:mm:ss'Z'", "yyyy-mm-dd\"T\"hh:mm:ss\"Z\"", f => f + " + 0"),
        ("yyyy-MM-dd HH:mm:ss", "yyyy-mm-dd hh:mm:ss", f => f + " + 0"),
        ("yyyy-MM-dd HH:mm", "yyyy-mm-dd hh:mm", f => f + " + 0"),
    ];

    /// <summary>Ways that a date is only written in, not read from.</summary>
    private static readonly (string Pattern, string Form)[] Written =
    [
        ("yyyy", "yyyy"), ("yy", "yy"), ("MM", "mm"), ("%M", "m"), ("dd", "dd"), ("MMM", "mmm"), ("MMMM", "mmmm"), ("ddd", "ddd"), ("dddd", "dddd"),
        ("yyyy-MM", "yyyy-mm"), ("MM/yyyy", "mm/yyyy"), ("MM/yy", "mm/yy"), ("MMM yyyy", "mmm yyyy"), ("MMMM yyyy", "mmmm yyyy"), ("yyyyMM", "yyyymm"), ("dd/MM", "dd/mm"), ("dd MMM", "dd mmm"), ("d MMM", "d mmm"),
        ("dddd, d MMMM yyyy", "dddd, d mmmm yyyy"), ("ddd d MMM yyyy", "ddd d mmm yyyy"), ("yyMMdd", "yymmdd"), ("ddMMyy", "ddmmyy"),
        ("dd/MM/yyyy HH:mm", "dd/mm/yyyy hh:mm"), ("dd.MM.yyyy HH:mm", "dd.mm.yyyy hh:mm"), ("HH:mm", "hh:mm"), ("HH:mm:ss", "hh:mm:ss"), ("h:mm tt", "h:mm AM/PM"),
    ];

    /// <summary>A field that is a date in every example, and the outputs the same dates written in one way.</summary>
    public static IEnumerable<Learned> Find(IReadOnlyList<Piece> fields, string[] outputs)
    {
        foreach (var field in fields.Where(f => f.Values.All(v => v.Length is >= 6 and <= 30)))
        {
            foreach (var (pattern, _, read) in Forms)
            {
                if (Read(field.Values, pattern) is not { } dates)
                {
                    continue;
                }

                foreach (var (written, form) in Forms.Select(f => (f.Pattern, f.Form)).Concat(Written))
                {
                    if (dates.Zip(outputs).All(d => d.First.ToString(written, CultureInfo.InvariantCulture) == d.Second))
                    {
                        // A part of a date, such as its month, is less sure to be meant than the whole of it.
                        var cost = 3.0 + (written.Length < 6 ? 1.2 : 0) + (written.Contains("dd", StringComparison.Ordinal) || written.Contains('M', StringComparison.Ordinal) ? 0 : 0.5);
                        yield return new Learned(form == "yyyy-mm-dd" && pattern.Length <= 12 ? $"TEXT({read(field.Text)}; \"yyyy-mm-dd\")" : $"TEXT({read(field.Text)}; {Writing.Text(form)})", cost);
                    }
                }

                foreach (var months in (int[])[0, 1, 3, 6, 12])
                {
                    if (months > 0 && dates.Zip(outputs).All(d => d.First.AddMonths(months).ToString(pattern, CultureInfo.InvariantCulture) == d.Second) && pattern == "yyyy-MM-dd")
                    {
                        yield return new Learned($"EDATE({field.Text}; {months})", 4.5);
                    }
                }

                if (pattern == "yyyy-MM-dd" && Read(outputs, pattern) is { } later && dates.Zip(later).Select(d => (d.Second - d.First).Days).Distinct().ToList() is [var days] && days != 0)
                {
                    yield return new Learned($"{field.Text} {(days > 0 ? "+" : "-")} {Math.Abs(days).ToString(CultureInfo.InvariantCulture)}", 4.6);
                }
            }
        }
    }

    private static DateTime[]? Read(string[] values, string pattern)
    {
        var dates = new DateTime[values.Length];
        for (var i = 0; i < values.Length; i++)
        {
            if (!DateTime.TryParseExact(values[i], pattern, CultureInfo.InvariantCulture, DateTimeStyles.None, out dates[i]) || dates[i].Year < 1000)
            {
                return null;
            }
        }

        return dates;
    }

    private static string Parts(string field, string separator, int year, int month, int day)
    {
        var quoted = Writing.Text(separator);
        return $"DATEVALUE(SPLIT({field}; {quoted}; {year}) & \"-\" & TEXT(SPLIT({field}; {quoted}; {month}); \"00\") & \"-\" & TEXT(SPLIT({field}; {quoted}; {day}); \"00\"))";
    }

    private static string Named(string field, int year, int month, int day, string separator = " ")
    {
        var quoted = Writing.Text(separator);
        return $"DATEVALUE(SPLIT({field}; {quoted}; {year}) & \"-\" & TEXT((SEARCH(LEFT(SPLIT({field}; {quoted}; {month}); 3); {Months}) + 2) / 3; \"00\") & \"-\" & TEXT(DIGITS(SPLIT({field}; {quoted}; {day})); \"00\"))";
    }
}
