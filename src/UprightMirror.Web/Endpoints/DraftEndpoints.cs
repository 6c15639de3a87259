using System.Collections.Immutable;
using System.Security.Claims;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Formulas.Learning;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Mapping.Suggesting;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Values;
using UprightMirror.Storage;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <param name="Kind">asItStands, phone, codeList or formula.</param>
/// <param name="Form">For phone: international or nationalDigits.</param>
/// <param name="Codes">For a code list: pairs of the side's code and the agreed value.</param>
/// <param name="ToAgreed">For a formula: from the side's record to the agreed value; null for as it stands.</param>
/// <param name="ToSide">For a formula: from the agreed value to the side's form; null for as it stands.</param>
public sealed record ConversionForm(string Kind, PhoneForm? Form = null, IReadOnlyList<IReadOnlyList<string>>? Codes = null, string? ToAgreed = null, string? ToSide = null);

public sealed record CellForm(string Path, bool Gives, bool Takes, ConversionForm Conversion, Drift Drift = Drift.PutBack);

/// <param name="Type">text, number, date, datetime, yesno, phone, email or list.</param>
public sealed record FieldForm(string Name, string Type, string Rule, IReadOnlyList<string> Rank, IReadOnlyList<string> States, string FirstMeeting, string? Group, bool EmptyTravels, IReadOnlyList<CellForm?> Cells);

/// <param name="Samples">For each field and side, what the sample record holds there; null where nothing.</param>
public sealed record DraftPage(
    int Step, int Last, string? What, string? Undone, string? Who, DateTimeOffset? At, int BasedOn, IReadOnlyList<SideShown> Sides, IReadOnlyList<FieldForm> Fields,
    IReadOnlyList<IReadOnlyList<string?>> Samples, IReadOnlyList<string> InPlainWords, IReadOnlyList<FindingShown> Findings);

public sealed record FindingShown(bool IsWrong, int? Field, int? Side, string? Path, string Words);

/// <param name="Step">The step that the person saw.</param>
/// <param name="What">What was done, in words: for undo.</param>
public sealed record DraftAsked(int Step, string What, IReadOnlyList<FieldForm> Fields);

public sealed record TryAsked(int Side, string Type, CellForm Cell);

/// <param name="End">same, rewritten, lossy or held.</param>
public sealed record TripShown(string Raw, string Agreed, string Back, TripEnd End, string? Why);

/// <param name="Trips">Some values there and back, those that do not come back the same first.</param>
/// <param name="Inverse">A formula that would bring them back; null when there is none, or no need.</param>
public sealed record TryShown(int Looked, int Same, int Rewritten, int Lossy, int Held, IReadOnlyList<TripShown> Trips, string? Inverse, IReadOnlyList<string> Problems);

/// <param name="Examples">What is wanted for some of the values.</param>
public sealed record LearnAsked(int Side, string Path, IReadOnlyList<LearnExample> Examples);

public sealed record LearnExample(string Value, string Output);

/// <param name="Others">What the formula makes of other values; those where candidates disagree first.</param>
/// <param name="AskFor">A value for which one more example would settle between candidates; null when they agree.</param>
public sealed record LearnShown(string? Formula, IReadOnlyList<LearnExample> Others, string? AskFor);

/// <param name="Field">The agreed field that it would stand beside; null for a new one.</param>
public sealed record SuggestionShown(int LeftSide, string LeftPath, int RightSide, string RightPath, string? Field, string Name, string Type, double Confidence, bool IsSure, IReadOnlyList<string> Why);

internal static class DraftEndpoints
{
    private const int TriedRecords = RoundTrip.Most;
    private const int MostFields = 500;
    private const int ShownTrips = 10;

    public static void MapDrafts(this RouteGroupBuilder api)
    {
        api.MapGet("/mirrors/{key}/draft", Page).WithName("getDraft");
        api.MapPut("/mirrors/{key}/draft", Save).RequireAuthorization(Roles.Administrator).WithName("saveDraft");
        api.MapPost("/mirrors/{key}/draft/undo", (string key, Mirrors mirrors, Drafts drafts, CancellationToken cancellation) => Move(key, -1, mirrors, drafts, cancellation)).RequireAuthorization(Roles.Administrator).WithName("undoDraft");
        api.MapPost("/mirrors/{key}/draft/redo", (string key, Mirrors mirrors, Drafts drafts, CancellationToken cancellation) => Move(key, 1, mirrors, drafts, cancellation)).RequireAuthorization(Roles.Administrator).WithName("redoDraft");
        api.MapPost("/mirrors/{key}/draft/publish", Publish).RequireAuthorization(Roles.Administrator).WithName("publishDraft");
        api.MapDelete("/mirrors/{key}/draft", Discard).RequireAuthorization(Roles.Administrator).WithName("discardDraft");
        api.MapPost("/mirrors/{key}/draft/try", Try).RequireAuthorization(Roles.Administrator).WithName("tryCell");
        api.MapPost("/mirrors/{key}/draft/learn", Learn).RequireAuthorization(Roles.Administrator).WithName("learnFormula");
        api.MapGet("/mirrors/{key}/draft/suggestions", Suggest).WithName("getSuggestions");
    }

    private static async Task<Results<Ok<DraftPage>, NotFound>> Page(string key, int? sample, Mirrors mirrors, Drafts drafts, KeptConnections connections, Catalogues catalogues, Views views, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var draft = await drafts.Of(mirror, cancellation);
        var shown = await Shown.With(connections, cancellation);
        var definition = draft.Definition;
        var names = shown.Names(definition);
        var (rows, _) = await views.Records(mirror.Id, definition.Sides.Length, null, null, Math.Max(1, sample ?? 1) - 1, 1, cancellation);
        var record = rows.Count == 0 ? null : await views.Record(rows[0].Link, cancellation);
        var raws = record?.Members.Where(m => m.Raw is not null).ToDictionary(m => m.Side, m => StoredForms.ReadRaw(m.Raw!)) ?? [];
        var collections = await CollectionsOf(definition, catalogues, cancellation);
        return TypedResults.Ok(new DraftPage(
            draft.Step, draft.Last, draft.What, draft.Undone, draft.Who, draft.At, draft.BasedOn, shown.Sides(definition),
            [.. definition.Fields.Select(Form)],
            [.. definition.Fields.Select(f => (IReadOnlyList<string?>)[.. f.Cells.Select((c, s) => c is not null && raws.TryGetValue(s, out var raw) && !raw[c.Path].IsEmpty ? raw[c.Path].Display : null)])],
            Words(definition, names),
            [.. MappingCheck.Of(definition, collections, names).Select(f => new FindingShown(f.IsWrong, f.Field, f.Side, f.Path, f.Words))]));
    }

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

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Save(string key, DraftAsked asked, Mirrors mirrors, Drafts drafts, ClaimsPrincipal user, CancellationToken cancellation)
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
            if (Read(form, draft.Definition.Sides.Length, out var field) is { } wrong)
            {
                return Problem(wrong);
            }

            fields.Add(field!);
        }

        return await drafts.Save(mirror, asked.Step, draft.Definition with { Fields = fields.ToImmutable() }, asked.What, user.Identity!.Name!, cancellation)
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

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Publish(string key, Mirrors mirrors, Drafts drafts, KeptConnections connections, Catalogues catalogues, CancellationToken cancellation)
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

        var names = (await Shown.With(connections, cancellation)).Names(draft.Definition);
        var wrong = MappingCheck.Of(draft.Definition, await CollectionsOf(draft.Definition, catalogues, cancellation), names).Where(f => f.IsWrong).ToList();
        if (wrong.Count > 0)
        {
            return Problem($"The mirror can't work so: {wrong[0].Words}{(wrong.Count > 1 ? $" And {wrong.Count - 1} more, listed under Check." : "")}");
        }

        return await drafts.Publish(mirror, draft, cancellation)
            ? TypedResults.NoContent()
            : TypedResults.Problem(statusCode: 409, title: "Another version was published, or the draft was edited, meanwhile. Look at it again before you publish.");
    }

    private static async Task<Results<Ok<TryShown>, NotFound, ProblemHttpResult>> Try(string key, TryAsked asked, Mirrors mirrors, Drafts drafts, Catalogues catalogues, TimeProvider clock, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror || asked.Side < 0 || asked.Side >= mirror.Definition.Sides.Length)
        {
            return TypedResults.NotFound();
        }

        if (FieldTypeNames.Parse(asked.Type) is not { } type)
        {
            return Problem($"There is no type {asked.Type}.");
        }

        if (Read(asked.Cell, out var cell) is { } wrong)
        {
            return Problem(wrong);
        }

        var records = await Records(mirror, asked.Side, cell!.Path, drafts, catalogues, cancellation);
        var country = CountryOf(mirror, asked.Side);
        var report = RoundTrip.Try(cell, type, records, country, clock.GetUtcNow());

        // Where all goes well there are no examples of trouble: some that went well are shown.
        var trips = report.Examples.Concat(records.Where(r => !r[cell.Path].IsEmpty).DistinctBy(r => r[cell.Path]).Take(ShownTrips * 3).Select(r => RoundTrip.Go(cell, type, r, country(r), clock.GetUtcNow())))
            .DistinctBy(t => t.Raw).Take(ShownTrips);
        return TypedResults.Ok(new TryShown(
            report.Looked, report.Of(TripEnd.Same), report.Of(TripEnd.Rewritten), report.Of(TripEnd.Lossy), report.Of(TripEnd.Held),
            [.. trips.Select(t => new TripShown(t.Raw.Display, t.Agreed.Display, t.Back.Display, t.End, t.Why))], report.Inverse, [.. (cell.Conversion as FormulaConversion)?.Problems ?? []]));
    }

    private static async Task<Results<Ok<LearnShown>, NotFound, ProblemHttpResult>> Learn(string key, LearnAsked asked, Mirrors mirrors, Drafts drafts, Catalogues catalogues, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror || asked.Side < 0 || asked.Side >= mirror.Definition.Sides.Length)
        {
            return TypedResults.NotFound();
        }

        if (asked.Examples.Count is 0 or > 20 || asked.Examples.Any(e => e.Value.Length > 2000 || e.Output.Length > 2000))
        {
            return Problem("Show what you want for 1 to 20 values, each of at most 2,000 characters.");
        }

        ImmutableArray<string> fields = ["value"];
        var learned = Learner.Learn(fields, [.. asked.Examples.Select(e => new Example([e.Value], e.Output))]);
        if (learned.Count == 0)
        {
            return TypedResults.Ok(new LearnShown(null, [], null));
        }

        var values = (await Records(mirror, asked.Side, asked.Path, drafts, catalogues, cancellation)).Select(r => r[asked.Path].Display).Where(v => v.Length is > 0 and < 500 && asked.Examples.All(e => e.Value != v)).Distinct().Take(300).ToList();
        var setting = new FormulaSetting(DateTimeOffset.UnixEpoch);
        var candidates = learned.Take(4).Select(l => Formula.Parse(l.Formula, null, out var f, out _) ? f : null).OfType<Formula>().ToList();
        var results = values.Select(v => (Value: v, Outputs: candidates.Select(c => Learner.Apply(c, fields, [v], setting).Shown).ToList())).OrderByDescending(r => r.Outputs.Distinct().Count()).ToList();
        return TypedResults.Ok(new LearnShown(
            learned[0].Formula, [.. results.Take(10).Select(r => new LearnExample(r.Value, r.Outputs[0]))],
            results.FirstOrDefault(r => r.Outputs.Take(2).Distinct().Count() > 1).Value));
    }

    private static async Task<Results<Ok<IReadOnlyList<SuggestionShown>>, NotFound>> Suggest(string key, Mirrors mirrors, Drafts drafts, Catalogues catalogues, KeptConnections connections, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var definition = (await drafts.Of(mirror, cancellation)).Definition;
        var collections = await CollectionsOf(definition, catalogues, cancellation);
        var sketches = new List<(string Path, FieldSketch Sketch, CatalogueField Field)>[definition.Sides.Length];
        for (var s = 0; s < sketches.Length; s++)
        {
            var profile = (await catalogues.Profiles(definition.Sides[s].System, cancellation)).FirstOrDefault(p => p.Collection == definition.Sides[s].Collection)?.Fields.ToDictionary(p => p.Path) ?? [];
            // What a system says about its records is no content of them: when they were changed, by whom, in which version.
            var own = (await connections.All(cancellation)).Where(c => c.System == definition.Sides[s].System).Select(c => SystemsEndpoints.SettingsOf(c).For(definition.Sides[s].Collection)).FirstOrDefault();
            string?[] stamps = own is null ? [] : [own.ChangedAt, own.ChangedBy, own.VersionTag, own.Reference];
            sketches[s] = [.. collections[s].Fields.Values.Where(f => !stamps.Contains(f.Path)).OrderBy(f => f.Path, StringComparer.Ordinal).Select(f => (f.Path, new FieldSketch(f.Path, f.Label, null, f.Type, f.MaxLength, f.Allowed, profile.GetValueOrDefault(f.Path)?.Samples ?? []), f))];
        }

        var found = new List<SuggestionShown>();
        for (var a = 0; a < sketches.Length; a++)
        {
            for (var b = a + 1; b < sketches.Length; b++)
            {
                foreach (var pair in Suggester.Suggest([.. sketches[a].Select(f => f.Sketch)], [.. sketches[b].Select(f => f.Sketch)]))
                {
                    var ((left, _, described), (right, _, other)) = (sketches[a][pair.Left], sketches[b][pair.Right]);
                    var (inLeft, inRight) = (definition.Fields.FirstOrDefault(f => f.Cells[a]?.Path == left), definition.Fields.FirstOrDefault(f => f.Cells[b]?.Path == right));

                    // Mapped already, or what only the systems themselves write: nothing to suggest.
                    if ((inLeft is not null && (inRight is not null || inLeft.Cells[b] is not null)) || (inRight is not null && inRight.Cells[a] is not null) || (described.ReadOnly && other.ReadOnly))
                    {
                        continue;
                    }

                    found.Add(new SuggestionShown(a, left, b, right, (inLeft ?? inRight)?.Name, NameFor(described, definition), TypeFor(described, other), pair.Confidence, pair.Confidence >= Suggester.Sure, pair.Why));
                }
            }
        }

        return TypedResults.Ok<IReadOnlyList<SuggestionShown>>([.. found.OrderByDescending(f => f.Confidence)]);
    }

    /// <summary>Records to try on; where they were not read with this field yet, the values that the catalogue was profiled with.</summary>
    private static async Task<IReadOnlyList<RawFields>> Records(KeptMirror mirror, int side, string path, Drafts drafts, Catalogues catalogues, CancellationToken cancellation)
    {
        var records = await drafts.RecordsOf(mirror.Id, side, TriedRecords, cancellation);
        if (records.Any(r => !r[path].IsEmpty))
        {
            return records;
        }

        var of = mirror.Definition.Sides[side];
        var profile = (await catalogues.Profiles(of.System, cancellation)).FirstOrDefault(p => p.Collection == of.Collection)?.Fields.FirstOrDefault(f => f.Path == path);
        return [.. (profile?.Samples ?? []).Select(s => RawFields.Of([KeyValuePair.Create(path, Value.Text(s))]))];
    }

    private static Func<RawFields, string?> CountryOf(MirrorDefinition definition, int side)
    {
        var cell = definition.Fields.FirstOrDefault(f => f.Name == definition.CountryField)?.Cells[side];
        return record => cell is not null && !record[cell.Path].IsEmpty && cell.Conversion.ToAgreed(record[cell.Path], FieldType.Text, null) is TextValue { Content.Length: 2 } country ? country.Content : null;
    }

    private static Func<RawFields, string?> CountryOf(KeptMirror mirror, int side) => CountryOf(mirror.Definition, side);

    private static async Task<IReadOnlyList<CatalogueCollection>> CollectionsOf(MirrorDefinition definition, Catalogues catalogues, CancellationToken cancellation)
    {
        var collections = new List<CatalogueCollection>();
        foreach (var side in definition.Sides)
        {
            collections.Add((await catalogues.Last(side.System, cancellation))?.Catalogue[side.Collection] ?? CatalogueCollection.Unknown(side.Collection));
        }

        return collections;
    }

    private static string NameFor(CatalogueField field, MirrorDefinition definition)
    {
        var leaf = field.Path[(field.Path.LastIndexOf('.') + 1)..];
        var words = field.Label ?? string.Concat(leaf.Select((c, i) => c == '_' ? " " : i > 0 && char.IsUpper(c) && !char.IsUpper(leaf[i - 1]) ? " " + char.ToLowerInvariant(c) : c.ToString()));
        var name = words.Length == 0 ? field.Path : char.ToUpperInvariant(words[0]) + words[1..];
        return Enumerable.Range(1, definition.Fields.Length + 1).Select(n => n == 1 ? name : $"{name} {n}").First(n => definition.Fields.All(f => !f.Name.Equals(n, StringComparison.OrdinalIgnoreCase)));
    }

    private static string TypeFor(CatalogueField left, CatalogueField right)
    {
        bool Both(params string[] words) => new[] { left, right }.All(f => words.Any(w => f.Type.Contains(w, StringComparison.OrdinalIgnoreCase)));
        return Both("bool") ? "yesno" : Both("int", "number", "decimal", "double") ? "number" : Both("date-time", "DateTime", "timestamp") ? "datetime" : Both("date") ? "date"
            : left.Path.Contains("mail", StringComparison.OrdinalIgnoreCase) && right.Path.Contains("mail", StringComparison.OrdinalIgnoreCase) && Both("string") ? "email" : "text";
    }

    private static FieldForm Form(AgreedFieldDefinition f) => new(f.Name, f.Type.Name(), f.Rule, f.Rank, f.States, f.FirstMeeting, f.Group, f.EmptyTravels, [.. f.Cells.Select(c => c is null ? null : new CellForm(c.Path, c.Gives, c.Takes, Form(c.Conversion), c.Drift))]);

    private static ConversionForm Form(Conversion conversion) => conversion switch
    {
        PhoneConversion phone => new ConversionForm("phone", phone.Form),
        CodeList list => new ConversionForm("codeList", Codes: [.. list.Codes.Select(c => (IReadOnlyList<string>)[c.Code, c.Agreed])]),
        FormulaConversion formula => new ConversionForm("formula", ToAgreed: formula.ToAgreedFormula, ToSide: formula.ToSideFormula),
        _ => new ConversionForm("asItStands"),
    };

    private static string? Read(FieldForm form, int sides, out AgreedFieldDefinition? field)
    {
        field = null;
        if (string.IsNullOrWhiteSpace(form.Name) || form.Name.Length > 80)
        {
            return "An agreed field has a name of at most 80 characters.";
        }

        if (FieldTypeNames.Parse(form.Type) is not { } type)
        {
            return $"{form.Name}: there is no type {form.Type}.";
        }

        if (form.Cells.Count != sides || form.Rule is not ("rank" or "latest" or "furthest" or "fullest" or "greatest" or "least" or "union" or "ask") || form.FirstMeeting is not ("rank" or "latest" or "furthest" or "fullest" or "greatest" or "least" or "union" or "ask"))
        {
            return $"{form.Name}: a settling rule or a side is not one that there is.";
        }

        var cells = new List<SideField?>();
        foreach (var cell in form.Cells)
        {
            SideField? read = null;
            if (cell is not null && Read(cell, out read) is { } wrong)
            {
                return $"{form.Name}: {wrong}";
            }

            cells.Add(read);
        }

        field = new AgreedFieldDefinition(form.Name.Trim(), type, [.. cells], form.Rule, [.. form.Rank], [.. form.States], form.FirstMeeting, string.IsNullOrWhiteSpace(form.Group) ? null : form.Group.Trim(), form.EmptyTravels);
        return null;
    }

    private static string? Read(CellForm form, out SideField? cell)
    {
        cell = null;
        if (form.Path.Length is 0 or > 400)
        {
            return "A side's field has a path of at most 400 characters.";
        }

        if (form.Conversion is { ToAgreed.Length: > Formula.Longest } or { ToSide.Length: > Formula.Longest } or { Codes.Count: > 5000 })
        {
            return $"A formula has at most {Formula.Longest:N0} characters, a code list 5,000 codes.";
        }

        Conversion? conversion = form.Conversion.Kind switch
        {
            "asItStands" => new AsItStands(),
            "phone" => new PhoneConversion(form.Conversion.Form ?? PhoneForm.International),
            "codeList" when form.Conversion.Codes is { } codes && codes.All(c => c.Count == 2) => new CodeList([.. codes.Select(c => (c[0], c[1]))]),
            "formula" => new FormulaConversion(Filled(form.Conversion.ToAgreed), Filled(form.Conversion.ToSide)),
            _ => null,
        };
        if (conversion is null)
        {
            return $"There is no conversion {form.Conversion.Kind}, or it is not complete.";
        }

        cell = new SideField(form.Path, form.Gives, form.Takes, conversion, form.Drift);
        return null;
    }

    private static string? Filled(string? text) => string.IsNullOrWhiteSpace(text) ? null : text.Trim();

    private static ProblemHttpResult Problem(string title) => TypedResults.Problem(statusCode: 400, title: title);
}
