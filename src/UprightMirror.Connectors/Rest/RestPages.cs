using System.Globalization;
using System.Runtime.CompilerServices;
using System.Text.Json;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Connectors.Rest;

/// <summary>
/// Reads a collection page by page to its end, whichever way its pages go on. Every record that is there the whole time is given
/// at least once, though others come, change places or go meanwhile; one that did not change is never given twice.
/// </summary>
internal sealed class RestPages(string name, Caller caller, CollectionSettings own, Uri first, string collection, DateTimeOffset? since, Func<JsonElement, List<ObservedRecord>> recordsOf)
{
    private const int MostPages = 100_000;

    /// <summary>Where nothing tells the highest number, this many ranges without a record are taken for the end.</summary>
    private const int EmptyRanges = 40;

    /// <summary>Pages with numbers are read again until a reading finds nothing new, and not more often than this.</summary>
    private const int MostReadings = 4;

    private const int MostStepsBack = 200;

    private static readonly string[] NextNames = ["nextCursor", "next_cursor", "nextPageToken", "next_page_token", "nextPage", "next_page", "nextLink", "next", "links.next", "paging.next", "meta.next_cursor", "@odata.nextLink"];
    private static readonly string[] TotalNames = ["total", "totalCount", "total_count", "meta.total", "paging.total"];

    /// <summary>A number for each record that was given, by which the same one is known again.</summary>
    private readonly HashSet<(string Id, long State)> given = [];

    public IAsyncEnumerable<IReadOnlyList<ObservedRecord>> Read(CancellationToken cancellation) => own.PagingOrDefault switch
    {
        Paging.Whole => this.Followed(this.NoMore, cancellation),
        Paging.Cursor cursor => this.Followed(page => Property(page.Json, cursor.Next) is { Length: > 0 } next ? this.Asked((cursor.Parameter, next)) : null, cancellation),
        Paging.NextLink link => this.Followed(page => Property(page.Json, link.Property) is { Length: > 0 } next ? this.SameSystem(new Uri(first, next)) : null, cancellation),
        Paging.LinkHeader => this.Followed(page => page.Answer.NextPage is { } next ? this.SameSystem(new Uri(first, next)) : null, cancellation),
        Paging.Offset offset => this.ByOffset(offset, cancellation),
        Paging.PageNumber number => this.ByNumber(number, cancellation),
        Paging.IdRange range => this.ByRange(range, cancellation),
        var other => throw new InvalidOperationException($"{other} is no way to go on."),
    };

    public static Uri With(Uri address, IEnumerable<(string Name, string? Value)> query)
    {
        var text = string.Join('&', query.Where(q => q.Name.Length > 0 && q.Value is not null).Select(q => $"{Uri.EscapeDataString(q.Name)}={Uri.EscapeDataString(q.Value!)}"));
        return text.Length == 0 ? address : new Uri($"{address}{(address.Query.Length == 0 ? '?' : '&')}{text}");
    }

    /// <summary>One answer is said to hold everything. Where it looks as if it did not, half of the records must not be taken for all of them.</summary>
    private Uri? NoMore((JsonElement Json, Answered Answer) page)
    {
        var next = page.Answer.NextPage ?? NextNames.Select(n => Property(page.Json, n)).FirstOrDefault(v => v is { Length: > 0 });
        var total = TotalNames.Select(n => Property(page.Json, n)).FirstOrDefault(v => v is not null);
        return next is not null || (long.TryParse(total, CultureInfo.InvariantCulture, out var all) && all > this.given.Count)
            ? throw caller.Fault($"{name} has more {collection} than it gave in one answer, and its description does not say how to go on. Set how its pages go on in the connection.")
            : null;
    }

    /// <summary>Each page leads to the next one.</summary>
    private async IAsyncEnumerable<IReadOnlyList<ObservedRecord>> Followed(Func<(JsonElement Json, Answered Answer), Uri?> next, [EnumeratorCancellation] CancellationToken cancellation)
    {
        var seen = new HashSet<Uri>();
        for (var address = this.Asked(); address is not null;)
        {
            if (!seen.Add(address) || seen.Count > MostPages)
            {
                throw caller.Fault($"{name} goes round in a circle: the next page of {collection} is one that was read already. Ask who runs it, or correct how its pages go on in the connection.");
            }

            var (document, answer) = await this.Page(address, cancellation);
            using (document)
            {
                yield return this.New(recordsOf(document.RootElement));
                address = next((document.RootElement, answer));
            }
        }
    }

    /// <summary>
    /// Pages begin after a number of records. Each is asked for one record early: when that one is not the last of the page
    /// before, records moved up meanwhile, and the reading steps back until it finds one that it knows.
    /// </summary>
    private async IAsyncEnumerable<IReadOnlyList<ObservedRecord>> ByOffset(Paging.Offset offset, [EnumeratorCancellation] CancellationToken cancellation)
    {
        var at = 0;
        string? last = null;
        var known = new HashSet<string>();
        var stepsBack = 0;
        for (var pages = 0; pages < MostPages; pages++)
        {
            var from = last is null ? at : at - 1;
            var records = await this.Records(this.Asked((offset.Parameter, from.ToString(CultureInfo.InvariantCulture))), cancellation);
            if (last is not null && (records.Count == 0 || !known.Contains(records[0].Id)) && at > 0)
            {
                // Something before this page went away or changed places: what was skipped stands before it.
                if (++stepsBack > MostStepsBack)
                {
                    throw caller.Fault($"{name}'s {collection} change places faster than their pages can be read. Set a way to ask for changes, or another way to go on, in the connection.");
                }

                at = Math.Max(0, at - Math.Max(1, own.PageSize / 2));
                last = at == 0 ? null : last;
                if (records.Count == 0 && at == 0)
                {
                    yield break;
                }

                continue;
            }

            var fresh = this.New(records);
            known.UnionWith(records.Select(r => r.Id));
            if (fresh.Count > 0)
            {
                yield return fresh;
            }

            if (records.Count <= (last is null ? 0 : 1) || (own.PageSizeParameter is not null && records.Count < own.PageSize))
            {
                yield break;
            }

            at = from + records.Count;
            last = records[^1].Id;
        }
    }

    /// <summary>Pages have numbers. Records that change places between two of them are found by reading again until nothing new shows.</summary>
    private async IAsyncEnumerable<IReadOnlyList<ObservedRecord>> ByNumber(Paging.PageNumber paging, [EnumeratorCancellation] CancellationToken cancellation)
    {
        for (var reading = 0; reading < MostReadings; reading++)
        {
            var number = paging.First;
            var found = 0;
            HashSet<string>? before = null;
            for (; number < MostPages; number++)
            {
                var records = await this.Records(this.Asked((paging.Parameter, number.ToString(CultureInfo.InvariantCulture))), cancellation);

                // Some systems answer a number beyond the last one with the last page again.
                var ids = records.Select(r => r.Id).ToHashSet();
                if (records.Count == 0 || (before is not null && before.SetEquals(ids)))
                {
                    break;
                }

                before = ids;
                var fresh = this.New(records);
                found += fresh.Count;
                if (fresh.Count > 0)
                {
                    yield return fresh;
                }

                if (own.PageSizeParameter is not null && records.Count < own.PageSize)
                {
                    number++;
                    break;
                }
            }

            if (found == 0 || number - paging.First <= 1)
            {
                yield break;
            }
        }
    }

    /// <summary>Records are asked for by ranges of their numbers, to the highest there is.</summary>
    private async IAsyncEnumerable<IReadOnlyList<ObservedRecord>> ByRange(Paging.IdRange range, [EnumeratorCancellation] CancellationToken cancellation)
    {
        long? highest = null;
        var empty = 0;
        for (var from = range.First; highest is { } last ? from <= last : empty < EmptyRanges; from += own.PageSize)
        {
            var to = from + own.PageSize - 1;
            var (document, _) = await this.Page(this.Asked((range.From, from.ToString(CultureInfo.InvariantCulture)), (range.To, to.ToString(CultureInfo.InvariantCulture))), cancellation);
            using (document)
            {
                if (range.Highest is { } property && long.TryParse(Property(document.RootElement, property), CultureInfo.InvariantCulture, out var told))
                {
                    // Asked anew with each page: what is added meanwhile is read too.
                    highest = told;
                }

                var records = this.New(recordsOf(document.RootElement));
                empty = records.Count == 0 ? empty + 1 : 0;
                if (records.Count > 0)
                {
                    yield return records;
                }
            }
        }
    }

    private List<ObservedRecord> New(List<ObservedRecord> records) => [.. records.Where(r => this.given.Add((r.Id, r.VersionTag is { } tag ? StringComparer.Ordinal.GetHashCode(tag) : r.ChangedAt?.UtcTicks ?? 0)))];

    private Uri Asked(params (string, string?)[] more) => With(first,
    [
        (own.ChangedSinceParameter ?? "", since?.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture)),
        (own.PageSizeParameter ?? "", own.PageSizeParameter is null ? null : own.PageSize.ToString(CultureInfo.InvariantCulture)),
        .. more,
    ]);

    private async Task<List<ObservedRecord>> Records(Uri address, CancellationToken cancellation)
    {
        var (document, _) = await this.Page(address, cancellation);
        using (document)
        {
            return recordsOf(document.RootElement);
        }
    }

    private async Task<(JsonDocument Json, Answered Answer)> Page(Uri address, CancellationToken cancellation)
    {
        var (json, answer) = await caller.ReadPage(address, $"its {collection}", cancellation);
        return (json ?? throw caller.Fault($"{name} has no {collection} at {first} (404). Check the address of the connection and the collection's path."), answer);
    }

    private Uri SameSystem(Uri link) => link.Authority == first.Authority && link.Scheme == first.Scheme
        ? link
        : throw caller.Fault($"{name} says that the next page of {collection} is on another system ({link.Authority}). It is not followed, so that credentials never go elsewhere.");

    private static string? Property(JsonElement page, string path)
    {
        var at = page;
        foreach (var level in path.Split('.'))
        {
            if (at.ValueKind != JsonValueKind.Object || !at.TryGetProperty(level, out at))
            {
                return null;
            }
        }

        return at.ValueKind switch { JsonValueKind.String => at.GetString(), JsonValueKind.Number => at.GetRawText(), _ => null };
    }
}
