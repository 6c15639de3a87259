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

/// <summary>Puts a mirror's timing into force.</summary>
public sealed class MirrorSchedule(ISchedulerFactory schedulers, TimeProvider clock)
{
    public async Task Apply(KeptMirror mirror, CancellationToken cancellation)
    {
        var scheduler = await schedulers.GetScheduler(cancellation);
        var trigger = new TriggerKey(mirror.Definition.Key, "mirrors");
        if (mirror.State != "live" || mirror.EveryMinutes is not { } minutes)
        {
            await scheduler.UnscheduleJob(trigger, cancellation);
            return;
        }

        var known = await scheduler.GetTrigger(trigger, cancellation);
        if (known is ISimpleTrigger simple && simple.RepeatInterval == TimeSpan.FromMinutes(minutes))
        {
            return;
        }

        var job = JobBuilder.Create<ScheduledRun>().WithIdentity(mirror.Definition.Key, "mirrors").Build();
        var every = TriggerBuilder.Create().WithIdentity(trigger).ForJob(job)
            .StartAt(clock.GetUtcNow().AddMinutes(minutes))
            .WithSimpleSchedule(s => s.WithInterval(TimeSpan.FromMinutes(minutes)).RepeatForever())
            .Build();
        await scheduler.ScheduleJob(job, [every], new ScheduleJobOptions { Replace = true }, cancellation);
    }

    /// <summary>When the mirror runs next by itself; null when it does not.</summary>
    public async Task<DateTimeOffset?> Next(string key, CancellationToken cancellation) =>
        (await (await schedulers.GetScheduler(cancellation)).GetTrigger(new TriggerKey(key, "mirrors"), cancellation))?.NextFireTimeUtc;
}

/// <summary>A run that its time has come for. One that is going on already is left alone: the next time comes soon.</summary>
[DisallowConcurrentExecution]
public sealed class ScheduledRun(IMirrors mirrors, MirrorRunner runner) : IJob
{
    public async ValueTask Execute(IJobExecutionContext context, CancellationToken cancellation)
    {
        if (await mirrors.Find(context.JobDetail.Key.Name, cancellation) is { State: "live" } mirror)
        {
            await runner.Run(mirror, rehearse: false, "its schedule", null, cancellation);
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
