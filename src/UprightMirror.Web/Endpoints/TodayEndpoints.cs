using UprightMirror.Engine;
using UprightMirror.Storage;
using UprightMirror.Web.Running;

namespace UprightMirror.Web.Endpoints;

/// <param name="Kind">conflict, held, fault or failed.</param>
/// <param name="Subject">What it is about, to be read first.</param>
public sealed record NeedShown(string Kind, string Subject, string Text, DateTimeOffset Since, string Address, string Action);

/// <param name="Hours">For each side, what was written there in each of the last 24 hours, the oldest first.</param>
public sealed record MirrorToday(string Key, string Name, string State, IReadOnlyList<SideShown> Sides, RunShown? LastRun, DateTimeOffset? NextRun, int Today, int Yesterday, int SevenDays, IReadOnlyList<IReadOnlyList<int>> Hours);

/// <param name="Queue">conflicts and holds that wait, for the counts at the top of every page.</param>
public sealed record Today(QueuesShown Queue, IReadOnlyList<NeedShown> Needs, IReadOnlyList<MirrorToday> Mirrors, IReadOnlyList<SystemShown> Systems, Settled Settled);

public sealed record QueuesShown(int Conflicts, int LookAlikes, int Held);

internal static class TodayEndpoints
{
    public static void MapToday(this RouteGroupBuilder api)
    {
        api.MapGet("/today", Read).WithName("getToday");
        api.MapGet("/queues", async (Views views, LookAlikes lookAlikes, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation) =>
        {
            var (conflicts, holds) = await views.Queues(cancellation);
            return new QueuesShown(conflicts, (await LookAlikeEndpoints.Waiting(lookAlikes, mirrors, connections, cancellation)).Count, holds);
        }).WithName("getQueues");
    }

    private static async Task<Today> Read(Views views, LookAlikes lookAlikes, Mirrors mirrors, KeptConnections connections, Catalogues catalogues, RunBook book, MirrorSchedule schedule, TimeProvider clock, int? zoneMinutes, CancellationToken cancellation)
    {
        var now = clock.GetUtcNow();
        var shown = await Shown.With(connections, cancellation);
        var kept = await mirrors.All(cancellation);
        var moved = await views.MovedLately(now, cancellation);
        var systems = await SystemsEndpoints.All(connections, catalogues, mirrors, cancellation);
        var conflicts = await views.Conflicts(500, cancellation);
        var holds = await views.Holds(500, cancellation);

        // The viewer's own midnight: what is today there.
        var local = now.ToOffset(TimeSpan.FromMinutes(Math.Clamp(zoneMinutes ?? 0, -14 * 60, 14 * 60)));
        var hoursToday = local.Hour + (local.Minute > 0 ? 1 : 0);
        var rows = new List<MirrorToday>();
        var needs = new List<NeedShown>();
        foreach (var mirror in kept)
        {
            var last = (await book.List(mirror.Id, null, 1, cancellation)).FirstOrDefault();
            var own = moved.Where(m => m.MirrorId == mirror.Id).ToList();
            rows.Add(new MirrorToday(
                mirror.Definition.Key, mirror.Definition.Name, mirror.State, shown.Sides(mirror.Definition),
                last is null ? null : RunsEndpoints.Of(last, mirror), await schedule.Next(mirror.Definition.Key, cancellation),
                own.Where(m => m.HoursAgo < hoursToday).Sum(m => m.Fields),
                own.Where(m => m.HoursAgo >= hoursToday && m.HoursAgo < hoursToday + 24).Sum(m => m.Fields),
                own.Sum(m => m.Fields),
                [.. mirror.Definition.Sides.Select((_, side) => (IReadOnlyList<int>)[.. Enumerable.Range(0, 24).Select(h => own.Where(m => m.Side == side && m.HoursAgo == 23 - h).Sum(m => m.Fields))])]));
            if (last is { State: "paused", GuardAnswer: null })
            {
                needs.Add(new NeedShown("guard", $"{mirror.Definition.Name}, run {last.Id}", $"waits for you before it writes. {last.Reason}", last.EndedAt ?? last.StartedAt, $"/runs/{last.Id}", "Look"));
            }

            if (last is { State: "failed" })
            {
                needs.Add(new NeedShown("failed", $"{mirror.Definition.Name}, run {last.Id}", $"failed: {last.Reason}", last.EndedAt ?? last.StartedAt, $"/runs/{last.Id}", "Look"));
            }
        }

        needs.AddRange(conflicts.Where(c => c.Alike == 0 || c.Fields.Count > 3).Take(8).Select(c => new NeedShown("conflict", c.Title, $": {Lower(c)} {c.Why}", c.OpenedAt, $"/conflicts/{c.Id}", "Decide")));
        needs.AddRange(conflicts.Where(c => c.Alike > 0 && c.Fields.Count <= 3).GroupBy(c => (c.MirrorId, Fields: string.Join(", ", c.Fields))).Select(g =>
            new NeedShown("conflict", $"{g.Count()} conflicts", $" about the {g.Key.Fields}, the oldest at {g.First().Title}", g.Min(c => c.OpenedAt), $"/conflicts/{g.First().Id}", "Decide")));
        needs.AddRange(holds.GroupBy(h => (h.MirrorId, h.Side, h.Field, Refused: h.Answer is not null)).Select(g =>
            g.Count() == 1
                ? new NeedShown("held", g.First().Title, $" is held: {g.First().Reason}", g.First().Since, "/held", "Open")
                : new NeedShown("held", $"{g.Count()} records", $" are held{(g.Key.Field is { } field ? $" by their {field}" : "")}, the oldest {g.First().Title}", g.Min(h => h.Since), "/held", "Open")));
        needs.AddRange((await views.SetAside(cancellation)).Select(u => new NeedShown("held", $"{u.Records} {(u.Records == 1 ? "record" : "records")}", $" of {kept.First(m => m.Id == u.MirrorId).Definition.Name} {(u.Records == 1 ? "is" : "are")} left alone since run {u.Run} was undone", u.Since, "/held", "Open")));
        var (alike, oldest) = await LookAlikeEndpoints.Waiting(lookAlikes, mirrors, connections, cancellation);
        if (oldest is not null)
        {
            needs.Add(alike == 1
                ? new NeedShown("lookAlike", oldest.Title, $" may stand in {(oldest.System is { } within ? $"{within} twice" : "two systems")}: {Likening.Percent(oldest.Probability)} likely", oldest.FoundAt, $"/look-alikes/{oldest.Id}", "Look")
                : new NeedShown("lookAlike", $"{alike} look-alikes", $" may each be one thing, the oldest {oldest.Title}", oldest.FoundAt, $"/look-alikes/{oldest.Id}", "Look"));
        }

        return new Today(new QueuesShown(conflicts.Count, alike, holds.Count), [.. needs.OrderBy(n => n.Since)], rows, systems, await views.SettledLately(now, cancellation));
    }

    private static string Lower(ConflictView conflict) => conflict.Fields.Count > 3 ? "the whole record," : $"the {string.Join(", ", conflict.Fields)},";
}
