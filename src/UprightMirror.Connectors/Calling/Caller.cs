using System.Collections.Concurrent;
using System.Diagnostics.CodeAnalysis;
using System.Net;
using System.Net.Sockets;
using System.Text.Json;
using System.Threading.RateLimiting;
using Microsoft.Extensions.Http.Resilience;
using Polly;

namespace UprightMirror.Connectors.Calling;

/// <summary>An answer that came, whatever it says.</summary>
public sealed record Answered(HttpStatusCode Status, string Body, string? ETag, string? ContentType, Uri Address);

/// <summary>What a caller saw of its system since it was made.</summary>
/// <param name="MedianMilliseconds">Of the last answers; null when none came.</param>
public sealed record CallsSeen(long Calls, long Failures, int? MedianMilliseconds, string? LastFault, DateTimeOffset? LastFaultAt);

/// <summary>
/// Calls one system over HTTP: signs in, keeps its limits, waits when it asks to, and repeats what is safe to repeat. What goes
/// wrong becomes one sentence that names the system and says what to do.
/// </summary>
public sealed class Caller
{
    private const long LargestAnswer = 32 * 1024 * 1024;
    private const int Timed = 101;

    private readonly string name;
    private readonly HttpClient client;
    private readonly SignIn signIn;
    private readonly TimeProvider clock;
    private readonly TimeSpan timeout;
    private readonly RateLimiter atOnce;
    private readonly RateLimiter? perSecond;
    private readonly ResiliencePipeline<HttpResponseMessage> reading;
    private readonly ResiliencePipeline<HttpResponseMessage> writing;
    private readonly ConcurrentQueue<int> times = new();
    private long calls;
    private long failures;
    private (string Text, DateTimeOffset At)? lastFault;

    public Caller(string name, HttpMessageHandler handler, SignIn signIn, ConnectionSettings settings, TimeProvider clock)
    {
        this.name = name;
        this.signIn = signIn;
        this.clock = clock;
        this.timeout = TimeSpan.FromSeconds(settings.TimeoutSeconds);
        this.client = new HttpClient(handler, disposeHandler: false) { MaxResponseContentBufferSize = LargestAnswer, Timeout = Timeout.InfiniteTimeSpan };
        this.atOnce = new ConcurrencyLimiter(new ConcurrencyLimiterOptions { PermitLimit = settings.CallsAtOnce, QueueLimit = int.MaxValue });
        this.perSecond = settings.CallsPerSecond is { } limit
            ? new TokenBucketRateLimiter(new TokenBucketRateLimiterOptions
            {
                // A tenth below the limit, in ten portions a second: the system's clock does not count the seconds where ours does.
                TokenLimit = Math.Max(1, limit / 10),
                TokensPerPeriod = Math.Max(1, limit * 9 / 100),
                ReplenishmentPeriod = TimeSpan.FromMilliseconds(limit >= 12 ? 100 : 1100.0 / limit),
                QueueLimit = int.MaxValue,
            })
            : null;
        this.reading = Retrying(r => r.StatusCode is HttpStatusCode.TooManyRequests or HttpStatusCode.RequestTimeout || (int)r.StatusCode >= 500, e => e is HttpRequestException or TimeoutException, clock);

        // A write is repeated only when the system itself said that it did nothing.
        this.writing = Retrying(r => r.StatusCode is HttpStatusCode.TooManyRequests or HttpStatusCode.ServiceUnavailable, _ => false, clock);
    }

    public SignIn SignIn => this.signIn;

    public CallsSeen Seen
    {
        get
        {
            var sorted = this.times.Order().ToArray();
            return new CallsSeen(Interlocked.Read(ref this.calls), Interlocked.Read(ref this.failures), sorted.Length == 0 ? null : sorted[sorted.Length / 2], this.lastFault?.Text, this.lastFault?.At);
        }
    }

    /// <summary>Reads JSON.</summary>
    /// <param name="what">What is read, as it stands in a sentence: "its organisations".</param>
    /// <returns>Null when the system says that there is no such thing (404).</returns>
    /// <exception cref="SystemFault">It can't be read; the message says why and what to do.</exception>
    public async Task<(JsonDocument? Json, string? ETag)> Read(Uri address, string what, CancellationToken cancellation)
    {
        var answer = await this.Ask(() => new HttpRequestMessage(HttpMethod.Get, address) { Headers = { { "Accept", "application/json" } } }, what, cancellation);
        if (answer.Status is HttpStatusCode.NotFound or HttpStatusCode.Gone)
        {
            return (null, null);
        }

        if (this.Wrong(answer, what) is { } wrong)
        {
            throw this.Fault(wrong);
        }

        try
        {
            return (JsonDocument.Parse(answer.Body), answer.ETag);
        }
        catch (JsonException e)
        {
            throw this.Fault($"{this.name} answered something that is not JSON when {what} was read from {address.GetLeftPart(UriPartial.Path)}{(LooksLikeHtml(answer) ? ": it is a web page. The address of the connection is probably that of a page, not of the API" : $" (line {e.LineNumber + 1}). Ask who runs it")}.");
        }
    }

    /// <summary>Reads text as it is: a description.</summary>
    /// <param name="openFirst">True to ask without signing in first: the description may be what says where to sign in.</param>
    public async Task<string> ReadText(Uri address, string what, bool openFirst, CancellationToken cancellation)
    {
        var answer = await this.Ask(() => new HttpRequestMessage(HttpMethod.Get, address), what, cancellation, signed: !openFirst);
        if (openFirst && answer.Status is HttpStatusCode.Unauthorized or HttpStatusCode.Forbidden)
        {
            answer = await this.Ask(() => new HttpRequestMessage(HttpMethod.Get, address), what, cancellation);
        }

        return answer.Status == HttpStatusCode.NotFound
            ? throw this.Fault($"{this.name} has no {what} at {address}. Check the address of the connection.")
            : this.Wrong(answer, what) is { } wrong ? throw this.Fault(wrong) : answer.Body;
    }

    /// <summary>Sends a write and gives the answer as it came.</summary>
    /// <exception cref="SystemFault">It certainly did not reach the system.</exception>
    /// <exception cref="AnswerLost">It may or may not have taken effect.</exception>
    public Task<Answered> Write(Func<HttpRequestMessage> request, string what, CancellationToken cancellation) => this.Call(this.writing, request, what, true, cancellation);

    public SystemFault Fault(string message)
    {
        this.lastFault = (message, this.clock.GetUtcNow());
        return new SystemFault(message);
    }

    /// <summary>What is wrong with an answer, as a sentence; null when nothing is.</summary>
    public string? Wrong(Answered answer, string what) => answer.Status switch
    {
        HttpStatusCode.Unauthorized => $"{this.name} refused the sign-in (401) when {what} was asked for: {AnswerText.Of(answer.Body)}. Check the user and secret of its connection.",
        HttpStatusCode.Forbidden => $"{this.name} signed us in but does not allow {what} (403). Ask for this right for the service account.",
        HttpStatusCode.TooManyRequests => $"{this.name} keeps saying that there are too many calls (429). Lower the calls per second of its connection.",
        HttpStatusCode.ServiceUnavailable => $"{this.name} is not available just now (503). The next run tries again.",
        >= (HttpStatusCode)500 => $"{this.name} answered with an error of its own ({(int)answer.Status}) when {what} was asked for: {AnswerText.Of(answer.Body)}. The next run tries again; if it stays, ask who runs it.",
        >= (HttpStatusCode)400 => $"{this.name} did not accept the question for {what} ({(int)answer.Status}): {AnswerText.Of(answer.Body)}.",
        >= (HttpStatusCode)300 => $"{this.name} redirected the question for {what} to another address. Redirects are not followed, so that credentials never go elsewhere: check the address of its connection.",
        _ when LooksLikeHtml(answer) => $"{this.name} answered with a web page instead of data when {what} was asked for at {answer.Address.GetLeftPart(UriPartial.Path)}. The address of the connection is probably that of a page, not of the API.",
        _ => null,
    };

    /// <summary>Reads. An answer that is lost is only a fault: nothing was to take effect.</summary>
    private async Task<Answered> Ask(Func<HttpRequestMessage> request, string what, CancellationToken cancellation, bool signed = true)
    {
        try
        {
            return await this.Call(this.reading, request, what, signed, cancellation);
        }
        catch (AnswerLost e)
        {
            throw new SystemFault(e.Message, e);
        }
    }

    [SuppressMessage("Reliability", "CA2000", Justification = "Requests and responses are disposed by the pipeline's own callback.")]
    private async Task<Answered> Call(ResiliencePipeline<HttpResponseMessage> pipeline, Func<HttpRequestMessage> make, string what, bool signed, CancellationToken cancellation)
    {
        for (var renewed = false; ; renewed = true)
        {
            try
            {
                using var response = await pipeline.ExecuteAsync(async token => await this.Once(make(), signed, token), cancellation);
                if (response.StatusCode == HttpStatusCode.Unauthorized && signed && !renewed && this.signIn.Renew())
                {
                    continue;
                }

                return new Answered(response.StatusCode, await response.Content.ReadAsStringAsync(cancellation), response.Headers.ETag?.ToString(), response.Content.Headers.ContentType?.MediaType, response.RequestMessage!.RequestUri!);
            }
            catch (SignInRefused e)
            {
                throw this.Fault($"{this.name} could not be signed in to: {e.Message}");
            }
            catch (TimeoutException)
            {
                throw new AnswerLost(this.Fault($"{this.name} did not answer within {this.timeout.TotalSeconds:0} s when {what} was asked for. It may be slow or hanging; the next run tries again.").Message);
            }
            catch (HttpRequestException e) when (NeverReached(e))
            {
                throw this.Fault($"{this.name} can't be reached: {Reason(e)}. Check that it is running, and the address of its connection; the next run tries again.");
            }
            catch (HttpRequestException e)
            {
                throw new AnswerLost(this.Fault($"The connection to {this.name} broke when {what} was asked for: {Reason(e)}. The next run tries again.").Message);
            }
        }
    }

    private async Task<HttpResponseMessage> Once(HttpRequestMessage request, bool signed, CancellationToken cancellation)
    {
        using var sent = request;
        if (signed)
        {
            await this.signIn.Sign(request, this.client, this.clock, cancellation);
        }

        using var place = await this.atOnce.AcquireAsync(1, cancellation);
        using var turn = this.perSecond is null ? null : await this.perSecond.AcquireAsync(1, cancellation);
        using var limited = CancellationTokenSource.CreateLinkedTokenSource(cancellation);
        limited.CancelAfter(this.timeout);
        Interlocked.Increment(ref this.calls);
        var began = this.clock.GetTimestamp();
        try
        {
            var response = await this.client.SendAsync(request, HttpCompletionOption.ResponseContentRead, limited.Token);
            this.Took((int)this.clock.GetElapsedTime(began).TotalMilliseconds);
            if ((int)response.StatusCode is >= 500 or 429)
            {
                Interlocked.Increment(ref this.failures);
            }

            return response;
        }
        catch (OperationCanceledException) when (!cancellation.IsCancellationRequested)
        {
            Interlocked.Increment(ref this.failures);
            throw new TimeoutException();
        }
        catch (HttpRequestException)
        {
            Interlocked.Increment(ref this.failures);
            throw;
        }
    }

    private void Took(int milliseconds)
    {
        this.times.Enqueue(milliseconds);
        while (this.times.Count > Timed)
        {
            this.times.TryDequeue(out _);
        }
    }

    private static ResiliencePipeline<HttpResponseMessage> Retrying(Func<HttpResponseMessage, bool> answer, Func<Exception, bool> fault, TimeProvider clock) =>
        new ResiliencePipelineBuilder<HttpResponseMessage> { TimeProvider = clock }
            .AddRetry(new HttpRetryStrategyOptions
            {
                MaxRetryAttempts = 4,
                BackoffType = DelayBackoffType.Exponential,
                Delay = TimeSpan.FromMilliseconds(400),
                MaxDelay = TimeSpan.FromSeconds(20),
                UseJitter = true,
                ShouldRetryAfterHeader = true,
                ShouldHandle = args => ValueTask.FromResult(args.Outcome.Exception is { } e ? fault(e) : answer(args.Outcome.Result!)),
            })
            .Build();

    private static bool LooksLikeHtml(Answered answer) =>
        answer.ContentType is "text/html" or "application/xhtml+xml" || answer.Body.AsSpan().TrimStart().StartsWith("<!doctype html", StringComparison.OrdinalIgnoreCase);

    private static bool NeverReached(HttpRequestException e) =>
        e.HttpRequestError is HttpRequestError.NameResolutionError or HttpRequestError.ConnectionError or HttpRequestError.SecureConnectionError;

    private static string Reason(HttpRequestException e) => (e.HttpRequestError, e.InnerException) switch
    {
        (HttpRequestError.NameResolutionError, _) => "its name is not found",
        (HttpRequestError.SecureConnectionError, _) => "its certificate or encryption is not accepted",
        (_, SocketException { SocketErrorCode: SocketError.ConnectionRefused }) => "nothing answers at its address (connection refused)",
        (HttpRequestError.ConfigurationLimitExceeded, _) => $"its answer is larger than {LargestAnswer / 1024 / 1024} MB",
        _ => "the connection was closed",
    };
}

/// <summary>A call was made and its answer never came: it may or may not have taken effect.</summary>
public sealed class AnswerLost(string message) : Exception(message);
