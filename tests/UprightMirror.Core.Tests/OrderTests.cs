using System.Collections.Immutable;
using CsCheck;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Tests;

/// <summary>Law L5 on the core alone: relabelling the sides, with their ranks, relabels the outcome and changes nothing else.</summary>
public class OrderTests
{
    private static readonly Gen<Value> Values = Gen.OneOf(Gen.Const(Value.Empty), Gen.Int[1, 4].Select(i => Value.Text($"v{i}")));

    private sealed record Picture(int Sides, int Kind, int[] Rank, Value[] Shadows, Value[] Nows, int[] Times, bool[] Gives, bool[] Takes, bool Known, int[] Order);

    private static readonly Gen<Picture> Pictures =
        from sides in Gen.Int[2, 4]
        from kind in Gen.Int[0, 4]
        from rank in Gen.Shuffle(Enumerable.Range(0, sides).ToArray())
        from shadows in Values.Array[sides]
        from nows in Values.Array[sides]
        from times in Gen.Int[0, 3].Array[sides]
        from gives in Gen.Bool.Array[sides]
        from takes in Gen.Bool.Array[sides]
        from known in Gen.Bool
        from order in Gen.Shuffle(Enumerable.Range(0, sides).ToArray())
        select new Picture(sides, kind, rank, shadows, nows, times, gives, takes, known, order);

    [Fact]
    public void The_order_of_the_sides_does_not_matter() => Pictures.Sample(
        p => Shown(p, [.. Enumerable.Range(0, p.Sides)]) == Shown(p, p.Order), iter: 20_000);

    [Fact]
    public void A_settled_record_is_unchanged_and_costs_no_object() => Pictures.Sample(p =>
    {
        var value = Value.Text("same");
        var rules = Rules(p, [.. Enumerable.Range(0, p.Sides)]);
        var record = new RecordState([new AgreedField(value, 0, null)], [.. Enumerable.Range(0, p.Sides).Select(_ => new SideState([value], [value]))]);
        return ReferenceEquals(Reconciler.Reconcile(rules, record), Outcome.Unchanged);
    });

    /// <summary>The outcome in words that name sides by their own names, with the sides listed in <paramref name="order"/>.</summary>
    private static string Shown(Picture p, int[] order)
    {
        var rules = Rules(p, order);
        var sides = order.Select(s => new SideState(
            [p.Nows[s]],
            p.Known ? [p.Shadows[s]] : null,
            ChangedAt: p.Times[s] == 0 ? null : DateTimeOffset.UnixEpoch.AddHours(p.Times[s]))).ToArray();
        var outcome = Reconciler.Reconcile(rules, new RecordState(p.Known ? [new AgreedField(Value.Text("before"), Candidate.Person, null)] : null, sides));
        var agreed = outcome.Changes.Select(c => c.After.Value.Display);
        var writes = outcome.Writes.Select(w => $"{rules.SideNames[w.Side]}={w.Fields[0].Value}").Order(StringComparer.Ordinal);
        var conflicts = outcome.Conflicts.SelectMany(c => c.Values).Select(v => $"{(v.Key < 0 ? "person" : rules.SideNames[v.Key])}:{v.Value!.Value[0]}").Order(StringComparer.Ordinal);
        return $"{string.Join(',', agreed)}|{string.Join(',', writes)}|{string.Join(',', conflicts)}";
    }

    private static ReconcileRules Rules(Picture p, int[] order)
    {
        var rank = p.Rank.Select(s => Array.IndexOf(order, s)).ToImmutableArray();
        SettlingRule rule = p.Kind switch
        {
            0 => new ByRank(rank),
            1 => new Latest(rank),
            2 => new Fullest(rank),
            3 => new FurthestAlong(rank, ["v1", "before", "v2", "v3"]),
            _ => new Ask(rank),
        };
        return new ReconcileRules(
            [new FieldRules("f", FieldType.Text, rule, new ByRank(rank))],
            [.. order.Select(s => new SideRules($"side {s}", [p.Gives[s]], [p.Takes[s]], [Drift.PutBack]))]);
    }
}
