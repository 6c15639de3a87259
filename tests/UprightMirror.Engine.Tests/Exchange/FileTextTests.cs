using System.Collections.Immutable;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Timing;
using UprightMirror.Core.Values;
using UprightMirror.Engine.Exchange;
using UprightMirror.Storage;

namespace UprightMirror.Engine.Tests.Exchange;

/// <summary>Mirrors as text: what is written is read again as it was, and each mistake of a hand is told with its line.</summary>
public class FileTextTests
{
    private static readonly MirrorDefinition Mirror = new(
        "customers", "Customers", "customer",
        [new SideDefinition("crm", "organisations", Constants: [new SideConstant("source", "007")]), new SideDefinition("erp", "Customers", MayCreate: false, Scope: "LEFT(No; 1) = \"C\"")],
        [
            new AgreedFieldDefinition("Name", FieldType.Text, [new SideField("name", true, true, new AsItStands()), new SideField("CustomerName", true, true, new FormulaConversion("PROPER(value)", "UPPER(value)"))], "rank", Rank: ["erp", "crm"]),
            new AgreedFieldDefinition("Country", FieldType.Text, [new SideField("country", true, true, new AsItStands()), new SideField("CountryCode", true, true, new CodeList(new CodeTable([]), "Countries"))]),
            new AgreedFieldDefinition("Newsletter", FieldType.YesNo, [new SideField("newsletter", true, true, new AsItStands(), Default: "true"), null]),
            new AgreedFieldDefinition("Lines", FieldType.Lines, [new SideField("lines", true, true, new AsItStands()), new SideField("Lines", true, true, new AsItStands())],
                Lines: new LinesDefinition("No", [new AgreedFieldDefinition("No", FieldType.Number, [new SideField("no", true, true, new AsItStands()), new SideField("LineNo", true, true, new AsItStands())], Rank: ["erp"])], new TotalCheck("Name", "[No]", 0.01m))),
        ],
        [new RecognisingRule("Name")], "Name")
    {
        Timing = new MirrorTiming(TimingKind.Weekly, At: new TimeOnly(7, 30), Days: [DayOfWeek.Monday], TimeZone: "Europe/Dublin", Quiet: new QuietHours(new TimeOnly(22, 0), new TimeOnly(6, 0))),
    };

    private static readonly KeptCodeList Countries = new("Countries", new CodeTable([("GBR", "GB"), ("NO", "NO"), ("1e5", "yes")], new UnknownCode(UnknownCodes.Value, "XX"), UnknownCode.Hold), "Maren", DateTimeOffset.UnixEpoch);

    private static MirrorFile File => MirrorFile.Of([Mirror], [Countries, Countries with { Name = "Not used" }], key => (key == "crm" ? "Our CRM" : "Our ERP", key == "crm" ? "rest" : "odata"));

    private static string Written => FileText.Write(File);

    private static ImmutableArray<string> ProblemsOf(string text) => [.. FileText.Read(text).Problems.Select(p => p.ToString())];

    private static int LineOf(string text, string part) => text[..text.IndexOf(part, StringComparison.Ordinal)].Count(c => c == '\n') + 1;

    [Fact]
    public void What_is_written_is_read_again_as_it_was_and_written_the_same()
    {
        var (read, problems) = FileText.Read(Written);
        problems.ShouldBeEmpty();
        FileText.Write(read!).ShouldBe(Written);
        read!.Mirrors[0].Timing.ShouldBe(Mirror.Timing);
        read.Mirrors[0].Sides[0].Constants[0].Text.ShouldBe("007"); // Text stays text, whatever it looks like.
        read.CodeLists["Countries"].Table!.Codes.ShouldBe(Countries.Table.Codes);
        read.CodeLists["Countries"].Table!.UnknownToAgreed.ShouldBe(Countries.Table.UnknownToAgreed);
        read.CodeLists.ShouldNotContainKey("Not used");
        read.Systems["erp"].ShouldBe(new SystemInFile("Our ERP", "odata", read.Systems["erp"].Collections));
    }

    [Fact]
    public void What_counts_all_the_same_is_left_out_and_the_same_where_it_is_written_out()
    {
        Written.ShouldNotContain("drift");
        Written.ShouldNotContain("states");
        var spelled = FileText.Read(Written.Replace("        rule: rank\n", "        rule: rank\n        firstMeeting: rank\n        emptyTravels: true\n        states: []\n", StringComparison.Ordinal));
        spelled.Problems.ShouldBeEmpty();
        FileText.Write(spelled.File!).ShouldBe(Written);
    }

    [Fact]
    public void Each_mirror_that_ships_is_written_just_as_it_would_be_taken_out()
    {
        Templates.All.Select(t => t.Key).ShouldBe(["customers", "people", "products", "orders", "invoices"]);
        foreach (var template in Templates.All)
        {
            FileText.Write(template.File).ShouldBe(template.Text, template.Key);
            template.File.Mirrors.ShouldHaveSingleItem().Key.ShouldBe(template.Key);
        }
    }

    [Fact]
    public void A_system_that_is_not_here_is_left_out_with_all_that_hangs_on_it_alone()
    {
        var file = File with { Mirrors = [Mirror with { Recognising = [new RecognisingRule("Newsletter"), new RecognisingRule("Name")], Likeness = new LikenessDefinition([new("Newsletter", "text"), new("Name", "organisation")]) }] };
        var left = file.Without(["crm"]);
        left.Systems.Keys.ShouldBe(["erp"]);
        var mirror = left.Mirrors.Single();
        mirror.Sides.Select(s => s.System).ShouldBe(["erp"]);
        mirror.Fields.Select(f => f.Name).ShouldBe(["Name", "Country", "Lines"], "the newsletter was the CRM's alone");
        mirror.Fields.ShouldAllBe(f => f.Cells.Length == 1);
        mirror.Fields[0].Rank.ShouldBe(["erp"]);
        mirror.Fields[2].Lines!.Fields[0].Cells.Length.ShouldBe(1);
        mirror.Recognising.Select(r => r.Field).ShouldBe(["Name"]);
        mirror.Likeness!.Evidence.Select(e => e.Field).ShouldBe(["Name"]);
        file.Without([]).ShouldBeSameAs(file);
    }

    [Fact]
    public void Systems_get_the_names_that_they_have_here_wherever_they_stand()
    {
        var here = File.With(new Dictionary<string, string> { ["crm"] = "sales", ["erp"] = "office" });
        here.Mirrors[0].Sides.Select(s => s.System).ShouldBe(["sales", "office"]);
        here.Mirrors[0].Fields[0].Rank.ShouldBe(["office", "sales"]);
        here.Mirrors[0].Fields[3].Lines!.Fields[0].Rank.ShouldBe(["office"]);
        FileText.Write(here).ShouldNotContain("- erp");
    }

    [Theory]
    [InlineData("recordType: customer", "recordTyp: customer", "recordTyp is not known here")]
    [InlineData("kind: weekly", "kind: fortnightly", "\"fortnightly\" is none of byHand, every, hourly, daily, weekly, monthly, yearly, calendar, after")]
    [InlineData("mayCreate: false", "mayCreate: perhaps", "\"perhaps\" should be true or false")]
    [InlineData("kind: asItStands", "kind: magic", "\"magic\" is none of asItStands, phone, codeList, formula, reference")]
    [InlineData("form: 1", "form: 9", "the file has form 9; form 1 is read here")]
    [InlineData("key: customers", "key: Customers!", "a key has small letters, digits and hyphens, at most 60")]
    public void A_mistake_is_told_with_its_line(string right, string wrong, string words)
    {
        Written.ShouldContain(right);
        var text = Written[..Written.IndexOf(right, StringComparison.Ordinal)] + wrong + Written[(Written.IndexOf(right, StringComparison.Ordinal) + right.Length)..];
        ProblemsOf(text).ShouldContain($"Line {LineOf(text, wrong)}: {words}");
    }

    [Fact]
    public void The_published_schema_is_the_one_that_files_are_read_by()
    {
        var root = new DirectoryInfo(AppContext.BaseDirectory);
        while (root is not null && !System.IO.File.Exists(Path.Combine(root.FullName, "UprightMirror.slnx")))
        {
            root = root.Parent;
        }

        System.Text.Json.Nodes.JsonNode.DeepEquals(System.Text.Json.Nodes.JsonNode.Parse(System.IO.File.ReadAllText(Path.Combine(root!.FullName, "docs", "mirror-file.schema.json"))), FileSchema.Document())
            .ShouldBeTrue("./upright export --schema > docs/mirror-file.schema.json");
    }

    [Fact]
    public void Several_mistakes_are_told_together_in_the_order_of_their_lines()
    {
        var text = Written.Replace("mayCreate: false", "mayCreate: no way", StringComparison.Ordinal).Replace("titleField: Name", "titel: Name", StringComparison.Ordinal);
        var problems = FileText.Read(text).Problems;
        problems.Length.ShouldBe(3); // The one that is missing, too.
        problems.Select(p => p.Line).ShouldBe(problems.Select(p => p.Line).Order());
        problems.ShouldAllBe(p => p.Line > 0);
    }

    [Fact]
    public void A_side_whose_system_the_file_does_not_name_and_a_field_without_a_cell_for_each_side_are_told()
    {
        ProblemsOf(Written.Replace("system: erp", "system: abroad", StringComparison.Ordinal)).ShouldHaveSingleItem().ShouldContain("abroad is not among the systems of the file");
        var file = FileText.Read(Written).File!;
        ProblemsOf(FileText.Write(file with { Mirrors = [file.Mirrors[0] with { Fields = [file.Mirrors[0].Fields[0] with { Cells = [null] }] }] })).ShouldHaveSingleItem().ShouldContain("Name has 1 cells; the mirror has 2 sides");
    }

    [Theory]
    [InlineData("", "It is empty.")]
    [InlineData("just words", "Line 1: \"just words\" should be fields with their values")]
    [InlineData("form: 1\nform: 2\n", "Line 2: it is not YAML")]
    [InlineData("form: [1\n", "it is not YAML")]
    [InlineData("a: &x [1]\nb: *x\n", "Line 1: anchors (&) and aliases (*) are not taken: write it out")]
    [InlineData("form: 1\n---\nform: 1\n", "It has several documents (---). Import them one by one.")]
    public void What_is_no_such_file_is_refused_in_words(string text, string words) => ProblemsOf(text)[0].ShouldContain(words);

    [Fact]
    public void What_unfolds_without_end_or_nests_too_deep_is_refused_at_once()
    {
        var laughs = "a: &a [x, x]\n" + string.Concat(Enumerable.Range(0, 30).Select(n => $"b{n}: &b{n} [*{(n == 0 ? "a" : $"b{n - 1}")}, *{(n == 0 ? "a" : $"b{n - 1}")}]\n"));
        ProblemsOf(laughs).ShouldHaveSingleItem().ShouldContain("anchors");
        ProblemsOf(new string('[', 500_000)).ShouldHaveSingleItem().ShouldContain("deeper than");
        ProblemsOf(string.Concat(Enumerable.Range(0, 300).Select(n => new string(' ', n) + "a:\n"))).ShouldHaveSingleItem().ShouldContain("deeper than");
        ProblemsOf(new string('a', FileText.Longest + 1)).ShouldHaveSingleItem().ShouldContain("4 MB");
    }
}
