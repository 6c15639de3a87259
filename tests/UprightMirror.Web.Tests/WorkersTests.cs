using System.Diagnostics;
using UprightMirror.Core.Timing;

namespace UprightMirror.Web.Tests;

/// <summary>Workers are killed while they work: nothing is lost, nothing is there twice, and what one had begun goes on elsewhere.</summary>
[Collection("product")] // Processes of their own need the machine to themselves.
public sealed class WorkersTests : IAsyncLifetime
{
    private static readonly TimeSpan Long = TimeSpan.FromSeconds(120);

    private readonly Processes processes = new(
        Environment.GetEnvironmentVariable("UPRIGHT_TEST_SERVER") ?? throw new InvalidOperationException("UPRIGHT_TEST_SERVER is not set: run ./test, which starts a PostgreSQL of its own."),
        Path.Combine(AppContext.BaseDirectory, "UprightMirror.Web.dll"));

    public async ValueTask InitializeAsync() => await this.processes.Begin();

    public async ValueTask DisposeAsync() => await this.processes.DisposeAsync();

    [Fact]
    public async Task Events_repeated_and_shuffled_while_the_worker_is_killed_twice_end_as_if_each_had_come_once_and_in_order()
    {
        var (shuffled, once) = (await this.processes.BringIn("shuffled", MirrorTiming.ByHandOnly), await this.processes.BringIn("once", MirrorTiming.ByHandOnly));
        await this.processes.Slow("shuffled", 10);
        var sayings = Sayings.Of(members: 150, each: 8);
        var random = new Random(20260302);
        var sent = sayings.SelectMany(s => Enumerable.Repeat(s, random.Next(1, 4))).OrderBy(_ => random.Next()).ToList();
        await this.processes.Start("web");
        var worker = await this.processes.Start("worker");
        var sending = Sayings.Send(new Uri(this.processes.Web, shuffled), sent, perSecond: 300);
        for (var kills = 0; kills < 2; kills++)
        {
            // Killed while it writes, not while it waits; the next one is looked at from its first moment, as it may have written all that waits by the time it answers.
            await this.Until($"a run writes, kill {kills + 1}", async () => await this.processes.Running() is not null);
            await Processes.Kill(worker);
            (worker, _) = this.processes.Launch("worker");
        }

        (await sending).Refused.ShouldBe(0);
        await this.processes.Settled(Long);
        (await this.processes.Ask<long>("select count(*) from run where cut_off")).ShouldBe(2);
        (await Sayings.Send(new Uri(this.processes.Web, once), sayings, perSecond: 400)).Refused.ShouldBe(0);
        await this.processes.Settled(Long);

        (await this.processes.Ask<long>("select count(*) from club.shuffled")).ShouldBe(150);
        (await this.processes.Table("shuffled")).ShouldBe(await this.processes.Table("once"));
        (await this.processes.Ask<long>("select count(*) from club.shuffled where town = 'Town 7'")).ShouldBe(150);
        (await this.processes.Ask<long>("select count(*) from hold")).ShouldBe(0);
    }

    [Fact]
    public async Task Three_workers_share_ten_mirrors_one_is_killed_and_its_runs_go_on_elsewhere()
    {
        var mirrors = Enumerable.Range(0, 10).Select(n => $"m{n}").ToList();
        var addresses = new List<string>();
        foreach (var mirror in mirrors)
        {
            // Half of them by event, half by the calendar: both must be taken up.
            addresses.Add(await this.processes.BringIn(mirror, mirrors.IndexOf(mirror) % 2 == 0 ? MirrorTiming.ByHandOnly : new MirrorTiming(TimingKind.Calendar, Calendar: "* * * * *", OnEvents: false)));
        }

        await this.processes.Start("web");
        await Task.WhenAll(Enumerable.Range(0, 3).Select(_ => this.processes.Start("worker")));

        foreach (var address in addresses)
        {
            (await Sayings.Send(new Uri(this.processes.Web, address), Sayings.Of(members: 400, each: 1), perSecond: 1000)).Refused.ShouldBe(0);
        }

        Process? working = null;
        await this.Until("a run writes", async () => (working = await this.processes.Running()) is not null);
        await Processes.Kill(working!);
        foreach (var mirror in mirrors)
        {
            await this.Until($"{mirror} is there whole", async () => await this.processes.Ask<long>($"select count(*) from club.{mirror}") >= 400);
        }

        await this.processes.Settled(Long);
        (await this.processes.Ask<long>("select count(*) from run where cut_off")).ShouldBeGreaterThan(0);
        (await this.processes.Ask<long>("select count(*) from run where started_by like 'run %, which was cut off' or started_by = 'its schedule'")).ShouldBeGreaterThan(0);
        foreach (var mirror in mirrors)
        {
            (await this.processes.Ask<long>($"select count(*) from club.{mirror}")).ShouldBe(400, mirror);
            (await this.processes.Ask<long>($"select count(distinct email) from club.{mirror}")).ShouldBe(400, mirror);
        }
    }

    private async Task Until(string what, Func<Task<bool>> holds)
    {
        for (var waited = Stopwatch.StartNew(); !await holds(); await Task.Delay(20))
        {
            waited.Elapsed.ShouldBeLessThan(Long, what);
        }
    }
}
