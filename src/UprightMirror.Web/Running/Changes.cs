using System.Collections.Concurrent;
using System.Threading.Channels;
using Npgsql;

namespace UprightMirror.Web.Running;

/// <summary>Hears from the database that something happened, in this process or another, and tells every open page.</summary>
public sealed partial class Changes(NpgsqlDataSource database, ILogger<Changes> log) : BackgroundService
{
    private static readonly TimeSpan BeforeRetry = TimeSpan.FromSeconds(2);
    private readonly ConcurrentDictionary<Channel<string>, byte> listeners = new();

    /// <summary>What happens from now on: <c>run</c>, <c>ended</c> or <c>decided</c>. One that is slow to listen misses repeats, never the last.</summary>
    public async IAsyncEnumerable<string> Listen([System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancellation)
    {
        var channel = Channel.CreateBounded<string>(new BoundedChannelOptions(16) { FullMode = BoundedChannelFullMode.DropOldest });
        this.listeners[channel] = 0;
        try
        {
            await foreach (var change in channel.Reader.ReadAllAsync(cancellation))
            {
                yield return change;
            }
        }
        finally
        {
            this.listeners.TryRemove(channel, out _);
        }
    }

    /// <summary>Tells the open pages of this process.</summary>
    public void Tell(string change)
    {
        foreach (var listener in this.listeners.Keys)
        {
            listener.Writer.TryWrite(change);
        }
    }

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        while (!stoppingToken.IsCancellationRequested)
        {
            try
            {
                await using var connection = await database.OpenConnectionAsync(stoppingToken);
                connection.Notification += (_, told) =>
                {
                    foreach (var listener in this.listeners.Keys)
                    {
                        listener.Writer.TryWrite(told.Payload);
                    }
                };
                await using (var listen = new NpgsqlCommand("listen upright", connection))
                {
                    await listen.ExecuteNonQueryAsync(stoppingToken);
                }

                while (true)
                {
                    await connection.WaitAsync(stoppingToken);
                }
            }
            catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
            {
                return;
            }
            catch (Exception e) when (e is NpgsqlException or IOException or System.Net.Sockets.SocketException)
            {
                this.Lost(e.Message);
                await Task.Delay(BeforeRetry, stoppingToken);
            }
        }
    }

    [LoggerMessage(LogLevel.Warning, "The database stopped telling what happens, and is asked again: {Reason}")]
    private partial void Lost(string reason);
}
