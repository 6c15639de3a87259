using System.Text;
using System.Text.Json.Nodes;
using System.Xml;

namespace UprightMirror.Connectors.Files;

/// <summary>An element of XML as the JSON that says the same: attributes and elements become properties; an element that stands more than once becomes a list.</summary>
internal static class ElementAsJson
{
    private const int LongestValue = 4 * 1024 * 1024;
    private const int MostDeep = 16;

    /// <summary>No document type, no entities from elsewhere: they are refused.</summary>
    public static XmlReaderSettings Safe(long mostCharacters) => new()
    {
        Async = true,
        DtdProcessing = DtdProcessing.Prohibit,
        XmlResolver = null,
        IgnoreComments = true,
        IgnoreProcessingInstructions = true,
        IgnoreWhitespace = true,
        MaxCharactersInDocument = mostCharacters,
    };

    /// <summary>Why a document can't be read, in words.</summary>
    public static string Words(XmlException e) => e.Message.Contains("DTD", StringComparison.Ordinal)
        ? "It brings a document type of its own (DTD), which may name files and addresses or unfold without end. Such files are not read: have it sent without."
        : $"It is not XML: line {e.LineNumber}, column {e.LinePosition}: {e.Message}";

    /// <summary>Reads the element that the reader stands on, to its end.</summary>
    /// <returns>Null where it is empty.</returns>
    /// <exception cref="FileRefused">It is nested too deep, or a value in it is too long.</exception>
    /// <exception cref="XmlException">It is not XML.</exception>
    public static Task<JsonNode?> Read(XmlReader reader) => Read(reader, 0);

    private static async Task<JsonNode?> Read(XmlReader reader, int depth)
    {
        if (depth > MostDeep)
        {
            throw new FileRefused($"Its elements are nested deeper than {MostDeep} levels.");
        }

        var json = new JsonObject();
        var wrapper = reader.LocalName;
        var text = new StringBuilder();
        if (reader.HasAttributes)
        {
            while (reader.MoveToNextAttribute())
            {
                if (reader.Prefix != "xmlns" && reader.Name != "xmlns")
                {
                    json[reader.LocalName] = reader.Value;
                }
            }

            reader.MoveToElement();
        }

        if (!reader.IsEmptyElement)
        {
            var own = reader.Depth;
            while (await reader.ReadAsync() && !(reader.NodeType == XmlNodeType.EndElement && reader.Depth == own))
            {
                if (reader.NodeType is XmlNodeType.Text or XmlNodeType.CDATA)
                {
                    text.Append(text.Length < LongestValue ? await reader.GetValueAsync() : throw new FileRefused($"A value is longer than {LongestValue / 1024 / 1024} MB."));
                }
                else if (reader.NodeType == XmlNodeType.Element)
                {
                    var name = reader.LocalName;
                    var inner = await Read(reader, depth + 1);
                    switch (json[name])
                    {
                        case null:
                            json[name] = inner;
                            break;
                        case JsonArray list:
                            list.Add(inner);
                            break;
                        case var before:
                            json[name] = new JsonArray(before.DeepClone(), inner);
                            break;
                    }
                }
            }
        }

        // Lines within an element of their own are lines, however many: <lines><line>…</line></lines>.
        if (json.Count == 1 && json.First() is { Value: { } only } one && IsManyOf(wrapper, one.Key) && (only as JsonArray ?? [only.DeepClone()]) is var lines && lines.All(l => l is JsonObject))
        {
            return lines.DeepClone();
        }

        return json.Count > 0 ? json : text.Length > 0 ? JsonValue.Create(text.ToString()) : null;
    }

    /// <summary>Whether a name is the plural of another, or a list of it.</summary>
    private static bool IsManyOf(string many, string one) =>
        new[] { one + "s", one + "es", one + "List", one + "-list", one + "_list", one.EndsWith('y') ? one[..^1] + "ies" : one + "s" }.Contains(many, StringComparer.OrdinalIgnoreCase);
}
