using System.Globalization;
using UprightMirror.Connectors.Testing;
using UprightMirror.Storage;

namespace UprightMirror.Cli;

/// <summary><c>upright systems</c>, <c>test-connection</c> and <c>catalogue</c>: what the systems' pages show.</summary>
internal static class SystemsCommand
{
    public static Task<int> List() => Installation.With(async (installation, cancellation) =>
    {
        var health = (await installation.Connections.Health(cancellation)).ToDictionary(h => h.System);
        var sizes = await installation.Catalogues.Sizes(cancellation);
        foreach (var c in await installation.Connections.All(cancellation))
        {
            var size = sizes.GetValueOrDefault(c.System);
            Console.WriteLine($"{c.System,-16} {c.Protocol,-11} {health.GetValueOrDefault(c.System)?.State ?? "not called yet",-15} {size.Collections,3} collections {size.Fields,5} fields  {c.Name}  {(c.Protocol == "folder" ? c.Address.LocalPath : c.Address)}");
        }

        return 0;
    });

    public static Task<int> Test(string name) => Installation.With(async (installation, cancellation) =>
    {
        var connection = await Find(installation, name, cancellation);
        var connector = installation.Systems.Try(connection, await installation.Connections.Secrets(connection.System, cancellation));
        var end = 0;
        await foreach (var step in connector.Test(cancellation))
        {
            var word = step.End switch { StepEnd.Passed => "passed", StepEnd.Warned => "passed, but", StepEnd.Failed => "FAILED", _ => "not tried" };
            Console.WriteLine($"{step.Name,-22} {word,-11} {(step.End == StepEnd.NotTried ? "" : step.Milliseconds.ToString(CultureInfo.InvariantCulture) + " ms"),8}  {step.Words}".TrimEnd());
            end = step.End == StepEnd.Failed ? 1 : end;
        }

        await installation.Systems.KeepTried(connection.System, connector, cancellation);
        return end;
    });

    public static Task<int> Catalogue(string name, bool refresh) => Installation.With(async (installation, cancellation) =>
    {
        var connection = await Find(installation, name, cancellation);
        if (refresh || await installation.Catalogues.Last(connection.System, cancellation) is null)
        {
            var found = await installation.Surveying.Survey(connection.System, p => Console.Error.WriteLine(p.Collections == 0 ? p.Words : $"{p.Words} ({p.Done + 1} of {p.Collections})"), cancellation);
            foreach (var change in found.Changes)
            {
                Console.Error.WriteLine($"{change.Kind}: {change.Collection}{(change.Path is { } path ? "." + path : "")} {change.Before} -> {change.After}");
            }

            foreach (var (collection, why) in found.Unreadable)
            {
                Console.Error.WriteLine($"{collection} could not be read: {why}");
            }
        }

        var kept = await installation.Catalogues.Last(connection.System, cancellation);
        var profiles = (await installation.Catalogues.Profiles(connection.System, cancellation)).ToDictionary(p => p.Collection);
        Console.WriteLine($"{connection.Name}: version {kept!.Version}, read {kept.ReadAt.UtcDateTime:yyyy-MM-dd HH:mm} UTC");
        foreach (var collection in kept.Catalogue.Collections)
        {
            var profile = profiles.GetValueOrDefault(collection.Name);
            Console.WriteLine($"{collection.Name} ({collection.Fields.Count} fields, {profile?.Records ?? 0} records looked at)");
            foreach (var field in collection.Fields.Values.OrderBy(f => f.Path, StringComparer.Ordinal))
            {
                var filled = profile?.Fields.FirstOrDefault(f => f.Path == field.Path);
                var marks = string.Join(", ", new[] { field.Required ? "required" : null, field.ReadOnly ? "read-only" : null, field.IsCustom ? "custom" : null, field.MaxLength is { } most ? $"at most {most}" : null }.OfType<string>());
                Console.WriteLine($"  {field.Path,-34} {field.Type,-22} {(filled is { Seen: > 0 } ? $"{100 * filled.Filled / filled.Seen,3} %" : "     ")} {marks}".TrimEnd());
            }
        }

        return 0;
    });

    private static async Task<KeptConnection> Find(Installation installation, string name, CancellationToken cancellation)
    {
        var all = await installation.Connections.All(cancellation);
        return all.FirstOrDefault(c => c.System == name) ?? all.FirstOrDefault(c => c.Name.Equals(name, StringComparison.OrdinalIgnoreCase))
            ?? throw new CommandException($"There is no system called {name}. {(all.Count == 0 ? "There is none yet." : $"There are {string.Join(", ", all.Select(c => c.System))}.")}");
    }
}
