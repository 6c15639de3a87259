using System.Collections.Immutable;
using System.Diagnostics;
using System.Globalization;

namespace UprightMirror.Core.Formulas;

/// <summary>What a formula works with: blank, text, a number (which may be shown as a date or time), true or false, an error, or a list.</summary>
public enum ItemKind : byte
{
    Blank,
    Text,
    Number,
    Logical,
    Error,
    List,
}

/// <summary>What a number stands for. Dates and times are counted in days, as OpenFormula (ODF 1.2, part 2, 4.3.3) has it.</summary>
public enum NumberSense : byte
{
    Plain,
    Date,
    DateTime,
    Time,
}

/// <summary>An error value of a formula.</summary>
/// <param name="Code">As the standard writes it: <c>#DIV/0!</c>.</param>
/// <param name="Detail">What happened, in words; null when the code says it all.</param>
public sealed record ItemError(string Code, string? Detail = null)
{
    public static readonly ItemError DivisionByZero = new("#DIV/0!", "a number was divided by zero");
    public static readonly ItemError NotAvailable = new("#N/A");
    public static readonly ItemError NotANumber = new("#NUM!", "the number is too large, or there is none");

    /// <summary>An operand of a kind that can't be used here.</summary>
    public static ItemError Value(string detail) => new("#VALUE!", detail);

    public static ItemError Number(string detail) => new("#NUM!", detail);

    /// <summary>The error written so; null when there is none.</summary>
    public static ItemError? Of(string code) => code.ToUpperInvariant() switch
    {
        "#DIV/0!" => DivisionByZero,
        "#N/A" => NotAvailable,
        "#NUM!" => NotANumber,
        "#VALUE!" => new("#VALUE!"),
        "#NAME?" => new("#NAME?"),
        "#REF!" => new("#REF!"),
        "#NULL!" => new("#NULL!"),
        _ => null,
    };
}

/// <summary>One operand or result of a formula. A value: small, copied, never changed.</summary>
[DebuggerDisplay("{Kind}: {Shown}")]
public readonly struct Item
{
    private readonly decimal number;
    private readonly object? thing;

    private Item(ItemKind kind, NumberSense sense, decimal number, object? thing) => (this.Kind, this.Sense, this.number, this.thing) = (kind, sense, number, thing);

    /// <summary>The first day of the count of days: day 0.</summary>
    public static readonly DateTime DayZero = new(1899, 12, 30, 0, 0, 0, DateTimeKind.Unspecified);

    private static readonly decimal LastDay = (decimal)(DateTime.MaxValue.Date - DayZero).TotalDays;
    private static readonly decimal FirstDay = (decimal)(DateTime.MinValue - DayZero).TotalDays;

    public static readonly Item Blank;
    public static readonly Item True = new(ItemKind.Logical, NumberSense.Plain, 1, null);
    public static readonly Item False = new(ItemKind.Logical, NumberSense.Plain, 0, null);

    public ItemKind Kind { get; }

    /// <summary>For numbers, what they stand for.</summary>
    public NumberSense Sense { get; }

    public bool IsBlank => this.Kind == ItemKind.Blank;

    public bool IsError => this.Kind == ItemKind.Error;

    /// <summary>The text of a text. Not to be asked of anything else.</summary>
    public string Text => (string)this.thing!;

    /// <summary>The number of a number, 1 or 0 of true or false.</summary>
    public decimal Number => this.number;

    public bool Logical => this.number != 0;

    public ItemError Error => (ItemError)this.thing!;

    public ImmutableArray<Item> Items => (ImmutableArray<Item>)this.thing!;

    public static Item Of(string text) => new(ItemKind.Text, NumberSense.Plain, 0, text);

    public static Item Of(decimal number) => new(ItemKind.Number, NumberSense.Plain, number, null);

    public static Item Of(bool yes) => yes ? True : False;

    public static Item Of(ItemError error) => new(ItemKind.Error, NumberSense.Plain, 0, error);

    public static Item Of(ImmutableArray<Item> items) => new(ItemKind.List, NumberSense.Plain, 0, items);

    public static Item Of(DateOnly date) => new(ItemKind.Number, NumberSense.Date, (decimal)(date.ToDateTime(TimeOnly.MinValue) - DayZero).TotalDays, null);

    public static Item Of(DateTime moment) => new(ItemKind.Number, NumberSense.DateTime, (moment - DayZero).Ticks / (decimal)TimeSpan.TicksPerDay, null);

    /// <summary>Days that stand for a date or time; #NUM! when no calendar has that day.</summary>
    public static Item Days(decimal days, NumberSense sense) => sense == NumberSense.Plain ? Of(days)
        : days > LastDay || days < FirstDay ? Of(ItemError.Number("the date lies outside of the years 1 to 9999"))
        : sense == NumberSense.Date ? new Item(ItemKind.Number, sense, Math.Floor(days), null)
        : new Item(ItemKind.Number, sense, days, null);

    /// <summary>The moment that a count of days stands for, to the millisecond; null when no calendar has it.</summary>
    public static DateTime? Moment(decimal days)
    {
        if (days >= LastDay + 1 || days < FirstDay)
        {
            return null;
        }

        var ticks = (long)Math.Round(days * TimeSpan.TicksPerDay / TimeSpan.TicksPerMillisecond) * TimeSpan.TicksPerMillisecond;
        return ticks > (DateTime.MaxValue - DayZero).Ticks ? null : DayZero.AddTicks(ticks);
    }

    /// <summary>The item as text: how it goes into a longer text, and how people read it.</summary>
    public string Shown => this.Kind switch
    {
        ItemKind.Blank => "",
        ItemKind.Text => this.Text,
        ItemKind.Logical => this.Logical ? "TRUE" : "FALSE",
        ItemKind.Error => this.Error.Code,
        ItemKind.List => string.Join(", ", this.Items.Select(i => i.Shown)),
        _ => this.Sense switch
        {
            NumberSense.Date => Moment(this.number)?.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture) ?? ItemError.NotANumber.Code,
            NumberSense.DateTime => Moment(this.number) is { } at ? at.ToString(at.Millisecond == 0 ? "yyyy-MM-dd'T'HH:mm:ss" : "yyyy-MM-dd'T'HH:mm:ss.fff", CultureInfo.InvariantCulture) : ItemError.NotANumber.Code,
            NumberSense.Time => Moment(this.number - Math.Floor(this.number))?.ToString("HH:mm:ss", CultureInfo.InvariantCulture) ?? ItemError.NotANumber.Code,
            _ => Plain(this.number),
        },
    };

    /// <summary>A number without trailing zeros, with a point.</summary>
    public static string Plain(decimal number) => number.ToString("0.#############################", CultureInfo.InvariantCulture);
}
