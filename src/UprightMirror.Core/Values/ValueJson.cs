using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;

namespace UprightMirror.Core.Values;

/// <summary>A value that could not be read, in words that fit after "field X of system Y".</summary>
/// <param name="Problem">Such as <c>is "abc", which is not a number</c>.</param>
public sealed record Unreadable(string Problem);

/// <summary>Values to and from JSON, both in the agreed form (typed by the field) and in a side's own form (typed by the JSON).</summary>
public static class ValueJson
{
    /// <summary>The longest text that a field may hold, in UTF-16 code units. A longer one holds its record.</summary>
    public const int LongestText = 100_000;

    private const string LinkTag = "link";
    private const string TypeTag = "type";
    private const int DeepestLine = 4;

    /// <summary>Reads a JSON value that is already in agreed form.</summary>
    /// <returns>True and the value, or false and what is wrong with it.</returns>
    public static bool TryRead(JsonElement json, FieldType type, out Value value, out Unreadable? problem)
    {
        problem = null;
        value = Value.Empty;
        if (json.ValueKind is JsonValueKind.Null or JsonValueKind.Undefined)
        {
            return true;
        }

        Value? read = (type, json.ValueKind) switch
        {
            (FieldType.Text, JsonValueKind.String) => Value.Text(json.GetString()),
            (FieldType.Number, JsonValueKind.Number) when json.TryGetDecimal(out var amount) => new NumberValue(amount),
            (FieldType.YesNo, JsonValueKind.True) => new YesNoValue(true),
            (FieldType.YesNo, JsonValueKind.False) => new YesNoValue(false),
            (FieldType.List, JsonValueKind.Array) when json.EnumerateArray().All(i => i.ValueKind == JsonValueKind.String)
                => Value.List(json.EnumerateArray().Select(i => i.GetString()!)),
            (FieldType.Lines, JsonValueKind.Array) when json.GetArrayLength() == 0 => Value.Empty,
            (FieldType.Lines, JsonValueKind.Array) when json.EnumerateArray().All(l => l.ValueKind == JsonValueKind.Object) => new LinesValue([.. json.EnumerateArray().Select(l => ReadLine(l, ReadAgreed))]),
            (FieldType.Reference, JsonValueKind.Object) => ReadAgreed(json) as LinkValue,
            (FieldType.Date or FieldType.DateTime or FieldType.Phone or FieldType.Email, JsonValueKind.String)
                => FromText(json.GetString()!, type, null),
            _ => null,
        };
        if (read is null)
        {
            problem = new Unreadable($"is {Shown(json)}, which is not {Described(type)}");
            return false;
        }

        value = read;
        return true;
    }

    /// <summary>Reads text as a value of a type; null when it is none. Empty text is the empty value for every type.</summary>
    /// <param name="text">The text; white space around it is ignored except for type text.</param>
    /// <param name="type">The type wanted.</param>
    /// <param name="country">The country in which telephone numbers without a country code are read, ISO 3166 alpha-2.</param>
    public static Value? FromText(string text, FieldType type, string? country)
    {
        if (type == FieldType.Text)
        {
            return Value.Text(text);
        }

        var trimmed = text.Trim();
        if (trimmed.Length == 0)
        {
            return Value.Empty;
        }

        return type switch
        {
            FieldType.Number => decimal.TryParse(trimmed, NumberStyles.Float, CultureInfo.InvariantCulture, out var amount) ? new NumberValue(amount) : null,
            FieldType.Date => ReadDate(trimmed),
            FieldType.DateTime => ReadDateTime(trimmed),
            FieldType.YesNo => trimmed.ToLowerInvariant() switch { "true" or "yes" or "1" => new YesNoValue(true), "false" or "no" or "0" => new YesNoValue(false), _ => null },
            FieldType.Phone => Telephone.Read(trimmed, country),
            FieldType.Email => LooksLikeEmail(trimmed) ? new EmailValue(trimmed) : null,
            FieldType.Lines or FieldType.Reference => null,
            FieldType.List => Value.List(trimmed.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)),
            _ => throw new ArgumentOutOfRangeException(nameof(type), type, null),
        };
    }

    /// <summary>Reads a JSON value in a side's own form: typed by what the JSON says, nothing more.</summary>
    /// <returns>The value; arrays of objects are lines; what no field can hold is kept as its JSON text.</returns>
    public static Value ReadRaw(JsonElement json) => json.ValueKind switch
    {
        JsonValueKind.Null or JsonValueKind.Undefined => Value.Empty,
        JsonValueKind.String => Value.Text(json.GetString()),
        JsonValueKind.True => new YesNoValue(true),
        JsonValueKind.False => new YesNoValue(false),
        JsonValueKind.Number => json.TryGetDecimal(out var amount) ? new NumberValue(amount) : Value.Text(json.GetRawText()),
        JsonValueKind.Array when json.EnumerateArray().All(i => i.ValueKind == JsonValueKind.String) => Value.List(json.EnumerateArray().Select(i => i.GetString()!)),
        JsonValueKind.Array when json.EnumerateArray().All(i => i.ValueKind == JsonValueKind.Object) => new LinesValue([.. json.EnumerateArray().Select(l => ReadLine(l, ReadRaw))]),
        _ => Value.Text(json.GetRawText()),
    };

    /// <summary>A line, flat: nested objects become paths.</summary>
    private static ImmutableSortedDictionary<string, Value> ReadLine(JsonElement line, Func<JsonElement, Value> read)
    {
        var values = ImmutableSortedDictionary.CreateBuilder<string, Value>(StringComparer.Ordinal);
        Flatten(line, "", 0);
        return values.ToImmutable();

        void Flatten(JsonElement element, string prefix, int depth)
        {
            foreach (var property in element.EnumerateObject())
            {
                if (property.Value.ValueKind == JsonValueKind.Object && depth < DeepestLine && !property.Value.TryGetProperty(LinkTag, out _) && !property.Value.TryGetProperty(TypeTag, out _))
                {
                    Flatten(property.Value, $"{prefix}{property.Name}.", depth + 1);
                }
                else if (read(property.Value) is { IsEmpty: false } value)
                {
                    values[prefix + property.Name] = value;
                }
            }
        }
    }

    /// <summary>A value in agreed form whose type nobody says, as within a line: it is told beside it where JSON has none.</summary>
    public static Value ReadAgreed(JsonElement json)
    {
        if (json.ValueKind != JsonValueKind.Object)
        {
            return ReadRaw(json);
        }

        if (json.TryGetProperty(LinkTag, out var link) && link.TryGetGuid(out var id))
        {
            return new LinkValue(id, json.TryGetProperty("title", out var title) ? title.GetString() ?? "" : "");
        }

        return json.TryGetProperty(TypeTag, out var type) && FieldTypeNames.Parse(type.GetString()) is { } known && json.TryGetProperty("value", out var value) && TryRead(value, known, out var read, out _) ? read : Value.Empty;
    }

    /// <summary>The value as JSON. Reading it again with its type gives an equal value.</summary>
    public static JsonNode? Write(Value value) => value switch
    {
        EmptyValue => null,
        TextValue text => JsonValue.Create(text.Content),
        NumberValue number => JsonValue.Create(number.Amount),
        YesNoValue yesNo => JsonValue.Create(yesNo.Yes),
        PhoneValue phone => JsonValue.Create(phone.Extension is null ? phone.International : $"{phone.International};ext={phone.Extension}"),
        ListValue list => new JsonArray([.. list.Items.Select(i => (JsonNode?)JsonValue.Create(i))]),
        LinesValue lines => new JsonArray([.. lines.Lines.Select(l => (JsonNode?)new JsonObject(l.Select(v => KeyValuePair.Create(v.Key, WriteInLine(v.Value)))))]),
        LinkValue link => new JsonObject { [LinkTag] = link.Link.ToString(), ["title"] = link.Title },
        _ => JsonValue.Create(value.Display),
    };

    private static JsonNode? WriteInLine(Value value) => value switch
    {
        DateValue => new JsonObject { [TypeTag] = FieldType.Date.Name(), ["value"] = Write(value) },
        DateTimeValue => new JsonObject { [TypeTag] = FieldType.DateTime.Name(), ["value"] = Write(value) },
        PhoneValue => new JsonObject { [TypeTag] = FieldType.Phone.Name(), ["value"] = Write(value) },
        EmailValue => new JsonObject { [TypeTag] = FieldType.Email.Name(), ["value"] = Write(value) },
        _ => Write(value),
    };

    /// <summary>The type's name as it stands in a sentence: "a number".</summary>
    public static string Described(FieldType type) => type switch
    {
        FieldType.Text => "text",
        FieldType.Number => "a number",
        FieldType.Date => "a date (such as 2026-11-23)",
        FieldType.DateTime => "a date and time (such as 2026-11-23T09:30:00Z)",
        FieldType.YesNo => "yes or no (true or false)",
        FieldType.Phone => "a telephone number",
        FieldType.Email => "an e-mail address",
        FieldType.List => "a list of texts",
        FieldType.Lines => "lines",
        FieldType.Reference => "a record of another mirror",
        _ => throw new ArgumentOutOfRangeException(nameof(type), type, null),
    };

    /// <summary>A value as it is quoted in a sentence, cut to a readable length.</summary>
    public static string Quoted(string text) => text.Length <= 60 ? $"\"{text}\"" : $"\"{text[..57]}…\" ({text.Length:N0} characters)";

    private static string Shown(JsonElement json) => json.ValueKind == JsonValueKind.String ? Quoted(json.GetString()!) : Quoted(json.GetRawText()).Trim('"');

    private static DateValue? ReadDate(string text) =>
        DateOnly.TryParseExact(text, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var date) ? new DateValue(date)
        : text.Length > 10 && text[10] is 'T' or ' ' && ReadDateTime(text) is { } time ? new DateValue(DateOnly.FromDateTime(time.Instant.UtcDateTime))
        : null;

    /// <summary>ISO 8601; a time without an offset is taken as UTC, and a date alone as its midnight.</summary>
    private static DateTimeValue? ReadDateTime(string text) =>
        text.Length >= 10 && text[4] == '-' &&
        DateTimeOffset.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal | DateTimeStyles.AdjustToUniversal, out var instant)
            ? new DateTimeValue(instant)
            : null;

    private static bool LooksLikeEmail(string text)
    {
        var at = text.IndexOf('@', StringComparison.Ordinal);
        return text.Length <= 254 && at > 0 && at == text.LastIndexOf('@') && at < text.Length - 1 && !text.Any(char.IsWhiteSpace);
    }
}
