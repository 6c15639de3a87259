using System.Text.Json;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Tests.Matching;

/// <summary>A likelihood as it is told: in lines that add up to the last digit, and worked out of nothing else.</summary>
public class LikelihoodTests
{
    private static readonly LikenessDefinition Likeness = new([new("Name", "organisation"), new("Street", "street"), new("Town", "town"), new("E-mail", "email")]);

    private static Likelihood Of(params double[] weights) => Likelihood.Of(
        new PairEvidence(weights[0], [new FieldEvidence(0, 5, weights[1]), new FieldEvidence(1, -1, 0), new FieldEvidence(2, 3, weights[2])], weights[3], weights[4]), Likeness.Plan(), Likeness.Fields);

    [Fact]
    public void What_is_told_adds_up_to_the_last_digit_and_the_probability_is_worked_out_of_that()
    {
        var likelihood = Of(-7.123456, 9.87654, 3.333333, -1.111111, -0.049);
        likelihood.Before.ShouldBe(-10.28m);
        likelihood.Lines.Select(l => l.Bits).ShouldBe([14.25m, 0m, 4.81m]);
        likelihood.Sum.ShouldBe(-10.28m + 14.25m + 4.81m - 1.60m - 0.07m);
        likelihood.Probability.ShouldBe(1 / (1 + Math.Pow(2, -7.11)), 1e-12);
    }

    [Fact]
    public void Each_line_names_the_agreed_fields_that_it_is_made_of()
    {
        var likelihood = Of(0, 1, 1, 0, 0);
        likelihood.Lines.Select(l => (string.Join('+', l.Fields), l.Words)).ShouldBe([("Name", "the same"), ("Street+Town", "nothing to compare"), ("E-mail", "the same shared mailbox")], ignoreOrder: true);
    }

    [Fact]
    public void It_is_kept_and_read_back_as_it_was()
    {
        var likelihood = Of(-7.1, 99999, -3.3, -1, 0);
        var read = JsonSerializer.Deserialize<Likelihood>(JsonSerializer.Serialize(likelihood, JsonSerializerOptions.Web), JsonSerializerOptions.Web)!;
        (read.Sum, read.Probability, read.Lines.Length).ShouldBe((likelihood.Sum, likelihood.Probability, 3));
        likelihood.Lines.Max(l => l.Bits).ShouldBe(200m);
    }

    [Fact]
    public void Evidence_is_guessed_from_agreed_fields_and_read_from_agreed_values()
    {
        AgreedFieldDefinition Field(string name, FieldType type = FieldType.Text) => new(name, type, [new SideField(name, true, true, new AsItStands()), null]);
        var mirror = new MirrorDefinition("m", "M", "person", [new SideDefinition("a", "as"), new SideDefinition("b", "bs")], [Field("First name"), Field("Last name"), Field("E-mail", FieldType.Email), Field("Birthday", FieldType.Date), Field("Score", FieldType.Number)], [], "Last name");
        Value[] hanne = [Value.Text("Hanne"), Value.Text("Lunde"), new EmailValue("Hanne@Lunde.example"), new DateValue(new DateOnly(1980, 3, 2)), new NumberValue(7)];
        var guessed = LikenessDefinition.Guess(mirror, [hanne]);
        guessed.ShouldBe([new("First name", "given"), new("Last name", "family"), new("E-mail", "email"), new("Birthday", "date")]);
        var likeness = new LikenessDefinition(guessed);
        var texts = likeness.TextsOf(mirror, hanne);
        texts.ShouldBe(["Hanne", "Lunde", "hanne@lunde.example", "1980-03-02"]);
        likeness.TitleOf(texts).ShouldBe("Hanne Lunde");
        likeness.TitleOf(["", "", "x@y.example", ""]).ShouldBe("x@y.example");
        likeness.TitleOf([]).ShouldBeNull();
    }

    [Fact]
    public void Recognising_is_said_in_plain_words()
    {
        var mirror = new MirrorDefinition("m", "M", "customer", [new SideDefinition("a", "as"), new SideDefinition("b", "bs")], [], [new RecognisingRule("VAT number")], "Name", Likeness: new LikenessDefinition([new("Name", "organisation"), new("Town", "town")], 0.995, 0.6), LeavesOut: true);
        PlainWords.OfRecognising(mirror).ShouldBe([
            "Two records are the same customer when they have the same VAT number.",
            "Otherwise two records are linked when their name and town together make it 99.5 % likely that they are one thing; from 60 % on a person is asked.",
            "Records of one system are never joined without a person.",
            "A customer that is found nowhere else is left as it is, and created nowhere.",
        ]);
        PlainWords.OfRecognising(mirror with { Recognising = [], Likeness = null }).ShouldBe(["Nothing says yet when two records are the same customer."]);
    }
}
