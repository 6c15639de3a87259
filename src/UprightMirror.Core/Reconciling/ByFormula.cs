using System.Collections.Immutable;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Reconciling;

/// <summary>
/// Settles by a formula over what the sides say: a side by its system's name or key, and <c>before</c> for what was agreed. A side that did not change it says what was agreed.
/// Where the formula gives no value of the field's type, a person is asked.
/// </summary>
/// <param name="Systems">The sides' systems, by their keys.</param>
public sealed record ByFormula(ImmutableArray<int> Rank, string Text, FieldType Type, ImmutableArray<string> Systems) : SettlingRule(Rank)
{
    /// <summary>What a formula calls the agreed value that is to be replaced.</summary>
    public const string Before = "before";

    /// <summary>The shared code lists by name.</summary>
    public ImmutableDictionary<string, CodeTable> CodeLists { get; init; } = ImmutableDictionary<string, CodeTable>.Empty;

    /// <summary>The run's time, for formulas that ask for it.</summary>
    public DateTimeOffset Now { get; init; }

    public override string Name => "formula";

    public override string Words => "a formula";

    /// <summary>What is wrong with the formula, as a sentence; null when nothing is.</summary>
    /// <param name="names">What people call the sides' systems.</param>
    public string? Problem(IReadOnlyList<string> names) =>
        string.IsNullOrWhiteSpace(this.Text) ? $"No formula is given. Say what the value is, such as IF([{names[0]}] = \"\"; [{names[^1]}]; [{names[0]}])."
        : !Formula.Parse(this.Text, n => this.Place(n, names) is not null, out var formula, out var problem) ? problem.Sentence
        : formula.Calls.Any(c => c.Function.Name is "REFERENCE" or LinkedField.FunctionName) ? "A formula that settles knows what the sides say, and nothing of other records."
        : null;

    public override Verdict Decide(ImmutableArray<Candidate> candidates, ImmutableArray<Value> before, IReadOnlyList<string> sides)
    {
        if (candidates.FirstOrDefault(c => c.Side == Candidate.Person) is { Values.IsDefault: false } decided)
        {
            return Verdict.Take(decided, "a person decided it, and no formula overrules that");
        }

        if (this.Problem(sides) is { } wrong)
        {
            return Verdict.Conflict($"the formula can't be used. {wrong.TrimEnd('.')}");
        }

        _ = Formula.Parse(this.Text, null, out var formula, out _);
        var item = formula!.Evaluate([.. formula.Fields.Select(n => ItemValue.From(this.Place(n, sides) is >= 0 and var side && candidates.FirstOrDefault(c => c.Side == side) is { Values.IsDefault: false } said ? said.Values[0] : before[0]))],
            new FormulaSetting(this.Now) { CodeLists = this.CodeLists });
        if (item.IsError)
        {
            return Verdict.Conflict($"the formula gives {item.Error.Code}{(item.Error.Detail is { } detail ? $": {detail}" : "")}");
        }

        if (ItemValue.Of(item, this.Type, null) is not { } value)
        {
            return Verdict.Conflict($"the formula gives {ValueJson.Quoted(item.Shown)}, which is not {ValueJson.Described(this.Type)}");
        }

        // What one of the sides says came from there; anything else was made.
        var saying = candidates.Where(c => c.Values[0].Equals(value)).ToList();
        return saying.Count > 0
            ? Verdict.Take(this.Highest(saying), $"the formula {this.Text} gives what {NameOf(this.Highest(saying), sides)} says")
            : new Verdict([value], Candidate.WorkedOut, null, $"the formula {this.Text}");
    }

    /// <summary>Which side a name in the formula means; -1 for the agreed value, null for none.</summary>
    private int? Place(string name, IReadOnlyList<string> names)
    {
        if (name.Equals(Before, StringComparison.OrdinalIgnoreCase))
        {
            return -1;
        }

        var side = Enumerable.Range(0, this.Systems.Length).FirstOrDefault(s => names[s].Equals(name, StringComparison.OrdinalIgnoreCase) || this.Systems[s].Equals(name, StringComparison.OrdinalIgnoreCase), -1);
        return side < 0 ? null : side;
    }
}
