using System.Collections.Immutable;
using System.Text.Json;
using System.Text.Json.Nodes;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Reconciling;

/// <summary>A scenario that can't be read, with the place and the reason in one sentence.</summary>
public sealed class ScenarioException(string message) : Exception(message);

/// <summary>
/// One record with its rules as a JSON document, and its outcome as another: the form that <c>upright reconcile</c> takes and
/// prints. Values are in agreed form already. What may be left out, and what it then is, stands beside each reader.
/// </summary>
public static class Scenario
{
    private static readonly JsonDocumentOptions Reading = new() { MaxDepth = 16, AllowTrailingCommas = false };

    /// <summary>Reconciles the record that a scenario describes.</summary>
    /// <exception cref="ScenarioException">The scenario is not JSON, lacks something or contradicts itself.</exception>
    public static JsonObject Reconcile(string scenario)
    {
        JsonDocument document;
        try
        {
            document = JsonDocument.Parse(scenario, Reading);
        }
        catch (JsonException e)
        {
            throw new ScenarioException($"The scenario is not JSON: line {e.LineNumber + 1}, character {e.BytePositionInLine + 1}. {Reason(e)}");
        }

        using (document)
        {
            var root = document.RootElement;
            if (root.ValueKind != JsonValueKind.Object)
            {
                throw new ScenarioException("The scenario must be a JSON object with \"fields\" and \"sides\".");
            }

            var sideNames = Items(root, "sides").Select((s, i) => Text(s, "name", $"Side {i + 1}")).ToImmutableArray();
            Distinct(sideNames, "sides");
            var fields = Items(root, "fields").Select((f, i) => ReadField(f, i, sideNames)).ToImmutableArray();
            Distinct([.. fields.Select(f => f.Name)], "fields");
            var sides = Items(root, "sides").Select(s => ReadSide(s, fields)).ToImmutableArray();
            var rules = new ReconcileRules(fields, sides);
            var record = new RecordState(
                ReadValues(root, "agreed", fields, "the agreed record")?.Select(v => v is null ? null : new AgreedField(v, Candidate.Person, null)).ToArray(),
                [.. Items(root, "sides").Select((s, i) => ReadState(s, sideNames[i], fields))]);
            return Write(rules, record, Reconciler.Reconcile(rules, record));
        }
    }

    private static FieldRules ReadField(JsonElement json, int index, ImmutableArray<string> sides)
    {
        var name = Text(json, "name", $"Field {index + 1}");
        var where = $"Field \"{name}\"";
        var typeName = OptionalText(json, "type", where) ?? "text";
        var type = FieldTypeNames.Parse(typeName) ?? throw new ScenarioException($"{where} has the type \"{typeName}\". Types are text, number, date, datetime, yesno, phone, email and list.");
        var rank = SettlingRule.FullRank(
            Names(json, "rank", where).Select(r => sides.IndexOf(r) is >= 0 and var side ? side : throw new ScenarioException($"{where} ranks \"{r}\", which is not one of the sides {string.Join(", ", sides)}.")),
            sides.Length);
        var states = Names(json, "states", where);
        var ruleName = OptionalText(json, "rule", where) ?? throw new ScenarioException($"{where} has no \"rule\".");
        SettlingRule rule = ruleName switch
        {
            "rank" => new ByRank(rank),
            "latest" => new Latest(rank),
            "furthest" when states.IsEmpty => throw new ScenarioException($"{where} settles \"furthest\" and lists no \"states\"."),
            "furthest" => new FurthestAlong(rank, states),
            "fullest" => new Fullest(rank),
            "greatest" or "least" when type is not (FieldType.Number or FieldType.Date or FieldType.DateTime)
                => throw new ScenarioException($"{where} settles \"{ruleName}\", which needs a number, date or datetime; it is {typeName}."),
            "greatest" => new GreatestOrLeast(rank, true),
            "least" => new GreatestOrLeast(rank, false),
            "union" when type != FieldType.List => throw new ScenarioException($"{where} settles \"union\", which needs a list; it is {typeName}."),
            "union" => new AllOfThem(rank),
            "ask" => new Ask(rank),
            "formula" => Formula(),
            _ => throw new ScenarioException($"{where} has the rule \"{ruleName}\". Rules are rank, latest, furthest, fullest, greatest, least, union, ask and formula."),
        };
        return new FieldRules(name, type, rule, new ByRank(rank), OptionalText(json, "group", where), OptionalBoolean(json, "emptyTravels", where) ?? true);

        ByFormula Formula()
        {
            var formula = new ByFormula(rank, OptionalText(json, "formula", where) ?? "", type, sides);
            return formula.Problem(sides) is { } wrong ? throw new ScenarioException($"{where} settles \"formula\": {wrong}")
                : OptionalText(json, "group", where) is not null ? throw new ScenarioException($"{where} settles \"formula\" and is in a group, which is settled as a whole.")
                : formula;
        }
    }

    private static SideRules ReadSide(JsonElement json, ImmutableArray<FieldRules> fields)
    {
        var name = Text(json, "name", "A side");
        return new SideRules(name, Flags("gives"), Flags("takes"), [.. fields.Select(_ => Drift.PutBack)]);

        ImmutableArray<bool> Flags(string property)
        {
            var names = Names(json, property, $"Side \"{name}\"", required: true);
            return names.FirstOrDefault(n => fields.All(f => f.Name != n)) is { } unknown
                ? throw new ScenarioException($"Side \"{name}\" {property} \"{unknown}\", which is not one of the fields.")
                : [.. fields.Select(f => names.Contains(f.Name))];
        }
    }

    private static SideState ReadState(JsonElement json, string name, ImmutableArray<FieldRules> fields)
    {
        if (!json.TryGetProperty("now", out _))
        {
            throw new ScenarioException($"Side \"{name}\" has no \"now\". Give its values, or null when it has no such record.");
        }

        var now = ReadValues(json, "now", fields, $"side \"{name}\"");
        var shadow = ReadValues(json, "shadow", fields, $"the shadow of side \"{name}\"");
        var changedAt = OptionalText(json, "changedAt", $"Side \"{name}\"") is { } time
            ? ValueJson.FromText(time, FieldType.DateTime, null) as DateTimeValue ?? throw new ScenarioException($"Side \"{name}\" has \"changedAt\" {ValueJson.Quoted(time)}, which is not {ValueJson.Described(FieldType.DateTime)}.")
            : null;
        return new SideState(now?.Select(v => v ?? Value.Empty).ToArray(), shadow?.Select(v => v ?? Value.Empty).ToArray(), ChangedAt: changedAt?.Instant);
    }

    /// <summary>A record's values by field; null when the record is null or left out, a null entry where a field is left out.</summary>
    private static Value?[]? ReadValues(JsonElement parent, string property, ImmutableArray<FieldRules> fields, string where)
    {
        if (!parent.TryGetProperty(property, out var json) || json.ValueKind == JsonValueKind.Null)
        {
            return null;
        }

        if (json.ValueKind != JsonValueKind.Object)
        {
            throw new ScenarioException($"\"{property}\" of {where} must be an object of field values, or null.");
        }

        var values = new Value?[fields.Length];
        foreach (var entry in json.EnumerateObject())
        {
            var index = fields.Select(f => f.Name).ToList().IndexOf(entry.Name);
            if (index < 0)
            {
                throw new ScenarioException($"{Capital(where)} has \"{entry.Name}\", which is not one of the fields.");
            }

            if (!ValueJson.TryRead(entry.Value, fields[index].Type, out var value, out var problem))
            {
                throw new ScenarioException($"{Capital(where)}, field \"{entry.Name}\": {problem!.Problem["is ".Length..]}.");
            }

            values[index] = value;
        }

        return values;
    }

    private static JsonObject Write(ReconcileRules rules, RecordState record, Outcome outcome)
    {
        var agreed = new JsonObject();
        var causes = new JsonObject();
        for (var f = 0; f < rules.Fields.Length; f++)
        {
            var value = outcome.Changes.FirstOrDefault(c => c.Field == f)?.After.Value ?? record.Agreed?[f]?.Value ?? Value.Empty;
            agreed[rules.Fields[f].Name] = ValueJson.Write(value);
            causes[rules.Fields[f].Name] = outcome.GoneEverywhere ? "removed on every side" : outcome.Causes.GetValueOrDefault(f, "nobody changed it");
        }

        var writes = new JsonObject();
        foreach (var write in outcome.Writes)
        {
            writes[rules.SideNames[write.Side]] = new JsonObject(write.Fields.Select(w => KeyValuePair.Create(rules.Fields[w.Field].Name, ValueJson.Write(w.Value))));
        }

        return new JsonObject
        {
            ["agreed"] = agreed,
            ["writes"] = writes,
            ["conflicts"] = new JsonArray([.. outcome.Conflicts.Select(c => (JsonNode)WriteConflict(rules, c))]),
            ["causes"] = causes,
        };
    }

    private static JsonObject WriteConflict(ReconcileRules rules, Conflict conflict) => new()
    {
        ["fields"] = new JsonArray([.. conflict.Fields.Select(f => (JsonNode?)rules.Fields[f].Name)]),
        ["values"] = new JsonObject(conflict.Values.Select(v => KeyValuePair.Create(
            v.Key == Candidate.Person ? "agreed" : rules.SideNames[v.Key],
            v.Value is { } values ? (JsonNode?)new JsonObject(conflict.Fields.Select((f, i) => KeyValuePair.Create(rules.Fields[f].Name, ValueJson.Write(values[i])))) : null))),
    };

    private static List<JsonElement> Items(JsonElement root, string property) =>
        root.TryGetProperty(property, out var json) && json.ValueKind == JsonValueKind.Array && json.GetArrayLength() > 0
            ? json.EnumerateArray().Select(i => i.ValueKind == JsonValueKind.Object ? i : throw new ScenarioException($"Every entry of \"{property}\" must be an object.")).ToList()
            : throw new ScenarioException($"The scenario needs \"{property}\": an array of at least one object.");

    private static string Text(JsonElement json, string property, string where) =>
        OptionalText(json, property, where) is { Length: > 0 } text ? text : throw new ScenarioException($"{where} has no \"{property}\".");

    private static string? OptionalText(JsonElement json, string property, string where) =>
        !json.TryGetProperty(property, out var text) || text.ValueKind == JsonValueKind.Null ? null
        : text.ValueKind == JsonValueKind.String ? text.GetString()
        : throw new ScenarioException($"{where}: \"{property}\" must be text.");

    private static bool? OptionalBoolean(JsonElement json, string property, string where) =>
        !json.TryGetProperty(property, out var flag) || flag.ValueKind == JsonValueKind.Null ? null
        : flag.ValueKind is JsonValueKind.True or JsonValueKind.False ? flag.GetBoolean()
        : throw new ScenarioException($"{where}: \"{property}\" must be true or false.");

    private static ImmutableArray<string> Names(JsonElement json, string property, string where, bool required = false)
    {
        if (!json.TryGetProperty(property, out var list) || list.ValueKind == JsonValueKind.Null)
        {
            return required ? throw new ScenarioException($"{where} has no \"{property}\". Give a list of names; it may be empty.") : [];
        }

        return list.ValueKind == JsonValueKind.Array && list.EnumerateArray().All(i => i.ValueKind == JsonValueKind.String)
            ? [.. list.EnumerateArray().Select(i => i.GetString()!)]
            : throw new ScenarioException($"{where}: \"{property}\" must be a list of names.");
    }

    private static void Distinct(ImmutableArray<string> names, string what)
    {
        if (names.GroupBy(n => n).FirstOrDefault(g => g.Count() > 1) is { } twice)
        {
            throw new ScenarioException($"The {what} name \"{twice.Key}\" twice.");
        }
    }

    private static string Capital(string text) => char.ToUpperInvariant(text[0]) + text[1..];

    private static string Reason(JsonException e) => e.Message.Split(" LineNumber", 2)[0];
}
