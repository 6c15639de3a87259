using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;

namespace UprightMirror.Connectors.Calling;

/// <summary>How calls to a system are signed.</summary>
public abstract class SignIn
{
    /// <summary>Signs a request.</summary>
    /// <exception cref="SignInRefused">The system would not give what it is signed with.</exception>
    public abstract Task Sign(HttpRequestMessage request, HttpClient client, TimeProvider clock, CancellationToken cancellation);

    /// <summary>Forgets what was obtained, after the system said 401. True when signing again may help.</summary>
    public virtual bool Renew() => false;

    /// <summary>Where tokens are given out, when the system's description says so.</summary>
    public virtual void LearnTokenAddress(Uri address)
    {
    }

    /// <summary>When what calls are signed with now ends and is renewed; null when it does not end, or nothing was obtained yet.</summary>
    public virtual DateTimeOffset? Until => null;

    /// <summary>What must never be seen: taken out of everything that is kept of a call.</summary>
    public virtual IEnumerable<string> Secrets => [];

    /// <exception cref="ArgumentException">A secret is missing, or there is no such kind.</exception>
    public static SignIn Of(SignInSettings? settings, IReadOnlyDictionary<string, string> secrets)
    {
        string Secret(string name) => secrets.TryGetValue(name, out var secret) && secret.Length > 0 ? secret : throw new ArgumentException($"it has no {SecretNames.InWords(name)}.");
        return settings?.Kind switch
        {
            null or "none" => new Anonymous(),
            "basic" => new Basic(Secret("user"), Secret("password")),
            "key" => new Key(settings.KeyName is { Length: > 0 } name ? name : "X-Api-Key", settings.KeyInQuery, Secret("key")),
            "bearer" => new Bearer(Secret("token")),
            "clientCredentials" => new ClientCredentials(settings.TokenAddress, settings.Scope, Secret("clientId"), Secret("clientSecret")),
            var other => throw new ArgumentException($"there is no sign-in of the kind {other}."),
        };
    }

    private sealed class Anonymous : SignIn
    {
        public override Task Sign(HttpRequestMessage request, HttpClient client, TimeProvider clock, CancellationToken cancellation) => Task.CompletedTask;
    }

    /// <summary>RFC 7617.</summary>
    private sealed class Basic(string user, string password) : SignIn
    {
        private readonly string encoded = Convert.ToBase64String(Encoding.UTF8.GetBytes($"{user}:{password}"));

        public override IEnumerable<string> Secrets => [password, this.encoded];

        public override Task Sign(HttpRequestMessage request, HttpClient client, TimeProvider clock, CancellationToken cancellation)
        {
            request.Headers.Authorization = new AuthenticationHeaderValue("Basic", this.encoded);
            return Task.CompletedTask;
        }
    }

    /// <summary>A key in a header or in the query.</summary>
    private sealed class Key(string name, bool inQuery, string key) : SignIn
    {
        public override IEnumerable<string> Secrets => [key, Uri.EscapeDataString(key)];

        public override Task Sign(HttpRequestMessage request, HttpClient client, TimeProvider clock, CancellationToken cancellation)
        {
            if (inQuery)
            {
                var address = request.RequestUri!;
                request.RequestUri = new Uri($"{address}{(address.Query.Length == 0 ? '?' : '&')}{Uri.EscapeDataString(name)}={Uri.EscapeDataString(key)}");
            }
            else
            {
                request.Headers.TryAddWithoutValidation(name, key);
            }

            return Task.CompletedTask;
        }
    }

    /// <summary>A token that was given out by hand (RFC 6750).</summary>
    private sealed class Bearer(string token) : SignIn
    {
        public override IEnumerable<string> Secrets => [token];

        public override Task Sign(HttpRequestMessage request, HttpClient client, TimeProvider clock, CancellationToken cancellation)
        {
            request.Headers.Authorization = new AuthenticationHeaderValue("Bearer", token);
            return Task.CompletedTask;
        }
    }

    /// <summary>OAuth 2.0 client credentials (RFC 6749, section 4.4). The token is kept, and renewed before it ends.</summary>
    private sealed class ClientCredentials(Uri? tokenAddress, string? scope, string id, string secret) : SignIn
    {
        private static readonly TimeSpan Before = TimeSpan.FromSeconds(30);
        private readonly SemaphoreSlim oneAtATime = new(1, 1);
        private Uri? address = tokenAddress;
        private (string Token, DateTimeOffset Until)? held;

        public override DateTimeOffset? Until => this.held?.Until;

        public override IEnumerable<string> Secrets => this.held is { } held ? [secret, held.Token] : [secret];

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

            var form = new Dictionary<string, string> { ["grant_type"] = "client_credentials", ["client_id"] = id, ["client_secret"] = secret };
            if (scope is { Length: > 0 })
            {
                form["scope"] = scope;
            }

            using var request = new HttpRequestMessage(HttpMethod.Post, this.address) { Content = new FormUrlEncodedContent(form) };
            using var response = await client.SendAsync(request, cancellation);
            var body = await response.Content.ReadAsStringAsync(cancellation);
            if (!response.IsSuccessStatusCode)
            {
                throw (int)response.StatusCode is 400 or 401 or 403
                    ? new SignInRefused($"it gave no access token ({(int)response.StatusCode}): {AnswerText.Of(Masking.Secrets(body, this.Secrets))}. Check the client id and the client secret of the connection.")
                    : new SignInRefused($"its token address {this.address} answered {(int)response.StatusCode}: {AnswerText.Of(Masking.Secrets(body, this.Secrets))}. Check the token address of the connection; if it is right, ask who runs the system.");
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
