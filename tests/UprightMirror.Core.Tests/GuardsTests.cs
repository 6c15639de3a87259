using UprightMirror.Core.Reconciling;

namespace UprightMirror.Core.Tests;

public class GuardsTests
{
    private static AboutToDo About(int records = 2000, int creations = 0, int changes = 0, int removals = 0, int emptied = 0, int gone = 0) => new(1, records, creations, changes, removals, emptied, gone);

    [Theory]
    [InlineData(10, 2000, false)] // not more than the number
    [InlineData(99, 2000, false)] // more than the number, not more than a twentieth
    [InlineData(101, 2000, true)]
    [InlineData(11, 100, true)]
    [InlineData(5, 20, false)] // a quarter, but five
    public void A_limit_stops_what_is_beyond_both_its_number_and_its_share(int removals, int records, bool stops) =>
        Guards.Default.Find([About(records, removals: removals)], false, []).Length.ShouldBe(stops ? 1 : 0);

    [Fact]
    public void In_a_first_load_only_removals_count()
    {
        var much = About(creations: 2000, changes: 2000, emptied: 2000, removals: 2000);
        Guards.Default.Find([much], true, []).Select(f => f.What).ShouldBe([Guarded.Removals]);
        Guards.Default.Find([much], false, []).Select(f => f.What).Order().ShouldBe([Guarded.Creations, Guarded.Changes, Guarded.Removals, Guarded.EmptiedFields]);
    }

    [Fact]
    public void What_was_let_pass_passes_and_a_tenth_more_and_not_twice_as_much()
    {
        var seen = Guards.Default.Find([About(removals: 500)], false, []);
        Guards.Default.Find([About(removals: 500)], false, seen).ShouldBeEmpty();
        Guards.Default.Find([About(removals: 550)], false, seen).ShouldBeEmpty();
        Guards.Default.Find([About(removals: 1000)], false, seen).ShouldHaveSingleItem();
        Guards.Default.Find([About(gone: 500)], false, seen).ShouldHaveSingleItem("another kind of removal was not seen");
    }

    [Fact]
    public void A_guard_that_is_off_stops_nothing_and_each_says_in_words_what_it_found()
    {
        Guards.Default.With(Guarded.Removals, null).Find([About(removals: 2000, gone: 2000)], false, []).ShouldBeEmpty();
        Guards.Default.Find([About(removals: 1890, gone: 1890, creations: 900, changes: 700, emptied: 1200)], false, []).Select(f => f.Words("Ballast ERP")).ShouldBe([
            "It would create 900 records in Ballast ERP, which has 2,000 (200 pass, or 30 %).",
            "It would change 700 of 2,000 records in Ballast ERP (200 pass, or 30 %).",
            "It would remove 1,890 of 2,000 records from Ballast ERP (10 pass, or 5 %).",
            "It would empty 1,200 fields in Ballast ERP, which has 2,000 records (50 pass, or 5 %).",
            "1,890 of 2,000 records are gone from Ballast ERP (10 pass, or 5 %).",
        ]);
    }
}
