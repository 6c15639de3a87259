using System.Collections.Immutable;
using System.Text.Json;
using System.Text.Json.Nodes;
using UprightMirror.Core.Mapping;

namespace UprightMirror.Engine.Exchange;

/// <summary>What a file of mirrors may say, as JSON Schema (draft 2020-12): made from the types that it is read into, so that the two never differ.</summary>
public static class FileSchema
{
    private static readonly string[] Conversions = ["asItStands", "phone", "codeList", "formula", "reference"];

    /// <summary>The published schema.</summary>
    public static JsonNode Document()
    {
        var kinds = new SortedDictionary<string, JsonNode?>(StringComparer.Ordinal);
        Of(typeof(MirrorFile), false);
        var file = (JsonObject)kinds[nameof(MirrorFile)]!;
        kinds.Remove(nameof(MirrorFile));
        file.Insert(0, "$schema", "https://json-schema.org/draft/2020-12/schema");
        file.Insert(1, "title", "Mirrors of Upright Mirror, form 1");
        file["$defs"] = new JsonObject(kinds);
        return file;

        JsonObject Of(Type type, bool mayBeNull)
        {
            if (Nullable.GetUnderlyingType(type) is { } inner)
            {
                return Of(inner, true);
            }

            if (type.IsEnum)
            {
                var names = Enum.GetNames(type).Select(n => (JsonNode?)JsonNamingPolicy.CamelCase.ConvertName(n));
                return new JsonObject { ["enum"] = new JsonArray([.. mayBeNull ? names.Append(null) : names]) };
            }

            return type switch
            {
                _ when type == typeof(string) => Simple("string"),
                _ when type == typeof(bool) => Simple("boolean"),
                _ when type == typeof(int) || type == typeof(long) => Simple("integer"),
                _ when type == typeof(decimal) || type == typeof(double) => Simple("number"),
                _ when type == typeof(TimeOnly) || type == typeof(DateTimeOffset) || type == typeof(DateOnly) => Simple("string"),
                _ when type == typeof(Conversion) => With(Simple("object"), ("required", new JsonArray("kind")), ("properties", new JsonObject { ["kind"] = new JsonObject { ["enum"] = new JsonArray([.. Conversions.Select(c => (JsonNode?)c)]) } })),
                { IsGenericType: true } when type.GetGenericTypeDefinition() == typeof(ImmutableArray<>) => With(Simple("array"), ("items", Of(type.GetGenericArguments()[0], Nulls(type)))),
                { IsGenericType: true } when type.GetGenericTypeDefinition() == typeof(ImmutableSortedDictionary<,>) => With(Simple("object"), ("additionalProperties", Of(type.GetGenericArguments()[1], false))),
                _ => Named(),
            };

            JsonObject Simple(string name) => new() { ["type"] = mayBeNull ? new JsonArray(name, "null") : name };

            JsonObject Named()
            {
                if (!kinds.ContainsKey(type.Name))
                {
                    kinds[type.Name] = null; // It may hold itself.
                    var (properties, required) = (new JsonObject(), new JsonArray());
                    foreach (var property in MirrorFile.Json.GetTypeInfo(type).Properties.Where(p => p.Get is not null))
                    {
                        var said = Of(property.PropertyType, property.IsGetNullable);
                        properties[property.Name] = property.AssociatedParameter is { HasDefaultValue: true } given && DefaultOf(property.PropertyType, given.DefaultValue) is { } left ? With(said, ("default", left)) : said;
                        if (property.AssociatedParameter is { HasDefaultValue: false, IsNullable: false })
                        {
                            required.Add((JsonNode?)property.Name);
                        }
                    }

                    kinds[type.Name] = new JsonObject { ["type"] = "object", ["properties"] = properties, ["required"] = required, ["additionalProperties"] = false };
                }

                var named = new JsonObject { ["$ref"] = $"#/$defs/{type.Name}" };
                return mayBeNull ? new JsonObject { ["anyOf"] = new JsonArray(named, new JsonObject { ["type"] = "null" }) } : named;
            }
        }
    }

    /// <summary>What counts where nothing is said; null where that is nothing.</summary>
    private static JsonNode? DefaultOf(Type type, object? value) => type switch
    {
        { IsGenericType: true } when type.GetGenericTypeDefinition() == typeof(ImmutableArray<>) => new JsonArray(),
        _ => value is null ? null : JsonSerializer.SerializeToNode(value, Nullable.GetUnderlyingType(type) ?? type, MirrorFile.Json),
    };

    /// <summary>Leaves out what would count all the same.</summary>
    /// <param name="root">The schema that it is written by.</param>
    internal static void LeaveOutDefaults(JsonNode root, JsonNode? value) => LeaveOutDefaults(root, root, value);

    private static void LeaveOutDefaults(JsonNode root, JsonNode? schema, JsonNode? value)
    {
        while ((schema as JsonObject)?["$ref"] is { } pointer)
        {
            schema = At(root, pointer.GetValue<string>());
        }

        if (schema is not JsonObject rules || value is null)
        {
            return;
        }

        if (rules["anyOf"] is JsonArray ways)
        {
            LeaveOutDefaults(root, ways[0], value);
        }
        else if (value is JsonArray items)
        {
            foreach (var item in items)
            {
                LeaveOutDefaults(root, rules["items"], item);
            }
        }
        else if (value is JsonObject fields)
        {
            foreach (var (name, inner) in fields.ToList())
            {
                var own = (rules["properties"] as JsonObject)?[name];
                if ((own as JsonObject)?["default"] is { } left && JsonNode.DeepEquals(left, inner))
                {
                    fields.Remove(name);
                }
                else
                {
                    LeaveOutDefaults(root, own ?? rules["additionalProperties"] as JsonObject, inner);
                }
            }
        }
    }

    /// <summary>A side that does not keep a field has null in its place.</summary>
    private static bool Nulls(Type list) => list == typeof(ImmutableArray<SideField>);

    private static JsonObject With(JsonObject schema, params (string Name, JsonNode Value)[] more)
    {
        foreach (var (name, value) in more)
        {
            schema[name] = value;
        }

        return schema;
    }

    /// <summary>Everything in which a value is not as a schema says, with the path of each.</summary>
    internal static IEnumerable<(string Path, string Words)> Check(JsonNode root, JsonNode? value) => Check(root, root, value, "");

    private static IEnumerable<(string Path, string Words)> Check(JsonNode root, JsonNode? schema, JsonNode? value, string path)
    {
        if (schema is not JsonObject rules)
        {
            yield break; // True: anything goes.
        }

        if (rules["$ref"]?.GetValue<string>() is { } pointer)
        {
            foreach (var found in Check(root, At(root, pointer), value, path))
            {
                yield return found;
            }

            yield break;
        }

        if (rules["anyOf"] is JsonArray ways)
        {
            // One way is null: what is something is as the other says.
            foreach (var found in value is null ? [] : Check(root, ways[0], value, path))
            {
                yield return found;
            }

            yield break;
        }

        if (rules["enum"] is JsonArray choices && !choices.Any(c => JsonNode.DeepEquals(c, value)))
        {
            yield return (path, $"{Shown(value)} is none of {string.Join(", ", choices.OfType<JsonNode>().Select(c => c.ToString()))}");
            yield break;
        }

        var types = rules["type"] switch { JsonArray many => many.Select(t => t!.GetValue<string>()).ToList(), JsonNode one => [one.GetValue<string>()], _ => [] };
        if (types.Count > 0 && !types.Any(t => Is(t, value)))
        {
            yield return (path, value is null ? $"it is empty, and should be {Words(types)}" : $"{Shown(value)} should be {Words(types)}");
            yield break;
        }

        if (value is JsonObject fields)
        {
            var known = rules["properties"] as JsonObject;
            foreach (var missing in (rules["required"] as JsonArray ?? []).Select(r => r!.GetValue<string>()).Where(r => !fields.ContainsKey(r)))
            {
                yield return (path, $"{missing} is missing");
            }

            foreach (var (name, inner) in fields)
            {
                var own = known?[name];
                if (own is null && rules["additionalProperties"] is JsonValue no && no.TryGetValue<bool>(out var may) && !may)
                {
                    yield return (Under(path, name), $"{name} is not known here");
                    continue;
                }

                foreach (var found in Check(root, own ?? rules["additionalProperties"] as JsonObject, inner, Under(path, name)))
                {
                    yield return found;
                }
            }
        }
        else if (value is JsonArray items)
        {
            for (var i = 0; i < items.Count; i++)
            {
                foreach (var found in Check(root, rules["items"], items[i], Under(path, $"{i}")))
                {
                    yield return found;
                }
            }
        }
    }

    internal static string Under(string path, string name) => $"{path}/{name.Replace("~", "~0", StringComparison.Ordinal).Replace("/", "~1", StringComparison.Ordinal)}";

    /// <summary>What a JSON Pointer (RFC 6901) leads to.</summary>
    private static JsonNode? At(JsonNode root, string pointer)
    {
        JsonNode? at = root;
        foreach (var level in pointer.TrimStart('#').Split('/', StringSplitOptions.RemoveEmptyEntries).Select(l => l.Replace("~1", "/", StringComparison.Ordinal).Replace("~0", "~", StringComparison.Ordinal)))
        {
            at = at is JsonArray list ? list[int.Parse(level, System.Globalization.CultureInfo.InvariantCulture)] : at?[level];
        }

        return at;
    }

    private static bool Is(string type, JsonNode? value) => type switch
    {
        "null" => value is null,
        "object" => value is JsonObject,
        "array" => value is JsonArray,
        "string" => value is JsonValue v && v.GetValueKind() == JsonValueKind.String,
        "boolean" => value is JsonValue v && v.GetValueKind() is JsonValueKind.True or JsonValueKind.False,
        "integer" => value is JsonValue v && v.TryGetValue<decimal>(out var n) && n == decimal.Truncate(n),
        "number" => value is JsonValue v && v.GetValueKind() == JsonValueKind.Number,
        _ => true,
    };

    private static string Words(IEnumerable<string> types) => string.Join(" or ", types.Where(t => t != "null").Select(t => t switch
    {
        "object" => "fields with their values",
        "array" => "a list",
        "string" => "text",
        "boolean" => "true or false",
        "integer" => "a whole number",
        _ => "a number",
    }));

    private static string Shown(JsonNode? value) => value switch
    {
        null => "nothing",
        JsonObject => "a group of fields",
        JsonArray => "a list",
        _ => value.ToJsonString() is { Length: > 60 } text ? text[..60] + "…" : value.ToJsonString(),
    };
}
