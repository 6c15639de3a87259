using System.Security.Claims;
using Microsoft.AspNetCore.Http.HttpResults;
using Npgsql;
using UprightMirror.Connectors;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Engine;
using UprightMirror.Storage;
using UprightMirror.Web.Running;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <param name="Pattern">The reason without what is only this record's: those that have the same come together.</param>
/// <param name="Value">The first value in the reason; null where there is none.</param>
public sealed record HoldShown(
    long Id, string Mirror, string MirrorName, Guid? Link, SideShown Side, string RecordId, string Title, string? Field, string Reason, string? Answer, DateTimeOffset Since, string Pattern, string? Value);

/// <summary>Records that the undo of a run set aside, together.</summary>
/// <param name="Who">Who undid the whole run; null when only records of it were undone.</param>
public sealed record UndoneShown(string Mirror, string MirrorName, long Run, int Records, string? Who, DateTimeOffset Since);

/// <param name="Reason">What it was held for.</param>
/// <param name="Why">Why it is left out.</param>
public sealed record LeftOutShown(long Id, string Mirror, string MirrorName, Guid? Link, SideShown Side, string Title, string Reason, string Why, string Who, DateTimeOffset At);

/// <param name="Total">How many are held; the first of them are shown.</param>
public sealed record HeldPage(IReadOnlyList<HoldShown> Holds, int Total, IReadOnlyList<UndoneShown> Undone, IReadOnlyList<LeftOutShown> LeftOut);

public sealed record ReleaseAsked(IReadOnlyList<long> Holds);

/// <param name="Why">In a person's words, 1 to 500 characters.</param>
public sealed record LeaveOutAsked(IReadOnlyList<long> Holds, string Why);

public sealed record HeldEnd(int Records);

/// <summary>Where a held value can be put right.</summary>
/// <param name="Field">The agreed field; null where it can't be put right from here.</param>
/// <param name="System">In the record's own system; null where that can't be.</param>
/// <param name="SystemNow">What stands there now.</param>
/// <param name="Agreed">What is agreed, to be put right on every side; null where that can't be.</param>
/// <param name="WhyNot">What stands in the way, in words.</param>
public sealed record HoldToCorrect(string? Field, string? System, string? SystemNow, string? Agreed, string? WhyNot);

/// <param name="Where">system, for the record's own; agreed, for every side.</param>
public sealed record CorrectAsked(string Where, string Text);

/// <param name="Run">The run that tries it again now; null when one is going on already: the next takes it up.</param>
public sealed record Corrected(long? Run);

/// <summary>What is set aside, by what it is held for, and the ways out.</summary>
internal static class HeldEndpoints
{
    private const int MostShown = 1000;
    private const int MostLeftOut = 500;
    private const int LongestWhy = 500;
    private const int LongestValue = 4000;

    public static void MapHeld(this RouteGroupBuilder api)
    {
        api.MapGet("/held", Page).WithName("getHeld");
        api.MapPost("/held/{id:long}/release", async Task<Results<NoContent, NotFound>> (long id, HeldRecords held, CancellationToken cancellation) =>
            await held.Release([id], cancellation) == 1 ? TypedResults.NoContent() : TypedResults.NotFound()).RequireAuthorization(Roles.Steward).WithName("release");
        api.MapPost("/held/release", async Task<Results<Ok<HeldEnd>, ProblemHttpResult>> (ReleaseAsked asked, HeldRecords held, CancellationToken cancellation) =>
            asked.Holds.Count > MostShown ? TooMany() : TypedResults.Ok(new HeldEnd(await held.Release(asked.Holds, cancellation)))).RequireAuthorization(Roles.Steward).WithName("releaseTogether");
        api.MapGet("/held/{id:long}", ToCorrect).RequireAuthorization(Roles.Steward).WithName("getHold");
        api.MapPost("/held/{id:long}/correct", Correct).RequireAuthorization(Roles.Steward).WithName("correctHold");
        api.MapPost("/held/leave-out", LeaveOut).RequireAuthorization(Roles.Steward).WithName("leaveOut");
        api.MapPost("/held/left-out/{id:long}/take-in", async Task<Results<NoContent, NotFound>> (long id, HeldRecords held, ClaimsPrincipal user, CancellationToken cancellation) =>
            await held.TakeIn(id, user.Identity!.Name!, cancellation) ? TypedResults.NoContent() : TypedResults.NotFound()).RequireAuthorization(Roles.Steward).WithName("takeIn");
    }

    private static async Task<Results<Ok<HoldToCorrect>, NotFound>> ToCorrect(long id, HeldRecords held, Mirrors mirrors, KeptConnections connections, Correcting correcting, Views views, CancellationToken cancellation)
    {
        if (await held.Find(id, cancellation) is not { } hold)
        {
            return TypedResults.NotFound();
        }

        if (hold.Field is not { } field)
        {
            return TypedResults.Ok(new HoldToCorrect(null, null, null, null, "It is about more than one field."));
        }

        var mirror = (await mirrors.All(cancellation)).First(m => m.Id == hold.MirrorId).Definition;
        string? agreed = null;
        if (hold.Link is { } link && mirror.Fields.FirstOrDefault(f => f.Name == field) is { WorkedOut: null, Type: not (FieldType.Lines or FieldType.Reference) })
        {
            agreed = (await RecordEndpoints.Read(link, views, mirrors, connections, cancellation))?.Fields.FirstOrDefault(f => f.Name == field)?.Agreed?.Value ?? "";
        }

        InItsSystem? there = null;
        try
        {
            there = hold.RecordId.Length == 0 ? null : await correcting.Look(mirror, hold.Side, hold.RecordId, field, cancellation);
        }
        catch (SystemFault fault)
        {
            there = new InItsSystem("", "", fault.Message);
        }

        var system = (await Shown.With(connections, cancellation)).Names(mirror)[hold.Side];
        return TypedResults.Ok(new HoldToCorrect(field, there is { WhyNot: null } ? system : null, there?.Now, agreed, there?.WhyNot));
    }

    private static async Task<Results<Ok<Corrected>, NotFound, ProblemHttpResult>> Correct(
        long id, CorrectAsked asked, HeldRecords held, Mirrors mirrors, KeptConnections connections, Correcting correcting, RunQueue queue, NpgsqlDataSource database, TimeProvider clock, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (await held.Find(id, cancellation) is not { } hold)
        {
            return TypedResults.NotFound();
        }

        if (hold.Field is not { } field || asked.Text.Length > LongestValue || asked.Where is not ("system" or "agreed"))
        {
            return TypedResults.Problem(statusCode: 400, title: hold.Field is null ? "It is about more than one field: put it right in its system." : $"Say where, and a value of at most {LongestValue:N0} characters.");
        }

        var mirror = (await mirrors.All(cancellation)).First(m => m.Id == hold.MirrorId);
        var (names, who) = ((await Shown.With(connections, cancellation)).Names(mirror.Definition), user.Identity!.Name!);
        var records = await held.RecordsOf(hold, cancellation);
        if (asked.Where == "system")
        {
            try
            {
                var end = await correcting.Write(mirror.Definition, hold.Side, hold.RecordId, field, asked.Text, cancellation);
                if (end.WhyNot is { } why)
                {
                    return TypedResults.Problem(statusCode: 422, title: why);
                }

                await held.TellPutRight(hold, end.Before, end.After, names[hold.Side], who, CancellationToken.None);
            }
            catch (SystemFault fault)
            {
                return TypedResults.Problem(statusCode: 502, title: fault.Message);
            }
        }
        else
        {
            if (hold.Link is not { } link)
            {
                return TypedResults.Problem(statusCode: 422, title: "Nothing is agreed about this record yet: put it right in its system.");
            }

            var (end, why) = await new Deciding(mirror.Definition, names, new DecisionStore(database, mirror.Id, mirror.Definition, clock), clock).Correct(link, field, asked.Text, who, cancellation);
            if (end != DecisionEnd.Made)
            {
                return TypedResults.Problem(statusCode: end == DecisionEnd.ChangedMeanwhile ? 409 : 422, title: why);
            }
        }

        await held.Release([id], CancellationToken.None);
        return TypedResults.Ok(new Corrected(mirror.State == "live" ? await queue.Start(mirror, false, $"{who}, for what was put right", limits: new RunLimits(records)) : null));
    }

    private static ProblemHttpResult TooMany() => TypedResults.Problem(statusCode: 400, title: $"At most {MostShown:N0} records can be chosen at once.");

    private static async Task<Results<Ok<HeldEnd>, ProblemHttpResult>> LeaveOut(LeaveOutAsked asked, HeldRecords held, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (string.IsNullOrWhiteSpace(asked.Why) || asked.Why.Length > LongestWhy)
        {
            return TypedResults.Problem(statusCode: 400, title: $"Say why, in at most {LongestWhy} characters: who finds it left out in a year asks.");
        }

        return asked.Holds.Count > MostShown ? TooMany() : TypedResults.Ok(new HeldEnd(await held.LeaveOut(asked.Holds, asked.Why.Trim(), user.Identity!.Name!, cancellation)));
    }

    private static async Task<HeldPage> Page(Views views, HeldRecords held, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation)
    {
        var shown = await Shown.With(connections, cancellation);
        var kept = (await mirrors.All(cancellation)).ToDictionary(m => m.Id);
        var sides = kept.ToDictionary(m => m.Key, m => shown.Sides(m.Value.Definition));
        var (key, name) = (kept.ToDictionary(m => m.Key, m => m.Value.Definition.Key), kept.ToDictionary(m => m.Key, m => m.Value.Definition.Name));
        return new HeldPage(
            [.. (await views.Holds(MostShown, cancellation)).Select(h =>
            {
                var reason = HeldReason.Of(h.Reason, h.RecordId, h.Title, h.Answer);
                return new HoldShown(h.Id, key[h.MirrorId], name[h.MirrorId], h.Link, sides[h.MirrorId][h.Side], h.RecordId, h.Title, h.Field, h.Reason, h.Answer, h.Since, reason.Pattern, reason.Value);
            })],
            await views.HoldCount(cancellation),
            [.. (await views.SetAside(cancellation)).Select(u => new UndoneShown(key[u.MirrorId], name[u.MirrorId], u.Run, u.Records, u.Who, u.Since))],
            [.. (await held.LeftOut(MostLeftOut, cancellation)).Select(l => new LeftOutShown(l.Id, key[l.MirrorId], name[l.MirrorId], l.Link, sides[l.MirrorId][l.Side], l.Title, l.Reason, l.Why, l.Who, l.At))]);
    }
}
