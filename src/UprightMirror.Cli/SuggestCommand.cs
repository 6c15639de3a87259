using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using UprightMirror.Core.Mapping.Suggesting;

namespace UprightMirror.Cli;

/// <summary><c>upright suggest</c>: which fields of two lists may hold the same.</summary>
internal static class SuggestCommand
{
    private const int MostFields = 5_000;
    private const long LargestFile = 64 * 1024 * 1024;

    /// <param name="left">A CSV file (headers are the fields, rows are samples), or a JSON Schema.</param>
    /// <param name="to">The CSV file that is written: left,right,confidence.</param>
    public static int Execute(string left, string right, string to)
    {
        var (l, r) = (Read(left), Read(right));
        var suggestions = Suggester.Suggest(l, r);
        CsvFile.Write(to, suggestions.Select(s => (IEnumerable<string>)[l[s.Left].Name, r[s.Right].Name, s.Confidence.ToString("0.###", CultureInfo.InvariantCulture)]).Prepend(["left", "right", "confidence"]));
        return 0;
    }

    private static IReadOnlyList<FieldSketch> Read(string path)
    {
        if (new FileInfo(path) is { Exists: true, Length: > LargestFile })
        {
            throw new CommandException($"{path} is larger than {LargestFile / 1024 / 1024} MB.");
        }

        var fields = IsSchema(path) ? OfSchema(path) : OfCsv(path);
        return fields.Count switch
        {
            0 => throw new CommandException($"{path} has no fields."),
            > MostFields => throw new CommandException($"{path} has {fields.Count:N0} fields; at most {MostFields:N0} are compared."),
            _ => fields,
        };
    }

    private static bool IsSchema(string path)
    {
        try
        {
            using var reader = new StreamReader(path);
            int c;
            while ((c = reader.Read()) >= 0 && char.IsWhiteSpace((char)c))
            {
            }

            return c == '{';
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new CommandException($"{path} can't be read: {e.Message}");
        }
    }

    private static List<FieldSketch> OfCsv(string path)
    {
        var (header, rows) = CsvFile.Read(path);
        return [.. header.Select((name, i) => (name, i)).Where(h => h.name.Length > 0).Select(h => new FieldSketch(h.name, Samples: [.. rows.Select(r => r[h.i])]))];
    }

    private static List<FieldSketch> OfSchema(string path)
    {
        try
        {
            using var document = JsonDocument.Parse(File.ReadAllText(path), new JsonDocumentOptions { AllowTrailingCommas = true, CommentHandling = JsonCommentHandling.Skip });
            return [.. SchemaSketch.Of(document.RootElement.Clone())];
        }
        catch (JsonException e)
        {
            throw new CommandException($"{path} is not a JSON Schema: {e.Message}");
        }
    }
}
