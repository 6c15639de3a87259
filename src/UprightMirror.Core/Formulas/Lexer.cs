using System.Globalization;
using System.Text;

namespace UprightMirror.Core.Formulas;

internal enum TokenKind : byte
{
    End,
    Number,
    Text,
    Name,
    FieldName,
    Error,
    Open,
    Close,
    Separator,
    Symbol,
}

/// <param name="Content">What it says: the text without its quotes, the field's name without its brackets.</param>
/// <param name="Length">How long it is in the formula.</param>
internal readonly record struct Token(TokenKind Kind, string Content, int Position, int Length);

/// <summary>Cuts a formula's text into tokens (OpenFormula, ODF 1.2, part 2, chapter 5).</summary>
internal ref struct Lexer(string formula)
{
    private static readonly string[] Errors = ["#DIV/0!", "#VALUE!", "#N/A", "#NUM!", "#NAME?", "#REF!", "#NULL!"];

    private int at;

    /// <exception cref="FormulaProblemException">No token begins here.</exception>
    public Token Next()
    {
        while (this.at < formula.Length && char.IsWhiteSpace(formula[this.at]))
        {
            this.at++;
        }

        if (this.at >= formula.Length)
        {
            return new Token(TokenKind.End, "", formula.Length, 0);
        }

        var start = this.at;
        var c = formula[this.at];
        switch (c)
        {
            case '(':
                return this.Take(TokenKind.Open, 1);
            case ')':
                return this.Take(TokenKind.Close, 1);
            case ';' or ',':
                return this.Take(TokenKind.Separator, 1);
            case '"':
                return this.Quoted('"', '"', TokenKind.Text, "The quotation mark that begins here has no other at its end: close the text with \".");
            case '[':
                return this.Quoted('[', ']', TokenKind.FieldName, "The bracket that begins here has no other at its end: close the field's name with ].");
            case '<' when this.Follows(">") || this.Follows("="):
            case '>' when this.Follows("="):
                return this.Take(TokenKind.Symbol, 2);
            case '+' or '-' or '*' or '/' or '^' or '&' or '=' or '<' or '>' or '%':
                return this.Take(TokenKind.Symbol, 1);
            case '−' or '×' or '÷' or '≠' or '≤' or '≥' or '“' or '”' or '„' or '‘' or '’':
                throw this.Problem(1, $"{c} is not used in formulas: type {Plain(c)} instead.");
        }

        if (c == '#')
        {
            foreach (var error in Errors)
            {
                if (string.Compare(formula, start, error, 0, error.Length, StringComparison.OrdinalIgnoreCase) == 0)
                {
                    return this.Take(TokenKind.Error, error.Length);
                }
            }

            throw this.Problem(1, "# begins an error value such as #N/A, and this is none.");
        }

        if (char.IsAsciiDigit(c) || (c == '.' && this.at + 1 < formula.Length && char.IsAsciiDigit(formula[this.at + 1])))
        {
            return this.Number();
        }

        if (char.IsLetter(c) || c is '_' or '$' || char.IsSurrogate(c))
        {
            while (this.at < formula.Length && (char.IsLetterOrDigit(formula[this.at]) || formula[this.at] is '_' or '.' or '$' || char.IsSurrogate(formula[this.at]) || IsMark(formula[this.at])))
            {
                this.at++;
            }

            return new Token(TokenKind.Name, formula[start..this.at], start, this.at - start);
        }

        throw this.Problem(1, c switch
        {
            '\'' => "Texts stand between \" and \", not between '.",
            '{' or '}' => "Lists in braces are not used: name the values one by one.",
            _ when char.IsControl(c) => $"The control character U+{(int)c:X4} can't stand in a formula.",
            _ => $"{c} can't stand here. A field whose name has more than letters, digits and _ is written in brackets: [Billing city].",
        });
    }

    private static string Plain(char c) => c switch { '−' => "-", '×' => "*", '÷' => "/", '≠' => "<>", '≤' => "<=", '≥' => ">=", _ => "\"" };

    private static bool IsMark(char c) => CharUnicodeInfo.GetUnicodeCategory(c) is UnicodeCategory.NonSpacingMark or UnicodeCategory.SpacingCombiningMark;

    private readonly bool Follows(string next) => string.CompareOrdinal(formula, this.at + 1, next, 0, next.Length) == 0;

    private Token Take(TokenKind kind, int length)
    {
        var start = this.at;
        this.at += length;
        return new Token(kind, formula.Substring(start, length), start, length);
    }

    private readonly FormulaProblemException Problem(int length, string words) => new(new FormulaProblem(this.at, length, words));

    private Token Quoted(char open, char close, TokenKind kind, string unclosed)
    {
        var start = this.at;
        var content = new StringBuilder();
        for (var i = start + 1; i < formula.Length; i++)
        {
            if (formula[i] != close)
            {
                content.Append(formula[i]);
                continue;
            }

            if (i + 1 < formula.Length && formula[i + 1] == close)
            {
                content.Append(close);
                i++;
                continue;
            }

            this.at = i + 1;
            var name = content.ToString();
            return kind == TokenKind.FieldName && string.IsNullOrWhiteSpace(name)
                ? throw new FormulaProblemException(new FormulaProblem(start, this.at - start, "The brackets hold no field's name."))
                : new Token(kind, name, start, this.at - start);
        }

        throw new FormulaProblemException(new FormulaProblem(start, formula.Length - start, unclosed));
    }

    private Token Number()
    {
        var start = this.at;
        while (this.at < formula.Length && char.IsAsciiDigit(formula[this.at]))
        {
            this.at++;
        }

        if (this.at < formula.Length && formula[this.at] == '.')
        {
            this.at++;
            while (this.at < formula.Length && char.IsAsciiDigit(formula[this.at]))
            {
                this.at++;
            }
        }

        if (this.at < formula.Length && formula[this.at] is 'e' or 'E')
        {
            var e = this.at + 1;
            e += e < formula.Length && formula[e] is '+' or '-' ? 1 : 0;
            if (e < formula.Length && char.IsAsciiDigit(formula[e]))
            {
                while (e < formula.Length && char.IsAsciiDigit(formula[e]))
                {
                    e++;
                }

                this.at = e;
            }
        }

        return new Token(TokenKind.Number, formula[start..this.at], start, this.at - start);
    }
}
