using System.Collections.Immutable;
using System.Text.Json;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Web.Endpoints;

/// <summary>A side of a mirror as every screen shows it.</summary>
public sealed record SideShown(int Index, string System, string Name, string Monogram, string Colour, string Collection);

/// <summary>One field on one side.</summary>
/// <param name="Raw">What the side holds, as it writes it; null where it holds nothing.</param>
/// <param name="Differs">True when it does not say what is agreed.</param>
/// <param name="Points">The record that it points at, where it holds the id of one that is linked.</param>
public sealed record CellShown(string Path, bool Gives, bool Takes, string? Conversion, string? Raw, bool Differs, PointedShown? Points = null);

/// <summary>A record that another one points at, or that points at another.</summary>
public sealed record PointedShown(string Mirror, Guid Link, string Title);

/// <summary>An agreed value and its story.</summary>
/// <param name="Side">The side that said it; null when a person did.</param>
public sealed record AgreedShown(string Value, int? Side, string? Who, DateTimeOffset? ChangedAt, DateTimeOffset At, long Run, string Why);

/// <summary>One row of a spine.</summary>
/// <param name="Cells">One for each side; null where the side does not keep the field.</param>
/// <param name="Points">The record that is agreed to be pointed at.</param>
/// <param name="Lines">Where it holds lines: each, in the order of what tells them apart.</param>
public sealed record FieldShown(string Name, string Type, string? Group, string Rule, IReadOnlyList<CellShown?> Cells, AgreedShown? Agreed, string InPlainWords, PointedShown? Points = null, IReadOnlyList<LineShown>? Lines = null);

/// <summary>One line of a record.</summary>
/// <param name="Key">What tells it apart from the others.</param>
/// <param name="Agreed">What is agreed, value by value; empty where the line is not agreed.</param>
/// <param name="Cells">What each side says, in agreed form; null where it has no such line.</param>
public sealed record LineShown(string Key, IReadOnlyList<LineValueShown> Agreed, IReadOnlyList<LineCellShown?> Cells);

public sealed record LineCellShown(IReadOnlyList<LineValueShown> Values);

/// <param name="Differs">True when it is not what is agreed.</param>
public sealed record LineValueShown(string Name, string Value, bool Differs);

/// <summary>Mirrors and records in the form that screens draw.</summary>
internal sealed class Shown(IReadOnlyDictionary<string, KeptConnection> connections)
{
    public static async Task<Shown> With(KeptConnections connections, CancellationToken cancellation) =>
        new((await connections.All(cancellation)).ToDictionary(c => c.System));

    public IReadOnlyList<SideShown> Sides(MirrorDefinition mirror) => [.. mirror.Sides.Select((s, i) =>
        connections.TryGetValue(s.System, out var c) ? new SideShown(i, s.System, c.Name, c.Monogram, c.Colour, s.Collection) : new SideShown(i, s.System, s.System, "?", "#56686b", s.Collection))];

    public IReadOnlyList<string> Names(MirrorDefinition mirror) => [.. this.Sides(mirror).Select(s => s.Name)];

    /// <summary>The spine of a mirror, with a record's values where one is given.</summary>
    /// <param name="pointed">The records that ids of other mirrors stand for; without it, ids are shown as they are.</param>
    public IReadOnlyList<FieldShown> Fields(MirrorDefinition mirror, RecordView? record, IReadOnlyDictionary<(string Mirror, string System, string Id), PointedShown>? pointed = null)
    {
        var rules = mirror.Rules(this.Names(mirror));
        using var agreed = record is null ? null : JsonDocument.Parse(record.Agreed);
        var raws = record?.Members.Where(m => m.Raw is not null).DistinctBy(m => m.Side).ToDictionary(m => m.Side, m => StoredForms.ReadRaw(m.Raw!));
        var translated = raws?.ToDictionary(r => r.Key, r => new Translator(mirror, r.Key, Core.Catalogues.CatalogueCollection.Unknown(mirror.Sides[r.Key].Collection)).ToAgreed(r.Value));
        return [.. mirror.Fields.Select((field, f) =>
        {
            var kept = agreed is not null && agreed.RootElement.TryGetProperty(field.Name, out var json) ? json : (JsonElement?)null;
            Value? value = kept is { } k && ValueJson.TryRead(k.GetProperty("value"), field.Type, out var read, out _) ? read : null;
            return new FieldShown(
                field.Name, field.Type.Name(), field.Group, rules.Fields[f].Rule.Words,
                [.. field.Cells.Select((cell, s) => cell is null ? null : new CellShown(
                    cell.Path, cell.Gives, cell.Takes, cell.Conversion.Words,
                    raws is not null && raws.TryGetValue(s, out var raw) && !raw[cell.Path].IsEmpty ? raw[cell.Path].Display : null,
                    value is not null && cell.Conversion is not ReferenceTo && translated is not null && translated.TryGetValue(s, out var t) && !t.Values[f].Equals(value),
                    cell.Conversion is ReferenceTo to && raws is not null && raws.TryGetValue(s, out var of) ? pointed?.GetValueOrDefault((to.Mirror, mirror.Sides[s].System, of[cell.Path].Display.Trim())) : null))],
                kept is { } a ? AgreedOf(a) : null,
                PlainWords.OfField(mirror, f, rules),
                value is LinkValue at && field.Cells.Select(c => c?.Conversion).OfType<ReferenceTo>().FirstOrDefault() is { } there ? new PointedShown(there.Mirror, at.Link, at.Title) : null,
                field.Lines is { } lines && record is not null ? LinesOf(lines, value as LinesValue, [.. field.Cells.Select((cell, s) => cell is not null && translated is not null && translated.TryGetValue(s, out var t) ? t.Values[f] as LinesValue : null)]) : null);
        })];
    }

    private static IReadOnlyList<LineShown> LinesOf(LinesDefinition lines, LinesValue? agreed, IReadOnlyList<LinesValue?> sides)
    {
        string KeyOf(ImmutableSortedDictionary<string, Value> line) => line.GetValueOrDefault(lines.Key, Value.Empty).Display;
        Dictionary<string, ImmutableSortedDictionary<string, Value>> ByKey(LinesValue? of) => of is null ? [] : of.Lines.DistinctBy(KeyOf).ToDictionary(KeyOf);
        IReadOnlyList<LineValueShown> Values(ImmutableSortedDictionary<string, Value> line, ImmutableSortedDictionary<string, Value>? than) =>
            [.. lines.Fields.Where(f => f.Name != lines.Key).Select(f => (f.Name, Value: line.GetValueOrDefault(f.Name, Value.Empty))).Where(v => !v.Value.IsEmpty)
                .Select(v => new LineValueShown(v.Name, v.Value.Display, than is not null && !than.GetValueOrDefault(v.Name, Value.Empty).Equals(v.Value)))];
        var (kept, said) = (ByKey(agreed), sides.Select(ByKey).ToList());
        return [.. kept.Keys.Concat(said.SelectMany(s => s.Keys)).Distinct().Select(key => new LineShown(
            key,
            kept.TryGetValue(key, out var line) ? Values(line, null) : [],
            [.. said.Select(s => s.TryGetValue(key, out var its) ? new LineCellShown(Values(its, kept.GetValueOrDefault(key))) : null)]))];
    }

    /// <summary>The records that a record's sides point at by the ids that they hold.</summary>
    public static async Task<IReadOnlyDictionary<(string Mirror, string System, string Id), PointedShown>> Pointed(MirrorDefinition mirror, RecordView record, IReadOnlyList<KeptMirror> all, Views views, CancellationToken cancellation)
    {
        var places = new Dictionary<(int, int, string), (string Mirror, string System, string Id)>();
        foreach (var member in record.Members.Where(m => m.Raw is not null))
        {
            var (raw, system) = (StoredForms.ReadRaw(member.Raw!), mirror.Sides[member.Side].System);
            foreach (var (path, to) in mirror.Fields.Select(f => f.Cells[member.Side]).Where(c => c?.Conversion is ReferenceTo).Select(c => (c!.Path, ((ReferenceTo)c.Conversion).Mirror)))
            {
                if (all.FirstOrDefault(m => m.Definition.Key == to) is { } other && raw[path].Display.Trim() is { Length: > 0 } id)
                {
                    foreach (var side in Enumerable.Range(0, other.Definition.Sides.Length).Where(s => other.Definition.Sides[s].System == system))
                    {
                        places[(other.Id, side, id)] = (to, system, id);
                    }
                }
            }
        }

        // Two collections of one system may have the same id each: what is pointed at is then in the first of them.
        return (await views.Pointed(places.Keys, cancellation)).OrderBy(f => f.Key.Side).DistinctBy(f => places[f.Key]).ToDictionary(f => places[f.Key], f => new PointedShown(places[f.Key].Mirror, f.Value.Link, f.Value.Title));
    }

    /// <summary>A value of the journal, as a person reads it.</summary>
    public static string? Text(string? json)
    {
        if (json is null)
        {
            return null;
        }

        using var document = JsonDocument.Parse(json);
        return ValueJson.ReadAgreed(document.RootElement).Display;
    }

    private static AgreedShown AgreedOf(JsonElement json) => new(
        json.GetProperty("shown").GetString()!,
        json.GetProperty("side").GetInt32() is >= 0 and var side ? side : null,
        json.GetProperty("who").GetString(),
        json.GetProperty("changedAt") is { ValueKind: JsonValueKind.String } time ? time.GetDateTimeOffset() : null,
        json.GetProperty("at").GetDateTimeOffset(),
        json.GetProperty("run").GetInt64(),
        json.GetProperty("why").GetString()!);
}
