using System.Collections.Immutable;
using CsCheck;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Tests;

/// <summary>Conditions put together by hand and the formula of a scope say the same.</summary>
public class ScopeRowsTests
{
    private static readonly ImmutableHashSet<string> Texts = ["stage", "owner", "Billing city", "code"];

    private static Gen<string> Of(params string[] any) => Gen.Int[0, any.Length - 1].Select(i => any[i]);

    private static bool IsText(string path) => Texts.Contains(path);

    private static readonly Gen<string> Said = Of("won", "won \"soon\"", "17", "Inge Sørensen", "-2.5", "2026-03-02", "yes");

    private static readonly Gen<ScopeRow> Row = Gen.Select(Of("stage", "owner", "Billing city", "amount", "isReady"), Gen.Enum<ScopeTest>(), Said.Array[1, 4]).Select(r => r.Item2 switch
    {
        ScopeTest.IsEmpty or ScopeTest.IsFilled => new ScopeRow(r.Item1, r.Item2),
        ScopeTest.IsOneOf or ScopeTest.IsNoneOf => new ScopeRow(r.Item1, r.Item2, [r.Item3[0], .. r.Item3]),
        _ => new ScopeRow(r.Item1, r.Item2, [r.Item3[0]]),
    });

    [Fact]
    public void Conditions_become_a_formula_and_the_formula_becomes_the_same_conditions() =>
        Gen.Select(Gen.Bool, Row.Array[2, 6]).Sample((all, rows) =>
        {
            var made = new ScopeRows(all, [.. rows]);
            made.Problem.ShouldBeNull();
            var text = made.Formula(IsText);
            new ScopeCondition(text).Problem.ShouldBeNull(text);
            ScopeRows.Of(text).ShouldNotBeNull(text).Formula(IsText).ShouldBe(text);
        });

    [Fact]
    public void The_conditions_of_a_formula_hold_for_the_records_that_the_formula_covers()
    {
        var rows = new ScopeRows(true, [new ScopeRow("stage", ScopeTest.IsOneOf, ["won", "ready"]), new ScopeRow("owner", ScopeTest.IsNot, ["Test user"]), new ScopeRow("amount", ScopeTest.AtLeast, ["100"]), new ScopeRow("code", ScopeTest.BeginsWith, ["A-"])]);
        var text = rows.Formula(IsText);
        text.ShouldBe("AND(OR(stage = \"won\"; stage = \"ready\"); owner <> \"Test user\"; amount >= 100; LEFT(code; 2) = \"A-\")");
        var scope = new ScopeCondition(text);
        bool? Covers(string stage, string owner, decimal amount, string code) => scope.Covers(
            RawFields.Of(new Dictionary<string, Value> { ["stage"] = Value.Text(stage), ["owner"] = Value.Text(owner), ["amount"] = new NumberValue(amount), ["code"] = Value.Text(code) }), ConversionSetting.None, out _);
        Covers("Won", "Inge", 100, "A-17").ShouldBe(true);
        Covers("lost", "Inge", 100, "A-17").ShouldBe(false);
        Covers("won", "Test user", 100, "A-17").ShouldBe(false);
        Covers("won", "Inge", 99.99m, "A-17").ShouldBe(false);
        Covers("won", "Inge", 100, "B-17").ShouldBe(false);
        ScopeRows.Of(text)!.Rows.ShouldBe(rows.Rows, new SameRow());
    }

    [Theory]
    [InlineData("YEAR(created) > 2020")]
    [InlineData("AND(stage = \"won\"; LEN(owner) > 3)")]
    [InlineData("stage = owner")]
    [InlineData("not a formula (")]
    public void A_formula_that_is_not_of_such_conditions_is_left_a_formula(string formula) => ScopeRows.Of(formula).ShouldBeNull();

    [Fact]
    public void What_is_missing_is_said()
    {
        new ScopeRows(true, []).Problem.ShouldNotBeNull().ShouldContain("Add a condition");
        new ScopeRows(true, [new ScopeRow("stage", ScopeTest.Is)]).Problem.ShouldBe("stage: say what it is compared with.");
        new ScopeRows(true, [new ScopeRow("", ScopeTest.IsEmpty)]).Problem.ShouldBe("Choose a field for each condition.");
        new ScopeRows(true, [new ScopeRow("stage", ScopeTest.Is, ["a", "b"])]).Problem.ShouldBe("stage: one value is expected here.");
    }

    private sealed class SameRow : IEqualityComparer<ScopeRow>
    {
        public bool Equals(ScopeRow? x, ScopeRow? y) => x?.Path == y?.Path && x?.Test == y?.Test && x!.Values.SequenceEqual(y!.Values);

        public int GetHashCode(ScopeRow obj) => obj.Path.GetHashCode(StringComparison.Ordinal);
    }
}
