using System.Diagnostics.CodeAnalysis;
using System.Net;
using System.Net.Security;
using System.Net.Sockets;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;

namespace UprightMirror.Connectors.Calling;

/// <summary>What a connector needs of the process that it lives in.</summary>
/// <param name="Clock">The time.</param>
/// <param name="Budget">Who shares the limits of a system.</param>
/// <param name="IsPatient">False to try each call once only, as the test of a connection does.</param>
public sealed record Outside(TimeProvider Clock, ICallBudget Budget, bool IsPatient = true)
{
    /// <summary>Where secrets that are files stand; null when none may be.</summary>
    public DirectoryInfo? SecretFiles { get; init; } = Environment.GetEnvironmentVariable("UPRIGHT_SECRETS") is { Length: > 0 } folder ? new DirectoryInfo(folder) : null;

    /// <summary>Folders of files may only be inside of this one; null when none may be connected.</summary>
    public DirectoryInfo? Folders { get; init; } = Environment.GetEnvironmentVariable("UPRIGHT_FOLDERS") is { Length: > 0 } folder ? new DirectoryInfo(folder) : null;

    /// <summary>What systems sent by themselves.</summary>
    public Events.IReceivedRecords Received { get; init; } = Events.NothingReceived.Instance;

    /// <summary>Makes what sends a connection's calls: through its proxy, trusting its authority, to no address that is not allowed.</summary>
    /// <exception cref="ArgumentException">The certificate of the authority can't be read.</exception>
    [SuppressMessage("Reliability", "CA2000", Justification = "The handler lives as long as its connector.")]
    public HttpMessageHandler Handler(ConnectionSettings settings)
    {
        var handler = new SocketsHttpHandler
        {
            AllowAutoRedirect = false,
            UseCookies = false,
            AutomaticDecompression = DecompressionMethods.All,
            ConnectTimeout = TimeSpan.FromSeconds(10),
            PooledConnectionLifetime = TimeSpan.FromMinutes(5),
            MaxResponseHeadersLength = 64,
            UseProxy = settings.Proxy is not null,
            Proxy = settings.Proxy is { } proxy ? new WebProxy(proxy) : null,
            ConnectCallback = (context, cancellation) => Connect(context, settings, cancellation),
        };
        if (settings.CertificateAuthority is { Length: > 0 } pem)
        {
            handler.SslOptions.RemoteCertificateValidationCallback = Trusting(pem);
        }

        return handler;
    }

    private static async ValueTask<Stream> Connect(SocketsHttpConnectionContext context, ConnectionSettings settings, CancellationToken cancellation)
    {
        var addresses = await Dns.GetHostAddressesAsync(context.DnsEndPoint.Host, cancellation);
        var asked = context.InitialRequestMessage.RequestUri!.Host;
        var targets = settings.Proxy is not null && IPAddress.TryParse(asked.Trim('[', ']'), out var literal) ? [literal] : settings.Proxy is null ? addresses : [];
        if (targets.Select(a => AddressRules.Refusal(a, settings.AllowPrivate)).FirstOrDefault(r => r is not null) is { } refusal)
        {
            throw new AddressRefused(refusal);
        }

        // Connected to the very addresses that were judged: a name that changes its mind between the two is of no use.
        var socket = new Socket(SocketType.Stream, ProtocolType.Tcp) { NoDelay = true };
        try
        {
            await socket.ConnectAsync(addresses, context.DnsEndPoint.Port, cancellation);
            return new NetworkStream(socket, ownsSocket: true);
        }
        catch
        {
            socket.Dispose();
            throw;
        }
    }

    private static RemoteCertificateValidationCallback Trusting(string pem)
    {
        var authorities = new X509Certificate2Collection();
        try
        {
            authorities.ImportFromPem(pem);
        }
        catch (CryptographicException e)
        {
            throw new ArgumentException($"the certificate of the private authority can't be read: {e.Message}", e);
        }

        return (_, certificate, _, errors) =>
        {
            if (errors == SslPolicyErrors.None)
            {
                return true;
            }

            if (errors != SslPolicyErrors.RemoteCertificateChainErrors || certificate is not X509Certificate2 theirs)
            {
                return false;
            }

            using var chain = new X509Chain();
            chain.ChainPolicy.TrustMode = X509ChainTrustMode.CustomRootTrust;
            chain.ChainPolicy.CustomTrustStore.AddRange(authorities);
            chain.ChainPolicy.RevocationMode = X509RevocationMode.NoCheck;
            return chain.Build(theirs);
        };
    }
}
