using System.Reflection;
using System.Runtime.CompilerServices;
using System.Text.RegularExpressions;

namespace UprightMirror.Architecture.Tests;

/// <summary>What computes knows nothing of what talks: the rules of the house, held by reading the assemblies and the sources.</summary>
public partial class DependencyTests
{
    private static readonly string Root = Path.GetFullPath(Path.Combine(Path.GetDirectoryName(Here())!, "..", ".."));

    private static string Here([CallerFilePath] string path = "") => path;

    private static IEnumerable<string> References(string assembly) => Assembly.Load(assembly).GetReferencedAssemblies().Select(a => a.Name!);

    private static IEnumerable<(string Path, string Text)> Sources(string project) =>
        Directory.EnumerateFiles(Path.Combine(Root, "src", project), "*.cs", SearchOption.AllDirectories)
            .Where(f => !f.Contains($"{Path.DirectorySeparatorChar}obj{Path.DirectorySeparatorChar}", StringComparison.Ordinal))
            .Select(f => (Path.GetRelativePath(Root, f), File.ReadAllText(f)));

    [Fact]
    public void Core_references_nothing_that_does_input_or_output() =>
        References("UprightMirror.Core").ShouldAllBe(a =>
            a == "PhoneNumbers" || a == "Cronos" || (a.StartsWith("System.", StringComparison.Ordinal) && !a.StartsWith("System.Net", StringComparison.Ordinal) && !a.StartsWith("System.IO", StringComparison.Ordinal) && !a.StartsWith("System.Data", StringComparison.Ordinal) && !a.StartsWith("System.Diagnostics.Process", StringComparison.Ordinal)));

    [Theory]
    [InlineData("UprightMirror.Core", new string[0])]
    [InlineData("UprightMirror.Connectors", new[] { "UprightMirror.Core" })]
    [InlineData("UprightMirror.Storage", new[] { "UprightMirror.Core" })]
    [InlineData("UprightMirror.Engine", new[] { "UprightMirror.Core", "UprightMirror.Connectors", "UprightMirror.Storage" })]
    public void Arrows_point_down_only(string assembly, string[] may) =>
        References(assembly).Where(a => a.StartsWith("UprightMirror.", StringComparison.Ordinal)).ShouldBeSubsetOf(may);

    [Fact]
    public void The_engine_sees_the_database_only_through_store_interfaces()
    {
        References("UprightMirror.Engine").ShouldNotContain("Npgsql");
        foreach (var (path, text) in Sources("UprightMirror.Engine"))
        {
            StoreClasses().Matches(text).Select(m => m.Value).ShouldBeEmpty(path);
        }
    }

    [Fact]
    public void No_SQL_stands_outside_Storage()
    {
        // But for what a user's own database is asked: it is reached like any other system, by a connector.
        foreach (var project in new[] { "UprightMirror.Core", "UprightMirror.Connectors", "UprightMirror.Engine", "UprightMirror.Cli", "UprightMirror.Web" })
        {
            foreach (var (path, text) in Sources(project).Where(s => !s.Path.EndsWith("Changes.cs", StringComparison.Ordinal) && !s.Path.Contains("Connectors/Tables/", StringComparison.Ordinal)))
            {
                Sql().Matches(text).Select(m => m.Value).ShouldBeEmpty(path);
            }
        }
    }

    [Fact]
    public void Time_is_asked_of_a_TimeProvider_and_chance_of_a_seed()
    {
        foreach (var project in new[] { "UprightMirror.Core", "UprightMirror.Connectors", "UprightMirror.Storage", "UprightMirror.Engine", "UprightMirror.Web" })
        {
            foreach (var (path, text) in Sources(project))
            {
                ClockOrChance().Matches(text).Select(m => m.Value).ShouldBeEmpty(path);
            }
        }
    }

    [Fact]
    public void The_demo_world_and_the_product_know_nothing_of_each_other()
    {
        var product = new[] { "Core", "Connectors", "Storage", "Engine", "Web", "Cli" };
        product.SelectMany(p => Sources($"UprightMirror.{p}")).Where(s => s.Text.Contains("UprightMirror.DemoWorld", StringComparison.Ordinal)).Select(s => s.Path).ShouldBeEmpty();
        Sources("UprightMirror.DemoWorld").Where(s => product.Any(p => s.Text.Contains($"using UprightMirror.{p}", StringComparison.Ordinal))).Select(s => s.Path).ShouldBeEmpty();
    }

    [Fact]
    public void Connectors_name_no_system_of_the_demo() =>
        Sources("UprightMirror.Connectors").Where(s => s.Text.Contains("Slipway", StringComparison.Ordinal) || s.Text.Contains("Ballast", StringComparison.Ordinal) || s.Text.Contains("Pennant", StringComparison.Ordinal)).Select(s => s.Path).ShouldBeEmpty();

    [GeneratedRegex(@"\b(PostgresRunStore|DecisionStore|RunBook|Views|NpgsqlDataSource)\b")]
    private static partial Regex StoreClasses();

    [GeneratedRegex("\"[^\"\n]*\\b(select|insert into|update|delete from)\\b [a-z_*@(]+[^\"\n]*\\b(from|set|values|where)\\b", RegexOptions.IgnoreCase)]
    private static partial Regex Sql();

    [GeneratedRegex(@"DateTime(Offset)?\.(Utc)?Now|new Random\(\)|Random\.Shared|Stopwatch\.StartNew")]
    private static partial Regex ClockOrChance();
}
