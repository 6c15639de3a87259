using System.Collections.Immutable;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Mapping;

/// <summary>Fields that no side gives: worked out by a formula over the other agreed fields, by their names, and the ids that sides have for the record.</summary>
public static class WorkedOutField
{
    private static readonly ImmutableDictionary<LinkedField, ImmutableArray<Item>> NoneLinked = ImmutableDictionary<LinkedField, ImmutableArray<Item>>.Empty;

    /// <summary>How reconciling works the field out. A formula that can't be used gives a reason for every record; the check says so before.</summary>
    internal static WorkedOut Of(MirrorDefinition mirror, AgreedFieldDefinition field, IReadOnlyList<string> names, DateTimeOffset now)
    {
        if (!Formula.Parse(field.WorkedOut!, n => Index(mirror, n) >= 0, out var formula, out var problem))
        {
            return new WorkedOut([], false, Unusable);

            Value? Unusable(IReadOnlyList<Value> inputs, Surroundings around, out string? why)
            {
                why = $"its formula can't be used. {problem.Sentence.TrimEnd('.')}";
                return null;
            }
        }

        ImmutableArray<int> inputs = [.. formula.Fields.Select(n => Index(mirror, n))];
        var readsNumbers = field.Type == FieldType.Phone || formula.Calls.Any(c => c.Function.Name.StartsWith("PHONE", StringComparison.Ordinal));
        var country = readsNumbers && mirror.CountryField is { } name && mirror.Fields.Select(f => f.Name).ToList().IndexOf(name) is >= 0 and var at && mirror.Fields[at].WorkedOut is null ? at : -1;
        var systems = mirror.Sides.Select(s => s.System).ToImmutableArray();
        var linked = LinkedField.In(formula, out _);
        return new WorkedOut([.. inputs.Concat(country >= 0 ? [country] : []).Distinct()], formula.Calls.Any(c => c.Function.Name == "REFERENCE"), Work) { Linked = linked };

        Value? Work(IReadOnlyList<Value> values, Surroundings around, out string? why)
        {
            // One value for each name in the formula: two names that differ in case mean one field.
            var of = inputs.Distinct().Select((field, i) => (field, i)).ToDictionary(p => p.field, p => p.i);
            var reads = country < 0 ? null : (of.TryGetValue(country, out var place) ? values[place] : values[^1]) is TextValue { Content.Length: 2 } known ? known.Content : null;
            var item = formula.Evaluate([.. inputs.Select(i => ItemValue.From(values[of[i]]))], new FormulaSetting(now, reads)
            {
                CodeLists = mirror.CodeLists,
                Flags = around.Flags,
                Fetched = around.Fetched,
                References = References(around.Ids),
                Linked = linked.IsEmpty ? NoneLinked : linked.Where(around.Linked.ContainsKey).ToImmutableDictionary(l => l, l => around.Linked[l].Select(ItemValue.From).ToImmutableArray()),
            });
            why = null;
            if (item.IsError)
            {
                why = $"the formula {ValueJson.Quoted(formula.Text)} gives {item.Error.Code}{(item.Error.Detail is { } detail ? $": {detail}" : "")}";
                return null;
            }

            var value = ItemValue.Of(item, field.Type, reads);
            why = value is null ? $"the formula gives {ValueJson.Quoted(item.Shown)}, which is not {ValueJson.Described(field.Type)}" : null;
            return value;
        }

        Dictionary<string, string> References(ImmutableArray<string?> ids)
        {
            var known = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase);
            for (var s = 0; s < ids.Length; s++)
            {
                if (ids[s] is { } id)
                {
                    known[systems[s]] = id;
                    known[names[s]] = id;
                }
            }

            return known;
        }
    }

    /// <summary>Puts the worked-out values into a record's agreed values.</summary>
    /// <param name="agreed">One for each field; those of worked-out fields are replaced.</param>
    /// <param name="around">What is known beside them.</param>
    /// <returns>By field, why it can't be worked out.</returns>
    public static ImmutableDictionary<int, string> Fill(ReconcileRules rules, Value[] agreed, Surroundings around)
    {
        var problems = ImmutableDictionary.CreateBuilder<int, string>();
        foreach (var field in rules.WorkedOut)
        {
            var worked = rules.Fields[field].WorkedOut!;
            agreed[field] = worked.Work([.. worked.Inputs.Select(i => agreed[i])], around, out var why) ?? Value.Empty;
            if (why is not null)
            {
                problems[field] = why;
            }
        }

        return problems.ToImmutable();
    }

    /// <summary>What is wrong with the fields that are worked out, by index, as sentences.</summary>
    /// <param name="others">Every other mirror there is, for fields that look at their records.</param>
    public static IEnumerable<(int Field, string Words)> Problems(MirrorDefinition mirror, IReadOnlyCollection<MirrorDefinition> others)
    {
        var made = new Dictionary<int, ImmutableArray<int>>();
        for (var f = 0; f < mirror.Fields.Length; f++)
        {
            var field = mirror.Fields[f];
            if (field.WorkedOut is null)
            {
                continue;
            }

            if (!Formula.Parse(field.WorkedOut, n => Index(mirror, n) >= 0, out var formula, out var problem))
            {
                yield return (f, $"{field.Name} can't be worked out: {problem.Sentence}");
                continue;
            }

            var looks = LinkedField.In(formula, out var unclear);
            foreach (var asked in looks)
            {
                if (LinkedRecordsField.Find(mirror, asked, others, out var wrong) is null)
                {
                    yield return (f, $"{field.Name} can't be worked out: {wrong}");
                }
            }

            if (unclear is not null)
            {
                yield return (f, $"{field.Name} can't be worked out: {unclear}");
            }

            if (Fetched.Problem(formula, out _) is { } unsaid)
            {
                yield return (f, $"{field.Name} can't be worked out: {unsaid}");
            }

            made[f] = [.. formula.Fields.Select(n => Index(mirror, n)).Distinct()];
            if (field.Type is FieldType.Lines or FieldType.Reference)
            {
                yield return (f, $"{field.Name} is {field.Type.Name()}, which no formula can give. Let it hold something else.");
            }

            if (made[f].Any(i => mirror.Fields[i].Type is FieldType.Lines or FieldType.Reference))
            {
                yield return (f, $"{field.Name} is worked out of {mirror.Fields[made[f].First(i => mirror.Fields[i].Type is FieldType.Lines or FieldType.Reference)].Name}, which is no single value. Take it out of the formula.");
            }
        }

        foreach (var (f, _) in made.Where(m => Reaches(m.Key, m.Key, [])))
        {
            yield return (f, $"{mirror.Fields[f].Name} is worked out of {string.Join(" and ", made[f].Where(i => i == f || Reaches(i, f, [])).Select(i => i == f ? "itself" : mirror.Fields[i].Name))}, so it goes round in a circle and never has a value. Let one of them be given by a side.");
        }

        bool Reaches(int from, int wanted, HashSet<int> seen) => made.TryGetValue(from, out var next) && next.Any(n => n == wanted || (seen.Add(n) && Reaches(n, wanted, seen)));
    }

    /// <summary>The agreed field of a name: as written, or else whatever its case; -1 when there is none.</summary>
    private static int Index(MirrorDefinition mirror, string name)
    {
        var all = mirror.Fields.Select(f => f.Name).ToList();
        return all.IndexOf(name) is >= 0 and var exact ? exact : all.FindIndex(n => n.Equals(name, StringComparison.OrdinalIgnoreCase));
    }
}
