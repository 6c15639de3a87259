using System.Security.Claims;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Core.Remembered;
using UprightMirror.Storage;
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

/// <summary>What is set aside, by what it is held for, and the ways out.</summary>
internal static class HeldEndpoints
{
    private const int MostShown = 2000;
    private const int MostLeftOut = 500;
    private const int LongestWhy = 500;

    public static void MapHeld(this RouteGroupBuilder api)
    {
        api.MapGet("/held", Page).WithName("getHeld");
        api.MapPost("/held/{id:long}/release", async Task<Results<NoContent, NotFound>> (long id, HeldRecords held, CancellationToken cancellation) =>
            await held.Release([id], cancellation) == 1 ? TypedResults.NoContent() : TypedResults.NotFound()).RequireAuthorization(Roles.Steward).WithName("release");
        api.MapPost("/held/release", async Task<Results<Ok<HeldEnd>, ProblemHttpResult>> (ReleaseAsked asked, HeldRecords held, CancellationToken cancellation) =>
            asked.Holds.Count > MostShown ? TooMany() : TypedResults.Ok(new HeldEnd(await held.Release(asked.Holds, cancellation)))).RequireAuthorization(Roles.Steward).WithName("releaseTogether");
        api.MapPost("/held/leave-out", LeaveOut).RequireAuthorization(Roles.Steward).WithName("leaveOut");
        api.MapPost("/held/left-out/{id:long}/take-in", async Task<Results<NoContent, NotFound>> (long id, HeldRecords held, ClaimsPrincipal user, CancellationToken cancellation) =>
            await held.TakeIn(id, user.Identity!.Name!, cancellation) ? TypedResults.NoContent() : TypedResults.NotFound()).RequireAuthorization(Roles.Steward).WithName("takeIn");
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
