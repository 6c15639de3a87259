using System.Collections.Immutable;
using Microsoft.AspNetCore.Http.HttpResults;
using Npgsql;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Matching.Comparing;
using UprightMirror.Core.Values;
using UprightMirror.Engine;
using UprightMirror.Storage;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints.Drafting;

/// <summary>What may count as evidence.</summary>
/// <param name="Guessed">By the agreed fields' names and some records' values.</param>
/// <param name="Kinds">What a field may hold.</param>
public sealed record EvidenceOffer(IReadOnlyList<EvidenceForm> Guessed, IReadOnlyList<string> Kinds);

/// <param name="Likeness">As it would be.</param>
/// <param name="Recognising">The keys that come first.</param>
public sealed record RecognisingAsked(LikenessForm Likeness, IReadOnlyList<string> Recognising);

/// <summary>What recognising would come to on the real records, as if none were linked yet. Nothing is linked and nothing is kept.</summary>
/// <param name="Records">How many records of each side were compared.</param>
/// <param name="ByKey">How many links keys make.</param>
/// <param name="Across">The likelihoods of pairs that would be linked or asked about, those of different sides, rounded; highest first.</param>
/// <param name="Within">Those of pairs of one side, which are always asked about.</param>
/// <param name="Bars">How many pairs stand at each twentieth of likelihood, of those that are not next to impossible.</param>
/// <param name="Compared">How many pairs were compared.</param>
/// <param name="Missed">About how many pairs that are one thing were never compared.</param>
/// <param name="Samples">Pairs to read, at several levels.</param>
/// <param name="Judged">What people said of so many pairs could be learned from.</param>
/// <param name="Otherwise">What it would come to if these were learned from where they are not, or the other way round; null where there are none.</param>
public sealed record RecognisingTried(
    IReadOnlyList<int> Records, int ByKey, IReadOnlyList<double> Across, IReadOnlyList<double> Within, IReadOnlyList<int> Bars, long Compared, double Missed, IReadOnlyList<SampledPair> Samples, int Judged, LikelihoodsTried? Otherwise);

public sealed record LikelihoodsTried(IReadOnlyList<double> Across, IReadOnlyList<double> Within);

/// <param name="A">What the first record says, by the evidence.</param>
/// <param name="Lines">What each piece of evidence says.</param>
public sealed record SampledPair(double Probability, int SideA, string IdA, IReadOnlyList<string> A, int SideB, string IdB, IReadOnlyList<string> B, IReadOnlyList<CandidateLine> Lines, decimal Before, decimal Relatives, decimal Rivals);

internal static class RecognisingEndpoints
{
    private const int MostRecords = 20_000;
    private const int Bars = 20;
    private const double WorthTelling = 0.01;
    private static readonly (double From, double To, int Count)[] Levels = [(0.1, 0.5, 4), (0.5, 0.9, 6), (0.9, 0.99, 5), (0.99, 0.9999, 4), (0.9999, 1.01, 3)];

    public static void MapRecognising(this RouteGroupBuilder api)
    {
        api.MapGet("/mirrors/{key}/draft/evidence", Offer).RequireAuthorization(Roles.Administrator).WithName("getEvidence");
        api.MapPost("/mirrors/{key}/draft/recognising", Try).RequireAuthorization(Roles.Administrator).WithName("tryRecognising");
    }

    private static async Task<Results<Ok<EvidenceOffer>, NotFound>> Offer(string key, Mirrors mirrors, Drafts drafts, BenchSamples samples, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var draft = (await drafts.Of(mirror, cancellation)).Definition;
        var records = await Records(mirror, draft, drafts, samples, 300, cancellation);
        return TypedResults.Ok(new EvidenceOffer(
            [.. LikenessDefinition.Guess(draft, [.. records.Select(r => r.Values)]).Select(e => new EvidenceForm(e.Field, e.Kind))],
            [.. Comparators.All.SelectMany(c => c.Parts).Distinct()]));
    }

    private static async Task<Results<Ok<RecognisingTried>, NotFound, ProblemHttpResult>> Try(string key, RecognisingAsked asked, Mirrors mirrors, Drafts drafts, BenchSamples samples, NpgsqlDataSource database, TimeProvider clock, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        if (DraftForms.Read(asked.Likeness, out var likeness) is { } wrong)
        {
            return DraftEndpoints.Problem(wrong);
        }

        var names = (await drafts.Of(mirror, cancellation)).Definition is var draft ? draft.Fields.Select(f => f.Name).ToHashSet() : [];
        if (likeness!.Evidence.IsEmpty || likeness.Plan().Fields.IsEmpty)
        {
            return DraftEndpoints.Problem("Nothing counts as evidence yet. Add a field that tells records apart, such as a name.");
        }

        if (asked.Recognising.Concat(likeness.Fields).FirstOrDefault(f => !names.Contains(f)) is { } none)
        {
            return DraftEndpoints.Problem($"There is no agreed field {none}.");
        }

        draft = draft with { Recognising = [.. asked.Recognising.Select(r => new RecognisingRule(r))] };
        var records = await Records(mirror, draft, drafts, samples, MostRecords, cancellation);
        if (records.Count == 0)
        {
            return DraftEndpoints.Problem("No record is at hand yet. Records are being read from the systems; try again in a moment.");
        }

        IReadOnlyList<(RecordPlace A, RecordPlace B, bool IsSame)> said;
        await using (var connection = await database.OpenConnectionAsync(cancellation))
        {
            said = await new LikenessStore(connection, mirror.Id, clock).ReadJudged(cancellation);
        }

        var judged = Likening.Judged(said, [.. records.Select(r => new RecordPlace(r.Side, r.Id))]);
        var tried = await Task.Run(() => Compared(draft, likeness, records, judged), cancellation);
        return TypedResults.Ok(tried);
    }

    private static RecognisingTried Compared(MirrorDefinition mirror, LikenessDefinition likeness, List<(int Side, string Id, Value[] Values)> records, IReadOnlyList<JudgedPairOf> judged)
    {
        var keyed = Recogniser.LinkAll([.. records.Select(r => new MatchCandidate(r.Side, r.Id, null, MatchKeys.Of(mirror, r.Values)))]);
        var texts = records.Select(r => (IReadOnlyList<string>)likeness.TextsOf(mirror, r.Values)).ToList();
        var linkable = records.Select((r, i) => new LinkableRecord(r.Side, r.Id, keyed[i])).ToList();

        // At the lowest line and linking nothing by itself, every pair that would be linked or asked about at any line is among the asked.
        var all = likeness with { LinkAt = 0.5, AskAt = 0.5 };
        var found = Resemblance.Of(all, mirror.Sides.Length, linkable, texts, (_, _) => false, WorthTelling, likeness.LearnsFromPeople ? judged : null);
        var otherwise = judged.Count == 0 ? null : Resemblance.Of(all, mirror.Sides.Length, linkable, texts, (_, _) => false, WorthTelling, likeness.LearnsFromPeople ? null : judged);
        IReadOnlyList<double> Across(Resemblance of) =>
        [
            .. of.Plan.Groups.Select(g => g.SelectMany(a => g.Where(b => a < b && !(keyed[a] is { } link && link == keyed[b])).Select(b => of.Likely.TryGetValue((a, b), out var l) ? l.Probability : 0)).DefaultIfEmpty(0).Max())
                .Concat(of.Plan.Asked.Where(p => records[p.A].Side != records[p.B].Side).Select(p => p.Probability)).Where(p => p > 0).OrderDescending().Select(Rounded),
        ];
        IReadOnlyList<double> Within(Resemblance of) => [.. of.Plan.Asked.Where(p => records[p.A].Side == records[p.B].Side).Select(p => Rounded(p.Probability)).OrderDescending()];
        var bars = new int[Bars];
        foreach (var likelihood in found.Likely.Where(l => !(keyed[l.Key.A] is { } link && link == keyed[l.Key.B])).Select(l => l.Value))
        {
            bars[Math.Min(Bars - 1, (int)(likelihood.Probability * Bars))]++;
        }

        return new RecognisingTried(
            [.. mirror.Sides.Select((_, s) => records.Count(r => r.Side == s))],
            keyed.Where(k => k is not null).Distinct().Count(),
            Across(found),
            Within(found),
            bars, found.Matched.Across.Report.Pairs + found.Matched.Within.Report.Pairs, found.Matched.Model.Missed,
            [.. Levels.SelectMany(level => Spread(found.Likely.Where(l => l.Value.Probability >= level.From && l.Value.Probability < level.To && !(keyed[l.Key.A] is { } link && link == keyed[l.Key.B])).OrderByDescending(l => l.Value.Probability).ThenBy(l => l.Key.A).ThenBy(l => l.Key.B).ToList(), level.Count))
                .OrderByDescending(l => l.Value.Probability).Select(l => new SampledPair(
                    l.Value.Probability, records[l.Key.A].Side, records[l.Key.A].Id, texts[l.Key.A], records[l.Key.B].Side, records[l.Key.B].Id, texts[l.Key.B],
                    [.. l.Value.Lines.Select(line => new CandidateLine(line.Fields, line.Words, line.Bits))], l.Value.Before, l.Value.Relatives, l.Value.Rivals))],
            judged.Count, otherwise is null ? null : new LikelihoodsTried(Across(otherwise), Within(otherwise)));

        static double Rounded(double probability) => Math.Round(probability, 6);

        static IEnumerable<T> Spread<T>(List<T> of, int count) => of.Count <= count ? of : Enumerable.Range(0, count).Select(i => of[(int)((long)i * (of.Count - 1) / (count - 1))]);
    }

    /// <summary>Records in agreed form: those that runs have read, or else some that are read from the systems now. In the order of their places.</summary>
    private static async Task<List<(int Side, string Id, Value[] Values)>> Records(KeptMirror mirror, MirrorDefinition draft, Drafts drafts, BenchSamples samples, int most, CancellationToken cancellation)
    {
        var records = new List<(int, string, Value[])>();
        for (var side = 0; side < draft.Sides.Length; side++)
        {
            var translator = new Translator(draft, side, CatalogueCollection.Unknown(draft.Sides[side].Collection));
            records.AddRange((await samples.Known(mirror, draft.Sides[side], side, most, cancellation)).Select(r => (side, r.Id, translator.ToAgreed(r.Fields).Values)));
        }

        return [.. records.OrderBy(r => r.Item1).ThenBy(r => r.Item2, StringComparer.Ordinal)];
    }
}
