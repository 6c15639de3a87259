using System.Globalization;
using System.Runtime.CompilerServices;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.RegularExpressions;
using System.Xml;
using CsvHelper;
using CsvHelper.Configuration;

namespace UprightMirror.Connectors.Files;

/// <summary>A row of a file: either what it says, or why it can't be taken.</summary>
/// <param name="Line">Where it stands, counted from 1; for XML and JSON, its place among the records.</param>
public sealed record FileRow(long Line, JsonElement? Json, string? Refused);

/// <summary>Reads a file's rows one by one, in bounded memory, whatever its kind. One row that can't be read never stops the others.</summary>
public static partial class FileRows
{
    private const int LongestRow = 4 * 1024 * 1024;
    private const long LargestDocument = 64L * 1024 * 1024;

    public static string KindOf(string path) => Path.GetExtension(path).ToLowerInvariant() switch
    {
        ".json" => "JSON",
        ".jsonl" or ".ndjson" => "JSON Lines",
        ".xml" => "XML",
        _ => "CSV",
    };

    /// <exception cref="FileRefused">The file can't be read to its end.</exception>
    public static IAsyncEnumerable<FileRow> Read(string path, FileForm form, CancellationToken cancellation) => KindOf(path) switch
    {
        "JSON" => Json(path, form, cancellation),
        "JSON Lines" => Lines(path, form, cancellation),
        "XML" => Xml(path, cancellation),
        _ => Csv(path, form, cancellation),
    };

    private static FileStream Open(string path) => new(path, FileMode.Open, FileAccess.Read, FileShare.Read, 64 * 1024, FileOptions.Asynchronous | FileOptions.SequentialScan);

    private static async IAsyncEnumerable<FileRow> Csv(string path, FileForm form, [EnumeratorCancellation] CancellationToken cancellation)
    {
        using var text = new StreamReader(Open(path), form.TextEncoding);
        string? bad = null;
        using var reader = new CsvParser(text, new CsvConfiguration(CultureInfo.InvariantCulture)
        {
            Delimiter = (form.Delimiter ?? ',').ToString(),
            MaxFieldSize = LongestRow,
            BadDataFound = args => bad = $"a quote stands in the middle of a value: {Cut(args.RawRecord)}",
        });
        if (!await reader.ReadAsync())
        {
            throw new FileRefused("It is empty: not even a line with the names of its columns.");
        }

        var names = reader.Record!.Select(n => n.Trim()).ToArray();
        if (names.GroupBy(n => n).FirstOrDefault(g => g.Count() > 1 || g.Key.Length == 0) is { } twice)
        {
            throw new FileRefused(twice.Key.Length == 0 ? "A column has no name in the first line." : $"Two columns are called {twice.Key} in the first line.");
        }

        while (await Next())
        {
            cancellation.ThrowIfCancellationRequested();
            var line = reader.RawRow;
            var values = reader.Record!;
            if (values.All(string.IsNullOrEmpty))
            {
                continue;
            }

            var wrong = bad ?? (values.Length != names.Length ? $"it has {values.Length} values, and the first line names {names.Length} columns" : null);
            bad = null;
            yield return wrong is not null
                ? new FileRow(line, null, wrong)
                : new FileRow(line, JsonSerializer.SerializeToElement(names.Select((n, i) => (n, values[i])).ToDictionary(p => p.n, p => Plain(p.Item2, form.DecimalMark))), null);
        }

        async Task<bool> Next()
        {
            try
            {
                return await reader.ReadAsync();
            }
            catch (MaxFieldSizeException)
            {
                throw new FileRefused($"A value near line {reader.RawRow} is longer than {LongestRow / 1024 / 1024} MB.");
            }
        }
    }

    /// <summary>A number with a decimal comma gets a point, as everywhere else.</summary>
    private static string Plain(string value, char? mark) =>
        mark == ',' && DecimalComma().IsMatch(value.Trim()) ? value.Trim().Replace(".", "", StringComparison.Ordinal).Replace(',', '.') : value;

    private static async IAsyncEnumerable<FileRow> Lines(string path, FileForm form, [EnumeratorCancellation] CancellationToken cancellation)
    {
        using var text = new StreamReader(Open(path), form.TextEncoding);
        for (var line = 1L; await text.ReadLineAsync(cancellation) is { } row; line++)
        {
            if (string.IsNullOrWhiteSpace(row))
            {
                continue;
            }

            yield return row.Length > LongestRow ? new FileRow(line, null, $"it is longer than {LongestRow / 1024 / 1024} MB") : OneLine(row, line);
        }
    }

    private static FileRow OneLine(string row, long line)
    {
        try
        {
            var json = JsonSerializer.Deserialize<JsonElement>(row);
            return json.ValueKind == JsonValueKind.Object ? new FileRow(line, json, null) : new FileRow(line, null, "it is no object");
        }
        catch (JsonException e)
        {
            return new FileRow(line, null, $"it is not JSON at character {e.BytePositionInLine + 1}");
        }
    }

    /// <summary>An array of objects, or an object with one; the first is read as a stream.</summary>
    private static async IAsyncEnumerable<FileRow> Json(string path, FileForm form, [EnumeratorCancellation] CancellationToken cancellation)
    {
        await using var file = Open(path);
        var isArray = await FirstSign(file, cancellation) == '[';
        file.Position = 0;
        if (!isArray)
        {
            if (file.Length > LargestDocument)
            {
                throw new FileRefused($"It is one object of more than {LargestDocument / 1024 / 1024} MB. Have it sent as an array of records, or as JSON Lines.");
            }

            JsonElement root;
            try
            {
                root = await JsonSerializer.DeserializeAsync<JsonElement>(file, cancellationToken: cancellation);
            }
            catch (JsonException e)
            {
                throw new FileRefused($"It is not JSON: line {e.LineNumber + 1}, character {e.BytePositionInLine + 1}.");
            }

            var list = root.ValueKind == JsonValueKind.Object ? root.EnumerateObject().Where(p => p.Value.ValueKind == JsonValueKind.Array && p.Value.GetArrayLength() > 0 && p.Value[0].ValueKind == JsonValueKind.Object).ToList() : [];
            var records = list is [var only] && root.EnumerateObject().All(p => p.NameEquals(only.Name) || p.Value.ValueKind is not JsonValueKind.Object) && !root.TryGetProperty("id", out _) ? only.Value.EnumerateArray().ToList() : [root];
            foreach (var (record, i) in records.Select((r, i) => (r, i)))
            {
                yield return record.ValueKind == JsonValueKind.Object ? new FileRow(i + 1, record, null) : new FileRow(i + 1, null, "it is no object");
            }

            yield break;
        }

        var at = 0L;
        var stream = JsonSerializer.DeserializeAsyncEnumerable<JsonElement>(file, cancellationToken: cancellation).GetAsyncEnumerator(cancellation);
        try
        {
            while (true)
            {
                try
                {
                    if (!await stream.MoveNextAsync())
                    {
                        break;
                    }
                }
                catch (JsonException e)
                {
                    throw new FileRefused($"It is not JSON after record {at}: {(e.LineNumber is { } l ? $"line {l + 1}" : e.Message)}.");
                }

                at++;
                yield return stream.Current.ValueKind == JsonValueKind.Object ? new FileRow(at, stream.Current.Clone(), null) : new FileRow(at, null, "it is no object");
            }
        }
        finally
        {
            await stream.DisposeAsync();
        }
    }

    private static async Task<char> FirstSign(FileStream file, CancellationToken cancellation)
    {
        var buffer = new byte[1024];
        var read = await file.ReadAsync(buffer, cancellation);
        return (char)buffer.Take(read).FirstOrDefault(b => b is (byte)'[' or (byte)'{');
    }

    /// <summary>Each child of the root is a record. No document type, no entities from elsewhere: they are refused.</summary>
    private static async IAsyncEnumerable<FileRow> Xml(string path, [EnumeratorCancellation] CancellationToken cancellation)
    {
        await using var file = Open(path);
        using var reader = XmlReader.Create(file, ElementAsJson.Safe(mostCharacters: 4L * 1024 * 1024 * 1024));
        var at = 0L;
        while (true)
        {
            JsonNode? record = null;
            try
            {
                cancellation.ThrowIfCancellationRequested();
                if (!await reader.ReadAsync())
                {
                    yield break;
                }

                if (reader.NodeType != XmlNodeType.Element || reader.Depth != 1)
                {
                    continue;
                }

                record = await ElementAsJson.Read(reader);
            }
            catch (XmlException e)
            {
                throw new FileRefused(ElementAsJson.Words(e));
            }

            at++;
            yield return record is JsonObject ? new FileRow(at, JsonSerializer.SerializeToElement(record), null) : new FileRow(at, null, "it has no elements or attributes of its own");
        }
    }

    private static string Cut(string text) => text.Length <= 80 ? text.Trim() : text[..80] + "…";

    [GeneratedRegex(@"^-?(\d+|\d{1,3}(\.\d{3})+),\d+$")]
    private static partial Regex DecimalComma();
}
