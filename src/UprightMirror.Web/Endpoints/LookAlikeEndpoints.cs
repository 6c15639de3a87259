using System.Collections.Immutable;
using System.Security.Claims;
using Microsoft.AspNetCore.Http.HttpResults;
using Npgsql;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Reconciling;
using UprightMirror.Engine;
using UprightMirror.Storage;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <summary>Records that hang together by pairs that wait for a person.</summary>
/// <param name="Id">The pair that is asked first: the likeliest.</param>
/// <param name="System">The system that both are in; null when they are in different ones.</param>
/// <param name="Records">How many records it is about.</param>
/// <param name="Pairs">How many pairs of them are asked about.</param>
public sealed record LookAlikeRow(long Id, string Mirror, string MirrorName, string RecordType, string Title, double Probability, string? System, int Records, int Pairs, DateTimeOffset FoundAt, bool IsPutOff);

/// <param name="Judged">The last judgements, newest first.</param>
public sealed record LookAlikeList(IReadOnlyList<LookAlikeRow> Rows, IReadOnlyList<JudgedShown> Judged);

/// <param name="Is">same, different, double or apart.</param>
public sealed record JudgedShown(long Pair, string Mirror, string Title, string Is, string Who, DateTimeOffset At);

/// <summary>A record of a look-alike.</summary>
/// <param name="Values">What it says, by agreed field, in the order of the page's fields; empty where it says nothing.</param>
/// <param name="LinkedWith">The other records of its link, as system and id.</param>
public sealed record AlikeRecord(SideShown Side, string Id, string Title, Guid? Link, IReadOnlyList<string> LinkedWith, IReadOnlyList<string> Values, DateTimeOffset? ChangedAt, string? ChangedBy);

/// <param name="Fields">Places among the page's fields; more than one where they count together.</param>
/// <param name="Bits">Binary logarithm of what it adds to the odds.</param>
public sealed record EvidenceShown(IReadOnlyList<int> Fields, string Words, decimal Bits);

/// <param name="A">The first record's place among the page's records.</param>
/// <param name="Sum">All of it together: what is before, each line, relatives and rivals.</param>
public sealed record AlikePair(long Id, int A, int B, double Probability, decimal Before, IReadOnlyList<EvidenceShown> Lines, decimal Relatives, decimal Rivals, decimal Sum);

/// <param name="Fields">The agreed fields, those that count as evidence first.</param>
/// <param name="Pair">The pair that is asked about, in <paramref name="Pairs"/>.</param>
/// <param name="IfSame">What follows if they are the same, in sentences.</param>
/// <param name="IfDifferent">What follows if not.</param>
public sealed record LookAlikePage(LookAlikeRow Row, IReadOnlyList<string> Fields, IReadOnlyList<AlikeRecord> Records, IReadOnlyList<AlikePair> Pairs, int Pair, IReadOnlyList<string> IfSame, IReadOnlyList<string> IfDifferent);

/// <param name="Is">same, different or later.</param>
public sealed record JudgementAsked(string Is);

public sealed record JudgementMade(Guid? Link);

/// <param name="Keep">a or b: which of the pair is kept.</param>
/// <param name="Take">Agreed fields whose values are taken from the other.</param>
public sealed record DoubleAsked(string Keep, IReadOnlyList<string> Take);

/// <summary>Pairs above a line that would be decided together.</summary>
/// <param name="Wrong">About how many of them are not the same.</param>
public sealed record AboveShown(int Count, double Wrong, IReadOnlyList<LookAlikeRow> Sample);

/// <param name="AtLeast">A likelihood, 0.5 to 1.</param>
public sealed record AboveAsked(string Mirror, double AtLeast);

/// <param name="Made">How many were linked.</param>
/// <param name="Left">Why the others were not, each once.</param>
public sealed record AboveMade(int Made, IReadOnlyList<string> Left);

/// <param name="PutBack">Whether what had been written across is put back.</param>
public sealed record ApartAsked(int Side, bool PutBack);

/// <param name="Written">What had been written across and would be put back.</param>
public sealed record ApartShown(IReadOnlyList<PutBackOffer> Written);

/// <summary>A record that another may be.</summary>
/// <param name="Probability">Null where nothing was learned yet.</param>
public sealed record CandidateShown(int Side, string Id, string Title, Guid? Link, double? Probability, IReadOnlyList<string> Values, IReadOnlyList<CandidateLine> Lines);

public sealed record CandidateLine(IReadOnlyList<string> Fields, string Words, decimal Bits);

/// <param name="Fields">What <see cref="CandidateShown.Values"/> are of.</param>
public sealed record CandidateList(IReadOnlyList<string> Fields, IReadOnlyList<CandidateShown> Candidates);

public sealed record JoinAsked(int Side, string Id);

internal static class LookAlikeEndpoints
{
    private const int MostPairs = 5000;
    private const int MostJudged = 20;
    private const int MostCandidates = 12;
    private const int MostLooked = 300;

    public static void MapLookAlikes(this RouteGroupBuilder api)
    {
        api.MapGet("/look-alikes", List).WithName("getLookAlikes");
        api.MapGet("/look-alikes/{id:long}", Page).WithName("getLookAlike");
        api.MapPost("/look-alikes/{id:long}/judgement", Judge).RequireAuthorization(Roles.Steward).WithName("judge");
        api.MapPost("/look-alikes/{id:long}/double", Double).RequireAuthorization(Roles.Steward).WithName("keepOne");
        api.MapPost("/look-alikes/{id:long}/undo", Undo).RequireAuthorization(Roles.Steward).WithName("undoJudgement");
        api.MapGet("/look-alikes/above", Above).WithName("getAbove");
        api.MapPost("/look-alikes/above", DecideAbove).RequireAuthorization(Roles.Steward).WithName("decideAbove");
        api.MapGet("/records/{link:guid}/apart", WouldPutBack).WithName("getApart");
        api.MapPost("/records/{link:guid}/apart", TakeApart).RequireAuthorization(Roles.Steward).WithName("takeApart");
        api.MapGet("/records/{link:guid}/candidates", Candidates).WithName("getCandidates");
        api.MapPost("/records/{link:guid}/join", Join).RequireAuthorization(Roles.Steward).WithName("join");
    }

    private static async Task<LookAlikeList> List(LookAlikes lookAlikes, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation)
    {
        var shown = await Shown.With(connections, cancellation);
        var kept = (await mirrors.All(cancellation)).ToDictionary(m => m.Id);
        return new LookAlikeList(
            [.. Clusters(await lookAlikes.Open(MostPairs, cancellation)).Where(c => kept.ContainsKey(c[0].MirrorId)).Select(c => Row(c, kept[c[0].MirrorId], shown))],
            [.. (await lookAlikes.Judged(MostJudged, cancellation)).Where(j => kept.ContainsKey(j.MirrorId)).Select(j => new JudgedShown(
                j.Pair, kept[j.MirrorId].Definition.Key, kept[j.MirrorId].Definition.Likeness?.TitleOf(j.EvidenceA) ?? j.A.Id, j.What, j.Who, j.At))]);
    }

    /// <summary>How many clusters wait, and the oldest of them.</summary>
    public static async Task<(int Count, LookAlikeRow? Oldest)> Waiting(WaitingLookAlikes waiting, LookAlikes lookAlikes, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation)
    {
        var (count, oldest) = await waiting.Read(cancellation);
        if (oldest.Count == 0 || (await mirrors.All(cancellation)).FirstOrDefault(m => m.Id == oldest[0].MirrorId) is not { } mirror)
        {
            return (count, null);
        }

        var first = oldest.MaxBy(p => p.Probability)!;
        var evidence = await lookAlikes.EvidenceOf(first, cancellation);
        return (count, Row([first with { EvidenceA = evidence }, .. oldest.Where(p => p != first)], mirror, await Shown.With(connections, cancellation)));
    }

    /// <summary>Pairs that hang together by a record, the likeliest of each first; clusters in the order of their first pairs.</summary>
    internal static IReadOnlyList<IReadOnlyList<PairView>> Clusters(IReadOnlyList<PairView> pairs)
    {
        var root = new Dictionary<(int, RecordPlace), (int, RecordPlace)>();
        (int, RecordPlace) Root((int, RecordPlace) of)
        {
            while (root.TryGetValue(of, out var up) && up != of)
            {
                of = up;
            }

            return of;
        }

        foreach (var pair in pairs)
        {
            var (a, b) = (Root((pair.MirrorId, pair.A)), Root((pair.MirrorId, pair.B)));
            root[a] = b;
            root.TryAdd(b, b);
        }

        return [.. pairs.GroupBy(p => Root((p.MirrorId, p.A))).Select(g => (IReadOnlyList<PairView>)[.. g])];
    }

    private static LookAlikeRow Row(IReadOnlyList<PairView> cluster, KeptMirror mirror, Shown shown)
    {
        var first = cluster[0];
        var places = cluster.SelectMany(p => new[] { p.A, p.B }).Distinct().ToList();
        return new LookAlikeRow(
            first.Id, mirror.Definition.Key, mirror.Definition.Name, mirror.Definition.RecordType, mirror.Definition.Likeness?.TitleOf(first.EvidenceA) ?? first.A.Id, first.Probability,
            places.Select(p => p.Side).Distinct().Count() == 1 ? shown.Names(mirror.Definition)[first.A.Side] : null, places.Count, cluster.Count, cluster.Min(p => p.FoundAt), cluster.All(p => p.IsPutOff));
    }

    private static async Task<Results<Ok<LookAlikePage>, NotFound>> Page(long id, LookAlikes lookAlikes, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation)
    {
        var cluster = Clusters(await lookAlikes.Open(MostPairs, cancellation)).FirstOrDefault(c => c.Any(p => p.Id == id));
        if (cluster is null || (await mirrors.All(cancellation)).FirstOrDefault(m => m.Id == cluster[0].MirrorId) is not { Definition: var mirror } kept)
        {
            return TypedResults.NotFound();
        }

        var shown = await Shown.With(connections, cancellation);
        var sides = shown.Sides(mirror);
        var evidence = await lookAlikes.Evidence(kept.Id, [.. cluster.Select(p => p.Id)], cancellation);
        var asked = cluster.First(p => p.Id == id);
        var places = new[] { asked.A, asked.B }.Concat(cluster.SelectMany(p => new[] { p.A, p.B })).Distinct().ToList();
        var views = (await lookAlikes.Records(kept.Id, places, cancellation)).ToDictionary(r => r.Place);
        places = [.. places.Where(views.ContainsKey)];
        var references = await mirrors.ReferencesTo([.. mirror.PointsAt], cancellation);
        var translated = places.ToDictionary(p => p, p => views[p].Raw is { } raw ? new Translator(mirror, p.Side, CatalogueCollection.Unknown(mirror.Sides[p.Side].Collection), default, references).ToAgreed(StoredForms.ReadRaw(raw)).Values : null);
        var counting = mirror.Likeness?.Fields.Distinct().ToList() ?? [];
        var fields = mirror.Fields.Select((f, i) => (f.Name, i)).OrderBy(f => counting.Contains(f.Name) ? 0 : 1).ThenBy(f => f.i).ToList();
        var names = fields.Select(f => f.Name).ToList();
        var records = places.Select(p =>
        {
            var view = views[p];
            var texts = cluster.Where(c => c.A == p).Select(c => c.EvidenceA).Concat(cluster.Where(c => c.B == p).Select(c => c.EvidenceB)).First();
            return new AlikeRecord(sides[p.Side], p.Id, mirror.Likeness?.TitleOf(texts) ?? p.Id, view.Link, [], [.. fields.Select(f => translated[p]?[f.i].Display ?? "")], view.ChangedAt, view.ChangedBy);
        }).ToList();
        for (var r = 0; r < records.Count; r++)
        {
            if (records[r].Link is { } link)
            {
                var members = await lookAlikes.MembersOf(kept.Id, link, cancellation);
                records[r] = records[r] with { LinkedWith = [.. members.Where(m => m != places[r]).Select(m => $"{sides[m.Side].Name} {m.Id}")] };
            }
        }

        var pairs = cluster.Where(p => places.Contains(p.A) && places.Contains(p.B)).Select(p =>
        {
            var likelihood = evidence[p.Id];
            return new AlikePair(
                p.Id, places.IndexOf(p.A), places.IndexOf(p.B), likelihood.Probability, likelihood.Before,
                [.. likelihood.Lines.Select(l => new EvidenceShown([.. l.Fields.Select(f => names.IndexOf(f)).Where(i => i >= 0)], l.Words, l.Bits))], likelihood.Relatives, likelihood.Rivals, likelihood.Sum);
        }).ToList();
        var (ifSame, ifDifferent) = Consequences(mirror, sides, records[0], records[1], translated[places[0]], translated[places[1]]);
        return TypedResults.Ok(new LookAlikePage(Row(cluster, kept, shown), names, records, pairs, pairs.FindIndex(p => p.Id == id), ifSame, ifDifferent));
    }

    /// <summary>What follows from either answer, worked out by the same rules as a run.</summary>
    private static (IReadOnlyList<string> Same, IReadOnlyList<string> Different) Consequences(MirrorDefinition mirror, IReadOnlyList<SideShown> sides, AlikeRecord a, AlikeRecord b, Core.Values.Value[]? one, Core.Values.Value[]? other)
    {
        var different = new List<string>();
        foreach (var alone in new[] { a, b }.Where(r => r.Link is null))
        {
            var missing = sides.Where(s => s.Index != alone.Side.Index && mirror.Sides[s.Index].MayCreate).Select(s => s.Name).ToList();
            different.Add(mirror.LeavesOut || missing.Count == 0
                ? $"{alone.Side.Name} {alone.Id} stays as it is."
                : $"{alone.Side.Name} {alone.Id} is created in {string.Join(" and ", missing)}.");
        }

        if (a.Side.Index == b.Side.Index)
        {
            return ([$"One of the two is kept. The other counts as it from then on, and is written no more."], different.Count > 0 ? different : ["Both go on as they are, and are not asked about again."]);
        }

        var same = new List<string>();
        if (one is not null && other is not null)
        {
            var rules = mirror.Rules([.. sides.Select(s => s.Name)]);
            var outcome = Reconciler.Reconcile(rules, new RecordState(null, [.. sides.Select(s => s.Index == a.Side.Index ? new SideState(one, null, ChangedAt: a.ChangedAt) : s.Index == b.Side.Index ? new SideState(other, null, ChangedAt: b.ChangedAt) : new SideState(null, null))]));
            foreach (var write in outcome.Writes.Where(w => w.Kind == WriteKind.Change))
            {
                var fields = write.Fields.Select(f => mirror.Fields[f.Field].Name).ToList();
                same.Add($"{sides[write.Side].Name} gets the {Listed(fields)} of {sides[write.Side == a.Side.Index ? b.Side.Index : a.Side.Index].Name}.");
            }

            same.AddRange(outcome.Conflicts.Select(c => $"The {Listed([.. c.Fields.Select(f => mirror.Fields[f].Name)])} becomes a conflict."));
            var created = outcome.Writes.Where(w => w.Kind == WriteKind.Create).Select(w => sides[w.Side].Name).ToList();
            same.Add(created.Count == 0 ? "Nothing is created." : $"It is created in {string.Join(" and ", created)}.");
        }

        return (same, different.Count > 0 ? different : ["Both go on as they are, and are not asked about again."]);
    }

    private static string Listed(IReadOnlyList<string> names) => names.Count switch { 1 => Small(names[0]), _ => $"{string.Join(", ", names.SkipLast(1).Select(Small))} and {Small(names[^1])}" };

    /// <summary>A field's name in the middle of a sentence: VAT number stays as it is.</summary>
    private static string Small(string name) => name.Length > 1 && char.IsLower(name[1]) ? char.ToLowerInvariant(name[0]) + name[1..] : name;

    private static async Task<Results<Ok<JudgementMade>, NotFound, ProblemHttpResult>> Judge(long id, JudgementAsked asked, LookAlikes lookAlikes, Mirrors mirrors, KeptConnections connections, NpgsqlDataSource database, TimeProvider clock, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (asked.Is is not ("same" or "different" or "later"))
        {
            return TypedResults.Problem(statusCode: 400, title: "Say whether they are the same, or different, or that you will say so later.");
        }

        if (await MirrorOf(id, lookAlikes, mirrors, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        if (asked.Is == "later")
        {
            await new RegroupingStore(database, mirror.Id, mirror.Definition, clock).PutOff(id, cancellation);
            return TypedResults.Ok(new JudgementMade(null));
        }

        var judging = await JudgingOf(mirror, mirrors, connections, database, clock, cancellation);
        return Answer(asked.Is == "same" ? await judging.Same(id, user.Identity!.Name!, cancellation) : await judging.Different(id, user.Identity!.Name!, cancellation));
    }

    private static async Task<Results<Ok<JudgementMade>, NotFound, ProblemHttpResult>> Double(long id, DoubleAsked asked, LookAlikes lookAlikes, Mirrors mirrors, KeptConnections connections, NpgsqlDataSource database, TimeProvider clock, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (asked.Keep is not ("a" or "b") || asked.Take.Count > 500)
        {
            return TypedResults.Problem(statusCode: 400, title: "Say which of the two is kept: a or b.");
        }

        return await MirrorOf(id, lookAlikes, mirrors, cancellation) is { } mirror
            ? Answer(await (await JudgingOf(mirror, mirrors, connections, database, clock, cancellation)).Double(id, asked.Keep == "a", asked.Take, user.Identity!.Name!, cancellation))
            : TypedResults.NotFound();
    }

    private static async Task<Results<Ok<JudgementMade>, NotFound, ProblemHttpResult>> Undo(long id, LookAlikes lookAlikes, Mirrors mirrors, KeptConnections connections, NpgsqlDataSource database, TimeProvider clock, ClaimsPrincipal user, CancellationToken cancellation) =>
        await MirrorOf(id, lookAlikes, mirrors, cancellation) is { } mirror
            ? Answer(await (await JudgingOf(mirror, mirrors, connections, database, clock, cancellation)).Undo(id, user.Identity!.Name!, cancellation))
            : TypedResults.NotFound();

    private static async Task<Results<Ok<AboveShown>, NotFound>> Above(string mirror, double atLeast, LookAlikes lookAlikes, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation)
    {
        if (await mirrors.Find(mirror, cancellation) is not { } kept)
        {
            return TypedResults.NotFound();
        }

        var shown = await Shown.With(connections, cancellation);
        var above = await PairsAbove(kept, atLeast, lookAlikes, cancellation);

        // From the doubtful end: there it is worth looking.
        return TypedResults.Ok(new AboveShown(above.Count, above.Sum(p => 1 - p.Probability), [.. above.OrderBy(p => p.Probability).Take(5).Select(p => Row([p], kept, shown))]));
    }

    private static async Task<Results<Ok<AboveMade>, NotFound>> DecideAbove(AboveAsked asked, LookAlikes lookAlikes, Mirrors mirrors, KeptConnections connections, NpgsqlDataSource database, TimeProvider clock, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (await mirrors.Find(asked.Mirror, cancellation) is not { } kept)
        {
            return TypedResults.NotFound();
        }

        var judging = await JudgingOf(kept, mirrors, connections, database, clock, cancellation);
        var made = 0;
        var left = new List<string>();
        foreach (var pair in await PairsAbove(kept, asked.AtLeast, lookAlikes, cancellation))
        {
            var end = await judging.Same(pair.Id, user.Identity!.Name!, cancellation);
            made += end.End == DecisionEnd.Made ? 1 : 0;
            if (end.Why is { } why)
            {
                left.Add(why);
            }
        }

        return TypedResults.Ok(new AboveMade(made, [.. left.Distinct().Take(20)]));
    }

    /// <summary>Pairs of different systems that stand alone, and are at least so likely: those of several that may be one are for a person, each by itself.</summary>
    private static async Task<IReadOnlyList<PairView>> PairsAbove(KeptMirror mirror, double atLeast, LookAlikes lookAlikes, CancellationToken cancellation) =>
        [.. Clusters(await lookAlikes.Open(MostPairs, cancellation)).Where(c => c.Count == 1 && c[0].MirrorId == mirror.Id && c[0].A.Side != c[0].B.Side && c[0].Probability >= Math.Max(0.5, atLeast)).Select(c => c[0])];

    private static async Task<Results<Ok<ApartShown>, NotFound>> WouldPutBack(Guid link, int side, Views views, Mirrors mirrors, KeptConnections connections, NpgsqlDataSource database, TimeProvider clock, CancellationToken cancellation) =>
        await MirrorOf(link, views, mirrors, cancellation) is { } mirror
            ? TypedResults.Ok(new ApartShown(await (await JudgingOf(mirror, mirrors, connections, database, clock, cancellation)).WrittenAcross(link, side, cancellation)))
            : TypedResults.NotFound();

    private static async Task<Results<Ok<JudgementMade>, NotFound, ProblemHttpResult>> TakeApart(Guid link, ApartAsked asked, Views views, Mirrors mirrors, KeptConnections connections, NpgsqlDataSource database, TimeProvider clock, ClaimsPrincipal user, CancellationToken cancellation) =>
        await MirrorOf(link, views, mirrors, cancellation) is { } mirror
            ? Answer(await (await JudgingOf(mirror, mirrors, connections, database, clock, cancellation)).TakeApart(link, asked.Side, asked.PutBack, null, user.Identity!.Name!, cancellation))
            : TypedResults.NotFound();

    private static async Task<Results<Ok<CandidateList>, NotFound>> Candidates(Guid link, string? text, LookAlikes lookAlikes, Views views, Mirrors mirrors, NpgsqlDataSource database, TimeProvider clock, CancellationToken cancellation)
    {
        if (await MirrorOf(link, views, mirrors, cancellation) is not { Definition: { Likeness: { } likeness } mirror } kept || await views.Record(link, cancellation) is not { } record || record.Members.FirstOrDefault(m => m.Raw is not null) is not { } member)
        {
            return TypedResults.NotFound();
        }

        await using var connection = await database.OpenConnectionAsync(cancellation);
        var store = new LikenessStore(connection, kept.Id, clock);
        var (plan, model) = (likeness.Plan(), await store.ReadModel(cancellation));
        var texts = likeness.TextsOf(mirror, new Translator(mirror, member.Side, CatalogueCollection.Unknown(mirror.Sides[member.Side].Collection)).ToAgreed(StoredForms.ReadRaw(member.Raw!)).Values);
        var members = record.Members.Select(m => new RecordPlace(m.Side, m.Id)).ToHashSet();
        var byHand = string.IsNullOrWhiteSpace(text) || text.Length > 200 ? null : await lookAlikes.Find(kept.Id, member.Side, text.Trim(), MostCandidates * 2, cancellation);
        var found = new List<CandidateShown>();
        if (model is not null && model.Fits(plan))
        {
            var (records, across, _) = await Likening.Candidates(store, plan, model, mirror.Sides.Length, new(member.Side, member.Id), texts, MostLooked, cancellation, byHand);
            for (var i = 1; i < records.Count; i++)
            {
                if (records[i].Side != member.Side && !members.Contains(new(records[i].Side, records[i].Id)))
                {
                    var likelihood = Likelihood.Of(across.Evidence(new MatchedPair(0, i, across.WeightOf(0, i), 0, 1)), plan, likeness.Fields);
                    found.Add(Of(records[i], likelihood));
                }
            }
        }
        else if (byHand is not null)
        {
            found.AddRange(byHand.Where(r => !members.Contains(new(r.Side, r.Id))).Select(r => Of(r, null)));
        }

        return TypedResults.Ok(new CandidateList(likeness.Fields, [.. found.OrderByDescending(c => c.Probability).ThenBy(c => c.Title, StringComparer.OrdinalIgnoreCase).Take(MostCandidates)]));

        CandidateShown Of(LikeRecord r, Likelihood? likelihood) => new(
            r.Side, r.Id, likeness.TitleOf(r.Texts) ?? r.Id, r.Link, likelihood?.Probability, r.Texts, [.. likelihood?.Lines.Select(l => new CandidateLine(l.Fields, l.Words, l.Bits)) ?? []]);
    }

    private static async Task<Results<Ok<JudgementMade>, NotFound, ProblemHttpResult>> Join(Guid link, JoinAsked asked, Views views, Mirrors mirrors, KeptConnections connections, NpgsqlDataSource database, TimeProvider clock, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (await MirrorOf(link, views, mirrors, cancellation) is not { } mirror || await views.Record(link, cancellation) is not { } record || record.Members.FirstOrDefault(m => m.Side != asked.Side) is not { } member)
        {
            return TypedResults.NotFound();
        }

        return Answer(await (await JudgingOf(mirror, mirrors, connections, database, clock, cancellation)).Join(null, new(member.Side, member.Id), new(asked.Side, asked.Id), user.Identity!.Name!, cancellation));
    }

    private static Results<Ok<JudgementMade>, NotFound, ProblemHttpResult> Answer(JudgementEnd end) => end.End switch
    {
        DecisionEnd.Made => TypedResults.Ok(new JudgementMade(end.Link)),
        _ => TypedResults.Problem(statusCode: 409, title: end.Why),
    };

    private static async Task<Judging> JudgingOf(KeptMirror mirror, Mirrors mirrors, KeptConnections connections, NpgsqlDataSource database, TimeProvider clock, CancellationToken cancellation) => new(
        mirror, await mirrors.All(cancellation), (await Shown.With(connections, cancellation)).Names(mirror.Definition), new RegroupingStore(database, mirror.Id, mirror.Definition, clock), await mirrors.ReferencesTo([.. mirror.Definition.PointsAt], cancellation), clock);

    private static async Task<KeptMirror?> MirrorOf(long pair, LookAlikes lookAlikes, Mirrors mirrors, CancellationToken cancellation) =>
        await lookAlikes.MirrorOf(pair, cancellation) is { } id ? (await mirrors.All(cancellation)).FirstOrDefault(m => m.Id == id) : null;

    private static async Task<KeptMirror?> MirrorOf(Guid link, Views views, Mirrors mirrors, CancellationToken cancellation) =>
        await views.Record(link, cancellation) is { MirrorId: var id } ? (await mirrors.All(cancellation)).FirstOrDefault(m => m.Id == id) : null;
}
