using System.Buffers;
using System.Collections.Concurrent;
using System.Net;
using System.Net.Sockets;
using System.Text;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.Logging;
using MimeKit;
using SmtpServer;
using SmtpServer.ComponentModel;
using SmtpServer.Mail;
using SmtpServer.Protocol;
using SmtpServer.Storage;

namespace UprightMirror.Web.Tests;

/// <summary>A mail server on a port of this machine that keeps what it is handed, and refuses whom it is told to.</summary>
internal sealed class CatchingMailServer : MessageStore, IMailboxFilter, IMailboxFilterFactory, IAsyncDisposable
{
    private readonly CancellationTokenSource ending = new();
    private readonly Task serving;

    public CatchingMailServer(int port, string? refuses = null)
    {
        this.Refuses = refuses;
        var services = new SmtpServer.ComponentModel.ServiceProvider();
        services.Add((IMessageStore)this);
        services.Add((IMailboxFilterFactory)this);
        this.serving = new SmtpServer.SmtpServer(new SmtpServerOptionsBuilder().ServerName("post.example").Endpoint(e => e.Endpoint(new IPEndPoint(IPAddress.Loopback, port))).Build(), services).StartAsync(this.ending.Token);
    }

    public string? Refuses { get; }

    public ConcurrentQueue<MimeMessage> Caught { get; } = new();

    public static int FreePort()
    {
        using var socket = new TcpListener(IPAddress.Loopback, 0);
        socket.Start();
        return ((IPEndPoint)socket.LocalEndpoint).Port;
    }

    public override Task<SmtpResponse> SaveAsync(ISessionContext context, IMessageTransaction transaction, ReadOnlySequence<byte> buffer, CancellationToken cancellationToken)
    {
        using var stream = new MemoryStream(buffer.ToArray());
        this.Caught.Enqueue(MimeMessage.Load(stream, cancellationToken));
        return Task.FromResult(SmtpResponse.Ok);
    }

    public Task<bool> CanAcceptFromAsync(ISessionContext context, IMailbox from, int size, CancellationToken cancellationToken) => Task.FromResult(true);

    public Task<bool> CanDeliverToAsync(ISessionContext context, IMailbox to, IMailbox from, CancellationToken cancellationToken) => Task.FromResult(to.User != this.Refuses);

    IMailboxFilter ISessionContextInstanceFactory<IMailboxFilter>.CreateInstance(ISessionContext context) => this;

    public async ValueTask DisposeAsync()
    {
        await this.ending.CancelAsync();
        await Task.WhenAny(this.serving, Task.Delay(2000));
        this.ending.Dispose();
    }
}

/// <summary>An address that keeps what it is called with.</summary>
internal sealed class CatchingAddress : IAsyncDisposable
{
    private readonly WebApplication app;

    private CatchingAddress(WebApplication app) => this.app = app;

    public Uri Address => new(new Uri(this.app.Urls.First()), "/hook");

    /// <summary>What it answers.</summary>
    public int Status { get; set; } = 204;

    public ConcurrentQueue<(string Type, string Body, Dictionary<string, string> Headers)> Caught { get; } = new();

    public static async Task<CatchingAddress> Start()
    {
        var builder = WebApplication.CreateBuilder();
        builder.Logging.ClearProviders();
        builder.WebHost.UseUrls("http://127.0.0.1:0");
        var made = new CatchingAddress(builder.Build());
        made.app.MapPost("/hook", async (HttpRequest request) =>
        {
            using var reader = new StreamReader(request.Body, Encoding.UTF8);
            made.Caught.Enqueue((request.ContentType!, await reader.ReadToEndAsync(), request.Headers.ToDictionary(h => h.Key.ToLowerInvariant(), h => h.Value.ToString())));
            return Results.StatusCode(made.Status);
        });
        await made.app.StartAsync();
        return made;
    }

    public ValueTask DisposeAsync() => this.app.DisposeAsync();
}
