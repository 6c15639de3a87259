using System.Collections.Immutable;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Connectors;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Formulas.Functions;
using UprightMirror.Core.Formulas.Learning;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Values;
using UprightMirror.Engine;
using UprightMirror.Storage;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints.Drafting;

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
public sealed record LearnShown(string? Formula, string? InWords, IReadOnlyList<LearnExample> Others, string? AskFor);

/// <param name="Sample">1 for the first of those that <paramref name="Find"/> finds.</param>
/// <param name="Find">Null for all.</param>
public sealed record RecordAsked(int Sample, string? Find);

/// <param name="Field">The agreed field's name.</param>
/// <param name="Type">What it holds.</param>
/// <param name="Formula">Over the other agreed fields.</param>
public sealed record WorkedOutAsked(string Field, string Type, string Formula, int Sample, string? Find);

/// <param name="Title">The record that it was worked out for; null when there is none to look at.</param>
/// <param name="Value">Null when there is no record, or when it can't be worked out.</param>
/// <param name="InWords">Null when the formula can't be read.</param>
/// <param name="Problem">What is wrong; null when nothing is.</param>
public sealed record WorkedOutShown(string? Title, string? Value, string? InWords, string? Problem);

/// <param name="Conflicts">What a person would be asked, in words.</param>
public sealed record RecordTried(string Title, IReadOnlyList<TriedSideShown> Sides, IReadOnlyList<string> Conflicts);

/// <param name="Kind">create, change, remove, or nothing.</param>
public sealed record TriedSideShown(int Side, string Kind, string? RecordId, IReadOnlyList<TriedFieldShown> Fields, RequestLine? Request, IReadOnlyList<string> Problems);

public sealed record TriedFieldShown(string Field, string Path, string Before, string After, string Why);

public sealed record RequestLine(string Line, IReadOnlyList<IReadOnlyList<string>> Headers, string? Body);

/// <param name="Name">As it is written in a formula.</param>
/// <param name="Signature">With its parameters, those that may be left out in brackets.</param>
public sealed record FunctionShown(string Name, string Group, string Signature, string Does, string Example, string Result);

internal static class TryEndpoints
{
    private const int ShownTrips = 10;

    public static void MapCellTrying(this RouteGroupBuilder api)
    {
        api.MapPost("/mirrors/{key}/draft/try", Try).RequireAuthorization(Roles.Administrator).WithName("tryCell");
        api.MapPost("/mirrors/{key}/draft/learn", Learn).RequireAuthorization(Roles.Administrator).WithName("learnFormula");
        api.MapPost("/mirrors/{key}/draft/record", TryRecord).RequireAuthorization(Roles.Administrator).WithName("tryRecord");
        api.MapPost("/mirrors/{key}/draft/worked-out", WorkOut).RequireAuthorization(Roles.Administrator).WithName("workOut");
        api.MapGet("/functions", () => FunctionTable.All.Select(f => new FunctionShown(f.Name, f.Group, f.Signature, f.Summary, f.Example.Formula, f.Example.Result)).ToList()).WithName("getFunctions");
    }

    private static async Task<Results<Ok<TryShown>, NotFound, ProblemHttpResult>> Try(string key, TryAsked asked, Mirrors mirrors, Drafts drafts, BenchSamples samples, TimeProvider clock, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror || asked.Side < 0 || asked.Side >= mirror.Definition.Sides.Length)
        {
            return TypedResults.NotFound();
        }

        if (FieldTypeNames.Parse(asked.Type) is not { } type)
        {
            return DraftEndpoints.Problem($"There is no type {asked.Type}.");
        }

        var definition = (await drafts.Of(mirror, cancellation)).Definition;
        if (DraftForms.Read(asked.Cell, definition, out var cell) is { } wrong)
        {
            return DraftEndpoints.Problem(wrong);
        }

        var records = await samples.Of(mirror, definition.Sides[asked.Side], asked.Side, [cell!.Path], cancellation);
        var country = CountryOf(definition, asked.Side);
        var setting = new ConversionSetting(clock.GetUtcNow()) { CodeLists = definition.CodeLists };
        var report = RoundTrip.Try(cell, type, records, country, setting);

        // Where all goes well there are no examples of trouble: some that went well are shown.
        var trips = report.Examples.Concat(records.Where(r => !r[cell.Path].IsEmpty).DistinctBy(r => r[cell.Path]).Take(ShownTrips * 3).Select(r => RoundTrip.Go(cell, type, r, country(r), setting)))
            .DistinctBy(t => t.Raw).Take(ShownTrips);
        return TypedResults.Ok(new TryShown(
            report.Looked, report.Of(TripEnd.Same), report.Of(TripEnd.Rewritten), report.Of(TripEnd.Lossy), report.Of(TripEnd.Held),
            [.. trips.Select(t => new TripShown(t.Raw.Display, t.Agreed.Display, t.Back.Display, t.End, t.Why))], report.Inverse,
            [.. cell.Conversion switch { FormulaConversion formula => formula.Problems, CodeList list => list.Table.Problems, _ => [] }]));
    }

    private static async Task<Results<Ok<LearnShown>, NotFound, ProblemHttpResult>> Learn(string key, LearnAsked asked, Mirrors mirrors, Drafts drafts, BenchSamples samples, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror || asked.Side < 0 || asked.Side >= mirror.Definition.Sides.Length)
        {
            return TypedResults.NotFound();
        }

        if (asked.Examples.Count is 0 or > 20 || asked.Examples.Any(e => e.Value.Length > 2000 || e.Output.Length > 2000))
        {
            return DraftEndpoints.Problem("Show what you want for 1 to 20 values, each of at most 2,000 characters.");
        }

        ImmutableArray<string> fields = ["value"];
        var learned = Learner.Learn(fields, [.. asked.Examples.Select(e => new Example([e.Value], e.Output))]);
        if (learned.Count == 0)
        {
            return TypedResults.Ok(new LearnShown(null, null, [], null));
        }

        var definition = (await drafts.Of(mirror, cancellation)).Definition;
        var values = (await samples.Of(mirror, definition.Sides[asked.Side], asked.Side, [asked.Path], cancellation)).Select(r => r[asked.Path].Display).Where(v => v.Length is > 0 and < 500 && asked.Examples.All(e => e.Value != v)).Distinct().Take(300).ToList();
        var setting = new FormulaSetting(DateTimeOffset.UnixEpoch);
        var candidates = learned.Take(4).Select(l => Formula.Parse(l.Formula, null, out var f, out _) ? f : null).OfType<Formula>().ToList();
        var results = values.Select(v => (Value: v, Outputs: candidates.Select(c => Learner.Apply(c, fields, [v], setting).Shown).ToList())).OrderByDescending(r => r.Outputs.Distinct().Count()).ToList();
        return TypedResults.Ok(new LearnShown(
            learned[0].Formula, FormulaWords.Of(candidates[0]), [.. results.Take(10).Select(r => new LearnExample(r.Value, r.Outputs[0]))],
            results.FirstOrDefault(r => r.Outputs.Take(2).Distinct().Count() > 1).Value));
    }

    private static async Task<Results<Ok<RecordTried>, NotFound, ProblemHttpResult>> TryRecord(string key, RecordAsked asked, Mirrors mirrors, Drafts drafts, BenchSamples samples, Trying trying, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror)
        {
            return TypedResults.NotFound();
        }

        var definition = (await drafts.Of(mirror, cancellation)).Definition;
        if (definition.Fields.IsEmpty)
        {
            return DraftEndpoints.Problem("Nothing is mapped yet, so nothing would be sent.");
        }

        var (sample, isReading, fault) = await samples.At(mirror, definition, Math.Max(1, asked.Sample), string.IsNullOrWhiteSpace(asked.Find) ? null : asked.Find.Trim(), cancellation);
        if (sample is null || await samples.Linked(mirror, definition, sample, cancellation) is not { } record)
        {
            return DraftEndpoints.Problem(isReading ? "Records are still being read from the systems. Try again in a moment." : fault ?? "There is no such record to try.");
        }

        try
        {
            var tried = await trying.Try(definition, mirror.Version == 0 ? null : mirror.Definition, record, cancellation);
            return TypedResults.Ok(new RecordTried(
                sample.Title,
                [.. tried.Sides.Select(s => new TriedSideShown(
                    s.Side, s.Delivery?.Kind.ToString().ToLowerInvariant() ?? "nothing", s.RecordId,
                    [.. s.Delivery?.Fields.Select(f => new TriedFieldShown(f.Field, f.Path, f.Before.Display, f.Raw.Display, f.Why)) ?? []],
                    s.Request is { } request ? new RequestLine(request.Line, [.. request.Headers.Select(h => (IReadOnlyList<string>)[h.Name, h.Value])], request.Body) : null,
                    s.Problems))],
                [.. tried.Conflicts.Select(c => $"A person would be asked about {string.Join(", ", c.Fields)}: {c.Why}.")]));
        }
        catch (Exception e) when (e is SystemFault or ArgumentException)
        {
            return DraftEndpoints.Problem(e.Message);
        }
    }

    private static async Task<Results<Ok<WorkedOutShown>, NotFound, ProblemHttpResult>> WorkOut(string key, WorkedOutAsked asked, Mirrors mirrors, Drafts drafts, KeptConnections connections, BenchSamples samples, Systems systems, TimeProvider clock, CancellationToken cancellation)
    {
        if (await mirrors.Find(key, cancellation) is not { } mirror || (await drafts.Of(mirror, cancellation)).Definition is var definition && definition.Fields.All(f => f.Name != asked.Field))
        {
            return TypedResults.NotFound();
        }

        if (FieldTypeNames.Parse(asked.Type) is not { } type || asked.Formula.Length > Formula.Longest)
        {
            return DraftEndpoints.Problem($"There is no type {asked.Type}, or the formula has more than {Formula.Longest:N0} characters.");
        }

        definition = definition with { Fields = [.. definition.Fields.Select(f => f.Name == asked.Field ? f with { Type = type, WorkedOut = asked.Formula } : f)] };
        var index = definition.Fields.Select(f => f.Name).ToList().IndexOf(asked.Field);
        var words = Formula.Parse(asked.Formula, null, out var formula, out _) ? FormulaWords.Of(formula) : null;
        if (WorkedOutField.Problems(definition, [.. (await mirrors.All(cancellation)).Select(m => m.Definition)]).FirstOrDefault(p => p.Field == index) is { Words: { } wrong })
        {
            return TypedResults.Ok(new WorkedOutShown(null, null, words, wrong));
        }

        var (sample, _, _) = await samples.At(mirror, definition, Math.Max(1, asked.Sample), string.IsNullOrWhiteSpace(asked.Find) ? null : asked.Find.Trim(), cancellation);
        if (sample is null)
        {
            return TypedResults.Ok(new WorkedOutShown(null, null, words, null));
        }

        var names = (await Shown.With(connections, cancellation)).Names(definition);
        var (agreed, problems) = await DraftEndpoints.AgreedOf(definition, names, sample, await mirrors.ReferencesTo([.. definition.PointsAt], cancellation), await DraftEndpoints.LinkedTo(mirrors, definition, sample, cancellation), await DraftEndpoints.FlagsOf(mirrors, definition, sample, cancellation), new Fetching(systems, clock), clock.GetUtcNow(), cancellation);
        return TypedResults.Ok(problems.TryGetValue(index, out var why)
            ? new WorkedOutShown(sample.Title, null, words, $"For {sample.Title}, {why}.")
            : new WorkedOutShown(sample.Title, agreed[index].Display, words, null));
    }

    private static Func<RawFields, string?> CountryOf(MirrorDefinition definition, int side)
    {
        var cell = definition.Fields.FirstOrDefault(f => f.Name == definition.CountryField)?.Cells[side];
        return record => cell is not null && !record[cell.Path].IsEmpty && cell.Conversion.ToAgreed(record[cell.Path], FieldType.Text, null) is TextValue { Content.Length: 2 } country ? country.Content : null;
    }
}
