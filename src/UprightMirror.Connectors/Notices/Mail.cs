using System.Net;
using System.Net.Sockets;
using MailKit.Net.Smtp;
using MailKit.Security;
using MimeKit;
using UprightMirror.Connectors.Calling;

namespace UprightMirror.Connectors.Notices;

/// <summary>Where mail is handed over.</summary>
/// <param name="Security">none, startTls or tls.</param>
/// <param name="Account">Null where the server asks for none.</param>
public sealed record MailServer(string Host, int Port, string Security, string? Account, string? Password);

/// <summary>Mail, as plain text.</summary>
public static class Mail
{
    private const int Patience = 20_000;

    public static bool IsAddress(string text) => text.Length <= 254 && MailboxAddress.TryParse(text, out var address) && address.Address.Contains('@', StringComparison.Ordinal) && !address.Address.EndsWith('@');

    /// <summary>Hands one message over.</summary>
    /// <param name="id">The same for each time that this message is tried: who gets it twice can know it.</param>
    /// <returns>Null when the server took it; else what went wrong and what to do.</returns>
    public static async Task<string?> Send(MailServer server, string from, IReadOnlyCollection<string> to, string subject, string text, string id, DateTimeOffset at, CancellationToken cancellation)
    {
        using var message = new MimeMessage { Subject = string.Join(' ', subject.Split(['\r', '\n'], StringSplitOptions.RemoveEmptyEntries)), Date = at, Body = new TextPart("plain") { Text = text } };
        message.From.Add(MailboxAddress.Parse(from));
        message.To.AddRange(to.Select(MailboxAddress.Parse));
        message.MessageId = $"{id}@{MailboxAddress.Parse(from).Domain}";
        message.Headers.Add("Auto-Submitted", "auto-generated");
        var where = $"The mail server {server.Host}, port {server.Port},";
        using var client = new SmtpClient { Timeout = Patience };
        try
        {
            // To the very addresses that were judged, whatever the name says a moment later.
            var addresses = await Dns.GetHostAddressesAsync(server.Host, cancellation);
            if (addresses.Select(a => AddressRules.Refusal(a, allowPrivate: true)).FirstOrDefault(r => r is not null) is { } refused)
            {
                return refused;
            }

            using var patience = CancellationTokenSource.CreateLinkedTokenSource(cancellation);
            patience.CancelAfter(Patience);
            var socket = new Socket(SocketType.Stream, ProtocolType.Tcp) { NoDelay = true };
            try
            {
                await socket.ConnectAsync(addresses, server.Port, patience.Token);
            }
            catch
            {
                socket.Dispose();
                throw;
            }

            await client.ConnectAsync(socket, server.Host, server.Port, server.Security switch { "tls" => SecureSocketOptions.SslOnConnect, "startTls" => SecureSocketOptions.StartTls, _ => SecureSocketOptions.None }, cancellation);
            if (server.Account is { Length: > 0 } account)
            {
                await client.AuthenticateAsync(account, server.Password ?? "", cancellation);
            }

            await client.SendAsync(message, cancellation);
            await client.DisconnectAsync(true, cancellation);
            return null;
        }
        catch (Exception e) when (Refusal(e) is { } why && !cancellation.IsCancellationRequested)
        {
            return $"{where} {why}";
        }
    }

    private static string? Refusal(Exception fault) => fault switch
    {
        SocketException or TimeoutException or OperationCanceledException => $"can't be reached: {fault.Message}",
        SslHandshakeException => $"has no certificate that is trusted, or does not speak TLS on this port: {fault.Message.Split('\n')[0]}",
        AuthenticationException => "refused the account or its password.",
        NotSupportedException => $"can't do what is asked of it: {fault.Message}",
        SmtpCommandException { ErrorCode: SmtpErrorCode.RecipientNotAccepted, Mailbox: { } whom } refused => $"refused the address {whom.Address}: {refused.Message}",
        SmtpCommandException or SmtpProtocolException or MailKit.ServiceNotAuthenticatedException => $"said: {fault.Message}",
        IOException => $"broke off: {fault.Message}",
        _ => null,
    };
}
