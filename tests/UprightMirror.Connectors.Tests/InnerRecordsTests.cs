using System.Collections.Immutable;
using System.Text.Json;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Shapes;
using UprightMirror.Connectors.Testing;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Connectors.Tests;

/// <summary>One record that becomes many: the lines of a system's records as records of their own, read and written.</summary>
public class InnerRecordsTests
{
    private readonly Deals deals = new();
    private readonly InnerRecords system;

    public InnerRecordsTests() => this.system = new InnerRecords(this.deals);

    private async Task<List<ObservedRecord>> Lines() => await this.system.ReadChanged("deals[lines]", null, null, CancellationToken.None).SelectMany(p => p).ToListAsync();

    private static RawFields Fields(params (string Path, object Value)[] values) =>
        RawFields.Of(values.Select(v => KeyValuePair.Create(v.Path, v.Value is int n ? new NumberValue(n) : Value.Text((string)v.Value))));

    private Task<WriteAnswer> Write(string? id, RawFields fields, string? tag = null, bool remove = false) =>
        this.system.Write("deals[lines]", new WriteRequest(id, fields, null, tag, remove), CancellationToken.None);

    /// <summary>What the interface does by itself must reach the system behind, or it would go unnoticed that it does not.</summary>
    [Fact]
    public void Everything_that_a_system_can_do_is_passed_on_to_it()
    {
        var map = typeof(InnerRecords).GetInterfaceMap(typeof(ISystemConnector));
        map.InterfaceMethods.Zip(map.TargetMethods).Where(m => m.Second.DeclaringType != typeof(InnerRecords)).Select(m => m.First.Name).ShouldBeEmpty();
    }

    [Fact]
    public async Task Lines_that_a_description_tells_of_are_a_collection_beside_their_records()
    {
        var catalogue = await this.system.ReadCatalogue(CancellationToken.None);
        catalogue.Collections.Select(c => c.Name).ShouldBe(["deals", "deals[lines]"]);
        var lines = catalogue["deals[lines]"]!.Fields;
        lines.Keys.Order().ShouldBe(["number", "parent.id", "parent.title", "quantity", "sku"]);
        (lines["parent.title"].ReadOnly, lines["parent.id"].ReadOnly, lines["parent.id"].Required, lines["quantity"].Type).ShouldBe((true, false, true, "integer"));
    }

    [Fact]
    public async Task Each_line_is_a_record_with_its_own_id_and_the_fields_of_its_record()
    {
        var lines = await this.Lines();
        lines.Select(l => $"{l.Id}: {l.Fields["sku"]} × {l.Fields["quantity"]} of {l.Fields["parent.title"]}").ShouldBe(["d1/1: KA-1 × 2 of Spring", "d1/2: PA-7 × 4 of Spring", "d2/1: KA-1 × 1 of Autumn"]);
        (await this.system.ReadOne("deals[lines]", "d1/2", CancellationToken.None))!.Fields["sku"].Display.ShouldBe("PA-7");
        (await this.system.ReadOne("deals[lines]", "d1/9", CancellationToken.None)).ShouldBeNull();
        (await this.system.ReadOne("deals", "d1", CancellationToken.None))!.Fields["title"].Display.ShouldBe("Spring");
    }

    [Fact]
    public async Task Lines_of_one_number_and_lines_without_are_told_apart_by_their_place()
    {
        this.deals.Put("d3", """{"title":"Winter","lines":[{"number":7,"sku":"a"},{"number":7,"sku":"b"},{"sku":"c"}]}""");
        (await this.Lines()).Where(l => l.Id.StartsWith("d3", StringComparison.Ordinal)).Select(l => l.Id).ShouldBe(["d3/7", "d3/%402", "d3/%403"]);
    }

    [Fact]
    public async Task A_line_is_changed_created_and_removed_and_its_neighbours_stay()
    {
        (await this.Write("d1/2", Fields(("quantity", 5)))).ShouldBeOfType<WriteAnswer.Stored>().Record!.Fields["quantity"].Display.ShouldBe("5");
        (await this.Write(null, Fields(("parent.id", "d1"), ("number", 3), ("sku", "SA-2"), ("quantity", 1)))).ShouldBeOfType<WriteAnswer.Stored>().Record!.Id.ShouldBe("d1/3");
        (await this.Write("d1/1", RawFields.None, remove: true)).ShouldBeOfType<WriteAnswer.Stored>().Record.ShouldBeNull();
        (await this.Lines()).Select(l => $"{l.Id} {l.Fields["sku"]} × {l.Fields["quantity"]}").ShouldBe(["d1/2 PA-7 × 5", "d1/3 SA-2 × 1", "d2/1 KA-1 × 1"]);
        this.deals.Fields("d1")["title"].Display.ShouldBe("Spring");
    }

    [Fact]
    public async Task Only_a_change_of_the_line_itself_stands_in_the_way_of_writing_it()
    {
        var tags = (await this.Lines()).ToDictionary(l => l.Id, l => l.VersionTag);
        await this.Write("d1/2", Fields(("quantity", 9)));
        (await this.Write("d1/1", Fields(("quantity", 3)), tags["d1/1"])).ShouldBeOfType<WriteAnswer.Stored>();
        (await this.Write("d1/2", Fields(("quantity", 1)), tags["d1/2"])).ShouldBeOfType<WriteAnswer.Moved>();
        (await this.Lines()).Take(2).Select(l => l.Fields["quantity"].Display).ShouldBe(["3", "9"]);
    }

    [Fact]
    public async Task Many_lines_of_one_record_written_at_once_are_all_there_in_the_end()
    {
        this.deals.Put("big", JsonSerializer.Serialize(new { title = "Big", lines = Enumerable.Range(1, 20).Select(n => new { number = n, sku = $"s{n}", quantity = 0 }) }));
        var answers = await Task.WhenAll(Enumerable.Range(1, 20).Select(n => Task.Run(() => this.Write($"big/{n}", Fields(("quantity", n * 10))))));
        answers.ShouldAllBe(a => a is WriteAnswer.Stored);
        (await this.Lines()).Where(l => l.Id.StartsWith("big", StringComparison.Ordinal)).Select(l => l.Fields["quantity"].Display).ShouldBe(Enumerable.Range(1, 20).Select(n => $"{n * 10}"));
    }

    [Fact]
    public async Task Another_line_that_changes_in_the_middle_of_a_write_is_kept()
    {
        // Somebody else changes a neighbour between our reading and our writing: the system refuses by its tag, and it is done again with what is there now.
        this.deals.BeforeNextWrite = () => this.deals.Put("d1", """{"title":"Spring","lines":[{"number":1,"sku":"KA-1","quantity":77},{"number":2,"sku":"PA-7","quantity":4}]}""");
        (await this.Write("d1/2", Fields(("quantity", 5)))).ShouldBeOfType<WriteAnswer.Stored>();
        (await this.Lines()).Take(2).Select(l => l.Fields["quantity"].Display).ShouldBe(["77", "5"]);
    }

    [Fact]
    public async Task What_can_not_be_written_so_is_said_in_words()
    {
        (await this.Write("d1/1", Fields(("parent.title", "x")))).ShouldBeOfType<WriteAnswer.Refused>().Words.ShouldBe("parent.title is a field of the record that the line stands in. It can't be written by its line.");
        (await this.Write("d1/1", Fields(("parent.id", "d2")))).ShouldBeOfType<WriteAnswer.Refused>().Words.ShouldBe("A line can't be moved from deals d1 to d2.");
        (await this.Write(null, Fields(("sku", "x")))).ShouldBeOfType<WriteAnswer.Refused>().Words.ShouldBe("A line is created in a record of deals, and parent.id does not say in which.");
        (await this.Write(null, Fields(("parent.id", "d9")))).ShouldBeOfType<WriteAnswer.Refused>().Words.ShouldBe("There is no deals d9, which the line was to be created in.");
        (await this.Write("d9/1", Fields(("sku", "x")))).ShouldBeOfType<WriteAnswer.Gone>();
        (await this.Write("d1/8", Fields(("sku", "x")))).ShouldBeOfType<WriteAnswer.Gone>();
    }

    [Fact]
    public async Task The_request_is_shown_as_it_would_be_made()
    {
        var request = await this.system.Show("deals[lines]", new WriteRequest("d1/2", Fields(("quantity", 5)), null, null), CancellationToken.None);
        request.Body.ShouldBe("""{"lines":[{"number":1,"quantity":2,"sku":"KA-1"},{"number":2,"quantity":5,"sku":"PA-7"}]}""");
        this.deals.Fields("d1")["lines"].Display.ShouldContain("4");
    }

    [Fact]
    public async Task Only_what_is_needed_is_asked_of_the_system()
    {
        await this.system.ReadChanged("deals[lines]", null, ["sku", "parent.title", "parent.id"], CancellationToken.None).CountAsync();
        this.deals.Asked.ShouldBe(["title", "lines"]);
    }

    /// <summary>A system with deals, their lines within, and a version tag each.</summary>
    private sealed class Deals : ISystemConnector
    {
        private readonly Lock door = new();
        private readonly SortedDictionary<string, (RawFields Fields, int Version)> records = [];

        public Deals()
        {
            this.Put("d1", """{"title":"Spring","lines":[{"number":1,"sku":"KA-1","quantity":2},{"number":2,"sku":"PA-7","quantity":4}]}""");
            this.Put("d2", """{"title":"Autumn","lines":[{"number":1,"sku":"KA-1","quantity":1}]}""");
        }

        public string Name => "Deals";

        public Action? BeforeNextWrite { get; set; }

        public IReadOnlyCollection<string>? Asked { get; private set; }

        public void Put(string id, string json)
        {
            lock (this.door)
            {
                this.records[id] = (RawFields.FromJson(JsonDocument.Parse(json).RootElement), this.records.GetValueOrDefault(id).Version + 1);
            }
        }

        public RawFields Fields(string id) => this.records[id].Fields;

        public Task<CatalogueCollection> Describe(string collection, CancellationToken cancellation)
        {
            CatalogueField[] fields = [new("title", "string", true, false, 80), new("lines", "array", false, false, null), new("lines[].number", "integer", true, false, null), new("lines[].sku", "string", true, false, 20), new("lines[].quantity", "integer", false, false, null)];
            return Task.FromResult(new CatalogueCollection(collection, fields.ToImmutableDictionary(f => f.Path)));
        }

        public async Task<Catalogue> ReadCatalogue(CancellationToken cancellation) => new([await this.Describe("deals", cancellation)]);

        public IAsyncEnumerable<TestStep> Test(CancellationToken cancellation) => AsyncEnumerable.Empty<TestStep>();

        public IAsyncEnumerable<IReadOnlyList<ObservedRecord>> ReadChanged(string collection, DateTimeOffset? since, IReadOnlyCollection<string>? fields, CancellationToken cancellation)
        {
            this.Asked = fields;
            return new IReadOnlyList<ObservedRecord>[] { [.. this.records.Select(r => Observed(r.Key, r.Value))] }.ToAsyncEnumerable();
        }

        public Task<ObservedRecord?> ReadOne(string collection, string id, CancellationToken cancellation)
        {
            lock (this.door)
            {
                return Task.FromResult(this.records.TryGetValue(id, out var found) ? Observed(id, found) : null);
            }
        }

        public Task<ObservedRecord?> FindByReference(string collection, string reference, CancellationToken cancellation) => Task.FromResult<ObservedRecord?>(null);

        public async Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation)
        {
            var before = this.BeforeNextWrite;
            this.BeforeNextWrite = null;
            before?.Invoke();
            await Task.Yield();
            lock (this.door)
            {
                var (fields, version) = this.records[request.Id!];
                if (request.VersionTag is { } tag && tag != $"{version}")
                {
                    return new WriteAnswer.Moved();
                }

                this.records[request.Id!] = (request.Fields.Paths.Aggregate(fields, (f, path) => f.With(path, request.Fields[path])), version + 1);
                return new WriteAnswer.Stored(Observed(request.Id!, this.records[request.Id!]));
            }
        }

        public Task<RequestShown> Show(string collection, WriteRequest request, CancellationToken cancellation) => Task.FromResult(new RequestShown($"PATCH {request.Id}", [], request.Fields.ToNestedJson().ToJsonString()));

        private static ObservedRecord Observed(string id, (RawFields Fields, int Version) record) => new(id, record.Fields, $"{record.Version}", null, null);
    }
}
