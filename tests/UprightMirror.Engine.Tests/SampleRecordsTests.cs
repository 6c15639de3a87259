using UprightMirror.Connectors;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Engine.Tests.Simulation;

namespace UprightMirror.Engine.Tests;

/// <summary>Sample records are read once for many who look, politely, and a fault is not kept for long.</summary>
public class SampleRecordsTests
{
    private sealed class Clock : TimeProvider
    {
        public DateTimeOffset Now { get; set; } = new(2026, 3, 2, 9, 0, 0, TimeSpan.Zero);

        public override DateTimeOffset GetUtcNow() => this.Now;
    }

    private readonly MemorySystem crm = new("Slipway CRM", new Random(1), false);
    private readonly Clock clock = new();
    private readonly KnownSystems systems;
    private readonly SampleRecords samples;

    public SampleRecordsTests()
    {
        this.systems = new KnownSystems(new Dictionary<string, ISystemConnector> { ["crm"] = this.crm });
        this.samples = new SampleRecords(this.systems, this.clock);
    }

    private void Add(int count)
    {
        for (var i = 0; i < count; i++)
        {
            this.crm.Add(RawFields.Of([KeyValuePair.Create("Name", Value.Text($"Club {i}"))]));
        }
    }

    [Fact]
    public async Task Many_who_look_at_the_same_moment_read_once_and_again_only_when_it_is_old()
    {
        this.Add(12);
        var all = await Task.WhenAll(Enumerable.Range(0, 20).Select(_ => this.samples.Of("crm", "things", CancellationToken.None)));
        all.ShouldAllBe(s => s.Records.Length == 12 && !s.IsReading && s.Fault == null);
        this.systems.Asked.ShouldBe(1);
        this.clock.Now += TimeSpan.FromMinutes(9);
        await this.samples.Of("crm", "things", CancellationToken.None);
        this.systems.Asked.ShouldBe(1);
        this.clock.Now += TimeSpan.FromMinutes(2);
        await this.samples.Of("crm", "things", CancellationToken.None);
        this.systems.Asked.ShouldBe(2);
    }

    [Fact]
    public async Task No_more_than_the_most_are_read()
    {
        this.Add(SampleRecords.Most + 40);
        (await this.samples.Of("crm", "things", CancellationToken.None)).Records.Length.ShouldBe(SampleRecords.Most);
    }

    [Fact]
    public async Task A_fault_is_told_and_tried_again_soon_but_not_at_every_look()
    {
        this.crm.Down = "Slipway CRM can't be reached.";
        (await this.samples.Of("crm", "things", CancellationToken.None)).Fault.ShouldBe("Slipway CRM can't be reached.");
        await this.samples.Of("crm", "things", CancellationToken.None);
        this.systems.Asked.ShouldBe(1);
        this.crm.Down = null;
        this.Add(3);
        this.clock.Now += TimeSpan.FromSeconds(21);
        var now = await this.samples.Of("crm", "things", CancellationToken.None);
        (now.Fault, now.Records.Length).ShouldBe((null, 3));
    }

    [Fact]
    public async Task Who_only_wants_what_is_at_hand_reads_nothing()
    {
        this.Add(3);
        this.samples.AtHand("crm", "things").ShouldBeNull();
        this.systems.Asked.ShouldBe(0);
        await this.samples.Of("crm", "things", CancellationToken.None);
        this.samples.AtHand("crm", "things")!.Records.Length.ShouldBe(3);
    }
}
