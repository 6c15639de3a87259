using CsCheck;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Formulas.Functions;

namespace UprightMirror.Core.Tests.Formulas;

/// <summary>What is no formula is told with its place and what was expected; nothing that is typed breaks or hangs the reader of formulas.</summary>
public class ParserTests
{
    [Theory]
    [InlineData("", 0, "The formula is empty: a field, a text in quotes, a number or a function is expected.")]
    [InlineData("1+", 2, "The formula ends too early: a field, a text in quotes, a number or a function is expected.")]
    [InlineData("(1+2", 4, "The bracket that opens at character 1 is not closed: ) is expected.")]
    [InlineData("1+2)", 3, "There is no opening bracket for this one.")]
    [InlineData("LEFT(\"a\";1", 10, "The brackets of LEFT at character 1 are not closed: ) or ; is expected.")]
    [InlineData("\"abc", 0, "The quotation mark that begins here has no other at its end: close the text with \".")]
    [InlineData("[abc", 0, "The bracket that begins here has no other at its end: close the field's name with ].")]
    [InlineData("1 2", 2, "An operator such as & or + is expected between two values.")]
    [InlineData("LEFTT(\"a\")", 0, "There is no function LEFTT. Did you mean LEFT?")]
    [InlineData("FROBNICATE(1)", 0, "There is no function FROBNICATE.")]
    [InlineData("1+city", 2, "There is no field called city.")]
    [InlineData("TODAY", 0, "There is no field called TODAY. The function TODAY is followed by its arguments in brackets: TODAY().")]
    [InlineData("MID(\"a\";1)", 0, "MID takes 3 arguments, and has 2: MID(text; start; characters).")]
    [InlineData("LEFT(\"a\";1;2)", 0, "LEFT takes 1 to 2 arguments, and has 3: LEFT(text; [characters]).")]
    [InlineData("1;2", 1, "; stands between the arguments of a function only. Decimals are written with a point: 1.5.")]
    [InlineData("1−2", 1, "− is not used in formulas: type - instead.")]
    [InlineData("“a”", 0, "“ is not used in formulas: type \" instead.")]
    [InlineData("'a'", 0, "Texts stand between \" and \", not between '.")]
    [InlineData("#OOPS", 0, "# begins an error value such as #N/A, and this is none.")]
    [InlineData("99999999999999999999999999999999", 0, "The number is too large: at most 28 digits.")]
    [InlineData("a!b", 1, null)]
    [InlineData("()", 1, "Something is missing before this bracket: a field, a text in quotes, a number or a function is expected.")]
    public void Says_where_and_what_was_expected(string formula, int position, string? words)
    {
        var problem = FormulaWork.Problem(formula);
        problem.Position.ShouldBe(position);
        if (words is not null)
        {
            problem.Words.ShouldBe(words);
        }
    }

    [Fact]
    public void What_is_too_long_or_too_deep_is_said_to_be()
    {
        FormulaWork.Problem(new string('1', 100_000)).Words.ShouldBe("The formula has 100,000 characters; at most 32,768 are read.");
        FormulaWork.Problem(new string('(', 10_000) + "1" + new string(')', 10_000)).Words.ShouldBe("The formula is nested more than 128 deep. Work out a part of it in a field of its own.");
        FormulaWork.Problem(string.Concat(Enumerable.Repeat("NOT(", 5_000)) + "1").Words.ShouldStartWith("The formula is nested more than");
        FormulaWork.Of(new string('-', 10_000) + "1").ShouldBe("1");
        FormulaWork.Of(string.Join('+', Enumerable.Repeat("1", 16_000))).ShouldBe("16000");
        FormulaWork.Of(string.Join('&', Enumerable.Repeat("REPT(\"x\";99999)", 1_000))).ShouldBe("\"#VALUE!\"");
    }

    [Fact]
    public void A_search_with_many_stars_ends()
    {
        var text = new string('a', 90_000);
        Formula.Parse($"SEARCH(\"*a*a*a*a*a*b\"; t)", null, out var formula, out _);
        formula!.Evaluate([Item.Of(text)], FormulaWork.Setting).Error.Code.ShouldBe("#VALUE!");
    }

    private static readonly string[] Pieces = ["1", "2.5", "\"x\"", "\"", "[name]", "[", "]", "amount", "(", ")", ";", ",", "+", "-", "^", "&", "%", "=", "<", ">", "#N/A", "#", "é", "💛", "\0", " ", ".", "e9", .. FunctionTable.All.Select(f => f.Name + "(")];

    private static Gen<T> Of<T>(T[] any) => Gen.Int[0, any.Length - 1].Select(i => any[i]);

    /// <summary>Pieces of formulas in any order, and any characters: either a formula whose value is a value, or a problem within the text.</summary>
    [Fact]
    public void Anything_typed_is_a_formula_or_a_problem_in_its_place()
    {
        var formulas = 0;
        Gen.OneOf(Of(Pieces).Array[1, 8].Select(string.Concat), Gen.String[0, 40]).Sample(
            text =>
            {
                if (Formula.Parse(text, FormulaWork.Record.Has, out var formula, out var problem))
                {
                    Interlocked.Increment(ref formulas);
                    var result = formula.Evaluate(FormulaWork.Record, FormulaWork.Setting);
                    ItemJson.Write(result)?.ToJsonString();
                    return result.Kind != ItemKind.Text || result.Text.Length <= Formula.LongestText;
                }

                return problem.Position >= 0 && problem.Position + problem.Length <= Math.Max(text.Length, problem.Position) && problem.Words.Length > 10;
            }, iter: 200_000);
        formulas.ShouldBeGreaterThan(500);
    }

    /// <summary>Calls with the right number of arguments, nested: no function throws for what it is given.</summary>
    [Fact]
    public void No_function_throws_whatever_it_is_given()
    {
        string[] operands = ["1", "-1", "0", "0.5", "99999999999999999999999999", "1e27", "\"\"", "\"2026-03-02\"", "\"x\"", "[empty]", "[lines.amount]", "tags", "1/0", "TRUE()", "DATE(1;1;1)", "DATE(9999;12;31)", "\"💛é\"", "-2147483648", "4294967296"];
        var calls =
            from function in Of([.. FunctionTable.All])
            from count in Gen.Int[function.Least, Math.Min(function.Most, function.Least + 3)]
            from arguments in Of(operands).Array[count]
            from outer in Of(["{0}", "LEN({0})", "{0}+1", "{0}&\"\"", "ROUND({0};2)", "TEXT({0};\"0.00\")", "TEXT({0};\"dd/mm/yyyy hh:mm\")", "EDATE({0};1)"])
            select string.Format(System.Globalization.CultureInfo.InvariantCulture, outer, $"{function.Name}({string.Join(';', arguments)})");
        calls.Sample(text => FormulaWork.Of(text).Length > 0, iter: 100_000);
    }
}
