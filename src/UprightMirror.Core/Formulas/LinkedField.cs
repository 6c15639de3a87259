using System.Collections.Immutable;
using UprightMirror.Core.Formulas.Functions;

namespace UprightMirror.Core.Formulas;

/// <summary>A field of those records of another mirror that point at a record, as <c>LINKED("invoices"; "Total")</c> asks for it.</summary>
/// <param name="Mirror">The other mirror's key or name, as it is written.</param>
/// <param name="Field">Its agreed field, as it is written.</param>
/// <param name="By">Its field that points at the record; null where it has but one that does.</param>
public sealed record LinkedField(string Mirror, string Field, string? By = null)
{
    internal const string FunctionName = "LINKED";

    /// <summary>Every field of linked records that a formula asks for.</summary>
    /// <param name="problem">What is wrong with the way it asks, as a sentence; null when nothing is.</param>
    public static ImmutableArray<LinkedField> In(Formula formula, out string? problem)
    {
        var asked = formula.Calls.Where(c => c.Function.Name == FunctionName).Select(c => Of(c.Arguments)).ToList();
        problem = asked.Contains(null) ? $"{FunctionName} wants names in quotes, such as {FunctionName}(\"invoices\"; \"Total\"): which records are looked at must be known before they are read." : null;
        return [.. asked.OfType<LinkedField>().Distinct()];
    }

    /// <summary>The same names, whatever their case.</summary>
    public bool Equals(LinkedField? other) => other is not null && Same(this.Mirror, other.Mirror) && Same(this.Field, other.Field) && Same(this.By, other.By);

    public override int GetHashCode() => HashCode.Combine(Hash(this.Mirror), Hash(this.Field), Hash(this.By ?? ""));

    internal static LinkedField? Of(ImmutableArray<Node> arguments) => Named(arguments, 0) is { } mirror && Named(arguments, 1) is { } field && (arguments.Length < 3 || Named(arguments, 2) is not null)
        ? new LinkedField(mirror, field, arguments.Length < 3 ? null : Named(arguments, 2))
        : null;

    /// <summary>The list of what the linked records hold, in the order of their links.</summary>
    internal static Item Work(ref Evaluator evaluator, ImmutableArray<Node> arguments)
    {
        var asked = Of(arguments);
        return asked is not null && evaluator.Setting.Linked.TryGetValue(asked, out var values) ? Item.Of(values)
            : Item.Of(ItemError.NotAvailable with { Detail = asked is null ? "the names must stand in quotes" : $"what the linked {asked.Mirror} hold is not known here" });
    }

    private static string? Named(ImmutableArray<Node> arguments, int index) => arguments[index] is Node.Constant { Value: { Kind: ItemKind.Text, Text: { } text } } && text.Trim().Length > 0 ? text.Trim() : null;

    private static bool Same(string? one, string? other) => string.Equals(one, other, StringComparison.OrdinalIgnoreCase);

    private static int Hash(string text) => StringComparer.OrdinalIgnoreCase.GetHashCode(text);
}
