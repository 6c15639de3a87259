using UprightMirror.Storage;

namespace UprightMirror.Web.Running;

/// <summary>Ends, in the list of runs, those whose process was killed: at the start, and every few seconds, since another process may die.</summary>
internal sealed partial class DeadRuns(RunBook book, TimeProvider clock, ILogger<DeadRuns> log) : Watching("Runs that were cut off", TimeSpan.FromSeconds(5), clock, log)
{
    private readonly ILogger log = log;

    protected override async Task Look(CancellationToken cancellation)
    {
        if (await book.EndDead(cancellation) is > 0 and var ended)
        {
            this.Ended(ended);
        }
    }

    [LoggerMessage(LogLevel.Warning, "{Count} runs were cut off: their process ended")]
    private partial void Ended(int count);
}
