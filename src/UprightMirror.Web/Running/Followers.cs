using Npgsql;
using UprightMirror.Storage;

namespace UprightMirror.Web.Running;

/// <summary>Runs the mirrors that run after another one. Which run of it they have followed is kept, so none is followed twice, and none is missed while nobody was there.</summary>
public sealed partial class Followers(Mirrors mirrors, OwnRuns runs, TimeProvider clock, ILogger<Followers> log) : BackgroundService
{
    private static readonly TimeSpan Look = TimeSpan.FromSeconds(2);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Look, clock);
        while (await timer.WaitForNextTickAsync(stoppingToken))
        {
            try
            {
                foreach (var due in await mirrors.Following(stoppingToken))
                {
                    // Of several workers one gets it.
                    if (await mirrors.Follow(due.Mirror.Id, due.Before, due.Run, stoppingToken) && !await runs.Start(due.Mirror, $"{due.Followed}, which it runs after", stoppingToken))
                    {
                        await mirrors.Follow(due.Mirror.Id, due.Run, due.Before, stoppingToken);
                    }
                }
            }
            catch (Exception e) when (e is NpgsqlException or IOException or TimeoutException)
            {
                this.Wait(e.Message);
            }
        }
    }

    [LoggerMessage(LogLevel.Warning, "Mirrors that run after others wait, and are looked at again: {Reason}")]
    private partial void Wait(string reason);
}
