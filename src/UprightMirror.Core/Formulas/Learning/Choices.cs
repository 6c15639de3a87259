using System.Text;

namespace UprightMirror.Core.Formulas.Learning;

/// <summary>The first field that is not empty, the fields that are not empty in a row, and small tables of codes.</summary>
internal static class Choices
{
    private const int MostFields = 7;
    private const int MostCodes = 24;
    private static readonly string[] Between = [" ", ", ", "-", "/", ",", "; ", ";", " - ", "_", ".", "|", "\n", ": "];

    /// <summary>The first non-empty of two or three fields, where it matters: in some example the first of them is empty.</summary>
    public static IEnumerable<Piece> FirstFilled(IReadOnlyList<Piece> fields)
    {
        var some = fields.Take(MostFields).ToList();
        foreach (var a in some.Where(f => f.Values.Any(v => v.Length == 0)))
        {
            foreach (var b in some.Where(f => f != a))
            {
                var two = First(a, b);
                if (two.Values.All(v => v.Length > 0))
                {
                    yield return new Piece($"FIRSTFILLED({a.Text}; {b.Text})", 2.2, two.Values);
                }
                else
                {
                    foreach (var c in some.Where(f => f != a && f != b))
                    {
                        yield return new Piece($"FIRSTFILLED({a.Text}; {b.Text}; {c.Text})", 3.0, First(two, c).Values);
                    }
                }
            }
        }
    }

    /// <summary>Fields in a row with a separator, those left out that are empty.</summary>
    public static IEnumerable<Learned> Joined(IReadOnlyList<Piece> fields, string[] outputs)
    {
        var some = fields.Where(f => f.Values.Zip(outputs).All(v => v.Second.Contains(v.First, StringComparison.Ordinal))).Take(MostFields).ToList();
        if (!some.Any(f => f.Values.Any(v => v.Length == 0)))
        {
            yield break;
        }

        foreach (var separator in Between)
        {
            foreach (var row in Rows(some, [], outputs, separator))
            {
                yield return new Learned($"JOIN({Writing.Text(separator)}; {string.Join("; ", row.Select(r => r.Text))})", 2.0 + (row.Count * 0.7));
            }
        }
    }

    /// <summary>
    /// A table of codes: the output hangs on one field alone, and it was seen to do so. At least one code stands in two examples; what
    /// is not in the table is not guessed.
    /// </summary>
    public static IEnumerable<Learned> Table(IReadOnlyList<Piece> fields, string[] outputs)
    {
        foreach (var field in fields)
        {
            var table = field.Values.Zip(outputs).GroupBy(v => v.First, StringComparer.OrdinalIgnoreCase).ToList();
            if (table.Count is < 2 or > MostCodes || table.Count == outputs.Length || table.Any(g => g.Select(v => v.Second).Distinct().Count() > 1 || g.Key.Length > 40) || outputs.Distinct().Count() < 2)
            {
                continue;
            }

            var text = new StringBuilder();
            foreach (var code in table)
            {
                text.Append($"IF({field.Text} = {Writing.Text(code.Key)}; {Writing.Text(code.First().Second)}; ");
            }

            yield return new Learned(text.Append("NA()").Append(')', table.Count).ToString(), 14 + (table.Count * 2));
        }
    }

    private static Piece First(Piece a, Piece b) => new("", 0, [.. a.Values.Zip(b.Values, (x, y) => x.Length > 0 ? x : y)]);

    private static IEnumerable<List<Piece>> Rows(List<Piece> fields, List<Piece> row, string[] outputs, string separator)
    {
        if (row.Count > 1 && outputs.Select((o, i) => o == string.Join(separator, row.Select(r => r.Values[i]).Where(v => v.Length > 0))).All(same => same))
        {
            yield return [.. row];
            yield break;
        }

        if (row.Count >= 5)
        {
            yield break;
        }

        foreach (var field in fields.Except(row).ToList())
        {
            row.Add(field);

            // Only rows that the outputs begin with are gone on with.
            if (outputs.Select((o, i) => o.StartsWith(string.Join(separator, row.Select(r => r.Values[i]).Where(v => v.Length > 0)), StringComparison.Ordinal)).All(begins => begins))
            {
                foreach (var whole in Rows(fields, row, outputs, separator))
                {
                    yield return whole;
                }
            }

            row.RemoveAt(row.Count - 1);
        }
    }
}
