using System.Collections.Immutable;

namespace UprightMirror.Core.Formulas.Learning;

/// <summary>
/// Finds formulas that do what a person shows: for two or three records, what they want. Every formula that is given was worked out
/// on all the examples and gives exactly what was typed; where none does, none is given.
/// </summary>
public static class Learner
{
    /// <summary>The most examples that are looked at.</summary>
    public const int MostExamples = 200;

    private const int MostLooked = 12;
    private const int Candidates = 12;

    /// <summary>Formulas that fit all the examples, the simplest first; none when nothing fits.</summary>
    /// <param name="fields">The fields' names, in the order of the examples' inputs.</param>
    public static IReadOnlyList<Learned> Learn(ImmutableArray<string> fields, IReadOnlyList<Example> examples)
    {
        if (examples.Count is 0 or > MostExamples || fields.IsEmpty)
        {
            return [];
        }

        // A few examples, as unlike as possible, are searched with; all of them are proved with.
        var few = examples.OrderByDescending(e => e.Inputs.Count(i => i.Length == 0)).ThenBy(e => e.Output.Length).DistinctBy(e => (string.Join('\u0001', e.Inputs), e.Output)).ToList();
        few = few.Count <= MostLooked ? few : [.. few.Take(MostLooked / 3), .. few.Skip(MostLooked / 3).Where((_, i) => i % Math.Max(1, (few.Count - (MostLooked / 3)) / (MostLooked * 2 / 3)) == 0).Take(MostLooked * 2 / 3)];
        string[] outputs = [.. few.Select(e => e.Output)];
        Piece[] sources = [.. fields.Select((f, i) => new Piece(Writing.Field(f), 1, [.. few.Select(e => e.Inputs[i])])).Where(p => p.Values.Any(v => v.Length > 0)).DistinctBy(p => p.Key)];
        var found = new List<Learned>();
        found.AddRange(Whole(sources, outputs));
        foreach (var (before, inner, after) in Bare(outputs))
        {
            found.AddRange(DateForms.Find(sources, inner).Concat(NumberForms.Find(sources, inner)).Select(f => Between(before, f, after)));
        }

        found.AddRange(Choices.Joined(sources, outputs));
        found.AddRange(Choices.Table([.. fields.Select((f, i) => new Piece(Writing.Field(f), 1, [.. examples.Select(e => e.Inputs[i])]))], [.. examples.Select(e => e.Output)]));
        found.AddRange(Texts(sources, outputs));
        var setting = new FormulaSetting(DateTimeOffset.UnixEpoch);
        return [.. found.OrderBy(f => f.Cost).ThenBy(f => f.Formula.Length).ThenBy(f => f.Formula, StringComparer.Ordinal).DistinctBy(f => f.Formula).Where(f => Proves(f.Formula, fields, examples, setting)).Take(Candidates)];
    }

    /// <summary>Applies a formula to one record's fields; text that comes from a file.</summary>
    public static Item Apply(Formula formula, ImmutableArray<string> fields, ImmutableArray<string> inputs, FormulaSetting setting)
    {
        var values = new Item[formula.Fields.Length];
        for (var i = 0; i < values.Length; i++)
        {
            var text = inputs[fields.IndexOf(formula.Fields[i])];
            values[i] = text.Length == 0 ? Item.Blank : Item.Of(text);
        }

        return formula.Evaluate(values, setting);
    }

    /// <summary>The outputs as they are, and without the signs or words that stand around the digits of all of them: a currency, a unit.</summary>
    private static IEnumerable<(string Before, string[] Inner, string After)> Bare(string[] outputs)
    {
        yield return ("", outputs, "");
        var before = outputs[0][..Math.Max(0, outputs[0].AsSpan().IndexOfAnyInRange('0', '9'))].TrimEnd('-');
        var after = outputs[0][(outputs[0].AsSpan().LastIndexOfAnyInRange('0', '9') + 1)..];
        if ((before.Length > 0 || after.Length > 0) && before.Length + after.Length < 40
            && outputs.All(o => o.Length > before.Length + after.Length && o.StartsWith(before, StringComparison.Ordinal) && o.EndsWith(after, StringComparison.Ordinal)))
        {
            yield return (before, Array.ConvertAll(outputs, o => o[before.Length..^after.Length]), after);
        }
    }

    private static Learned Between(string before, Learned inner, string after) => before.Length + after.Length == 0 ? inner : new Learned(
        (before.Length > 0 ? $"{Writing.Text(before)} & " : "") + inner.Formula + (after.Length > 0 ? $" & {Writing.Text(after)}" : ""), inner.Cost + 1.5);

    private static bool Proves(string text, ImmutableArray<string> fields, IReadOnlyList<Example> examples, FormulaSetting setting) =>
        Formula.Parse(text, fields.Contains, out var formula, out _)
        && examples.All(e => Apply(formula, fields, e.Inputs, setting) is { IsError: false } value && value.Shown == e.Output);

    /// <summary>What is done to a whole field by one function that knows what it is.</summary>
    private static IEnumerable<Learned> Whole(IReadOnlyList<Piece> sources, string[] outputs)
    {
        foreach (var source in sources)
        {
            foreach (var (function, cost) in new[] { ("EMAILDOMAIN", 2.0), ("EMAILUSER", 2.3), ("EMAIL", 2.6), ("PHONENATIONAL", 2.4), ("PHONEDIGITS", 2.4), ("PHONE", 2.6), ("LEN", 6.0) })
            {
                if (function switch
                {
                    "EMAILDOMAIN" or "EMAILUSER" or "EMAIL" => source.Values.All(v => v.Contains('@', StringComparison.Ordinal)),
                    "PHONENATIONAL" or "PHONEDIGITS" or "PHONE" => source.Values.All(v => v.StartsWith('+')) && outputs.All(o => o.Length > 5),
                    _ => outputs.All(o => o.Length <= 3 && o.All(char.IsAsciiDigit)) && outputs.Distinct().Count() > 1,
                })
                {
                    yield return new Learned($"{function}({source.Text})", cost);
                }
            }
        }
    }

    /// <summary>Parts of texts and fixed texts in a row; in one case where all the outputs are.</summary>
    private static IEnumerable<Learned> Texts(IReadOnlyList<Piece> sources, string[] outputs)
    {
        Piece[] all = [.. sources, .. Choices.FirstFilled(sources)];
        var ways = new (string? Function, Func<string, string> Make)[] { (null, t => t), ("LOWER", t => t.ToLowerInvariant()), ("UPPER", t => t.ToUpperInvariant()), ("PROPER", Functions.TextFunctions.Proper) };
        foreach (var (function, make) in ways)
        {
            if (function is not null && (outputs.Any(o => make(o) != o) || !outputs.Any(o => o.Any(char.IsLetter))))
            {
                continue;
            }

            var parts = TextParts.Of(all, p => IsOfUse(p, outputs, make));
            var made = function is null or "PROPER" ? parts : [.. parts.Select(p => p with { Values = Array.ConvertAll(p.Values, v => make(v)) })];
            var wanted = outputs;
            if (function == "PROPER")
            {
                made = [.. parts.Select(p => p with { Values = Array.ConvertAll(p.Values, v => v.ToUpperInvariant()) })];
                wanted = Array.ConvertAll(outputs, o => o.ToUpperInvariant());
            }

            foreach (var row in Chain.Find(made, wanted, 6))
            {
                var learned = function is null ? row : new Learned($"{function}({row.Formula})", row.Cost + 1.2);
                if (learned.Cost <= 5 + (3 * outputs.Average(o => o.Length)))
                {
                    yield return learned;
                }
            }
        }

        // The same everywhere, whatever the record holds.
        if (outputs.Length > 1 && outputs.Distinct().Count() == 1 && outputs[0].Length > 0)
        {
            yield return new Learned(Writing.Text(outputs[0]), 4);
        }
    }

    /// <summary>What a part gives stands in what is wanted, in every example; it is nothing only where the fields are empty.</summary>
    private static bool IsOfUse(Piece piece, string[] outputs, Func<string, string> make)
    {
        var some = false;
        for (var i = 0; i < outputs.Length; i++)
        {
            var value = piece.Values[i];
            some |= value.Length > 0;
            if (value.Length > outputs[i].Length || !outputs[i].Contains(make(value), StringComparison.OrdinalIgnoreCase) || (ReferenceEquals(make(value), value) && !outputs[i].Contains(value, StringComparison.Ordinal)))
            {
                return false;
            }
        }

        return some;
    }
}
