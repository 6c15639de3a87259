using System.Collections.Immutable;
using System.Security.Claims;
using System.Text;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Values;
using UprightMirror.Engine;
using UprightMirror.Storage;
using UprightMirror.Web.Running;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints.Drafting;

/// <param name="Samples">For each field and side, what the sample record holds there; null where nothing.</param>
/// <param name="Agreed">For each field, what the sample is in agreed form, by the side that gives it first; null where nothing.</param>
/// <param name="Sample">Null when there is no record to look at.</param>
/// <param name="IsReading">True while sample records are still being read from the systems: ask again.</param>
/// <param name="Fault">Why samples could not be read; null when they could.</param>
/// <param name="InPlainWords">For each field, a few sentences.</param>
/// <param name="AboutMirror">Sentences about the draft as a whole.</param>
public sealed record DraftPage(
    int Step, int Last, string? What, string? Undone, string? Who, DateTimeOffset? At, int BasedOn, IReadOnlyList<SideShown> Sides, DraftSettings Settings, IReadOnlyList<FieldForm> Fields,
    IReadOnlyList<IReadOnlyList<string?>> Samples, IReadOnlyList<string?> Agreed, DraftSample? Sample, bool IsReading, string? Fault, IReadOnlyList<string> InPlainWords, IReadOnlyList<FindingShown> Findings, IReadOnlyList<string> AboutMirror);

/// <param name="Link">The linked record that it is; null when no run has linked it yet.</param>
/// <param name="Position">1 for the first.</param>
/// <param name="Ids">By side, the id of its record; null where it has none.</param>
public sealed record DraftSample(Guid? Link, string Title, int Position, int Of, IReadOnlyList<string?> Ids);

/// <param name="IsJudged">True for a doubt that a person says is as it should be.</param>
public sealed record FindingShown(bool IsWrong, int? Field, int? Side, string? Path, string Words, bool IsJudged);

/// <param name="Step">The step that the person saw.</param>
/// <param name="What">What was done, in words: for undo.</param>
/// <param name="Settings">Null when only fields changed.</param>
public sealed record DraftAsked(int Step, string What, IReadOnlyList<FieldForm> Fields, DraftSettings? Settings = null);

/// <param name="Comment">Why, for those who read the list of versions.</param>
/// <param name="Step">The step that the person saw; null to publish whatever stands.</param>
public sealed record PublishAsked(string? Comment = null, int? Step = null);

/// <param name="RecordType">One record of it, in the singular: customer.</param>
public sealed record NewMirror(string Name, string RecordType, IReadOnlyList<NewSide> Sides);

public sealed record NewSide(string System, string Collection, bool MayCreate);

public sealed record MirrorBegun(string Key);

internal static class DraftEndpoints
{
    private const int MostFields = 500;
    private const int LongestComment = 2000;

    public static void MapDrafts(this RouteGroupBuilder api)
    {
        api.MapPost("/mirrors", Begin).RequireAuthorization(Roles.Administrator).Audited("began a mirror").WithName("beginMirror");
        api.MapDelete("/mirrors/{key}", Remove).RequireAuthorization(Roles.Administrator).Audited("removed the draft of {key}").WithName("removeMirror");
        api.MapGet("/mirrors/{key}/draft", Page).WithName("getDraft");
        api.MapPut("/mirrors/{key}/draft", Save).RequireAuthorization(Roles.Administrator).WithName("saveDraft");
        api.MapPost("/mirrors/{key}/draft/undo", (string key, Mirrors mirrors, Drafts drafts, CancellationToken cancellation) => Move(key, -1, mirrors, drafts, cancellation)).RequireAuthorization(Roles.Administrator).WithName("undoDraft");
        api.MapPost("/mirrors/{key}/draft/redo", (string key, Mirrors mirrors, Drafts drafts, CancellationToken cancellation) => Move(key, 1, mirrors, drafts, cancellation)).RequireAuthorization(Roles.Administrator).WithName("redoDraft");
        api.MapPost("/mirrors/{key}/draft/publish", Publish).RequireAuthorization(Roles.Administrator).Audited("published {key}").WithName("publishDraft");
        api.MapDelete("/mirrors/{key}/draft", Discard).RequireAuthorization(Roles.Administrator).Audited("discarded the draft of {key}").WithName("discardDraft");
        api.MapCellTrying();
        api.MapRecognising();
        api.MapSuggestions();
        api.MapCodeLists();
        api.MapScope();
        api.MapVersions();
    }

    /// <summary>What each side's own description says, in the mirror's order.</summary>
    public static async Task<IReadOnlyList<CatalogueCollection>> CollectionsOf(MirrorDefinition definition, Catalogues catalogues, CancellationToken cancellation)
    {
        var collections = new List<CatalogueCollection>();
        foreach (var side in definition.Sides)
        {
            collections.Add((await catalogues.Last(side.System, cancellation))?.Catalogue[side.Collection] ?? CatalogueCollection.Unknown(side.Collection));
        }

        return collections;
    }

    /// <summary>What is kept about a side's records, not in them: as the connection says, and as its connector found.</summary>
    public static ImmutableHashSet<string> StampsOf(KeptConnection? connection, CatalogueCollection collection, bool withId = false)
    {
        var own = connection is null ? null : SystemsEndpoints.SettingsOf(connection).For(collection.Name);
        return own is null ? collection.Stamps : withId ? own.Stamps.Add(own.Id) : own.Stamps;
    }

    /// <summary>What is known of each side, in the mirror's order.</summary>
    public static async Task<IReadOnlyList<SideKnown>> SidesOf(MirrorDefinition definition, Catalogues catalogues, KeptConnections connections, CancellationToken cancellation)
    {
        var kept = await connections.All(cancellation);
        var known = new List<SideKnown>();
        foreach (var (side, collection) in definition.Sides.Zip(await CollectionsOf(definition, catalogues, cancellation)))
        {
            var connection = kept.FirstOrDefault(c => c.System == side.System);
            var profiles = (await catalogues.Profiles(side.System, cancellation)).FirstOrDefault(p => p.Collection == side.Collection)?.Fields ?? [];
            known.Add(new SideKnown(connection?.Name ?? side.System, collection)
            {
                OwnStamps = StampsOf(connection, collection, withId: true),
                Longest = profiles.Where(p => p.Longest > 0).ToImmutableDictionary(p => p.Path, p => p.Longest),
            });
        }

        return known;
    }

    public static ProblemHttpResult Problem(string title) => TypedResults.Problem(statusCode: 400, title: title);

    private static async Task<Results<Created<MirrorBegun>, ProblemHttpResult>> Begin(NewMirror asked, Mirrors mirrors, KeptConnections connections, Catalogues catalogues, CancellationToken cancellation)
    {
        var key = KeyOf(asked.Name ?? "");
        if (key.Length == 0 || asked.Name!.Length > 80 || string.IsNullOrWhiteSpace(asked.RecordType) || asked.RecordType.Length > 40)
        {
            return Problem("A mirror has a name of 1 to 80 characters, with a letter or a digit in it, and a word of at most 40 for one of its records, such as customer.");
        }

        if (asked.Sides.Count is < 2 or > 5)
        {
            return Problem("A mirror has 2 to 5 sides.");
        }

        if (asked.Sides.GroupBy(s => (s.System, s.Collection)).Any(g => g.Count() > 1))
        {
            return Problem("Two sides are the same collection of the same system. Choose another one for one of them.");
        }

        var known = (await connections.All(cancellation)).ToDictionary(c => c.System);
        foreach (var side in asked.Sides)
        {
            if (!known.TryGetValue(side.System, out var connection))
            {
                return Problem($"There is no system {side.System}. Add it under Systems first.");
            }

            if ((await catalogues.Last(side.System, cancellation))?.Catalogue is not { } catalogue)
            {
                return Problem($"The catalogue of {connection.Name} was not read yet. Read it under Systems first.");
            }

            if (catalogue[side.Collection] is null)
            {
                return Problem($"{connection.Name} has no collection {side.Collection}. It has {string.Join(", ", catalogue.Collections.Select(c => c.Name).Take(12))}.");
            }
        }

        var definition = new MirrorDefinition(key, asked.Name.Trim(), asked.RecordType.Trim().ToLowerInvariant(), [.. asked.Sides.Select(s => new SideDefinition(s.System, s.Collection, s.MayCreate))], [], [], "");
        return await mirrors.Begin(definition, cancellation)
            ? TypedResults.Created($"/api/mirrors/{key}", new MirrorBegun(key))
            : TypedResults.Problem(statusCode: 409, title: $"There is a mirror called {asked.Name.Trim()} already. Give this one another name.");
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Remove(string key, Mirrors mirrors, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        return await mirrors.RemoveDraft(mirror.Definition.Key, cancellation) ? TypedResults.NoContent() : TypedResults.Problem(statusCode: 409, title: $"{mirror.Definition.Name} was published, so it has records to answer for. Pause it instead.");
    }

    private static async Task<Results<Ok<DraftPage>, NotFound>> Page(string key, int? sample, string? find, Mirrors mirrors, Drafts drafts, KeptConnections connections, Catalogues catalogues, BenchSamples samples, TimeProvider clock, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var draft = await drafts.Of(mirror, cancellation);
        var shown = await Shown.With(connections, cancellation);
        var definition = draft.Definition;
        var names = shown.Names(definition);
        var (record, isReading, fault) = await samples.At(mirror, definition, Math.Max(1, sample ?? 1), string.IsNullOrWhiteSpace(find) ? null : find.Trim(), cancellation);
        var references = await mirrors.ReferencesTo([.. definition.PointsAt], cancellation);
        var (agreed, _) = record is null ? ([], ImmutableDictionary<int, string>.Empty) : await AgreedOf(definition, names, record, references, await LinkedTo(mirrors, definition, record, cancellation), await FlagsOf(mirrors, definition, record, cancellation), null, clock.GetUtcNow(), cancellation);
        var all = await mirrors.All(cancellation);
        return TypedResults.Ok(new DraftPage(
            draft.Step, draft.Last, draft.What, draft.Undone, draft.Who, draft.At, draft.BasedOn, shown.Sides(definition), DraftForms.Settings(definition),
            [.. definition.Fields.Select(DraftForms.Form)],
            [.. definition.Fields.Select(f => (IReadOnlyList<string?>)[.. f.Cells.Select((c, s) => c is not null && record?.Records.GetValueOrDefault(s)?.Fields is { } raw && !raw[c.Path].IsEmpty ? Cut(raw[c.Path].Display) : null)])],
            [.. definition.Fields.Select((_, i) => agreed.ElementAtOrDefault(i) is { IsEmpty: false } said ? Cut(said.Display) : null)],
            record is null ? null : new DraftSample(record.Link, record.Title, record.Position, record.Of, [.. definition.Sides.Select((_, s) => record.Records.GetValueOrDefault(s)?.Id)]),
            isReading, fault,
            Words(definition, names),
            [.. MappingCheck.Of(definition, await SidesOf(definition, catalogues, connections, cancellation), [.. all.Select(m => m.Definition)]).Select(f => new FindingShown(f.IsWrong, f.Field, f.Side, f.Path, f.Words, f.IsJudged))],
            [.. PlainWords.OfMirror(definition, names, k => all.FirstOrDefault(m => m.Definition.Key == k)?.Definition.Name ?? k)]));
    }

    /// <summary>A sample record in agreed form: each field by the side that gives it first, then those that are worked out; and why some can't be.</summary>
    /// <param name="fetching">Null to leave what would have to be fetched: no system is asked then.</param>
    internal static async Task<(Value[] Agreed, ImmutableDictionary<int, string> Problems)> AgreedOf(MirrorDefinition definition, IReadOnlyList<string> names, BenchSample record, References references, ImmutableDictionary<LinkedField, ImmutableArray<Value>> linked, ImmutableHashSet<string> flags, Fetching? fetching, DateTimeOffset now, CancellationToken cancellation)
    {
        var translations = record.Records.ToDictionary(r => r.Key, r => new Translator(definition, r.Key, CatalogueCollection.Unknown(definition.Sides[r.Key].Collection), now, references).ToAgreed(r.Value.Fields).Values);
        Value[] agreed = [.. definition.Fields.Select((f, i) => Givers(f).Select(s => translations.GetValueOrDefault(s)?[i]).FirstOrDefault(v => v is { IsEmpty: false }) ?? Value.Empty)];
        try
        {
            var around = new Surroundings([.. definition.Sides.Select((_, s) => record.Records.GetValueOrDefault(s)?.Id)], linked) { Flags = flags, Fetched = fetching?.Known };
            Func<ImmutableDictionary<int, string>> fill = () => WorkedOutField.Fill(definition.Rules(names, now), agreed, around);
            return (agreed, fetching is null ? fill() : await fetching.UntilKnown(fill, cancellation));
        }
        catch (ArgumentException)
        {
            // Rules that can't be used yet are told by the check; nothing is worked out before.
            return (agreed, ImmutableDictionary<int, string>.Empty);
        }

        IEnumerable<int> Givers(AgreedFieldDefinition field) => field.Cells.Select((c, s) => (Cell: c, Side: s)).Where(c => c.Cell?.Gives == true).OrderBy(c => field.Rank.IndexOf(definition.Sides[c.Side].System) is >= 0 and var rank ? rank : int.MaxValue).Select(c => c.Side);
    }

    /// <summary>What records of other mirrors that point at a sample record hold; nothing for one that is not linked.</summary>
    internal static async Task<ImmutableDictionary<LinkedField, ImmutableArray<Value>>> LinkedTo(Mirrors mirrors, MirrorDefinition definition, BenchSample record, CancellationToken cancellation) => record.Link is { } link
        ? (await mirrors.LinkedTo(definition, [link], cancellation)).GetValueOrDefault(link, Surroundings.None.Linked)
        : definition.LooksAt.ToImmutableDictionary(l => l, _ => ImmutableArray<Value>.Empty);

    /// <summary>The follow-up checks that flag a sample record.</summary>
    internal static async Task<ImmutableHashSet<string>> FlagsOf(Mirrors mirrors, MirrorDefinition definition, BenchSample record, CancellationToken cancellation) => record.Link is { } link && definition.AsksForFlags
        ? (await mirrors.FlagsOf(definition, [link], cancellation)).GetValueOrDefault(link, Flags.None)
        : Flags.None;

    private static string Cut(string text) => text.Length <= 300 ? text : $"{text[..299]}…";

    /// <summary>One sentence a field; a field that can't be put in words yet says why.</summary>
    private static List<string> Words(MirrorDefinition definition, IReadOnlyList<string> names)
    {
        try
        {
            var rules = definition.Rules(names);
            return [.. Enumerable.Range(0, definition.Fields.Length).Select(f => PlainWords.OfField(definition, f, rules))];
        }
        catch (ArgumentException e)
        {
            return [.. definition.Fields.Select(_ => e.Message)];
        }
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Save(string key, DraftAsked asked, Mirrors mirrors, Drafts drafts, ClaimsPrincipal user, TimeProvider clock, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var draft = await drafts.Of(mirror, cancellation);
        if (asked.What.Length is 0 or > 200 || asked.Fields.Count > MostFields)
        {
            return Problem($"A mirror has at most {MostFields} fields, and an edit is said in 1 to 200 characters.");
        }

        var fields = ImmutableArray.CreateBuilder<AgreedFieldDefinition>();
        foreach (var form in asked.Fields)
        {
            if (DraftForms.Read(form, draft.Definition, out var field) is { } wrong)
            {
                return Problem(wrong);
            }

            fields.Add(field!);
        }

        var definition = DraftForms.WithFields(draft.Definition, fields.ToImmutable());
        if (asked.Settings is { } settings && DraftForms.Read(settings, definition, clock.GetUtcNow(), out definition) is { } no)
        {
            return Problem(no);
        }

        return await drafts.Save(mirror, asked.Step, definition, asked.What, user.Identity!.Name!, cancellation)
            ? TypedResults.NoContent()
            : TypedResults.Problem(statusCode: 409, title: "Somebody else edited this draft meanwhile. What they did is shown now; do your edit again.");
    }

    private static async Task<Results<NoContent, NotFound>> Move(string key, int by, Mirrors mirrors, Drafts drafts, CancellationToken cancellation) =>
        await mirrors.Find(key, cancellation) is { } mirror && await drafts.Move(mirror.Id, by, cancellation) ? TypedResults.NoContent() : TypedResults.NotFound();

    private static async Task<Results<NoContent, NotFound>> Discard(string key, Mirrors mirrors, Drafts drafts, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        await drafts.Discard(mirror.Id, cancellation);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Publish(string key, PublishAsked asked, Mirrors mirrors, Drafts drafts, KeptConnections connections, Catalogues catalogues, MirrorSchedule schedule, ClaimsPrincipal user, TimeProvider clock, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var draft = await drafts.Of(mirror, cancellation);
        if (draft.Step == 0)
        {
            return Problem("Nothing was changed since the version that is live.");
        }

        if (asked.Comment?.Length > LongestComment)
        {
            return Problem($"A comment has at most {LongestComment:N0} characters.");
        }

        if (asked.Step is { } seen && seen != draft.Step)
        {
            return TypedResults.Problem(statusCode: 409, title: $"The draft was edited meanwhile: {draft.What}, by {draft.Who}. Look at it again before you publish.");
        }

        var all = await mirrors.All(cancellation);
        if ((ScopeEndpoints.AfterItself(key, draft.Definition.Timing, all.ToDictionary(m => m.Definition.Key, m => m.Definition)) ?? draft.Definition.Timing.Problems(clock.GetUtcNow(), key).FirstOrDefault()) is { } untimed)
        {
            return Problem($"It can't run at such times: {untimed}");
        }

        var wrong = MappingCheck.Of(draft.Definition, await SidesOf(draft.Definition, catalogues, connections, cancellation), [.. all.Select(m => m.Definition)]).Where(f => f.IsWrong).ToList();
        if (wrong.Count > 0)
        {
            return Problem($"The mirror can't work so: {wrong[0].Words}{(wrong.Count > 1 ? $" And {wrong.Count - 1} more, listed under Check." : "")}");
        }

        if (!await drafts.Publish(mirror, draft, asked.Comment?.Trim() ?? "", user.Identity!.Name!, cancellation))
        {
            return TypedResults.Problem(statusCode: 409, title: "Another version was published, or the draft was edited, meanwhile. Look at it again before you publish.");
        }

        await schedule.Apply((await mirrors.Find(key, cancellation))!, cancellation);
        return TypedResults.NoContent();
    }

    /// <summary>A short name for addresses and commands: lower case, letters and digits, dashes between.</summary>
    internal static string KeyOf(string name)
    {
        var key = new StringBuilder();
        foreach (var c in name.ToLowerInvariant())
        {
            if (char.IsAsciiLetterOrDigit(c))
            {
                key.Append(c);
            }
            else if (key.Length > 0 && key[^1] != '-')
            {
                key.Append('-');
            }
        }

        // A name in another script has no such letters: it is known by a number then.
        var slug = key.ToString().Trim('-');
        return slug.Length > 0 ? slug[..Math.Min(slug.Length, 40)].Trim('-') : name.Any(char.IsLetterOrDigit) ? $"mirror-{(uint)StringComparer.Ordinal.GetHashCode(name) % 100000}" : "";
    }
}
