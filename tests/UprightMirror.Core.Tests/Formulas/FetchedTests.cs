using System.Collections.Immutable;
using UprightMirror.Core.Formulas;

namespace UprightMirror.Core.Tests.Formulas;

/// <summary>A formula that fetches says what it needs, and never does anything itself.</summary>
public class FetchedTests
{
    private static Formula Read(string text) => Formula.Parse(text, null, out var formula, out var problem) ? formula : throw new InvalidOperationException(problem.Sentence);

    private static Item Work(string text, Fetched? fetched) => Read(text).Evaluate([], new FormulaSetting(DateTimeOffset.UnixEpoch) { Fetched = fetched });

    [Fact]
    public void What_is_not_known_is_asked_for_once_and_is_known_afterwards()
    {
        var fetched = new Fetched();
        const string both = "FETCHED(\"r\"; \"b\"; \" 7 \"; \"x\") & FETCHED(\"r\"; \"b\"; \"7\"; \"y\")";
        Assert.True(Work(both, fetched).IsError);
        Assert.Equal(new FetchedRecord("r", "b", "7"), Assert.Single(fetched.Wanted));
        fetched.Know(new FetchedRecord("r", "b", "7"), field => Item.Of(field.ToUpperInvariant()));
        Assert.Empty(fetched.Wanted);
        Assert.Equal("XY", Work(both, fetched).Shown);
    }

    [Theory]
    [InlineData("FETCHED(\"Harbour register\"; \"berths\"; \"B-99\"; \"length\")", "")]
    [InlineData("FETCHED(\"Harbour register\"; \"berths\"; \"B-12\"; \"depth\")", "")]
    [InlineData("FETCHED(\"Harbour register\"; \"berths\"; \"  \"; \"length\")", "")]
    public void No_such_record_field_or_id_is_empty(string formula, string shown) => Assert.Equal(shown, FormulaWork.Item(formula).Shown);

    [Fact]
    public void A_fault_is_an_error_that_says_so_and_so_is_asking_where_nothing_can_be_fetched()
    {
        Assert.Equal("It does not answer", FormulaWork.Item("FETCHED(\"Harbour register\"; \"berths\"; \"B-1\"; \"length\")").Error.Detail);
        Assert.Contains("only a field that is worked out", Work("FETCHED(\"r\"; \"b\"; \"1\"; \"x\")", null).Error.Detail, StringComparison.Ordinal);
        Assert.Equal("none", Work("IFERROR(FETCHED(\"r\"; \"b\"; \"1\"; \"x\"); \"none\")", null).Shown);
    }

    [Fact]
    public void Where_it_is_fetched_from_must_be_known_before()
    {
        Assert.Null(Fetched.Problem(Read("FETCHED(\"r\"; \"b\"; 1 + 1; \"x\")"), out var asked));
        Assert.Equal([("r", "b", "x")], asked);
        Assert.NotNull(Fetched.Problem(Read("FETCHED(\"r\" & \"s\"; \"b\"; 1; \"x\")"), out asked));
        Assert.Empty(asked);
        Assert.Null(Fetched.Problem(Read("1 + 1"), out asked));
        Assert.Equal(ImmutableArray<(string, string, string)>.Empty, asked);
    }
}
