using System.Security.Claims;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Catalogues;
using UprightMirror.Storage;
using UprightMirror.Web.Running;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <summary>A field of a system, with what it really holds.</summary>
/// <param name="Seen">Records that were looked at; 0 when none were.</param>
/// <param name="Filled">In how many of them it says something.</param>
/// <param name="UsedBy">The mirrors that it is mapped in, each with the agreed field.</param>
public sealed record FieldOfSystem(
    string Path, string Type, string? Label, bool Required, bool ReadOnly, bool IsCustom, int? MaxLength, IReadOnlyList<string> Allowed, int Seen, int Filled, int Distinct, IReadOnlyList<string> Samples, IReadOnlyList<FieldUse> UsedBy);

public sealed record FieldUse(string Mirror, string MirrorKey, string AgreedField);

/// <param name="LookedAt">When its records were last looked at; null when none could be.</param>
public sealed record CollectionOfSystem(string Name, DateTimeOffset? LookedAt, int Records, IReadOnlyList<FieldOfSystem> Fields);

/// <param name="Kind">collectionAppeared, collectionVanished, appeared, vanished, changedType, changedLength, changedNeed, changedWriting or changedAllowed.</param>
/// <param name="MayBreak">Whether what was mapped to it may go wrong.</param>
/// <param name="Touches">The mirrors that it is mapped in.</param>
public sealed record ChangeShown(long Id, int Version, DateTimeOffset At, CatalogueChangeKind Kind, string Collection, string? Field, string? Before, string? After, bool MayBreak, string? SeenBy, IReadOnlyList<FieldUse> Touches);

/// <param name="Sent">Null in lists, and where nothing was sent.</param>
public sealed record CallShown(long Id, DateTimeOffset At, string Method, string Address, int? Status, int Milliseconds, long Bytes, string What, string? Fault, string? Sent, string? Answered);

public sealed record FieldFound(string System, string SystemName, string Collection, string Path, string Type, string? Label, bool IsCustom);

internal static class CatalogueEndpoints
{
    public static void MapCatalogues(this RouteGroupBuilder api)
    {
        api.MapGet("/systems/{key}/catalogue", Catalogue).WithName("getCatalogue");
        api.MapPost("/systems/{key}/survey", Survey).RequireAuthorization(Roles.Steward).WithName("beginSurvey");
        api.MapGet("/systems/{key}/changes", ChangesOf).WithName("getCatalogueChanges");
        api.MapPost("/systems/{key}/changes/seen", Seen).RequireAuthorization(Roles.Steward).WithName("markChangesSeen");
        api.MapGet("/systems/{key}/calls", Calls).WithName("getCalls");
        api.MapGet("/systems/{key}/calls/{id:long}", Call).WithName("getCall");
        api.MapGet("/fields", Search).WithName("searchFields");
    }

    private static async Task<Results<Ok<IReadOnlyList<CollectionOfSystem>>, NotFound>> Catalogue(string key, Catalogues catalogues, Mirrors mirrors, CancellationToken cancellation)
    {
        if (await catalogues.Last(key, cancellation) is not { } kept)
        {
            return TypedResults.NotFound();
        }

        var profiles = (await catalogues.Profiles(key, cancellation)).ToDictionary(p => p.Collection);
        var uses = await Uses(mirrors, key, cancellation);
        return TypedResults.Ok<IReadOnlyList<CollectionOfSystem>>([.. kept.Catalogue.Collections.Select(c =>
        {
            var profile = profiles.GetValueOrDefault(c.Name);
            var fields = profile?.Fields.ToDictionary(f => f.Path) ?? [];
            return new CollectionOfSystem(c.Name, profile?.LookedAt, profile?.Records ?? 0, [.. c.Fields.Values.OrderBy(f => f.IsCustom).ThenBy(f => f.Path, StringComparer.Ordinal).Select(f =>
            {
                var p = fields.GetValueOrDefault(f.Path);
                return new FieldOfSystem(f.Path, f.Type, f.Label, f.Required, f.ReadOnly, f.IsCustom, f.MaxLength, f.Allowed, profile?.Records ?? 0, p?.Filled ?? 0, p?.Distinct ?? 0, p?.Samples ?? [], [.. uses[(c.Name, f.Path)]]);
            })]);
        })]);
    }

    private static async Task<Results<Ok<SurveyState>, NotFound>> Survey(string key, KeptConnections connections, Surveys surveys, CancellationToken cancellation) =>
        (await connections.All(cancellation)).Any(c => c.System == key) ? TypedResults.Ok(surveys.Begin(key)) : TypedResults.NotFound();

    private static async Task<IReadOnlyList<ChangeShown>> ChangesOf(string key, Catalogues catalogues, Mirrors mirrors, CancellationToken cancellation)
    {
        var uses = await Uses(mirrors, key, cancellation);
        return [.. (await catalogues.Changes(key, unseenOnly: false, 500, cancellation)).Select(c => new ChangeShown(
            c.Id, c.Version, c.At, c.Change.Kind, c.Change.Collection, c.Change.Path, c.Change.Before, c.Change.After, c.Change.MayBreak, c.SeenBy,
            [.. c.Change.Path is { } path ? uses[(c.Change.Collection, path)] : uses.Where(u => u.Key.Collection == c.Change.Collection).SelectMany(u => u).DistinctBy(u => u.MirrorKey)]))];
    }

    private static async Task<NoContent> Seen(string key, Catalogues catalogues, ClaimsPrincipal user, Running.Changes changes, CancellationToken cancellation)
    {
        await catalogues.MarkSeen(key, user.Identity!.Name!, cancellation);
        changes.Tell("systems");
        return TypedResults.NoContent();
    }

    private static async Task<IReadOnlyList<CallShown>> Calls(string key, bool? trouble, KeptCalls calls, CancellationToken cancellation) =>
        [.. (await calls.Last(key, trouble == true, 200, cancellation)).Select(c => Shown(c, personal: false))];

    /// <summary>One call with its bodies. Secrets are never in them; what is personal only when an administrator asks for it.</summary>
    private static async Task<Results<Ok<CallShown>, NotFound, ForbidHttpResult>> Call(string key, long id, bool? personal, KeptCalls calls, ClaimsPrincipal user, CancellationToken cancellation) =>
        personal == true && !user.IsInRole(Roles.Administrator) ? TypedResults.Forbid()
        : await calls.One(key, id, cancellation) is { } call ? TypedResults.Ok(Shown(call, personal == true))
        : TypedResults.NotFound();

    private static CallShown Shown(KeptCall c, bool personal)
    {
        string? Readable(string? text) => text is null || personal ? text : Masking.Personal(text);
        return new CallShown(c.Id, c.At, c.Method, personal ? c.Address : Masking.Personal(c.Address), c.Status, c.Milliseconds, c.Bytes, c.What, Readable(c.Fault), Readable(c.Sent), Readable(c.Answered));
    }

    private static async Task<Results<Ok<IReadOnlyList<FieldFound>>, ProblemHttpResult>> Search(string? text, Catalogues catalogues, KeptConnections connections, CancellationToken cancellation)
    {
        if (text is not { Length: > 0 and <= 200 })
        {
            return SystemsEndpoints.Problem("Search for 1 to 200 characters.");
        }

        var names = (await connections.All(cancellation)).ToDictionary(c => c.System, c => c.Name);
        return TypedResults.Ok<IReadOnlyList<FieldFound>>([.. (await catalogues.Search(text, 100, cancellation)).Select(f => new FieldFound(f.System, names.GetValueOrDefault(f.System, f.System), f.Collection, f.Field.Path, f.Field.Type, f.Field.Label, f.Field.IsCustom))]);
    }

    /// <summary>Where each field of a system is mapped.</summary>
    private static async Task<ILookup<(string Collection, string Path), FieldUse>> Uses(Mirrors mirrors, string system, CancellationToken cancellation) =>
        (await mirrors.All(cancellation))
            .SelectMany(m => m.Definition.Sides.SelectMany((side, s) => side.System != system ? [] : m.Definition.Fields
                .Where(f => f.Cells[s] is not null)
                .Select(f => (Place: (side.Collection, f.Cells[s]!.Path), Use: new FieldUse(m.Definition.Name, m.Definition.Key, f.Name)))))
            .ToLookup(u => u.Place, u => u.Use);
}
