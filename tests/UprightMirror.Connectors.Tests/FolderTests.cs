using System.Text;
using System.Text.Json;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Testing;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Connectors.Tests;

/// <summary>Files are taken once, read as they are written, and put away with a report; what can't be read costs only itself.</summary>
public sealed class FolderTests : IDisposable
{
    private static readonly Encoding Windows1252 = CodePagesEncodingProvider.Instance.GetEncoding(1252)!;

    private readonly DirectoryInfo folder = Directory.CreateTempSubdirectory("upright-folder");

    private string In(params string[] parts) => Path.Combine([this.folder.FullName, "in", .. parts]);

    private ISystemConnector Folder(ConnectionSettings? settings = null, string name = "in")
    {
        Directory.CreateDirectory(this.In());
        return new SystemConnection("Drop", "folder", new Uri(Path.Combine(this.folder.FullName, name)), JsonSerializer.SerializeToElement(settings ?? new ConnectionSettings(), JsonSerializerOptions.Web), new Dictionary<string, string>())
            .Connect(new Outside(TimeProvider.System, new LocalCallBudget(TimeProvider.System)) { Folders = this.folder });
    }

    private async Task<List<ObservedRecord>> Take(string collection, ISystemConnector? connector = null)
    {
        var folder = connector ?? this.Folder();
        var records = await folder.Take(collection, null, null, CancellationToken.None).SelectMany(p => p).ToListAsync();
        await folder.PutAway(collection, CancellationToken.None);
        return records;
    }

    private void Put(string name, string text, Encoding? encoding = null)
    {
        Directory.CreateDirectory(this.In());
        File.WriteAllText(this.In(name), text, encoding ?? new UTF8Encoding(false));
    }

    public void Dispose() => this.folder.Delete(recursive: true);

    [Fact]
    public async Task A_file_is_taken_once_and_moved_to_done()
    {
        this.Put("orders-1.csv", "id,name\r\n7,Brae Hire\r\n8,\"Tern, Point\"\r\n");
        (await this.Take("orders")).Select(r => $"{r.Id} {r.Fields["name"].Display}").ShouldBe(["7 Brae Hire", "8 Tern, Point"]);
        (await this.Take("orders")).ShouldBeEmpty();
        File.Exists(this.In("done", "orders-1.csv")).ShouldBeTrue();
    }

    [Fact]
    public async Task A_rehearsal_leaves_the_file_where_it_is()
    {
        this.Put("orders-1.csv", "id\n1\n");
        (await this.Folder().ReadChanged("orders", null, null, CancellationToken.None).CountAsync()).ShouldBe(1);
        File.Exists(this.In("orders-1.csv")).ShouldBeTrue();
    }

    [Fact]
    public async Task What_arrives_while_others_only_look_is_never_put_away_untaken()
    {
        this.Put("orders-1.csv", "id\n1\n");
        var connector = this.Folder();
        (await connector.Take("orders", null, null, CancellationToken.None).SelectMany(p => p).CountAsync()).ShouldBe(1);
        this.Put("orders-2.csv", "id\n2\n");
        (await connector.ReadChanged("orders", null, null, CancellationToken.None).SelectMany(p => p).CountAsync()).ShouldBe(2); // A survey, at that moment.

        await connector.PutAway("orders", CancellationToken.None);

        File.Exists(this.In("done", "orders-1.csv")).ShouldBeTrue();
        (await this.Take("orders", connector)).Select(r => r.Id).ShouldBe(["2"]);
    }

    [Fact]
    public async Task Ids_that_differ_only_in_what_a_file_name_does_not_take_are_files_of_their_own()
    {
        var connector = this.Folder();
        foreach (var id in new[] { "7/1", "7:1", "7-1", "../7" })
        {
            await connector.Write("orders", new WriteRequest(null, RawFields.Of([KeyValuePair.Create("is", Value.Text(id))]), id, null), CancellationToken.None);
        }

        Directory.GetFiles(this.In("out")).Length.ShouldBe(4);
        Directory.GetFiles(this.folder.FullName).ShouldBeEmpty();
        (await connector.FindByReference("orders", "7:1", CancellationToken.None))!.Fields["is"].Display.ShouldBe("7:1");
    }

    [Fact]
    public async Task Semicolons_decimal_commas_and_windows_1252_are_detected_and_shown()
    {
        this.Put("partner-1.csv", "id;who;price\n1;Königssee;1.234,50\n2;Ålesund;12,5\n", Windows1252);
        var connector = this.Folder();
        var read = (await connector.Test(CancellationToken.None).ToListAsync()).Single(s => s.Name == "Description read");
        read.Words.ShouldContain("windows-1252").ShouldContain("semicolons between values").ShouldContain("decimal comma");
        (await this.Take("partner", connector)).Select(r => $"{r.Fields["who"].Display} {r.Fields["price"].Display}").ShouldBe(["Königssee 1234.50", "Ålesund 12.5"]);
    }

    [Fact]
    public async Task A_ragged_row_costs_only_itself_and_stands_in_the_report()
    {
        this.Put("orders-1.csv", "id,name\n1,a\n2,b,too many\n3,c\n");
        var connector = this.Folder();
        (await this.Take("orders", connector)).Select(r => r.Id).ShouldBe(["1", "3"]);
        File.ReadAllText(this.In("done", "orders-1.csv.report.txt")).ShouldContain("Line 3: it has 3 values, and the first line names 2 columns");
        connector.Seen.LastFault!.ShouldContain("Drop, file orders-1.csv: Line 3");
    }

    [Theory]
    [InlineData("orders-1.csv", "id,name\n1,\"never closed\n2,b\n", "A quote that opens on line 2 is never closed")]
    [InlineData("orders-1.csv", "id,name\n1,a\0b\n", "NUL at byte 12")]
    [InlineData("orders-1.csv", "", "It is empty")]
    [InlineData("orders-1.csv", "id,id\n1,2\n", "Two columns are called id")]
    [InlineData("orders-1.json", "[{\"id\":1},{\"id\":", "It is not JSON after record 1")]
    [InlineData("orders-1.xml", "<!DOCTYPE x [<!ENTITY e SYSTEM \"file:///etc/passwd\">]><x><o id=\"1\">&e;</o></x>", "document type of its own (DTD)")]
    [InlineData("orders-1.xml", "<x><o id='1'><name>a</name></o><o id='2'>", "It is not XML")]
    public async Task A_file_that_can_not_be_read_is_refused_with_a_report(string name, string text, string words)
    {
        this.Put(name, text);
        var connector = this.Folder(new ConnectionSettings(Collections: new Dictionary<string, CollectionSettings> { ["orders"] = new(FilePattern: "orders*", Id: "id") }));
        await this.Take("orders", connector);
        File.ReadAllText(this.In("refused", name + ".report.txt")).ShouldContain(words).ShouldNotContain("root:");
        File.Exists(this.In(name)).ShouldBeFalse();
        connector.Seen.LastFault!.ShouldContain(name);
    }

    [Fact]
    public async Task Text_that_is_no_utf8_is_read_as_what_it_is()
    {
        Directory.CreateDirectory(this.In());
        File.WriteAllBytes(this.In("orders-1.csv"), [.. "id,name\n1,caf"u8, 0xE9, (byte)'\n']);
        (await this.Take("orders")).Single().Fields["name"].Display.ShouldBe("café");
    }

    [Fact]
    public async Task Json_lines_and_xml_are_records_too_and_a_bad_line_costs_only_itself()
    {
        this.Put("a-1.jsonl", "{\"id\":1}\nnot json\n{\"id\":2}\n");
        this.Put("b-1.xml", "<orders><order id=\"9\"><customer>Zoë</customer><line>x</line><line>y</line></order></orders>");
        (await this.Take("a")).Select(r => r.Id).ShouldBe(["1", "2"]);
        File.ReadAllText(this.In("done", "a-1.jsonl.report.txt")).ShouldContain("Line 2: it is not JSON");
        var order = (await this.Take("b")).Single();
        (order.Id, order.Fields["customer"].Display).ShouldBe(("9", "Zoë"));
    }

    private static ConnectionSettings Together(params string[] lineColumns) => new(Collections: new Dictionary<string, CollectionSettings> { ["orders"] = new(FilePattern: "orders*", Id: "", RowsBy: "order", LineColumns: lineColumns) });

    [Fact]
    public async Task Rows_of_one_order_are_one_record_with_lines()
    {
        this.Put("orders-1.csv", "line,order,who,sku,price\n1,W1,Brae,KA-1,10.5\n2,W1,Brae,PA-7,3\n1,W2,Tern,KA-1,10.5\n");
        var connector = this.Folder(Together("line", "sku", "price"));
        var fields = (await connector.Describe("orders", CancellationToken.None)).Fields.Keys.Order();
        fields.ShouldBe(["lines", "lines[].line", "lines[].price", "lines[].sku", "order", "who"]);

        var orders = await this.Take("orders", connector);

        orders.Select(o => $"{o.Id} {o.Fields["who"]}: {o.Fields["lines"]}").ShouldBe(["W1 Brae: 2 lines: 1, 10.5, KA-1; 2, 3, PA-7", "W2 Tern: 1 line: 1, 10.5, KA-1"]);
    }

    [Fact]
    public async Task Without_columns_of_their_own_all_but_the_common_one_belong_to_the_lines()
    {
        this.Put("orders-1.csv", "order,sku\nW1,KA-1\nW1,PA-7\n");
        (await this.Take("orders", this.Folder(Together()))).Single().Fields.Paths.ShouldBe(["lines", "order"]);
    }

    [Fact]
    public async Task A_record_whose_rows_contradict_each_other_or_stand_apart_costs_only_itself()
    {
        this.Put("orders-1.csv", "order,who,sku\nW1,Brae,a\nW1,Tern,b\nW2,Tern,c\n,Tern,d\nW3,Gull,e\nW2,Tern,f\nW4,Gull,g\n");
        (await this.Take("orders", this.Folder(Together("sku")))).Select(o => o.Id).ShouldBe(["W2", "W3", "W4"]);
        File.ReadAllText(this.In("done", "orders-1.csv.report.txt")).ShouldSatisfyAllConditions(
            r => r.ShouldContain("Line 2: lines 2 to 3 are order W1, and differ in who: \"Brae\" in line 2, \"Tern\" in line 3."),
            r => r.ShouldContain("Line 5: it has no order, which says whose row it is"),
            r => r.ShouldContain("Line 7: it is one more row of order W2, whose rows ended in line 4"));
    }

    [Fact]
    public async Task A_record_of_too_many_rows_is_none()
    {
        this.Put("orders-1.csv", "order,sku\n" + string.Concat(Enumerable.Repeat("W1,a\n", 5001)) + "W2,b\n");
        (await this.Take("orders", this.Folder(Together("sku")))).Select(o => o.Id).ShouldBe(["W2"]);
    }

    [Theory]
    [InlineData("<lines><line><sku>a</sku></line></lines>", 1)]
    [InlineData("<lines><line><sku>a</sku></line><line><sku>b</sku></line></lines>", 2)]
    public async Task Lines_in_xml_are_lines_however_many(string lines, int count)
    {
        this.Put("orders-1.xml", $"<orders><order id=\"1\">{lines}</order></orders>");
        (await this.Take("orders")).Single().Fields["lines"].ShouldBeOfType<LinesValue>().Lines.Length.ShouldBe(count);
    }

    [Fact]
    public async Task Files_under_a_temporary_name_are_still_being_written_and_left_alone()
    {
        this.Put(".orders-1.csv", "id\n1\n");
        this.Put("orders-2.csv.tmp", "id\n2\n");
        (await this.Take("orders")).ShouldBeEmpty();
    }

    [Fact]
    public async Task What_is_written_appears_whole_and_is_found_again_by_its_reference()
    {
        var connector = this.Folder();
        var answer = await connector.Write("orders", new WriteRequest(null, RawFields.Of([KeyValuePair.Create("name", Value.Text("Brae"))]), "abc123", null), CancellationToken.None);
        answer.ShouldBeOfType<WriteAnswer.Stored>().Record!.Id.ShouldBe("abc123");
        (await connector.FindByReference("orders", "abc123", CancellationToken.None))!.Fields["name"].Display.ShouldBe("Brae");
        Directory.GetFiles(this.In("out")).Select(Path.GetFileName).ShouldBe(["orders-abc123.json"]);
    }

    [Theory]
    [InlineData("../elsewhere")]
    [InlineData("/etc")]
    public async Task A_folder_outside_of_where_folders_may_be_is_refused(string path)
    {
        var steps = await this.Folder(name: path).Test(CancellationToken.None).ToListAsync();
        steps[0].ShouldSatisfyAllConditions(s => s.End.ShouldBe(StepEnd.Failed), s => s.Words.ShouldContain("Folders may only be connected inside of"));
    }
}
