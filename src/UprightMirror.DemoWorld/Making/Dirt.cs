using Bogus;

namespace UprightMirror.DemoWorld.Making;

/// <summary>What happens to true data in the hands of people: the ways in which real copies differ.</summary>
public static class Dirt
{
    private static readonly string[] Endings = [" Ltd", " Limited", " CLG", " B.V.", " BV", " AS", " GmbH", " e.V."];

    private static readonly Dictionary<char, string> Plain = new()
    {
        ['á'] = "a",
        ['à'] = "a",
        ['ä'] = "a",
        ['å'] = "a",
        ['Å'] = "A",
        ['é'] = "e",
        ['è'] = "e",
        ['ë'] = "e",
        ['í'] = "i",
        ['ï'] = "i",
        ['ó'] = "o",
        ['ö'] = "o",
        ['ø'] = "o",
        ['Ø'] = "O",
        ['ú'] = "u",
        ['ü'] = "u",
        ['æ'] = "ae",
        ['ß'] = "ss",
    };

    /// <summary>A company's name as somebody else typed it.</summary>
    public static string Name(Randomizer random, string name) => random.Number(0, 11) switch
    {
        0 or 1 => WithoutEnding(name),
        2 => "The " + WithoutEnding(name),
        3 => name.Replace("&", "and", StringComparison.Ordinal),
        4 => Typo(random, name),
        5 => name.Replace(" ", "  ", StringComparison.Ordinal),
        6 => name.ToUpperInvariant(),
        7 => name.Replace("Canoe Club", "C.C.", StringComparison.Ordinal).Replace("Limited", "Ltd", StringComparison.Ordinal),
        _ => name,
    };

    /// <summary>Two neighbouring letters changed places, one is missing, or one is there twice.</summary>
    public static string Typo(Randomizer random, string text)
    {
        if (text.Length < 5)
        {
            return text;
        }

        var at = random.Number(1, text.Length - 3);
        return random.Number(0, 2) switch
        {
            0 => text[..at] + text[at + 1] + text[at] + text[(at + 2)..],
            1 => text.Remove(at, 1),
            _ => text.Insert(at, text[at].ToString()),
        };
    }

    public static string WithoutEnding(string name) => Endings.Aggregate(name, (n, ending) => n.EndsWith(ending, StringComparison.Ordinal) ? n[..^ending.Length] : n);

    /// <summary>Letters without their marks, as on a keyboard that has none. By a table: not every machine has the data that Unicode's own folding needs.</summary>
    public static string WithoutMarks(string text) => string.Concat(text.Select(c => Plain.GetValueOrDefault(c) ?? c.ToString()));

    /// <summary>First and last name as somebody else typed them: a nickname, swapped, without marks.</summary>
    public static (string First, string Last) Person(Randomizer random, Person person) => random.Number(0, 11) switch
    {
        0 or 1 => (person.Nickname, person.Last),
        2 => (person.Last, person.First),
        3 => (WithoutMarks(person.First), WithoutMarks(person.Last)),
        4 => (person.First, Typo(random, person.Last)),
        5 => (person.First[..1] + ".", person.Last),
        _ => (person.First, person.Last),
    };

    /// <summary>The sales people's way of writing a telephone number: the country code, then groups.</summary>
    public static string Grouped(string phone)
    {
        var code = phone.StartsWith("+353", StringComparison.Ordinal) ? 4 : 3;
        var rest = phone[code..];
        return $"{phone[..code]} {rest[..3]} {rest[3..^4]} {rest[^4..]}".Replace("  ", " ", StringComparison.Ordinal);
    }

    /// <summary>The office's way: digits as dialled at home.</summary>
    public static string National(string phone, string country) => country switch
    {
        "NO" => phone[3..],
        "IE" => "0" + phone[4..],
        _ => "0" + phone[3..],
    };
}
