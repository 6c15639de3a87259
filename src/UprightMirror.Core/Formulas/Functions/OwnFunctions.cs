using System.Collections.Immutable;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Formulas.Functions;

/// <summary>Functions that records between systems need and the standard does not have.</summary>
internal static class OwnFunctions
{
    private const string Group = "Records between systems";

    public static readonly ImmutableArray<FormulaFunction> All =
    [
        new("FIRSTFILLED", Group, "value…", "The first of them that is not empty.", new("FIRSTFILLED(\"\"; \"0131 496 0210\")", "0131 496 0210"), FirstFilled),
        new("SPLIT", Group, "text:text, separator:text, number:whole", "One part of a text that a separator cuts in parts: 1 is the first, -1 the last.", new("SPLIT(\"4 Ferry Road, Kelburn\"; \", \"; 2)", "Kelburn"),
            (a, _) => Split(a[0].Text, a[1].Text, (int)a[2].Number)),
        new("DIGITS", Group, "text:text, [number:whole]", "The digits of a text, all of them or one run of them: 1 is the first, -1 the last.", new("DIGITS(\"C-21704-7\"; 1)", "21704"), (a, _) => Run(a, char.IsAsciiDigit)),
        new("LETTERS", Group, "text:text, [number:whole]", "The letters of a text, all of them or one run of them: 1 is the first, -1 the last.", new("LETTERS(\"KB4 2RD\"; 1)", "KB"), (a, _) => Run(a, IsOfLetter)),
        new("WORD", Group, "text:text, number:whole", "One word of a text: 1 is the first, -1 the last. A word has letters, digits and apostrophes.", new("WORD(\"Hanne, Tomasz & Aoife\"; 2)", "Tomasz"), (a, _) => Run(a, c => IsOfLetter(c) || char.IsDigit(c) || c is '\'' or '’')),
        new("JOIN", Group, "separator:text, value…", "The values that are not empty, with a separator between.", new("JOIN(\", \"; \"Mill Lane\"; \"\"; \"Tidewell\")", "Mill Lane, Tidewell"), (a, _) => Join(a)),
        new("COUNTFILLED", Group, "value…", "How many of them are not empty; those of lines, too.", new("COUNTFILLED(\"a\"; \"\"; 3)", "2"), (a, _) => Item.Of(FormulaFunction.Flat(a).Count(i => i.Shown.Length > 0))),
        new("PHONE", Group, "number:text, [country:text]", "A telephone number in international form. Without a country code it is read as of the country: its two letters, or the record's own.", new("PHONE(\"0131 496 0210\"; \"GB\")", "+44 131 496 0210"),
            (a, s) => Phone(a, s, p => p.Display)),
        new("PHONEDIGITS", Group, "number:text, [country:text]", "A telephone number as + and digits alone (E.164).", new("PHONEDIGITS(\"0131 496 0210\"; \"GB\")", "+441314960210"), (a, s) => Phone(a, s, p => p.International)),
        new("PHONENATIONAL", Group, "number:text, [country:text]", "A telephone number as digits, the way it is dialled within its country.", new("PHONENATIONAL(\"+44 131 496 0210\")", "01314960210"), (a, s) => Phone(a, s, Telephone.NationalDigits)),
        new("EMAIL", Group, "address:text", "An e-mail address without spaces and in small letters.", new("EMAIL(\" Office@RavenRock.example \")", "office@ravenrock.example"), (a, _) => Mail(a[0].Text, (user, domain) => $"{user}@{domain}")),
        new("EMAILDOMAIN", Group, "address:text", "What stands after the @ of an e-mail address, in small letters.", new("EMAILDOMAIN(\"aoife@Club.example\")", "club.example"), (a, _) => Mail(a[0].Text, (_, domain) => domain)),
        new("EMAILUSER", Group, "address:text", "What stands before the @ of an e-mail address, in small letters.", new("EMAILUSER(\"Aoife@club.example\")", "aoife"), (a, _) => Mail(a[0].Text, (user, _) => user)),
        new("AGREEDOF", Group, "list:text, code:text", "What a code of a code list means: the agreed value; #N/A when the list does not have it.", new("AGREEDOF(\"Countries\"; \"GBR\")", "GB"), (a, s) => Listed(a, s, (list, code) => list.ToAgreed(code))),
        new("CODEOF", Group, "list:text, agreed:text", "The code that a code list has for an agreed value; #N/A when it has none.", new("CODEOF(\"Countries\"; \"GB\")", "GBR"), (a, s) => Listed(a, s, (list, agreed) => list.ToSide(agreed))),
        new("REFERENCE", Group, "system:text", "The id that this record has in another system; blank while it has none there.", new("REFERENCE(\"Ballast ERP\")", "C-21704"),
            (a, s) => s.References.FirstOrDefault(r => r.Key.Equals(a[0].Text.Trim(), StringComparison.OrdinalIgnoreCase)).Value is { } id ? Item.Of(id) : Item.Blank),
        new(LinkedField.FunctionName, Group, "mirror:text, field:text, [by:text]", "What the records of another mirror that point at this one hold in a field, as a list to add up, count or take the greatest of. By names the field that points, where there are several.",
            new("SUM(LINKED(\"invoices\"; \"Total\"))", "1848.75"), LinkedField.Work),
        new(Fetched.FunctionName, Group, "system:text, collection:text, id:text, field:text", "What a record of any system holds in a field, fetched by its id there: empty where there is no such record, or no id. The system, the collection and the field stand in quotes. For fields that are worked out.",
            new("FETCHED(\"Harbour register\"; \"berths\"; \"B-12\"; \"length\")", "11.5"), Fetched.Work),
        new(Flags.FunctionName, Group, "check:text", "Whether a follow-up check flags this record, and nobody has said that it is fine as it is.", new("IF(FLAGGED(\"Another company\"); \"ask them\"; \"\")", ""), (a, s) => Item.Of(s.Flags.Contains(a[0].Text.Trim()))),
    ];

    private static Item FirstFilled(ref Evaluator evaluator, ImmutableArray<Node> arguments)
    {
        foreach (var argument in arguments)
        {
            var value = evaluator.Work(argument);
            if (value.IsError || value.Shown.Length > 0)
            {
                return value;
            }
        }

        return Item.Blank;
    }

    private static Item Split(string text, string separator, int number)
    {
        if (separator.Length == 0 || number == 0)
        {
            return Item.Of(ItemError.Value(number == 0 ? "the first part is number 1, the last is -1" : "the separator is empty"));
        }

        return Item.Of(TextRuns.At(text.Split(separator), number).Trim());
    }

    private static bool IsOfLetter(char c) => char.IsLetter(c) || char.IsSurrogate(c) || char.GetUnicodeCategory(c) is System.Globalization.UnicodeCategory.NonSpacingMark or System.Globalization.UnicodeCategory.SpacingCombiningMark;

    /// <summary>One run of characters of a kind, or all of them when it is not said which.</summary>
    private static Item Run(Item[] arguments, Func<char, bool> isOfKind)
    {
        var text = arguments[0].Text;
        if (arguments.Length < 2 || arguments[1].IsBlank)
        {
            return Item.Of(string.Concat(text.Where(isOfKind)));
        }

        var number = (int)arguments[1].Number;
        return number == 0 ? Item.Of(ItemError.Value("the first is number 1, the last is -1")) : Item.Of(TextRuns.At(TextRuns.Of(text, isOfKind), number));
    }

    private static Item Join(Item[] arguments)
    {
        var filled = FormulaFunction.Flat(arguments[1..]).Where(i => i.Shown.Length > 0).ToArray();
        return TextFunctions.Together(filled, arguments[0].Text);
    }

    private static Item Phone(Item[] arguments, FormulaSetting setting, Func<PhoneValue, string> form)
    {
        var typed = arguments[0].Text.Trim();
        var country = arguments.Length > 1 && arguments[1].Shown.Length > 0 ? arguments[1].Text.Trim().ToUpperInvariant() : setting.Country;
        return typed.Length == 0 ? Item.Blank
            : Telephone.Read(typed, country) is { } phone ? Item.Of(form(phone))
            : Item.Of(ItemError.Value($"{Coercion.Quoted(typed)} is not a telephone number{(country is null && typed[0] != '+' ? ", or its country is not known" : "")}"));
    }

    private static Item Mail(string text, Func<string, string, string> form)
    {
        var address = text.Trim().ToLowerInvariant();
        var at = address.LastIndexOf('@');
        return address.Length == 0 ? Item.Blank
            : at > 0 && at < address.Length - 1 && !address.Any(char.IsWhiteSpace) ? Item.Of(form(address[..at], address[(at + 1)..]))
            : Item.Of(ItemError.Value($"{Coercion.Quoted(text)} is not an e-mail address"));
    }

    private static Item Listed(Item[] arguments, FormulaSetting setting, Func<CodeTable, string, Value?> way)
    {
        var (name, wanted) = (arguments[0].Text, arguments[1].Text.Trim());
        return !setting.CodeLists.TryGetValue(name, out var list) ? Item.Of(ItemError.NotAvailable with { Detail = $"there is no code list called {Coercion.Quoted(name)}" })
            : wanted.Length == 0 ? Item.Blank
            : way(list, wanted) is { } found ? Item.Of(found.Display)
            : Item.Of(ItemError.NotAvailable with { Detail = $"the code list {name} does not have {Coercion.Quoted(wanted)}" });
    }
}
