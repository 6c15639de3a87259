using System.Collections.Immutable;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Timing;
using UprightMirror.Core.Values;
using UprightMirror.Storage;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints.Drafting;

/// <param name="Formula">The scope as a formula; null where it is asked about as conditions.</param>
/// <param name="Conditions">The scope put together by hand; null where it is asked about as a formula.</param>
public sealed record ScopeAsked(int Side, string? Formula, ConditionsForm? Conditions);

/// <param name="Formula">The scope as a formula.</param>
/// <param name="Conditions">The same, put together by hand; null where it is not of such conditions.</param>
/// <param name="Problem">What is wrong with it; null when nothing is. Nothing is counted then.</param>
/// <param name="Looked">How many records were looked at.</param>
/// <param name="IsAll">Whether these are all that are known.</param>
/// <param name="CantTell">How many of them can't be told of.</param>
/// <param name="WhyNot">Why the first of those can't be told of.</param>
/// <param name="Seen">For each field that it looks at, the values that stand in most of the records.</param>
public sealed record ScopeShown(
    string Formula, ConditionsForm? Conditions, string Words, string? Problem, int Looked, bool IsAll, int Covered, int CantTell, string? WhyNot, IReadOnlyList<ScopeExample> In, IReadOnlyList<ScopeExample> Out, IReadOnlyList<SeenValues> Seen);

/// <param name="Says">What it holds in the fields that the scope looks at, in their order.</param>
public sealed record ScopeExample(string Id, string Title, IReadOnlyList<string> Says);

public sealed record SeenValues(string Path, IReadOnlyList<string> Values);

/// <param name="Words">As a sentence.</param>
/// <param name="Problems">What is wrong with it; empty when it can be used.</param>
/// <param name="Next">The next times, in words and in its own time zone.</param>
public sealed record TimingShown(string Words, IReadOnlyList<string> Problems, IReadOnlyList<string> Next);

/// <summary>Which records take part, on the records that there are, and when a mirror would run.</summary>
internal static class ScopeEndpoints
{
    private const int MostLooked = 50_000;
    private const int Examples = 5;
    private const int MostSeen = 40;
    private const int NextShown = 5;

    public static void MapScope(this RouteGroupBuilder api)
    {
        api.MapPost("/mirrors/{key}/draft/scope", Try).RequireAuthorization(Roles.Administrator).WithName("tryScope");
        api.MapPost("/mirrors/{key}/draft/timing", Time).RequireAuthorization(Roles.Administrator).WithName("tryTiming");
        api.MapGet("/time-zones", () => TypedResults.Ok<IReadOnlyList<string>>([.. TimeZoneInfo.GetSystemTimeZones().Select(z => z.Id).Where(id => id == "UTC" || (id.Contains('/', StringComparison.Ordinal) && !id.StartsWith("Etc/", StringComparison.Ordinal))).Order(StringComparer.Ordinal)])).WithName("getTimeZones");
    }

    private static async Task<Results<Ok<ScopeShown>, NotFound, ProblemHttpResult>> Try(string key, ScopeAsked asked, Mirrors mirrors, Drafts drafts, Catalogues catalogues, BenchSamples samples, TimeProvider clock, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var draft = (await drafts.Of(mirror, cancellation)).Definition;
        if (asked.Side < 0 || asked.Side >= draft.Sides.Length || asked.Formula?.Length > Formula.Longest || asked.Formula is null == asked.Conditions is null)
        {
            return DraftEndpoints.Problem("A scope is one of a side of the mirror, and is asked about as a formula or as conditions.");
        }

        var conditions = asked.Conditions?.ToRows();
        var paths = conditions?.Rows.Select(r => r.Path).Distinct().ToList() ?? [.. new ScopeCondition(asked.Formula!).Reads];
        var known = await samples.Known(mirror, draft.Sides[asked.Side], asked.Side, MostLooked, cancellation, paths);
        var seen = paths.Select(p => new SeenValues(p, [.. known.Select(k => k.Fields[p]).Where(v => !v.IsEmpty).GroupBy(v => v.Display).OrderByDescending(g => g.Count()).ThenBy(g => g.Key, StringComparer.Ordinal).Take(MostSeen).Select(g => g.Key)])).ToList();
        var collection = (await DraftEndpoints.CollectionsOf(draft, catalogues, cancellation))[asked.Side];
        var unknown = paths.FirstOrDefault(p => p.Length > 0 && !collection.Describes(p));
        if ((conditions?.Problem ?? (unknown is null ? null : $"{collection.Name} has no field {unknown}. Name one that it has.")) is { } missing)
        {
            return TypedResults.Ok(new ScopeShown(asked.Formula ?? "", asked.Conditions, "", missing, known.Count, known.Count < MostLooked, 0, 0, null, [], [], seen));
        }

        var text = asked.Formula ?? conditions!.Formula(path => known.Any(k => k.Fields[path] is TextValue));
        var scope = new ScopeCondition(text);
        if (scope.Problem is { } problem)
        {
            return TypedResults.Ok(new ScopeShown(text, asked.Conditions, "", problem, known.Count, known.Count < MostLooked, 0, 0, null, [], [], seen));
        }

        var setting = new ConversionSetting(clock.GetUtcNow()) { CodeLists = draft.CodeLists };
        var titled = draft.Fields.FirstOrDefault(f => f.Name == draft.TitleField)?.Cells[asked.Side]?.Path;
        var (covered, cantTell, why) = (0, 0, (string?)null);
        var (within, outside) = (new List<ScopeExample>(), new List<ScopeExample>());
        foreach (var (id, fields) in known)
        {
            var answer = scope.Covers(fields, setting, out var reason);
            covered += answer == true ? 1 : 0;
            cantTell += answer is null ? 1 : 0;
            why ??= reason is null ? null : $"{id}: {reason}";
            if ((answer == true ? within : outside) is { Count: < Examples } examples && answer is not null)
            {
                examples.Add(new ScopeExample(id, titled is null || fields[titled].IsEmpty ? id : fields[titled].Display, [.. paths.Select(p => fields[p].Display)]));
            }
        }

        return TypedResults.Ok(new ScopeShown(text, ConditionsForm.Of(ScopeRows.Of(text)), scope.Words, null, known.Count, known.Count < MostLooked, covered, cantTell, why, within, outside, seen));
    }

    private static async Task<Results<Ok<TimingShown>, NotFound>> Time(string key, TimingForm asked, Mirrors mirrors, TimeProvider clock, CancellationToken cancellation)
    {
        var all = (await mirrors.All(cancellation)).ToDictionary(m => m.Definition.Key, m => m.Definition);
        if (!all.ContainsKey(key))
        {
            return TypedResults.NotFound();
        }

        var (now, timing) = (clock.GetUtcNow(), asked.ToTiming());
        IReadOnlyList<string> problems = [.. timing.Problems(now, key), .. AfterItself(key, timing, all) is { } circle ? new[] { circle } : []];
        return TypedResults.Ok(new TimingShown(
            problems.Count > 0 ? "" : TimingWords.Of(timing, k => all.GetValueOrDefault(k)?.Name ?? k), problems, problems.Count > 0 ? [] : [.. timing.NextTimes(now, NextShown).Select(TimingWords.Of)]));
    }

    /// <summary>Why a mirror would run for ever after itself, by way of others; null when it would not.</summary>
    internal static string? AfterItself(string key, MirrorTiming timing, IReadOnlyDictionary<string, MirrorDefinition> all)
    {
        var way = new List<string> { key };
        for (var next = timing; next is { Kind: TimingKind.After, After: { } after }; next = all.GetValueOrDefault(after)?.Timing)
        {
            if (!all.ContainsKey(after))
            {
                return $"There is no mirror {after} to run after.";
            }

            way.Add(after);
            if (after == key)
            {
                return $"{string.Join(", which runs after ", way.Select(w => all[w].Name))}: they would never stop.";
            }

            if (way.Count > all.Count + 1)
            {
                return null; // Others go round, and this one only follows them.
            }
        }

        return null;
    }
}
