using System.Collections.Immutable;
using UprightMirror.Core.Formulas.Functions;

namespace UprightMirror.Core.Formulas;

/// <summary>A record of a system that a formula asks for by <c>FETCHED("Harbour register"; "berths"; [Berth]; "length")</c>.</summary>
/// <param name="System">The system's name or key, as it is written.</param>
/// <param name="Id">The record's id there.</param>
public sealed record FetchedRecord(string System, string Collection, string Id);

/// <summary>
/// What formulas were told of records that they fetch by a key, and which they still ask for. Formulas have no side effects: one that asks for what is not known yet gives an error that says so, and is worked out
/// again once somebody has fetched it.
/// </summary>
public sealed class Fetched
{
    internal const string FunctionName = "FETCHED";

    private readonly Dictionary<FetchedRecord, (Func<string, Item>? Fields, string? Fault)> known = [];
    private readonly HashSet<FetchedRecord> wanted = [];

    /// <summary>The records that were asked for and are not known yet.</summary>
    public IReadOnlyCollection<FetchedRecord> Wanted => this.wanted;

    /// <summary>Notes a record.</summary>
    /// <param name="fields">What stands in a field, by its path; null where there is no such record.</param>
    public void Know(FetchedRecord record, Func<string, Item>? fields) => this.Know(record, fields, null);

    /// <summary>Notes that a record can't be fetched.</summary>
    public void Fail(FetchedRecord record, string fault) => this.Know(record, null, fault);

    private void Know(FetchedRecord record, Func<string, Item>? fields, string? fault)
    {
        this.known[record] = (fields, fault);
        this.wanted.Remove(record);
    }

    private Item Of(FetchedRecord record, string field)
    {
        if (!this.known.TryGetValue(record, out var found))
        {
            this.wanted.Add(record);
            return NotKnown("it was not fetched yet");
        }

        return found.Fault is { } fault ? NotKnown(fault.TrimEnd('.')) : found.Fields?.Invoke(field) ?? Item.Blank;
    }

    /// <summary>What is wrong with the way that a formula fetches, as a sentence; null when nothing is.</summary>
    /// <param name="systems">The systems and collections that a formula asks for, and their fields, as written.</param>
    public static string? Problem(Formula formula, out ImmutableArray<(string System, string Collection, string Field)> systems)
    {
        var asked = formula.Calls.Where(c => c.Function.Name == FunctionName).Select(c => Named(c.Arguments, 0) is { } system && Named(c.Arguments, 1) is { } collection && Named(c.Arguments, 3) is { } field ? (system, collection, field) : ((string, string, string)?)null).ToList();
        systems = [.. asked.OfType<(string, string, string)>().Distinct()];
        return asked.Contains(null) ? $"{FunctionName} wants the system, the collection and the field in quotes, such as {FunctionName}(\"Slipway CRM\"; \"organisations\"; [Number]; \"name\"): only the id may be worked out." : null;
    }

    /// <summary>The value of the field, blank where there is no such record or the id is empty.</summary>
    internal static Item Work(Item[] arguments, FormulaSetting setting) =>
        setting.Fetched is not { } fetched ? NotKnown($"only a field that is worked out can ask for {FunctionName}")
        : arguments[2].Text.Trim() is not { Length: > 0 } id ? Item.Blank
        : fetched.Of(new FetchedRecord(arguments[0].Text.Trim(), arguments[1].Text.Trim(), id), arguments[3].Text.Trim());

    private static Item NotKnown(string why) => Item.Of(ItemError.NotAvailable with { Detail = why });

    private static string? Named(ImmutableArray<Node> arguments, int index) => arguments[index] is Node.Constant { Value: { Kind: ItemKind.Text, Text: { } text } } && text.Trim().Length > 0 ? text.Trim() : null;
}
