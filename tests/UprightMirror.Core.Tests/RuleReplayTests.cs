using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Tests;

/// <summary>Which rule would have decided as people did, and from when a side is read again.</summary>
public class RuleReplayTests
{
    private static readonly DateTimeOffset Noon = new(2026, 3, 1, 12, 0, 0, TimeSpan.Zero);
    private static readonly string[] Names = ["Slipway CRM", "Ballast ERP"];

    private static PastConflict Past(string crm, string erp, string decided, int erpLater) => new(
        [new Candidate(0, [Value.Text(crm)], Noon), new Candidate(1, [Value.Text(erp)], Noon.AddMinutes(erpLater))], [Value.Text("before")], [Value.Text(decided)]);

    [Fact]
    public void The_rule_that_agrees_with_most_decisions_stands_first_and_says_how_it_would_have_decided_each()
    {
        PastConflict[] past = [Past("a", "bb", "bb", 5), Past("c", "dd", "c", -5), Past("eee", "f", "f", 5)];

        var rules = RuleReplay.Of(past, FieldType.Text, 2, [], Names);

        rules[0].Rule.ShouldBeOfType<Latest>();
        (rules[0].Agrees, rules[0].Asks).ShouldBe((3, 0));
        rules.Single(r => r.Rule is ByRank { Rank: [1, 0] }).Agrees.ShouldBe(2);
        var fullest = rules.Single(r => r.Rule is Fullest);
        fullest.Agrees.ShouldBe(1);
        Enumerable.Range(0, 3).Select(i => fullest.AgreesOn(i, past[i])).ShouldBe([true, false, false]);
        fullest.Verdicts[2].Values[0].Display.ShouldBe("eee");
    }

    [Fact]
    public void A_decision_that_no_side_said_is_agreed_with_by_no_rule()
    {
        var rules = RuleReplay.Of([Past("a", "b", "typed", 1)], FieldType.Text, 2, [], Names);
        rules.ShouldAllBe(r => r.Agrees == 0);
    }

    [Fact]
    public void States_lists_and_numbers_have_rules_of_their_own()
    {
        RuleReplay.Of([], FieldType.Text, 2, ["lead", "won"], Names).ShouldContain(r => r.Rule is FurthestAlong);
        RuleReplay.Of([], FieldType.List, 2, [], Names).ShouldContain(r => r.Rule is AllOfThem);
        RuleReplay.Of([], FieldType.Number, 3, [], [.. Names, "Pennant Mail"]).Count(r => r.Rule is GreatestOrLeast).ShouldBe(2);
    }

    [Theory]
    [InlineData(0, 0, "11:59:30")] // as it goes
    [InlineData(60, 60, "11:59:30")] // an hour ahead, as before
    [InlineData(60, 0, "11:59:30")] // put back by an hour since
    [InlineData(0, -60, "10:59:30")] // an hour late since
    [InlineData(null, null, "11:59:30")] // it does not say
    public void A_clock_that_is_put_back_hides_nothing_that_is_changed_now(int? minutesAheadThen, int? minutesAheadNow, string since)
    {
        static TimeSpan? Ahead(int? minutes) => minutes is { } m ? TimeSpan.FromMinutes(m) : null;

        // The newest stamp seen lies in the future of any of these clocks.
        var mark = Watermark.Of(Noon.AddDays(1), Noon, Ahead(minutesAheadThen));

        var (from, expected) = (mark.Since(Ahead(minutesAheadNow), TimeSpan.FromSeconds(30)), TimeSpan.Parse(since, System.Globalization.CultureInfo.InvariantCulture));
        from.ShouldBeLessThanOrEqualTo(Noon + (Ahead(minutesAheadNow) ?? TimeSpan.Zero) - TimeSpan.FromSeconds(30));
        from.TimeOfDay.ShouldBe(minutesAheadThen == 60 && minutesAheadNow == 60 ? expected + TimeSpan.FromHours(1) : expected);
    }
}
