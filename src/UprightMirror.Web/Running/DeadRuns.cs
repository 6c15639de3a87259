using UprightMirror.Storage;

namespace UprightMirror.Web.Running;

/// <summary>Ends, in the list of runs, those whose process was killed: at the start, and every few seconds, since another process may die.</summary>
internal sealed partial class DeadRuns(RunBook book, TimeProvider clock, ILogger<DeadRuns> log) : BackgroundService
{
    private static readonly TimeSpan Every = TimeSpan.FromSeconds(5);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Every, clock);
        do
        {
            try
            {
                if (await book.EndDead(stoppingToken) is > 0 and var ended)
                {
                    this.Ended(ended);
                }
            }
            catch (Npgsql.NpgsqlException e)
            {
                this.NotAsked(e.Message);
            }
        }
        while (await timer.WaitForNextTickAsync(stoppingToken));
    }

    [LoggerMessage(LogLevel.Warning, "{Count} runs were cut off: their process ended")]
    private partial void Ended(int count);

    [LoggerMessage(LogLevel.Warning, "The database could not be asked for runs that were cut off: {Reason}")]
    private partial void NotAsked(string reason);
}
