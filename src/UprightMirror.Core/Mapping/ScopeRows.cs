using System.Collections.Immutable;
using System.Globalization;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Mapping;

/// <summary>What a condition of a scope asks of a field.</summary>
public enum ScopeTest
{
    Is,
    IsNot,
    IsOneOf,
    IsNoneOf,
    IsEmpty,
    IsFilled,

    /// <summary>The text stands somewhere in it; capitals do not matter.</summary>
    Contains,
    BeginsWith,
    AtLeast,
    MoreThan,
    AtMost,
    LessThan,
}

/// <summary>One condition of a scope, as it is put together by hand.</summary>
/// <param name="Path">A field of the side.</param>
/// <param name="Values">What it is compared with: none for empty and filled, one or more for one of and none of, otherwise one.</param>
public sealed record ScopeRow(string Path, ScopeTest Test, ImmutableArray<string> Values = default)
{
    public ImmutableArray<string> Values { get; init; } = Values.IsDefault ? [] : Values;
}

/// <summary>
/// Conditions that a scope is put together of, and the formula that they are: each is the other in another form. A formula that is not of these conditions is
/// left to be edited as a formula.
/// </summary>
/// <param name="All">True where each must hold; false where one is enough.</param>
public sealed record ScopeRows(bool All, ImmutableArray<ScopeRow> Rows)
{
    /// <summary>So many conditions can be put together by hand, and so many values stand in one.</summary>
    public const int Most = 40;
    public const int MostValues = 200;

    private static readonly ImmutableArray<(ScopeTest Test, Operation Operation, string Sign)> Signs =
    [
        (ScopeTest.Is, Operation.Equal, "="), (ScopeTest.IsNot, Operation.Different, "<>"), (ScopeTest.AtLeast, Operation.GreaterOrEqual, ">="), (ScopeTest.MoreThan, Operation.Greater, ">"),
        (ScopeTest.AtMost, Operation.LessOrEqual, "<="), (ScopeTest.LessThan, Operation.Less, "<"),
    ];

    /// <summary>What is wrong with them, in words; null when nothing is.</summary>
    public string? Problem => this.Rows switch
    {
        { Length: 0 } => "Add a condition, or let every record take part.",
        { Length: > Most } => $"At most {Most} conditions can be put together so. Write a formula instead.",
        _ => this.Rows.Select(Wrong).FirstOrDefault(w => w is not null),
    };

    private static string? Wrong(ScopeRow row) => row switch
    {
        { Path: "" } => "Choose a field for each condition.",
        { Test: ScopeTest.IsEmpty or ScopeTest.IsFilled } => null,
        { Values.Length: > MostValues } => $"{row.Path}: at most {MostValues} values can be listed.",
        { Values.IsEmpty: true } => $"{row.Path}: say what it is compared with.",
        { Test: not (ScopeTest.IsOneOf or ScopeTest.IsNoneOf), Values.Length: > 1 } => $"{row.Path}: one value is expected here.",
        _ when row.Values.Any(string.IsNullOrWhiteSpace) => $"{row.Path}: say what it is compared with.",
        _ => null,
    };

    /// <summary>The conditions as a formula.</summary>
    /// <param name="isText">Whether a field holds text: what it is compared with is text then, whatever it looks like.</param>
    public string Formula(Func<string, bool> isText)
    {
        var parts = this.Rows.Select(r => Of(r, isText(r.Path))).ToList();
        return parts.Count == 1 ? parts[0] : $"{(this.All ? "AND" : "OR")}({string.Join("; ", parts)})";
    }

    private static string Of(ScopeRow row, bool isText)
    {
        var field = Name(row.Path);
        string Value(string text) => isText || row.Test is ScopeTest.Contains or ScopeTest.BeginsWith ? Quoted(text) : Plain(text.Trim());
        string Each(string sign) => string.Join("; ", row.Values.Select(v => $"{field} {sign} {Value(v)}"));
        return row.Test switch
        {
            ScopeTest.IsEmpty => $"ISBLANK({field})",
            ScopeTest.IsFilled => $"NOT(ISBLANK({field}))",
            ScopeTest.IsOneOf => $"OR({Each("=")})",
            ScopeTest.IsNoneOf => $"AND({Each("<>")})",
            ScopeTest.Contains => $"ISNUMBER(SEARCH({Value(row.Values[0])}; {field}))",
            ScopeTest.BeginsWith => $"LEFT({field}; {new StringInfo(row.Values[0]).LengthInTextElements}) = {Value(row.Values[0])}",
            _ => $"{field} {Signs.First(s => s.Test == row.Test).Sign} {Value(row.Values[0])}",
        };
    }

    private static string Plain(string text) => text.ToUpperInvariant() switch
    {
        "TRUE" or "YES" => "TRUE()",
        "FALSE" or "NO" => "FALSE()",
        _ => decimal.TryParse(text, NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out var number) ? Item.Plain(number) : Quoted(text),
    };

    private static string Quoted(string text) => $"\"{text.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";

    /// <summary>A field's name as a formula writes it.</summary>
    private static string Name(string path) => path.Length > 0 && (char.IsAsciiLetter(path[0]) || path[0] == '_') && path.All(c => char.IsAsciiLetterOrDigit(c) || c is '_' or '.') && !path.Equals("TRUE", StringComparison.OrdinalIgnoreCase) && !path.Equals("FALSE", StringComparison.OrdinalIgnoreCase)
        ? path
        : $"[{path}]";

    /// <summary>A formula as conditions; null where it is not of these.</summary>
    public static ScopeRows? Of(string formula)
    {
        if (!Formulas.Formula.Parse(formula, null, out var parsed, out _))
        {
            return null;
        }

        if (Row(parsed.Root) is { } one)
        {
            return new ScopeRows(true, [one]);
        }

        if (parsed.Root is not Node.Call { Function.Name: "AND" or "OR" } call)
        {
            return null;
        }

        var rows = call.Arguments.Select(Row).ToList();
        return rows.Contains(null) ? null : new ScopeRows(call.Function.Name == "AND", [.. rows.OfType<ScopeRow>()]);
    }

    private static ScopeRow? Row(Node node) => node switch
    {
        Node.Call { Function.Name: "ISBLANK", Arguments: [Node.Field field] } => new ScopeRow(field.Name, ScopeTest.IsEmpty),
        Node.Call { Function.Name: "NOT", Arguments: [Node.Call { Function.Name: "ISBLANK", Arguments: [Node.Field field] }] } => new ScopeRow(field.Name, ScopeTest.IsFilled),
        Node.Call { Function.Name: "ISNUMBER", Arguments: [Node.Call { Function.Name: "SEARCH", Arguments: [Node.Constant { Value.Kind: ItemKind.Text } text, Node.Field field] }] } => new ScopeRow(field.Name, ScopeTest.Contains, [text.Value.Text]),
        Node.Binary { Operation: Operation.Equal, Left: Node.Call { Function.Name: "LEFT", Arguments: [Node.Field field, Node.Constant { Value.Kind: ItemKind.Number } length] }, Right: Node.Constant { Value.Kind: ItemKind.Text } text }
            when length.Value.Number == new StringInfo(text.Value.Text).LengthInTextElements => new ScopeRow(field.Name, ScopeTest.BeginsWith, [text.Value.Text]),
        Node.Binary { Left: Node.Field field } compared when Said(compared.Right) is { } value && Signs.Any(s => s.Operation == compared.Operation) => new ScopeRow(field.Name, Signs.First(s => s.Operation == compared.Operation).Test, [value]),
        Node.Call { Function.Name: "OR", Arguments: { Length: > 1 } each } => Listed(each, Operation.Equal, ScopeTest.IsOneOf),
        Node.Call { Function.Name: "AND", Arguments: { Length: > 1 } each } => Listed(each, Operation.Different, ScopeTest.IsNoneOf),
        _ => null,
    };

    private static ScopeRow? Listed(ImmutableArray<Node> each, Operation operation, ScopeTest test)
    {
        var compared = each.Select(e => e is Node.Binary { Left: Node.Field field } binary && binary.Operation == operation && Said(binary.Right) is { } value ? (field.Name, Value: value) : default).ToList();
        return compared.TrueForAll(c => c.Name is not null && c.Name == compared[0].Name) ? new ScopeRow(compared[0].Name, test, [.. compared.Select(c => c.Value)]) : null;
    }

    private static string? Said(Node node) => node switch
    {
        Node.Constant { Value: { Kind: ItemKind.Text or ItemKind.Number, Sense: NumberSense.Plain } value } => value.Shown,
        Node.Negate { Operand: Node.Constant { Value: { Kind: ItemKind.Number, Sense: NumberSense.Plain } value } } => Item.Plain(-value.Number),
        Node.Call { Function.Name: "TRUE", Arguments.IsEmpty: true } => "yes",
        Node.Call { Function.Name: "FALSE", Arguments.IsEmpty: true } => "no",
        _ => null,
    };
}
