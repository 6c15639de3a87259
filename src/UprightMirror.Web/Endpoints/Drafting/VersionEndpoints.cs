using System.Security.Claims;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Core.Mapping;
using UprightMirror.Storage;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints.Drafting;

/// <param name="Comment">Why it was published; empty where nobody said.</param>
/// <param name="IsInForce">Whether it is the one by which the mirror goes now.</param>
public sealed record VersionShown(int Version, string Comment, string Who, DateTimeOffset At, bool IsInForce);

/// <summary>What is otherwise in one version than in another.</summary>
/// <param name="From">The version before; 0 for nothing at all.</param>
/// <param name="To">The version after; null for the draft.</param>
/// <param name="Gone">Sentences that were true of the first and are not any more.</param>
/// <param name="New">Sentences that are true from then on.</param>
/// <param name="Concerns">Whether records have to be looked at again: the next run reads all of them.</param>
/// <param name="Rehearsal">The last rehearsal of the draft as it stands; null where there is none.</param>
public sealed record Comparison(int From, int? To, IReadOnlyList<SideShown> Sides, IReadOnlyList<MirrorChange> Changes, IReadOnlyList<string> Gone, IReadOnlyList<string> New, bool Concerns, RunShown? Rehearsal);

/// <summary>What was published when, by whom and why; what is otherwise between two of them; the way back to any.</summary>
internal static class VersionEndpoints
{
    private const int RunsLookedAt = 40;

    public static void MapVersions(this RouteGroupBuilder api)
    {
        api.MapGet("/mirrors/{key}/versions", List).WithName("getVersions");
        api.MapGet("/mirrors/{key}/compare", Compare).WithName("compareVersions");
        api.MapPost("/mirrors/{key}/versions/{version:int}/back", GoBack).RequireAuthorization(Roles.Administrator).Audited("took version {version} of {key} back into its draft").WithName("goBack");
    }

    private static async Task<Results<Ok<IReadOnlyList<VersionShown>>, NotFound>> List(string key, Mirrors mirrors, Drafts drafts, CancellationToken cancellation) =>
        await mirrors.Find(key, cancellation) is { } mirror
            ? TypedResults.Ok<IReadOnlyList<VersionShown>>([.. (await drafts.Versions(mirror.Id, cancellation)).Select(v => new VersionShown(v.Version, v.Comment, v.Who, v.At, v.Version == mirror.Version))])
            : TypedResults.NotFound();

    /// <param name="to">Null for the draft.</param>
    private static async Task<Results<Ok<Comparison>, NotFound>> Compare(string key, int from, int? to, Mirrors mirrors, Drafts drafts, KeptConnections connections, RunBook book, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var draft = to is null ? await drafts.Of(mirror, cancellation) : null;
        var before = from == 0 ? mirror.Definition with { Fields = [], Recognising = [], Likeness = null } : await drafts.Version(mirror, from, cancellation);
        var after = draft?.Definition ?? await drafts.Version(mirror, to!.Value, cancellation);
        if (before is null || after is null)
        {
            return TypedResults.NotFound();
        }

        var shown = await Shown.With(connections, cancellation);
        var names = shown.Names(after);
        var named = (await mirrors.All(cancellation)).ToDictionary(m => m.Definition.Key, m => m.Definition.Name);
        var (were, are) = (Sentences(before, names, named), Sentences(after, names, named));
        return TypedResults.Ok(new Comparison(
            from, to, shown.Sides(after), MirrorChanges.Of(before, after), [.. were.Except(are)], [.. are.Except(were)], MirrorChanges.ConcernRecords(before, after),
            draft is null ? null : await LastRehearsal(mirror, draft, book, cancellation)));
    }

    private static async Task<RunShown?> LastRehearsal(KeptMirror mirror, KeptDraft draft, RunBook book, CancellationToken cancellation) =>
        (await book.List(mirror.Id, null, RunsLookedAt, cancellation)).FirstOrDefault(r => r is { OfDraft: true, Sampled: null } && r.Version == draft.BasedOn && (draft.At is null || r.StartedAt >= draft.At)) is { } run ? RunsEndpoints.Of(run, mirror) : null;

    private static IReadOnlyList<string> Sentences(MirrorDefinition mirror, IReadOnlyList<string> names, IReadOnlyDictionary<string, string> named)
    {
        try
        {
            var rules = mirror.Rules(names);
            return [.. PlainWords.OfMirror(mirror, names, k => named.GetValueOrDefault(k, k)), .. Enumerable.Range(0, mirror.Fields.Length).Select(f => PlainWords.OfField(mirror, f, rules))];
        }
        catch (ArgumentException e)
        {
            return [e.Message];
        }
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> GoBack(string key, int version, Mirrors mirrors, Drafts drafts, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror || await drafts.Version(mirror, version, cancellation) is not { } definition)
        {
            return TypedResults.NotFound();
        }

        var draft = await drafts.Of(mirror, cancellation);
        return await drafts.Save(mirror, draft.Step, definition, $"Go back to version {version}", user.Identity!.Name!, cancellation)
            ? TypedResults.NoContent()
            : TypedResults.Problem(statusCode: 409, title: "Somebody else edited this draft meanwhile. Look at what they did, then go back.");
    }
}
