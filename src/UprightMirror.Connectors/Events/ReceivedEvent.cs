using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;

namespace UprightMirror.Connectors.Events;

/// <summary>
/// What can be told from an event that a system sent, whatever form it has: which event it is, so that a copy is known for one,
/// and when it happened. What changed is not taken from it: that is read from the system itself, so an event that is late, comes
/// twice or was made up by somebody does no harm.
/// </summary>
/// <param name="Fingerprint">The same for every copy of one event: its own id where it has one (CloudEvents 1.0 among them), else what it says.</param>
/// <param name="HappenedAt">By its own word; null when it does not say.</param>
/// <param name="HasOwnId">Whether the fingerprint is an id of its own.</param>
public sealed record ReceivedEvent(string Fingerprint, DateTimeOffset? HappenedAt, bool HasOwnId = false)
{
    /// <summary>How long after it was sent a signed call is still taken: a copy that somebody kept is not.</summary>
    public static readonly TimeSpan SignatureLasts = TimeSpan.FromMinutes(5);

    private static readonly string[] IdHeaders = ["ce-id", "webhook-id"];
    private static readonly string[] Ids = ["eventId", "event_id"];
    private static readonly string[] TimeHeaders = ["ce-time"];
    private static readonly string[] Times = ["time", "at", "occurredAt", "occurred_at", "timestamp", "happenedAt", "happened_at"];

    /// <param name="header">Gives a header's value; null when it did not come.</param>
    public static ReceivedEvent Read(ReadOnlySpan<byte> body, Func<string, string?> header) =>
        Read(Root(body), header) is var read && read.HasOwnId ? read : read with { Fingerprint = Convert.ToHexStringLower(SHA256.HashData(body)) };

    /// <param name="root">What it says; null where that is no object.</param>
    /// <param name="header">Gives a header's value; null when it did not come.</param>
    public static ReceivedEvent Read(JsonElement? root, Func<string, string?> header)
    {
        string? Said(string name) => root is { } r && r.TryGetProperty(name, out var value) && value.ValueKind is JsonValueKind.String or JsonValueKind.Number ? value.ToString() : null;
        var id = IdHeaders.Select(header).Concat(Ids.Select(Said)).FirstOrDefault(i => i is { Length: > 0 and <= 200 })
            ?? (Said("specversion") is not null && Said("id") is { Length: > 0 and <= 200 } own ? $"{Said("source")} {own}" : null);
        var at = TimeHeaders.Select(header).Concat(Times.Select(Said)).Select(Time).FirstOrDefault(t => t is not null);
        return new ReceivedEvent(id ?? (root is { } said ? Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(said.GetRawText()))) : ""), at, id is not null);
    }

    /// <summary>
    /// The collections that an event names, as a word of its own somewhere in what it says: <c>organisations.changed</c> names organisations. One that names none may be
    /// about any of them.
    /// </summary>
    /// <param name="collections">Those that could be meant.</param>
    public static IReadOnlyList<string> Concerns(string body, IReadOnlyCollection<string> collections)
    {
        var words = body.Split([.. body.Where(c => !char.IsLetterOrDigit(c) && c is not ('_' or '-')).Distinct()], StringSplitOptions.RemoveEmptyEntries).ToHashSet(StringComparer.OrdinalIgnoreCase);
        var named = collections.Where(words.Contains).ToList();
        return named.Count > 0 ? named : [.. collections];
    }

    /// <summary>Whether a signature is the HMAC-SHA256 of the body, in hexadecimal or Base64, with or without <c>sha256=</c> before it.</summary>
    public static bool IsSigned(ReadOnlySpan<byte> body, string? signature, string secret)
    {
        var hmac = HMACSHA256.HashData(Encoding.UTF8.GetBytes(secret), body);
        var given = signature is { Length: <= 200 } ? signature.Trim() : "";
        given = given.StartsWith("sha256=", StringComparison.OrdinalIgnoreCase) ? given[7..] : given;
        return Same(given.ToLowerInvariant(), Convert.ToHexStringLower(hmac)) | Same(given, Convert.ToBase64String(hmac));
    }

    /// <summary>
    /// Whether a call is signed as the Standard Webhooks specification (1.0) has it: its id, its time and its body together, with a time that is not long past, so that a copy that somebody kept is of no use.
    /// </summary>
    /// <param name="header">Gives a header's value; null when it did not come.</param>
    public static bool IsSignedWithTime(ReadOnlySpan<byte> body, Func<string, string?> header, string secret, DateTimeOffset now)
    {
        if (header("webhook-id") is not { Length: > 0 and <= 200 } id || Time(header("webhook-timestamp")) is not { } at || (now - at).Duration() > SignatureLasts || header("webhook-signature") is not { Length: <= 2000 } signatures)
        {
            return false;
        }

        var expected = SignatureWithTime(body, id, at, secret);
        return signatures.Split(' ').Aggregate(false, (any, one) => any | Same(one, expected));
    }

    /// <summary>The signature of a call as the Standard Webhooks specification (1.0) has it, with its version before it.</summary>
    public static string SignatureWithTime(ReadOnlySpan<byte> body, string id, DateTimeOffset at, string secret)
    {
        byte[] signed = [.. Encoding.UTF8.GetBytes($"{id}.{at.ToUnixTimeSeconds().ToString(CultureInfo.InvariantCulture)}."), .. body];
        return $"v1,{Convert.ToBase64String(HMACSHA256.HashData(KeyOf(secret), signed))}";
    }

    /// <summary>Secrets of that specification are Base64 behind <c>whsec_</c>; any other text counts as it is.</summary>
    private static byte[] KeyOf(string secret)
    {
        var key = new byte[secret.Length];
        return secret.StartsWith("whsec_", StringComparison.Ordinal) && Convert.TryFromBase64String(secret[6..], key, out var length) ? key[..length] : Encoding.UTF8.GetBytes(secret);
    }

    private static bool Same(string a, string b) => CryptographicOperations.FixedTimeEquals(Encoding.UTF8.GetBytes(a), Encoding.UTF8.GetBytes(b));

    private static JsonElement? Root(ReadOnlySpan<byte> body)
    {
        try
        {
            var reader = new Utf8JsonReader(body, new JsonReaderOptions { MaxDepth = 64 });
            return JsonElement.TryParseValue(ref reader, out var root) && root is { ValueKind: JsonValueKind.Object } ? root : null;
        }
        catch (JsonException)
        {
            return null;
        }
    }

    /// <summary>ISO 8601 text, or seconds or milliseconds since 1970.</summary>
    internal static DateTimeOffset? Time(string? text)
    {
        if (long.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var count))
        {
            return count switch
            {
                > 100_000_000_000 and < 10_000_000_000_000 => DateTimeOffset.FromUnixTimeMilliseconds(count),
                > 100_000_000 and < 10_000_000_000 => DateTimeOffset.FromUnixTimeSeconds(count),
                _ => null,
            };
        }

        return text is { Length: >= 10 and <= 40 } && char.IsAsciiDigit(text[0]) && DateTimeOffset.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal | DateTimeStyles.AdjustToUniversal, out var at) ? at : null;
    }
}
