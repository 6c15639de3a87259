using System.Collections.Concurrent;
using System.Diagnostics.CodeAnalysis;
using System.Net;
using System.Net.Sockets;
using System.Text.Json;
using Microsoft.Extensions.Http.Resilience;
using Polly;
using Polly.CircuitBreaker;

namespace UprightMirror.Connectors.Calling;

/// <summary>
/// Calls one system over HTTP: signs in, keeps its limits, waits when it asks to, and repeats what is safe to repeat. What goes
/// wrong becomes one sentence that names the system and says what to do.
/// </summary>
public sealed class Caller
{
    private const long LargestAnswer = 32 * 1024 * 1024;
    private const int Timed = 101;
    private const int CallsKept = 300;
    private const int LongestKept = 4000;
    private static readonly TimeSpan Rest = TimeSpan.FromSeconds(15);
    private static readonly TimeSpan LongestWait = TimeSpan.FromSeconds(20);

    /// <summary>Where systems tell their limits: the IETF's draft for rate limit fields, and what was in use before it.</summary>
    private static readonly string[] LimitHeaders = ["RateLimit-Policy", "RateLimit-Limit", "X-RateLimit-Limit", "X-Rate-Limit-Limit"];

    private readonly string name;
    private readonly HttpClient client;
    private readonly SignIn signIn;
    private readonly TimeProvider clock;
    private readonly TimeSpan timeout;
    private readonly CallGate gate;
    private readonly ResiliencePipeline<HttpResponseMessage> reading;
    private readonly ResiliencePipeline<HttpResponseMessage> writing;
    private readonly ConcurrentQueue<int> times = new();
    private readonly ConcurrentQueue<CallMade> made = new();
    private long calls;
    private long failures;
    private long turnedAway;
    private TimeSpan? clockAhead;
    private string? limitTold;
    private (string Text, DateTimeOffset At)? lastFault;

    public Caller(string name, HttpMessageHandler handler, SignIn signIn, ConnectionSettings settings, Outside outside)
    {
        this.name = name;
        this.signIn = signIn;
        this.clock = outside.Clock;
        this.timeout = TimeSpan.FromSeconds(settings.TimeoutSeconds);
        this.client = new HttpClient(handler, disposeHandler: false) { MaxResponseContentBufferSize = LargestAnswer, Timeout = Timeout.InfiniteTimeSpan };
        this.gate = new CallGate(name, outside.Budget, this.clock, settings.CallsAtOnce, settings.CallsPerSecond);
        var breaker = outside.IsPatient ? Breaking(this.clock) : ResiliencePipeline<HttpResponseMessage>.Empty;
        this.reading = Retrying(r => r.StatusCode is HttpStatusCode.TooManyRequests or HttpStatusCode.RequestTimeout || (int)r.StatusCode >= 500, e => e is HttpRequestException { InnerException: not AddressRefused } or TimeoutException, breaker, outside);

        // A write is repeated only when the system itself said that it did nothing.
        this.writing = Retrying(r => r.StatusCode is HttpStatusCode.TooManyRequests or HttpStatusCode.ServiceUnavailable, _ => false, breaker, outside);
    }

    public SignIn SignIn => this.signIn;

    public CallsSeen Seen
    {
        get
        {
            var sorted = this.times.Order().ToArray();
            return new CallsSeen(Interlocked.Read(ref this.calls), Interlocked.Read(ref this.failures), sorted.Length == 0 ? null : sorted[sorted.Length / 2], this.lastFault?.Text, this.lastFault?.At,
                this.clockAhead, this.limitTold, this.gate.Pace, this.signIn.Until, Interlocked.Read(ref this.turnedAway));
        }
    }

    /// <summary>The calls made since this was last asked; the oldest are let go when there are many.</summary>
    public IReadOnlyList<CallMade> TakeCalls()
    {
        var taken = new List<CallMade>();
        while (this.made.TryDequeue(out var call))
        {
            taken.Add(call);
        }

        return taken;
    }

    /// <summary>Reads JSON.</summary>
    /// <param name="what">What is read, as it stands in a sentence: "its organisations".</param>
    /// <returns>Null when the system says that there is no such thing (404).</returns>
    /// <exception cref="SystemFault">It can't be read; the message says why and what to do.</exception>
    public async Task<(JsonDocument? Json, string? ETag)> Read(Uri address, string what, CancellationToken cancellation)
    {
        var (json, answer) = await this.ReadPage(address, what, cancellation);
        return (json, answer.ETag);
    }

    /// <summary>Reads JSON, with all that the answer says beside it. As <see cref="Read"/> otherwise.</summary>
    public async Task<(JsonDocument? Json, Answered Answer)> ReadPage(Uri address, string what, CancellationToken cancellation)
    {
        var answer = await this.Ask(() => new HttpRequestMessage(HttpMethod.Get, address) { Headers = { { "Accept", "application/json" } } }, what, cancellation);
        if (answer.Status is HttpStatusCode.NotFound or HttpStatusCode.Gone)
        {
            return (null, answer);
        }

        if (this.Wrong(answer, what) is { } wrong)
        {
            throw this.Fault(wrong);
        }

        try
        {
            return (JsonDocument.Parse(answer.Body), answer);
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

    /// <summary>Asks once and gives the answer as it came: for the test of a connection.</summary>
    /// <exception cref="SystemFault">No answer came, or the sign-in was refused.</exception>
    public Task<Answered> Probe(Uri address, string what, bool signed, CancellationToken cancellation) =>
        this.Ask(() => new HttpRequestMessage(HttpMethod.Get, address), what, cancellation, signed);

    /// <summary>Obtains what calls are signed with, without making one.</summary>
    /// <exception cref="SystemFault">The system would not give it.</exception>
    public async Task SignInNow(CancellationToken cancellation)
    {
        using var request = new HttpRequestMessage(HttpMethod.Get, "http://none.invalid/");
        using var limited = CancellationTokenSource.CreateLinkedTokenSource(cancellation);
        limited.CancelAfter(this.timeout);
        try
        {
            await this.signIn.Sign(request, this.client, this.clock, limited.Token);
        }
        catch (SignInRefused e)
        {
            throw this.Fault($"{this.name} could not be signed in to: {e.Message}");
        }
        catch (HttpRequestException e)
        {
            throw this.Fault($"{this.name} could not be signed in to: {Reason(e)}.");
        }
        catch (OperationCanceledException) when (!cancellation.IsCancellationRequested)
        {
            throw this.Fault($"{this.name} gave no access token within {this.timeout.TotalSeconds:0} s. Try again; if it stays, ask who runs it.");
        }
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
                using var response = await pipeline.ExecuteAsync(async token => await this.Once(make(), what, signed, token), cancellation);
                if (response.StatusCode == HttpStatusCode.Unauthorized && signed && !renewed && this.signIn.Renew())
                {
                    continue;
                }

                return new Answered(response.StatusCode, await response.Content.ReadAsStringAsync(cancellation), response.Headers.ETag?.ToString(), response.Content.Headers.ContentType?.MediaType, response.RequestMessage!.RequestUri!)
                {
                    NextPage = NextOf(response),
                };
            }
            catch (SignInRefused e)
            {
                throw this.Fault($"{this.name} could not be signed in to: {e.Message}");
            }
            catch (BrokenCircuitException)
            {
                throw this.Fault($"{this.name} failed so often just now that it is left alone for {Rest.TotalSeconds:0} s. {this.lastFault?.Text}".TrimEnd());
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

    [SuppressMessage("Reliability", "CA2000", Justification = "The response is disposed by who asked for it.")]
    private async Task<HttpResponseMessage> Once(HttpRequestMessage request, string what, bool signed, CancellationToken cancellation)
    {
        using var sent = request;
        await using var place = await this.gate.Enter(cancellation);
        using var limited = CancellationTokenSource.CreateLinkedTokenSource(cancellation);
        limited.CancelAfter(this.timeout);
        var address = request.RequestUri!;
        var body = request.Content is null ? null : await request.Content.ReadAsStringAsync(cancellation);
        var at = this.clock.GetUtcNow();
        var began = this.clock.GetTimestamp();
        Interlocked.Increment(ref this.calls);
        try
        {
            if (signed)
            {
                await this.signIn.Sign(request, this.client, this.clock, limited.Token);
            }

            var response = await this.client.SendAsync(request, HttpCompletionOption.ResponseContentRead, limited.Token);
            var took = (int)this.clock.GetElapsedTime(began).TotalMilliseconds;
            await this.Learn(response, took, cancellation);
            this.Keep(new CallMade(at, request.Method.Method, "", (int)response.StatusCode, took, response.Content.Headers.ContentLength ?? 0, what, null, body, await response.Content.ReadAsStringAsync(limited.Token)), address);
            return response;
        }
        catch (Exception e) when (e is HttpRequestException or SignInRefused || (e is OperationCanceledException && !cancellation.IsCancellationRequested))
        {
            Interlocked.Increment(ref this.failures);
            var why = e switch { HttpRequestException http => Reason(http), SignInRefused => e.Message, _ => $"no answer within {this.timeout.TotalSeconds:0} s" };
            this.Keep(new CallMade(at, request.Method.Method, "", null, (int)this.clock.GetElapsedTime(began).TotalMilliseconds, 0, what, why, body, null), address);
            if (e is OperationCanceledException)
            {
                throw new TimeoutException();
            }

            throw;
        }
    }

    /// <summary>Takes from an answer what it says beside its body: how quick, what time it is there, what is allowed, and whether it was too much.</summary>
    private async Task Learn(HttpResponseMessage response, int took, CancellationToken cancellation)
    {
        this.times.Enqueue(took);
        while (this.times.Count > Timed)
        {
            this.times.TryDequeue(out _);
        }

        if (response.Headers.Date is { } there)
        {
            // It keeps time to the second, and the answer was half of its time on the way.
            var apart = there - (this.clock.GetUtcNow() - TimeSpan.FromMilliseconds(took / 2.0));
            this.clockAhead = apart.Duration() < TimeSpan.FromSeconds(1.5) ? TimeSpan.Zero : apart;
        }

        var told = LimitHeaders.Select(h => response.Headers.TryGetValues(h, out var values) ? $"{h}: {string.Join(", ", values)}" : null).FirstOrDefault(v => v is not null);
        this.limitTold = told ?? this.limitTold;
        if (response.StatusCode is HttpStatusCode.TooManyRequests || (response.StatusCode is HttpStatusCode.ServiceUnavailable && response.Headers.RetryAfter is not null))
        {
            Interlocked.Increment(ref this.failures);
            Interlocked.Increment(ref this.turnedAway);
            var wait = response.Headers.RetryAfter is not { } after ? null : after.Delta ?? (after.Date is { } date ? date - this.clock.GetUtcNow() : (TimeSpan?)null);
            await this.gate.TurnedAway(wait is { } time && time > TimeSpan.Zero ? (time < LongestWait ? time : LongestWait) : null, cancellation);
        }
        else if ((int)response.StatusCode >= 500)
        {
            Interlocked.Increment(ref this.failures);
        }
        else
        {
            this.gate.Took();
        }
    }

    private void Keep(CallMade call, Uri address)
    {
        string? Readable(string? text) => text is null ? null : Masking.Secrets(text.Length <= LongestKept ? text : text[..LongestKept] + "…", this.signIn.Secrets);
        this.made.Enqueue(call with { Address = Masking.Secrets(address.PathAndQuery, this.signIn.Secrets), Sent = Readable(call.Sent), Answered = Readable(call.Answered), Fault = Readable(call.Fault) });
        while (this.made.Count > CallsKept)
        {
            this.made.TryDequeue(out _);
        }
    }

    private static string? NextOf(HttpResponseMessage response) =>
        response.Headers.TryGetValues("Link", out var links)
            ? links.SelectMany(l => l.Split(',')).Select(l => l.Split(';')).Where(l => l.Skip(1).Any(p => p.Trim().Replace("\"", "", StringComparison.Ordinal).Equals("rel=next", StringComparison.OrdinalIgnoreCase)))
                .Select(l => l[0].Trim().TrimStart('<').TrimEnd('>')).FirstOrDefault()
            : null;

    private static ResiliencePipeline<HttpResponseMessage> Retrying(Func<HttpResponseMessage, bool> answer, Func<Exception, bool> fault, ResiliencePipeline<HttpResponseMessage> breaker, Outside outside) => outside.IsPatient
        ? new ResiliencePipelineBuilder<HttpResponseMessage> { TimeProvider = outside.Clock }
            .AddRetry(new HttpRetryStrategyOptions
            {
                MaxRetryAttempts = 4,
                BackoffType = DelayBackoffType.Exponential,
                Delay = TimeSpan.FromMilliseconds(400),
                MaxDelay = LongestWait,
                UseJitter = true,
                ShouldRetryAfterHeader = true,
                ShouldHandle = args => ValueTask.FromResult(args.Outcome.Exception is { } e ? fault(e) : answer(args.Outcome.Result!)),
            })
            .AddPipeline(breaker)
            .Build()
        : ResiliencePipeline<HttpResponseMessage>.Empty;

    /// <summary>A system that mostly fails is left alone for a while: it has trouble enough, and whoever waits for it learns sooner.</summary>
    private static ResiliencePipeline<HttpResponseMessage> Breaking(TimeProvider clock) => new ResiliencePipelineBuilder<HttpResponseMessage> { TimeProvider = clock }
        .AddCircuitBreaker(new CircuitBreakerStrategyOptions<HttpResponseMessage>
        {
            FailureRatio = 0.8,
            MinimumThroughput = 20,
            SamplingDuration = TimeSpan.FromSeconds(30),
            BreakDuration = Rest,
            ShouldHandle = args => ValueTask.FromResult(args.Outcome.Exception is HttpRequestException or TimeoutException || (int?)args.Outcome.Result?.StatusCode is >= 500 and not 503),
        })
        .Build();

    private static bool LooksLikeHtml(Answered answer) =>
        answer.ContentType is "text/html" or "application/xhtml+xml" || answer.Body.AsSpan().TrimStart().StartsWith("<!doctype html", StringComparison.OrdinalIgnoreCase);

    private static bool NeverReached(HttpRequestException e) =>
        e.InnerException is AddressRefused || e.HttpRequestError is HttpRequestError.NameResolutionError or HttpRequestError.ConnectionError or HttpRequestError.SecureConnectionError;

    private static string Reason(HttpRequestException e) => (e.HttpRequestError, e.InnerException) switch
    {
        (_, AddressRefused refused) => refused.Message.TrimEnd('.'),
        (HttpRequestError.NameResolutionError, _) => "its name is not found",
        (HttpRequestError.SecureConnectionError, _) => "its certificate or encryption is not accepted",
        (_, SocketException { SocketErrorCode: SocketError.ConnectionRefused }) => "nothing answers at its address (connection refused)",
        (HttpRequestError.ConfigurationLimitExceeded, _) => $"its answer is larger than {LargestAnswer / 1024 / 1024} MB",
        _ => "the connection was closed",
    };
}

/// <summary>A call was made and its answer never came: it may or may not have taken effect.</summary>
public sealed class AnswerLost(string message) : Exception(message);
