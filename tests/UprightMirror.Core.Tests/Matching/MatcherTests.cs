using UprightMirror.Core.Matching;

namespace UprightMirror.Core.Tests.Matching;

/// <summary>The whole of matching: what is found, that nothing is made up, and that every likelihood is the sum of what is told for it.</summary>
public class MatcherTests
{
    private static readonly string[] Columns = ["id", "name", "email", "phone", "street", "town", "postcode"];

    private static (Matcher Matcher, IReadOnlyList<MatchedPair> Pairs) Match(bool across, string[] columns, params IEnumerable<string[]>[] sides)
    {
        var lists = sides.Select(s => s.ToList()).ToList();
        var plans = MatchPlan.Together([.. lists.Select(rows => MatchPlan.Of([.. columns.Select((c, i) => i == 0 ? "" : c)], rows))]);
        var matcher = Matcher.Learn(MatchSet.Of(plans, [.. lists.SelectMany((rows, side) => rows.Select(r => ((IReadOnlyList<string>)r, (byte)side)))]), across);
        return (matcher, matcher.Pairs());
    }

    /// <summary>Organisations that have nothing to do with each other, numbered.</summary>
    private static string[] Organisation(int n, string id)
    {
        string[] one = ["Heron", "Gannet", "Curlew", "Plover", "Tern", "Dunlin", "Egret", "Godwit", "Knot", "Ruff", "Snipe", "Avocet"], two = ["Weir", "Quay", "Sound", "Reach", "Basin", "Inlet", "Bend", "Mere", "Lough", "Point", "Strand"], three = ["Canoe Club", "Boat Shed", "Paddle School", "Kayak Hire", "Outdoor Trust"];
        var name = $"{one[n % one.Length]} {two[n / 3 % two.Length]} {three[n % three.Length]} {(char)('A' + (n % 26))}{n / 7 % 10}";
        return [id, name, $"office@club{n}.example", $"0131{(n * 7919 % 9000000) + 1000000}", $"{(n % 90) + 1} Mill Lane", $"Town{n % 40}", $"KB{n % 60} {n % 9}RD"];
    }

    private static string[] Copy(int n, string id)
    {
        var row = Organisation(n, id);
        row[1] = (n % 4) switch { 0 => row[1].ToUpperInvariant(), 1 => $"The {row[1]} Ltd", 2 => row[1].Remove(3, 1), _ => row[1] };
        row[3] = n % 5 == 0 ? "" : $"+44 {row[3][1..4]} {row[3][4..]}";
        row[2] = n % 6 == 0 ? "" : row[2];
        return row;
    }

    [Fact]
    public void Copies_on_two_sides_are_found_and_nothing_else()
    {
        var (_, pairs) = Match(true, Columns, Enumerable.Range(0, 400).Select(n => Organisation(n, $"L{n}")), Enumerable.Range(200, 400).Select(n => Copy(n, $"R{n}")));
        var likely = pairs.Where(p => p.Probability >= 0.5).ToList();
        likely.Count(p => p.A + 200 == p.B).ShouldBeGreaterThan(196);
        likely.Count(p => p.A + 200 != p.B).ShouldBeLessThan(3);
    }

    [Fact]
    public void Every_likelihood_is_the_sum_of_what_is_told_for_it()
    {
        var (matcher, pairs) = Match(true, Columns, Enumerable.Range(0, 120).Select(n => Organisation(n, $"L{n}")), Enumerable.Range(60, 120).Select(n => Copy(n, $"R{n}")));
        pairs.Count.ShouldBeGreaterThan(50);
        foreach (var pair in pairs)
        {
            var evidence = matcher.Evidence(pair);
            evidence.Sum.ShouldBe(pair.Weight, 1e-9);
            pair.Probability.ShouldBe(1 / (1 + Math.Exp(-evidence.Sum)), 1e-12);
            (evidence.Relatives <= 0 && evidence.Rivals <= 0).ShouldBeTrue();
        }
    }

    [Fact]
    public void One_record_is_weighed_by_what_was_learned_as_it_was_among_all_even_of_a_side_that_had_none_then()
    {
        var rows = Enumerable.Range(0, 300).Select(n => (Row: Organisation(n, $"L{n}"), Side: (byte)0)).Concat(Enumerable.Range(150, 300).Select(n => (Row: Copy(n, $"R{n}"), Side: (byte)1))).ToList();
        var plan = MatchPlan.Of([.. Columns.Select((c, i) => i == 0 ? "" : c)], [.. rows.Select(r => r.Row)]);
        var set = MatchSet.Of([plan, plan], [.. rows.Select(r => ((IReadOnlyList<string>)r.Row, r.Side))]);
        var all = MatchModel.Learn(plan, set);
        var names = set.Names.ToDictionary(n => (n.Field, n.Name), n => n.BySide);
        foreach (var pair in all.AcrossPairs.Where(p => p.Probability >= 0.5).Take(40))
        {
            MatchPlan[] three = [plan, plan, plan];
            var few = MatchSet.Of(three, [((IReadOnlyList<string>)rows[pair.A].Row, rows[pair.A].Side), ((IReadOnlyList<string>)rows[pair.B].Row, rows[pair.B].Side)], all.Model, names);
            Matcher.Of(few, true, all.Model.Across).WeightOf(0, 1).ShouldBe(pair.Weight - pair.Rivals, 1e-9);

            // The same copy on a third side that nobody knew of: nothing is learned of it, and nothing breaks.
            var third = MatchSet.Of(three, [((IReadOnlyList<string>)rows[pair.B].Row, (byte)2), ((IReadOnlyList<string>)rows[pair.A].Row, rows[pair.A].Side)], all.Model, names);
            Matcher.Of(third, true, all.Model.Across).PairsOf(0).Single().Probability.ShouldBeGreaterThan(0.5);
        }
    }

    [Fact]
    public void Namesakes_on_one_side_are_no_doubles_where_two_sides_show_how_the_same_looks()
    {
        // On each side forty names among six hundred people, each with an address of her own; half of them stand on both sides.
        string[] columns = ["id", "first name", "last name", "email", "mobile"];
        string[] given = ["Robert", "Ingrid", "Hemi", "Aoife", "Cornelis", "Matilda", "Sigurd", "Moana"], family = ["Brannock", "Wierstra", "Lunde", "Tangaroa", "Quill"];
        IEnumerable<string[]> People(int from, string side) => Enumerable.Range(from, 600).Select(n => new[] { $"{side}{n}", given[n % 8], family[n / 8 % 5], $"{given[n % 8]}.{family[n / 8 % 5]}@club{n}.example", n % 3 == 0 ? "" : $"07900{n * 7919 % 900000:000000}" });
        var lists = new[] { People(0, "a").ToList(), People(300, "b").ToList() };
        var plan = MatchPlan.Of([.. columns.Select((c, i) => i == 0 ? "" : c)], lists[0]);
        var rows = lists.SelectMany((own, side) => own.Select(r => ((IReadOnlyList<string>)r, (byte)side))).ToList();
        var all = MatchModel.Learn(plan, MatchSet.Of([plan, plan], rows));
        all.WithinPairs.Count(p => p.Probability >= 0.5).ShouldBe(0);
        all.AcrossPairs.Count(p => p.Probability >= 0.9 && rows[p.A].Item1[0][1..] == rows[p.B].Item1[0][1..]).ShouldBeGreaterThan(290);
    }

    [Fact]
    public void What_people_said_of_pairs_moves_the_likelihood_of_others_like_them_and_nothing_said_changes_nothing()
    {
        // Where the house is another, people say that it is another thing: a branch that has its organisation's telephone.
        var rows = Enumerable.Range(0, 300).Select(n => (Row: Organisation(n, $"L{n}"), Side: (byte)0)).Concat(Enumerable.Range(0, 300).Select(n =>
        {
            var row = Copy(n, $"R{n}");
            (row[2], row[4], row[5], row[6]) = n % 3 == 0 ? ("", $"{n + 200} Quay Street", $"Port{n}", $"ZZ{n} 9ZZ") : (row[2], row[4], row[5], row[6]);
            return (Row: row, Side: (byte)1);
        })).ToList();
        var plan = MatchPlan.Of([.. Columns.Select((c, i) => i == 0 ? "" : c)], [.. rows.Select(r => r.Row)]);
        Matched Learned(IReadOnlyList<JudgedPairOf>? judged) => MatchModel.Learn(plan, MatchSet.Of([plan, plan], [.. rows.Select(r => ((IReadOnlyList<string>)r.Row, r.Side))]), judged);
        double Elsewhere(Matched of) => of.AcrossPairs.Where(p => p.A + 300 == p.B && p.A % 3 == 0 && p.A >= 90).Average(p => p.Weight);

        var before = Learned(null);
        Elsewhere(Learned([])).ShouldBe(Elsewhere(before), 1e-12);
        var told = Enumerable.Range(0, 30).Select(n => new JudgedPairOf(n * 3, (n * 3) + 300, false)).ToList();
        Elsewhere(Learned(told)).ShouldBeLessThan(Elsewhere(before) - 0.5);
        Elsewhere(Learned([.. told.Select(t => t with { IsSame = true })])).ShouldBeGreaterThan(Elsewhere(before));
    }

    [Fact]
    public void Where_no_two_records_are_one_thing_none_is_made_up()
    {
        var (_, across) = Match(true, Columns, Enumerable.Range(0, 500).Select(n => Organisation(n, $"L{n}")), Enumerable.Range(500, 500).Select(n => Organisation(n, $"R{n}")));
        across.Count(p => p.Probability >= 0.5).ShouldBeLessThan(3);
        var (_, within) = Match(false, Columns, Enumerable.Range(0, 800).Select(n => Organisation(n, $"p{n}")));
        within.Count(p => p.Probability >= 0.5).ShouldBeLessThan(3);
    }

    [Fact]
    public void Branches_of_one_organisation_are_relatives_and_not_the_same()
    {
        // Five branches each: one name, one web site; a telephone and a house of their own. And copies of a third of all.
        IEnumerable<string[]> Branches(bool copies) => Enumerable.Range(0, 60).SelectMany(o => Enumerable.Range(0, 5).Select(b =>
        {
            var row = Organisation(o, $"{(copies ? "c" : "p")}{o}.{b}");
            row[2] = $"{(b == 0 ? "office" : $"branch{b}")}@club{o}.example";
            (row[3], row[4], row[5], row[6]) = ($"0161{((o * 5) + b) * 104729 % 9000000:0000000}", $"{(b * 17) + o + 1} Quay Street", $"Port{((o * 3) + (b * 7)) % 40}", $"OT{((o * 11) + (b * 13)) % 97} 1AA");
            return row;
        })).Where((_, i) => !copies || i % 3 == 0);
        var rows = Branches(false).Concat(Branches(true)).ToList();
        var (_, pairs) = Match(false, Columns, rows);
        var likely = pairs.Where(p => p.Probability >= 0.5).Select(p => (rows[p.A][0], rows[p.B][0])).ToList();
        likely.Count(p => p.Item1[1..] == p.Item2[1..]).ShouldBeGreaterThan(95);
        likely.Count(p => p.Item1[1..] != p.Item2[1..]).ShouldBeLessThan(4);
    }

    [Theory]
    [InlineData(0)]
    [InlineData(1)]
    [InlineData(2)]
    public void A_handful_of_rows_gives_a_plain_result(int count)
    {
        Match(false, Columns, Enumerable.Range(0, count).Select(n => Organisation(n, $"p{n}"))).Pairs.Count(p => p.Probability >= 0.5).ShouldBe(0);
        Match(true, Columns, Enumerable.Range(0, count).Select(n => Organisation(n, $"p{n}")), Enumerable.Range(50, 1).Select(n => Organisation(n, $"q{n}"))).Pairs.Count(p => p.Probability >= 0.5).ShouldBe(0);
    }

    [Fact]
    public void All_names_empty_and_one_value_in_every_row_stop_nothing()
    {
        Match(false, Columns, Enumerable.Range(0, 300).Select(n => new[] { $"p{n}", "", "", "", "", "", "" })).Pairs.ShouldBeEmpty();
        var same = Match(false, ["id", "name", "email"], Enumerable.Range(0, 3000).Select(n => new[] { $"p{n}", "Heron Weir Canoe Club", $"a{n}@club{n}.example" }));
        same.Pairs.Count(p => p.Probability >= 0.5).ShouldBeLessThan(3);
        same.Matcher.Report.Cut.ShouldBeGreaterThan(0);
    }

    [Fact]
    public void A_block_of_a_hundred_thousand_is_cut_and_the_rest_is_found()
    {
        var rows = Enumerable.Range(0, 100_000).Select(n => new[] { $"p{n}", "Private customer", $"someone{n % 99_990}@box{n % 99_990}.example", $"0131{(n % 99_990) + 4_000_000}" });
        var (matcher, pairs) = Match(false, ["id", "name", "email", "phone"], rows);
        matcher.Report.Pairs.ShouldBeLessThan(3_000_000);
        pairs.Count(p => p.Probability >= 0.5 && p.B - p.A == 99_990).ShouldBe(10);
    }

    [Fact]
    public void Rare_names_tell_more_than_common_ones()
    {
        string[] columns = ["id", "first name", "last name", "birth date"];
        var rows = Enumerable.Range(0, 600).Select(n => new[] { $"p{n}", n % 5 == 0 ? "Anna" : $"Given{n % 50}", n % 7 == 0 ? "Jansen" : $"Family{n}", $"{1950 + (n % 50)}-{(n % 12) + 1:00}-{(n % 28) + 1:00}" })
            .Concat(Enumerable.Range(0, 17).Select(n => new[] { $"d{n}", $"Given{((n * 35) + 1) % 50}", $"Family{(n * 35) + 1}", $"{1950 + (((n * 35) + 1) % 50)}-{(((n * 35) + 1) % 12) + 1:00}-{(((n * 35) + 1) % 28) + 1:00}" }))
            .Append(["x", "Anna", "Jansen", ""]).Append(["y", "Wilhelmina", "Oosterhout", "1970-05-04"]).Append(["z", "Wilhelmina", "Oosterhout", ""]).ToList();
        var (_, pairs) = Match(false, columns, rows);
        var common = pairs.Where(p => rows[p.B][0] == "x").Select(p => p.Probability).DefaultIfEmpty(0.005).Max();
        pairs.Single(p => rows[p.A][0] == "y" && rows[p.B][0] == "z").Probability.ShouldBeGreaterThan(common * 10);
    }

    [Fact]
    public void The_order_of_the_rows_does_not_matter()
    {
        var rows = Enumerable.Range(0, 200).Select(n => Organisation(n, $"p{n}")).Concat(Enumerable.Range(0, 200).Where(n => n % 4 == 0).Select(n => Copy(n, $"c{n}"))).ToList();
        List<string> Told(IReadOnlyList<string[]> all) => [.. Match(false, Columns, all).Pairs.Where(p => p.Probability >= 0.5).Select(p => string.Join(' ', new[] { all[p.A][0], all[p.B][0] }.Order(StringComparer.Ordinal))).Order(StringComparer.Ordinal)];
        var straight = Told(rows);
        straight.Count.ShouldBeGreaterThan(40);
        Told([.. rows.AsEnumerable().Reverse()]).ShouldBe(straight);
    }

    [Fact]
    public void What_columns_hold_is_found_by_their_names_and_values_or_said()
    {
        string Kinds(params (string Column, string Value)[] columns) => string.Join(" ", MatchPlan.Of([.. columns.Select(c => c.Column)], [.. Enumerable.Repeat(columns.Select(c => c.Value).ToArray(), 5)]).Fields.Select(f => f.Comparator.Kind));
        Kinds(("Name", "Heron Weir Ltd"), ("E-Mail", "a@b.example"), ("Tel.", "0131 496 0210"), ("Straße", "x 1"), ("PLZ", "12345"), ("Ort", "Moorsee")).ShouldBe("organisation email phone address");
        Kinds(("Vorname", "Hanne"), ("Nachname", "Lunde"), ("Geburtsdatum", "02.03.1980"), ("Land", "NO")).ShouldBe("person date");
        Kinds(("contact", "Robert Wier")).ShouldBe("person");
        Kinds(("created", "2026-01-01"), ("x", "zzz")).ShouldBe("");
        MatchPlan.Of(["a", "b"], [["x", "y"]], [("b", "organisation")]).Fields.Single().Columns.ShouldBe([1]);
        Should.Throw<ArgumentException>(() => MatchPlan.Of(["a"], [["x"]], [("a", "colour")])).Message.ShouldStartWith("there is no kind called colour");
        Should.Throw<ArgumentException>(() => MatchPlan.Of(["a"], [["x"]], [("c", "phone")])).Message.ShouldBe("there is no column called c; there are a");
    }
}
