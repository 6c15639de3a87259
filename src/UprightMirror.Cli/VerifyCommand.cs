using UprightMirror.Engine;
using UprightMirror.Storage;

namespace UprightMirror.Cli;

/// <summary>
/// <c>upright verify</c>: reads every side whole, compares it with what is agreed, and lists every difference with its reason. Ends with 1 where one is unexplained.
/// </summary>
internal static class VerifyCommand
{
    /// <param name="names">The mirrors to verify; none for all that are live.</param>
    public static Task<int> Execute(string[] names) => Installation.With(async (installation, cancellation) =>
    {
        var all = (await installation.Mirrors.All(cancellation)).Where(m => m.State == "live").ToList();
        foreach (var name in names.Where(n => !all.Any(m => m.Definition.Key == n)))
        {
            throw new CommandException($"There is no live mirror called {name}. {(all.Count == 0 ? "There is none yet." : $"There are {string.Join(", ", all.Select(m => m.Definition.Key))}.")}");
        }

        var unexplained = 0;
        foreach (var mirror in all.Where(m => names.Length == 0 || names.Contains(m.Definition.Key)))
        {
            var context = await MirrorContext.Of(mirror.Definition, installation.Systems, installation.Mirrors, null, TimeProvider.System, cancellation);
            var found = await new Verifying(context, new Comparisons(installation.Database, mirror.Id, mirror.Definition)).Verify(cancellation);
            foreach (var difference in found.Differences.OrderBy(d => d.Why is not null).ThenBy(d => d.Title, StringComparer.Ordinal))
            {
                Console.WriteLine($"{(difference.Why is null ? "UNEXPLAINED" : "explained  ")} {mirror.Definition.Key} {difference.Title}{(difference.Field is { } field ? $", {field}" : "")}: {context.Systems[difference.Side].Name}{(difference.Id is { } id ? $" {id}" : "")} {difference.What}{(difference.Why is { } why ? $" ({why})" : "")}");
            }

            var open = found.Differences.Count(d => d.Why is null);
            unexplained += open;
            Console.WriteLine($"{mirror.Definition.Name}: {found.Records:N0} records and {found.Values:N0} values compared, {found.Differences.Count:N0} differences, {open:N0} unexplained");
        }

        return unexplained == 0 ? 0 : 1;
    });
}
