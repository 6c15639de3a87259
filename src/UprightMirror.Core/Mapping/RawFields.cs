using System.Collections.Immutable;
using System.Text.Json;
using System.Text.Json.Nodes;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Mapping;

/// <summary>
/// A record in a side's own form: its fields as the system gave them, flat, by path (<c>address.town</c>). A path that is
/// not there was left out by the system. Compared letter by letter: this is what changes are found by.
/// </summary>
public sealed class RawFields
{
    public static readonly RawFields None = new(ImmutableSortedDictionary<string, Value>.Empty);

    private readonly ImmutableSortedDictionary<string, Value> values;

    private RawFields(ImmutableSortedDictionary<string, Value> values) => this.values = values;

    public static RawFields Of(IEnumerable<KeyValuePair<string, Value>> values) => new(values.ToImmutableSortedDictionary(StringComparer.Ordinal));

    /// <summary>The value at a path; empty when it is null or left out.</summary>
    public Value this[string path] => this.values.GetValueOrDefault(path, Value.Empty);

    public bool Has(string path) => this.values.ContainsKey(path);

    public IEnumerable<string> Paths => this.values.Keys;

    public RawFields With(string path, Value value) => new(this.values.SetItem(path, value));

    /// <summary>Whether the two hold the same at every path; a path left out is the same as null.</summary>
    public bool SameAs(RawFields other) =>
        this.values.All(v => v.Value.Equals(other[v.Key])) && other.values.All(v => v.Value.Equals(this[v.Key]));

    /// <summary>Flattens a JSON object: nested objects become paths, arrays of texts lists, other arrays their JSON text.</summary>
    public static RawFields FromJson(JsonElement json)
    {
        var values = ImmutableSortedDictionary.CreateBuilder<string, Value>(StringComparer.Ordinal);
        Flatten(json, "", 0);
        return new RawFields(values.ToImmutable());

        void Flatten(JsonElement element, string prefix, int depth)
        {
            foreach (var property in element.EnumerateObject())
            {
                var path = prefix + property.Name;
                if (property.Value.ValueKind == JsonValueKind.Object && depth < 8)
                {
                    Flatten(property.Value, path + ".", depth + 1);
                }
                else
                {
                    values[path] = ValueJson.ReadRaw(property.Value);
                }
            }
        }
    }

    /// <summary>As a flat JSON object, paths as names: the form in which it is stored.</summary>
    public JsonObject ToFlatJson() => new(this.values.Select(v => KeyValuePair.Create(v.Key, ValueJson.Write(v.Value))));

    /// <summary>As the nested JSON object that the system itself would write.</summary>
    public JsonObject ToNestedJson() => Nested(this.values);

    private static JsonObject Nested(IEnumerable<KeyValuePair<string, Value>> values)
    {
        var root = new JsonObject();
        foreach (var (path, value) in values)
        {
            var levels = path.Split('.');
            var parent = root;
            foreach (var level in levels[..^1])
            {
                parent = (parent[level] ??= new JsonObject()) as JsonObject ?? throw new InvalidOperationException($"The path {path} goes through a value.");
            }

            parent[levels[^1]] = value is LinesValue lines ? new JsonArray([.. lines.Lines.Select(l => (JsonNode?)Nested(l))]) : ValueJson.Write(value);
        }

        return root;
    }
}
