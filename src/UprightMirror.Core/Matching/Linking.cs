using System.Collections.Immutable;
using UprightMirror.Core.Mapping.Suggesting;

namespace UprightMirror.Core.Matching;

/// <summary>A record that is to be linked.</summary>
/// <param name="Link">What it is linked with already; null for nothing.</param>
public sealed record LinkableRecord(int Side, string Id, Guid? Link);

/// <summary>Two records that may be one thing, and how likely they are.</summary>
/// <param name="Probability">Rivals counted: 0 to 1.</param>
/// <param name="Weight">Logarithm of the odds, whatever else each may be.</param>
public readonly record struct LikelyPair(int A, int B, double Probability, double Weight);

/// <summary>What becomes of records.</summary>
/// <param name="Groups">Records that are linked by themselves; each holds at least one that was linked with none of the others.</param>
/// <param name="Asked">Pairs that a person is asked about.</param>
public sealed record LinkingPlan(ImmutableArray<ImmutableArray<int>> Groups, ImmutableArray<LikelyPair> Asked);

/// <summary>
/// Decides which records are linked: at most one a side for one real thing. Not pair by pair, the likeliest first, but as a whole: the assignment for
/// which most speaks (Jonker and Volgenant 1987), a side after the other until none would change. Three sides are linked only where no two of them
/// speak against each other, so that strangers are not chained together.
/// </summary>
public static class Linking
{
    /// <summary>Below these odds, one to seven, two records speak against each other.</summary>
    private const double Against = -2;

    private const int MostRounds = 6;

    /// <summary>Above so many records in one tangle the likeliest pairs are taken first: an assignment of all would take too long.</summary>
    private const int LargestTangle = 400;

    /// <param name="across">Pairs of different sides.</param>
    /// <param name="within">Pairs of one side: they are asked about, never linked.</param>
    /// <param name="isDifferent">Whether a person said that two records are different.</param>
    /// <param name="weigh">What speaks for two records of different sides that are not among the pairs.</param>
    /// <param name="doubleOf">Two records of one side as a pair, however likely; null where nothing can be asked about them, or none is ever asked for.</param>
    public static LinkingPlan Solve(
        IReadOnlyList<LinkableRecord> records, IReadOnlyList<LikelyPair> across, IReadOnlyList<LikelyPair> within, Func<int, int, bool> isDifferent, Func<int, int, double> weigh, double linkAt, double askAt, Func<int, int, LikelyPair>? doubleOf = null) =>
        new Solution(records, across, within, isDifferent, weigh, linkAt, askAt) { DoubleOf = doubleOf }.Solve();

    private sealed class Solution
    {
        private readonly IReadOnlyList<LinkableRecord> records;
        private readonly IReadOnlyList<LikelyPair> within;
        private readonly Func<int, int, bool> isDifferent;
        private readonly Func<int, int, double> weigh;
        private readonly double linkAt;
        private readonly double askAt;
        private readonly List<LikelyPair> across;
        private readonly Dictionary<(int, int), LikelyPair> pairs;

        /// <summary>Records that are linked already, and those that are not each alone: these are not taken apart.</summary>
        private readonly List<int[]> atoms = [];
        private readonly int[] atomOf;

        public Solution(IReadOnlyList<LinkableRecord> records, IReadOnlyList<LikelyPair> across, IReadOnlyList<LikelyPair> within, Func<int, int, bool> isDifferent, Func<int, int, double> weigh, double linkAt, double askAt)
        {
            (this.records, this.within, this.isDifferent, this.weigh, this.linkAt, this.askAt) = (records, within, isDifferent, weigh, linkAt, askAt);
            this.atomOf = new int[records.Count];
            var byLink = new Dictionary<Guid, List<int>>();

            // In an order that does not depend on the records' own (law L5).
            foreach (var r in Enumerable.Range(0, records.Count).OrderBy(r => records[r].Side).ThenBy(r => records[r].Id, StringComparer.Ordinal))
            {
                if (records[r].Link is { } link)
                {
                    (byLink.TryGetValue(link, out var own) ? own : byLink[link] = []).Add(r);
                }
                else
                {
                    this.Add([r]);
                }
            }

            foreach (var own in byLink.Values)
            {
                this.Add([.. own]);
            }

            this.across = [.. across.Where(p => p.Probability >= askAt && this.atomOf[p.A] != this.atomOf[p.B] && !isDifferent(p.A, p.B))];
            this.pairs = across.ToDictionary(p => (p.A, p.B));
        }

        private void Add(int[] own)
        {
            foreach (var r in own)
            {
                this.atomOf[r] = this.atoms.Count;
            }

            this.atoms.Add(own);
        }

        public Func<int, int, LikelyPair>? DoubleOf { get; init; }

        public LinkingPlan Solve()
        {
            var groups = ImmutableArray.CreateBuilder<ImmutableArray<int>>();
            var asked = new Dictionary<(int, int), LikelyPair>();
            foreach (var tangle in this.Tangles())
            {
                foreach (var cluster in this.Assign(tangle).Where(c => c.Count > 1))
                {
                    this.Join(cluster, groups, asked);
                }
            }

            var grouped = groups.SelectMany(g => g).ToHashSet();
            foreach (var pair in this.within.Where(p => p.Probability >= this.askAt && !this.isDifferent(p.A, p.B) && this.atomOf[p.A] != this.atomOf[p.B]))
            {
                asked[(pair.A, pair.B)] = pair;
            }

            var doubles = asked.Values.Where(p => this.SideOf(p.A) == this.SideOf(p.B)).SelectMany(p => new[] { (p.A, p.B), (p.B, p.A) }).ToLookup(d => d.Item1, d => d.Item2);
            foreach (var pair in this.across.Where(p => !asked.ContainsKey((p.A, p.B))))
            {
                // One that is still alone, and may be what another is linked with or may become: that is for a person to see. Where the two
                // are doubles on one side, that is asked and enough.
                foreach (var (lonely, other) in new[] { (pair.A, pair.B), (pair.B, pair.A) })
                {
                    if (this.records[lonely].Link is null && !grouped.Contains(lonely) && !doubles[lonely].Any(d => this.AreTogether(d, other, groups)))
                    {
                        // What it seems to be has a record on its side already: it is a double of that one, or nothing to do with either.
                        var twin = this.DoubleOf is null ? -1 : this.Together(other, groups).FirstOrDefault(r => r != lonely && this.SideOf(r) == this.SideOf(lonely), -1);
                        var asks = twin >= 0 && !this.isDifferent(Math.Min(lonely, twin), Math.Max(lonely, twin)) ? this.DoubleOf!(Math.Min(lonely, twin), Math.Max(lonely, twin)) : pair;
                        asked[(asks.A, asks.B)] = asks;
                    }
                }
            }

            return new LinkingPlan([.. groups.OrderBy(g => g[0])], [.. asked.Values.OrderBy(p => p.A).ThenBy(p => p.B)]);
        }

        /// <summary>What a record is linked with, or comes to be, itself among them.</summary>
        private IEnumerable<int> Together(int record, ImmutableArray<ImmutableArray<int>>.Builder groups) => this.atoms[this.atomOf[record]].Concat(groups.Where(g => g.Contains(record)).SelectMany(g => g));

        private bool AreTogether(int a, int b, ImmutableArray<ImmutableArray<int>>.Builder groups) =>
            this.atomOf[a] == this.atomOf[b] || groups.Any(g => g.Contains(a) && g.Contains(b));

        /// <summary>Records that hang together by pairs.</summary>
        private IEnumerable<List<int>> Tangles()
        {
            var root = Enumerable.Range(0, this.atoms.Count).ToArray();
            int Root(int a)
            {
                while (root[a] != a)
                {
                    a = root[a] = root[root[a]];
                }

                return a;
            }

            foreach (var pair in this.across)
            {
                var (a, b) = (Root(this.atomOf[pair.A]), Root(this.atomOf[pair.B]));
                root[Math.Max(a, b)] = Math.Min(a, b);
            }

            return this.across.SelectMany(p => new[] { this.atomOf[p.A], this.atomOf[p.B] }).Distinct().Order().GroupBy(Root).Select(g => g.ToList());
        }

        /// <summary>The best way to put a tangle's atoms into clusters of at most one record a side.</summary>
        private List<List<int>> Assign(List<int> tangle)
        {
            var clusters = tangle.Select(a => new List<int> { a }).ToList();
            if (tangle.Count > LargestTangle)
            {
                return this.Greedy(tangle, clusters);
            }

            var sides = tangle.SelectMany(this.SidesOf).Distinct().Order().ToList();
            for (var round = 0; round < MostRounds; round++)
            {
                var moved = false;
                foreach (var side in sides)
                {
                    // Every atom of this side leaves its cluster and is given the best place anew.
                    var movers = tangle.Where(a => this.SidesOf(a).Contains(side)).ToList();
                    var before = clusters.ToDictionary(c => string.Join(' ', c.Order()));
                    var rests = clusters.Select(c => c.Except(movers).ToList()).Where(c => c.Count > 0).ToList();
                    var worth = new double[rests.Count, movers.Count];
                    for (var r = 0; r < rests.Count; r++)
                    {
                        for (var m = 0; m < movers.Count; m++)
                        {
                            worth[r, m] = this.Worth(rests[r], movers[m]);
                        }
                    }

                    var of = Assignment.Best(worth);
                    var placed = new HashSet<int>();
                    for (var r = 0; r < rests.Count; r++)
                    {
                        if (of[r] >= 0)
                        {
                            rests[r].Add(movers[of[r]]);
                            placed.Add(movers[of[r]]);
                        }
                    }

                    clusters = [.. rests, .. movers.Where(m => !placed.Contains(m)).Select(m => new List<int> { m })];
                    moved |= clusters.Any(c => !before.ContainsKey(string.Join(' ', c.Order())));
                }

                if (!moved || sides.Count == 2)
                {
                    break;
                }
            }

            return clusters;
        }

        private List<List<int>> Greedy(List<int> tangle, List<List<int>> clusters)
        {
            var inTangle = tangle.ToHashSet();
            var clusterOf = clusters.ToDictionary(c => c[0]);
            foreach (var pair in this.across.Where(p => inTangle.Contains(this.atomOf[p.A])).OrderByDescending(p => p.Weight).ThenBy(p => p.A).ThenBy(p => p.B))
            {
                var (one, other) = (clusterOf[this.atomOf[pair.A]], clusterOf[this.atomOf[pair.B]]);
                if (one != other && other.All(a => this.Worth(one, a) > 0))
                {
                    one.AddRange(other);
                    other.ForEach(a => clusterOf[a] = one);
                }
            }

            return [.. clusterOf.Values.Distinct()];
        }

        /// <summary>What speaks for an atom belonging to a cluster; 0 where it can't, or nobody would say so.</summary>
        private double Worth(List<int> cluster, int atom)
        {
            var (sum, isLikely) = (0.0, false);
            foreach (var a in cluster)
            {
                if (this.SidesOf(a).Intersect(this.SidesOf(atom)).Any())
                {
                    return 0;
                }

                foreach (var (one, other) in this.Between(a, atom))
                {
                    if (this.isDifferent(one, other))
                    {
                        return 0;
                    }

                    var weight = this.WeightOf(one, other);
                    sum += weight;
                    isLikely |= this.pairs.TryGetValue((one, other), out var pair) && pair.Probability >= this.askAt;
                }
            }

            return isLikely ? Math.Max(0, sum) : 0;
        }

        /// <summary>Links what is certain in a cluster, the likeliest first, and asks about the rest.</summary>
        private void Join(List<int> cluster, ImmutableArray<ImmutableArray<int>>.Builder groups, Dictionary<(int, int), LikelyPair> asked)
        {
            var parts = cluster.ToDictionary(a => a, a => new List<int> { a });
            var edges = cluster.SelectMany((a, i) => cluster.Skip(i + 1).SelectMany(b => this.Between(a, b)))
                .Select(p => this.pairs.TryGetValue(p, out var pair) ? pair : (LikelyPair?)null).OfType<LikelyPair>().Where(p => p.Probability >= this.askAt)
                .OrderByDescending(p => p.Probability).ThenBy(p => p.A).ThenBy(p => p.B);
            foreach (var edge in edges)
            {
                var (one, other) = (parts[this.atomOf[edge.A]], parts[this.atomOf[edge.B]]);
                if (one == other)
                {
                    continue;
                }

                // What is linked already on both sides is joined by a person only.
                if (edge.Probability >= this.linkAt && !(this.IsLinked(one) && this.IsLinked(other)) && !one.Any(a => other.Any(b => this.Between(a, b).Any(p => this.WeightOf(p.A, p.B) < Against))))
                {
                    one.AddRange(other);
                    other.ForEach(a => parts[a] = one);
                }
                else
                {
                    asked[(edge.A, edge.B)] = edge;
                }
            }

            groups.AddRange(parts.Values.Distinct().Where(p => p.Count > 1).Select(p => p.SelectMany(a => this.atoms[a]).Order().ToImmutableArray()));
        }

        private bool IsLinked(List<int> part) => part.Any(a => this.records[this.atoms[a][0]].Link is not null);

        private double WeightOf(int a, int b) => this.pairs.TryGetValue((a, b), out var pair) ? pair.Weight : this.weigh(a, b);

        private IEnumerable<(int A, int B)> Between(int atom, int other) =>
            this.atoms[atom].SelectMany(a => this.atoms[other].Select(b => a < b ? (a, b) : (b, a))).Where(p => this.SideOf(p.Item1) != this.SideOf(p.Item2));

        private IEnumerable<int> SidesOf(int atom) => this.atoms[atom].Select(this.SideOf);

        private int SideOf(int record) => this.records[record].Side;
    }
}
