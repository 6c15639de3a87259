using System.Globalization;
using System.Net;
using System.Net.Http.Headers;
using System.Text;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Events;

namespace UprightMirror.Connectors.Notices;

/// <summary>A call that tells an address something, signed as the Standard Webhooks specification (1.0) has it where there is a secret.</summary>
public static class SignedCall
{
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(20);

    /// <param name="id">The same for each time that this is tried.</param>
    /// <returns>Null when it was taken; else what went wrong.</returns>
    public static async Task<string?> Send(Outside outside, Uri address, bool allowPrivate, string contentType, string body, string id, string? secret, CancellationToken cancellation)
    {
        var bytes = Encoding.UTF8.GetBytes(body);
        using var content = new ByteArrayContent(bytes);
        content.Headers.ContentType = MediaTypeHeaderValue.Parse(contentType);
        using var request = new HttpRequestMessage(HttpMethod.Post, address) { Content = content };
        var at = outside.Clock.GetUtcNow();
        request.Headers.Add("webhook-id", id);
        request.Headers.Add("webhook-timestamp", at.ToUnixTimeSeconds().ToString(CultureInfo.InvariantCulture));
        if (secret is not null)
        {
            request.Headers.Add("webhook-signature", ReceivedEvent.SignatureWithTime(bytes, id, at, secret));
        }

        using var client = new HttpClient(outside.Handler(new ConnectionSettings(AllowPrivate: allowPrivate))) { Timeout = Patience };
        try
        {
            using var answer = await client.SendAsync(request, HttpCompletionOption.ResponseHeadersRead, cancellation);
            return (int)answer.StatusCode is >= 200 and < 300 ? null : $"{address.Host} answered {(int)answer.StatusCode}{(answer.StatusCode == HttpStatusCode.Gone ? ": it does not want to be told any more" : "")}.";
        }
        catch (HttpRequestException e)
        {
            return e.InnerException is AddressRefused refused ? refused.Message : $"{address.Host} can't be reached: {e.Message}";
        }
        catch (OperationCanceledException) when (!cancellation.IsCancellationRequested)
        {
            return $"{address.Host} did not answer within {Patience.TotalSeconds:0} seconds.";
        }
    }
}
