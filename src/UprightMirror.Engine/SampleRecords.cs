using System.Collections.Concurrent;
using System.Collections.Immutable;
using UprightMirror.Connectors;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Engine;

/// <summary>Some records of a collection, read for looking at.</summary>
/// <param name="Records">As the system gave them, as far as they were read.</param>
/// <param name="IsReading">True while more are coming.</param>
/// <param name="Fault">Why nothing more could be read; null when all went well.</param>
public sealed record SampledRecords(ImmutableArray<ObservedRecord> Records, bool IsReading, string? Fault);

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

    /// <summary>Where nothing could be read, it is tried again after this long.</summary>
    private static readonly TimeSpan KeptFault = TimeSpan.FromSeconds(20);

    /// <summary>A slow system is read for this long; what came by then has to do.</summary>
    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(40);

    private readonly ConcurrentDictionary<(string System, string Collection), Reading> readings = new();

    /// <summary>The records; read now unless they were read a little while ago. Who stops waiting does not stop the reading.</summary>
    public async Task<SampledRecords> Of(string system, string collection, CancellationToken cancellation)
    {
        var reading = this.Begun(system, collection);
        await reading.Done.WaitAsync(cancellation);
        return reading.Now;
    }

    /// <summary>The records as far as they are here already; where nobody asked yet, they begin to be read.</summary>
    public SampledRecords Ready(string system, string collection) => this.Begun(system, collection).Now;

    /// <summary>The records if they are here already; nothing is read.</summary>
    public SampledRecords? AtHand(string system, string collection) => this.readings.TryGetValue((system, collection), out var reading) ? reading.Now : null;

    private Reading Begun(string system, string collection)
    {
        var now = clock.GetUtcNow();
        var old = this.readings.OrderByDescending(r => r.Value.At).Select((r, i) => (r.Key, r.Value, Index: i))
            .Where(r => r.Index >= Collections || (!r.Value.Now.IsReading && now - r.Value.At > (r.Value.Now.Records.IsEmpty && r.Value.Now.Fault is not null ? KeptFault : Kept))).ToList();
        foreach (var (key, reading, _) in old)
        {
            this.readings.TryRemove(new(key, reading));
        }

        var begun = this.readings.GetOrAdd((system, collection), _ => new Reading(now));
        begun.Begin(r => this.Read(system, collection, r));
        return begun;
    }

    private async Task Read(string system, string collection, Reading reading)
    {
        string? fault = null;
        var records = ImmutableArray<ObservedRecord>.Empty;
        try
        {
            using var limit = new CancellationTokenSource(Longest, clock);
            var connector = await systems.Connect(system, limit.Token);
            await foreach (var page in connector.ReadChanged(collection, null, null, limit.Token))
            {
                records = records.AddRange(page.Take(Most - records.Length));
                reading.Now = new SampledRecords(records, true, null);
                if (records.Length >= Most)
                {
                    break;
                }
            }
        }
        catch (SystemFault e)
        {
            fault = e.Message;
        }
        catch (OperationCanceledException)
        {
            fault = records.IsEmpty ? $"Reading {collection} took more than {Longest.TotalSeconds:0} s." : null;
        }
        finally
        {
            reading.Now = new SampledRecords(records, false, fault);
        }
    }

    private sealed class Reading(DateTimeOffset at)
    {
        private readonly Lock begin = new();
        private volatile SampledRecords now = new([], true, null);

        public DateTimeOffset At { get; } = at;

        public Task Done { get; private set; } = Task.CompletedTask;

        public SampledRecords Now
        {
            get => this.now;
            set => this.now = value;
        }

        public void Begin(Func<Reading, Task> read)
        {
            lock (this.begin)
            {
                if (ReferenceEquals(this.Done, Task.CompletedTask))
                {
                    this.Done = Task.Run(() => read(this));
                }
            }
        }
    }
}
