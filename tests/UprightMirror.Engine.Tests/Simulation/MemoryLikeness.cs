using System.Collections.Immutable;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Remembered;
using UprightMirror.Storage;

namespace UprightMirror.Engine.Tests.Simulation;

/// <summary>What a run knows of likenesses, in memory.</summary>
public sealed class MemoryLikeness(MemoryStore store) : ILikenessStore
{
    private readonly SortedDictionary<RecordPlace, RecordEvidence> evidence = [];
    private readonly Dictionary<RecordPlace, RawFields?> seen = [];
    private readonly SortedDictionary<(RecordPlace A, RecordPlace B), (Likelihood Likelihood, string State)> pairs = [];
    private Dictionary<(int Field, string Name), int[]> names = [];
    private HashSet<long> common = [];
    private MatchModel? model;

    /// <summary>How often everything was learned anew.</summary>
    public int Learned { get; private set; }

    public IEnumerable<(RecordPlace A, RecordPlace B, Likelihood Likelihood)> Asked => this.pairs.Where(p => p.Value.State == "open").Select(p => (p.Key.A, p.Key.B, p.Value.Likelihood));

    /// <summary>A person says that two are different.</summary>
    public void SayDifferent(RecordPlace a, RecordPlace b)
    {
        this.pairs[(a, b)] = (this.pairs[(a, b)].Likelihood, "different");
        foreach (var place in new[] { a, b }.Where(p => !this.Asked.Any(o => o.A == p || o.B == p)))
        {
            store.Wait(place, true);
        }
    }

    public Task<IReadOnlyList<KnownRecord>> ReadEvidenceDue(RecordPlace after, int count, CancellationToken cancellation) => Task.FromResult<IReadOnlyList<KnownRecord>>(
        [.. store.Rows.Select(r => r.Known).Where(r => Place(r).CompareTo(after) > 0 && (!this.seen.TryGetValue(Place(r), out var raw) || !ReferenceEquals(raw, r.Raw))).OrderBy(Place).Take(count)]);

    public Task SaveEvidence(IReadOnlyList<RecordEvidence> records, CancellationToken cancellation)
    {
        foreach (var record in records)
        {
            var place = new RecordPlace(record.Side, record.Id);
            this.seen[place] = store.Rows.Single(r => Place(r.Known) == place).Known.Raw;
            if (record.Texts is null)
            {
                this.evidence.Remove(place);
            }
            else
            {
                this.evidence[place] = record;
            }
        }

        return Task.CompletedTask;
    }

    public Task<MatchModel?> ReadModel(CancellationToken cancellation) => Task.FromResult(this.model);

    public Task SaveModel(MatchModel learned, IEnumerable<(int Field, string Name, int[] BySide)> counted, IReadOnlyCollection<long> tooCommon, CancellationToken cancellation)
    {
        (this.model, this.names, this.common) = (learned, counted.ToDictionary(n => (n.Field, n.Name), n => n.BySide), [.. tooCommon]);
        this.Learned++;
        return Task.CompletedTask;
    }

    public Task<IReadOnlyList<LikeRecord>> ReadAll(CancellationToken cancellation) => Task.FromResult<IReadOnlyList<LikeRecord>>([.. this.evidence.Values.Select(this.Like)]);

    public Task<int> Count(CancellationToken cancellation) => Task.FromResult(this.evidence.Count);

    public Task<IReadOnlyList<LikeRecord>> FindLike(ImmutableArray<long> blocks, int most, CancellationToken cancellation) => Task.FromResult<IReadOnlyList<LikeRecord>>(
        [.. this.evidence.Values.Where(e => e.Blocks.Intersect(blocks).Except(this.common).Any()).Take(most).Select(this.Like)]);

    public Task<IReadOnlyDictionary<(int Field, string Name), int[]>> CountsOf(IReadOnlyCollection<(int Field, string Name)> asked, CancellationToken cancellation) =>
        Task.FromResult<IReadOnlyDictionary<(int Field, string Name), int[]>>(asked.Distinct().Where(this.names.ContainsKey).ToDictionary(n => n, n => this.names[n]));

    public Task<IReadOnlySet<(RecordPlace A, RecordPlace B)>> ReadDifferent(CancellationToken cancellation) =>
        Task.FromResult<IReadOnlySet<(RecordPlace A, RecordPlace B)>>(this.pairs.Where(p => p.Value.State == "different").Select(p => p.Key).ToHashSet());

    public Task<IReadOnlyList<(RecordPlace A, RecordPlace B, bool IsSame)>> ReadJudged(CancellationToken cancellation) =>
        Task.FromResult<IReadOnlyList<(RecordPlace A, RecordPlace B, bool IsSame)>>([.. this.pairs.Where(p => p.Value.State == "different").Select(p => (p.Key.A, p.Key.B, false))]);

    public Task<IReadOnlyList<RecordPlace>> SaveLookAlikes(IReadOnlyList<LookAlikeFound> found, IReadOnlyCollection<RecordPlace>? looked, CancellationToken cancellation)
    {
        var now = found.Select(f => (f.A, f.B)).ToHashSet();
        foreach (var (a, b, likelihood) in found.Where(f => !this.pairs.TryGetValue((f.A, f.B), out var known) || known.State is "open" or "withdrawn"))
        {
            this.pairs[(a, b)] = (likelihood, "open");
            foreach (var place in new[] { a, b }.Where(this.IsUnlinked))
            {
                store.Wait(place, false);
            }
        }

        var freed = new List<RecordPlace>();
        foreach (var pair in this.Asked.Where(p => !now.Contains((p.A, p.B)) && (looked is null || looked.Contains(p.A) || looked.Contains(p.B))).ToList())
        {
            this.pairs[(pair.A, pair.B)] = (pair.Likelihood, "withdrawn");
            freed.AddRange(new[] { pair.A, pair.B }.Where(this.IsUnlinked));
        }

        return Task.FromResult<IReadOnlyList<RecordPlace>>([.. freed.Distinct().Where(f => !this.Asked.Any(p => p.A == f || p.B == f))]);
    }

    public Task SaveLeftOut(IReadOnlyCollection<RecordPlace> records, CancellationToken cancellation)
    {
        foreach (var place in records)
        {
            store.Wait(place, false);
        }

        return Task.CompletedTask;
    }

    private bool IsUnlinked(RecordPlace place) => store.Rows.Single(r => Place(r.Known) == place).Link is null;

    private LikeRecord Like(RecordEvidence of) => new(of.Side, of.Id, store.Rows.Single(r => Place(r.Known) == new RecordPlace(of.Side, of.Id)).Link, of.Texts!.Value);

    private static RecordPlace Place(KnownRecord record) => new(record.Side, record.Id);
}
