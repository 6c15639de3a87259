using System.Collections.Immutable;
using System.Globalization;

namespace UprightMirror.Core.Formulas;

/// <summary>Says a formula in plain words: <c>LEFT(name; 3)</c> is "the first 3 characters of name".</summary>
public static class FormulaWords
{
    /// <summary>Sentences for functions by name: {0} stands for an argument in words.</summary>
    private static readonly Dictionary<(string Name, int Arguments), string> Phrases = new()
    {
        [("LEFT", 1)] = "the first character of {0}",
        [("LEFT", 2)] = "the first {1} characters of {0}",
        [("RIGHT", 1)] = "the last character of {0}",
        [("RIGHT", 2)] = "the last {1} characters of {0}",
        [("MID", 3)] = "{2} characters of {0} from number {1} on",
        [("LEN", 1)] = "how many characters {0} has",
        [("TRIM", 1)] = "{0} without needless spaces",
        [("CLEAN", 1)] = "{0} without line ends",
        [("UPPER", 1)] = "{0} in capitals",
        [("LOWER", 1)] = "{0} in small letters",
        [("PROPER", 1)] = "{0} with a capital for each word",
        [("SUBSTITUTE", 3)] = "{0} with {2} in place of {1}",
        [("SUBSTITUTE", 4)] = "{0} with {2} in place of {1} the {3}. time",
        [("REPLACE", 4)] = "{0} with {3} in place of the {2} characters from number {1} on",
        [("REPT", 2)] = "{0}, {1} times in a row",
        [("SPLIT", 3)] = "part {2} of {0}, cut at {1}",
        [("DIGITS", 1)] = "the digits of {0}",
        [("DIGITS", 2)] = "run {1} of digits in {0}",
        [("LETTERS", 1)] = "the letters of {0}",
        [("LETTERS", 2)] = "run {1} of letters in {0}",
        [("WORD", 2)] = "word {1} of {0}",
        [("PHONE", 1)] = "{0} in international form",
        [("PHONEDIGITS", 1)] = "{0} as + and digits alone",
        [("PHONENATIONAL", 1)] = "{0} as it is dialled within its country",
        [("EMAIL", 1)] = "the e-mail address {0} in small letters",
        [("EMAILDOMAIN", 1)] = "what stands after the @ of {0}",
        [("EMAILUSER", 1)] = "what stands before the @ of {0}",
        [("AGREEDOF", 2)] = "what {1} means in the code list {0}",
        [("CODEOF", 2)] = "the code that the code list {0} has for {1}",
        [("REFERENCE", 1)] = "the id in {0}",
        [("LINKED", 2)] = "{1} of the linked {0}",
        [("LINKED", 3)] = "{1} of the {0} that are linked by {2}",
        [("VALUE", 1)] = "the number that {0} spells",
        [("DATEVALUE", 1)] = "the date that {0} spells",
        [("TEXT", 2)] = "{0} in the form {1}",
        [("FIXED", 1)] = "{0} with 2 decimals",
        [("FIXED", 2)] = "{0} with {1} decimals",
        [("ROUND", 1)] = "{0} rounded to a whole number",
        [("ROUND", 2)] = "{0} rounded to {1} decimals",
        [("INT", 1)] = "the next whole number below {0}",
        [("ABS", 1)] = "{0} without its sign",
        [("YEAR", 1)] = "the year of {0}",
        [("MONTH", 1)] = "the month of {0}",
        [("DAY", 1)] = "the day of {0}",
        [("DATE", 3)] = "the date of year {0}, month {1}, day {2}",
        [("EDATE", 2)] = "{1} months after {0}",
        [("EOMONTH", 2)] = "the last day of the month {1} months after {0}",
        [("IF", 2)] = "{1} where {0}",
        [("IF", 3)] = "{1} where {0}, otherwise {2}",
        [("IFERROR", 2)] = "{0}, or {1} where that fails",
        [("IFNA", 2)] = "{0}, or {1} where there is none",
        [("NOT", 1)] = "not: {0}",
        [("ISBLANK", 1)] = "{0} is empty",
        [("SUM", 1)] = "the sum of {0}",
        [("COUNT", 1)] = "how many of {0} are numbers",
        [("COUNTFILLED", 1)] = "how many of {0} are filled",
        [("TODAY", 0)] = "the day of the run",
        [("NOW", 0)] = "the time of the run",
    };

    public static string Of(Formula formula) => Says(formula.Root);

    private static string Says(Node node) => node switch
    {
        Node.Constant { Value: { Kind: ItemKind.Text } text } => $"“{text.Shown}”",
        Node.Constant constant => constant.Value.Shown,
        Node.Field field => field.Name == "value" ? "the value" : field.Name,
        Node.Negate negate => $"minus {Says(negate.Operand)}",
        Node.Keep keep => Says(keep.Operand),
        Node.Percent percent => $"{Says(percent.Operand)} per cent",
        Node.Binary { Operation: Operation.Join } => Listed(Joined(node).Select(Says), "then"),
        Node.Binary binary => $"{Says(binary.Left)} {Between(binary.Operation)} {Says(binary.Right)}",
        Node.Call call => Called(call),
        _ => "",
    };

    private static string Called(Node.Call call)
    {
        var name = call.Function.Name;
        var said = call.Arguments.Select(Says).ToImmutableArray();
        return (name, call.Arguments) switch
        {
            ("CONCATENATE", _) => Listed(said, "then"),
            ("FIRSTFILLED", _) => $"the first of {Listed(said, "and")} that is not empty",
            ("JOIN", { Length: > 1 }) => $"{Listed(said[1..], "and")}, as far as they are filled, with {said[0]} between",
            ("AND", _) => Listed(said, "and"),
            ("OR", _) => Listed(said, "or"),
            ("MIN", { Length: > 1 }) => $"the least of {Listed(said, "and")}",
            ("MAX", { Length: > 1 }) => $"the greatest of {Listed(said, "and")}",
            ("SUM", { Length: > 1 }) => Listed(said, "plus"),
            ("SPLIT" or "WORD", { Length: > 1 }) when Whole(call.Arguments[^1]) is { } n => name == "SPLIT" ? $"the {Place(n)} part of {said[0]}, cut at {said[1]}" : $"the {Place(n)} word of {said[0]}",
            ("DIGITS" or "LETTERS", { Length: 2 }) when Whole(call.Arguments[1]) is { } n => $"the {Place(n)} {name.ToLowerInvariant()} of {said[0]}",
            ("MID", { Length: 3 }) when Whole(call.Arguments[2]) is > 100 => $"{said[0]} from character {said[1]} on",
            _ when Phrases.TryGetValue((name, said.Length), out var phrase) => string.Format(CultureInfo.InvariantCulture, phrase, [.. said]),
            _ => said.IsEmpty ? name : $"{name} of {Listed(said, "and")}",
        };
    }

    private static IEnumerable<Node> Joined(Node node) => node is Node.Binary { Operation: Operation.Join } join ? Joined(join.Left).Concat(Joined(join.Right)) : [node];

    private static int? Whole(Node node) => node switch
    {
        Node.Constant { Value: { Kind: ItemKind.Number } number } => (int)decimal.Clamp(number.Number, -1000, 1000),
        Node.Negate { Operand: Node.Constant { Value: { Kind: ItemKind.Number } number } } => -(int)decimal.Clamp(number.Number, -1000, 1000),
        _ => null,
    };

    private static string Place(int n) => n switch
    {
        -1 => "last",
        -2 => "last but one",
        1 => "first",
        2 => "second",
        3 => "third",
        < 0 => $"{-n}th from the end",
        _ => $"{n}th",
    };

    private static string Between(Operation operation) => operation switch
    {
        Operation.Add => "plus",
        Operation.Subtract => "minus",
        Operation.Multiply => "times",
        Operation.Divide => "divided by",
        Operation.Power => "to the power of",
        Operation.Equal => "is",
        Operation.Different => "is not",
        Operation.Less => "is less than",
        Operation.LessOrEqual => "is at most",
        Operation.Greater => "is more than",
        Operation.GreaterOrEqual => "is at least",
        _ => "then",
    };

    private static string Listed(IEnumerable<string> parts, string and)
    {
        var list = parts.ToList();
        return list.Count < 2 ? string.Concat(list) : and == "then" ? string.Join(", then ", list) : $"{string.Join(", ", list[..^1])} {and} {list[^1]}";
    }
}
