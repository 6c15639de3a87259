using System.Collections.Concurrent;
using System.Collections.Immutable;
using UprightMirror.Connectors;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Engine;

/// <summary>Some records of a collection, read for looking at.</summary>
/// <param name="Records">As the system gave them; empty when nothing could be read.</param>
/// <param name="Fault">Why nothing, or not enough, could be read; null when all went well.</param>
public sealed record SampledRecords(ImmutableArray<ObservedRecord> Records, string? Fault);

/// <summary>
/// Real records for a person who maps fields, before any run has read them. They are read once and kept in memory for some
/// minutes; nothing is written, and nothing that may be read only once is taken.
/// </summary>
public sealed class SampleRecords(ISystems systems, TimeProvider clock)
{
    /// <summary>So many of a collection are read at most.</summary>
    public const int Most = 2000;

    private const int Collections = 24;
    private static readonly TimeSpan Kept = TimeSpan.FromMinutes(10);
    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(60);

    private readonly ConcurrentDictionary<(string System, string Collection), (DateTimeOffset At, Lazy<Task<SampledRecords>> Read)> read = new();

    /// <summary>The records; read now unless they were read a little while ago. Who stops waiting does not stop the reading.</summary>
    public Task<SampledRecords> Of(string system, string collection, CancellationToken cancellation)
    {
        var now = clock.GetUtcNow();
        foreach (var (key, entry) in this.read.OrderByDescending(e => e.Value.At).Select((e, i) => (Entry: e, Index: i)).Where(e => e.Index >= Collections || now - e.Entry.Value.At > Kept).Select(e => e.Entry).ToList())
        {
            this.read.TryRemove(new(key, entry));
        }

        return this.read.GetOrAdd((system, collection), key => (now, new Lazy<Task<SampledRecords>>(() => Task.Run(() => this.Read(key.System, key.Collection))))).Read.Value.WaitAsync(cancellation);
    }

    /// <summary>The records if they are here already; otherwise null, and they begin to be read.</summary>
    public SampledRecords? Ready(string system, string collection)
    {
        var reading = this.Of(system, collection, CancellationToken.None);
        return reading.IsCompletedSuccessfully ? reading.Result : null;
    }

    /// <summary>The records if they are here already; nothing is read.</summary>
    public SampledRecords? AtHand(string system, string collection) =>
        this.read.TryGetValue((system, collection), out var entry) && entry.Read is { IsValueCreated: true, Value: { IsCompletedSuccessfully: true } reading } ? reading.Result : null;

    private async Task<SampledRecords> Read(string system, string collection)
    {
        var records = ImmutableArray.CreateBuilder<ObservedRecord>();
        try
        {
            using var limit = new CancellationTokenSource(Longest, clock);
            var connector = await systems.Connect(system, limit.Token);
            await foreach (var page in connector.ReadChanged(collection, null, null, limit.Token))
            {
                records.AddRange(page.Take(Most - records.Count));
                if (records.Count >= Most)
                {
                    break;
                }
            }

            return new SampledRecords(records.ToImmutable(), null);
        }
        catch (Exception e) when (e is SystemFault or OperationCanceledException)
        {
            // Asked for again soon: a fault is not kept for minutes.
            this.read.TryRemove((system, collection), out _);
            return new SampledRecords(records.ToImmutable(), e is SystemFault ? e.Message : $"Reading {collection} took more than {Longest.TotalSeconds:0} s.");
        }
    }
}
