using Npgsql;
using UprightMirror.Connectors;

namespace UprightMirror.Web.Running;

/// <summary>Looks at something again and again while the process runs. What can't be looked at now is looked at the next time.</summary>
/// <param name="what">What is looked at, in words that begin a sentence.</param>
internal abstract partial class Watching(string what, TimeSpan every, TimeProvider clock, ILogger log) : BackgroundService
{
    /// <summary>Looks once.</summary>
    protected abstract Task Look(CancellationToken cancellation);

    protected sealed override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(every, clock);
        do
        {
            try
            {
                await this.Look(stoppingToken);
            }
            catch (Exception e) when (e is NpgsqlException or IOException or TimeoutException or UnauthorizedAccessException or SystemFault)
            {
                NotNow(log, what, e.Message);
            }
        }
        while (await timer.WaitForNextTickAsync(stoppingToken));
    }

    [LoggerMessage(LogLevel.Warning, "{What} can't be looked at now, and will be again: {Reason}")]
    private static partial void NotNow(ILogger log, string what, string reason);
}
