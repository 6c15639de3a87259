using UprightMirror.Storage;

namespace UprightMirror.Web.Endpoints;

/// <summary>How many look-alikes wait for a person. Every page shows it, so they are put into clusters again only when other pairs wait than before.</summary>
internal sealed class WaitingLookAlikes(LookAlikes lookAlikes)
{
    private volatile Counted? last;

    private sealed record Counted(string Fingerprint, int Clusters, IReadOnlyList<PairView> Oldest);

    /// <returns>The clusters that wait, and the pairs of the one that waits longest; none where none waits.</returns>
    public async Task<(int Clusters, IReadOnlyList<PairView> Oldest)> Read(CancellationToken cancellation)
    {
        var fingerprint = await lookAlikes.Fingerprint(cancellation);
        if (this.last is not { } counted || counted.Fingerprint != fingerprint)
        {
            var clusters = LookAlikeEndpoints.Clusters(await lookAlikes.Waiting(cancellation));
            this.last = counted = new Counted(fingerprint, clusters.Count, clusters.MinBy(c => c.Min(p => p.FoundAt)) ?? []);
        }

        return (counted.Clusters, counted.Oldest);
    }
}
