using System.Collections.Concurrent;
using System.Threading.Channels;
using Npgsql;
using UprightMirror.Storage;

namespace UprightMirror.Web.Running;

/// <summary>
/// Puts what is sent to inboxes into their queue. Calls that come at the same time are written together, and each is answered when what it brought is kept, not before.
/// </summary>
public sealed class Arrivals(Inboxes inboxes, Changes changes, TimeProvider clock) : BackgroundService
{
    /// <summary>So many calls are written together.</summary>
    private const int Together = 200;

    /// <summary>So many wait to be written; a call beyond waits to be one of them.</summary>
    private const int MostWaiting = 2000;

    /// <summary>For so long an address is known without looking: what is changed about it, or that it was closed, counts after that.</summary>
    private static readonly TimeSpan Known = TimeSpan.FromSeconds(1);

    private readonly Channel<Call> calls = Channel.CreateBounded<Call>(new BoundedChannelOptions(MostWaiting) { SingleReader = true });
    private readonly ConcurrentDictionary<string, (Inbox Inbox, string? Secret, DateTimeOffset ReadAt)> known = new(StringComparer.Ordinal);

    /// <summary>The inbox of an address, with what its events are admitted by; null where there is none.</summary>
    public async Task<(Inbox Inbox, string? Secret)?> InboxOf(string token, CancellationToken cancellation)
    {
        var now = clock.GetUtcNow();
        if (this.known.TryGetValue(token, out var read) && now - read.ReadAt < Known)
        {
            return (read.Inbox, read.Secret);
        }

        if (await inboxes.ByToken(token, cancellation) is not { } found)
        {
            this.known.TryRemove(token, out _);
            return null;
        }

        this.known[token] = (found.Inbox, found.Secret, now);
        return found;
    }

    /// <summary>Keeps what a call brought, and returns when it is kept.</summary>
    public async Task Keep(int inbox, IReadOnlyList<InboxArrival> came, CancellationToken cancellation)
    {
        var call = new Call(inbox, came, new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously));
        await this.calls.Writer.WriteAsync(call, cancellation);
        await call.Kept.Task.WaitAsync(cancellation);
    }

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        try
        {
            while (await this.calls.Reader.WaitToReadAsync(stoppingToken))
            {
                var some = new List<Call>();
                while (some.Count < Together && this.calls.Reader.TryRead(out var call))
                {
                    some.Add(call);
                }

                foreach (var ofOne in some.GroupBy(c => c.Inbox))
                {
                    await this.Write([.. ofOne]);
                }

                changes.Tell("events");
            }
        }
        catch (OperationCanceledException)
        {
            // The process ends. Who was not answered sends again.
        }
    }

    private async Task Write(IReadOnlyList<Call> some)
    {
        try
        {
            await inboxes.Put(some[0].Inbox, [.. some.SelectMany(c => c.Came)], CancellationToken.None);
            foreach (var call in some)
            {
                call.Kept.TrySetResult();
            }
        }
        catch (Exception) when (some.Count > 1)
        {
            // What one of them brought can't be kept: it costs only itself.
            foreach (var call in some)
            {
                await this.Write([call]);
            }
        }
        catch (Exception e) when (e is NpgsqlException or TimeoutException or IOException)
        {
            some[0].Kept.TrySetException(e);
        }
    }

    private sealed record Call(int Inbox, IReadOnlyList<InboxArrival> Came, TaskCompletionSource Kept);
}
