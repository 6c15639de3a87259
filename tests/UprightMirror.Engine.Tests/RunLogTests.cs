using Microsoft.Extensions.Time.Testing;
using UprightMirror.Connectors;
using UprightMirror.Engine.Tests.Simulation;
using UprightMirror.Storage;

namespace UprightMirror.Engine.Tests;

/// <summary>What a run tells as it goes, and where its time goes.</summary>
public sealed class RunLogTests
{
    private readonly FakeTimeProvider clock = new(new DateTimeOffset(2026, 3, 2, 12, 0, 0, TimeSpan.Zero));

    [Fact]
    public void Time_goes_to_the_stage_that_goes_on_and_rounds_of_one_add_up()
    {
        var log = new RunLog(this.clock);
        foreach (var (stage, seconds) in new[] { (RunStage.Collecting, 3), (RunStage.Reconciling, 1), (RunStage.Delivering, 10), (RunStage.Reconciling, 2) })
        {
            log.Enter(stage);
            this.clock.Advance(TimeSpan.FromSeconds(seconds));
        }

        log.Spent.Stages.ShouldBe([new StageSpent(RunStage.Collecting, 3000), new StageSpent(RunStage.Reconciling, 3000), new StageSpent(RunStage.Delivering, 10000)], "the one that goes on counts up to now");
        log.End();
        this.clock.Advance(TimeSpan.FromHours(1));
        log.Spent.Stages.Sum(s => s.Milliseconds).ShouldBe(16000);
    }

    [Fact]
    public void Of_too_many_lines_the_errors_are_kept_and_the_rest_is_counted()
    {
        var log = new RunLog(this.clock);
        for (var i = 0; i < RunLog.MostLines + 7; i++)
        {
            log.Say(LineLevel.Warning, $"record {i}");
        }

        log.Say(LineLevel.Error, "the system is down");
        log.Take().Count.ShouldBe(RunLog.MostLines + 1);
        log.End();
        log.Take().Select(l => (l.N, l.Text)).ShouldBe([(RunLog.MostLines + 2, "7 more lines were not kept.")]);
        log.Take().ShouldBeEmpty();
    }

    [Fact]
    public async Task Each_call_of_a_run_is_measured_with_what_went_wrong()
    {
        var log = new RunLog(this.clock);
        var system = new TimedSystem(new Slow(this.clock), 1, log, this.clock);
        await system.ReadOne("things", "1", CancellationToken.None);
        await Should.ThrowAsync<SystemFault>(system.ReadOne("things", "down", CancellationToken.None));
        await foreach (var _ in system.ReadChanged("things", null, null, CancellationToken.None))
        {
            this.clock.Advance(TimeSpan.FromMinutes(5)); // What is done with a page is not the system's time.
        }

        await system.Write("things", new WriteRequest("1", Core.Mapping.RawFields.None, null, null), CancellationToken.None);
        log.Spent.Calls.ShouldBe([new CallsSpent(1, "writing", 1, 1, 4000, 4000), new CallsSpent(1, "reading", 3, 0, 3000, 1000), new CallsSpent(1, "reading one record", 2, 1, 3000, 2000)]);
    }

    /// <summary>Two pages, a second each; one record, a second; one that is not there, a fault after two; a write that is refused, four.</summary>
    private sealed class Slow(FakeTimeProvider clock) : Around(new MemorySystem("Slow", new Random(1), false))
    {
        public override async IAsyncEnumerable<IReadOnlyList<Core.Remembered.ObservedRecord>> ReadChanged(string collection, DateTimeOffset? since, IReadOnlyCollection<string>? fields, [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancellation)
        {
            await Task.Yield();
            for (var page = 0; page < 2; page++)
            {
                clock.Advance(TimeSpan.FromSeconds(1));
                yield return [];
            }

            clock.Advance(TimeSpan.FromSeconds(1));
        }

        public override Task<Core.Remembered.ObservedRecord?> ReadOne(string collection, string id, CancellationToken cancellation)
        {
            clock.Advance(TimeSpan.FromSeconds(id == "down" ? 2 : 1));
            return id == "down" ? throw new SystemFault("Slow is down.") : Task.FromResult<Core.Remembered.ObservedRecord?>(null);
        }

        public override Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation)
        {
            clock.Advance(TimeSpan.FromSeconds(4));
            return Task.FromResult<WriteAnswer>(new WriteAnswer.Refused("no"));
        }
    }
}
