using System.Threading.RateLimiting;

namespace UprightMirror.Web.SigningIn;

/// <summary>Counts sign-ins that failed, by the address they came from. Those that succeed are not counted: a whole office may begin its day at once.</summary>
public sealed class FailedAttempts : IDisposable
{
    private const int AMinute = 10;

    private readonly PartitionedRateLimiter<string> limiter = PartitionedRateLimiter.Create<string, string>(from => RateLimitPartition.GetSlidingWindowLimiter(
        from, _ => new SlidingWindowRateLimiterOptions { PermitLimit = AMinute, Window = TimeSpan.FromMinutes(1), SegmentsPerWindow = 6 }));

    /// <summary>Whether another attempt may be made from an address.</summary>
    public bool MayTry(string from)
    {
        using var lease = this.limiter.AttemptAcquire(from, 0);
        return lease.IsAcquired;
    }

    public void Failed(string from) => this.limiter.AttemptAcquire(from).Dispose();

    public void Dispose() => this.limiter.Dispose();
}
