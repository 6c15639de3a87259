using System.Collections.Immutable;

namespace UprightMirror.Core.Formulas.Functions;

/// <summary>Functions on numbers: decimal, so that money adds up.</summary>
internal static class NumberFunctions
{
    private const string Group = "Numbers";

    public static readonly ImmutableArray<FormulaFunction> All =
    [
        new("ROUND", Group, "number:number, [decimals:whole]", "Rounded to so many decimals (0), halves away from zero.", new("ROUND(2.345; 2)", "2.35"), (a, _) => Item.Of(Rounded(a[0].Number, TextFunctions.Count(a, 1, 0), MidpointRounding.AwayFromZero))),
        new("ROUNDUP", Group, "number:number, [decimals:whole]", "Rounded away from zero.", new("ROUNDUP(2.341; 2)", "2.35"), (a, _) => Item.Of(Up(a[0].Number, TextFunctions.Count(a, 1, 0)))),
        new("ROUNDDOWN", Group, "number:number, [decimals:whole]", "Rounded towards zero.", new("ROUNDDOWN(2.349; 2)", "2.34"), (a, _) => Item.Of(Rounded(a[0].Number, TextFunctions.Count(a, 1, 0), MidpointRounding.ToZero))),
        new("INT", Group, "number:number", "The next whole number below.", new("INT(-2.5)", "-3"), (a, _) => Item.Of(Math.Floor(a[0].Number))),
        new("TRUNC", Group, "number:number, [decimals:whole]", "Without the decimals beyond so many (0).", new("TRUNC(-2.57; 1)", "-2.5"), (a, _) => Item.Of(Rounded(a[0].Number, TextFunctions.Count(a, 1, 0), MidpointRounding.ToZero))),
        new("MOD", Group, "number:number, divisor:number", "What is left over from a division; it has the divisor's sign.", new("MOD(-7; 3)", "2"),
            (a, _) => a[1].Number == 0 ? Item.Of(ItemError.DivisionByZero) : Item.Of(a[0].Number % a[1].Number is var left && left != 0 && left < 0 != a[1].Number < 0 ? left + a[1].Number : left)),
        new("ABS", Group, "number:number", "Without its sign.", new("ABS(-3.5)", "3.5"), (a, _) => Item.Of(Math.Abs(a[0].Number))),
        new("SIGN", Group, "number:number", "1, 0 or -1.", new("SIGN(-3.5)", "-1"), (a, _) => Item.Of(Math.Sign(a[0].Number))),
        new("MIN", Group, "number…", "The least of them; those of lines, too.", new("MIN(3; 1; 2)", "1"), (a, _) => Over(a, n => n.Count == 0 ? Item.Of(0m) : n.MinBy(i => i.Number))),
        new("MAX", Group, "number…", "The greatest of them; those of lines, too.", new("MAX(3; 1; 2)", "3"), (a, _) => Over(a, n => n.Count == 0 ? Item.Of(0m) : n.MaxBy(i => i.Number))),
        new("SUM", Group, "number…", "All of them together; those of lines, too: SUM([lines.amount]).", new("SUM(1.5; 2; 3)", "6.5"), (a, _) => Over(a, n => Item.Of(n.Sum(i => i.Number)))),
        new("AVERAGE", Group, "number…", "Their mean; those of lines, too.", new("AVERAGE(1; 2; 6)", "3"), (a, _) => Over(a, n => n.Count == 0 ? Item.Of(ItemError.DivisionByZero) : Item.Of(n.Sum(i => i.Number) / n.Count))),
        new("COUNT", Group, "value…", "How many of them are numbers; those of lines, too.", new("COUNT(1; \"x\"; 3)", "2"), (a, _) => Item.Of(FormulaFunction.Flat(a).Count(i => i.Kind == ItemKind.Number)), takesErrors: true),
        new("CEILING", Group, "number:number, [significance:number], [mode:number]", "Rounded up to a multiple of the significance (1); away from zero when the mode is not 0.", new("CEILING(7.2; 0.5)", "7.5"), (a, _) => Multiple(a, up: true)),
        new("FLOOR", Group, "number:number, [significance:number], [mode:number]", "Rounded down to a multiple of the significance (1); towards zero when the mode is not 0.", new("FLOOR(7.4; 0.5)", "7"), (a, _) => Multiple(a, up: false)),
        new("POWER", Group, "number:number, exponent:number", "A number to the power of another; ^ does the same.", new("POWER(2; 10)", "1024"), (a, _) => Powers.Of(a[0].Number, a[1].Number)),
        new("SQRT", Group, "number:number", "The square root.", new("SQRT(6.25)", "2.5"), (a, _) => a[0].Number < 0 ? Item.Of(ItemError.Number("a negative number has no square root")) : Item.Of(Powers.Root(a[0].Number))),
    ];

    /// <summary>Rounded to so many decimals; to tens and hundreds where they are negative.</summary>
    internal static decimal Rounded(decimal number, int decimals, MidpointRounding way)
    {
        if (decimals >= 28)
        {
            return number;
        }

        if (decimals >= 0)
        {
            return Math.Round(number, decimals, way);
        }

        if (decimals < -28)
        {
            return 0;
        }

        var unit = Ten(-decimals);
        return Math.Round(number / unit, 0, way) * unit;
    }

    private static decimal Ten(int power) => Enumerable.Repeat(10m, power).Aggregate(1m, (a, b) => a * b);

    private static decimal Up(decimal number, int decimals)
    {
        var down = Rounded(number, decimals, MidpointRounding.ToZero);
        return down == number ? number : down + (Math.Sign(number) * (decimals >= 0 ? 1 / Ten(Math.Min(decimals, 28)) : Ten(Math.Min(-decimals, 28))));
    }

    /// <summary>Works on the numbers among the items: blanks are passed over, and text must spell one.</summary>
    private static Item Over(Item[] items, Func<List<Item>, Item> work)
    {
        var numbers = new List<Item>();
        foreach (var item in FormulaFunction.Flat(items))
        {
            if (item.IsBlank)
            {
                continue;
            }

            var number = Coercion.Number(item);
            if (number.IsError)
            {
                return number;
            }

            numbers.Add(number);
        }

        return work(numbers);
    }

    /// <summary>OpenFormula 6.17.1 and 6.17.3.</summary>
    private static Item Multiple(Item[] arguments, bool up)
    {
        var number = arguments[0].Number;
        var significance = arguments.Length > 1 && !arguments[1].IsBlank ? arguments[1].Number : number < 0 ? -1 : 1;
        if (number == 0 || significance == 0)
        {
            return Item.Of(0m);
        }

        if (number < 0 != significance < 0)
        {
            return Item.Of(ItemError.Number("a number and its significance have the same sign"));
        }

        var step = Math.Abs(significance);
        if (arguments.Length > 2 && arguments[2].Number != 0)
        {
            var times = Math.Abs(number) / step;
            return Item.Of(Math.Sign(number) * (up ? Math.Ceiling(times) : Math.Floor(times)) * step);
        }

        return Item.Of((up ? Math.Ceiling(number / step) : Math.Floor(number / step)) * step);
    }
}
