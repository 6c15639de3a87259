using CsCheck;
using UprightMirror.Core.Matching;

namespace UprightMirror.Core.Tests.Matching;

/// <summary>Which records are linked, which are asked about, and which are left alone.</summary>
public class LinkingTests
{
    private static readonly HashSet<(int, int)> Nothing = [];

    private static LinkableRecord Record(int side, string id, Guid? link = null) => new(side, id, link);

    private static LikelyPair Pair(int a, int b, double probability) => new(a, b, probability, Math.Log(probability / (1 - probability)));

    private static LinkingPlan Solve(LinkableRecord[] records, LikelyPair[] across, LikelyPair[]? within = null, HashSet<(int, int)>? different = null, double otherwise = -8) =>
        Linking.Solve(records, across, within ?? [], (a, b) => (different ?? Nothing).Contains((Math.Min(a, b), Math.Max(a, b))), (_, _) => otherwise, 0.95, 0.5);

    [Fact]
    public void Likely_pairs_are_linked_doubtful_ones_asked_and_the_rest_left_alone()
    {
        var plan = Solve([Record(0, "a"), Record(0, "b"), Record(0, "c"), Record(1, "A"), Record(1, "B"), Record(1, "C")], [Pair(0, 3, 0.99), Pair(1, 4, 0.7), Pair(2, 5, 0.3)]);
        plan.Groups.Single().ShouldBe([0, 3]);
        plan.Asked.Select(p => (p.A, p.B)).ShouldBe([(1, 4)]);
    }

    [Fact]
    public void The_links_are_the_best_together_and_not_one_by_one()
    {
        // a is likest to A; but b has nobody else, and a is as good as sure with B.
        var plan = Solve([Record(0, "a"), Record(0, "b"), Record(1, "A"), Record(1, "B")], [Pair(0, 2, 0.999), Pair(0, 3, 0.998), Pair(1, 2, 0.998)]);
        plan.Groups.Select(g => string.Join(' ', g)).ShouldBe(["0 3", "1 2"]);
    }

    [Fact]
    public void At_most_one_record_a_side_and_the_other_is_asked_about_as_its_double()
    {
        var plan = Solve([Record(0, "a"), Record(0, "again"), Record(1, "A")], [Pair(0, 2, 0.999), Pair(1, 2, 0.98)], [Pair(0, 1, 0.9)]);
        plan.Groups.Single().ShouldBe([0, 2]);
        plan.Asked.Select(p => (p.A, p.B)).ShouldBe([(0, 1)]);
    }

    [Fact]
    public void Doubles_are_never_linked_by_themselves()
    {
        var plan = Solve([Record(0, "a"), Record(0, "again")], [], [Pair(0, 1, 0.9999)]);
        plan.Groups.ShouldBeEmpty();
        plan.Asked.Length.ShouldBe(1);
    }

    [Fact]
    public void Three_sides_are_linked_where_nothing_speaks_against_it()
    {
        var plan = Solve([Record(0, "a"), Record(1, "b"), Record(2, "c")], [Pair(0, 1, 0.99), Pair(1, 2, 0.98)], otherwise: 0.5);
        plan.Groups.Single().ShouldBe([0, 1, 2]);
        plan.Asked.ShouldBeEmpty();
    }

    [Fact]
    public void Strangers_are_not_chained_together_by_a_third()
    {
        // a and c have nothing in common but b, which resembles both.
        var plan = Solve([Record(0, "a"), Record(1, "b"), Record(2, "c")], [Pair(0, 1, 0.99), Pair(1, 2, 0.97)], otherwise: -3);
        plan.Groups.Single().ShouldBe([0, 1]);
        plan.Asked.Select(p => (p.A, p.B)).ShouldBe([(1, 2)]);
    }

    [Fact]
    public void What_is_linked_stays_linked_and_a_third_side_joins_it()
    {
        var link = Guid.NewGuid();
        var plan = Solve([Record(0, "a", link), Record(1, "A", link), Record(2, "c")], [Pair(0, 2, 0.99), Pair(1, 2, 0.99)]);
        plan.Groups.Single().ShouldBe([0, 1, 2]);
    }

    [Fact]
    public void Two_that_are_linked_already_are_joined_by_a_person_only()
    {
        var plan = Solve([Record(0, "a", Guid.NewGuid()), Record(1, "A", Guid.NewGuid())], [Pair(0, 1, 0.999)]);
        plan.Groups.ShouldBeEmpty();
        plan.Asked.Length.ShouldBe(1);
    }

    [Fact]
    public void What_a_person_called_different_is_neither_linked_nor_asked_again()
    {
        var plan = Solve([Record(0, "a"), Record(1, "A"), Record(1, "B")], [Pair(0, 1, 0.999), Pair(0, 2, 0.97)], different: [(0, 1)]);
        plan.Groups.Single().ShouldBe([0, 2]);
        plan.Asked.ShouldBeEmpty();
    }

    [Fact]
    public void One_that_may_be_what_another_is_linked_with_is_asked_about()
    {
        var link = Guid.NewGuid();
        var plan = Solve([Record(0, "a", link), Record(1, "A", link), Record(0, "again")], [Pair(1, 2, 0.8)]);
        plan.Groups.ShouldBeEmpty();
        plan.Asked.Select(p => (p.A, p.B)).ShouldBe([(1, 2)]);
    }

    [Fact]
    public void One_that_seems_to_be_what_another_of_its_side_is_linked_with_is_asked_about_as_a_double_of_that_one()
    {
        var link = Guid.NewGuid();
        LinkableRecord[] records = [Record(0, "o1") with { Link = link }, Record(1, "C1") with { Link = link }, Record(0, "o2")];
        LikelyPair Double(int a, int b) => new(a, b, 0.2, -1.4);
        LinkingPlan Solve(Func<int, int, bool> different) => Linking.Solve(records, [new LikelyPair(1, 2, 0.999, 7)], [], different, (_, _) => 0, 0.99, 0.5, Double);

        var plan = Solve((_, _) => false);
        plan.Groups.ShouldBeEmpty();
        plan.Asked.ShouldBe([new LikelyPair(0, 2, 0.2, -1.4)]);

        // Where a person said that it is none, nothing but the other side is left to ask about.
        Solve((a, b) => (a, b) == (0, 2)).Asked.Select(p => (p.A, p.B)).ShouldBe([(1, 2)]);
    }

    [Fact]
    public void However_the_records_are_ordered_no_side_is_twice_in_a_group_and_the_groups_are_the_same() =>
        Gen.Int[0, 1_000_000].Sample(seed =>
        {
            var random = new Random(seed);
            var records = Enumerable.Range(0, 14).Select(i => Record(random.Next(3), $"r{i:00}")).ToArray();
            var weights = new Dictionary<(string, string), double>();
            double WeightOf(string a, string b) => weights[string.CompareOrdinal(a, b) < 0 ? (a, b) : (b, a)];
            for (var i = 0; i < records.Length; i++)
            {
                for (var j = i + 1; j < records.Length; j++)
                {
                    weights[(records[i].Id, records[j].Id)] = (random.NextDouble() * 14) - 9;
                }
            }

            string[] Groups(LinkableRecord[] order)
            {
                var pairs = order.SelectMany((a, i) => order.Skip(i + 1).Select((b, j) => (A: i, B: i + 1 + j, Weight: WeightOf(a.Id, b.Id)))).Select(p => new LikelyPair(p.A, p.B, 1 / (1 + Math.Exp(-p.Weight)), p.Weight)).ToList();
                var plan = Linking.Solve(
                    order, [.. pairs.Where(p => order[p.A].Side != order[p.B].Side && p.Weight > -4.6)], [.. pairs.Where(p => order[p.A].Side == order[p.B].Side && p.Weight > -4.6)],
                    (_, _) => false, (a, b) => WeightOf(order[a].Id, order[b].Id), 0.95, 0.5);
                foreach (var group in plan.Groups)
                {
                    group.Select(r => order[r].Side).Distinct().Count().ShouldBe(group.Length);
                }

                return [.. plan.Groups.Select(g => string.Join(' ', g.Select(r => order[r].Id).Order(StringComparer.Ordinal))).Order(StringComparer.Ordinal)];
            }

            var shuffled = records.ToArray();
            random.Shuffle(shuffled);
            var straight = Groups(records);
            Groups(shuffled).ShouldBe(straight);
            straight.SelectMany(g => g.Split(' ')).ShouldBeUnique();
        }, iter: 300);
}
