using System.Text.Json;
using Quartz;
using UprightMirror.Engine;
using UprightMirror.Storage;

namespace UprightMirror.Web.Running;

/// <summary>Mirrors that run by themselves, on Quartz and its PostgreSQL store: several workers share the schedules.</summary>
public static class Schedules
{
    public static void AddMirrorSchedules(this IServiceCollection services, string database, bool runsThem)
    {
        services.AddQuartz(quartz =>
        {
            quartz.UsePersistentStore(store =>
            {
                store.UsePostgres(database);
                store.UseSystemTextJsonSerializer();
                store.ProvisionSchema();
                store.UseClustering();
            });
        });
        services.AddSingleton<MirrorSchedule>();
        if (runsThem)
        {
            services.AddQuartzHostedService(host => host.WaitForJobsToComplete = true);
            services.AddHostedService<SchedulesAtStart>();
        }
    }
}

/// <summary>
/// Puts a mirror's timing into force. There is one trigger for its next time, and when that has come, one for the time after: what came due while
/// nobody was there to run it is made up once.
/// </summary>
public sealed class MirrorSchedule(ISchedulerFactory schedulers, TimeProvider clock)
{
    /// <summary>The triggers of times that a mirror has of its own; those of the other group make up for a time at which it could not run.</summary>
    private const string OwnTimes = "mirrors";
    private const string MadeUp = "made up";

    /// <summary>What a trigger was made from: another timing makes another one.</summary>
    private const string Made = "timing";

    /// <summary>Puts a mirror's timing into force; one that is in force already is left alone.</summary>
    public async Task Apply(KeptMirror mirror, CancellationToken cancellation)
    {
        var scheduler = await schedulers.GetScheduler(cancellation);
        if (mirror.State != "live")
        {
            await scheduler.UnscheduleJob(Trigger(mirror, MadeUp), cancellation);
        }

        if (mirror.State != "live" || !mirror.Definition.Timing.HasTimes)
        {
            await scheduler.UnscheduleJob(Trigger(mirror, OwnTimes), cancellation);
            return;
        }

        if (await scheduler.GetTrigger(Trigger(mirror, OwnTimes), cancellation) is { } known && known.JobDataMap.TryGetValue(Made, out var made) && made as string == Text(mirror))
        {
            return;
        }

        await this.Await(mirror, cancellation);
    }

    /// <summary>Waits for the mirror's next time, from now.</summary>
    internal async Task Await(KeptMirror mirror, CancellationToken cancellation)
    {
        var now = clock.GetUtcNow();
        if (mirror.Definition.Timing.Next(now) is { } next)
        {
            await this.Schedule(mirror, OwnTimes, next, cancellation);
        }
    }

    /// <summary>Runs a mirror at a later time, once, because it could not run when it should.</summary>
    public Task MakeUp(KeptMirror mirror, DateTimeOffset at, CancellationToken cancellation) => this.Schedule(mirror, MadeUp, at, cancellation);

    /// <summary>When the mirror runs next by itself; null when that is not known, or it does not.</summary>
    public async Task<DateTimeOffset?> Next(string key, CancellationToken cancellation)
    {
        cancellation.ThrowIfCancellationRequested();
        var scheduler = await schedulers.GetScheduler(cancellation);
        var times = new List<DateTimeOffset>();
        foreach (var group in new[] { OwnTimes, MadeUp })
        {
            // The job store tells of a fault when it is cut off in the middle, and whoever asked is gone by then: it is let finish.
            if (await scheduler.GetTrigger(new TriggerKey(key, group), CancellationToken.None) is { NextFireTimeUtc: { } next })
            {
                times.Add(next);
            }
        }

        return times.Count == 0 ? null : times.Min();
    }

    internal static bool IsOwnTime(TriggerKey trigger) => trigger.Group == OwnTimes;

    private async Task Schedule(KeptMirror mirror, string group, DateTimeOffset at, CancellationToken cancellation)
    {
        var scheduler = await schedulers.GetScheduler(cancellation);
        var job = new JobKey(mirror.Definition.Key, OwnTimes);

        // A worker that dies in the middle of a run leaves it to another one.
        var run = JobBuilder.Create<ScheduledRun>().WithIdentity(job).StoreDurably().RequestRecovery().Build();
        var trigger = TriggerBuilder.Create().WithIdentity(Trigger(mirror, group)).ForJob(job).UsingJobData(Made, Text(mirror))
            .StartAt(at).WithSimpleSchedule(s => s.WithMisfireInstruction(SimpleTriggerMisfireInstruction.FireNow)).Build();
        await scheduler.ScheduleJob(run, [trigger], new ScheduleJobOptions { Replace = true }, cancellation);
    }

    private static TriggerKey Trigger(KeptMirror mirror, string group) => new(mirror.Definition.Key, group);

    private static string Text(KeptMirror mirror) => JsonSerializer.Serialize(mirror.Definition.Timing, Mirrors.Json);
}

/// <summary>A run that its time has come for.</summary>
[DisallowConcurrentExecution]
public sealed class ScheduledRun(IMirrors mirrors, MirrorRunner runner, MirrorSchedule schedule, TimeProvider clock) : IJob
{
    /// <summary>One that is going on already is waited for: it may have read past what this one is for.</summary>
    private static readonly TimeSpan Again = TimeSpan.FromSeconds(30);

    public async ValueTask Execute(IJobExecutionContext context, CancellationToken cancellation)
    {
        if (await mirrors.Find(context.JobDetail.Key.Name, cancellation) is not { State: "live" } mirror)
        {
            return;
        }

        if (MirrorSchedule.IsOwnTime(context.Trigger.Key) || context.Recovering)
        {
            await schedule.Await(mirror, cancellation);
        }

        if (mirror.Definition.Timing.QuietUntil(clock.GetUtcNow()) is { } end)
        {
            // Its time came while nobody was there to run it, and now it is quiet.
            await schedule.MakeUp(mirror, end, cancellation);
            return;
        }

        if (await runner.Run(mirror, rehearse: false, "its schedule", null, cancellation, byItself: true) is null)
        {
            await schedule.MakeUp(mirror, clock.GetUtcNow() + Again, cancellation);
        }
    }
}

/// <summary>At the start, every mirror's timing is put into force.</summary>
internal sealed class SchedulesAtStart(IMirrors mirrors, MirrorSchedule schedule) : BackgroundService
{
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        foreach (var mirror in await mirrors.All(stoppingToken))
        {
            await schedule.Apply(mirror, stoppingToken);
        }
    }
}
