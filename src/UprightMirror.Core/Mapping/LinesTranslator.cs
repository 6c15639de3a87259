using System.Collections.Immutable;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Mapping;

/// <summary>Turns the lines of one side's record into agreed lines, and agreed lines into the side's own form.</summary>
internal static class LinesTranslator
{
    private static readonly StringComparer Order = StringComparer.Ordinal;

    /// <summary>A side's lines in agreed form, in the order of their keys.</summary>
    /// <returns>What stands in the way, every line's problem in a sentence of its own; null when nothing does.</returns>
    public static string? ToAgreed(LinesDefinition lines, int side, SideField cell, RawFields record, ConversionSetting setting, string? country, out Value value)
    {
        value = Value.Empty;
        var held = record[cell.Path];
        if (held.IsEmpty)
        {
            return null;
        }

        if (held is not LinesValue raw)
        {
            return $"{cell.Path} is {ValueJson.Quoted(held.Display)}, which are no lines.";
        }

        var problems = new List<string>();
        var agreed = new List<(string Key, ImmutableSortedDictionary<string, Value> Line)>();
        for (var i = 0; i < raw.Lines.Length; i++)
        {
            var line = RawFields.Of(raw.Lines[i]);
            var values = ImmutableSortedDictionary.CreateBuilder<string, Value>(Order);
            foreach (var field in lines.Fields)
            {
                if (field.Cells[side] is not { } at)
                {
                    continue;
                }

                if (Read(field, at, line, setting, country, out var read) is { } wrong)
                {
                    problems.Add($"Line {i + 1}: {wrong}");
                }
                else
                {
                    values[field.Name] = read!;
                }
            }

            agreed.Add((KeyOf(values, lines.Key), values.ToImmutable()));
        }

        problems.AddRange(agreed.GroupBy(l => l.Key).Where(g => g.Count() > 1 || g.Key.Length == 0).Select(g => g.Key.Length == 0
            ? $"{(g.Count() == 1 ? "A line has" : $"{g.Count()} lines have")} no {lines.Key}, which lines are told apart by."
            : $"{g.Count()} lines have the {lines.Key} {ValueJson.Quoted(g.Key)}, and lines are told apart by it."));
        if (problems.Count > 0)
        {
            return $"{cell.Path}: {string.Join(" ", problems.Take(5))}{(problems.Count > 5 ? $" And {problems.Count - 5} more." : "")}";
        }

        value = new LinesValue([.. agreed.OrderBy(l => decimal.TryParse(l.Key, System.Globalization.CultureInfo.InvariantCulture, out var n) ? n : decimal.MaxValue).ThenBy(l => l.Key, Order).Select(l => l.Line)]);
        return null;
    }

    /// <summary>Agreed lines in a side's own form. Of a line that the side has already, fields that nobody maps or that it only gives stay as they are.</summary>
    public static Value ToSide(LinesDefinition lines, int side, SideField cell, LinesValue agreed, LinesValue? held, ConversionSetting setting, out string? problem)
    {
        var known = held is null ? [] : ByKey(lines, side, held, setting);
        var problems = new List<string>();
        var written = ImmutableArray.CreateBuilder<ImmutableSortedDictionary<string, Value>>();
        for (var i = 0; i < agreed.Lines.Length; i++)
        {
            var line = agreed.Lines[i];
            var own = (known.TryGetValue(KeyOf(line, lines.Key), out var before) ? before : ImmutableSortedDictionary.Create<string, Value>(Order)).ToBuilder();
            foreach (var field in lines.Fields)
            {
                if (field.Cells[side] is not { Takes: true } at)
                {
                    continue;
                }

                var value = line.GetValueOrDefault(field.Name, Value.Empty);
                string? why = null;
                var raw = !value.IsEmpty ? at.Conversion.Write(value, setting, out why) : at.Default is { } instead ? Value.Text(instead) : Value.Empty;
                if (raw is null)
                {
                    problems.Add($"Line {i + 1}: {(why is null ? $"{at.Path} has no form for the agreed {field.Name} {ValueJson.Quoted(value.Display)}" : $"{at.Path}: {why}")}.");
                    continue;
                }

                own[at.Path] = raw;
            }

            written.Add(own.ToImmutable());
        }

        problem = problems.Count == 0 ? null : $"{cell.Path}: {string.Join(" ", problems.Take(5))}{(problems.Count > 5 ? $" And {problems.Count - 5} more." : "")}";
        return problems.Count == 0 && written.Count > 0 ? InOrderOf(held, new LinesValue(written.ToImmutable()), lines, side, setting) : Value.Empty;
    }

    /// <summary>Why the lines do not add up to what the record says; null when they do, or when the record says nothing.</summary>
    public static string? TotalProblem(string name, TotalCheck total, LinesValue lines, Value said, ConversionSetting setting)
    {
        if (said is not NumberValue { Amount: var wanted })
        {
            return null;
        }

        if (!Formula.Parse(total.Amount, null, out var formula, out var problem))
        {
            return $"{name}: what a line amounts to can't be worked out. {problem.Sentence}";
        }

        var sum = 0m;
        foreach (var line in lines.Lines)
        {
            var item = formula.Evaluate([.. formula.Fields.Select(f => ItemValue.From(line.GetValueOrDefault(f, Value.Empty)))], new FormulaSetting(setting.Now) { CodeLists = setting.CodeLists });
            if (item.Kind == ItemKind.Error)
            {
                return $"{name}: what a line amounts to can't be worked out: {item.Error.Code}.";
            }

            sum += item.Kind == ItemKind.Number ? item.Number : 0;
        }

        var apart = Math.Abs(sum - wanted);
        return apart <= total.Tolerance ? null : FormattableString.Invariant($"{name}: the lines add up to {sum:#,0.00##}, and {total.Field} says {wanted:#,0.00##}. That is {apart:#,0.00##} apart, and {total.Tolerance:0.00##} is allowed.");
    }

    private static string? Read(AgreedFieldDefinition field, SideField cell, RawFields line, ConversionSetting setting, string? country, out Value? value)
    {
        var held = line[cell.Path];
        value = Value.Empty;
        if (held.IsEmpty && cell.Conversion.Inputs.All(i => line[i].IsEmpty))
        {
            return null;
        }

        value = cell.Conversion.Read(new Reading(held, line, field.Type, country, setting), out var why);
        return value is not null ? null : why is not null ? $"{cell.Path}: {why}." : $"{cell.Path} is {ValueJson.Quoted(held.Display)}, which {(cell.Conversion is CodeList ? "is not in the code list" : $"can't be read as {ValueJson.Described(field.Type)}")}.";
    }

    private static string KeyOf(IReadOnlyDictionary<string, Value> line, string key) => line.TryGetValue(key, out var value) ? value.Display : "";

    private static Dictionary<string, ImmutableSortedDictionary<string, Value>> ByKey(LinesDefinition lines, int side, LinesValue held, ConversionSetting setting)
    {
        var known = new Dictionary<string, ImmutableSortedDictionary<string, Value>>(Order);
        foreach (var line in held.Lines)
        {
            known.TryAdd(RawKey(lines, side, line, setting), line);
        }

        return known;
    }

    private static string RawKey(LinesDefinition lines, int side, ImmutableSortedDictionary<string, Value> line, ConversionSetting setting) =>
        lines.Fields.FirstOrDefault(f => f.Name == lines.Key) is { } field && field.Cells[side] is { } cell && Read(field, cell, RawFields.Of(line), setting, null, out var value) is null ? value!.Display : "";

    /// <summary>The lines in the order in which the side has them, new ones at the end: where nothing changed, nothing is different.</summary>
    private static LinesValue InOrderOf(LinesValue? held, LinesValue written, LinesDefinition lines, int side, ConversionSetting setting)
    {
        if (held is null)
        {
            return written;
        }

        var places = held.Lines.Select((l, i) => (Key: RawKey(lines, side, l, setting), i)).DistinctBy(l => l.Key).ToDictionary(l => l.Key, l => l.i, Order);
        return new LinesValue([.. written.Lines.Select((l, i) => (Line: l, Place: places.TryGetValue(RawKey(lines, side, l, setting), out var place) ? place : held.Lines.Length + i)).OrderBy(l => l.Place).Select(l => l.Line)]);
    }
}
