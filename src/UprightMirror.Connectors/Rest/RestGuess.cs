using System.Text.RegularExpressions;
using Microsoft.OpenApi;
using UprightMirror.Connectors.Calling;

namespace UprightMirror.Connectors.Rest;

/// <summary>One thing about a collection that its description does not say, taken from a name.</summary>
/// <param name="What">What was guessed, in words: "the next page".</param>
/// <param name="Value">As guessed.</param>
/// <param name="Why">What it was taken from.</param>
public sealed record Guess(string What, string Value, string Why);

/// <summary>A collection as its description and the usual names suggest that it is read and written.</summary>
public sealed record GuessedCollection(string Name, CollectionSettings Settings, IReadOnlyList<Guess> Guesses, bool MayCreate, bool MayChange, bool MayRemove);

/// <summary>
/// Guesses what an OpenAPI document can't say: how pages go on, how to ask for changes, where a record's id, version and change
/// time are. Guesses are shown as guesses, tried on the real system, and can be corrected.
/// </summary>
public static partial class RestGuess
{
    private static readonly string[] ItemNames = ["items", "data", "results", "value", "values", "records", "entries", "content", "list"];
    private static readonly string[] CursorParameters = ["cursor", "after", "pagetoken", "continuation", "continuationtoken", "startingafter", "nexttoken", "token"];
    private static readonly string[] CursorProperties = ["nextcursor", "next_cursor", "nextpagetoken", "nexttoken", "continuation", "continuationtoken", "cursor", "next"];
    private static readonly string[] OffsetParameters = ["offset", "skip", "start", "startat", "from"];
    private static readonly string[] PageParameters = ["page", "pagenumber", "pageindex", "pageno"];
    private static readonly string[] SizeParameters = ["limit", "pagesize", "size", "perpage", "take", "top", "maxresults", "count"];
    private static readonly string[] SinceParameters = ["updatedsince", "modifiedsince", "changedsince", "since", "updatedafter", "modifiedafter", "changedafter", "updatedfrom", "modifiedfrom", "lastmodifiedfrom"];
    private static readonly string[] ChangedNames = ["updatedat", "modifiedat", "changedat", "lastmodified", "lastmodifiedat", "updatedon", "modifiedon", "changedon", "lastupdated", "lastchanged", "updated", "modified"];
    private static readonly string[] ChangedByNames = ["updatedby", "modifiedby", "changedby", "lastmodifiedby"];
    private static readonly string[] VersionNames = ["etag", "_etag", "versiontag", "rowversion", "revision"];
    private static readonly string[] ReferenceNames = ["externalreference", "externalid", "externalref", "externalkey", "foreignid", "foreignkey", "clientreference"];
    private static readonly string[] RangeFrom = ["fromid", "minid", "idfrom", "startid"];
    private static readonly string[] RangeTo = ["toid", "maxid", "idto", "endid"];
    private static readonly string[] HighestNames = ["highestid", "maxid", "lastid", "highest"];
    private static readonly string[] RemovedPaths = ["removed", "removals", "deleted", "deletions", "tombstones"];
    private static readonly string[] BulkPaths = ["bulk", "batch", "upsert", "bulkupsert"];

    /// <summary>Every collection that the document has: a path without parameters whose GET answers with a list of objects.</summary>
    public static IEnumerable<GuessedCollection> Collections(OpenApiDocument document)
    {
        foreach (var (path, item) in document.Paths.OrderBy(p => p.Key, StringComparer.Ordinal))
        {
            if (!path.Contains('{', StringComparison.Ordinal) && item.Operations?.GetValueOrDefault(HttpMethod.Get) is { } get && !IsAside(document, path) && Guessed(document, path, get) is { } guessed)
            {
                yield return guessed;
            }
        }
    }

    /// <summary>The schema of a page's records, and the property that holds them; null when the page is no list.</summary>
    public static (IOpenApiSchema Record, string? Items)? ListOf(OpenApiOperation get, string path)
    {
        var page = (get.Responses?.GetValueOrDefault("200") ?? get.Responses?.FirstOrDefault(r => r.Key.StartsWith('2')).Value)?.Content?.FirstOrDefault(c => c.Key.Contains("json", StringComparison.OrdinalIgnoreCase)).Value?.Schema;
        if (page?.Items is { } direct)
        {
            return (direct, null);
        }

        var own = Plain(path.Split('/')[^1]);
        var lists = (page?.Properties ?? new Dictionary<string, IOpenApiSchema>()).Where(p => p.Value.Items is { } inner && (inner.Properties is { Count: > 0 } || inner.AllOf is { Count: > 0 })).ToList();
        var best = lists.OrderBy(l => Plain(l.Key) == own ? -1 : Array.IndexOf(ItemNames, Plain(l.Key)) is >= 0 and var at ? at : ItemNames.Length).FirstOrDefault();
        return best.Value is null ? null : (best.Value.Items!, best.Key);
    }

    /// <summary>All properties of a schema, with those of the schemas that it is composed of.</summary>
    public static IEnumerable<KeyValuePair<string, IOpenApiSchema>> PropertiesOf(IOpenApiSchema schema, int depth = 0) =>
        (schema.Properties ?? new Dictionary<string, IOpenApiSchema>()).Concat(depth > 4 ? [] : (schema.AllOf ?? []).SelectMany(s => PropertiesOf(s, depth + 1)));

    private static GuessedCollection? Guessed(OpenApiDocument document, string path, OpenApiOperation get)
    {
        if (ListOf(get, path) is not var (record, items))
        {
            return null;
        }

        var guesses = new List<Guess>();
        var names = PropertiesOf(record).DistinctBy(p => p.Key).ToDictionary(p => p.Key, p => p.Value);
        var parameters = (get.Parameters ?? []).Concat(document.Paths[path].Parameters ?? []).Where(p => p is { In: ParameterLocation.Query, Name: not null }).ToList();
        var page = get.Responses?.FirstOrDefault(r => r.Key.StartsWith('2')).Value?.Content?.Values.FirstOrDefault()?.Schema;
        var one = document.Paths.FirstOrDefault(p => p.Key.StartsWith(path + "/{", StringComparison.Ordinal) && p.Key.IndexOf('/', path.Length + 1) < 0);

        string? Named(string what, IEnumerable<string> known, Func<IOpenApiSchema, bool>? fits = null)
        {
            var found = known.Select(k => names.FirstOrDefault(n => Plain(n.Key) == k && (fits?.Invoke(n.Value) ?? true)).Key).FirstOrDefault(n => n is not null);
            if (found is not null)
            {
                guesses.Add(new Guess(what, found, $"its records have a field of that name"));
            }

            return found;
        }

        string? Asked(string what, IEnumerable<string> known)
        {
            var found = known.Select(k => parameters.FirstOrDefault(p => Plain(p.Name!) == k)?.Name).FirstOrDefault(n => n is not null);
            if (found is not null)
            {
                guesses.Add(new Guess(what, found, "it takes a query parameter of that name"));
            }

            return found;
        }

        var idParameter = one.Key is { } onePath ? OneParameter().Match(onePath).Groups[1].Value : null;
        var singular = Plain(path.Split('/')[^1]).TrimEnd('s');
        var id = names.Keys.FirstOrDefault(n => n == idParameter)
            ?? names.Keys.FirstOrDefault(n => Plain(n) == "id")
            ?? names.Keys.FirstOrDefault(n => Plain(n) == singular + "id" || Plain(n) == singular + "no" || Plain(n) == singular + "number")
            ?? names.Keys.FirstOrDefault(n => Plain(n) is "key" or "uuid" or "number" or "code");
        if (id is null)
        {
            return null;
        }

        guesses.Add(new Guess("a record's id", id, one.Key is null ? "its name" : $"its name, and single records are at {one.Key}"));
        var size = Asked("records of a page", SizeParameters);
        var most = size is null ? null : parameters.First(p => p.Name == size).Schema?.Maximum;
        var settings = new CollectionSettings(
            Path: path,
            Items: items,
            Paging: PagingOf(get, page, Asked, guesses),
            PageSizeParameter: size,
            PageSize: int.TryParse(most, System.Globalization.CultureInfo.InvariantCulture, out var maximum) ? Math.Clamp(maximum, 1, 1000) : 100,
            ChangedSinceParameter: Asked("what changed since a time", SinceParameters),
            Id: id,
            ChangedAt: Named("when a record changed", ChangedNames, s => s.Format is null or "date-time"),
            ChangedBy: Named("who changed it", ChangedByNames),
            VersionTag: Named("a record's version", VersionNames),
            Reference: Named("where our reference is stored", ReferenceNames),
            RemovedPath: Beside(document, path, RemovedPaths, HttpMethod.Get, "what was removed", guesses),
            Bulk: null);
        if (settings.RemovedPath is { } removed)
        {
            var since = document.Paths[removed].Operations![HttpMethod.Get].Parameters?.Where(p => p.In == ParameterLocation.Query).Select(p => p.Name!).ToList() ?? [];
            settings = settings with { RemovedSinceParameter = SinceParameters.Select(n => since.FirstOrDefault(p => Plain(p) == n)).FirstOrDefault(p => p is not null) };
        }

        if (Beside(document, path, BulkPaths, HttpMethod.Post, "many records in one call", guesses) is { } bulkPath)
        {
            var changes = one.Value?.Operations?.Any(o => o.Key == HttpMethod.Patch || o.Key == HttpMethod.Put) == true;
            settings = settings with { Bulk = BulkOf(document, bulkPath, record, settings, !changes) };
        }

        return new GuessedCollection(
            path.Trim('/'), settings, guesses,
            document.Paths[path].Operations!.ContainsKey(HttpMethod.Post),
            one.Value?.Operations?.ContainsKey(HttpMethod.Patch) == true || one.Value?.Operations?.ContainsKey(HttpMethod.Put) == true,
            one.Value?.Operations?.ContainsKey(HttpMethod.Delete) == true);
    }

    /// <summary>How many records are written in one call; null where the document does not tell enough.</summary>
    private static BulkSettings? BulkOf(OpenApiDocument document, string path, IOpenApiSchema record, CollectionSettings settings, bool changes)
    {
        var post = document.Paths[path].Operations![HttpMethod.Post];
        var sent = post.RequestBody?.Content?.FirstOrDefault(c => c.Key.Contains("json", StringComparison.OrdinalIgnoreCase)).Value?.Schema;
        var answered = post.Responses?.FirstOrDefault(r => r.Key.StartsWith('2')).Value?.Content?.Values.FirstOrDefault()?.Schema;
        var rows = sent is null ? default : PropertiesOf(sent).FirstOrDefault(p => p.Value.Items is not null);
        var results = answered is null ? default : PropertiesOf(answered).FirstOrDefault(p => p.Value.Items is not null);
        var key = settings.Reference ?? record.Required?.FirstOrDefault(r => r != settings.Id && PropertiesOf(record).Any(p => p.Key == r && !p.Value.ReadOnly));
        if (rows.Key is null || results.Key is null || key is null)
        {
            return null;
        }

        var of = PropertiesOf(results.Value.Items!).DistinctBy(p => p.Key).ToList();
        string? Named(params string[] names) => names.Select(n => of.FirstOrDefault(p => Plain(p.Key) == n).Key).FirstOrDefault(n => n is not null);
        return new BulkSettings(
            path, rows.Key, Math.Clamp(rows.Value.MaxItems ?? 100, 1, 1000), key, changes, results.Key,
            Named("row", "index", "position"), Named(Plain(settings.Id), "id") ?? settings.Id, Named("message", "detail", "error", "reason"),
            Named("record", "item", "stored") ?? of.FirstOrDefault(p => p.Value.Properties is { Count: > 0 }).Key);
    }

    private static Paging PagingOf(OpenApiOperation get, IOpenApiSchema? page, Func<string, IEnumerable<string>, string?> asked, List<Guess> guesses)
    {
        var properties = page is null ? [] : PropertiesOf(page).DistinctBy(p => p.Key).ToList();
        if (asked("the first id of a range", RangeFrom) is { } from && asked("the last id of a range", RangeTo) is { } to)
        {
            var highest = HighestNames.Select(h => properties.FirstOrDefault(p => Plain(p.Key) == h).Key).FirstOrDefault(p => p is not null);
            return new Paging.IdRange(from, to, highest);
        }

        if (asked("the next page", CursorParameters) is { } cursor && CursorProperties.Select(c => Deep(page, c)).FirstOrDefault(p => p is not null) is { } next)
        {
            guesses.Add(new Guess("where the next page's cursor stands", next, "a page has a property of that name"));
            return new Paging.Cursor(cursor, next);
        }

        if ((Deep(page, "nextlink") ?? Deep(page, "nexturl") ?? Deep(page, "next")) is { } link)
        {
            guesses.Add(new Guess("the next page", link, "a page has a property of that name"));
            return new Paging.NextLink(link);
        }

        if (get.Responses?.FirstOrDefault(r => r.Key.StartsWith('2')).Value?.Headers?.Keys.Any(h => h.Equals("Link", StringComparison.OrdinalIgnoreCase)) == true)
        {
            guesses.Add(new Guess("the next page", "Link header", "the answer has such a header"));
            return new Paging.LinkHeader();
        }

        if (asked("the next page", OffsetParameters) is { } offset)
        {
            return new Paging.Offset(offset);
        }

        return asked("the next page", PageParameters) is { } number
            ? new Paging.PageNumber(number, get.Parameters?.FirstOrDefault(p => p.Name == number)?.Schema?.Minimum == "0" ? 0 : 1)
            : new Paging.Whole();
    }

    /// <summary>Where in a page a property of some name stands, one level down at most.</summary>
    private static string? Deep(IOpenApiSchema? page, string name)
    {
        if (page is null)
        {
            return null;
        }

        var properties = PropertiesOf(page).DistinctBy(p => p.Key).ToList();
        return properties.FirstOrDefault(p => Plain(p.Key) == Plain(name) && p.Value.Items is null && p.Value.Properties is not { Count: > 0 }).Key
            ?? properties.Where(p => p.Value.Properties is { Count: > 0 })
                .Select(p => p.Value.Properties!.Keys.FirstOrDefault(k => Plain(k) == Plain(name)) is { } inner ? $"{p.Key}.{inner}" : null)
                .FirstOrDefault(p => p is not null);
    }

    /// <summary>A path under a collection's that serves it: its removals, its bulk writes.</summary>
    private static string? Beside(OpenApiDocument document, string path, string[] names, HttpMethod method, string what, List<Guess> guesses)
    {
        var found = names.SelectMany(n => document.Paths.Where(p => p.Key.StartsWith(path + "/", StringComparison.Ordinal) && Plain(p.Key[(path.Length + 1)..]) == n && p.Value.Operations?.ContainsKey(method) == true)).Select(p => p.Key).FirstOrDefault();
        if (found is not null)
        {
            guesses.Add(new Guess(what, found, "there is such a path"));
        }

        return found;
    }

    /// <summary>Whether a path only serves another collection.</summary>
    private static bool IsAside(OpenApiDocument document, string path) =>
        path.LastIndexOf('/') is > 0 and var slash && document.Paths.ContainsKey(path[..slash]) && (RemovedPaths.Contains(Plain(path[(slash + 1)..])) || BulkPaths.Contains(Plain(path[(slash + 1)..])));

    private static string Plain(string name) => name.Replace("_", "", StringComparison.Ordinal).Replace("-", "", StringComparison.Ordinal).ToLowerInvariant();

    [GeneratedRegex(@"\{([^}]+)\}$")]
    private static partial Regex OneParameter();
}
