using System.Text.Json;
using System.Text.Json.Nodes;

namespace UprightMirror.Core.Formulas;

/// <summary>Items to and from JSON. Dates go out as ISO 8601 text; on the way in they are text, which counts as a date where one is wanted.</summary>
public static class ItemJson
{
    public static Item Read(JsonElement json) => json.ValueKind switch
    {
        JsonValueKind.Null or JsonValueKind.Undefined => Item.Blank,
        JsonValueKind.String => Item.Of(json.GetString()!),
        JsonValueKind.True => Item.True,
        JsonValueKind.False => Item.False,
        JsonValueKind.Number => json.TryGetDecimal(out var number) ? Item.Of(number) : Item.Of(json.GetRawText()),
        JsonValueKind.Array => Item.Of([.. json.EnumerateArray().Select(e => e.ValueKind is JsonValueKind.Object or JsonValueKind.Array ? Item.Of(e.GetRawText()) : Read(e))]),
        _ => Item.Of(json.GetRawText()),
    };

    /// <summary>Errors go out as their code, as text.</summary>
    public static JsonNode? Write(Item item) => item.Kind switch
    {
        ItemKind.Blank => null,
        ItemKind.Logical => JsonValue.Create(item.Logical),
        ItemKind.Number when item.Sense == NumberSense.Plain => JsonNode.Parse(Item.Plain(item.Number)),
        ItemKind.List => new JsonArray([.. item.Items.Select(Write)]),
        _ => JsonValue.Create(item.Shown),
    };
}
