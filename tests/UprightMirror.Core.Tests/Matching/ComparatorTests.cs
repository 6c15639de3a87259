using CsCheck;
using UprightMirror.Core.Matching.Comparing;

namespace UprightMirror.Core.Tests.Matching;

/// <summary>Comparators one by one, against values that were published or can be counted by hand.</summary>
public class ComparatorTests
{
    [Theory]
    [InlineData("MARTHA", "MARHTA", 0.944, 0.961)]
    [InlineData("DWAYNE", "DUANE", 0.822, 0.840)]
    [InlineData("DIXON", "DICKSONX", 0.767, 0.813)]
    [InlineData("JONES", "JOHNSON", 0.790, 0.832)]
    [InlineData("MASSEY", "MASSIE", 0.889, 0.933)]
    [InlineData("ABROMS", "ABRAMS", 0.889, 0.922)]
    [InlineData("JON", "JAN", 0.778, 0.800)]
    [InlineData("ABC", "XYZ", 0, 0)]
    public void Jaro_and_Winkler_as_in_Winklers_tables(string a, string b, double jaro, double winkler)
    {
        JaroWinkler.Jaro(a, b).ShouldBe(jaro, 0.0006);
        JaroWinkler.Likeness(a, b).ShouldBe(winkler, 0.0006);
        JaroWinkler.Likeness(b, a).ShouldBe(JaroWinkler.Likeness(a, b), 1e-9);
    }

    [Theory]
    [InlineData("", "", 0)]
    [InlineData("", "abc", 3)]
    [InlineData("kitten", "sitting", 3)]
    [InlineData("ca", "ac", 1)]
    [InlineData("ca", "abc", 3)]
    [InlineData("Kelburn", "Kelbrun", 1)]
    [InlineData("saturday", "sunday", 3)]
    public void Slips_of_the_hand_are_counted(string a, string b, int slips)
    {
        DamerauLevenshtein.Distance(a, b).ShouldBe(slips);
        DamerauLevenshtein.Distance(b, a).ShouldBe(slips);
        DamerauLevenshtein.Distance(a, b, 1).ShouldBe(Math.Min(slips, 2));
    }

    [Fact]
    public void Counting_slips_goes_by_the_definition() => Gen.Select(Gen.String[Gen.Char['a', 'c'], 0, 7], Gen.String[Gen.Char['a', 'c'], 0, 7]).Sample((a, b) =>
        DamerauLevenshtein.Distance(a, b) == ByDefinition(a, b), iter: 5_000);

    private static int ByDefinition(string a, string b)
    {
        if (a.Length == 0 || b.Length == 0)
        {
            return a.Length + b.Length;
        }

        var best = Math.Min(Math.Min(ByDefinition(a[1..], b), ByDefinition(a, b[1..])) + 1, ByDefinition(a[1..], b[1..]) + (a[0] == b[0] ? 0 : 1));
        return a.Length > 1 && b.Length > 1 && a[0] == b[1] && a[1] == b[0] ? Math.Min(best, ByDefinition(a[2..], b[2..]) + 1) : best;
    }

    [Theory]
    [InlineData("Königssee  Bootsverleih", "konigssee bootsverleih")]
    [InlineData("Seán Ó Cuinn", "sean o cuinn")]
    [InlineData("Ålesund–Padleklubb", "alesund padleklubb")]
    [InlineData("C.C. O'Brien & Sons", "cc obrien sons")]
    [InlineData("Łódź Straße", "lodz strasse")]
    [InlineData("Иван Ёлкин", "иван елкин")]
    [InlineData(" -- ", "")]
    [InlineData("e\u0301te\u0301", "ete")]
    public void Marks_and_signs_fall_away(string text, string folded) => Folding.Words(text).ShouldBe(folded.Replace('й', 'и'));

    [Theory]
    [InlineData("j", "jan", true)]
    [InlineData("j b", "jan bram", true)]
    [InlineData("j k", "jan bram", false)]
    [InlineData("jan", "johan", false)]
    [InlineData("k", "jan", false)]
    public void Initials_fit_names_that_begin_so(string a, string b, bool fit)
    {
        Initials.Fit(a, b).ShouldBe(fit);
        Initials.Fit(b, a).ShouldBe(fit);
    }

    [Theory]
    [InlineData("bob", "robert", true)]
    [InlineData("bob", "rob", true)]
    [InlineData("sean", "ian", true)]
    [InlineData("hanne", "ann", true)]
    [InlineData("bob", "bill", false)]
    [InlineData("zelda", "robert", false)]
    public void Short_forms_stand_for_names(string a, string b, bool same) => GivenNames.StandForEachOther(a, b).ShouldBe(same);

    [Theory]
    [InlineData("philip", "filip")]
    [InlineData("schmidt", "shmit")]
    [InlineData("meyer", "maier")]
    [InlineData("kelburn", "kelbern")]
    [InlineData("jansen", "janssen")]
    public void Words_that_sound_alike_have_one_skeleton(string a, string b) => Skeleton.Of(a).ShouldBe(Skeleton.Of(b));

    [Fact]
    public void Sets_of_words_are_compared_by_weight()
    {
        double[] even = [1, 1];
        TokenSets.Likeness(["heron", "weir"], even, ["weir", "heron"], even).ShouldBe(1);
        TokenSets.Likeness(["heron", "weir"], even, ["heron", "quay"], even).ShouldBe(1 / 3.0, 1e-9);
        TokenSets.Likeness(["heron", "club"], [1, 0.1], ["heron", "school"], [1, 0.1]).ShouldBe(1 / 1.2, 1e-9);
        TokenSets.Likeness(["heron"], [1], [], []).ShouldBe(0);
        TokenSets.Likeness(["kelburn"], [1], ["kelbrun"], [1]).ShouldBeGreaterThan(0.9);
    }

    private static int Level(string kind, string a, string b)
    {
        var (comparator, part) = Comparators.Of(kind)!.Value;
        Prepared? Of(string text) => comparator.Prepare([.. comparator.Parts.Select((_, i) => i == part ? text : "")]);
        var (one, other) = (Of(a), Of(b));
        if (one is null || other is null)
        {
            return -1;
        }

        comparator.Compare(other, one).ShouldBe(comparator.Compare(one, other), $"{a} | {b} the other way round");
        return comparator.Compare(one, other);
    }

    [Theory]
    [InlineData("The Heron Weir Canoe Club Ltd", "Heron Weir Canoe Club", 5)]
    [InlineData("Heron & Quay GmbH", "Heron and Quay", 5)]
    [InlineData("North Heron Canoe Club", "North Heron C.C.", 5)]
    [InlineData("Barley Mill Boat Shed", "Barley Mill Boatshed", 4)]
    [InlineData("Stonepier Watersports", "Stonpeier Watersports", 4)]
    [InlineData("Heron Weir Canoe Club, Kelburn", "Heron Weir Canoe Club", 3)]
    [InlineData("Heron Weir Canoe Club", "Gannet Quay Boat Shed", 0)]
    [InlineData("Stichting B.V.", "", -1)]
    public void Organisations(string a, string b, int level) => Level("organisation", a, b).ShouldBe(level);

    [Theory]
    [InlineData("Hanne Lunde", "HANNE LUNDE", 6)]
    [InlineData("Lunde, Hanne", "Hanne Lunde", 6)]
    [InlineData("Dr. Hanne Lunde", "Hanne Lunde", 6)]
    [InlineData("Lunde Hanne", "Hanne Lunde", 5)]
    [InlineData("Hanne Lunde", "Hanne Lnude", 5)]
    [InlineData("Bob Lunde", "Robert Lunde", 4)]
    [InlineData("H. Lunde", "Hanne Lunde", 3)]
    [InlineData("Hanne Lunde", "Hanne Wier", 2)]
    [InlineData("Hanne Lunde", "Tomasz Lunde", 1)]
    [InlineData("Hanne Lunde", "Tomasz Wier", 0)]
    [InlineData("Jan van der Berg", "van der Berg, Jan", 6)]
    public void People(string a, string b, int level) => Level("name", a, b).ShouldBe(level);

    [Theory]
    [InlineData("aoife@club.example", "Aoife@Club.example ", 4)]
    [InlineData("aoife+orders@club.example", "aoife@club.example", 4)]
    [InlineData("info@club.example", "info@club.example", 3)]
    [InlineData("aoife@club.example", "tomasz@club.example", 2)]
    [InlineData("aoife@gmail.com", "tomasz@gmail.com", 0)]
    [InlineData("aoife@club.example", "aoife@gmail.com", 1)]
    [InlineData("aoife@club.example", "hanne@school.example", 0)]
    [InlineData("aoife.voll@club.example", "aoife.vol@club.example", 2)]
    [InlineData("aoife.voll@gmail.com", "aoife.vol@gmail.com", 1)]
    [InlineData("aoife.voll66@gmail.com", "aoife.voll67@gmail.com", 0)]
    [InlineData("not an address", "aoife@club.example", -1)]
    public void Mail(string a, string b, int level) => Level("email", a, b).ShouldBe(level);

    [Theory]
    [InlineData("+44 131 496 0210", "0131 496 0210", 2)]
    [InlineData("01314960210", "(0131) 496-0210", 2)]
    [InlineData("0131 496 0210", "0131 496 0201", 1)]
    [InlineData("0131 496 0210", "0161 222 3344", 0)]
    [InlineData("ask", "0131 496 0210", -1)]
    public void Telephones(string a, string b, int level) => Level("phone", a, b).ShouldBe(level);

    [Theory]
    [InlineData("1980-03-02", "2.3.1980", 3)]
    [InlineData("1980-03-02", "1980-02-03", 2)]
    [InlineData("1980-03-02", "1980-03-03", 2)]
    [InlineData("1980-03-02", "1980-11-25", 1)]
    [InlineData("1980-03-02", "1975-11-25", 0)]
    [InlineData("1980-02-31", "1980-03-02", -1)]
    public void Days(string a, string b, int level) => Level("date", a, b).ShouldBe(level);

    [Theory]
    [InlineData("GB 123 4567 89", "gb123456789", 2)]
    [InlineData("GB123456789", "GB123456798", 1)]
    [InlineData("GB123456789", "IE987654321", 0)]
    [InlineData("12", "13", 0)]
    public void Numbers(string a, string b, int level) => Level("number", a, b).ShouldBe(level);

    [Theory]
    [InlineData("12 Mill Lane", "Kelburn", "KB4 2RD", "12 Mill Ln", "Kelburn", "KB42RD", 3)]
    [InlineData("Seestraße 4", "Moorsee", "", "Seestr. 4", "Moorsee", "", 3)]
    [InlineData("12 Mill Lane", "Kelburn", "KB4 2RD", "14 Mill Lane", "Kelburn", "KB4 2RD", 2)]
    [InlineData("12 Mill Lane", "Kelburn", "KB4 2RD", "3 Quay Street", "Kelburn", "KB1 1AA", 1)]
    [InlineData("12 Mill Lane", "Kelburn", "KB4 2RD", "3 Quay Street", "Otterford", "OT1 1AA", 0)]
    [InlineData("12 Mill Lane", "", "", "", "Kelburn", "", -1)]
    public void Places(string street, string town, string postcode, string street2, string town2, string postcode2, int level)
    {
        var addresses = Comparators.Of("street")!.Value.Comparator;
        addresses.Compare(addresses.Prepare([street, town, postcode, ""])!, addresses.Prepare([street2, town2, postcode2, ""])!).ShouldBe(level);
    }

    [Fact]
    public void What_is_believed_of_levels_before_learning_sums_up()
    {
        foreach (var comparator in Comparators.All)
        {
            comparator.Levels.Sum(l => l.AmongSame).ShouldBe(1, 1e-9, comparator.Kind);
            comparator.Levels.ShouldAllBe(l => l.AmongSame > 0 && l.AmongDifferent > 0);
        }
    }

    [Fact]
    public void Whatever_is_typed_is_prepared_and_compared_either_way_round_alike() => Gen.Select(Gen.Int[0, Comparators.All.Length - 1], Gen.String, Gen.String).Sample((n, a, b) =>
    {
        var comparator = Comparators.All[n];
        var (one, other) = (comparator.Prepare([.. comparator.Parts.Select(_ => a)]), comparator.Prepare([.. comparator.Parts.Select(_ => b)]));
        return one is null || other is null || (comparator.Compare(one, other) == comparator.Compare(other, one) && comparator.Compare(one, other) < comparator.Levels.Length);
    }, iter: 3_000);
}
