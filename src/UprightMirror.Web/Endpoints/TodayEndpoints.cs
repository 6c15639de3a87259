using System.Security.Claims;
using UprightMirror.Engine;
using UprightMirror.Storage;
using UprightMirror.Web.Running;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <param name="Kind">conflict, held, guard, system, failed, flagged or lookAlike.</param>
/// <param name="Subject">What it is about, to be read first.</param>
public sealed record NeedShown(string Kind, string Subject, string Text, DateTimeOffset Since, string Address, string Action);

/// <param name="Hours">For each side, what was written there in each of the last 24 hours, the oldest first.</param>
public sealed record MirrorToday(string Key, string Name, string State, IReadOnlyList<SideShown> Sides, RunShown? LastRun, DateTimeOffset? NextRun, int Today, int Yesterday, int SevenDays, IReadOnlyList<IReadOnlyList<int>> Hours);

/// <param name="Queue">conflicts and holds that wait, for the counts at the top of every page.</param>
public sealed record Today(QueuesShown Queue, IReadOnlyList<NeedShown> Needs, IReadOnlyList<MirrorToday> Mirrors, IReadOnlyList<SystemShown> Systems, Settled Settled);

public sealed record QueuesShown(int Conflicts, int LookAlikes, int Held);

internal static class TodayEndpoints
{
    /// <summary>Conflicts that no other is like stand each in a line of their own, up to so many.</summary>
    private const int MostAlone = 8;

    /// <summary>So many days before credentials end, that needs a person.</summary>
    private const int DaysBefore = 14;

    public static void MapToday(this RouteGroupBuilder api)
    {
        api.MapGet("/today", Read).WithName("getToday");
        api.MapGet("/queues", async (Views views, WaitingLookAlikes waiting, LookAlikes lookAlikes, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation) =>
        {
            var (conflicts, holds) = await views.Queues(cancellation);
            return new QueuesShown(conflicts, (await LookAlikeEndpoints.Waiting(waiting, lookAlikes, mirrors, connections, cancellation)).Count, holds);
        }).WithName("getQueues");
    }

    private static async Task<Today> Read(Views views, Counts counts, FollowUpChecks checks, WaitingLookAlikes waiting, LookAlikes lookAlikes, Mirrors mirrors, KeptConnections connections, Catalogues catalogues, RunBook book, MirrorSchedule schedule, Masked masked, ClaimsPrincipal user, TimeProvider clock, int? zoneMinutes, CancellationToken cancellation)
    {
        var mask = await masked.For(user, cancellation);
        var now = clock.GetUtcNow();
        // Each is one query; they are asked side by side.
        var movedAsked = counts.MovedLately(now, cancellation);
        var settledAsked = counts.SettledLately(now, cancellation);
        var queuesAsked = views.Queues(cancellation);
        var kindsAsked = views.ConflictKinds(cancellation);
        var holdsAsked = views.HoldKinds(cancellation);
        var setAsideAsked = views.SetAside(cancellation);
        var flaggedAsked = checks.Counts(cancellation);
        var alikeAsked = LookAlikeEndpoints.Waiting(waiting, lookAlikes, mirrors, connections, cancellation);
        var systemsAsked = SystemsEndpoints.All(connections, catalogues, mirrors, cancellation);
        var shown = await Shown.With(connections, cancellation);
        var kept = await mirrors.All(cancellation);
        await Task.WhenAll(movedAsked, settledAsked, flaggedAsked, queuesAsked, kindsAsked, holdsAsked, setAsideAsked, alikeAsked, systemsAsked);
        var moved = await movedAsked;
        var systems = await systemsAsked;
        var (conflicts, holds) = await queuesAsked;

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

        needs.AddRange(systems.Where(s => s.DownSince is not null).Select(s => new NeedShown("system", s.Name, $" does not answer: {s.LastFault}", s.DownSince!.Value, $"/systems/{s.System}", "Look")));
        needs.AddRange(systems.Where(s => s.SecretsEndOn is { } day && day <= DateOnly.FromDateTime(local.DateTime).AddDays(DaysBefore)).Select(s => new NeedShown(
            "system", s.Name, $": its credentials {(s.SecretsEndOn < DateOnly.FromDateTime(local.DateTime) ? "ended" : "end")} on {s.SecretsEndOn:yyyy-MM-dd}", new DateTimeOffset(s.SecretsEndOn!.Value.AddDays(-DaysBefore), TimeOnly.MinValue, TimeSpan.Zero), $"/systems/{s.System}", "Renew")));
        var kinds = await kindsAsked;
        string Title(string title, int mirror) => mask?.Title(title, kept.First(m => m.Id == mirror).Definition.Key) ?? title;
        static bool Alone(ConflictKindView kind) => kind.Count == 1 || kind.Fields.Count > 3;
        needs.AddRange(kinds.Where(Alone).Take(MostAlone).Select(c => new NeedShown("conflict", c.Count == 1 ? Title(c.Title, c.MirrorId) : $"{c.Count:N0} conflicts", c.Count == 1 ? $": {Lower(c)} {c.Why}" : $" about the whole record, the oldest at {Title(c.Title, c.MirrorId)}", c.OpenedAt, $"/conflicts/{c.Id}", "Decide")));
        needs.AddRange(kinds.Where(k => !Alone(k)).GroupBy(c => (c.MirrorId, Fields: string.Join(", ", c.Fields))).Select(g =>
            new NeedShown("conflict", $"{g.Sum(c => c.Count):N0} conflicts", $" about the {g.Key.Fields}, the oldest at {Title(g.First().Title, g.Key.MirrorId)}", g.Min(c => c.OpenedAt), $"/conflicts/{g.First().Id}", "Decide")));
        if (kinds.Where(Alone).Skip(MostAlone).ToList() is { Count: > 0 } others)
        {
            needs.Add(new NeedShown("conflict", $"{others.Sum(c => c.Count):N0} more conflicts", $", the oldest at {Title(others[0].Title, others[0].MirrorId)}", others[0].OpenedAt, $"/conflicts/{others[0].Id}", "Decide"));
        }

        needs.AddRange((await holdsAsked).Select(g =>
            g.Count == 1
                ? new NeedShown("held", mask?.Title(g.Title, null) ?? g.Title, $" is held: {g.Reason}", g.Since, "/held", "Open")
                : new NeedShown("held", $"{g.Count:N0} records", $" are held{(g.Field is { } field ? $" by their {field}" : "")}, the oldest {mask?.Title(g.Title, null) ?? g.Title}", g.Since, "/held", "Open")));
        needs.AddRange((await setAsideAsked).Select(u => new NeedShown("held", $"{u.Records} {(u.Records == 1 ? "record" : "records")}", $" of {kept.First(m => m.Id == u.MirrorId).Definition.Name} {(u.Records == 1 ? "is" : "are")} left alone since run {u.Run} was undone", u.Since, "/held", "Open")));
        foreach (var flagged in await flaggedAsked)
        {
            var mirror = kept.First(m => m.Id == flagged.MirrorId).Definition;
            needs.Add(new NeedShown("flagged", $"{flagged.Count:N0} {(flagged.Count == 1 ? "record" : "records")}", $" of {mirror.Name} {(flagged.Count == 1 ? "is" : "are")} flagged: {flagged.CheckName}", flagged.Oldest, $"/mirrors/{mirror.Key}/checks?check={flagged.Check}", "Look"));
        }

        var (alike, oldest) = await alikeAsked;
        if (oldest is not null)
        {
            needs.Add(alike == 1
                ? new NeedShown("lookAlike", mask?.Title(oldest.Title, oldest.Mirror) ?? oldest.Title, $" may stand in {(oldest.System is { } within ? $"{within} twice" : "two systems")}: {Likening.Percent(oldest.Probability)} likely", oldest.FoundAt, $"/look-alikes/{oldest.Id}", "Look")
                : new NeedShown("lookAlike", $"{alike} look-alikes", $" may each be one thing, the oldest {mask?.Title(oldest.Title, oldest.Mirror) ?? oldest.Title}", oldest.FoundAt, $"/look-alikes/{oldest.Id}", "Look"));
        }

        return new Today(new QueuesShown(conflicts, alike, holds), [.. needs.OrderBy(n => n.Since)], rows, systems, await settledAsked);
    }

    private static string Lower(ConflictKindView conflict) => conflict.Fields.Count > 3 ? "the whole record," : $"the {string.Join(", ", conflict.Fields)},";
}
