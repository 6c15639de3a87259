using System.Collections.Immutable;
using System.Globalization;
using System.Text;

namespace UprightMirror.Core.Formulas.Functions;

/// <summary>Functions on text. Characters are counted as a reader does.</summary>
internal static class TextFunctions
{
    private const string Group = "Text";

    /// <summary>What stands at 128 to 159 in windows-1252, which CHAR and CODE go by; a question mark where nothing does.</summary>
    private const string Windows = "€?‚ƒ„…†‡ˆ‰Š‹Œ?Ž??‘’“”•–—˜™š›œ?žŸ";

    public static readonly ImmutableArray<FormulaFunction> All =
    [
        new("LEFT", Group, "text:text, [characters:whole]", "The first characters of a text; one when it is not said how many.", new("LEFT(\"KB4 2RD\"; 3)", "KB4"),
            (a, _) => Count(a, 1, 1) is var n and >= 0 ? Item.Of(Graphemes.Part(a[0].Text, 0, n)) : Negative()),
        new("RIGHT", Group, "text:text, [characters:whole]", "The last characters of a text; one when it is not said how many.", new("RIGHT(\"INV-00417\"; 5)", "00417"),
            (a, _) => Count(a, 1, 1) is var n and >= 0 ? Item.Of(a[0].Text[Graphemes.Start(a[0].Text, Math.Max(0, Graphemes.Count(a[0].Text) - n))..]) : Negative()),
        new("MID", Group, "text:text, start:whole, characters:whole", "Characters from the middle of a text; the first is number 1.", new("MID(\"C-21704-IE\"; 3; 5)", "21704"),
            (a, _) => a[1].Number < 1 ? Item.Of(ItemError.Value("the first character is number 1")) : a[2].Number < 0 ? Negative() : Item.Of(Graphemes.Part(a[0].Text, (int)a[1].Number - 1, (int)a[2].Number))),
        new("LEN", Group, "text:text", "How many characters a text has, as a reader counts them.", new("LEN(\"Sæther\")", "6"),
            (a, _) => Item.Of(Graphemes.Count(a[0].Text))),
        new("TRIM", Group, "text:text", "Without spaces at both ends, and with single spaces within.", new("TRIM(\"  Quarry   Lake \")", "Quarry Lake"),
            (a, _) => Item.Of(Trimmed(a[0].Text))),
        new("CLEAN", Group, "text:text", "Without line ends, tabs and other characters that can't be printed.", new("CLEAN(\"Mill\" & CHAR(10) & \"Lane\")", "MillLane"),
            (a, _) => Item.Of(string.Concat(a[0].Text.Where(c => char.GetUnicodeCategory(c) is not (UnicodeCategory.Control or UnicodeCategory.OtherNotAssigned))))),
        new("UPPER", Group, "text:text", "In capital letters.", new("UPPER(\"Kelburn\")", "KELBURN"), (a, _) => Item.Of(a[0].Text.ToUpperInvariant())),
        new("LOWER", Group, "text:text", "In small letters.", new("LOWER(\"Office@RavenRock.EXAMPLE\")", "office@ravenrock.example"), (a, _) => Item.Of(a[0].Text.ToLowerInvariant())),
        new("PROPER", Group, "text:text", "The first letter of each word as a capital, the others small.", new("PROPER(\"HANNE o'brien-lunde\")", "Hanne O'Brien-Lunde"), (a, _) => Item.Of(Proper(a[0].Text))),
        new("FIND", Group, "search:text, text:text, [start:whole]", "Where a text stands in another, by characters from 1; capitals matter.", new("FIND(\"@\"; \"aoife@club.example\")", "6"),
            (a, _) => Found(a[1].Text, Count(a, 2, 1), (t, from) => (t.IndexOf(a[0].Text, from, StringComparison.Ordinal), a[0].Text), a[0].Text)),
        new("SEARCH", Group, "search:text, text:text, [start:whole]", "Where a text stands in another, by characters from 1; capitals do not matter, ? stands for any character and * for any number of them.", new("SEARCH(\"L?KE\"; \"Quarry Lake\")", "8"),
            (a, _) => Found(a[1].Text, Count(a, 2, 1), (t, from) => Wildcard.Find(t, a[0].Text, from), a[0].Text)),
        new("SUBSTITUTE", Group, "text:text, old:text, new:text, [which:whole]", "With a text in place of another, everywhere, or only the nth time.", new("SUBSTITUTE(\"131 496 0210\"; \" \"; \"\")", "1314960210"),
            (a, _) => Substituted(a[0].Text, a[1].Text, a[2].Text, a.Length > 3 && !a[3].IsBlank ? (int)a[3].Number : null)),
        new("REPLACE", Group, "text:text, start:whole, characters:whole, new:text", "With so many characters from a place on replaced by a text.", new("REPLACE(\"00353861234567\"; 1; 2; \"+\")", "+353861234567"),
            (a, _) => a[1].Number < 1 || a[2].Number < 0 ? Item.Of(ItemError.Value("the first character is number 1, and a count is not negative")) : Replaced(a[0].Text, (int)a[1].Number - 1, (int)a[2].Number, a[3].Text)),
        new("REPT", Group, "text:text, times:whole", "A text so many times in a row.", new("REPT(\"0\"; 4)", "0000"),
            (a, _) => a[1].Number < 0 ? Negative() : (long)a[0].Text.Length * (long)a[1].Number is var length && length > Formula.LongestText ? Evaluator.TooLong(length) : Item.Of(new StringBuilder((int)length).Insert(0, a[0].Text, (int)a[1].Number).ToString())),
        new("CONCATENATE", Group, "text:text…", "All of them in a row; & does the same between two.", new("CONCATENATE(\"Lunde\"; \", \"; \"Hanne\")", "Lunde, Hanne"),
            (a, _) => Together(a)),
        new("EXACT", Group, "text:text, other:text", "Whether two texts are the same, letter by letter; = does not heed capitals.", new("EXACT(\"Kelburn\"; \"KELBURN\")", "FALSE"),
            (a, _) => Item.Of(string.Equals(a[0].Text, a[1].Text, StringComparison.Ordinal))),
        new("TEXT", Group, "value, format:text", "A number, date or time in a form: 0 a digit, # a digit where there is one, yyyy mm dd hh mm ss.", new("TEXT(DATE(2026; 3; 2); \"dd/mm/yyyy\")", "02/03/2026"),
            (a, _) => TextForm.Write(a[0], a[1].Text)),
        new("VALUE", Group, "text:text", "The number, date or time that a text spells.", new("VALUE(\"1234.50\")", "1234.5"),
            (a, _) => Coercion.NumberOf(Ungrouped(a[0].Text)) ?? Item.Of(ItemError.Value($"{Coercion.Quoted(a[0].Text)} is not a number"))),
        new("FIXED", Group, "number:number, [decimals:whole], [plain:logical]", "A number as text with so many decimals (2), and commas between thousands unless plain.", new("FIXED(1234.5; 2)", "1,234.50"),
            (a, _) => Fixed(a[0].Number, Count(a, 1, 2), a.Length > 2 && a[2].Logical)),
        new("CHAR", Group, "code:whole", "The character of a code from 1 to 255 (windows-1252).", new("CHAR(65)", "A"),
            (a, _) => a[0].Number is >= 1 and <= 255 ? Item.Of((a[0].Number is >= 128 and <= 159 ? Windows[(int)a[0].Number - 128] : (char)a[0].Number).ToString()) : Item.Of(ItemError.Value("codes are 1 to 255; UNICHAR knows all others"))),
        new("CODE", Group, "text:text", "The code of a text's first character (windows-1252).", new("CODE(\"A\")", "65"),
            (a, _) => a[0].Text.Length == 0 ? Item.Of(ItemError.Value("the text is empty")) : Item.Of(a[0].Text[0] <= 255 ? a[0].Text[0] : Windows.IndexOf(a[0].Text[0], StringComparison.Ordinal) is >= 0 and var w ? w + 128 : '?')),
        new("UNICHAR", Group, "code:whole", "The character of a Unicode code point.", new("UNICHAR(198)", "Æ"),
            (a, _) => Rune.IsValid((int)a[0].Number) && a[0].Number > 0 ? Item.Of(new Rune((int)a[0].Number).ToString()) : Item.Of(ItemError.Value("there is no such code point"))),
        new("UNICODE", Group, "text:text", "The Unicode code point of a text's first character.", new("UNICODE(\"Æ\")", "198"),
            (a, _) => Rune.DecodeFromUtf16(a[0].Text, out var rune, out int _) == System.Buffers.OperationStatus.Done ? Item.Of(rune.Value) : Item.Of(ItemError.Value("the text is empty"))),
    ];

    /// <summary>Without spaces around, and with single ones within.</summary>
    internal static string Trimmed(string text)
    {
        var trimmed = text.Trim(' ');
        if (!trimmed.Contains("  ", StringComparison.Ordinal))
        {
            return trimmed;
        }

        var single = new StringBuilder(trimmed.Length);
        foreach (var c in trimmed)
        {
            if (c != ' ' || single[^1] != ' ')
            {
                single.Append(c);
            }
        }

        return single.ToString();
    }

    internal static string Proper(string text) => string.Create(text.Length, text, (into, from) =>
    {
        var inWord = false;
        for (var i = 0; i < from.Length; i++)
        {
            into[i] = inWord ? char.ToLowerInvariant(from[i]) : char.ToUpperInvariant(from[i]);

            // Marks that combine with a letter belong to it.
            inWord = char.IsLetter(from[i]) || (inWord && CharUnicodeInfo.GetUnicodeCategory(from[i]) is UnicodeCategory.NonSpacingMark or UnicodeCategory.SpacingCombiningMark);
        }
    });

    internal static Item Together(Item[] texts, string between = "")
    {
        var all = new StringBuilder();
        for (var i = 0; i < texts.Length; i++)
        {
            all.Append(i > 0 ? between : "").Append(texts[i].Shown);
            if (all.Length > Formula.LongestText)
            {
                return Evaluator.TooLong(all.Length);
            }
        }

        return Item.Of(all.ToString());
    }

    /// <summary>An optional whole number.</summary>
    internal static int Count(Item[] arguments, int index, int otherwise) => arguments.Length > index && !arguments[index].IsBlank ? (int)arguments[index].Number : otherwise;

    private static Item Negative() => Item.Of(ItemError.Value("a count of characters is not negative"));

    private static Item Found(string text, int start, Func<string, int, (int Place, string What)> find, string wanted)
    {
        if (start < 1 || start > Graphemes.Count(text) + 1)
        {
            return Item.Of(ItemError.Value($"the text has no character number {start}"));
        }

        var (place, _) = find(text, Graphemes.Start(text, start - 1));
        return place < 0 ? Item.Of(ItemError.Value($"{Coercion.Quoted(wanted)} is not in {Coercion.Quoted(text)}")) : Item.Of(Graphemes.IndexOf(text, place) + 1);
    }

    private static Item Substituted(string text, string old, string with, int? which)
    {
        if (which < 1)
        {
            return Item.Of(ItemError.Value("the first time is number 1"));
        }

        if (old.Length == 0)
        {
            return Item.Of(text);
        }

        var all = new StringBuilder();
        var (at, time) = (0, 0);
        for (int next; (next = text.IndexOf(old, at, StringComparison.Ordinal)) >= 0; at = next + old.Length)
        {
            time++;
            all.Append(text, at, next - at).Append(which is null || which == time ? with : old);
            if (all.Length > Formula.LongestText)
            {
                return Evaluator.TooLong(all.Length);
            }
        }

        all.Append(text, at, text.Length - at);
        return all.Length > Formula.LongestText ? Evaluator.TooLong(all.Length) : Item.Of(all.ToString());
    }

    private static Item Replaced(string text, int index, int count, string with)
    {
        var start = Graphemes.Start(text, index);
        var end = start + Graphemes.Start(text[start..], count);
        return Evaluator.Joined(text[..start], with) is { IsError: false } first ? Evaluator.Joined(first.Text, text[end..]) : Evaluator.TooLong((long)start + with.Length);
    }

    /// <summary>Commas between thousands are let be: 1,234.50.</summary>
    private static string Ungrouped(string text)
    {
        if (!text.Contains(',', StringComparison.Ordinal))
        {
            return text;
        }

        var whole = text.Trim().Split('.')[0].TrimStart('-', '+').Split(',');
        return whole[0].Length is >= 1 and <= 3 && whole.Skip(1).All(g => g.Length == 3) && whole.All(g => g.All(char.IsAsciiDigit)) ? text.Replace(",", "", StringComparison.Ordinal) : text;
    }

    private static Item Fixed(decimal number, int decimals, bool plain)
    {
        if (decimals is > 28 or < -28)
        {
            return Item.Of(ItemError.Value("decimals are -28 to 28"));
        }

        var rounded = NumberFunctions.Rounded(number, decimals, MidpointRounding.AwayFromZero);
        return Item.Of(rounded.ToString((plain ? "F" : "N") + Math.Max(0, decimals).ToString(CultureInfo.InvariantCulture), CultureInfo.InvariantCulture));
    }
}
