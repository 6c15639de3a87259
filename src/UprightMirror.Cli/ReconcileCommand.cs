using System.Text.Encodings.Web;
using System.Text.Json;
using UprightMirror.Core.Reconciling;

namespace UprightMirror.Cli;

/// <summary>A command that can't be carried out, in words for who typed it.</summary>
public sealed class CommandException(string message) : Exception(message);

/// <summary><c>upright reconcile</c>: one record's outcome, from a scenario file.</summary>
internal static class ReconcileCommand
{
    private const long LargestScenario = 16 * 1024 * 1024;

    private static readonly JsonSerializerOptions Readable = new() { WriteIndented = true, Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping };

    public static int Execute(string path)
    {
        try
        {
            Console.WriteLine(Scenario.Reconcile(Read(path)).ToJsonString(Readable));
            return 0;
        }
        catch (ScenarioException e)
        {
            throw new CommandException(e.Message);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new CommandException($"The scenario can't be read from {path}: {e.Message}");
        }
    }

    private static string Read(string path)
    {
        if (path == "-")
        {
            return Console.In.ReadToEnd();
        }

        return new FileInfo(path) is { Exists: true, Length: > LargestScenario }
            ? throw new CommandException($"The scenario {path} is larger than {LargestScenario / 1024 / 1024} MB.")
            : File.ReadAllText(path);
    }
}
