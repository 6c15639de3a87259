using System.Collections.Immutable;
using UprightMirror.Core.Mapping.Suggesting;
using UprightMirror.Core.Matching.Comparing;

namespace UprightMirror.Core.Matching;

/// <summary>One piece of evidence: what is compared, and in which columns its parts stand.</summary>
/// <param name="Columns">For each part of the comparator the column; -1 where there is none.</param>
public sealed record EvidenceField(Comparator Comparator, ImmutableArray<int> Columns);

/// <summary>What records are compared by.</summary>
public sealed record MatchPlan(ImmutableArray<EvidenceField> Fields)
{
    /// <summary>More are not looked at: 15 levels each are kept in one number.</summary>
    public const int MostFields = 15;

    private const int SamplesLookedAt = 500;

    /// <summary>What a word of a column's name says that the column holds.</summary>
    private static readonly Dictionary<string, string> KindOfWord = new(StringComparer.Ordinal)
    {
        ["firstname"] = "given",
        ["lastname"] = "family",
        ["fullname"] = "name",
        ["organisation"] = "organisation",
        ["email"] = "email",
        ["website"] = "web",
        ["telephone"] = "phone",
        ["mobile"] = "phone",
        ["street"] = "street",
        ["city"] = "town",
        ["postcode"] = "postcode",
        ["address"] = "address",
        ["birthdate"] = "date",
        ["taxnumber"] = "number",
        ["registration"] = "number",
        ["customernumber"] = "number",
        ["gtin"] = "number",
        ["sku"] = "number",
        ["iban"] = "number",
        ["segment"] = "text",
        ["language"] = "text",
        ["gender"] = "text",
    };

    /// <summary>Finds what each column holds by its name and its values. A column of which that can't be said is left out.</summary>
    /// <param name="samples">Some rows, as long as the names.</param>
    /// <param name="said">What a person says of columns: a kind, or one of its parts, by column name; those that are not named are left out.</param>
    /// <exception cref="ArgumentException">What is said names no column or no kind.</exception>
    public static MatchPlan Of(IReadOnlyList<string> columns, IReadOnlyList<IReadOnlyList<string>> samples, IReadOnlyList<(string Column, string Kind)>? said = null)
    {
        var kinds = new string?[columns.Count];
        if (said is not null)
        {
            foreach (var (column, kind) in said)
            {
                var at = columns.ToList().IndexOf(column);
                kinds[at >= 0 ? at : throw new ArgumentException($"there is no column called {column}; there are {string.Join(", ", columns)}")] =
                    Comparators.Of(kind) is not null ? kind : throw new ArgumentException($"there is no kind called {kind}; there are {string.Join(", ", Comparators.All.SelectMany(c => c.Parts).Distinct())}");
            }
        }
        else
        {
            for (var c = 0; c < columns.Count; c++)
            {
                kinds[c] = KindOf(columns[c], [.. samples.Take(SamplesLookedAt).Select(r => r[c]).Where(v => v.Length > 0)]);
            }

            // A name beside a given and a family name is theirs once more; one alone is an organisation's or a person's by its words.
            var hasPerson = kinds.Contains("given") || kinds.Contains("family");
            for (var c = 0; c < columns.Count; c++)
            {
                if (kinds[c] == "name" && hasPerson)
                {
                    kinds[c] = null;
                }
            }
        }

        var fields = new List<EvidenceField>();
        for (var c = 0; c < columns.Count; c++)
        {
            if (kinds[c] is not { } kind || Comparators.Of(kind) is not var (comparator, part))
            {
                continue;
            }

            // The parts of one kind come together: a street, a town and a postcode are one address.
            var open = comparator.Parts.Length > 1 ? fields.FindIndex(f => f.Comparator == comparator && f.Columns[part] < 0) : -1;
            if (open >= 0)
            {
                fields[open] = fields[open] with { Columns = fields[open].Columns.SetItem(part, c) };
            }
            else
            {
                fields.Add(new EvidenceField(comparator, [.. Enumerable.Range(0, comparator.Parts.Length).Select(p => p == part ? c : -1)]));
            }
        }

        return new MatchPlan([.. fields.Take(MostFields)]);
    }

    /// <summary>Plans of several sides brought to one: what not every side has is no evidence.</summary>
    public static ImmutableArray<MatchPlan> Together(IReadOnlyList<MatchPlan> plans)
    {
        var kinds = Comparators.All.SelectMany(c => Enumerable.Repeat(c, plans.Min(p => p.Fields.Count(f => f.Comparator == c)))).ToList();
        return [.. plans.Select(plan => new MatchPlan([.. kinds.Select((c, i) => plan.Fields.Where(f => f.Comparator == c).ElementAt(kinds.Take(i).Count(k => k == c)))]))];
    }

    /// <summary>What a column holds; null when nothing can be said, or nothing that would tell records apart.</summary>
    private static string? KindOf(string name, IReadOnlyList<string> values)
    {
        if (values.Count == 0)
        {
            return null;
        }

        double Share(Func<string, bool> fits) => values.Count(fits) / (double)values.Count;
        if (Share(v => v.IndexOf('@', StringComparison.Ordinal) > 0 && !v.Contains(' ', StringComparison.Ordinal)) > 0.6)
        {
            return "email";
        }

        var words = Words.Known.Read(name).OrderByDescending(w => w.Weight).Select(w => w.Word).ToList();
        if (words.Select(w => KindOfWord.GetValueOrDefault(w)).FirstOrDefault(k => k is not null) is { } kind)
        {
            return kind is "phone" && Share(v => v.Count(char.IsAsciiDigit) >= 5) < 0.5 ? null : kind;
        }

        if (words.Contains("country") || words.Contains("identifier") || words.Contains("created") || words.Contains("modified"))
        {
            return null; // A country is told by the town; an identifier is the system's own.
        }

        if (Share(v => v.StartsWith("http", StringComparison.OrdinalIgnoreCase) || v.StartsWith("www.", StringComparison.OrdinalIgnoreCase)) > 0.6)
        {
            return "web";
        }

        var dates = new Dates();
        if (Share(v => dates.Prepare([v]) is not null) > 0.8)
        {
            return words.Contains("date") || words.Contains("birthdate") || words.Contains("start") ? "date" : null;
        }

        if (words.Contains("name") || words.Contains("person") || words.Contains("customer"))
        {
            return Share(LooksLikePerson) > 0.5 ? "name" : "organisation";
        }

        return words.Contains("type") || words.Contains("category") ? "text" : null;
    }

    /// <summary>Two or three words, the first of them known as a given name.</summary>
    private static bool LooksLikePerson(string value)
    {
        var words = Folding.Words(value).Split(' ');
        return words.Length is 2 or 3 && words.Any(w => GivenNames.FormsOf(w).Count > 0);
    }
}
