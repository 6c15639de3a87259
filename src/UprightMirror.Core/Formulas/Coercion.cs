using System.Globalization;

namespace UprightMirror.Core.Formulas;

/// <summary>One kind of item where another is wanted (OpenFormula, ODF 1.2, part 2, 6.3).</summary>
public static class Coercion
{
    private static readonly string[] Times = ["H:m", "H:m:s", "H:m:s.FFFFFFF", "h:m tt", "h:m:s tt"];

    /// <summary>As a number: true is 1, blank is 0, text is the number, ISO date or time that it spells.</summary>
    /// <returns>A number, or an error.</returns>
    public static Item Number(Item item) => item.Kind switch
    {
        ItemKind.Number or ItemKind.Error => item,
        ItemKind.Blank => Item.Of(0m),
        ItemKind.Logical => Item.Of(item.Number),
        ItemKind.Text => NumberOf(item.Text) ?? Item.Of(ItemError.Value($"{Quoted(item.Text)} is not a number")),
        _ => Item.Of(ItemError.Value("a list can't be used as one number")),
    };

    /// <summary>As text: numbers with a point and without zeros at their end, dates as ISO 8601.</summary>
    public static Item Text(Item item) => item.Kind is ItemKind.Text or ItemKind.Error ? item : Item.Of(item.Shown);

    /// <summary>As true or false: numbers other than 0 are true; text only where it spells one of the two.</summary>
    public static Item Logical(Item item) => item.Kind switch
    {
        ItemKind.Logical or ItemKind.Error => item,
        ItemKind.Blank => Item.False,
        ItemKind.Number => Item.Of(item.Number != 0),
        ItemKind.Text when item.Text.Trim().Equals("TRUE", StringComparison.OrdinalIgnoreCase) => Item.True,
        ItemKind.Text when item.Text.Trim().Equals("FALSE", StringComparison.OrdinalIgnoreCase) => Item.False,
        ItemKind.Text => Item.Of(ItemError.Value($"{Quoted(item.Text)} is neither true nor false")),
        _ => Item.Of(ItemError.Value("a list can't be used as true or false")),
    };

    /// <summary>As a date or a date with time: numbers are counted in days.</summary>
    public static Item Date(Item item)
    {
        var number = item.Kind == ItemKind.Text ? DateOf(item.Text) ?? Number(item) : Number(item);
        return number.IsError || Item.Moment(number.Number) is not null ? number : Item.Of(ItemError.Number("the date lies outside of the years 1 to 9999"));
    }

    /// <summary>Text that spells a number with a point, an ISO 8601 date or a time; null for any other.</summary>
    public static Item? NumberOf(string text)
    {
        var trimmed = text.AsSpan().Trim();
        if (trimmed.Length is 0 or > 60)
        {
            return null;
        }

        return decimal.TryParse(trimmed, NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint | NumberStyles.AllowExponent, CultureInfo.InvariantCulture, out var number) ? Item.Of(number)
            : trimmed.Length > 1 && trimmed[^1] == '%' && decimal.TryParse(trimmed[..^1], NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint | NumberStyles.AllowTrailingWhite, CultureInfo.InvariantCulture, out var percent) ? Item.Of(percent / 100)
            : DateOf(text) ?? TimeOf(text);
    }

    /// <summary>Text that is an ISO 8601 date, with or without a time; null for any other. Times with an offset are taken to UTC.</summary>
    public static Item? DateOf(string text)
    {
        var trimmed = text.AsSpan().Trim();
        if (trimmed.Length is < 10 or > 40 || trimmed[4] != '-' || trimmed[7] != '-' || !char.IsAsciiDigit(trimmed[0]))
        {
            return null;
        }

        if (!DateOnly.TryParseExact(trimmed[..10], "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var date))
        {
            return null;
        }

        if (trimmed.Length == 10)
        {
            return Item.Of(date);
        }

        return trimmed[10] is 'T' or 't' or ' ' && DateTimeOffset.TryParse(trimmed, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal | DateTimeStyles.AdjustToUniversal, out var at)
            ? Item.Of(DateTime.SpecifyKind(at.UtcDateTime, DateTimeKind.Unspecified))
            : null;
    }

    /// <summary>Text that is a time of day (14:30, 14:30:05, 2:30 PM); null for any other.</summary>
    public static Item? TimeOf(string text)
    {
        var trimmed = text.AsSpan().Trim();
        return trimmed.Length is >= 3 and <= 20 && trimmed.Contains(':') && TimeOnly.TryParseExact(trimmed, Times, CultureInfo.InvariantCulture, DateTimeStyles.None, out var time)
            ? Item.Days(time.Ticks / (decimal)TimeSpan.TicksPerDay, NumberSense.Time)
            : null;
    }

    /// <summary>A text as it is quoted in a sentence.</summary>
    internal static string Quoted(string text) => text.Length <= 60 ? $"\"{text}\"" : $"\"{text[..57]}…\"";
}
