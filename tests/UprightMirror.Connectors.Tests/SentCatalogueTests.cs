using System.Runtime.CompilerServices;
using System.Text.Json;
using UprightMirror.Connectors.Events;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Connectors.Tests;

/// <summary>A system that sends is described by what it sent, and by nothing else.</summary>
public class SentCatalogueTests
{
    private sealed class Sent(params string[] records) : IReceivedRecords
    {
        public Task<IReadOnlyList<string>> Collections(string system, CancellationToken cancellation) => Task.FromResult<IReadOnlyList<string>>(["orders"]);

        private IReadOnlyList<ObservedRecord> All => [.. records.Select((r, n) => new ObservedRecord($"{n}", RawFields.FromJson(JsonSerializer.Deserialize<JsonElement>(r)), null, null, null))];

        public async IAsyncEnumerable<IReadOnlyList<ObservedRecord>> Read(string system, string collection, DateTimeOffset? since, [EnumeratorCancellation] CancellationToken cancellation)
        {
            await Task.CompletedTask;
            yield return this.All;
        }

        public Task<IReadOnlyList<ObservedRecord>> Newest(string system, string collection, int most, CancellationToken cancellation) => Task.FromResult<IReadOnlyList<ObservedRecord>>([.. this.All.Take(most)]);

        public Task<ObservedRecord?> ReadOne(string system, string collection, string id, CancellationToken cancellation) => Task.FromResult<ObservedRecord?>(null);
    }

    [Fact]
    public async Task Fields_have_the_type_that_all_their_values_have_and_none_can_be_written()
    {
        var connector = new EventsConnector("Shop", "shop", new Sent(
            """{"no":"7","total":12.5,"gift":true,"note":null,"lines":[{"item":"CANOE","count":2}],"address":{"town":"Kelburn"}}""",
            """{"no":8,"total":9,"gift":"false","lines":[]}"""));
        var fields = (await connector.Describe("orders", CancellationToken.None)).Fields;
        fields.Values.OrderBy(f => f.Path, StringComparer.Ordinal).Select(f => $"{f.Path} {f.Type}").ShouldBe(["address.town text", "gift boolean", "lines lines", "lines[].count number", "lines[].item text", "no text", "note text", "total number"]);
        fields.Values.ShouldAllBe(f => f.ReadOnly);
        (await connector.Write("orders", new WriteRequest(null, RawFields.None, null, null), CancellationToken.None)).ShouldBeOfType<WriteAnswer.Refused>().Words.ShouldBe("Shop sends its records and is never written to. Let it give its fields only.");
    }
}
