using System.Collections.Immutable;
using System.Text.Json;

namespace UprightMirror.Core.Mapping.Suggesting;

/// <summary>The fields of a JSON Schema: its properties, nested ones by path, with what it says of each.</summary>
public static class SchemaSketch
{
    private const int Deepest = 8;

    public static IEnumerable<FieldSketch> Of(JsonElement schema) => Properties(schema, schema, "", 0);

    private static IEnumerable<FieldSketch> Properties(JsonElement root, JsonElement schema, string prefix, int depth)
    {
        if (depth > Deepest)
        {
            yield break;
        }

        schema = Followed(root, schema);
        foreach (var part in Parts(root, schema))
        {
            foreach (var field in Properties(root, part, prefix, depth + 1))
            {
                yield return field;
            }
        }

        if (schema.ValueKind != JsonValueKind.Object || !schema.TryGetProperty("properties", out var properties) || properties.ValueKind != JsonValueKind.Object)
        {
            yield break;
        }

        foreach (var property in properties.EnumerateObject())
        {
            var own = Followed(root, property.Value);
            var items = own.ValueKind == JsonValueKind.Object && own.TryGetProperty("items", out var i) ? Followed(root, i) : default;
            var inner = Has(own, "properties") || Has(own, "allOf") ? own : Has(items, "properties") ? items : default;
            if (inner.ValueKind == JsonValueKind.Object)
            {
                foreach (var field in Properties(root, inner, $"{prefix}{property.Name}.", depth + 1))
                {
                    yield return field;
                }

                continue;
            }

            yield return new FieldSketch(
                prefix + property.Name, Text(own, "title"), Text(own, "description"), TypeOf(own),
                own.ValueKind == JsonValueKind.Object && own.TryGetProperty("maxLength", out var longest) && longest.TryGetInt32(out var most) ? most : null,
                Texts(own, "enum"),
                [.. Texts(own, "examples").Concat(Texts(own, "enum"))]);
        }
    }

    private static IEnumerable<JsonElement> Parts(JsonElement root, JsonElement schema) =>
        schema.ValueKind == JsonValueKind.Object && schema.TryGetProperty("allOf", out var all) && all.ValueKind == JsonValueKind.Array ? all.EnumerateArray().Select(a => Followed(root, a))
        : schema.ValueKind == JsonValueKind.Object && !Has(schema, "properties") && schema.TryGetProperty("items", out var items) ? [items] : [];

    private static bool Has(JsonElement schema, string name) => schema.ValueKind == JsonValueKind.Object && schema.TryGetProperty(name, out _);

    /// <summary>Where a reference within the document leads; references that lead around in a circle end.</summary>
    private static JsonElement Followed(JsonElement root, JsonElement schema)
    {
        for (var steps = 0; steps < 20 && schema.ValueKind == JsonValueKind.Object && schema.TryGetProperty("$ref", out var reference) && reference.GetString() is ['#', '/', .. var path]; steps++)
        {
            var at = root;
            foreach (var step in path.Split('/').Select(s => s.Replace("~1", "/", StringComparison.Ordinal).Replace("~0", "~", StringComparison.Ordinal)))
            {
                if (at.ValueKind != JsonValueKind.Object || !at.TryGetProperty(step, out at))
                {
                    return default;
                }
            }

            schema = at;
        }

        return schema;
    }

    private static string? TypeOf(JsonElement schema)
    {
        if (Text(schema, "format") is { } format && format is "date" or "date-time")
        {
            return format;
        }

        if (schema.ValueKind != JsonValueKind.Object || !schema.TryGetProperty("type", out var type))
        {
            return null;
        }

        return type.ValueKind == JsonValueKind.Array ? type.EnumerateArray().Select(t => t.GetString()).FirstOrDefault(t => t != "null") : type.ValueKind == JsonValueKind.String ? type.GetString() : null;
    }

    private static string? Text(JsonElement schema, string name) => schema.ValueKind == JsonValueKind.Object && schema.TryGetProperty(name, out var value) && value.ValueKind == JsonValueKind.String ? value.GetString() : null;

    private static ImmutableArray<string> Texts(JsonElement schema, string name) =>
        schema.ValueKind == JsonValueKind.Object && schema.TryGetProperty(name, out var value) && value.ValueKind == JsonValueKind.Array
            ? [.. value.EnumerateArray().Where(v => v.ValueKind is not (JsonValueKind.Null or JsonValueKind.Object or JsonValueKind.Array)).Select(v => v.ToString())]
            : [];
}
