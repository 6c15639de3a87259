using System.Security.Claims;
using System.Text.RegularExpressions;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Mapping.Suggesting;
using UprightMirror.Core.Values;
using UprightMirror.Engine;
using UprightMirror.Storage;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints.Drafting;

/// <param name="Field">The agreed field that it would stand beside; null for a new one.</param>
/// <param name="LeftConversion">How the left side writes such values, by those that were seen; null for as it stands.</param>
public sealed record SuggestionShown(int LeftSide, string LeftPath, int RightSide, string RightPath, string? Field, string Name, string Type, double Confidence, bool IsSure, IReadOnlyList<string> Why, ConversionForm? LeftConversion, ConversionForm? RightConversion, bool LeftReadOnly = false, bool RightReadOnly = false);

/// <param name="Refused">How many were said no to, and are not shown.</param>
public sealed record SuggestionsShown(IReadOnlyList<SuggestionShown> Suggestions, IReadOnlyList<RefusedSuggestion> Refused);

internal static partial class SuggestionEndpoints
{
    private const int MostValues = 200;

    public static void MapSuggestions(this RouteGroupBuilder api)
    {
        api.MapGet("/mirrors/{key}/draft/suggestions", Suggest).WithName("getSuggestions");
        api.MapPost("/mirrors/{key}/draft/suggestions/refused", Refuse).RequireAuthorization(Roles.Administrator).WithName("refuseSuggestion");
        api.MapPost("/mirrors/{key}/draft/suggestions/again", SuggestAgain).RequireAuthorization(Roles.Administrator).WithName("suggestAgain");
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Refuse(string key, RefusedSuggestion refused, Mirrors mirrors, Drafts drafts, ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        if (refused.LeftPath.Length is 0 or > 400 || refused.RightPath.Length is 0 or > 400 || new[] { refused.LeftSide, refused.RightSide }.Any(s => s < 0 || s >= mirror.Definition.Sides.Length))
        {
            return DraftEndpoints.Problem("A suggestion is a field of one side of the mirror and one of another.");
        }

        await drafts.Refuse(mirror.Id, refused, user.Identity!.Name!, cancellation);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound>> SuggestAgain(string key, RefusedSuggestion refused, Mirrors mirrors, Drafts drafts, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        await drafts.SuggestAgain(mirror.Id, refused, cancellation);
        return TypedResults.NoContent();
    }

    private static async Task<Results<Ok<SuggestionsShown>, NotFound>> Suggest(string key, Mirrors mirrors, Drafts drafts, Catalogues catalogues, KeptConnections connections, SampleRecords samples, BenchSamples bench, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var definition = (await drafts.Of(mirror, cancellation)).Definition;
        var collections = await DraftEndpoints.CollectionsOf(definition, catalogues, cancellation);
        var kept = await connections.All(cancellation);
        var sketches = new List<(string Path, FieldSketch Sketch, CatalogueField Field)>[definition.Sides.Length];
        for (var s = 0; s < sketches.Length; s++)
        {
            var profile = (await catalogues.Profiles(definition.Sides[s].System, cancellation)).FirstOrDefault(p => p.Collection == definition.Sides[s].Collection)?.Fields.ToDictionary(p => p.Path) ?? [];
            var read = samples.AtHand(definition.Sides[s].System, definition.Sides[s].Collection)?.Records ?? [];

            // What a system says about its records is no content of them: when they were changed, by whom, in which version.
            var stamps = DraftEndpoints.StampsOf(kept.FirstOrDefault(c => c.System == definition.Sides[s].System), collections[s]);
            sketches[s] = [.. collections[s].Fields.Values.Where(f => !stamps.Contains(f.Path) && !f.IsInLines).OrderBy(f => f.Path, StringComparer.Ordinal).Select(f => (f.Path, new FieldSketch(f.Path, f.Label, null, f.Type, f.MaxLength, f.Allowed, read.Length > 0 ? [.. read.Select(r => r.Fields[f.Path].Display).Where(v => v.Length is > 0 and < 200).Distinct().Take(MostValues)] : profile.GetValueOrDefault(f.Path)?.Samples ?? []), f))];
        }

        var refused = (await drafts.Refused(mirror.Id, cancellation)).ToHashSet();
        var linked = (await bench.AtHand(mirror, definition, cancellation)).ToList();
        var found = new List<SuggestionShown>();
        for (var a = 0; a < sketches.Length; a++)
        {
            for (var b = a + 1; b < sketches.Length; b++)
            {
                var together = linked.Where(l => l.ContainsKey(a) && l.ContainsKey(b)).Select(l => (l[a], l[b])).ToList();
                foreach (var pair in Suggester.Suggest([.. sketches[a].Select(f => f.Sketch)], [.. sketches[b].Select(f => f.Sketch)], linked: together))
                {
                    var ((left, _, described), (right, _, other)) = (sketches[a][pair.Left], sketches[b][pair.Right]);
                    var (inLeft, inRight) = (definition.Fields.FirstOrDefault(f => f.Cells[a]?.Path == left), definition.Fields.FirstOrDefault(f => f.Cells[b]?.Path == right));

                    // Mapped already, or what only the systems themselves write: nothing to suggest.
                    if ((inLeft is not null && (inRight is not null || inLeft.Cells[b] is not null)) || (inRight is not null && inRight.Cells[a] is not null) || (described.ReadOnly && other.ReadOnly) || refused.Contains(new RefusedSuggestion(a, left, b, right)))
                    {
                        continue;
                    }

                    var type = TypeFor(described, other);

                    // Numbers as they are dialled at home can't be read before it is said which field holds the country: taken unseen, they would hold every record.
                    var wantsCountry = type == "phone" && definition.CountryField is null && (ManyNational(sketches[a][pair.Left].Sketch) || ManyNational(sketches[b][pair.Right].Sketch));

                    // What one side says does not go into the other as it stands: its codes have to be said first.
                    var tooLong = type == "text" && (inLeft ?? inRight) is null && (!ManyFit(sketches[a][pair.Left].Sketch, other) || !ManyFit(sketches[b][pair.Right].Sketch, described));
                    IReadOnlyList<string> why = [.. pair.Why, .. wantsCountry ? ["its numbers are national: say first which field holds the country"] : Array.Empty<string>(), .. tooLong ? ["what one side says is too long for the other: its codes are to be said first"] : Array.Empty<string>()];
                    found.Add(new SuggestionShown(
                        a, left, b, right, (inLeft ?? inRight)?.Name, NameFor(described, definition), type, pair.Confidence, pair.Confidence >= Suggester.Sure && !wantsCountry && !tooLong, why,
                        ConversionFor(inLeft ?? inRight, type, sketches[a][pair.Left].Sketch), ConversionFor(inLeft ?? inRight, type, sketches[b][pair.Right].Sketch), described.ReadOnly, other.ReadOnly));
                }
            }
        }

        return TypedResults.Ok(new SuggestionsShown([.. found.OrderByDescending(f => f.Confidence)], [.. refused]));
    }

    private static string NameFor(CatalogueField field, MirrorDefinition definition)
    {
        var leaf = field.Path[(field.Path.LastIndexOf('.') + 1)..];
        var words = field.Label ?? string.Concat(leaf.Select((c, i) => c == '_' ? " " : i > 0 && char.IsUpper(c) && !char.IsUpper(leaf[i - 1]) ? " " + char.ToLowerInvariant(c) : c.ToString()));
        var name = words.Length == 0 ? field.Path : char.ToUpperInvariant(words[0]) + words[1..];
        return Enumerable.Range(1, definition.Fields.Length + 1).Select(n => n == 1 ? name : $"{name} {n}").First(n => definition.Fields.All(f => !f.Name.Equals(n, StringComparison.OrdinalIgnoreCase)));
    }

    /// <summary>How a side writes telephone numbers: with digits alone where all that were seen are so.</summary>
    private static ConversionForm? ConversionFor(AgreedFieldDefinition? into, string type, FieldSketch sketch) =>
        (into?.Type.Name() ?? type) != "phone" ? null
        : new ConversionForm("phone", IsNational(sketch) ? PhoneForm.NationalDigits : PhoneForm.International);

    /// <summary>Whether a side writes telephone numbers as they are dialled at home: all that were seen are digits alone.</summary>
    private static bool IsNational(FieldSketch sketch) => sketch.Samples.Any() && sketch.Samples.All(v => v.All(char.IsAsciiDigit));

    /// <summary>Whether more than one in ten of the telephone numbers that were seen do not begin with their country.</summary>
    private static bool ManyNational(FieldSketch sketch) => sketch.Samples.Count(v => !v.TrimStart(' ', '(').StartsWith('+')) * 10 > sketch.Samples.Count();

    /// <summary>Whether nine in ten of the values that were seen are short enough for another side's field, or are never written there.</summary>
    private static bool ManyFit(FieldSketch sketch, CatalogueField into) => into.ReadOnly || into.MaxLength is not { } most || sketch.Samples.Count(v => v.Length > most) * 10 <= sketch.Samples.Count();

    private static string TypeFor(CatalogueField left, CatalogueField right)
    {
        bool Both(params string[] words) => new[] { left, right }.All(f => words.Any(w => f.Type.Contains(w, StringComparison.OrdinalIgnoreCase)));
        return Both("bool") ? "yesno" : Both("int", "number", "decimal", "double") ? "number" : Both("date-time", "DateTime", "timestamp") ? "datetime" : Both("date") ? "date"
            : Telephones().IsMatch(left.Path) && Telephones().IsMatch(right.Path) && Both("string", "text") ? "phone"
            : left.Path.Contains("mail", StringComparison.OrdinalIgnoreCase) && right.Path.Contains("mail", StringComparison.OrdinalIgnoreCase) && Both("string", "text") ? "email" : "text";
    }


    [GeneratedRegex("phone|mobile|(^|[._])tel|Tel[A-Z]|fax", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex Telephones();
}
