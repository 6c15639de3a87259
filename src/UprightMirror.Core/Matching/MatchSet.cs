using System.Collections.Immutable;
using UprightMirror.Core.Matching.Comparing;

namespace UprightMirror.Core.Matching;

/// <summary>Records as they are compared: for every field the number of each record's value, and the different values, prepared once.</summary>
public sealed class MatchSet
{
    private MatchSet(ImmutableArray<Comparator> comparators, int[][] values, Prepared[][] prepared, byte[] sides, Dictionary<string, int[]>[] counts, int[][] said) =>
        (this.Comparators, this.Values, this.Prepared, this.Sides, this.Counts, this.Said) = (comparators, values, prepared, sides, counts, said);

    public int Count => this.Sides.Length;

    /// <summary>By field.</summary>
    public ImmutableArray<Comparator> Comparators { get; }

    /// <summary>By field and record: the number of the value; -1 where the record says nothing.</summary>
    internal int[][] Values { get; }

    /// <summary>By field: the different values.</summary>
    internal Prepared[][] Prepared { get; }

    /// <summary>By record: the side that it stands on.</summary>
    internal byte[] Sides { get; }

    /// <summary>By field: how many records of each side have a name, of those that values are counted by.</summary>
    internal Dictionary<string, int[]>[] Counts { get; }

    /// <summary>By field and side: how many records say something.</summary>
    internal int[][] Said { get; }

    /// <summary>Every name that is counted, with how many records of each side have it.</summary>
    public IEnumerable<(int Field, string Name, int[] BySide)> Names => this.Counts.SelectMany((names, f) => names.Select(n => (f, n.Key, n.Value)));

    /// <param name="plans">By side; all of the same fields.</param>
    /// <param name="rows">For each record its texts, by column of its side's plan, and the side that it stands on.</param>
    public static MatchSet Of(IReadOnlyList<MatchPlan> plans, IReadOnlyList<(IReadOnlyList<string> Texts, byte Side)> rows) => Of(plans, rows, null);

    /// <summary>A few records of many: how common names and words are was learned from all of them.</summary>
    /// <param name="counts">How many records of each side have each of the names, by field and name, those in <paramref name="rows"/> among them.</param>
    public static MatchSet Of(IReadOnlyList<MatchPlan> plans, IReadOnlyList<(IReadOnlyList<string> Texts, byte Side)> rows, MatchModel model, IReadOnlyDictionary<(int Field, string Name), int[]> counts)
    {
        var set = Of(plans, rows, model.Words);

        // A side that had no record yet when it was learned, or has none among these, counts for none.
        var sides = plans.Count;
        int[] Wide(int[] bySide) => bySide.Length >= sides ? bySide : [.. bySide, .. new int[sides - bySide.Length]];
        for (var f = 0; f < set.Counts.Length; f++)
        {
            foreach (var name in set.Counts[f].Keys.ToList())
            {
                set.Counts[f][name] = Wide(counts.GetValueOrDefault((f, name)) ?? set.Counts[f][name]);
            }

            set.Said[f] = Wide(model.Said[f]);
        }

        return set;
    }

    private static MatchSet Of(IReadOnlyList<MatchPlan> plans, IReadOnlyList<(IReadOnlyList<string> Texts, byte Side)> rows, IReadOnlyList<IReadOnlyDictionary<string, double>>? words)
    {
        var fields = plans[0].Fields.Length;
        var values = new int[fields][];
        var prepared = new Prepared[fields][];
        var counts = new Dictionary<string, int[]>[fields];
        var sides = rows.Count == 0 ? 1 : rows.Max(r => r.Side) + 1;
        var said = Enumerable.Range(0, fields).Select(_ => new int[sides]).ToArray();
        var comparators = new Comparator[fields];
        Parallel.For(0, fields, f =>
        {
            var comparator = plans[0].Fields[f].Comparator;
            var byText = new Dictionary<string, int>(StringComparer.Ordinal);
            var byRaw = new Dictionary<string, int>(StringComparer.Ordinal);
            var distinct = new List<Prepared>();
            var howMany = new List<int[]>();
            var own = values[f] = new int[rows.Count];
            var parts = new string[comparator.Parts.Length];
            for (var r = 0; r < rows.Count; r++)
            {
                var (texts, columns) = (rows[r].Texts, plans[rows[r].Side].Fields[f].Columns);
                for (var p = 0; p < parts.Length; p++)
                {
                    parts[p] = columns[p] < 0 ? "" : texts[columns[p]];
                }

                var raw = parts.Length == 1 ? parts[0] : string.Join('\u001f', parts);
                if (!byRaw.TryGetValue(raw, out var number))
                {
                    var value = comparator.Prepare(parts);
                    if (value is null)
                    {
                        number = -1;
                    }
                    else if (!byText.TryGetValue(value.Text, out number))
                    {
                        number = byText[value.Text] = distinct.Count;
                        distinct.Add(value);
                        howMany.Add(new int[sides]);
                    }

                    byRaw[raw] = number;
                }

                own[r] = number;
                if (number >= 0)
                {
                    howMany[number][rows[r].Side]++;
                    said[f][rows[r].Side]++;
                }
            }

            prepared[f] = [.. distinct];
            var names = counts[f] = new Dictionary<string, int[]>(StringComparer.Ordinal);
            for (var v = 0; v < distinct.Count; v++)
            {
                foreach (var name in distinct[v].Names)
                {
                    var known = names.TryGetValue(name, out var before) ? before : names[name] = new int[sides];
                    for (var s = 0; s < sides; s++)
                    {
                        known[s] += howMany[v][s];
                    }
                }
            }

            comparators[f] = words is null ? comparator.For([.. distinct.Zip(howMany, (value, by) => (value, by.Sum()))]) : comparator.With(words[f]);
        });
        return new MatchSet([.. comparators], values, prepared, [.. rows.Select(r => r.Side)], counts, said);
    }

    /// <summary>The levels at which two records agree, four bits a field; 15 where they can't be compared.</summary>
    internal ulong Pattern(int a, int b)
    {
        var pattern = 0UL;
        for (var f = 0; f < this.Comparators.Length; f++)
        {
            pattern |= (ulong)(this.Level(f, a, b) & 15) << (4 * f);
        }

        return pattern;
    }

    /// <summary>The level at which two records agree in a field; -1 where they can't be compared.</summary>
    internal int Level(int field, int a, int b)
    {
        var (one, other) = (this.Values[field][a], this.Values[field][b]);
        return one < 0 || other < 0 ? -1 : this.Comparators[field].Compare(this.Prepared[field][one], this.Prepared[field][other]);
    }

    /// <summary>What two records have in common in a field at a level, by the names that it is counted by.</summary>
    internal IEnumerable<string> InCommon(int field, int a, int b, int level) =>
        this.Comparators[field].InCommon(this.Prepared[field][this.Values[field][a]], this.Prepared[field][this.Values[field][b]], level);
}
