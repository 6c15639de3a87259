using System.Collections.Immutable;
using System.Globalization;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Remembered;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>
/// Recognises by likelihood what no key decided. Many new records are compared with all at once, and what agreement is worth is learned from them anew;
/// a few that come later are each compared with those that an index finds, by what was learned.
/// </summary>
public sealed class Likening(MirrorContext context, LikenessDefinition likeness)
{
    private const int BatchSize = 1000;

    /// <summary>More new records than this are worth learning anew.</summary>
    private const int ManyNew = 200;

    /// <summary>What was learned from fewer records is learned anew each time: it takes no time.</summary>
    private const int FewKnown = 400;

    /// <summary>A new record is compared with at most so many others.</summary>
    private const int MostCompared = 150;

    /// <summary>Of these, so many are weighed by how common it is what they share.</summary>
    private const int MostWeighed = 30;

    private readonly MatchPlan plan = likeness.Plan();
    private readonly Recognising recognising = new(context);

    private ILikenessStore Store => context.Store.Likeness;

    /// <param name="left">New records that no key decided.</param>
    /// <param name="different">Pairs that a person called different.</param>
    public async Task Recognise(IReadOnlyList<NewRecord> left, IReadOnlySet<(RecordPlace A, RecordPlace B)> different, CancellationToken cancellation)
    {
        await this.KeepEvidence(cancellation);
        if (left.Count == 0 || this.plan.Fields.IsEmpty)
        {
            await this.recognising.TakeAsNew(left, cancellation);
            return;
        }

        var model = await this.Store.ReadModel(cancellation);
        var known = await this.Store.Count(cancellation);
        if (model is null || !model.Fits(this.plan) || model.Records < FewKnown || left.Count > ManyNew || known > model.Records * 1.1)
        {
            await this.AllAtOnce(left, different, cancellation);
            return;
        }

        foreach (var record in left)
        {
            await this.One(record, model, different, cancellation);
        }
    }

    /// <summary>Brings the index up to date with what records say now.</summary>
    private async Task KeepEvidence(CancellationToken cancellation)
    {
        var after = new RecordPlace(-1, "");
        while (await this.Store.ReadEvidenceDue(after, BatchSize, cancellation) is { Count: > 0 } batch)
        {
            after = new RecordPlace(batch[^1].Side, batch[^1].Id);
            var texts = batch.Select(r => r.Raw is null || context.Translators[r.Side].Covers(r.Raw, out _) != true ? (ImmutableArray<string>?)null : likeness.TextsOf(context.Mirror, context.Translators[r.Side].ToAgreed(r.Raw).Values)).ToList();
            var blocks = Blocking.KeysByRecord(this.SetOf(texts.Select((t, i) => (t ?? [.. likeness.Evidence.Select(_ => "")], batch[i].Side))));
            await this.Store.SaveEvidence([.. batch.Select((r, i) => new RecordEvidence(r.Side, r.Id, texts[i], [.. blocks[i]]))], cancellation);
        }
    }

    private MatchSet SetOf(IEnumerable<(ImmutableArray<string> Texts, int Side)> records) =>
        MatchSet.Of([.. Enumerable.Repeat(this.plan, context.SideCount)], [.. records.Select(r => ((IReadOnlyList<string>)r.Texts, (byte)r.Side))]);

    private async Task AllAtOnce(IReadOnlyList<NewRecord> left, IReadOnlySet<(RecordPlace A, RecordPlace B)> different, CancellationToken cancellation)
    {
        var records = await this.Store.ReadAll(cancellation);
        var found = Resemblance.Of(
            likeness, context.SideCount, [.. records.Select(r => new LinkableRecord(r.Side, r.Id, r.Link))], [.. records.Select(r => (IReadOnlyList<string>)r.Texts)],
            (a, b) => Recognising.AreDifferent(different, Place(records[a]), Place(records[b])),
            judged: likeness.LearnsFromPeople ? Judged(await this.Store.ReadJudged(cancellation), [.. records.Select(Place)]) : null);
        var set = found.Matched.Across.Set;
        await this.Store.SaveModel(found.Matched.Model, set.Names, Blocking.Common(set), cancellation);
        await this.Keep(records, found.Plan, found.Likely, left, null, cancellation);
    }

    private async Task One(NewRecord record, MatchModel model, IReadOnlySet<(RecordPlace A, RecordPlace B)> different, CancellationToken cancellation)
    {
        if (await context.Store.ReadKnown(record.Side, record.Id, cancellation) is not { Raw: { } raw } || await context.Store.LinkOf(record.Side, record.Id, cancellation) is not null)
        {
            return; // Linked a moment ago, with one that came before it.
        }

        var texts = likeness.TextsOf(context.Mirror, context.Translators[record.Side].ToAgreed(raw).Values);
        var candidates = await Candidates(this.Store, this.plan, model, context.SideCount, record.Place, texts, MostCompared, cancellation);
        var pairs = candidates.Across.PairsOf(0).Select(p => (Pair: p, Matcher: candidates.Across)).Concat(candidates.Within.PairsOf(0).Select(p => (Pair: p, Matcher: candidates.Within)))
            .ToDictionary(p => (p.Pair.A, p.Pair.B), p => (p.Pair, Likelihood: Likelihood.Of(p.Matcher.Evidence(p.Pair), this.plan, likeness.Fields)));
        LikelyPair[] Likely(bool across) => [.. pairs.Values.Where(p => across == (candidates.Records[p.Pair.A].Side != candidates.Records[p.Pair.B].Side)).Select(p => new LikelyPair(p.Pair.A, p.Pair.B, p.Likelihood.Probability, p.Pair.Weight - p.Pair.Rivals))];
        LikelyPair Double(int a, int b)
        {
            var pair = new MatchedPair(a, b, candidates.Within.WeightOf(a, b), 0, 1);
            var likelihood = Likelihood.Of(candidates.Within.Evidence(pair), this.plan, likeness.Fields);
            pairs[(a, b)] = (pair, likelihood);
            return new LikelyPair(a, b, likelihood.Probability, pair.Weight);
        }

        var plan = Linking.Solve(
            [.. candidates.Records.Select(r => new LinkableRecord(r.Side, r.Id, r.Link))], Likely(true), Likely(false),
            (a, b) => Recognising.AreDifferent(different, Place(candidates.Records[a]), Place(candidates.Records[b])), candidates.Across.WeightOf, likeness.LinkAt, likeness.AskAt, Double);
        await this.Keep(candidates.Records, plan, pairs.ToDictionary(p => p.Key, p => p.Value.Likelihood), [record], [record.Place], cancellation);
    }

    /// <summary>The records that one record is worth comparing with, itself the first, and matchers over them by what was learned.</summary>
    /// <param name="place">Where the record stands; it need not be kept.</param>
    /// <param name="others">The records to compare it with; null for those that the index finds.</param>
    public static async Task<(IReadOnlyList<LikeRecord> Records, Matcher Across, Matcher Within)> Candidates(
        ILikenessStore store, MatchPlan plan, MatchModel model, int sides, RecordPlace place, ImmutableArray<string> texts, int most, CancellationToken cancellation, IReadOnlyList<LikeRecord>? others = null)
    {
        MatchPlan[] plans = [.. Enumerable.Repeat(plan, sides)];
        var alone = MatchSet.Of(plans, [(texts, (byte)place.Side)]);
        var found = others ?? await store.FindLike([.. Blocking.KeysByRecord(alone)[0]], most, cancellation);
        LikeRecord[] records = [new LikeRecord(place.Side, place.Id, null, texts), .. found.Where(f => Place(f) != place)];
        static IReadOnlyList<(IReadOnlyList<string>, byte)> Rows(IEnumerable<LikeRecord> of) => [.. of.Select(r => ((IReadOnlyList<string>)r.Texts, (byte)r.Side))];

        // The likeliest, as if all that they share were rare: how common it is need be known of these only.
        var asIfRare = MatchSet.Of(plans, Rows(records), model, ImmutableDictionary<(int, string), int[]>.Empty);
        var (far, near) = (Matcher.Of(asIfRare, true, model.Across), Matcher.Of(asIfRare, false, model.Within));
        records = [records[0], .. Enumerable.Range(1, records.Length - 1).OrderByDescending(i => (records[i].Side == place.Side ? near : far).WeightOf(0, i)).Take(MostWeighed).Select(i => records[i])];

        var rows = Rows(records);
        var names = MatchSet.Of(plans, rows).Names.ToList();
        var counts = (await store.CountsOf([.. names.Select(n => (n.Field, n.Name))], cancellation)).ToDictionary(n => n.Key, n => n.Value);

        // The record itself is not among those that were counted, unless it was there already.
        foreach (var (field, name, _) in alone.Names)
        {
            var by = new int[sides];
            counts.GetValueOrDefault((field, name))?.CopyTo(by, 0);
            by[place.Side]++;
            counts[(field, name)] = by;
        }

        var set = MatchSet.Of(plans, rows, model, counts);
        return (records, Matcher.Of(set, true, model.Across), Matcher.Of(set, false, model.Within));
    }

    /// <summary>Keeps what was decided, and takes as new what is like nothing.</summary>
    /// <param name="looked">The records that were looked at; null for all.</param>
    private async Task Keep(
        IReadOnlyList<LikeRecord> records, LinkingPlan plan, IReadOnlyDictionary<(int A, int B), Likelihood> evidence, IReadOnlyList<NewRecord> left, IReadOnlyCollection<RecordPlace>? looked, CancellationToken cancellation)
    {
        var titles = left.ToDictionary(l => l.Place, l => l.Title);
        var links = new List<LinkedAs>();
        foreach (var group in plan.Groups)
        {
            var link = group.Select(r => records[r].Link).FirstOrDefault(l => l is not null) ?? Guid.CreateVersion7(context.Clock.GetUtcNow());
            var title = group.Select(r => titles.GetValueOrDefault(Place(records[r]))).FirstOrDefault(t => t is not null) ?? records[group[0]].Id;
            foreach (var r in group.Where(r => records[r].Link is null))
            {
                // Said by what tells most of it.
                var best = group.Where(o => o != r).Select(o => evidence.GetValueOrDefault((Math.Min(r, o), Math.Max(r, o)))).OfType<Likelihood>().MaxBy(l => l.Sum);
                links.Add(new LinkedAs(link, records[r].Side, records[r].Id, title, best is null ? "the same by what the others say" : Why(best)));
            }

            context.Tally.Became(link, RecordOutcome.Linked);
        }

        await context.Store.SaveLinks(links, cancellation);
        var asked = plan.Asked.Select(p => Found(Place(records[p.A]), Place(records[p.B]), evidence[(p.A, p.B)])).ToList();
        var freed = await this.Store.SaveLookAlikes(asked, looked, cancellation);

        var settled = links.Select(l => new RecordPlace(l.Side, l.Id)).Concat(asked.SelectMany(a => new[] { a.A, a.B })).ToHashSet();
        foreach (var waiting in left.Where(l => settled.Contains(l.Place) && asked.Any(a => a.A == l.Place || a.B == l.Place)))
        {
            context.Tally.Became($"{waiting.Side}/{waiting.Id}", RecordOutcome.Held);
        }

        var alone = left.Where(l => !settled.Contains(l.Place)).ToList();
        foreach (var place in freed.Where(f => !settled.Contains(f) && !titles.ContainsKey(f)))
        {
            // What it was doubted for is no more.
            if (await context.Store.ReadKnown(place.Side, place.Id, cancellation) is { Raw: { } raw })
            {
                alone.Add(new NewRecord(place.Side, place.Id, new Translating(context).TitleOf(context.Translators[place.Side].ToAgreed(raw).Values, place.Id)));
            }
        }

        await this.recognising.TakeAsNew(alone, cancellation);
    }

    /// <summary>What people said of pairs, by the places of their records among others; pairs of records that are not among them are left out.</summary>
    public static IReadOnlyList<JudgedPairOf> Judged(IReadOnlyList<(RecordPlace A, RecordPlace B, bool IsSame)> said, IReadOnlyList<RecordPlace> places)
    {
        var at = places.Select((p, i) => (p, i)).ToDictionary(p => p.p, p => p.i);
        return [.. said.Where(s => at.ContainsKey(s.A) && at.ContainsKey(s.B)).Select(s => new JudgedPairOf(at[s.A], at[s.B], s.IsSame))];
    }

    /// <summary>Why two are linked, in a sentence: how likely, and what tells most for it.</summary>
    private static string Why(Likelihood likelihood) =>
        $"{Percent(likelihood.Probability)} likely the same: {string.Join(", ", likelihood.Lines.Where(l => l.Bits > 0).OrderByDescending(l => l.Bits).Take(3).Select(l => $"{string.Join(" and ", l.Fields)} {l.Words}"))}";

    /// <summary>Never said to be certain: 99.99 % at the most.</summary>
    public static string Percent(double probability) => string.Create(CultureInfo.InvariantCulture, $"{Math.Min(99.99, Math.Floor(probability * 10000) / 100):0.##} %");

    private static LookAlikeFound Found(RecordPlace one, RecordPlace other, Likelihood likelihood) =>
        one.CompareTo(other) < 0 ? new LookAlikeFound(one, other, likelihood) : new LookAlikeFound(other, one, likelihood);

    private static RecordPlace Place(LikeRecord record) => new(record.Side, record.Id);
}
