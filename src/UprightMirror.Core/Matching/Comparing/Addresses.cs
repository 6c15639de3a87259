using System.Collections.Frozen;
using System.Collections.Immutable;
using System.Text.RegularExpressions;

namespace UprightMirror.Core.Matching.Comparing;

/// <summary>
/// Where something is: street, town and postcode as one piece of evidence, since they go together. What a thing is called says more than where it is:
/// many share a house, and people move.
/// </summary>
public sealed partial class Addresses : Comparator
{
    private static readonly FrozenDictionary<string, string> Short = new Dictionary<string, string>
    {
        ["street"] = "st",
        ["str"] = "st",
        ["strasse"] = "st",
        ["straat"] = "st",
        ["road"] = "rd",
        ["lane"] = "ln",
        ["avenue"] = "ave",
        ["av"] = "ave",
        ["drive"] = "dr",
        ["place"] = "pl",
        ["square"] = "sq",
        ["court"] = "ct",
        ["close"] = "cl",
        ["crescent"] = "cres",
        ["gardens"] = "gdns",
        ["terrace"] = "tce",
        ["ter"] = "tce",
        ["boulevard"] = "blvd",
        ["platz"] = "pl",
        ["plein"] = "pl",
        ["gate"] = "gt",
        ["gata"] = "gt",
        ["veien"] = "vn",
        ["vegen"] = "vn",
        ["north"] = "n",
        ["south"] = "s",
        ["east"] = "e",
        ["west"] = "w",
        ["saint"] = "st",
        ["mount"] = "mt",
    }.ToFrozenDictionary(StringComparer.Ordinal);

    public override string Kind => "address";

    public override string Words => "address";

    public override ImmutableArray<string> Parts { get; } = ["street", "town", "postcode", "address"];

    public override ImmutableArray<Level> Levels { get; } =
        [new("elsewhere", 0.12, 1), new("in the same town", 0.08, 0.1), new("in the same street or under the same postcode", 0.15, 0.005), new("the same", 0.65, 0.001)];

    public override Prepared? Prepare(IReadOnlyList<string> parts)
    {
        var (street, town, postcode) = (parts[0], parts[1], parts[2]);
        if (street.Length + town.Length + postcode.Length == 0 && parts.Count > 3 && parts[3].Length > 0)
        {
            (street, town, postcode) = Split(parts[3]);
        }

        var words = Folding.Words(street).Split(' ', StringSplitOptions.RemoveEmptyEntries);
        var number = words.FirstOrDefault(w => char.IsAsciiDigit(w[0])) ?? "";
        var name = string.Concat(words.Where(w => !char.IsAsciiDigit(w[0])).Select(w => Short.GetValueOrDefault(w) ?? Shortened(w)));
        var place = new Place(name, number, Folding.Letters(town), Folding.Letters(postcode));
        return place.Street.Length + place.Town.Length + place.Postcode.Length == 0 ? null : place;
    }

    public override int Compare(Prepared a, Prepared b)
    {
        var (one, other) = ((Place)a, (Place)b);
        var postcode = Same(one.Postcode, other.Postcode);
        var town = Same(one.Town, other.Town);
        var street = Same(one.Street, other.Street);
        var number = one.Number.Length > 0 && one.Number == other.Number;
        if (street is null && postcode is null && town is null)
        {
            return -1;
        }

        if (street == true && (number || one.Number.Length + other.Number.Length == 0) && ((postcode == true && town != false) || town == true || (postcode is null && town is null)))
        {
            return 3;
        }

        if (postcode == true && number && street != false && town != false)
        {
            return 3;
        }

        if (postcode == true || (street == true && town != false))
        {
            return 2;
        }

        // One house number and street in a town that is written otherwise is still a coincidence to be told.
        return street == true && number ? 2 : town == true ? 1 : Different;
    }

    public override IEnumerable<string> InCommon(Prepared a, Prepared b, int level)
    {
        var (one, other) = ((Place)a, (Place)b);
        return level switch
        {
            3 => [$"a{one.Whole}"],
            2 when one.Postcode.Length > 0 && one.Postcode == other.Postcode => [$"z{one.Postcode}"],
            2 => [$"s{one.Street}{one.Town}"],
            1 => [$"t{one.Town}"],
            _ => [],
        };
    }

    private static bool? Same(string a, string b) => a.Length == 0 || b.Length == 0 ? null : a == b || (Math.Min(a.Length, b.Length) > 4 && DamerauLevenshtein.Distance(a, b, 1) <= 1 && !(char.IsAsciiDigit(a[0]) || char.IsAsciiDigit(a[^1])));

    /// <summary>German and Dutch streets have the word at their end: Seestraße, Dorpsstraat.</summary>
    private static string Shortened(string word) =>
        word.EndsWith("strasse", StringComparison.Ordinal) ? word[..^7] + "st" : word.EndsWith("straat", StringComparison.Ordinal) ? word[..^6] + "st" : word.EndsWith("str", StringComparison.Ordinal) && word.Length > 5 ? word[..^3] + "st" : word;

    /// <summary>An address in one text: lines or commas between street and town, the postcode wherever it stands.</summary>
    private static (string Street, string Town, string Postcode) Split(string text)
    {
        var lines = text.Split([',', '\n', ';'], StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries);
        var rest = lines.Length > 1 ? string.Join(' ', lines[1..]) : "";
        var code = Postcode().Match(rest);
        return (lines.FirstOrDefault() ?? "", code.Success ? rest.Remove(code.Index, code.Length) : rest, code.Value);
    }

    [GeneratedRegex(@"\b([A-Z]{1,2}\d[A-Z\d]? ?\d[A-Z]{2}|[A-Z]\d[\dW] ?[A-Z\d]{4}|\d{4} ?[A-Z]{2}|\d{4,5}(-\d{4})?)\b")]
    private static partial Regex Postcode();

    private sealed record Place(string Street, string Number, string Town, string Postcode) : Prepared($"{Street}|{Number}|{Town}|{Postcode}")
    {
        public string Whole => $"{this.Street}|{this.Number}|{(this.Postcode.Length > 0 ? this.Postcode : this.Town)}";

        public override IReadOnlyList<string> Names => [$"a{this.Whole}", $"z{this.Postcode}", $"s{this.Street}{this.Town}", $"t{this.Town}"];

        public override IEnumerable<string> Keys =>
        [
            .. this.Postcode.Length > 0 && this.Number.Length > 0 ? [$"a{this.Postcode} {this.Number}"] : Array.Empty<string>(),
            .. this.Street.Length > 0 && this.Number.Length > 0 ? [$"s{this.Street} {this.Number}"] : Array.Empty<string>(),
        ];

        public override IEnumerable<string> HalfKeys => [.. this.Postcode.Length > 0 ? [$"z{this.Postcode}"] : Array.Empty<string>(), .. this.Town.Length > 0 ? [$"c{this.Town}"] : Array.Empty<string>()];
    }
}
