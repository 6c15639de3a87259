using System.Threading.RateLimiting;
using UprightMirror.Storage;

namespace UprightMirror.Web.SigningIn;

/// <summary>Lets in who has a key, and not too often.</summary>
internal sealed class LookupGate(Lookups lookups, Mirrors mirrors) : IDisposable
{
    private const string Scheme = "Bearer ";
    private const int LongestKey = 200;

    /// <summary>Its own: who tries keys in vain keeps nobody from signing in.</summary>
    private readonly FailedAttempts failed = new();

    private readonly PartitionedRateLimiter<(long Key, int PerMinute)> turns = PartitionedRateLimiter.Create<(long Key, int PerMinute), (long, int)>(asked =>
        RateLimitPartition.GetSlidingWindowLimiter(asked, _ => new SlidingWindowRateLimiterOptions { PermitLimit = asked.PerMinute, Window = TimeSpan.FromMinutes(1), SegmentsPerWindow = 6 }));

    /// <returns>The mirror and what it gives; or the answer to who may not.</returns>
    public async Task<(KeptMirror? Mirror, LookupOffer? Offer, IResult? Turned)> Enter(string mirror, HttpContext http, CancellationToken cancellation)
    {
        var from = http.Connection.RemoteIpAddress?.ToString() ?? "unknown";
        var said = http.Request.Headers.Authorization.ToString();
        // Who has no key is not told which mirrors there are.
        var kept = mirror.Length > 60 ? null : await mirrors.Find(mirror, cancellation);
        if (!said.StartsWith(Scheme, StringComparison.OrdinalIgnoreCase) || said.Length > LongestKey || kept is not { State: not "draft" } || await lookups.IdOf(kept.Id, said[Scheme.Length..].Trim(), cancellation) is not { } key)
        {
            // Whoever has a key is not kept out by others who try some at the same address.
            if (!this.failed.MayTry(from))
            {
                return (null, null, Results.Problem(statusCode: 429, title: "Too many keys that are none came from here. Wait a minute, then try again."));
            }

            this.failed.Failed(from);
            http.Response.Headers.WWWAuthenticate = "Bearer";
            return (null, null, Results.Problem(statusCode: 401, title: "The key is missing, or is none of this mirror's. It goes into the header Authorization, behind the word Bearer."));
        }

        var offer = await lookups.Offer(kept.Id, cancellation);
        if (!offer.IsOn)
        {
            return (null, null, Results.Problem(statusCode: 403, title: $"{kept.Definition.Name} is not looked up at this time."));
        }

        using var turn = this.turns.AttemptAcquire((key, offer.PerMinute));
        if (!turn.IsAcquired)
        {
            http.Response.Headers.RetryAfter = "10";
            return (null, null, Often(offer.PerMinute));
        }

        return (kept, offer, null);
    }

    private static IResult Often(int most) => Results.Problem(statusCode: 429, title: $"That is more than {most} times a minute. Wait, then ask again.");

    public void Dispose()
    {
        this.turns.Dispose();
        this.failed.Dispose();
    }
}
