using System.Buffers;
using System.Collections.Concurrent;
using System.Text;
using SmtpServer;
using SmtpServer.ComponentModel;
using SmtpServer.Protocol;
using SmtpServer.Storage;

namespace UprightMirror.DemoWorld.Notices;

/// <summary>A mail as it was caught.</summary>
public sealed record CaughtMail(DateTimeOffset At, string From, string To, string Message);

/// <summary>A mail server that takes everything and hands nothing on: what would have gone out stands on a page.</summary>
public sealed class MailCatcher(int port) : MessageStore, IHostedService, IDisposable
{
    private const int Kept = 500;
    private const int Longest = 100_000;

    private readonly CancellationTokenSource ending = new();
    private readonly ConcurrentQueue<CaughtMail> caught = new();
    private Task serving = Task.CompletedTask;

    /// <summary>What was caught, the last first.</summary>
    public IReadOnlyList<CaughtMail> Caught => [.. this.caught.Reverse()];

    public override Task<SmtpResponse> SaveAsync(ISessionContext context, IMessageTransaction transaction, ReadOnlySequence<byte> buffer, CancellationToken cancellationToken)
    {
        var text = Encoding.UTF8.GetString(buffer.Slice(0, Math.Min(buffer.Length, Longest)));
        this.caught.Enqueue(new CaughtMail(DateTimeOffset.UtcNow, $"{transaction.From.User}@{transaction.From.Host}", string.Join(", ", transaction.To.Select(t => $"{t.User}@{t.Host}")), text));
        while (this.caught.Count > Kept)
        {
            this.caught.TryDequeue(out _);
        }

        return Task.FromResult(SmtpResponse.Ok);
    }

    public Task StartAsync(CancellationToken cancellationToken)
    {
        var services = new SmtpServer.ComponentModel.ServiceProvider();
        services.Add(this);
        var options = new SmtpServerOptionsBuilder().ServerName("post.saltmarsh.example").Endpoint(e => e.Endpoint(new System.Net.IPEndPoint(System.Net.IPAddress.Loopback, port)).AllowUnsecureAuthentication()).Build();
        this.serving = new SmtpServer.SmtpServer(options, services).StartAsync(this.ending.Token);
        return Task.CompletedTask;
    }

    public async Task StopAsync(CancellationToken cancellationToken)
    {
        await this.ending.CancelAsync();
        await Task.WhenAny(this.serving, Task.Delay(TimeSpan.FromSeconds(2), cancellationToken));
    }

    public void Dispose() => this.ending.Dispose();
}
