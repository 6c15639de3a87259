using System.Text.Encodings.Web;
using System.Text.Json;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Formulas.Functions;

namespace UprightMirror.Cli;

/// <summary><c>upright formula</c>: works a formula out over one record.</summary>
internal static class FormulaCommand
{
    private const long LargestRecord = 16 * 1024 * 1024;

    private static readonly JsonSerializerOptions Plain = new() { Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping };

    /// <param name="path">The record, a JSON object; "-" for standard input, null for a formula without fields.</param>
    public static int Execute(string text, string? path)
    {
        var record = path is null ? FormulaRecord.Of([]) : Read(path);
        if (!Formula.Parse(text, record.Has, out var formula, out var problem))
        {
            throw new CommandException(problem.Sentence);
        }

        var result = formula.Evaluate(record, new FormulaSetting(DateTimeOffset.UtcNow));
        if (result is { IsError: true, Error.Detail: { } detail })
        {
            Console.Error.WriteLine($"{result.Error.Code}: {detail}.");
        }

        Console.WriteLine(ItemJson.Write(result)?.ToJsonString(Plain) ?? "null");
        return 0;
    }

    public static int Reference()
    {
        Console.Write(FunctionReference.Markdown());
        return 0;
    }

    private static FormulaRecord Read(string path)
    {
        try
        {
            if (path != "-" && new FileInfo(path) is { Exists: true, Length: > LargestRecord })
            {
                throw new CommandException($"The record in {path} is larger than {LargestRecord / 1024 / 1024} MB.");
            }

            using var document = JsonDocument.Parse(path == "-" ? Console.In.ReadToEnd() : File.ReadAllText(path));
            return FormulaRecord.FromJson(document.RootElement.Clone());
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new CommandException($"The record can't be read from {path}: {e.Message}");
        }
        catch (Exception e) when (e is JsonException or ArgumentException)
        {
            throw new CommandException($"The record in {path} is not a JSON object: {e.Message}");
        }
    }
}
