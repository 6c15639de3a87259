using System.Runtime.CompilerServices;
using System.Text.Json;
using UprightMirror.Connectors.Events;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>What systems sent by themselves, from the database.</summary>
public sealed class ReceivedRecords(Inboxes inboxes) : IReceivedRecords
{
    private const int PageSize = 500;

    public async Task<IReadOnlyList<string>> Collections(string system, CancellationToken cancellation) => [.. (await inboxes.Of(system, cancellation)).Select(i => i.Collection)];

    public async IAsyncEnumerable<IReadOnlyList<ObservedRecord>> Read(string system, string collection, DateTimeOffset? since, [EnumeratorCancellation] CancellationToken cancellation)
    {
        var page = new List<ObservedRecord>(PageSize);
        await foreach (var record in inboxes.Records(system, collection, since, null, cancellation))
        {
            page.Add(Observed(record));
            if (page.Count == PageSize)
            {
                yield return page;
                page = new List<ObservedRecord>(PageSize);
            }
        }

        if (page.Count > 0)
        {
            yield return page;
        }
    }

    public async Task<IReadOnlyList<ObservedRecord>> Newest(string system, string collection, int most, CancellationToken cancellation) =>
        [.. (await inboxes.Newest(system, collection, most, cancellation)).Select(Observed)];

    public async Task<ObservedRecord?> ReadOne(string system, string collection, string id, CancellationToken cancellation)
    {
        await foreach (var record in inboxes.Records(system, collection, null, id, cancellation))
        {
            return Observed(record);
        }

        return null;
    }

    private static ObservedRecord Observed((string Id, DateTimeOffset SaidAt, string Body) record)
    {
        using var json = JsonDocument.Parse(record.Body);
        return new ObservedRecord(record.Id, RawFields.FromJson(json.RootElement), null, record.SaidAt, null);
    }
}
