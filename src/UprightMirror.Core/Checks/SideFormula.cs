using System.Collections.Immutable;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Checks;

/// <summary>A condition over what is agreed of a linked record and what each of its sides says.</summary>
public sealed class SideFormula
{
    private readonly Formula formula;
    private readonly MirrorDefinition mirror;

    private SideFormula(Formula formula, MirrorDefinition mirror, ImmutableArray<CheckedField> fields) => (this.formula, this.mirror, this.Fields) = (formula, mirror, fields);

    /// <summary>What it looks at, in the order of its first mention.</summary>
    public ImmutableArray<CheckedField> Fields { get; }

    /// <summary>Reads a condition.</summary>
    /// <param name="names">What people call the sides' systems.</param>
    /// <param name="problem">What is wrong with it, as a sentence.</param>
    public static SideFormula? Read(string text, MirrorDefinition mirror, IReadOnlyList<string> names, out string? problem)
    {
        if (string.IsNullOrWhiteSpace(text))
        {
            problem = $"No formula is given. Say what is flagged, such as [{names[0]}.{mirror.Fields[0].Name}] <> [{names[^1]}.{mirror.Fields[0].Name}].";
            return null;
        }

        if (!Formula.Parse(text, n => CheckedField.Find(n, mirror, names) is not null, out var formula, out var wrong))
        {
            problem = wrong.Sentence;
            return null;
        }

        problem = formula.Calls.Select(c => c.Function.Name).FirstOrDefault(n => n is LinkedField.FunctionName or Flags.FunctionName or Fetched.FunctionName or "REFERENCE") is { } asked
            ? $"A check knows what is agreed of a record and what its sides say; {asked} asks for something else."
            : null;
        ImmutableArray<CheckedField> fields = [.. formula.Fields.Select(n => CheckedField.Find(n, mirror, names)!.Value)];
        if (problem is null && fields.FirstOrDefault(f => mirror.Fields[f.Field].Type == FieldType.Lines, new CheckedField(null, -1)) is { Field: >= 0 } lines)
        {
            problem = $"{mirror.Fields[lines.Field].Name} holds lines, which no formula can compare as one value.";
        }

        return problem is null ? new SideFormula(formula, mirror, fields) : null;
    }

    /// <summary>Whether the condition is true of a record.</summary>
    /// <param name="sides">What each side says in agreed form; null where it has no record.</param>
    /// <param name="why">Why it can't be told; null when it can.</param>
    /// <returns>Null when it can't be told. False for a record that one of the sides which are asked does not have: there is nothing to compare.</returns>
    public bool? IsTrue(LinkedRecord record, IReadOnlyList<Translation?> sides, DateTimeOffset now, out string? why)
    {
        why = null;
        var items = new Item[this.Fields.Length];
        for (var i = 0; i < items.Length; i++)
        {
            var field = this.Fields[i];
            if (field.Side is { } side && sides[side] is null)
            {
                return false;
            }

            items[i] = Problem(field, sides) is { } wrong ? Item.Of(ItemError.NotAvailable with { Detail = wrong }) : AsItem(this.Value(field, record, sides));
        }

        var item = this.formula.Evaluate(items, new FormulaSetting(now) { CodeLists = this.mirror.CodeLists });
        var answer = item.IsError || item.IsBlank ? item : Coercion.Logical(item);
        why = answer.IsError ? $"the formula gives {answer.Error.Code}{(answer.Error.Detail is { } detail ? $": {detail}" : "")}" : null;
        return answer.IsError ? null : !answer.IsBlank && answer.Logical;
    }

    /// <summary>What stands in a field that it looks at.</summary>
    public Value Value(CheckedField field, LinkedRecord record, IReadOnlyList<Translation?> sides) =>
        field.Side is { } side ? sides[side]?.Values[field.Field] ?? Values.Value.Empty
        : record.Agreed.TryGetValue(this.mirror.Fields[field.Field].Name, out var agreed) ? agreed.Value : Values.Value.Empty;

    private static string? Problem(CheckedField field, IReadOnlyList<Translation?> sides) => field.Side is { } side ? sides[side]!.Problems.FirstOrDefault(p => p.Field == field.Field)?.Sentence : null;

    /// <summary>A record that is pointed at is told from another by which it is, and not by what it is called.</summary>
    private static Item AsItem(Value value) => value is LinkValue link ? Item.Of(link.Link.ToString("N")) : ItemValue.From(value);
}
