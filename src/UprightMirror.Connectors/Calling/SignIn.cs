using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;

namespace UprightMirror.Connectors.Calling;

/// <summary>How calls to a system are signed.</summary>
public abstract class SignIn
{
    /// <summary>Signs a request.</summary>
    public abstract Task Sign(HttpRequestMessage request, HttpClient client, TimeProvider clock, CancellationToken cancellation);

    /// <summary>Forgets what was obtained, after the system said 401. True when signing again may help.</summary>
    public virtual bool Renew() => false;

    /// <summary>Where tokens are given out, when the system's description says so.</summary>
    public virtual void LearnTokenAddress(Uri address)
    {
    }

    public static SignIn Of(SignInSettings? settings, IReadOnlyDictionary<string, string> secrets) => settings?.Kind switch
    {
        null or "none" => new Anonymous(),
        "basic" => new Basic(Secret(secrets, "user"), Secret(secrets, "password")),
        "clientCredentials" => new ClientCredentials(settings.TokenAddress, Secret(secrets, "clientId"), Secret(secrets, "clientSecret")),
        var other => throw new ArgumentException($"There is no sign-in of the kind {other}."),
    };

    private static string Secret(IReadOnlyDictionary<string, string> secrets, string name) =>
        secrets.TryGetValue(name, out var secret) ? secret : throw new ArgumentException($"The connection has no {name}.");

    private sealed class Anonymous : SignIn
    {
        public override Task Sign(HttpRequestMessage request, HttpClient client, TimeProvider clock, CancellationToken cancellation) => Task.CompletedTask;
    }

    /// <summary>RFC 7617.</summary>
    private sealed class Basic(string user, string password) : SignIn
    {
        public override Task Sign(HttpRequestMessage request, HttpClient client, TimeProvider clock, CancellationToken cancellation)
        {
            request.Headers.Authorization = new AuthenticationHeaderValue("Basic", Convert.ToBase64String(Encoding.UTF8.GetBytes($"{user}:{password}")));
            return Task.CompletedTask;
        }
    }

    /// <summary>OAuth 2.0 client credentials (RFC 6749, section 4.4). The token is kept, and renewed before it ends.</summary>
    private sealed class ClientCredentials(Uri? tokenAddress, string id, string secret) : SignIn
    {
        private static readonly TimeSpan Before = TimeSpan.FromSeconds(30);
        private readonly SemaphoreSlim oneAtATime = new(1, 1);
        private Uri? address = tokenAddress;
        private (string Token, DateTimeOffset Until)? held;

        public override void LearnTokenAddress(Uri address) => this.address ??= address;

        public override bool Renew()
        {
            this.held = null;
            return true;
        }

        public override async Task Sign(HttpRequestMessage request, HttpClient client, TimeProvider clock, CancellationToken cancellation)
        {
            await this.oneAtATime.WaitAsync(cancellation);
            try
            {
                if (this.held is not { } held || held.Until - Before < clock.GetUtcNow())
                {
                    this.held = held = await this.Obtain(client, clock, cancellation);
                }

                request.Headers.Authorization = new AuthenticationHeaderValue("Bearer", held.Token);
            }
            finally
            {
                this.oneAtATime.Release();
            }
        }

        private async Task<(string, DateTimeOffset)> Obtain(HttpClient client, TimeProvider clock, CancellationToken cancellation)
        {
            if (this.address is null)
            {
                throw new SignInRefused("nothing says where its access tokens are given out. Set the token address of the connection.");
            }

            using var request = new HttpRequestMessage(HttpMethod.Post, this.address)
            {
                Content = new FormUrlEncodedContent(new Dictionary<string, string> { ["grant_type"] = "client_credentials", ["client_id"] = id, ["client_secret"] = secret }),
            };
            using var response = await client.SendAsync(request, cancellation);
            var body = await response.Content.ReadAsStringAsync(cancellation);
            if (!response.IsSuccessStatusCode)
            {
                throw new SignInRefused($"it gave no access token ({(int)response.StatusCode}): {AnswerText.Of(body)}. Check the client id and the client secret of the connection.");
            }

            try
            {
                using var json = JsonDocument.Parse(body);
                var life = json.RootElement.TryGetProperty("expires_in", out var seconds) && seconds.TryGetInt32(out var s) ? s : 300;
                return (json.RootElement.GetProperty("access_token").GetString()!, clock.GetUtcNow().AddSeconds(life));
            }
            catch (Exception e) when (e is JsonException or KeyNotFoundException or InvalidOperationException)
            {
                throw new SignInRefused($"its token address answered something that is not an access token. Check the token address {this.address} of the connection.");
            }
        }
    }
}

/// <summary>The system would not sign us in.</summary>
public sealed class SignInRefused(string why) : Exception(why);
