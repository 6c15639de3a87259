using System.Runtime.CompilerServices;
using System.Text.Json;
using System.Text.Json.Nodes;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Catalogues;

namespace UprightMirror.Connectors.Files;

/// <summary>
/// Rows that are one record together, such as a row for each line of an order: many that become one. The rows of one record stand one after
/// another and say the same in one column. What belongs to a line goes into <c>lines</c>; the rest is the record's own.
/// </summary>
public static class RowsTogether
{
    /// <summary>Where the rows' own columns go.</summary>
    public const string Lines = "lines";

    /// <summary>A record of more rows is no record: the column is the wrong one.</summary>
    public const int MostRows = 5000;

    /// <summary>The columns that the rows have in the files, of a collection whose rows may be put together by now.</summary>
    public static IReadOnlyList<string> Columns(CatalogueCollection collection) =>
        [.. collection.Fields.Keys.Where(f => f != Lines).Select(f => f.StartsWith(Lines + CatalogueField.InLines, StringComparison.Ordinal) ? f[(Lines.Length + CatalogueField.InLines.Length)..] : f).Distinct().Order(StringComparer.Ordinal)];

    /// <summary>The rows as records; as they are, where the collection says nothing of rows together. A record that can't be made costs only itself.</summary>
    public static IAsyncEnumerable<FileRow> Of(IAsyncEnumerable<FileRow> rows, CollectionSettings own, CancellationToken cancellation) =>
        string.IsNullOrEmpty(own.RowsBy) ? rows : Together(rows, own.RowsBy, [.. own.LineColumns ?? []], cancellation);

    private static async IAsyncEnumerable<FileRow> Together(IAsyncEnumerable<FileRow> rows, string column, HashSet<string> lineColumns, [EnumeratorCancellation] CancellationToken cancellation)
    {
        var ended = new Dictionary<string, long>(StringComparer.Ordinal);
        var open = new List<FileRow>();
        var name = "";
        await foreach (var row in rows.WithCancellation(cancellation))
        {
            if (row.Json is not { } json)
            {
                yield return row;
                continue;
            }

            var of = json.TryGetProperty(column, out var said) ? said.ValueKind == JsonValueKind.String ? said.GetString()!.Trim() : said.GetRawText() : "";
            if (of.Length == 0)
            {
                yield return new FileRow(row.Line, null, $"it has no {column}, which says whose row it is");
                continue;
            }

            if (of != name && open.Count > 0)
            {
                yield return Record(open, name, column, lineColumns);
                ended[name] = open[^1].Line;
                open.Clear();
            }

            name = of;
            if (ended.TryGetValue(of, out var line))
            {
                yield return new FileRow(row.Line, null, $"it is one more row of {column} {of}, whose rows ended in line {line}. Have the rows of one record sent one after another");
                name = "";
                continue;
            }

            open.Add(row);
        }

        if (open.Count > 0)
        {
            yield return Record(open, name, column, lineColumns);
        }
    }

    private static FileRow Record(List<FileRow> rows, string name, string column, HashSet<string> lineColumns)
    {
        var (from, to) = (rows[0].Line, rows[^1].Line);
        if (rows.Count > MostRows)
        {
            return new FileRow(from, null, $"{column} {name} has {rows.Count:N0} rows; at most {MostRows:N0} are one record");
        }

        var record = new JsonObject();
        foreach (var property in rows[0].Json!.Value.EnumerateObject().Where(p => p.Name == column || (lineColumns.Count > 0 && !lineColumns.Contains(p.Name))))
        {
            if (property.Name != column && rows.FirstOrDefault(r => !Same(r.Json!.Value, property)) is { } other)
            {
                return new FileRow(from, null, $"lines {from} to {to} are {column} {name}, and differ in {property.Name}: {property.Value.GetRawText()} in line {from}, {(other.Json!.Value.TryGetProperty(property.Name, out var its) ? its.GetRawText() : "nothing")} in line {other.Line}. Say that {property.Name} belongs to the lines, or have it sent the same");
            }

            record[property.Name] = JsonNode.Parse(property.Value.GetRawText());
        }

        record[Lines] = new JsonArray([.. rows.Select(r => (JsonNode?)new JsonObject(r.Json!.Value.EnumerateObject().Where(p => p.Name != column && (lineColumns.Count == 0 || lineColumns.Contains(p.Name))).Select(p => KeyValuePair.Create(p.Name, JsonNode.Parse(p.Value.GetRawText())))))]);
        return new FileRow(from, JsonSerializer.SerializeToElement(record), null);
    }

    private static bool Same(JsonElement row, JsonProperty property) => row.TryGetProperty(property.Name, out var its) && JsonElement.DeepEquals(its, property.Value);
}
