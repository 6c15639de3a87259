using UprightMirror.Core.Formulas;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Mapping;

/// <summary>
/// Which records of a side are kept the same at all: those for which a formula over the side's own fields is true. An empty answer counts as no.
/// </summary>
public sealed class ScopeCondition
{
    private readonly Formula? formula;
    private readonly FormulaProblem? problem;

    public ScopeCondition(string text)
    {
        this.Text = text;
        if (Formula.Parse(text, null, out var parsed, out var wrong))
        {
            this.formula = parsed;
        }
        else
        {
            this.problem = wrong;
        }
    }

    public string Text { get; }

    /// <summary>What is wrong with the formula, as a sentence; null when nothing is.</summary>
    public string? Problem => this.problem?.Sentence;

    /// <summary>The side's fields that it looks at.</summary>
    public IEnumerable<string> Reads => this.formula?.Fields ?? [];

    /// <summary>The condition in words, for sentences.</summary>
    public string Words => this.formula is null ? this.Text : FormulaWords.Of(this.formula);

    /// <summary>Whether a record is covered.</summary>
    /// <param name="why">Why it can't be told, in words that fit after a record's name; null when it can.</param>
    /// <returns>Null when it can't be told.</returns>
    public bool? Covers(RawFields record, ConversionSetting setting, out string? why)
    {
        if (this.formula is null)
        {
            why = $"the scope's formula can't be used. {this.problem!.Sentence.TrimEnd('.')}";
            return null;
        }

        var values = new Item[this.formula.Fields.Length];
        for (var i = 0; i < values.Length; i++)
        {
            values[i] = ItemValue.OfLines(record, this.formula.Fields[i]) ?? ItemValue.From(record[this.formula.Fields[i]]);
        }

        var item = this.formula.Evaluate(values, new FormulaSetting(setting.Now, null) { CodeLists = setting.CodeLists });
        var answer = item.IsError || item.IsBlank ? item : Coercion.Logical(item);
        why = answer.IsError ? $"whether it is in the scope can't be told: the formula {ValueJson.Quoted(this.Text)} gives {answer.Error.Code}{(answer.Error.Detail is { } detail ? $": {detail}" : "")}" : null;
        return answer.IsError ? null : !answer.IsBlank && answer.Logical;
    }
}
