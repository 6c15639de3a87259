using System.Globalization;

namespace UprightMirror.Core.Formulas.Learning;

/// <summary>Numbers from one way of writing to another, and arithmetic between fields that hold numbers.</summary>
internal static class NumberForms
{
    private const int MostFields = 8;

    /// <param name="Decimal">The decimal mark.</param>
    /// <param name="Thousands">What stands between thousands; null for nothing.</param>
    private sealed record Marks(char Decimal, char? Thousands);

    private static readonly Marks[] Ways = [new('.', null), new(',', null), new('.', ','), new(',', '.'), new(',', ' '), new('.', ' '), new('.', '\''), new(',', '\u00A0')];

    public static IEnumerable<Learned> Find(IReadOnlyList<Piece> fields, string[] outputs)
    {
        // How the outputs are written: one way that fits them all, with a fixed number of decimals or without zeros at the end.
        foreach (var outWay in Ways)
        {
            if (outputs.Select(o => Read(o, outWay)).ToArray() is var wanted && wanted.Any(w => w is null))
            {
                continue;
            }

            foreach (var (expression, values, cost) in Expressions(fields))
            {
                foreach (var (text, extra) in Written(expression, values, [.. wanted.Select(w => w!.Value)], outputs, outWay))
                {
                    yield return new Learned(text, cost + extra);
                }
            }
        }
    }

    /// <summary>Numbers that can be made of the fields: each by itself, from however it is written, and two or three by arithmetic.</summary>
    private static IEnumerable<(string Expression, decimal[] Values, double Cost)> Expressions(IReadOnlyList<Piece> fields)
    {
        var numbers = new List<(string Text, decimal[] Values, double Cost)>();
        foreach (var field in fields.Where(f => f.Values.All(v => v.Length is > 0 and <= 28)))
        {
            foreach (var way in Ways)
            {
                if (field.Values.Select(v => Read(v, way)).ToArray() is var read && read.All(r => r is not null))
                {
                    var text = field.Text;
                    text = way.Thousands is { } thousands ? $"SUBSTITUTE({text}; {Writing.Text(thousands.ToString())}; \"\")" : text;
                    text = way.Decimal == ',' ? $"SUBSTITUTE({text}; \",\"; \".\")" : text;
                    numbers.Add((text == field.Text ? text : $"VALUE({text})", [.. read.Select(r => r!.Value)], 2.0 + (way.Thousands is null ? 0 : 0.5) + (way.Decimal == ',' ? 0.3 : 0)));
                    break;
                }
            }
        }

        // One field only written anew: where putting one sign for another does it as well, that keeps more of what was there.
        foreach (var (text, values, cost) in numbers)
        {
            yield return (text, values, cost + 3.2);
        }

        numbers = [.. numbers.Take(MostFields)];
        foreach (var a in numbers)
        {
            foreach (var b in numbers.Where(n => n.Text != a.Text))
            {
                var cost = a.Cost + b.Cost;
                if (string.CompareOrdinal(a.Text, b.Text) < 0)
                {
                    yield return ($"{a.Text} * {b.Text}", Each(a.Values, b.Values, (x, y) => x * y), cost + 0.5);
                    yield return ($"{a.Text} + {b.Text}", Each(a.Values, b.Values, (x, y) => x + y), cost + 0.5);
                }

                yield return ($"{a.Text} - {b.Text}", Each(a.Values, b.Values, (x, y) => x - y), cost + 0.6);
                if (b.Values.All(v => v != 0))
                {
                    yield return ($"{a.Text} / {b.Text}", Each(a.Values, b.Values, (x, y) => x / y), cost + 0.6);
                }

                yield return ($"{a.Text} * {b.Text} / 100", Each(a.Values, b.Values, (x, y) => x * y / 100), cost + 1.5);
                yield return ($"{a.Text} * (1 + {b.Text} / 100)", Each(a.Values, b.Values, (x, y) => x * (1 + (y / 100))), cost + 2);
                yield return ($"{a.Text} * (1 - {b.Text} / 100)", Each(a.Values, b.Values, (x, y) => x * (1 - (y / 100))), cost + 2);
                yield return ($"{a.Text} * (1 + {b.Text})", Each(a.Values, b.Values, (x, y) => x * (1 + y)), cost + 2);
                yield return ($"{a.Text} * (1 - {b.Text})", Each(a.Values, b.Values, (x, y) => x * (1 - y)), cost + 2);
                foreach (var c in numbers.Where(n => n.Text != a.Text && n.Text != b.Text))
                {
                    if (string.CompareOrdinal(a.Text, b.Text) < 0)
                    {
                        if (string.CompareOrdinal(b.Text, c.Text) < 0)
                        {
                            yield return ($"{a.Text} * {b.Text} * {c.Text}", Each(a.Values, b.Values, c.Values, (x, y, z) => x * y * z), cost + c.Cost + 1);
                            yield return ($"{a.Text} + {b.Text} + {c.Text}", Each(a.Values, b.Values, c.Values, (x, y, z) => x + y + z), cost + c.Cost + 1);
                        }

                        yield return ($"{a.Text} * {b.Text} + {c.Text}", Each(a.Values, b.Values, c.Values, (x, y, z) => (x * y) + z), cost + c.Cost + 1.2);
                        yield return ($"{a.Text} * {b.Text} - {c.Text}", Each(a.Values, b.Values, c.Values, (x, y, z) => (x * y) - z), cost + c.Cost + 1.2);
                        yield return ($"{a.Text} * {b.Text} * (1 - {c.Text} / 100)", Each(a.Values, b.Values, c.Values, (x, y, z) => x * y * (1 - (z / 100))), cost + c.Cost + 2);
                        yield return ($"{a.Text} * {b.Text} * (1 + {c.Text} / 100)", Each(a.Values, b.Values, c.Values, (x, y, z) => x * y * (1 + (z / 100))), cost + c.Cost + 2);
                    }
                }
            }
        }
    }

    /// <summary>The number as the outputs write it.</summary>
    private static IEnumerable<(string Text, double Cost)> Written(string expression, decimal[] values, decimal[] wanted, string[] outputs, Marks way)
    {
        var places = outputs.Select(o => o.Contains(way.Decimal, StringComparison.Ordinal) ? o.Length - o.LastIndexOf(way.Decimal) - 1 : 0).ToArray();
        var most = places.Max();
        var isFixed = most > 0 && places.All(p => p == most);
        var exact = values.AsSpan().SequenceEqual(wanted);

        // A factor or a difference that is the same everywhere: from pounds to pence, from net to gross.
        foreach (var (text, made, cost) in Constants(expression, values, wanted, exact))
        {
            var rounded = Array.ConvertAll(made, v => Math.Round(v, most, MidpointRounding.AwayFromZero));
            var isExact = made.AsSpan().SequenceEqual(wanted);
            if (!isExact && !(rounded.AsSpan().SequenceEqual(wanted) && most is > 0 and <= 6))
            {
                continue;
            }

            if (isFixed || way.Thousands is not null)
            {
                var form = (way.Thousands is null ? "0" : "#,##0") + (most > 0 ? "." + new string('0', most) : "");
                yield return (Marked($"TEXT({text}; \"{form}\")", way), cost + 0.8);
            }

            if (way.Thousands is null)
            {
                var bracketed = text.Contains(" + ", StringComparison.Ordinal) || text.Contains(" - ", StringComparison.Ordinal) || text.Contains(" * ", StringComparison.Ordinal) || text.Contains(" / ", StringComparison.Ordinal) ? text : $"{text} + 0";
                var number = isExact ? bracketed : $"ROUND({text}; {most})";
                yield return (way.Decimal == ',' ? $"SUBSTITUTE({(isExact ? $"({bracketed})" : number)} & \"\"; \".\"; \",\")" : number, cost + (isExact ? 0.2 : 1));
            }
        }
    }

    private static IEnumerable<(string Text, decimal[] Values, double Cost)> Constants(string expression, decimal[] values, decimal[] wanted, bool exact)
    {
        yield return (expression, values, 0);
        if (exact || values.Length < 2 || expression.Contains(' ', StringComparison.Ordinal) || values.Distinct().Count() < 2)
        {
            yield break;
        }

        var factor = values[0] != 0 ? wanted[0] / values[0] : 0;
        foreach (var candidate in new[] { factor, Math.Round(factor, 2), Math.Round(factor, 4), values.Zip(wanted).Where(v => v.First != 0).OrderByDescending(v => Math.Abs(v.First)).Select(v => Math.Round(v.Second / v.First, 4)).FirstOrDefault() }.Distinct())
        {
            if (candidate is not (0 or 1) && Item.Plain(candidate).Length <= 8)
            {
                var inverse = 1 / candidate;
                yield return inverse == Math.Round(inverse) && Math.Abs(inverse) > 1
                    ? ($"{expression} / {Item.Plain(inverse)}", Array.ConvertAll(values, v => v / Math.Round(inverse)), 2)
                    : ($"{expression} * {Item.Plain(candidate)}", Array.ConvertAll(values, v => v * candidate), 2);
            }
        }

        var difference = wanted[0] - values[0];
        if (difference != 0)
        {
            yield return ($"{expression} {(difference > 0 ? "+" : "-")} {Item.Plain(Math.Abs(difference))}", Array.ConvertAll(values, v => v + difference), 2.5);
        }
    }

    private static string Marked(string text, Marks way)
    {
        string Put(string of, string old, string with) => $"SUBSTITUTE({of}; {Writing.Text(old)}; {Writing.Text(with)})";
        return (way.Decimal, way.Thousands) switch
        {
            ('.', null or ',') => text,
            (',', null) => Put(text, ".", ","),
            (',', '.') => Put(Put(Put(text, ",", "|"), ".", ","), "|", "."),
            (',', { } other) => Put(Put(text, ",", other.ToString()), ".", ","),
            (_, { } other) => Put(text, ",", other.ToString()),
            _ => text,
        };
    }

    /// <summary>A number written so; null when it is not.</summary>
    private static decimal? Read(string text, Marks way)
    {
        var trimmed = text.Trim();
        if (trimmed.Length == 0 || !trimmed.Any(char.IsAsciiDigit) || !trimmed.All(c => char.IsAsciiDigit(c) || c == '-' || c == way.Decimal || c == way.Thousands) || (trimmed.Length > 1 && trimmed[0] == '0' && char.IsAsciiDigit(trimmed[1])))
        {
            return null;
        }

        var whole = trimmed.Split(way.Decimal);
        if (whole.Length > 2)
        {
            return null;
        }

        if (way.Thousands is { } mark && whole[0].Contains(mark, StringComparison.Ordinal))
        {
            var groups = whole[0].TrimStart('-').Split(mark);
            if (groups[0].Length is 0 or > 3 || groups.Skip(1).Any(g => g.Length != 3))
            {
                return null;
            }

            trimmed = trimmed.Replace(mark.ToString(), "", StringComparison.Ordinal);
        }

        return decimal.TryParse(trimmed.Replace(way.Decimal, '.'), NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out var number) ? number : null;
    }

    private static decimal[] Each(decimal[] a, decimal[] b, Func<decimal, decimal, decimal> work) => Guarded(a.Length, i => work(a[i], b[i]));

    private static decimal[] Each(decimal[] a, decimal[] b, decimal[] c, Func<decimal, decimal, decimal, decimal> work) => Guarded(a.Length, i => work(a[i], b[i], c[i]));

    private static decimal[] Guarded(int count, Func<int, decimal> work)
    {
        try
        {
            return [.. Enumerable.Range(0, count).Select(work)];
        }
        catch (OverflowException)
        {
            return [.. Enumerable.Repeat(decimal.MaxValue, count)];
        }
    }
}
