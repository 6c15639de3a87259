using UprightMirror.Storage;

namespace UprightMirror.Web.Running;

/// <summary>Puts counts together that are no longer added to, and forgets what nobody looks at any more.</summary>
internal sealed class Housekeeping(KeptNotices notices, Counts counts, RunBook book, TimeProvider clock, ILogger<Housekeeping> log)
    : Watching("What is kept too long", TimeSpan.FromHours(6), clock, log)
{
    private static readonly TimeSpan NoticesKept = TimeSpan.FromDays(90);

    private readonly TimeProvider clock = clock;

    protected override async Task Look(CancellationToken cancellation)
    {
        await counts.PutTogether(this.clock.GetUtcNow(), cancellation);
        await book.ForgetLines(cancellation);
        await notices.Forget(this.clock.GetUtcNow() - NoticesKept, cancellation);
    }
}
