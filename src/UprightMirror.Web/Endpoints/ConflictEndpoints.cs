using System.Collections.Immutable;
using System.Globalization;
using System.Security.Claims;
using System.Text.Json;
using Microsoft.AspNetCore.Http.HttpResults;
using Npgsql;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Values;
using UprightMirror.Engine;
using UprightMirror.Storage;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <summary>What one side says in a conflict.</summary>
/// <param name="Side">The side; null for a value that a person set before.</param>
/// <param name="Values">One for each field of the conflict; null when the side removed the record.</param>
/// <param name="Name">What people call the side's system; null for a value that a person set before.</param>
public sealed record CompetingShown(int? Side, IReadOnlyList<string>? Values, string? Name);

/// <param name="Alike">How many other open conflicts are about the same fields, between the same sides.</param>
public sealed record ConflictRow(long Id, string Mirror, string MirrorName, Guid Link, string Title, IReadOnlyList<string> Fields, IReadOnlyList<CompetingShown> Competing, string Why, int Revision, DateTimeOffset OpenedAt, int Alike, bool IsRemoval);

/// <summary>What a rule would choose, were it the field's.</summary>
/// <param name="Chooses">The value; null when a person would still be asked.</param>
public sealed record RuleChoice(string Rule, IReadOnlyList<string>? Chooses, bool IsCurrent);

public sealed record ConflictPage(ConflictRow Conflict, RecordPage Record, IReadOnlyList<RuleChoice> Choices);

/// <param name="Revision">The revision that was on the screen.</param>
/// <param name="Comment">What the person says about it; null for nothing.</param>
/// <param name="Take">side, before, typed, combine, removeElsewhere, createAgain or forgetLink.</param>
/// <param name="Side">For side: which; null for the value that a person set before.</param>
/// <param name="Texts">For typed: one for each field.</param>
public sealed record DecisionAsked(int Revision, string Take, int? Side, IReadOnlyList<string>? Texts, string? Comment = null);

internal static class ConflictEndpoints
{
    public static void MapConflicts(this RouteGroupBuilder api)
    {
        api.MapGet("/conflicts", List).WithName("getConflicts");
        api.MapGet("/conflicts/{id:long}", Page).WithName("getConflict");
        api.MapPost("/conflicts/{id:long}/decision", Decide).RequireAuthorization(Roles.Steward).WithName("decide");
    }

    /// <summary>The oldest are listed; what comes after them is listed as these are decided.</summary>
    private const int MostListed = 300;

    public static bool IsTooLong(string? comment) => comment?.Length > 500;

    /// <summary>A comment that says something; null otherwise.</summary>
    public static string? Comment(string? comment) => string.IsNullOrWhiteSpace(comment) ? null : comment.Trim();

    public static ConflictRow Row(ConflictView conflict, KeptMirror mirror, Shown shown)
    {
        using var document = JsonDocument.Parse(conflict.Competing);
        var names = shown.Names(mirror.Definition);
        var competing = document.RootElement.EnumerateObject()
            .Select(p => (Side: int.Parse(p.Name, CultureInfo.InvariantCulture), p.Value))
            .OrderBy(p => p.Side)
            .Select(p => new CompetingShown(p.Side < 0 ? null : p.Side, p.Value.ValueKind == JsonValueKind.Null ? null : [.. conflict.Fields.Select(f => ShownValue(mirror, f, p.Value))], p.Side < 0 ? null : names[p.Side]))
            .ToList();
        return new ConflictRow(conflict.Id, mirror.Definition.Key, mirror.Definition.Name, conflict.Link, conflict.Title, conflict.Fields, competing, conflict.Why, conflict.Revision, conflict.OpenedAt, conflict.Alike, competing.Any(c => c.Values is null));
    }

    private static string ShownValue(KeptMirror mirror, string field, JsonElement values) =>
        values.TryGetProperty(field, out var json) && mirror.Definition.Fields.FirstOrDefault(f => f.Name == field) is { } definition && ValueJson.TryRead(json, definition.Type, out var value, out _) ? value.Display : "";

    private static async Task<IReadOnlyList<ConflictRow>> List(Views views, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation)
    {
        var shown = await Shown.With(connections, cancellation);
        var kept = (await mirrors.All(cancellation)).ToDictionary(m => m.Id);
        return [.. (await views.Conflicts(MostListed, cancellation)).Select(c => Row(c, kept[c.MirrorId], shown))];
    }

    private static async Task<Results<Ok<ConflictPage>, NotFound>> Page(long id, Views views, Mirrors mirrors, KeptConnections connections, NpgsqlDataSource database, TimeProvider clock, CancellationToken cancellation)
    {
        if (await views.Conflict(id, cancellation) is not { IsOpen: true } conflict)
        {
            return TypedResults.NotFound();
        }

        var mirror = (await mirrors.All(cancellation)).First(m => m.Id == conflict.MirrorId);
        var shown = await Shown.With(connections, cancellation);
        var page = await RecordEndpoints.Read(conflict.Link, views, mirrors, connections, cancellation);
        var open = await new DecisionStore(database, mirror.Id, mirror.Definition, clock).ReadOpenConflict(id, cancellation);
        return page is null || open is null
            ? TypedResults.NotFound()
            : TypedResults.Ok(new ConflictPage(Row(conflict, mirror, shown), page, Choices(open, page, mirror, shown)));
    }

    /// <summary>What the common rules would choose among what competes.</summary>
    private static IReadOnlyList<RuleChoice> Choices(ConflictToDecide open, RecordPage page, KeptMirror mirror, Shown shown)
    {
        if (open.Values.Values.Any(v => v is null))
        {
            return [];
        }

        var names = shown.Names(mirror.Definition);
        var candidates = open.Values.Select(v => new Candidate(v.Key, v.Value!.Value, open.ChangedAt.TryGetValue(v.Key, out var at) ? at : null)).ToImmutableArray();
        var current = mirror.Definition.Fields.First(f => f.Name == open.Fields[0]).Rule;
        var sides = mirror.Definition.Sides.Length;
        var before = open.Fields.Select(_ => Value.Empty).ToImmutableArray();
        var first = mirror.Definition.Fields.First(f => f.Name == open.Fields[0]);
        var choices = new List<RuleChoice>();
        void Add(string words, SettlingRule rule)
        {
            var verdict = rule.Decide(candidates, before, names);
            choices.Add(new RuleChoice(words, verdict.IsConflict ? null : [.. verdict.Values.Select(v => v.Display)], rule.Name == current));
        }

        Add("Latest change", new Latest(SettlingRule.FullRank([], sides)));
        foreach (var side in open.Values.Keys.Where(s => s >= 0))
        {
            Add($"{names[side]} ranks first", new ByRank(SettlingRule.FullRank([side], sides)));
        }

        if (first.Type == FieldType.List)
        {
            Add("All of them", new AllOfThem(SettlingRule.FullRank([], sides)));
        }
        else
        {
            Add("Fullest value", new Fullest(SettlingRule.FullRank([], sides)));
        }

        Add("Ask a person", new Ask(SettlingRule.FullRank([], sides)));
        return choices;
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Decide(long id, DecisionAsked asked, Views views, Mirrors mirrors, KeptConnections connections, NpgsqlDataSource database, TimeProvider clock, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (await views.Conflict(id, cancellation) is not { IsOpen: true } conflict)
        {
            return TypedResults.Problem(statusCode: 409, title: "This conflict is no longer open: somebody decided it, or the sides came to the same value.");
        }

        Answer? answer = asked.Take switch
        {
            "side" => new Answer.TakeSide(asked.Side ?? Candidate.Person),
            "before" => new Answer.KeepBefore(),
            "combine" => new Answer.Combine(),
            "typed" when asked.Texts is { } texts && texts.Sum(t => t.Length) <= ValueJson.LongestText => new Answer.TypeAnother([.. texts]),
            "removeElsewhere" => new Answer.OfRemoval(Removal.RemoveElsewhere),
            "createAgain" => new Answer.OfRemoval(Removal.CreateAgain),
            "forgetLink" => new Answer.OfRemoval(Removal.ForgetLink),
            _ => null,
        };
        if (answer is null || IsTooLong(asked.Comment))
        {
            return TypedResults.Problem(statusCode: 400, title: "A decision takes side, before, typed, combine, removeElsewhere, createAgain or forgetLink; a comment has at most 500 characters.");
        }

        var mirror = (await mirrors.All(cancellation)).First(m => m.Id == conflict.MirrorId);
        var names = (await Shown.With(connections, cancellation)).Names(mirror.Definition);
        var deciding = new Deciding(mirror.Definition, names, new DecisionStore(database, mirror.Id, mirror.Definition, clock), clock);
        var (end, why) = await deciding.Decide(id, asked.Revision, answer, user.Identity!.Name!, cancellation, Comment(asked.Comment));
        return end switch
        {
            DecisionEnd.Made => TypedResults.NoContent(),
            DecisionEnd.ChangedMeanwhile => TypedResults.Problem(statusCode: 409, title: why),
            _ => TypedResults.Problem(statusCode: 422, title: why),
        };
    }
}
