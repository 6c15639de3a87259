using UprightMirror.Core.Reconciling;
using UprightMirror.Storage;

namespace UprightMirror.Cli;

/// <summary><c>upright run</c> and <c>upright rehearse</c>: what the buttons do, and the counts.</summary>
internal static class RunCommand
{
    public static Task<int> Execute(string name, bool rehearse, bool sweep = false, bool unguarded = false) => Installation.With(async (installation, cancellation) =>
    {
        var mirror = await installation.Mirrors.Find(name, cancellation)
            ?? throw new CommandException($"There is no mirror called {name}. There {await Others(installation, cancellation)}.");
        mirror = unguarded ? mirror with { Guards = Guards.None } : mirror;
        var report = await installation.Runner.Run(mirror, rehearse, "the command line", null, cancellation, sweep: sweep)
            ?? throw new CommandException($"A run of {mirror.Definition.Name} is going on already. Try again when it has ended.");
        Console.WriteLine($"{mirror.Definition.Name}: {(rehearse ? "rehearsal" : "run")} {report.RunId} {report.State}");
        foreach (var (label, count) in Lines(report.Counts, rehearse))
        {
            Console.WriteLine($"{label,-12} {count,8}");
        }

        if (report.Reason is { } reason)
        {
            Console.Error.WriteLine(reason);
        }

        return report.State == "finished" ? 0 : 1;
    });

    private static IEnumerable<(string Label, int Count)> Lines(RunCounts counts, bool rehearse)
    {
        yield return ("read", counts.Read);
        yield return ("created", counts.Created);
        yield return ("updated", counts.Updated);
        yield return ("linked", counts.Linked);
        yield return ("unchanged", counts.Unchanged);
        yield return ("in conflict", counts.InConflict);
        yield return ("held", counts.Held);
        yield return ("refused", counts.Refused);
        if (counts.OutOfScope > 0)
        {
            yield return ("out of scope", counts.OutOfScope);
        }

        yield return rehearse ? ("would write", counts.Planned) : ("written", counts.Written);
    }

    private static async Task<string> Others(Installation installation, CancellationToken cancellation)
    {
        var all = await installation.Mirrors.All(cancellation);
        return all.Count == 0 ? "is none yet" : $"{(all.Count == 1 ? "is" : "are")} {string.Join(", ", all.Select(m => m.Definition.Key))}";
    }
}
