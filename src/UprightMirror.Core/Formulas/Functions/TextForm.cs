using System.Globalization;
using System.Text;

namespace UprightMirror.Core.Formulas.Functions;

/// <summary>
/// Numbers, dates and times in a form that is written as in a sheet: <c>#,##0.00</c>, <c>000</c>, <c>0%</c>, <c>dd/mm/yyyy</c>,
/// <c>d mmmm yyyy</c>, <c>hh:mm AM/PM</c>, <c>@</c>. Parts for positive, negative, zero and text stand between semicolons. Texts stand in
/// quotes or after a backslash. Month and day names are English.
/// </summary>
internal static class TextForm
{
    private const int LongestForm = 255;
    private static readonly DateTimeFormatInfo Names = CultureInfo.InvariantCulture.DateTimeFormat;

    public static Item Write(Item value, string form)
    {
        if (form.Length > LongestForm)
        {
            return Item.Of(ItemError.Value($"the form has {form.Length:N0} characters; at most {LongestForm} are read"));
        }

        if (Parts(form) is not { } parts)
        {
            return Item.Of(ItemError.Value($"a text in the form {Coercion.Quoted(form)} is not closed"));
        }

        var number = value.Kind is ItemKind.Number ? value : value.Kind is ItemKind.Blank ? Item.Of(0m) : value.Kind is ItemKind.Text ? Coercion.NumberOf(value.Text) : null;
        if (number is not { } amount || (parts.Count == 1 && parts[0].Any(p => p is { IsText: false, What: '@' })))
        {
            var shown = value.Shown;
            var whole = parts.Count > 3 ? parts[3] : parts[0].Any(p => p is { IsText: false, What: '@' }) ? parts[0] : null;
            return Item.Of(whole is null ? shown : string.Concat(whole.Select(p => p is { IsText: false, What: '@' } ? shown : p.What.ToString())));
        }

        var (part, isSigned) = parts.Count switch
        {
            1 => (parts[0], true),
            _ when amount.Number < 0 => (parts[1], false),
            >= 3 when amount.Number == 0 => (parts[2], false),
            _ => (parts[0], true),
        };
        if (part.Any(p => !p.IsText && char.ToLowerInvariant(p.What) is 'y' or 'm' or 'd' or 'h' or 's'))
        {
            return Item.Moment(amount.Number) is { } at ? Item.Of(Moment(at, part)) : Item.Of(ItemError.Value("the date lies outside of the years 1 to 9999"));
        }

        return part.Count == 0 && form.Length == 0 ? Item.Of("") : Item.Of(Number(isSigned ? amount.Number : Math.Abs(amount.Number), part));
    }

    /// <summary>The form's parts, character by character, with texts marked; null when a text is not closed.</summary>
    private static List<List<(char What, bool IsText)>>? Parts(string form)
    {
        var parts = new List<List<(char, bool)>> { new() };
        for (var i = 0; i < form.Length; i++)
        {
            switch (form[i])
            {
                case '"':
                    var end = form.IndexOf('"', i + 1);
                    if (end < 0)
                    {
                        return null;
                    }

                    parts[^1].AddRange(form[(i + 1)..end].Select(c => (c, true)));
                    i = end;
                    break;
                case '\\' when i + 1 < form.Length:
                    parts[^1].Add((form[++i], true));
                    break;
                case ';':
                    parts.Add([]);
                    break;
                default:
                    parts[^1].Add((form[i], false));
                    break;
            }
        }

        return parts;
    }

    private static string Number(decimal number, List<(char What, bool IsText)> part)
    {
        bool Is(int i, params ReadOnlySpan<char> any) => !part[i].IsText && any.Contains(part[i].What);
        var digits = Enumerable.Range(0, part.Count).Where(i => Is(i, '0', '#', '?')).ToList();
        if (digits.Count == 0)
        {
            // A form without digits shows its texts only, but for General.
            var text = string.Concat(part.Select(p => p.What));
            return text.Equals("General", StringComparison.OrdinalIgnoreCase) ? Item.Plain(number) : text;
        }

        var (first, last) = (digits[0], digits[^1]);
        var exponent = Enumerable.Range(first, part.Count - first).FirstOrDefault(i => Is(i, 'E', 'e') && i + 1 < part.Count && Is(i + 1, '+', '-'), -1);
        var mantissaEnd = exponent < 0 ? last : digits.Last(i => i < exponent);
        var point = Enumerable.Range(first, mantissaEnd - first + 1).FirstOrDefault(i => Is(i, '.'), -1);
        if (point < 0 && first > 0 && Is(first - 1, '.'))
        {
            point = first - 1;
        }

        var whole = digits.Where(i => (point < 0 || i < point) && i <= mantissaEnd).ToList();
        var decimals = digits.Where(i => point >= 0 && i > point && i <= mantissaEnd).ToList();
        var isGrouped = whole.Count > 1 && Enumerable.Range(whole[0], whole[^1] - whole[0] + 1).Any(i => Is(i, ','));
        var thousands = whole.Count == 0 ? 0 : Enumerable.Range(mantissaEnd + 1, part.Count - mantissaEnd - 1).TakeWhile(i => Is(i, ',')).Count();
        var scaled = Math.Abs(number);
        foreach (var _ in part.Where(p => p is { IsText: false, What: '%' }))
        {
            scaled *= 100;
        }

        for (var i = 0; i < thousands; i++)
        {
            scaled /= 1000;
        }

        var power = 0;
        if (exponent >= 0 && scaled != 0)
        {
            for (; scaled >= 10; scaled /= 10)
            {
                power++;
            }

            for (; scaled < 1; scaled *= 10)
            {
                power--;
            }
        }

        var rounded = NumberFunctions.Rounded(scaled, decimals.Count, MidpointRounding.AwayFromZero);
        var text_ = rounded.ToString("F" + Math.Min(decimals.Count, 28).ToString(CultureInfo.InvariantCulture), CultureInfo.InvariantCulture);
        var wholeDigits = text_.Split('.')[0].TrimStart('0');
        var decimalDigits = (text_.Contains('.', StringComparison.Ordinal) ? text_.Split('.')[1] : "").PadRight(decimals.Count, '0');
        var leastWhole = whole.Count == 0 ? 0 : whole.Count - whole.TakeWhile(i => Is(i, '#')).Count();
        wholeDigits = wholeDigits.PadLeft(leastWhole, '0');
        var result = new StringBuilder();
        if (number < 0 && rounded != 0)
        {
            result.Append('-');
        }

        var placed = 0; // Digits of the whole number that were written.
        for (var i = 0; i < part.Count; i++)
        {
            if (part[i].IsText)
            {
                result.Append(part[i].What);
            }
            else if (i == point)
            {
                Whole(whole.Count);
                var keep = decimals.Count;
                while (keep > 0 && Is(decimals[keep - 1], '#') && decimalDigits[keep - 1] == '0')
                {
                    keep--;
                }

                result.Append(keep > 0 || decimals.Count == 0 ? "." : "").Append(decimalDigits, 0, keep);
            }
            else if (whole.IndexOf(i) is >= 0 and var place)
            {
                Whole(place + 1);
            }
            else if (i == exponent)
            {
                var least = digits.Count(d => d > exponent);
                result.Append('E').Append(power < 0 ? "-" : part[i + 1].What == '+' ? "+" : "").Append(Math.Abs(power).ToString(CultureInfo.InvariantCulture).PadLeft(least, '0'));
                i = digits[^1];
            }
            else if (!decimals.Contains(i) && !Is(i, ',', '_', '*'))
            {
                result.Append(part[i].What);
            }
        }

        return result.ToString();

        // Writes the digits that belong before a place of the form: the first place takes all that are too many.
        void Whole(int upTo)
        {
            var target = Math.Max(placed, wholeDigits.Length - (whole.Count - upTo));
            for (; placed < target; placed++)
            {
                var left = wholeDigits.Length - placed;
                if (isGrouped && placed > 0 && left % 3 == 0)
                {
                    result.Append(',');
                }

                result.Append(wholeDigits[placed]);
            }
        }
    }

    private static string Moment(DateTime at, List<(char What, bool IsText)> part)
    {
        var half = string.Concat(part.Select(p => p.IsText ? '\0' : char.ToUpperInvariant(p.What))).Contains("AM/PM", StringComparison.Ordinal);
        var result = new StringBuilder();
        var lastWasHour = false;
        for (var i = 0; i < part.Count;)
        {
            if (part[i].IsText)
            {
                result.Append(part[i++].What);
                continue;
            }

            var c = char.ToLowerInvariant(part[i].What);
            var run = 1;
            while (i + run < part.Count && !part[i + run].IsText && char.ToLowerInvariant(part[i + run].What) == c)
            {
                run++;
            }

            if (c == 'a' && i + 4 < part.Count && string.Concat(part.Skip(i).Take(5).Select(p => char.ToUpperInvariant(p.What))) == "AM/PM")
            {
                result.Append(at.Hour < 12 ? "AM" : "PM");
                i += 5;
                continue;
            }

            var isMinute = c == 'm' && run <= 2 && (lastWasHour || NextLetter(part, i + run) == 's');
            result.Append(c switch
            {
                'y' => run <= 2 ? Two(at.Year % 100, 2) : at.Year.ToString("0000", CultureInfo.InvariantCulture),
                'm' when isMinute => Two(at.Minute, run),
                'm' => run switch { 1 or 2 => Two(at.Month, run), 3 => Names.GetAbbreviatedMonthName(at.Month), 5 => Names.GetMonthName(at.Month)[..1], _ => Names.GetMonthName(at.Month) },
                'd' => run switch { 1 or 2 => Two(at.Day, run), 3 => Names.GetAbbreviatedDayName(at.DayOfWeek), _ => Names.GetDayName(at.DayOfWeek) },
                'h' => Two(half ? ((at.Hour + 11) % 12) + 1 : at.Hour, run),
                's' => Two(at.Second, run),
                '0' when result.Length > 0 && result[^1] == '.' => at.Millisecond.ToString("000", CultureInfo.InvariantCulture).PadRight(run, '0')[..run],
                _ => new string(part[i].What, run),
            });
            lastWasHour = c == 'h' || (lastWasHour && !char.IsLetter(c));
            i += run;
        }

        return result.ToString();
    }

    private static char NextLetter(List<(char What, bool IsText)> part, int from) =>
        part.Skip(from).Where(p => !p.IsText && char.IsLetter(p.What)).Select(p => char.ToLowerInvariant(p.What)).FirstOrDefault();

    private static string Two(int number, int run) => number.ToString(run > 1 ? "00" : "0", CultureInfo.InvariantCulture);
}
