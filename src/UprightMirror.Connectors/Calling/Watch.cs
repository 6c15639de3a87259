using System.Collections.Concurrent;

namespace UprightMirror.Connectors.Calling;

/// <summary>Keeps what is seen of a system that is not reached over HTTP: its calls, how quick they are, and its last fault.</summary>
internal sealed class Watch(TimeProvider clock, string? secret = null)
{
    private const int CallsKept = 300;
    private const int Timed = 101;

    private readonly ConcurrentQueue<CallMade> made = new();
    private readonly ConcurrentQueue<int> times = new();
    private long calls;
    private long failures;
    private (string Text, DateTimeOffset At)? lastFault;

    public CallsSeen Seen
    {
        get
        {
            var sorted = this.times.Order().ToArray();
            return new CallsSeen(Interlocked.Read(ref this.calls), Interlocked.Read(ref this.failures), sorted.Length == 0 ? null : sorted[sorted.Length / 2], this.lastFault?.Text, this.lastFault?.At);
        }
    }

    public IReadOnlyList<CallMade> TakeCalls()
    {
        var taken = new List<CallMade>();
        while (this.made.TryDequeue(out var call))
        {
            taken.Add(call);
        }

        return taken;
    }

    public SystemFault Fault(string message, Exception? inner = null)
    {
        var safe = secret is null ? message : Masking.Secrets(message, [secret]);
        this.lastFault = (safe, clock.GetUtcNow());
        return new SystemFault(safe, inner);
    }

    public Call Begin(string method, string what) => new(this, method, what);

    /// <summary>A call that is under way; it is kept when it is disposed.</summary>
    public sealed class Call(Watch watch, string method, string what) : IDisposable
    {
        private readonly DateTimeOffset at = watch.Clock.GetUtcNow();
        private readonly long began = watch.Clock.GetTimestamp();
        private string? answer;
        private string? fault;

        public void Answered(int records) => this.answer = records == 1 ? "1 record" : $"{records} records";

        public void Failed(string why) => this.fault = why;

        public void Dispose()
        {
            var took = (int)watch.Clock.GetElapsedTime(this.began).TotalMilliseconds;
            Interlocked.Increment(ref watch.calls);
            if (this.fault is not null)
            {
                Interlocked.Increment(ref watch.failures);
            }

            watch.times.Enqueue(took);
            while (watch.times.Count > Timed)
            {
                watch.times.TryDequeue(out _);
            }

            watch.made.Enqueue(new CallMade(this.at, method, what, null, took, 0, what, this.fault, null, this.answer));
            while (watch.made.Count > CallsKept)
            {
                watch.made.TryDequeue(out _);
            }
        }
    }

    private TimeProvider Clock => clock;
}
