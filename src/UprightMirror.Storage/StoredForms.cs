using System.Collections.Immutable;
using System.Text.Json;
using System.Text.Json.Nodes;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage;

/// <summary>How remembered things stand in JSON columns.</summary>
public sealed class StoredForms(MirrorDefinition mirror)
{
    private readonly Dictionary<string, FieldType> types = mirror.Fields.ToDictionary(f => f.Name, f => f.Type);

    public static string Write(RawFields fields) => fields.ToFlatJson().ToJsonString();

    public static RawFields ReadRaw(string json)
    {
        using var document = JsonDocument.Parse(json);
        return RawFields.FromJson(document.RootElement);
    }

    public static JsonNode Write(AgreedValue agreed) => new JsonObject
    {
        ["value"] = ValueJson.Write(agreed.Value),
        ["shown"] = agreed.Value.Display,
        ["side"] = agreed.Side,
        ["changedAt"] = agreed.ChangedAt,
        ["who"] = agreed.Who,
        ["at"] = agreed.At,
        ["run"] = agreed.RunId,
        ["why"] = agreed.Why,
    };

    /// <summary>The agreed values of the mirror's fields; those of fields that it no longer has are left aside.</summary>
    public Dictionary<string, AgreedValue> ReadAgreed(string json)
    {
        using var document = JsonDocument.Parse(json);
        return document.RootElement.EnumerateObject().Where(p => this.types.ContainsKey(p.Name)).ToDictionary(p => p.Name, p => new AgreedValue(
            this.ReadValue(p.Name, p.Value.GetProperty("value")),
            p.Value.GetProperty("side").GetInt32(),
            Time(p.Value, "changedAt"),
            p.Value.GetProperty("who").GetString(),
            Time(p.Value, "at")!.Value,
            p.Value.GetProperty("run").GetInt64(),
            p.Value.GetProperty("why").GetString()!));
    }

    public static string Write(ConflictToOpen conflict) => new JsonObject(conflict.Values.Select(v => KeyValuePair.Create(
        v.Key.ToString(System.Globalization.CultureInfo.InvariantCulture),
        v.Value is { } values ? (JsonNode?)new JsonObject(conflict.Fields.Select((f, i) => KeyValuePair.Create(f, ValueJson.Write(values[i])))) : null))).ToJsonString();

    public static string WriteTimes(IReadOnlyDictionary<int, DateTimeOffset> times) =>
        new JsonObject(times.Select(t => KeyValuePair.Create(t.Key.ToString(System.Globalization.CultureInfo.InvariantCulture), (JsonNode?)t.Value.ToUniversalTime().ToString("O")))).ToJsonString();

    public static IReadOnlyDictionary<int, DateTimeOffset> ReadTimes(string json)
    {
        using var document = JsonDocument.Parse(json);
        return document.RootElement.EnumerateObject().ToDictionary(p => int.Parse(p.Name, System.Globalization.CultureInfo.InvariantCulture), p => p.Value.GetDateTimeOffset());
    }

    /// <summary>Values of fields, by name.</summary>
    public static string Write(IReadOnlyDictionary<string, Value> values) => new JsonObject(values.Select(v => KeyValuePair.Create(v.Key, ValueJson.Write(v.Value)))).ToJsonString();

    public ImmutableArray<Value> ReadValues(string json, ImmutableArray<string> fields)
    {
        using var document = JsonDocument.Parse(json);
        return [.. fields.Select(f => document.RootElement.TryGetProperty(f, out var value) ? this.ReadValue(f, value) : Value.Empty)];
    }

    public ImmutableSortedDictionary<int, ImmutableArray<Value>?> ReadCompeting(string json, ImmutableArray<string> fields)
    {
        using var document = JsonDocument.Parse(json);
        return document.RootElement.EnumerateObject().ToImmutableSortedDictionary(
            p => int.Parse(p.Name, System.Globalization.CultureInfo.InvariantCulture),
            p => p.Value.ValueKind == JsonValueKind.Null ? null : (ImmutableArray<Value>?)[.. fields.Select(f => p.Value.TryGetProperty(f, out var value) ? this.ReadValue(f, value) : Value.Empty)]);
    }

    public static string Write(ImmutableArray<SideMemory> memory) => new JsonArray([.. memory.Select(m => (JsonNode)new JsonObject
    {
        ["side"] = m.Side,
        ["id"] = m.Id,
        ["field"] = m.Field,
        ["path"] = m.Path,
        ["raw"] = ValueJson.Write(m.Raw),
        ["known"] = m.Shadow is not null,
        ["shadow"] = m.Shadow is null ? null : ValueJson.Write(m.Shadow),
        ["told"] = m.Told,
        ["owed"] = m.Owed,
        ["unmet"] = m.Unmet,
    })]).ToJsonString();

    public static ImmutableArray<SideMemory> ReadMemory(string json)
    {
        using var document = JsonDocument.Parse(json);
        return [.. document.RootElement.EnumerateArray().Select(m => new SideMemory(
            m.GetProperty("side").GetInt32(), m.GetProperty("id").GetString()!, m.GetProperty("field").GetString()!, m.GetProperty("path").GetString()!, ValueJson.ReadRaw(m.GetProperty("raw")),
            m.GetProperty("known").GetBoolean() ? ValueJson.ReadRaw(m.GetProperty("shadow")) : null, m.GetProperty("told").GetString(), m.GetProperty("owed").GetBoolean(), m.GetProperty("unmet").GetBoolean()))];
    }

    /// <summary>Agreed values by field, null for what was not agreed.</summary>
    public static string Write(IReadOnlyDictionary<string, AgreedValue?> agreed) => new JsonObject(agreed.Select(a => KeyValuePair.Create(a.Key, a.Value is null ? null : (JsonNode?)Write(a.Value)))).ToJsonString();

    public IReadOnlyDictionary<string, AgreedValue?> ReadAgreedBefore(string json)
    {
        using var document = JsonDocument.Parse(json);
        var known = this.ReadAgreed(new JsonObject(document.RootElement.EnumerateObject().Where(p => p.Value.ValueKind != JsonValueKind.Null).Select(p => KeyValuePair.Create(p.Name, JsonNode.Parse(p.Value.GetRawText())))).ToJsonString());
        return document.RootElement.EnumerateObject().Where(p => this.types.ContainsKey(p.Name)).ToDictionary(p => p.Name, p => known.GetValueOrDefault(p.Name));
    }

    public static string Write(ImmutableArray<SideBefore> sides) => new JsonArray([.. sides.Select(s => (JsonNode)new JsonObject
    {
        ["side"] = s.Side,
        ["id"] = s.Id,
        ["shadow"] = s.Shadow?.ToFlatJson(),
        ["told"] = JsonNode.Parse(Write(s.Told)),
        ["owed"] = new JsonArray([.. s.Owed.Order(StringComparer.Ordinal).Select(f => (JsonNode)f)]),
        ["unmet"] = new JsonArray([.. s.Unmet.Order(StringComparer.Ordinal).Select(f => (JsonNode)f)]),
    })]).ToJsonString();

    public static ImmutableArray<SideBefore> ReadSidesBefore(string json)
    {
        using var document = JsonDocument.Parse(json);
        return [.. document.RootElement.EnumerateArray().Select(s => new SideBefore(
            s.GetProperty("side").GetInt32(), s.GetProperty("id").GetString()!, s.GetProperty("shadow") is { ValueKind: JsonValueKind.Object } shadow ? RawFields.FromJson(shadow) : null,
            s.GetProperty("told").EnumerateObject().ToDictionary(p => p.Name, p => p.Value.GetRawText()),
            s.GetProperty("owed").EnumerateArray().Select(f => f.GetString()!).ToHashSet(), s.GetProperty("unmet").EnumerateArray().Select(f => f.GetString()!).ToHashSet()))];
    }

    /// <summary>A value in a side's own form; empty for null.</summary>
    public static Value ReadRawValue(string? json)
    {
        if (json is null)
        {
            return Value.Empty;
        }

        using var document = JsonDocument.Parse(json);
        return ValueJson.ReadRaw(document.RootElement);
    }

    public static string Write(ImmutableArray<DeliveredField> fields) => new JsonArray([.. fields.Select(f => (JsonNode)new JsonObject
    {
        ["field"] = f.Field,
        ["path"] = f.Path,
        ["before"] = ValueJson.Write(f.Before),
        ["raw"] = ValueJson.Write(f.Raw),
        ["agreed"] = ValueJson.Write(f.Agreed),
        ["why"] = f.Why,
    })]).ToJsonString();

    public ImmutableArray<DeliveredField> ReadDelivered(string json)
    {
        using var document = JsonDocument.Parse(json);
        return [.. document.RootElement.EnumerateArray().Select(f => new DeliveredField(
            f.GetProperty("field").GetString()!,
            f.GetProperty("path").GetString()!,
            ValueJson.ReadRaw(f.GetProperty("before")),
            ValueJson.ReadRaw(f.GetProperty("raw")),
            this.ReadValue(f.GetProperty("field").GetString()!, f.GetProperty("agreed")),
            f.GetProperty("why").GetString()!))];
    }

    public static string Write(IReadOnlyDictionary<string, string> told) => new JsonObject(told.Select(t => KeyValuePair.Create(t.Key, JsonNode.Parse(t.Value)))).ToJsonString();

    public static Dictionary<string, string> ReadTold(string json)
    {
        using var document = JsonDocument.Parse(json);
        return document.RootElement.EnumerateObject().ToDictionary(p => p.Name, p => p.Value.GetRawText());
    }

    public static Dictionary<int, Removal> ReadRemovals(string json)
    {
        using var document = JsonDocument.Parse(json);
        return document.RootElement.EnumerateObject().ToDictionary(
            p => int.Parse(p.Name, System.Globalization.CultureInfo.InvariantCulture), p => Enum.Parse<Removal>(p.Value.GetString()!));
    }

    /// <summary>A value that no longer fits its field's type (the mapping was changed) is read as it stands.</summary>
    private Value ReadValue(string field, JsonElement json) =>
        ValueJson.TryRead(json, this.types.GetValueOrDefault(field, FieldType.Text), out var value, out _) ? value : ValueJson.ReadRaw(json);

    private static DateTimeOffset? Time(JsonElement json, string property) =>
        json.GetProperty(property) is { ValueKind: JsonValueKind.String } time ? time.GetDateTimeOffset() : null;
}
