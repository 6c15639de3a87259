using System.Text.Json;
using System.Text.Json.Nodes;
using UprightMirror.Connectors;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Engine.LookingUp;

/// <summary>What somebody looks up.</summary>
/// <param name="System">The side whose id it is, by its system's key; null where it is a field.</param>
/// <param name="Id">The record's id there.</param>
/// <param name="Field">The agreed field that is known of it; null where it is an id.</param>
/// <param name="Value">What it holds.</param>
/// <param name="View">agreed, or the key of a side's system for what stands there at this moment; null for agreed.</param>
public sealed record LookupAsked(string? System, string? Id, string? Field, string? Value, string? View);

/// <summary>What comes back.</summary>
/// <param name="Status">As in HTTP: 200, 400, 404, 409 for more than one, 502 for a system that can't be asked.</param>
/// <param name="Body">Null where there is no record to give.</param>
/// <param name="Words">Why there is none; null where there is one.</param>
public sealed record LookupAnswer(int Status, JsonObject? Body, string? Words);

/// <summary>Looks one record of a mirror up for somebody outside: what is agreed, or what one side holds at this moment, of the fields that the mirror gives.</summary>
public sealed class Lookup(ILookups lookups, IMirrors mirrors, ISystems systems, TimeProvider clock)
{
    public const int LongestAsked = 400;

    /// <summary>The fields that a record is known by, of those that are given: any that holds one value.</summary>
    public static IEnumerable<string> KnownBy(MirrorDefinition mirror, LookupOffer offer) =>
        mirror.Fields.Where(f => offer.Fields.Contains(f.Name) && f.Type is not (FieldType.Lines or FieldType.List or FieldType.Reference)).Select(f => f.Name);

    public async Task<LookupAnswer> Find(KeptMirror mirror, LookupOffer offer, LookupAsked asked, CancellationToken cancellation)
    {
        if (Wrong(mirror.Definition, offer, asked) is { } wrong)
        {
            return new LookupAnswer(400, null, wrong);
        }

        var found = asked.Id is { } id
            ? await lookups.ById(mirror.Id, SideOf(mirror.Definition, asked.System)!.Value, id, cancellation)
            : await lookups.ByField(mirror.Id, asked.Field!, asked.Value!, cancellation);
        if (found.Count != 1)
        {
            return found.Count == 0
                ? new LookupAnswer(404, null, asked.Id is not null ? $"No {mirror.Definition.RecordType} of {mirror.Definition.Name} has the id {asked.Id} there." : $"No {mirror.Definition.RecordType} of {mirror.Definition.Name} has the {asked.Field} {asked.Value}.")
                : new LookupAnswer(409, null, $"More than one {mirror.Definition.RecordType} has the {asked.Field} {asked.Value}. Ask by an id.");
        }

        if (await lookups.Record(mirror.Id, found[0], cancellation) is not { } record)
        {
            return new LookupAnswer(404, null, "It was there a moment ago, and is not any more.");
        }

        var body = new JsonObject
        {
            ["record"] = record.Link.ToString(),
            ["ids"] = new JsonObject([.. record.Ids.DistinctBy(m => m.Side).Select(m => KeyValuePair.Create(mirror.Definition.Sides[m.Side].System, (JsonNode?)m.Id))]),
            ["view"] = asked.View ?? "agreed",
        };
        var view = asked.View is null or "agreed" ? (int?)null : SideOf(mirror.Definition, asked.View);
        if (view is not { } side)
        {
            body["fields"] = Agreed(mirror.Definition, offer, record.Agreed);
            return new LookupAnswer(200, body, null);
        }

        if (record.Ids.FirstOrDefault(m => m.Side == side) is not { Id: { } known })
        {
            return new LookupAnswer(404, null, $"It has no record in {asked.View}.");
        }

        try
        {
            var system = await systems.Connect(mirror.Definition.Sides[side].System, cancellation);
            var collection = mirror.Definition.Sides[side].Collection;
            var translator = new Translator(mirror.Definition, side, await system.Describe(collection, cancellation), clock.GetUtcNow(), await mirrors.ReferencesTo([.. mirror.Definition.PointsAt], cancellation));
            if (await system.ReadOne(collection, known, cancellation) is not { } now)
            {
                return new LookupAnswer(404, null, $"{system.Name} has no record {known} any more.");
            }

            var translation = translator.ToAgreed(now.Fields);
            body["fields"] = Given(mirror.Definition, offer, f => mirror.Definition.Fields[f].Cells[side] is null || translation.Problems.Any(p => p.Field == f) ? null : Plain(translation.Values[f]));
            if (!translation.Problems.IsEmpty)
            {
                body["unreadable"] = new JsonArray([.. translation.Problems.Where(p => offer.Fields.Contains(mirror.Definition.Fields[p.Field].Name)).Select(p => (JsonNode?)p.Sentence)]);
            }

            return new LookupAnswer(200, body, null);
        }
        catch (SystemFault fault)
        {
            return new LookupAnswer(502, null, fault.Message);
        }
    }

    private static string? Wrong(MirrorDefinition mirror, LookupOffer offer, LookupAsked asked) =>
        new[] { asked.System, asked.Id, asked.Field, asked.Value, asked.View }.Any(t => t?.Length > LongestAsked) ? $"Nothing that is asked for has more than {LongestAsked} characters."
        : asked is { Id: null or "", Field: null or "" } or { Id: { Length: > 0 }, Field: { Length: > 0 } } ? "Ask by a system and its id, or by a field and its value."
        : asked.Id is { Length: > 0 } && SideOf(mirror, asked.System) is null ? $"{mirror.Name} has no side {asked.System}. It has {string.Join(", ", mirror.Sides.Select(s => s.System))}."
        : asked.Field is { Length: > 0 } && !KnownBy(mirror, offer).Contains(asked.Field) ? $"Records are not found by {asked.Field} here. They are by {string.Join(", ", KnownBy(mirror, offer))}."
        : asked.Field is { Length: > 0 } && string.IsNullOrEmpty(asked.Value) ? $"Say which {asked.Field}."
        : asked.View is not (null or "agreed") && SideOf(mirror, asked.View) is null ? $"There is no view {asked.View}: it is agreed, or one of {string.Join(", ", mirror.Sides.Select(s => s.System))}."
        : null;

    private static int? SideOf(MirrorDefinition mirror, string? system) => mirror.Sides.Select(s => s.System).ToList().IndexOf(system ?? "") is >= 0 and var side ? side : null;

    private static JsonObject Agreed(MirrorDefinition mirror, LookupOffer offer, string agreed)
    {
        using var kept = JsonDocument.Parse(agreed);
        return Given(mirror, offer, f => kept.RootElement.TryGetProperty(mirror.Fields[f].Name, out var said) && ValueJson.TryRead(said.GetProperty("value"), mirror.Fields[f].Type, out var value, out _) ? Plain(value) : null);
    }

    private static JsonObject Given(MirrorDefinition mirror, LookupOffer offer, Func<int, JsonNode?> value) =>
        new([.. Enumerable.Range(0, mirror.Fields.Length).Where(f => offer.Fields.Contains(mirror.Fields[f].Name)).Select(f => KeyValuePair.Create(mirror.Fields[f].Name, value(f)))]);

    /// <summary>A value as JSON has it: a number, true or false, a list, lines as objects; anything else as it is read.</summary>
    private static JsonNode? Plain(Value value) => value switch
    {
        EmptyValue => null,
        NumberValue number => JsonValue.Create(number.Amount),
        YesNoValue yes => JsonValue.Create(yes.Yes),
        ListValue list => new JsonArray([.. list.Items.Select(i => (JsonNode?)i)]),
        LinesValue lines => new JsonArray([.. lines.Lines.Select(l => (JsonNode?)new JsonObject([.. l.Select(f => KeyValuePair.Create(f.Key, Plain(f.Value)))]))]),
        _ => value.Display,
    };
}
