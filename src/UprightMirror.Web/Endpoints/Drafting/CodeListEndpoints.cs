using System.Collections.Immutable;
using System.Security.Claims;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Mapping.Suggesting;
using UprightMirror.Core.Values;
using UprightMirror.Storage;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints.Drafting;

/// <param name="Codes">Pairs of a side's code and the agreed value; where two codes mean the same, the first one is written.</param>
/// <param name="UnknownToAgreed">Null to hold.</param>
/// <param name="Mirrors">The mirrors that use it, live or in a draft.</param>
public sealed record CodeListShown(string Name, IReadOnlyList<IReadOnlyList<string>> Codes, UnknownForm? UnknownToAgreed, UnknownForm? UnknownToSide, string ChangedBy, DateTimeOffset ChangedAt, IReadOnlyList<string> Mirrors);

public sealed record CodeListAsked(IReadOnlyList<IReadOnlyList<string>> Codes, UnknownForm? UnknownToAgreed, UnknownForm? UnknownToSide);

public sealed record CodesAsked(int Side, string Path, string Field);

/// <param name="Agreed">The agreed values that were seen on the other sides, the most frequent first.</param>
/// <param name="Looked">Over how many records.</param>
public sealed record CodesSeen(IReadOnlyList<PairedCode> Codes, IReadOnlyList<string> Agreed, int Looked);

internal static class CodeListEndpoints
{
    private const int MostCodes = 500;
    private const int LongestName = 80;

    public static void MapCodeLists(this RouteGroupBuilder api)
    {
        api.MapGet("/code-lists", List).WithName("getCodeLists");
        api.MapPut("/code-lists/{name}", Save).RequireAuthorization(Roles.Administrator).Audited("changed the code list {name}").WithName("saveCodeList");
        api.MapDelete("/code-lists/{name}", Remove).RequireAuthorization(Roles.Administrator).Audited("removed the code list {name}").WithName("removeCodeList");
        api.MapPost("/mirrors/{key}/draft/codes", Seen).RequireAuthorization(Roles.Administrator).WithName("seenCodes");
    }

    private static async Task<IReadOnlyList<CodeListShown>> List(CodeLists lists, Mirrors mirrors, Drafts drafts, CancellationToken cancellation)
    {
        var users = await Users(mirrors, drafts, cancellation);
        return [.. (await lists.All(cancellation)).Select(l => new CodeListShown(
            l.Name, DraftForms.Pairs(l.Table), DraftForms.Form(l.Table.UnknownToAgreed), DraftForms.Form(l.Table.UnknownToSide), l.ChangedBy, l.ChangedAt, [.. users.Where(u => u.Uses(l.Name)).Select(u => u.Mirror.Definition.Name)]))];
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> Save(string name, CodeListAsked asked, CodeLists lists, Mirrors mirrors, Drafts drafts, ClaimsPrincipal user, TimeProvider clock, CancellationToken cancellation)
    {
        var called = name.Trim();
        if (called.Length is 0 or > LongestName)
        {
            return DraftEndpoints.Problem($"A code list has a name of 1 to {LongestName} characters.");
        }

        if (DraftForms.Read(asked.Codes, asked.UnknownToAgreed, asked.UnknownToSide, out var table) is { } wrong)
        {
            return DraftEndpoints.Problem(wrong);
        }

        // Shared lists count at once: one that says two things would hold, or change, records of every mirror that uses it.
        if (table!.Problems.FirstOrDefault() is { } problem)
        {
            return DraftEndpoints.Problem(problem);
        }

        var users = (await Users(mirrors, drafts, cancellation)).Where(u => u.Uses(called)).Select(u => u.Mirror.Id).ToList();
        await lists.Save(new KeptCodeList(called, table, user.Identity!.Name!, clock.GetUtcNow()), users, cancellation);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> Remove(string name, CodeLists lists, Mirrors mirrors, Drafts drafts, CancellationToken cancellation)
    {
        if ((await Users(mirrors, drafts, cancellation)).FirstOrDefault(u => u.Uses(name)) is { } user)
        {
            return TypedResults.Problem(statusCode: 409, title: $"The mirror {user.Mirror.Definition.Name} uses {name}. Give its fields another conversion first.");
        }

        await lists.Remove(name, cancellation);
        return TypedResults.NoContent();
    }

    /// <summary>The codes that were seen in a side's field, each with the agreed value that it may mean.</summary>
    private static async Task<Results<Ok<CodesSeen>, NotFound>> Seen(string key, CodesAsked asked, Mirrors mirrors, Drafts drafts, Catalogues catalogues, BenchSamples samples, TimeProvider clock, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var definition = (await drafts.Of(mirror, cancellation)).Definition;
        var index = definition.Fields.Select(f => f.Name).ToList().IndexOf(asked.Field);
        if (index < 0 || asked.Side < 0 || asked.Side >= definition.Sides.Length)
        {
            return TypedResults.NotFound();
        }

        var field = definition.Fields[index];
        var collections = await DraftEndpoints.CollectionsOf(definition, catalogues, cancellation);
        var codes = new Dictionary<string, int>(StringComparer.OrdinalIgnoreCase);
        var looked = await Count(asked.Side, asked.Path, raw => raw[asked.Path].Display.Trim(), codes);
        var agreed = new Dictionary<string, int>(StringComparer.Ordinal);
        for (var s = 0; s < definition.Sides.Length; s++)
        {
            if (s == asked.Side || field.Cells[s] is not { } cell)
            {
                continue;
            }

            var side = s;
            var setting = new ConversionSetting(clock.GetUtcNow()) { CodeLists = definition.CodeLists };
            await Count(side, cell.Path, raw => cell.Conversion.Read(new Reading(raw[cell.Path], raw, field.Type, null, setting), out _)?.Display ?? "", agreed);
            if (cell.Conversion is CodeList list)
            {
                foreach (var (_, value) in list.Table.Codes)
                {
                    agreed.TryAdd(value, 0);
                }
            }
        }

        var together = await samples.Together(mirror, definition, asked.Side, asked.Path, index, cancellation);
        static IReadOnlyList<SeenValue> Most(Dictionary<string, int> counts) => [.. counts.OrderByDescending(c => c.Value).ThenBy(c => c.Key, StringComparer.Ordinal).Take(MostCodes).Select(c => new SeenValue(c.Key, c.Value))];
        return TypedResults.Ok(new CodesSeen(CodePairing.Pair(Most(codes), Most(agreed), together), [.. Most(agreed).Select(a => a.Value)], looked));

        async Task<int> Count(int side, string path, Func<RawFields, string> value, Dictionary<string, int> counts)
        {
            var allowed = collections[side].Fields.GetValueOrDefault(path)?.Allowed ?? [];
            var records = await samples.Of(mirror, definition.Sides[side], side, [path], cancellation);
            foreach (var said in records.Where(r => !r[path].IsEmpty).Select(value).Concat(allowed.Select(a => value(RawFields.Of([KeyValuePair.Create(path, Value.Text(a))])))).Where(v => v.Length is > 0 and <= 400))
            {
                counts[said] = counts.GetValueOrDefault(said) + 1;
            }

            return records.Count;
        }
    }

    private sealed record User(KeptMirror Mirror, MirrorDefinition Draft)
    {
        public bool Uses(string list) => Uses(this.Mirror.Definition, list) || Uses(this.Draft, list);

        private static bool Uses(MirrorDefinition definition, string list) => definition.Fields.SelectMany(f => f.Cells).Any(c => c is not null && (
            (c.Conversion is CodeList { Name: { } name } && name.Equals(list, StringComparison.OrdinalIgnoreCase))
            || (c.Conversion is FormulaConversion formula && $"{formula.ToAgreedFormula} {formula.ToSideFormula}".Contains($"\"{list}\"", StringComparison.OrdinalIgnoreCase))));
    }

    private static async Task<IReadOnlyList<User>> Users(Mirrors mirrors, Drafts drafts, CancellationToken cancellation)
    {
        var users = new List<User>();
        foreach (var mirror in await mirrors.All(cancellation))
        {
            users.Add(new User(mirror, (await drafts.Of(mirror, cancellation)).Definition));
        }

        return users;
    }
}
