using UprightMirror.Core.Mapping.Suggesting;

namespace UprightMirror.Core.Tests.Suggesting;

/// <summary>Which code means which value: by what the same records say first, by how they look otherwise.</summary>
public class CodePairingTests
{
    private static readonly Dictionary<(string, string), int> Nothing = [];

    private static IReadOnlyList<SeenValue> Seen(params string[] values) => [.. values.Select((v, i) => new SeenValue(v, 100 - i))];

    private static Dictionary<string, string?> Pairs(string[] codes, string[] agreed, Dictionary<(string, string), int>? together = null) =>
        CodePairing.Pair(Seen(codes), Seen(agreed), together ?? Nothing).ToDictionary(p => p.Code, p => p.Agreed);

    [Fact]
    public void Countries_of_three_letters_meet_those_of_two() =>
        Pairs(["GBR", "IRL", "NLD", "NOR", "DEU", "NZL"], ["DE", "GB", "IE", "NL", "NO", "NZ"]).ShouldBe(new Dictionary<string, string?> { ["GBR"] = "GB", ["IRL"] = "IE", ["NLD"] = "NL", ["NOR"] = "NO", ["DEU"] = "DE", ["NZL"] = "NZ" }, ignoreOrder: true);

    [Fact]
    public void Abbreviations_and_numbers_meet_what_they_stand_for()
    {
        Pairs(["RET", "CLB", "SCH"], ["school", "club", "retail"]).ShouldBe(new Dictionary<string, string?> { ["RET"] = "retail", ["CLB"] = "club", ["SCH"] = "school" }, ignoreOrder: true);
        Pairs(["N30", "N14"], ["net 14", "net 30"]).ShouldBe(new Dictionary<string, string?> { ["N30"] = "net 30", ["N14"] = "net 14" }, ignoreOrder: true);
    }

    [Fact]
    public void What_the_same_records_say_counts_for_more_than_looks()
    {
        var found = CodePairing.Pair(Seen("A", "B"), Seen("Apple", "Berry"), new Dictionary<(string, string), int> { [("A", "Berry")] = 40, [("A", "Apple")] = 2 });
        found.Single(p => p.Code == "A").Agreed.ShouldBe("Berry");
        found.Single(p => p.Code == "A").Why.ShouldBe("40 of 42 records that are the same say so");
        found.Single(p => p.Code == "B").Agreed.ShouldBeNull();
    }

    [Fact]
    public void Records_that_contradict_each_other_prove_nothing_and_strangers_are_left_open()
    {
        Pairs(["X1"], ["Yes", "No"], new() { [("X1", "Yes")] = 5, [("X1", "No")] = 5 })["X1"].ShouldBeNull();
        Pairs(["30", "60"], ["14"]).Values.ShouldAllBe(v => v == null);
        Pairs([], ["a"]).ShouldBeEmpty();
    }
}
