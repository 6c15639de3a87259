using System.Text.Json;
using UprightMirror.Engine.Exchange;
using UprightMirror.Storage;

namespace UprightMirror.Cli;

/// <summary><c>upright export</c> and <c>upright import</c>: mirrors as a file, out of one workspace and into another.</summary>
internal static class ExchangeCommand
{
    private static readonly JsonSerializerOptions Readable = new() { WriteIndented = true, Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping };

    /// <summary>Prints what a file may say.</summary>
    public static int Schema()
    {
        Console.WriteLine(FileSchema.Document().ToJsonString(Readable));
        return 0;
    }

    /// <param name="names">The mirrors to print, as they are live; none for all.</param>
    public static Task<int> Export(string[] names) => Installation.With(async (installation, cancellation) =>
    {
        var all = await installation.Mirrors.All(cancellation);
        foreach (var name in names.Where(n => all.All(m => m.Definition.Key != n)))
        {
            throw new CommandException($"There is no mirror called {name}. {(all.Count == 0 ? "There is none yet." : $"There are {string.Join(", ", all.Select(m => m.Definition.Key))}.")}");
        }

        var connections = (await installation.Connections.All(cancellation)).ToDictionary(c => c.System);
        var file = MirrorFile.Of(
            [.. all.Where(m => names.Length == 0 || names.Contains(m.Definition.Key)).Select(m => m.Definition)], await new CodeLists(installation.Database).All(cancellation),
            system => connections.TryGetValue(system, out var c) ? (c.Name, c.Protocol) : (system, ""));
        Console.Write(FileText.Write(file));
        return 0;
    });

    /// <param name="path">The file; <c>-</c> for standard input.</param>
    /// <param name="matched">Each <c>SYSTEM=CONNECTION</c>: which connection a system of the file is here; <c>SYSTEM=</c> leaves its sides out.</param>
    public static Task<int> Import(string path, IReadOnlyList<string> matched) => Installation.With(async (installation, cancellation) =>
    {
        var (file, problems) = FileText.Read(Text(path));
        if (file is null)
        {
            foreach (var problem in problems)
            {
                Console.Error.WriteLine(problem);
            }

            return 1;
        }

        var importing = new Importing(installation.Mirrors, new Drafts(installation.Database, TimeProvider.System), new CodeLists(installation.Database), installation.Connections, installation.Catalogues, TimeProvider.System);
        var systems = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var pair in matched)
        {
            systems[pair.Split('=') is [{ Length: > 0 } system, _] && !systems.ContainsKey(system) ? system : throw new CommandException($"{pair} does not say which connection a system is, as in slipway=crm, or that its sides are left out, as in slipway=.")] = pair.Split('=')[1];
        }

        var found = await importing.Match(file, cancellation);
        foreach (var one in found)
        {
            var shown = one.Candidates.FirstOrDefault(c => systems.TryGetValue(one.System, out var chosen) && c.System == chosen) ?? one.Guess;
            Console.WriteLine(systems.TryGetValue(one.System, out var said) && said.Length == 0 ? $"{one.InFile.Name} ({one.System}): left out"
                : shown is null
                ? $"{one.InFile.Name} ({one.System}): {(one.Candidates.IsEmpty ? $"no connection by {one.InFile.Protocol} has {string.Join(", ", one.InFile.Collections)}" : $"may be {string.Join(" or ", one.Candidates.Select(c => c.System))}")}"
                : $"{one.InFile.Name} ({one.System}): {(systems.ContainsKey(one.System) ? "is" : "looks like")} {shown.Name} ({shown.System}), {one.Used - shown.Missing.Length} of {one.Used} fields are there{(shown.Missing.IsEmpty ? "" : $"; not: {string.Join(", ", shown.Missing)}")}");
        }

        if (systems.Count == 0)
        {
            Console.WriteLine($"Nothing was brought in yet. Say which is which: upright import {path} {string.Join(" ", found.Select(f => $"--as {f.System}={f.Guess?.System ?? "…"}"))}");
            return 1;
        }

        if (await importing.Import(file, systems, "the command line", cancellation) is { IsEmpty: false } wrong)
        {
            foreach (var words in wrong)
            {
                Console.Error.WriteLine(words);
            }

            return 1;
        }

        Console.WriteLine($"{string.Join(", ", file.Mirrors.Select(m => m.Name))}: here as {(file.Mirrors.Length == 1 ? "a draft" : "drafts")}. Look at what the check says, rehearse, and publish.");
        return 0;
    });

    private static string Text(string path)
    {
        try
        {
            return path == "-" ? Console.In.ReadToEnd() : new FileInfo(path).Length > FileText.Longest * 2L ? new string(' ', FileText.Longest + 1) : File.ReadAllText(path);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new CommandException($"{path} can't be read: {e.Message}");
        }
    }
}
