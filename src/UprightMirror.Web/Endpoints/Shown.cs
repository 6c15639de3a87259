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
public sealed record CellShown(string Path, bool Gives, bool Takes, string? Conversion, string? Raw, bool Differs);

/// <summary>An agreed value and its story.</summary>
/// <param name="Side">The side that said it; null when a person did.</param>
public sealed record AgreedShown(string Value, int? Side, string? Who, DateTimeOffset? ChangedAt, DateTimeOffset At, long Run, string Why);

/// <summary>One row of a spine.</summary>
/// <param name="Cells">One for each side; null where the side does not keep the field.</param>
public sealed record FieldShown(string Name, string Type, string? Group, string Rule, IReadOnlyList<CellShown?> Cells, AgreedShown? Agreed, string InPlainWords);

/// <summary>Mirrors and records in the form that screens draw.</summary>
internal sealed class Shown(IReadOnlyDictionary<string, KeptConnection> connections)
{
    public static async Task<Shown> With(KeptConnections connections, CancellationToken cancellation) =>
        new((await connections.All(cancellation)).ToDictionary(c => c.System));

    public IReadOnlyList<SideShown> Sides(MirrorDefinition mirror) => [.. mirror.Sides.Select((s, i) =>
        connections.TryGetValue(s.System, out var c) ? new SideShown(i, s.System, c.Name, c.Monogram, c.Colour, s.Collection) : new SideShown(i, s.System, s.System, "?", "#56686b", s.Collection))];

    public IReadOnlyList<string> Names(MirrorDefinition mirror) => [.. this.Sides(mirror).Select(s => s.Name)];

    /// <summary>The spine of a mirror, with a record's values where one is given.</summary>
    public IReadOnlyList<FieldShown> Fields(MirrorDefinition mirror, RecordView? record)
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
                    value is not null && cell.Conversion is not ReferenceTo && translated is not null && translated.TryGetValue(s, out var t) && !t.Values[f].Equals(value)))],
                kept is { } a ? AgreedOf(a) : null,
                PlainWords.OfField(mirror, f, rules));
        })];
    }

    /// <summary>A value of the journal, as a person reads it.</summary>
    public static string? Text(string? json)
    {
        if (json is null)
        {
            return null;
        }

        using var document = JsonDocument.Parse(json);
        return ValueJson.ReadRaw(document.RootElement).Display;
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
