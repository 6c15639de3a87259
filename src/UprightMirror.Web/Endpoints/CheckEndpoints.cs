using System.Security.Claims;
using Microsoft.AspNetCore.Http.HttpResults;
using Npgsql;
using UprightMirror.Core.Checks;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Timing;
using UprightMirror.Core.Values;
using UprightMirror.Engine.Checks;
using UprightMirror.Storage;
using UprightMirror.Web.Running;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <param name="When">afterRuns, hourly, daily, weekly, calendar or byHand.</param>
/// <param name="At">For daily and weekly: the time of day as 06:30; for hourly its minute counts.</param>
/// <param name="Day">For weekly: 0 for Sunday to 6.</param>
/// <param name="Calendar">For calendar: five fields, as in cron.</param>
/// <param name="TimeZone">As in the IANA database.</param>
/// <param name="HangingMirror">The other mirror of which records are listed; null for none.</param>
/// <param name="HangingBy">Its field that points at the flagged record.</param>
/// <param name="HangingOnly">A condition over its records; null for all.</param>
public sealed record CheckForm(string Name, string Condition, string When, string? At, int? Day, string? Calendar, string TimeZone, string? HangingMirror, string? HangingBy, string? HangingOnly);

/// <param name="NextAt">When it is looked at next; null where that hangs on runs or people.</param>
/// <param name="InWords">When it is looked at.</param>
public sealed record CheckShown(long Id, CheckForm Form, string InWords, DateTimeOffset? NextAt, string MadeBy, DateTimeOffset? LookedAt, int Looked, int Untold, string? UntoldWhy, string? Problem, int Flagged, int Fine);

/// <param name="Names">What a condition can name.</param>
/// <param name="Pointing">The mirrors that point here, each with the names of the fields that do.</param>
public sealed record ChecksPage(string Mirror, string MirrorName, string RecordType, IReadOnlyList<SideShown> Sides, IReadOnlyList<string> Names, IReadOnlyList<PointingMirror> Pointing, IReadOnlyList<CheckShown> Checks);

/// <param name="Names">What a condition over its records can name.</param>
public sealed record PointingMirror(string Key, string Name, IReadOnlyList<string> By, IReadOnlyList<string> Names);

/// <param name="System">The side's name; null for what is agreed.</param>
public sealed record FlaggedValueShown(string Field, string? System, string Value);

/// <param name="Link">Null for one that is linked with nothing.</param>
public sealed record HangingShown(Guid? Link, string Title, string? Mirror);

public sealed record FlagShown(long Check, string CheckName, string Mirror, Guid Link, string Title, DateTimeOffset? Since, IReadOnlyList<FlaggedValueShown> Says, int HangingCount, string? HangingName, IReadOnlyList<HangingShown> Hanging, string? FineBy, DateTimeOffset? FineAt);

public sealed record FlagsPage(IReadOnlyList<FlagShown> Rows);

public sealed record CheckTriedShown(int Looked, int Untold, string? UntoldWhy, int Count, IReadOnlyList<FlagShown> Rows);

public sealed record CheckKept(long Id);

/// <param name="IsFine">False to take it back.</param>
public sealed record FineAsked(bool IsFine);

/// <summary>Follow-up checks of a mirror, what they flag, and what people say of it.</summary>
internal static class CheckEndpoints
{
    private const int MostRows = 200;
    private const int MostTried = 20;

    public static void MapChecks(this RouteGroupBuilder api)
    {
        api.MapGet("/mirrors/{key}/checks", Page).WithName("getChecks");
        api.MapPost("/mirrors/{key}/checks", (string key, CheckForm asked, HttpContext http, FollowUpChecks checks, Mirrors mirrors, KeptConnections connections, Checking checking, TimeProvider clock, CancellationToken cancellation) =>
            Keep(key, null, asked, http.User, checks, mirrors, connections, checking, clock, cancellation)).RequireAuthorization(Roles.Administrator).Audited("made a follow-up check of {key}").WithName("makeCheck");
        api.MapPut("/mirrors/{key}/checks/{id:long}", (string key, long id, CheckForm asked, HttpContext http, FollowUpChecks checks, Mirrors mirrors, KeptConnections connections, Checking checking, TimeProvider clock, CancellationToken cancellation) =>
            Keep(key, id, asked, http.User, checks, mirrors, connections, checking, clock, cancellation)).RequireAuthorization(Roles.Administrator).Audited("changed the follow-up check {id} of {key}").WithName("changeCheck");
        api.MapDelete("/mirrors/{key}/checks/{id:long}", Remove).RequireAuthorization(Roles.Administrator).Audited("took the follow-up check {id} of {key} away").WithName("removeCheck");
        api.MapPost("/mirrors/{key}/checks/try", Try).RequireAuthorization(Roles.Administrator).WithName("tryCheck");
        api.MapPost("/mirrors/{key}/checks/{id:long}/look", Look).RequireAuthorization(Roles.Steward).WithName("lookAtCheck");
        api.MapGet("/mirrors/{key}/checks/{id:long}/flags", Flags).WithName("getFlags");
        api.MapPost("/mirrors/{key}/checks/{id:long}/flags/{link:guid}/fine", Fine).RequireAuthorization(Roles.Steward).WithName("sayFine");
        api.MapGet("/records/{link:guid}/flags", OfRecord).WithName("getRecordFlags");
    }

    /// <summary>Every name that a condition over a mirror's records can use.</summary>
    private static List<string> Names(MirrorDefinition mirror, IReadOnlyList<string> systems) =>
    [
        .. mirror.Fields.Where(f => f.Type != FieldType.Lines && !f.IsOnlyCompared).Select(f => f.Name),
        .. from side in Enumerable.Range(0, systems.Count) from field in mirror.Fields where field.Type != FieldType.Lines && field.Cells[side] is not null select $"{systems[side]}.{field.Name}",
    ];

    private static async Task<Results<Ok<ChecksPage>, NotFound>> Page(string key, FollowUpChecks checks, Mirrors mirrors, KeptConnections connections, TimeProvider clock, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var shown = await Shown.With(connections, cancellation);
        var counts = (await checks.Standing(mirror.Id, cancellation)).ToDictionary(c => c.Check);
        return TypedResults.Ok(new ChecksPage(
            mirror.Definition.Key, mirror.Definition.Name, mirror.Definition.RecordType, shown.Sides(mirror.Definition), Names(mirror.Definition, shown.Names(mirror.Definition)),
            [
                .. from other in await mirrors.All(cancellation)
                   let names = shown.Names(other.Definition)
                   let pointing = other.Definition.Fields.Where(f => f.Cells.Any(c => c?.Conversion is ReferenceTo to && to.Mirror == mirror.Definition.Key)).ToList()
                   where pointing.Count > 0
                   select new PointingMirror(
                       other.Definition.Key, other.Definition.Name,
                       [.. pointing.SelectMany(f => (f.IsOnlyCompared ? Array.Empty<string>() : [f.Name]).Concat(Enumerable.Range(0, names.Count).Where(s => f.Cells[s] is not null).Select(s => $"{names[s]}.{f.Name}")))],
                       Names(other.Definition, names)),
            ],
            [.. (await checks.Of(mirror.Id, cancellation)).Select(c => new CheckShown(
                c.Id, FormOf(c.Check), InWords(c.Check, mirror.Definition), NextOf(c, clock.GetUtcNow()), c.MadeBy, c.LookedAt, c.Looked, c.Untold, c.UntoldWhy, c.Problem,
                counts.GetValueOrDefault(c.Id).Flagged, counts.GetValueOrDefault(c.Id).Fine))]));
    }

    private static async Task<Results<Ok<CheckKept>, NotFound, ProblemHttpResult>> Keep(
        string key, long? id, CheckForm asked, ClaimsPrincipal user, FollowUpChecks checks, Mirrors mirrors, KeptConnections connections, Checking checking, TimeProvider clock, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var (check, problem) = await Read(asked, mirror, mirrors, connections, clock, cancellation);
        if (check is null)
        {
            return SystemsEndpoints.Problem(problem!);
        }

        var standing = await checks.Of(mirror.Id, cancellation);
        if (id is null && standing.Count >= FollowUpChecks.Most)
        {
            return SystemsEndpoints.Problem($"{mirror.Definition.Name} has {FollowUpChecks.Most} checks already. Take one away that nobody needs.");
        }

        try
        {
            if (await checks.Keep(mirror.Id, id, check, user.Identity!.Name!, clock.GetUtcNow(), cancellation) is not { } kept)
            {
                return TypedResults.NotFound();
            }

            if (mirror.Version > 0 && (await checks.Of(mirror.Id, cancellation)).FirstOrDefault(c => c.Id == kept) is { } made)
            {
                await checking.Look(made, mirror, cancellation);
            }

            return TypedResults.Ok(new CheckKept(kept));
        }
        catch (PostgresException e) when (e.SqlState == PostgresErrorCodes.UniqueViolation)
        {
            return SystemsEndpoints.Problem($"{mirror.Definition.Name} has a check called {check.Name} already. Give this one another name.");
        }
    }

    private static async Task<Results<NoContent, NotFound>> Remove(string key, long id, FollowUpChecks checks, Mirrors mirrors, CancellationToken cancellation) =>
        await mirrors.Find(key, cancellation) is { } mirror && await checks.Remove(mirror.Id, id, cancellation) ? TypedResults.NoContent() : TypedResults.NotFound();

    /// <summary>What a condition would flag, before it is kept.</summary>
    private static async Task<Results<Ok<CheckTriedShown>, NotFound, ProblemHttpResult>> Try(string key, CheckForm asked, Mirrors mirrors, KeptConnections connections, Checking checking, TimeProvider clock, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        // A name is not needed yet.
        var (check, problem) = await Read(asked with { Name = asked.Name.Trim().Length == 0 ? "?" : asked.Name }, mirror, mirrors, connections, clock, cancellation);
        if (check is null)
        {
            return SystemsEndpoints.Problem(problem!);
        }

        var tried = await checking.Try(check, mirror, MostTried, cancellation);
        var shown = await Shown.With(connections, cancellation);
        var hanging = check.Hanging is { } of ? (await mirrors.Find(of.Mirror, cancellation))?.Definition : null;
        return TypedResults.Ok(new CheckTriedShown(tried.Looked, tried.Untold, tried.UntoldWhy, tried.Count, [.. tried.Found.Select(f => Of(
            new FlagView(0, check.Name, f.Record.Link, f.Title, default, f.Record.Says, f.Record.HangingCount, f.Record.Hanging, null, null), mirror.Definition, shown, hanging) with { Since = null })]));
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Look(string key, long id, FollowUpChecks checks, Mirrors mirrors, Checking checking, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror || (await checks.Of(mirror.Id, cancellation)).FirstOrDefault(c => c.Id == id) is not { } check)
        {
            return TypedResults.NotFound();
        }

        return await checking.Look(check, mirror, cancellation) is null
            ? TypedResults.Problem(statusCode: 409, title: "It is being looked at at this moment. What it finds stands here when that is over.")
            : TypedResults.NoContent();
    }

    private static async Task<Results<Ok<FlagsPage>, NotFound>> Flags(string key, long id, int? offset, FollowUpChecks checks, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror || (await checks.Of(mirror.Id, cancellation)).FirstOrDefault(c => c.Id == id) is not { } check)
        {
            return TypedResults.NotFound();
        }

        var shown = await Shown.With(connections, cancellation);
        var hanging = check.Check.Hanging is { } of ? (await mirrors.Find(of.Mirror, cancellation))?.Definition : null;
        return TypedResults.Ok(new FlagsPage([.. (await checks.Found(id, Math.Max(0, offset ?? 0), MostRows, cancellation)).Select(f => Of(f, mirror.Definition, shown, hanging))]));
    }

    private static async Task<Results<NoContent, NotFound>> Fine(string key, long id, Guid link, FineAsked asked, FollowUpChecks checks, Mirrors mirrors, ClaimsPrincipal user, TimeProvider clock, CancellationToken cancellation) =>
        await mirrors.Find(key, cancellation) is { } mirror && await checks.SayFine(mirror.Id, id, link, asked.IsFine ? user.Identity!.Name : null, user.Identity!.Name!, clock.GetUtcNow(), cancellation) ? TypedResults.NoContent() : TypedResults.NotFound();

    /// <summary>The checks that flag a record.</summary>
    private static async Task<Ok<FlagsPage>> OfRecord(Guid link, FollowUpChecks checks, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation)
    {
        var flags = await checks.On(link, cancellation);
        if (flags.Count == 0)
        {
            return TypedResults.Ok(new FlagsPage([]));
        }

        var (shown, all) = (await Shown.With(connections, cancellation), await mirrors.All(cancellation));
        var kept = (await checks.All(cancellation)).ToDictionary(c => c.Id);
        return TypedResults.Ok(new FlagsPage([.. flags.Where(f => kept.ContainsKey(f.Check)).Select(f => Of(
            f, all.First(m => m.Id == kept[f.Check].MirrorId).Definition, shown, all.FirstOrDefault(m => m.Definition.Key == kept[f.Check].Check.Hanging?.Mirror)?.Definition))]));
    }

    private static FlagShown Of(FlagView flag, MirrorDefinition mirror, Shown shown, MirrorDefinition? hanging)
    {
        var names = shown.Names(mirror);
        return new FlagShown(
            flag.Check, flag.CheckName, mirror.Key, flag.Link, flag.Title, flag.Since, [.. flag.Says.Select(s => new FlaggedValueShown(s.Field, s.Side is { } side ? names.ElementAtOrDefault(side) : null, s.Value))],
            flag.HangingCount, hanging?.Name, [.. flag.Hanging.Select(h => new HangingShown(h.Link, h.Title, hanging?.Key))], flag.FineBy, flag.FineAt);
    }

    private static async Task<(FollowUpCheck? Check, string? Problem)> Read(CheckForm asked, KeptMirror mirror, Mirrors mirrors, KeptConnections connections, TimeProvider clock, CancellationToken cancellation)
    {
        if (TimingOf(asked, mirror.Definition.Key) is not { } timing)
        {
            return (null, "Say when it is looked at: after each run, hourly, daily, weekly, by a calendar expression, or by hand.");
        }

        var hanging = string.IsNullOrEmpty(asked.HangingMirror) ? null : new HangingRecords(asked.HangingMirror, asked.HangingBy ?? "", string.IsNullOrWhiteSpace(asked.HangingOnly) ? null : asked.HangingOnly);
        var check = new FollowUpCheck(asked.Name.Trim(), asked.Condition, hanging, timing);
        var shown = await Shown.With(connections, cancellation);
        var problem = check.Problem(mirror.Definition, shown.Names(mirror.Definition), [.. (await mirrors.All(cancellation)).Select(m => (m.Definition, shown.Names(m.Definition)))], clock.GetUtcNow());
        return problem is null ? (check, null) : (null, problem);
    }

    private static MirrorTiming? TimingOf(CheckForm asked, string mirror)
    {
        var at = TimeOnly.TryParse(asked.At, System.Globalization.CultureInfo.InvariantCulture, out var time) ? time : (TimeOnly?)null;
        return asked.When switch
        {
            "afterRuns" => new MirrorTiming(TimingKind.After, After: mirror, TimeZone: asked.TimeZone, OnEvents: false, OnFiles: false),
            "hourly" => new MirrorTiming(TimingKind.Hourly, At: at, TimeZone: asked.TimeZone, OnEvents: false, OnFiles: false),
            "daily" => new MirrorTiming(TimingKind.Daily, At: at, TimeZone: asked.TimeZone, OnEvents: false, OnFiles: false),
            "weekly" => new MirrorTiming(TimingKind.Weekly, At: at, Days: asked.Day is >= 0 and <= 6 ? [(DayOfWeek)asked.Day] : [], TimeZone: asked.TimeZone, OnEvents: false, OnFiles: false),
            "calendar" => new MirrorTiming(TimingKind.Calendar, Calendar: asked.Calendar, TimeZone: asked.TimeZone, OnEvents: false, OnFiles: false),
            "byHand" => new MirrorTiming(TimingKind.ByHand, TimeZone: asked.TimeZone, OnEvents: false, OnFiles: false),
            _ => null,
        };
    }

    private static CheckForm FormOf(FollowUpCheck check) => new(
        check.Name, check.Condition,
        check.Timing.Kind switch { TimingKind.After => "afterRuns", TimingKind.Hourly => "hourly", TimingKind.Daily => "daily", TimingKind.Weekly => "weekly", TimingKind.Calendar => "calendar", _ => "byHand" },
        check.Timing.At?.ToString("HH:mm", System.Globalization.CultureInfo.InvariantCulture), check.Timing.Days is [var day, ..] ? (int)day : null, check.Timing.Calendar, check.Timing.TimeZone,
        check.Hanging?.Mirror, check.Hanging?.By, check.Hanging?.Only);

    private static string InWords(FollowUpCheck check, MirrorDefinition mirror) => check.Timing.Kind switch
    {
        TimingKind.After => $"after each run of {mirror.Name}",
        TimingKind.ByHand => "only by hand",
        _ => TimingWords.Of(check.Timing, key => key)["It runs ".Length..].TrimEnd('.'),
    };

    private static DateTimeOffset? NextOf(KeptCheck check, DateTimeOffset now) => check.LookedAt is { } looked && check.Check.Timing.Next(looked) is { } next ? (next < now ? now : next) : null;
}
