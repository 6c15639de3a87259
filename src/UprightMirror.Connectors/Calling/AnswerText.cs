using System.Text.Json;

namespace UprightMirror.Connectors.Calling;

/// <summary>A system's own words, out of whatever shape its errors have.</summary>
public static class AnswerText
{
    private const int Longest = 400;

    /// <summary>The message of an error body: a problem document (RFC 9457), an OData error, or any text; cut to a readable length.</summary>
    public static string Of(string body)
    {
        try
        {
            using var json = JsonDocument.Parse(body);
            if (Message(json.RootElement) is { Length: > 0 } message)
            {
                return Cut(message);
            }
        }
        catch (JsonException)
        {
            // Not JSON: the text itself is all there is.
        }

        var text = body.Contains('<', StringComparison.Ordinal) ? "a web page" : body.Trim();
        return text.Length == 0 ? "no reason given" : Cut(text);
    }

    private static string? Message(JsonElement json)
    {
        if (json.ValueKind == JsonValueKind.String)
        {
            return json.GetString();
        }

        if (json.ValueKind != JsonValueKind.Object)
        {
            return null;
        }

        foreach (var name in new[] { "detail", "message", "error_description", "error", "title", "value" })
        {
            if (json.TryGetProperty(name, out var inner) && Message(inner) is { Length: > 0 } message)
            {
                return message;
            }
        }

        return null;
    }

    private static string Cut(string text) => text.Length <= Longest ? text : text[..Longest] + "…";
}
