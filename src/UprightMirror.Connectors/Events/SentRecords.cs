using System.Collections.Immutable;
using System.Collections.Specialized;
using System.Globalization;
using System.Net.Http.Headers;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Web;
using System.Xml;
using UprightMirror.Connectors.Files;
using UprightMirror.Core.Mapping;

namespace UprightMirror.Connectors.Events;

/// <summary>How the events of an inbox are read. Paths have their levels joined by a dot.</summary>
/// <param name="Record">Where the record stands within an event; null where the event is the record.</param>
/// <param name="Id">Of the record: what tells it from others.</param>
/// <param name="Time">Of the event: when it happened, so that an older one that comes late changes nothing; null to look where it commonly stands.</param>
public sealed record InboxForm(string? Record, string Id, string? Time);

/// <summary>A record that an event said.</summary>
/// <param name="SaidAt">When it happened, by its own word; null when it does not say.</param>
/// <param name="Fingerprint">The same for every copy of one event; null where nothing tells a copy from another event that says the same.</param>
public sealed record SentRecord(string Id, DateTimeOffset? SaidAt, string? Fingerprint, JsonElement Record);

/// <summary>What one call to an inbox said.</summary>
/// <param name="Form">How it was written, in words: JSON, form, XML, CloudEvent.</param>
/// <param name="Refused">Why nothing of it can be taken; null when all of it can.</param>
public sealed record SentRecords(string Form, ImmutableArray<SentRecord> Records, string? Refused)
{
    /// <summary>The most records that one call brings.</summary>
    public const int Most = 1000;

    private const int MostDeep = 32;
    private const int LongestId = 400;

    /// <summary>A clock that is wrong by more must not keep everything later from being taken.</summary>
    private static readonly TimeSpan MostAhead = TimeSpan.FromDays(1);

    private static readonly JsonDocumentOptions Strict = new() { MaxDepth = MostDeep };

    /// <summary>
    /// Reads JSON (an object, or an array of them), a form, XML, or events as CloudEvents 1.0 has them (structured, batched and binary, of the CNCF's specification). Nothing in it is trusted: what can't be taken is
    /// refused in words, with its place.
    /// </summary>
    /// <param name="header">Gives a header's value; null when it did not come.</param>
    public static async Task<SentRecords> Read(ReadOnlyMemory<byte> body, string? contentType, Func<string, string?> header, InboxForm form, DateTimeOffset now)
    {
        var type = MediaTypeHeaderValue.TryParse(contentType, out var parsed) ? parsed.MediaType?.ToLowerInvariant() ?? "" : "";
        var kind = KindOf(type, body.Span);
        if (kind is null)
        {
            return new("unknown", [], body.Length == 0 ? "It is empty." : $"It is {(type.Length > 0 ? type : "of a kind that it does not name")}. Taken are JSON, XML and forms (application/x-www-form-urlencoded).");
        }

        try
        {
            var events = kind switch
            {
                "JSON" => Json(body),
                "XML" => [JsonSerializer.SerializeToElement(await Xml(body))],
                _ => [Fields(body.Span)],
            };
            if (events.Count > Most)
            {
                return new(kind, [], $"It has {events.Count:N0} records; at most {Most:N0} come in one call.");
            }

            var isBinary = header("ce-specversion") is not null && events.Count == 1;
            var isCloud = isBinary || events.Any(IsCloudEvent);
            var records = events.Select((e, i) => One(e, isBinary || events.Count == 1 ? header : _ => null, isBinary, form, now, events.Count == 1 ? "" : $"Record {i + 1}: ")).ToImmutableArray();
            return new(isCloud ? "CloudEvent" : kind, records, null);
        }
        catch (FileRefused refused)
        {
            return new(kind, [], refused.Message);
        }
        catch (JsonException e)
        {
            return new(kind, [], $"It is not JSON: line {e.LineNumber + 1}, character {e.BytePositionInLine + 1}.");
        }
        catch (XmlException e)
        {
            return new(kind, [], ElementAsJson.Words(e));
        }
        catch (DecoderFallbackException)
        {
            return new(kind, [], "Its letters are not written in UTF-8.");
        }
    }

    private static string? KindOf(string type, ReadOnlySpan<byte> body) => type switch
    {
        "application/json" or "text/json" => "JSON",
        _ when type.EndsWith("+json", StringComparison.Ordinal) => "JSON",
        "application/xml" or "text/xml" => "XML",
        _ when type.EndsWith("+xml", StringComparison.Ordinal) => "XML",
        "application/x-www-form-urlencoded" => "form",
        "" or "text/plain" or "application/octet-stream" => body.TrimStart(" \t\r\n"u8) switch
        {
            [(byte)'{' or (byte)'[', ..] => "JSON",
            [(byte)'<', ..] => "XML",
            _ => null,
        },
        _ => null,
    };

    private static IReadOnlyList<JsonElement> Json(ReadOnlyMemory<byte> body)
    {
        using var document = JsonDocument.Parse(body, Strict);
        var root = document.RootElement.Clone();
        return root.ValueKind switch
        {
            JsonValueKind.Object => [root],
            JsonValueKind.Array when root.GetArrayLength() == 0 => throw new FileRefused("It is a list of no records."),
            JsonValueKind.Array when root.EnumerateArray().ToList().FindIndex(e => e.ValueKind != JsonValueKind.Object) is >= 0 and var wrong => throw new FileRefused($"Record {wrong + 1} is no object."),
            JsonValueKind.Array => [.. root.EnumerateArray()],
            _ => throw new FileRefused("It is no object and no list of objects."),
        };
    }

    private static async Task<JsonNode> Xml(ReadOnlyMemory<byte> body)
    {
        using var reader = XmlReader.Create(new MemoryStream(body.ToArray()), ElementAsJson.Safe(body.Length + 1L));
        while (await reader.ReadAsync() && reader.NodeType != XmlNodeType.Element)
        {
        }

        var root = await ElementAsJson.Read(reader);
        while (await reader.ReadAsync())
        {
            // To its end: what follows the root must be XML, too.
        }

        return root as JsonObject ?? throw new FileRefused("Its root has no elements or attributes of its own.");
    }

    private static JsonElement Fields(ReadOnlySpan<byte> body)
    {
        NameValueCollection fields = HttpUtility.ParseQueryString(new UTF8Encoding(false, true).GetString(body), new UTF8Encoding(false, true));
        var json = new JsonObject();
        foreach (var name in fields.AllKeys.OfType<string>().Where(n => n.Length > 0))
        {
            json[name] = fields.GetValues(name) is [var only] ? only : new JsonArray([.. (fields.GetValues(name) ?? []).Select(v => (JsonNode?)JsonValue.Create(v))]);
        }

        return json.Count > 0 ? JsonSerializer.SerializeToElement(json) : throw new FileRefused("It is a form without a field.");
    }

    private static bool IsCloudEvent(JsonElement e) => Text(e, "specversion") is not null && Text(e, "id") is not null && Text(e, "source") is not null;

    private static SentRecord One(JsonElement said, Func<string, string?> header, bool isBinary, InboxForm form, DateTimeOffset now, string where)
    {
        var isStructured = !isBinary && IsCloudEvent(said);
        var content = isStructured
            ? said.TryGetProperty("data", out var data) ? data : throw new FileRefused($"{where}it is a CloudEvent without data.")
            : said;
        var record = form.Record is { Length: > 0 } path && !(isStructured && At(content, path) is null && At(said, path) is not null) ? At(content, path) : form.Record is { Length: > 0 } outer ? At(said, outer) : content;
        if (record is not { ValueKind: JsonValueKind.Object } own)
        {
            throw new FileRefused(form.Record is { Length: > 0 } wanted ? $"{where}there is no record at {wanted}." : $"{where}it has no fields.");
        }

        if (own.GetRawText().Contains("\\u0000", StringComparison.Ordinal))
        {
            throw new FileRefused($"{where}it has a NUL character, which no text has. Send it without.");
        }

        var id = RawFields.FromJson(own)[form.Id].Display.Trim();
        if (id.Length is 0 or > LongestId)
        {
            throw new FileRefused(id.Length == 0 ? $"{where}it has no {form.Id}, by which the record could be told from others." : $"{where}{form.Id} is longer than {LongestId} characters.");
        }

        var received = ReceivedEvent.Read(said, header);
        var at = received.HappenedAt;
        if (form.Time is { Length: > 0 } timed)
        {
            var text = (At(said, timed) ?? At(content, timed) ?? At(own, timed))?.ToString();
            at = ReceivedEvent.Time(text) ?? throw new FileRefused(string.IsNullOrEmpty(text) ? $"{where}it has no {timed}, by which it could be told when it happened." : $"{where}{timed} is \"{text}\", which is no time as ISO 8601 or seconds since 1970.");
        }

        if (at > now + MostAhead)
        {
            throw new FileRefused($"{where}it says that it happened on {at.Value.ToString("d MMMM yyyy", CultureInfo.InvariantCulture)}, which is still to come. Set the clock right that it was told by.");
        }

        // What has neither a name nor a time of its own may say the same again later and mean it.
        return new SentRecord(id, at, received.HasOwnId || at is not null ? received.Fingerprint : null, own);
    }

    private static string? Text(JsonElement e, string name) => e.ValueKind == JsonValueKind.Object && e.TryGetProperty(name, out var value) && value.ValueKind == JsonValueKind.String ? value.GetString() : null;

    private static JsonElement? At(JsonElement from, string path)
    {
        foreach (var level in path.Split('.'))
        {
            if (from.ValueKind != JsonValueKind.Object || !from.TryGetProperty(level, out from))
            {
                return null;
            }
        }

        return from;
    }
}
