using System.Collections.Concurrent;
using System.Globalization;
using System.Net.Http.Headers;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Threading.Channels;
using UprightMirror.DemoWorld.Faults;
using UprightMirror.DemoWorld.Shelves;

namespace UprightMirror.DemoWorld.Events;

/// <summary>Where a system sends its events.</summary>
/// <param name="Secret">What it signs them with; null when it does not sign.</param>
public sealed record Hook(Uri Address, string? Secret);

/// <summary>
/// Tells other systems that a record changed, as Slipway (signed) and Pennant Mail (unsigned) do: at least once, so now and then
/// twice, and not always in the order in which things happened.
/// </summary>
public sealed class EventSender : BackgroundService
{
    /// <summary>The systems that send events, and whether they sign them.</summary>
    public static readonly IReadOnlyDictionary<string, bool> Signs = new Dictionary<string, bool> { ["slipway"] = true, ["pennant"] = false };

    /// <summary>Every so many events is sent twice, fault or no fault.</summary>
    private const int TwiceEvery = 12;
    private static readonly TimeSpan[] BeforeAgain = [TimeSpan.FromSeconds(1), TimeSpan.FromSeconds(5), TimeSpan.FromSeconds(20)];

    private readonly Dictionary<string, Shelf<Hook>> hooks;
    private readonly FaultSwitches faults;
    private readonly Channel<Happened> happened = Channel.CreateUnbounded<Happened>();
    private readonly ConcurrentDictionary<string, (long Sent, long Failed)> counts = new();
    private readonly HttpClient http = new(new SocketsHttpHandler { AllowAutoRedirect = false }) { Timeout = TimeSpan.FromSeconds(10) };

    public EventSender(ShelfStore store, FaultSwitches faults)
    {
        this.faults = faults;
        this.hooks = Signs.Keys.ToDictionary(s => s, s => new Shelf<Hook>($"{s}/.hooks", store));
        store.Happened += h => this.happened.Writer.TryWrite(h);
    }

    public Hook? HookOf(string system) => this.hooks[system].Find("1")?.Body;

    public (long Sent, long Failed) CountsOf(string system) => this.counts.GetValueOrDefault(system);

    /// <param name="hook">Null to send no events any more.</param>
    public void Set(string system, Hook? hook)
    {
        var (shelf, now) = (this.hooks[system], DateTimeOffset.UtcNow);
        if (hook is null)
        {
            shelf.Remove("1", "staff", now);
        }
        else if (shelf.Change("1", null, _ => hook, "staff", now) is null)
        {
            shelf.Add(_ => "1", _ => hook, "staff", now);
        }
    }

    public override async Task StartAsync(CancellationToken cancellationToken)
    {
        foreach (var shelf in this.hooks.Values)
        {
            await shelf.Load(cancellationToken);
        }

        await base.StartAsync(cancellationToken);
    }

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        var number = 0;
        using var atOnce = new SemaphoreSlim(8);
        await foreach (var one in this.happened.Reader.ReadAllAsync(stoppingToken))
        {
            var parts = one.Shelf.Split('/');
            var fault = this.faults.Of(parts[0]);
            if (parts[1].StartsWith('.') || !Signs.ContainsKey(parts[0]) || this.HookOf(parts[0]) is not { } hook || fault.EventsNever)
            {
                continue;
            }

            var body = Body(parts[0], parts[1], one);
            for (var copies = fault.EventsTwice || ++number % TwiceEvery == 0 ? 2 : 1; copies > 0; copies--)
            {
                _ = this.Send(parts[0], hook, body, TimeSpan.FromSeconds(fault.EventsLateSeconds), atOnce, stoppingToken);
            }
        }
    }

    private static string Body(string system, string collection, Happened one) => system == "slipway"
        ? JsonSerializer.Serialize(new { eventId = Guid.NewGuid(), type = $"{collection}.{one.Kind}", recordId = one.Id, at = one.At.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture) })
        : JsonSerializer.Serialize(new { @event = one.Kind, list = collection, id = long.TryParse(one.Id, CultureInfo.InvariantCulture, out var n) ? n : 0, occurred_at = one.At.ToUnixTimeMilliseconds() });

    private async Task Send(string system, Hook hook, string body, TimeSpan late, SemaphoreSlim atOnce, CancellationToken cancellation)
    {
        await Task.Delay(late, cancellation);
        var sent = false;
        for (var attempt = 0; !sent && attempt <= BeforeAgain.Length; attempt++)
        {
            if (attempt > 0)
            {
                await Task.Delay(BeforeAgain[attempt - 1], cancellation);
            }

            await atOnce.WaitAsync(cancellation);
            try
            {
                using var request = new HttpRequestMessage(HttpMethod.Post, hook.Address) { Content = new StringContent(body, Encoding.UTF8, new MediaTypeHeaderValue("application/json")) };
                if (hook.Secret is { Length: > 0 } secret)
                {
                    request.Headers.Add("X-Slipway-Signature", "sha256=" + Convert.ToHexStringLower(HMACSHA256.HashData(Encoding.UTF8.GetBytes(secret), Encoding.UTF8.GetBytes(body))));
                }

                using var answer = await this.http.SendAsync(request, cancellation);
                sent = answer.IsSuccessStatusCode;
            }
            catch (Exception e) when (e is HttpRequestException or TaskCanceledException && !cancellation.IsCancellationRequested)
            {
                // Tried again below, a few times, as such systems do.
            }
            finally
            {
                atOnce.Release();
            }
        }

        this.counts.AddOrUpdate(system, sent ? (1, 0) : (0, 1), (_, c) => sent ? (c.Sent + 1, c.Failed) : (c.Sent, c.Failed + 1));
    }
}
