using System.Collections.Immutable;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Mapping;

/// <summary>A value that can't be translated: which field, and why in words that fit after the system's and record's names.</summary>
/// <param name="Field">Index of the agreed field.</param>
/// <param name="IsInTheWay">False where what the side says is only compared: the record is not held because of it.</param>
public sealed record TranslationProblem(int Field, string Path, string Sentence, bool IsInTheWay = true);

/// <summary>A record in agreed form, or what stands in the way.</summary>
/// <param name="Values">One for each agreed field; empty where the side does not keep the field.</param>
public sealed record Translation(Value[] Values, ImmutableArray<TranslationProblem> Problems)
{
    /// <summary>Whether nothing stands in the way of what is agreed.</summary>
    public bool IsClear => !this.Problems.Any(p => p.IsInTheWay);
}

/// <summary>Turns one side's records into agreed form and agreed values into the side's form, field by field.</summary>
public sealed class Translator
{
    private readonly MirrorDefinition mirror;
    private readonly int side;
    private readonly CatalogueCollection catalogue;
    private readonly int countryField;
    private readonly int[] order;
    private readonly bool[] vanished;
    private readonly ConversionSetting setting;
    private readonly ScopeCondition? scope;

    /// <param name="now">The run's time, for formulas that ask for it.</param>
    /// <param name="references">The records of other mirrors that fields point at; null for none.</param>
    public Translator(MirrorDefinition mirror, int side, CatalogueCollection catalogue, DateTimeOffset now = default, References? references = null)
    {
        this.setting = new ConversionSetting(now) { CodeLists = mirror.CodeLists, References = references ?? References.None, System = mirror.Sides[side].System };
        this.scope = mirror.Sides[side].Scope is { } covered ? new ScopeCondition(covered) : null;
        this.mirror = mirror;
        this.side = side;
        this.catalogue = catalogue;
        this.countryField = mirror.Fields.Select(f => f.Name).ToList().IndexOf(mirror.CountryField ?? "");

        this.vanished = [.. mirror.Fields.Select(f => f.Cells[side] is { } cell && !cell.Reads.All(catalogue.Describes))];

        // The country first: telephone numbers are read by it.
        this.order = [.. Enumerable.Range(0, mirror.Fields.Length).OrderBy(f => f == this.countryField ? 0 : 1)];
    }

    /// <summary>The mapped fields' indices and where this side keeps them.</summary>
    public IEnumerable<(int Field, SideField Cell)> Cells =>
        this.mirror.Fields.Select((f, i) => (i, f.Cells[this.side])).Where(c => c.Item2 is not null).Select(c => (c.i, c.Item2!));

    /// <summary>Every field of the side that a run needs to know: those that agreed values are made of, and those that its scope looks at.</summary>
    public IEnumerable<string> Needs => this.Cells.SelectMany(c => c.Cell.Reads).Concat(this.scope?.Reads ?? []);

    /// <summary>Whether the side's scope covers a record.</summary>
    /// <param name="why">Why it can't be told; null when it can.</param>
    /// <returns>Null when it can't be told.</returns>
    public bool? Covers(RawFields raw, out string? why)
    {
        why = null;
        return this.scope is null ? true : this.scope.Covers(raw, this.setting, out why);
    }

    /// <summary>A record in agreed form. Every field is tried, so that all that is wrong is told at once.</summary>
    public Translation ToAgreed(RawFields raw)
    {
        var values = new Value[this.mirror.Fields.Length];
        Array.Fill(values, Value.Empty);
        var problems = ImmutableArray.CreateBuilder<TranslationProblem>();
        foreach (var field in this.order)
        {
            if (this.mirror.Fields[field].Cells[this.side] is not { } cell)
            {
                continue;
            }

            var problem = this.vanished[field]
                ? $"{cell.Path} is not in the system's own description any more. An empty value may not travel because of that: map the field anew, or have it brought back."
                : this.mirror.Fields[field].Lines is { } lines
                ? LinesTranslator.ToAgreed(lines, this.side, cell, raw, this.setting, this.CountryOf(values), out values[field])
                : this.Translate(raw, field, cell, this.CountryOf(values), out values[field]);
            if (problem is not null)
            {
                problems.Add(new TranslationProblem(field, cell.Path, problem, !this.mirror.Fields[field].IsOnlyCompared && cell is not { Gives: false, Takes: false, Conversion: ReferenceTo }));
            }
        }

        foreach (var field in this.order.Where(f => this.mirror.Fields[f] is { Lines.Total: not null, Cells: var cells } && cells[this.side] is not null && !values[f].IsEmpty))
        {
            var (definition, total) = (this.mirror.Fields[field], this.mirror.Fields[field].Lines!.Total!);
            var header = this.mirror.Fields.Select(f => f.Name).ToList().IndexOf(total.Field);
            if (header >= 0 && this.mirror.Fields[header].Cells[this.side] is not null && LinesTranslator.TotalProblem(definition.Name, total, (LinesValue)values[field], values[header], this.setting) is { } words)
            {
                problems.Add(new TranslationProblem(field, definition.Cells[this.side]!.Path, words));
            }
        }

        return new Translation(values, problems.ToImmutable());
    }

    /// <summary>An agreed value in this side's own form.</summary>
    /// <param name="problem">Why this side can't hold it, or null.</param>
    /// <param name="held">What the side holds now: fields of lines that nobody maps stay as they are. Null when it holds nothing yet.</param>
    public Value ToSide(int field, Value agreed, out TranslationProblem? problem, Value? held = null)
    {
        var definition = this.mirror.Fields[field];
        var cell = definition.Cells[this.side] ?? throw new ArgumentException($"Side {this.side} does not keep {definition.Name}.", nameof(field));
        problem = null;
        var described = this.catalogue.Fields.GetValueOrDefault(cell.Path);
        if (agreed.IsEmpty && cell.Default is { } instead)
        {
            return this.RawOf(cell.Path, instead);
        }

        if (agreed.IsEmpty)
        {
            problem = described is { Required: true } ? new TranslationProblem(field, cell.Path, $"{cell.Path} may not be empty, and the agreed {definition.Name} is.") : null;
            return Value.Empty;
        }

        if (definition.Lines is { } lines)
        {
            var written = LinesTranslator.ToSide(lines, this.side, cell, (LinesValue)agreed, held as LinesValue, this.setting, out var wrong);
            problem = wrong is null ? null : new TranslationProblem(field, cell.Path, wrong);
            return written;
        }

        if (cell.Conversion.Write(agreed, this.setting, out var why) is not { } value)
        {
            problem = new TranslationProblem(field, cell.Path, why is not null ? $"{cell.Path}: {why}." : $"{cell.Path} has no {(cell.Conversion is CodeList ? "code" : "form")} for the agreed {definition.Name} {ValueJson.Quoted(agreed.Display)}.");
            return Value.Empty;
        }

        if (described?.MaxLength is { } longest && value is TextValue { Content.Length: var length } && length > longest)
        {
            problem = new TranslationProblem(field, cell.Path, $"{cell.Path} takes {longest} characters, and {definition.Name} {ValueJson.Quoted(value.Display)} has {length:N0}.");
            return Value.Empty;
        }

        return value;
    }

    /// <summary>A text that a person typed, as the side's own description wants it: a number, yes or no, or text.</summary>
    public Value RawOf(string path, string typed) => TypedText.Read(typed, this.catalogue.Fields.GetValueOrDefault(path)) ?? Value.Text(typed);

    private string? CountryOf(Value[] values) => this.countryField >= 0 && values[this.countryField] is TextValue { Content.Length: 2 } country ? country.Content : null;

    private string? Translate(RawFields raw, int field, SideField cell, string? country, out Value value)
    {
        value = Value.Empty;
        var held = raw[cell.Path];
        var type = this.mirror.Fields[field].Type;
        if (held.IsEmpty && cell.Conversion.Inputs.All(i => raw[i].IsEmpty))
        {
            return this.catalogue.Fields.GetValueOrDefault(cell.Path) is { Required: true }
                ? $"{cell.Path} {(raw.Has(cell.Path) ? "is empty" : "is missing")}, and the system's own description says that it never is."
                : null;
        }

        if (held is TextValue { Content.Length: var length } && length > ValueJson.LongestText)
        {
            return $"{cell.Path} holds {length:N0} characters; at most {ValueJson.LongestText:N0} are taken.";
        }

        if (cell.Conversion.Read(new Reading(held, raw, type, country, this.setting), out var why) is not { } translated)
        {
            // What a side that only takes points at may be gone by now: it is told anew what is agreed.
            if (cell is { Gives: false, Takes: true, Conversion: ReferenceTo })
            {
                return null;
            }

            return why is not null ? $"{cell.Path}: {why}." : $"{cell.Path} is {ValueJson.Quoted(held.Display)}, which {(cell.Conversion is CodeList ? "is not in the code list" : $"can't be read as {ValueJson.Described(type)}")}.";
        }

        value = translated;
        return null;
    }
}
