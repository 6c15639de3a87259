using System.Text;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Mvc;
using UprightMirror.Core.Mapping;
using UprightMirror.Engine.Exchange;
using UprightMirror.Storage;
using UprightMirror.Web.Endpoints.Drafting;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <param name="Text">The file as it is.</param>
/// <param name="Systems">For each system of the file the connection that it is here, or nothing to leave its sides out; null to look at the file only.</param>
/// <param name="Names">What mirrors of the file, by key, are called here; those left out keep their names.</param>
public sealed record FileAsked(string Text, IReadOnlyDictionary<string, string>? Systems = null, IReadOnlyDictionary<string, string>? Names = null);

/// <summary>What a file holds, and what it needs here.</summary>
/// <param name="Problems">Everything that is wrong with it, by line; it can't be brought in then.</param>
public sealed record FileShown(IReadOnlyList<ProblemShown> Problems, IReadOnlyList<MirrorInFile> Mirrors, IReadOnlyList<string> CodeLists, IReadOnlyList<SystemToMatch> Systems);

/// <param name="Line">Counted from 1; null where no line is to blame.</param>
public sealed record ProblemShown(int? Line, string Words);

/// <param name="Exists">Whether a mirror of this name or key is here already.</param>
public sealed record MirrorInFile(string Key, string Name, int Fields, IReadOnlyList<string> Sides, bool Exists);

/// <param name="Guess">The connection that it certainly looks like; null where a person has to say.</param>
public sealed record SystemToMatch(string Key, string Name, string Protocol, IReadOnlyList<string> Collections, int Used, string? Guess, IReadOnlyList<ConnectionToMatch> Candidates);

/// <param name="Missing">Fields that the mirrors use, and that it does not have.</param>
public sealed record ConnectionToMatch(string System, string Name, IReadOnlyList<string> Missing);

/// <param name="Mirrors">The keys of those that are here now, as drafts.</param>
public sealed record BroughtIn(IReadOnlyList<string> Mirrors);

/// <summary>A mirror that ships with the product, to begin from.</summary>
/// <param name="Systems">What its sides' systems are called in it; here they are what a person says.</param>
/// <param name="Exists">Whether a mirror of this name or key is here already.</param>
public sealed record TemplateShown(string Key, string Name, string RecordType, IReadOnlyList<string> Systems, int Fields, bool Exists);

/// <summary>Mirrors as a file: out of this workspace, and into it.</summary>
internal static class ExchangeEndpoints
{
    private const int MostName = 60;
    private const int LargestFile = 8 * 1024 * 1024;

    public static void MapExchange(this RouteGroupBuilder api)
    {
        api.MapGet("/mirrors/file", Export).RequireAuthorization(Roles.Administrator).WithName("exportMirrors");
        api.MapGet("/mirrors/file/schema", () => Results.Text(FileSchema.Document().ToJsonString(), "application/schema+json")).WithName("mirrorFileSchema");
        api.MapGet("/mirrors/templates", AllTemplates).RequireAuthorization(Roles.Administrator).WithName("getTemplates");
        api.MapGet("/mirrors/templates/{key}", Results<ContentHttpResult, NotFound> (string key) =>
            Templates.All.FirstOrDefault(t => t.Key == key) is { } template ? TypedResults.Text(template.Text, "application/yaml") : TypedResults.NotFound()).RequireAuthorization(Roles.Administrator).WithName("getTemplate");
        api.MapPost("/mirrors/file/look", Look).RequireAuthorization(Roles.Administrator).WithMetadata(new RequestSizeLimitAttribute(LargestFile)).WithName("lookAtMirrorFile");
        api.MapPost("/mirrors/file", Import).RequireAuthorization(Roles.Administrator).WithMetadata(new RequestSizeLimitAttribute(LargestFile)).Audited("brought mirrors in from a file").WithName("importMirrors");
    }

    private static async Task<Results<FileContentHttpResult, ProblemHttpResult>> Export(string[]? mirror, Mirrors mirrors, CodeLists codeLists, KeptConnections connections, CancellationToken cancellation)
    {
        var all = (await mirrors.All(cancellation)).Where(m => mirror is null or [] || mirror.Contains(m.Definition.Key)).Select(m => m.Definition).ToList();
        if (all.Count == 0 || mirror?.FirstOrDefault(k => all.All(m => m.Key != k)) is not null)
        {
            return TypedResults.Problem(statusCode: 404, title: mirror?.FirstOrDefault(k => all.All(m => m.Key != k)) is { } none ? $"There is no mirror {none}." : "There is no mirror yet.");
        }

        var known = (await connections.All(cancellation)).ToDictionary(c => c.System);
        var file = MirrorFile.Of(all, await codeLists.All(cancellation), system => known.TryGetValue(system, out var c) ? (c.Name, c.Protocol) : (system, ""));
        return TypedResults.File(Encoding.UTF8.GetBytes(FileText.Write(file)), "application/yaml", $"{(all.Count == 1 ? all[0].Key : "mirrors")}.yaml");
    }

    private static async Task<IReadOnlyList<TemplateShown>> AllTemplates(Mirrors mirrors, CancellationToken cancellation)
    {
        var here = await mirrors.All(cancellation);
        return [.. Templates.All.SelectMany(t => t.File.Mirrors.Select(m => new TemplateShown(t.Key, m.Name, m.RecordType, [.. m.Sides.Select(s => t.File.Systems[s.System].Name)], m.Fields.Length, IsHere(m, here))))];
    }

    private static bool IsHere(MirrorDefinition mirror, IReadOnlyList<KeptMirror> here) =>
        here.Any(h => h.Definition.Key == mirror.Key || h.Definition.Name.Equals(mirror.Name, StringComparison.OrdinalIgnoreCase));

    private static async Task<Ok<FileShown>> Look(FileAsked asked, Importing importing, Mirrors mirrors, CancellationToken cancellation)
    {
        var (file, problems) = FileText.Read(asked.Text);
        if (file is null)
        {
            return TypedResults.Ok(new FileShown([.. problems.Select(p => new ProblemShown(p.Line > 0 ? p.Line : null, p.Words))], [], [], []));
        }

        var here = await mirrors.All(cancellation);
        return TypedResults.Ok(new FileShown(
            [],
            [.. file.Mirrors.Select(m => new MirrorInFile(m.Key, m.Name, m.Fields.Length, [.. m.Sides.Select(s => file.Systems[s.System].Name)], IsHere(m, here)))],
            [.. file.CodeLists.Keys],
            [.. (await importing.Match(file, cancellation)).Select(m => new SystemToMatch(m.System, m.InFile.Name, m.InFile.Protocol, [.. m.InFile.Collections], m.Used, m.Guess?.System, [.. m.Candidates.Select(c => new ConnectionToMatch(c.System, c.Name, [.. c.Missing]))]))]));
    }

    private static async Task<Results<Ok<BroughtIn>, ProblemHttpResult>> Import(FileAsked asked, Importing importing, HttpContext http, CancellationToken cancellation)
    {
        var (file, problems) = FileText.Read(asked.Text);
        if (file is null)
        {
            return SystemsEndpoints.Problem(problems[0].ToString());
        }

        file = file with { Mirrors = [.. file.Mirrors.Select(m => asked.Names?.GetValueOrDefault(m.Key)?.Trim() is { Length: > 0 } name ? m with { Key = DraftEndpoints.KeyOf(name), Name = name } : m)] };
        if (file.Mirrors.FirstOrDefault(m => m.Name.Length > MostName || m.Key.Length is 0 or > MostName) is { } unnamed)
        {
            return SystemsEndpoints.Problem($"Call a mirror by a name of letters and digits, of at most {MostName} characters: {unnamed.Name[..Math.Min(unnamed.Name.Length, MostName)]} is none.");
        }

        var wrong = await importing.Import(file, asked.Systems ?? new Dictionary<string, string>(), http.User.Identity!.Name!, cancellation);
        return wrong.IsEmpty ? TypedResults.Ok(new BroughtIn([.. file.Mirrors.Select(m => m.Key)])) : SystemsEndpoints.Problem(string.Join(" ", wrong));
    }
}
