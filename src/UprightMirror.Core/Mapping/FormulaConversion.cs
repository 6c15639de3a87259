using System.Collections.Immutable;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Mapping;

/// <summary>
/// Formulas between a side's value and the agreed one, one for each way. A formula calls the field's own value <c>value</c>; towards
/// the agreed form it may name the side's other fields too. Where a way has no formula, the value goes as it stands.
/// </summary>
/// <param name="ToAgreedFormula">From the side's record to the agreed value; null for none.</param>
/// <param name="ToSideFormula">From the agreed value to the side's form; null for none.</param>
public sealed record FormulaConversion(string? ToAgreedFormula, string? ToSideFormula) : Conversion
{
    private const string Own = "value";
    private static readonly AsItStands Plain = new();

    private readonly Lazy<(Formula? Formula, FormulaProblem? Problem)> read = new(() => Parsed(ToAgreedFormula));
    private readonly Lazy<(Formula? Formula, FormulaProblem? Problem)> write = new(() => Parsed(ToSideFormula));

    /// <summary>What is wrong with the formulas, as sentences; empty when nothing is.</summary>
    public IEnumerable<string> Problems
    {
        get
        {
            if (this.read.Value.Problem is { } towards)
            {
                yield return $"The formula to the agreed form: {towards.Sentence}";
            }

            if (this.write.Value.Problem is { } back)
            {
                yield return $"The formula to the side's form: {back.Sentence}";
            }

            if (this.write.Value.Formula is { } formula && formula.Fields.Where(f => f != Own).Distinct().Count() > 1)
            {
                yield return $"The formula to the side's form uses {string.Join(" and ", formula.Fields)}: it can only use the agreed field itself, which it calls {Own}.";
            }
        }
    }

    public override ImmutableArray<string> Inputs => this.read.Value.Formula is { } formula ? [.. formula.Fields.Where(f => f != Own)] : [];

    public override string? Words => this.ToSideFormula is null ? null : this.write.Value.Formula is { } formula ? $"this form: {FormulaWords.Of(formula)}" : $"the form {this.ToSideFormula}";

    public bool Equals(FormulaConversion? other) => other is not null && (this.ToAgreedFormula, this.ToSideFormula) == (other.ToAgreedFormula, other.ToSideFormula);

    public override int GetHashCode() => HashCode.Combine(this.ToAgreedFormula, this.ToSideFormula);

    public override Value? ToAgreed(Value raw, FieldType type, string? country) => this.Read(new Reading(raw, RawFields.None, type, country, ConversionSetting.None), out _);

    public override Value? ToSide(Value agreed) => this.Write(agreed, ConversionSetting.None, out _);

    public override Value? Read(in Reading reading, out string? why)
    {
        if (this.ToAgreedFormula is null)
        {
            return Plain.Read(reading, out why);
        }

        if (!Worked(this.read.Value, reading, Setting(reading.Setting, reading.Country), out var item, out why))
        {
            return null;
        }

        var value = ItemValue.Of(item, reading.Type, reading.Country);
        why = value is null ? $"the formula gives {ValueJson.Quoted(item.Shown)}, which is not {ValueJson.Described(reading.Type)}" : null;
        return value;
    }

    public override Value? Write(Value agreed, ConversionSetting setting, out string? why)
    {
        if (this.ToSideFormula is null)
        {
            return Plain.Write(agreed, setting, out why);
        }

        return Worked(this.write.Value, new Reading(agreed, RawFields.None, default, null, setting), Setting(setting, null), out var item, out why) ? ItemValue.Raw(item) : null;
    }

    private static FormulaSetting Setting(ConversionSetting setting, string? country) => new(setting.Now, country) { CodeLists = setting.CodeLists };

    private static bool Worked((Formula? Formula, FormulaProblem? Problem) parsed, in Reading reading, FormulaSetting setting, out Item item, out string? why)
    {
        item = default;
        why = null;
        if (parsed.Formula is not { } formula)
        {
            why = $"its formula can't be used. {parsed.Problem!.Sentence.TrimEnd('.')}";
            return false;
        }

        var values = new Item[formula.Fields.Length];
        for (var i = 0; i < values.Length; i++)
        {
            // A field of the record that is called value stands for itself; towards a side there is only the one value.
            values[i] = ItemValue.OfLines(reading.Record, formula.Fields[i]) ?? ItemValue.From(reading.Record.Has(formula.Fields[i]) ? reading.Record[formula.Fields[i]] : formula.Fields[i] == Own || ReferenceEquals(reading.Record, RawFields.None) ? reading.Held : Value.Empty);
        }

        item = formula.Evaluate(values, setting);
        why = item.IsError ? $"the formula {ValueJson.Quoted(formula.Text)} gives {item.Error.Code} for {ValueJson.Quoted(reading.Held.Display)}{(item.Error.Detail is { } detail ? $": {detail}" : "")}" : null;
        return !item.IsError;
    }

    private static (Formula?, FormulaProblem?) Parsed(string? text)
    {
        if (text is null)
        {
            return default;
        }

        return Formula.Parse(text, null, out var formula, out var problem) ? (formula, null) : (null, problem);
    }
}
