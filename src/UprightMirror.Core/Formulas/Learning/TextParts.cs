using System.Globalization;

namespace UprightMirror.Core.Formulas.Learning;

/// <summary>
/// The parts of a text that people mean when they show what they want: so many characters from an end, what stands between
/// separators, runs of digits or letters, words; in capitals or small letters; with something put in place of something else.
/// </summary>
internal sealed class TextParts
{
    private const int MostCharacters = 14;
    private const int MostParts = 5;

    private static readonly string[] Separators = [" ", "-", "/", ".", ",", ", ", "@", "_", ":", ";", "|", "#", "(", ")", "+", " - ", "\\", "&", "'", "=", "*", "\n"];

    private readonly Dictionary<string, Piece> found = new(StringComparer.Ordinal);
    private readonly Func<Piece, bool> isOfUse;
    private readonly int count;

    private TextParts(int count, Func<Piece, bool> isOfUse) => (this.count, this.isOfUse) = (count, isOfUse);

    /// <summary>All parts of some texts that may be of use, the simplest for each thing that they give.</summary>
    /// <param name="sources">Fields, and what else is taken for a text.</param>
    /// <param name="isOfUse">Whether what a part gives stands in what is wanted.</param>
    public static IReadOnlyCollection<Piece> Of(IReadOnlyList<Piece> sources, Func<Piece, bool> isOfUse)
    {
        var parts = new TextParts(sources.Count == 0 ? 0 : sources[0].Values.Length, isOfUse);
        foreach (var source in sources)
        {
            parts.Take(source);
            foreach (var part in parts.Cut(source))
            {
                parts.Take(part);
            }

            // A part of a part: the initial of the second word, the domain without its ending.
            foreach (var part in parts.Named(source).Where(p => p.Values.All(v => v.Length > 0)).DistinctBy(p => p.Key))
            {
                foreach (var inner in parts.Cut(part))
                {
                    parts.Take(inner);
                }
            }
        }

        return parts.found.Values;
    }

    private void Take(Piece piece)
    {
        this.Keep(piece);
        this.Keep(this.Made(piece, p => $"UPPER({p})", v => v.ToUpperInvariant(), 1.2));
        this.Keep(this.Made(piece, p => $"LOWER({p})", v => v.ToLowerInvariant(), 1.2));
        this.Keep(this.Made(piece, p => $"PROPER({p})", Functions.TextFunctions.Proper, 1.2));
    }

    private void Keep(Piece piece)
    {
        if (this.isOfUse(piece) && (!this.found.TryGetValue(piece.Key, out var known) || piece.Cost < known.Cost))
        {
            this.found[piece.Key] = piece;
        }
    }

    private Piece Made(Piece of, Func<string, string> text, Func<string, string> make, double cost) => new(text(of.Text), of.Cost + cost, Array.ConvertAll(of.Values, v => make(v)));

    /// <summary>Every part of a text.</summary>
    private IEnumerable<Piece> Cut(Piece of) => this.Ends(of).Concat(this.Named(of)).Concat(this.Replaced(of)).Concat(this.Padded(of));

    /// <summary>By place.</summary>
    private IEnumerable<Piece> Ends(Piece of)
    {
        var longest = Math.Min(MostCharacters, of.Values.Max(v => v.Length));
        if (of.Values.Any(v => v != Functions.TextFunctions.Trimmed(v)))
        {
            yield return this.Made(of, p => $"TRIM({p})", Functions.TextFunctions.Trimmed, 0.6);
        }

        for (var n = 1; n <= longest; n++)
        {
            var count = n;
            yield return this.Made(of, p => count == 1 ? $"LEFT({p})" : $"LEFT({p}; {count})", v => v[..Math.Min(count, v.Length)], n == 1 ? 2.0 : 3.0);
            yield return this.Made(of, p => $"RIGHT({p}; {count})", v => v[Math.Max(0, v.Length - count)..], 3.2);

            // To leave out what is the same everywhere says more than to take so many.
            var (starts, ends) = (of.Values.Select(v => v[..Math.Min(count, v.Length)]), of.Values.Select(v => v[Math.Max(0, v.Length - count)..]));
            var (sameStart, sameEnd) = (this.count > 1 && starts.Distinct().Count() == 1, this.count > 1 && ends.Distinct().Count() == 1);
            yield return this.Made(of, p => $"MID({p}; {count + 1}; LEN({p}))", v => v[Math.Min(count, v.Length)..], sameStart ? 2.8 : 3.6);
            yield return this.Made(of, p => $"LEFT({p}; LEN({p}) - {count})", v => v[..Math.Max(0, v.Length - count)], sameEnd ? 2.9 : 3.7);
            for (var m = 1; m <= 10 && n < longest; m++)
            {
                var length = m;
                yield return this.Made(of, p => $"MID({p}; {count + 1}; {length})", v => v.Length <= count ? "" : v.Substring(count, Math.Min(length, v.Length - count)), m == 1 ? 5.0 : 4.4);
            }
        }
    }

    /// <summary>By separator, and by kind of run.</summary>
    private IEnumerable<Piece> Named(Piece of)
    {
        foreach (var separator in Separators.Where(s => of.Values.All(v => v.Length == 0 || v.Contains(s, StringComparison.Ordinal))))
        {
            // A space stands in many places; a comma with a space after it means something.
            var quoted = Writing.Text(separator);
            var weight = separator == " " ? 0.35 : separator.Length > 1 ? -0.3 : 0;
            for (var n = 1; n <= MostParts; n++)
            {
                var number = n;
                yield return this.Made(of, p => $"SPLIT({p}; {quoted}; {number})", v => Part(v.Split(separator), number), weight + (n == 1 ? 2.2 : 2.5 + (n * 0.1)));
                yield return this.Made(of, p => $"SPLIT({p}; {quoted}; -{number})", v => Part(v.Split(separator), -number), weight + (n == 1 ? 2.2 : 2.7 + (n * 0.1)));
            }

            yield return this.Made(of, p => $"MID({p}; FIND({quoted}; {p}) + {separator.Length}; LEN({p}))", v => v.IndexOf(separator, StringComparison.Ordinal) is >= 0 and var at ? v[(at + separator.Length)..] : "\u0002", weight + 3.0);
            yield return this.Made(of, p => $"LEFT({p}; LEN({p}) - LEN(SPLIT({p}; {quoted}; -1)) - {separator.Length})", v => v.LastIndexOf(separator, StringComparison.Ordinal) is >= 0 and var at && !v[(at + separator.Length)..].StartsWith(' ') && !v.EndsWith(' ') ? v[..at] : "\u0002", weight + 3.4);
        }

        foreach (var (open, close) in new[] { ("(", ")"), ("[", "]"), ("<", ">"), ("\"", "\"") })
        {
            if (of.Values.All(v => v.IndexOf(open, StringComparison.Ordinal) is >= 0 and var at && v.IndexOf(close, at + 1, StringComparison.Ordinal) > at))
            {
                yield return this.Made(of, p => $"SPLIT(SPLIT({p}; {Writing.Text(open)}; 2); {Writing.Text(close)}; 1)", v => Part(Part(v.Split(open), 2).Split(close), 1), 2.3);
            }
        }

        if (of.Values.Any(v => v.Any(c => !char.IsAsciiDigit(c)) && v.Any(char.IsAsciiDigit)))
        {
            foreach (var piece in Runs("DIGITS", char.IsAsciiDigit))
            {
                yield return piece;
            }

            foreach (var piece in Runs("LETTERS", char.IsLetter))
            {
                yield return piece;
            }
        }

        if (of.Values.Any(v => v.Any(c => !char.IsLetterOrDigit(c))))
        {
            foreach (var piece in Runs("WORD", c => char.IsLetterOrDigit(c) || c is '\'' or '’'))
            {
                yield return piece;
            }
        }

        IEnumerable<Piece> Runs(string function, Func<char, bool> isOfKind)
        {
            if (function != "WORD")
            {
                yield return this.Made(of, p => $"{function}({p})", v => string.Concat(v.Where(isOfKind)), 2.5);
            }

            for (var n = 1; n <= MostParts; n++)
            {
                var number = n;
                yield return this.Made(of, p => $"{function}({p}; {number})", v => Run(v, isOfKind, number), 2.5 + (n * 0.1));
                yield return this.Made(of, p => $"{function}({p}; -{number})", v => Run(v, isOfKind, -number), 2.6 + (n * 0.1));
            }
        }
    }

    /// <summary>With something put in place of something else, or left out.</summary>
    private IEnumerable<Piece> Replaced(Piece of)
    {
        var there = Separators.Where(s => of.Values.Any(v => v.Contains(s, StringComparison.Ordinal))).ToList();
        foreach (var old in there)
        {
            var without = this.Made(of, p => $"SUBSTITUTE({p}; {Writing.Text(old)}; \"\")", v => v.Replace(old, "", StringComparison.Ordinal), 2.9);
            yield return without;
            foreach (var with in Separators.Where(s => s != old))
            {
                yield return this.Made(of, p => $"SUBSTITUTE({p}; {Writing.Text(old)}; {Writing.Text(with)})", v => v.Replace(old, with, StringComparison.Ordinal), 3.1);
            }

            foreach (var other in there.Where(s => s != old && !s.Contains(old, StringComparison.Ordinal)))
            {
                var both = this.Made(without, p => $"SUBSTITUTE({p}; {Writing.Text(other)}; \"\")", v => v.Replace(other, "", StringComparison.Ordinal), 1.6);
                yield return both;
                foreach (var third in there.Where(s => s != old && s != other && string.CompareOrdinal(s, other) > 0 && string.CompareOrdinal(other, old) > 0))
                {
                    yield return this.Made(both, p => $"SUBSTITUTE({p}; {Writing.Text(third)}; \"\")", v => v.Replace(third, "", StringComparison.Ordinal), 1.6);
                }

                foreach (var with in Separators.Where(s => s != old && s != other && s.Length == 1))
                {
                    yield return this.Made(without, p => $"SUBSTITUTE({p}; {Writing.Text(other)}; {Writing.Text(with)})", v => v.Replace(other, with, StringComparison.Ordinal), 1.8);
                }
            }
        }
    }

    /// <summary>With zeros before it up to a length, or without those that there are.</summary>
    private IEnumerable<Piece> Padded(Piece of)
    {
        if (of.Values.All(v => v.Length is > 0 and <= 18 && v.All(char.IsAsciiDigit)))
        {
            if (of.Values.Any(v => v.StartsWith('0')))
            {
                yield return this.Made(of, p => $"TEXT({p}; \"0\")", v => v.TrimStart('0').PadLeft(1, '0'), 2.4);
            }

            for (var width = 2; width <= 12; width++)
            {
                var form = new string('0', width);
                var count = width;
                yield return this.Made(of, p => $"TEXT({p}; \"{form}\")", v => v.TrimStart('0').PadLeft(1, '0').PadLeft(count, '0'), 2.8);
            }
        }
        else if (of.Values.All(v => v.Length is > 0 and < 12))
        {
            for (var width = of.Values.Min(v => v.Length) + 1; width <= 12; width++)
            {
                var count = width;
                yield return this.Made(of, p => $"REPT(\"0\"; MAX(0; {count.ToString(CultureInfo.InvariantCulture)} - LEN({p}))) & {p}", v => v.PadLeft(count, '0'), 4.5);
            }
        }
    }

    private static string Part(string[] parts, int number) => TextRuns.At(parts, number).Trim();

    private static string Run(string text, Func<char, bool> isOfKind, int number) => TextRuns.At(TextRuns.Of(text, isOfKind), number);
}
