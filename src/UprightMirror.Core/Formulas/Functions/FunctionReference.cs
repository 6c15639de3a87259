using System.Text;

namespace UprightMirror.Core.Formulas.Functions;

/// <summary>The page that documents the formula language, made of the table that the evaluator uses.</summary>
public static class FunctionReference
{
    public static string Markdown()
    {
        var page = new StringBuilder(""""
            # Formulas

            A formula works a value out of a record's fields. The language is that of OpenFormula (OASIS, Open Document Format 1.2, part 2), which sheets
            use; numbers are decimal, so that money adds up.

            - **Fields** by name: `email`, `address.town`; in brackets when the name has anything but letters, digits, points and `_`: `[Billing city]`. The
              fields of lines are lists: `SUM([lines.amount])`.
            - **Texts** stand in quotation marks, a quotation mark within is doubled: `"say ""hi"""`. **Numbers** have a point: `1.5`.
            - **Operators**, those that bind closest first: `+` `-` before an operand, `%`, `^`, `*` `/`, `+` `-`, `&` (joins texts), `=` `<>` `<` `<=` `>` `>=`. Those
              of one kind are worked out from left to right: `2^3^2` is 64, and `-2^2` is 4. `=` does not heed capitals; `EXACT` does.
            - **Arguments** are separated by `;` or `,`.
            - **Dates** are counted in days: `[due] + 30`. Text that is an ISO 8601 date (`2026-03-02`, `2026-03-02T14:30:00Z`) counts as one where a date is wanted.
            - **Errors** are values: `#VALUE!` (the wrong kind), `#DIV/0!`, `#NUM!` (no such number or date), `#N/A` (not there). `IFERROR` and `IFNA` catch them.
            - A formula has at most 32,768 characters and 128 levels of brackets, and makes texts of at most 100,000 characters.


            """");
        foreach (var group in FunctionTable.All.GroupBy(f => f.Group))
        {
            page.Append($"## {group.Key}\n\n| | | for example | gives |\n|---|---|---|---|\n");
            foreach (var f in group)
            {
                page.Append($"| `{f.Signature}` | {f.Summary.Replace("|", "\\|", StringComparison.Ordinal)} | `{f.Example.Formula}` | {(f.Example.Result.Length == 0 ? "" : $"`{f.Example.Result}`")} |\n");
            }

            page.Append('\n');
        }

        return page.ToString().TrimEnd() + "\n";
    }
}
