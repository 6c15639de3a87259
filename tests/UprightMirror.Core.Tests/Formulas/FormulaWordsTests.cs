using UprightMirror.Core.Formulas;

namespace UprightMirror.Core.Tests.Formulas;

/// <summary>A formula in words says what it does, so that somebody who reads no formulas can say yes or no to it.</summary>
public class FormulaWordsTests
{
    [Theory]
    [InlineData("\"0\" & MID(value; 5; 32767)", "“0”, then the value from character 5 on")]
    [InlineData("SPLIT(value; \", \"; 2) & \" \" & SPLIT(value; \", \"; 1)", "the second part of the value, cut at “, ”, then “ ”, then the first part of the value, cut at “, ”")]
    [InlineData("EMAILDOMAIN(value)", "what stands after the @ of the value")]
    [InlineData("FIRSTFILLED(phone; mobile)", "the first of phone and mobile that is not empty")]
    [InlineData("[Unit price] * quantity", "Unit price times quantity")]
    [InlineData("WORD(value; -1)", "the last word of the value")]
    [InlineData("IF(value = \"\"; \"none\"; UPPER(value))", "“none” where the value is “”, otherwise the value in capitals")]
    [InlineData("ROUND(-amount; 2)", "minus amount rounded to 2 decimals")]
    [InlineData("JOIN(\", \"; street; town)", "street and town, as far as they are filled, with “, ” between")]
    [InlineData("SUM([lines.amount])", "the sum of lines.amount")]
    public void It_says_what_it_does(string text, string words)
    {
        Formula.Parse(text, null, out var formula, out _).ShouldBeTrue();
        FormulaWords.Of(formula!).ShouldBe(words);
    }
}
