using System.Collections.Immutable;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Matching;

/// <summary>What a record is recognised by: an exact key or an exact normalised e-mail address.</summary>
/// <param name="Rule">The recognising rule's place in the mirror's list; a lower one decides first.</param>
/// <param name="Text">The key's normalised value, with the rule's field before it, so that keys of two rules never meet.</param>
public sealed record MatchKey(int Rule, string Text);

public static class MatchKeys
{
    /// <summary>The keys of a record in agreed form, in the order of the mirror's recognising rules.</summary>
    public static ImmutableArray<MatchKey> Of(MirrorDefinition mirror, Value[] agreed)
    {
        var names = mirror.Fields.Select(f => f.Name).ToList();
        return [.. mirror.Recognising
            .Select((rule, i) => (Rule: i, rule.Field, Value: agreed[names.IndexOf(rule.Field)]))
            .Where(k => !k.Value.IsEmpty)
            .Select(k => new MatchKey(k.Rule, $"{k.Rule}:{Normalised(k.Value)}"))];
    }

    private static string Normalised(Value value) => value switch
    {
        EmailValue email => email.Normalised,
        TextValue text => string.Concat(text.Content.Where(char.IsLetterOrDigit)).ToUpperInvariant(),
        _ => value.Display,
    };
}

/// <summary>A record among which another is looked for.</summary>
/// <param name="Link">The link that it belongs to; null while it belongs to none.</param>
/// <param name="LinkedSides">The sides that its link has a record of; empty while it belongs to none.</param>
public sealed record MatchCandidate(int Side, string Id, Guid? Link, ImmutableArray<MatchKey> Keys, ImmutableArray<int> LinkedSides = default)
{
    public ImmutableArray<int> LinkedSides { get; init; } = LinkedSides.IsDefault ? [] : LinkedSides;
}

/// <summary>What was recognised.</summary>
public abstract record Recognition
{
    private Recognition()
    {
    }

    /// <summary>Nothing like it is known: a new real thing.</summary>
    public sealed record New : Recognition;

    /// <summary>Certainly the same as this other record.</summary>
    public sealed record SameAs(MatchCandidate Other, int Rule) : Recognition;

    /// <summary>The same key stands in more than one record of a side, or its link has a record of this side already: nobody can tell which is meant.</summary>
    public sealed record Ambiguous(int Rule, ImmutableArray<MatchCandidate> Others) : Recognition;
}

public static class Recogniser
{
    /// <summary>Recognises one record among those that share a key with it. The same answer in any order of <paramref name="others"/>.</summary>
    public static Recognition Recognise(MatchCandidate record, IEnumerable<MatchCandidate> others)
    {
        var sharing = others.Where(o => (o.Side, o.Id) != (record.Side, record.Id)).OrderBy(o => o.Side).ThenBy(o => o.Id, StringComparer.Ordinal).ToList();
        foreach (var key in record.Keys.OrderBy(k => k.Rule))
        {
            var same = sharing.Where(o => o.Keys.Contains(key)).ToImmutableArray();
            var elsewhere = same.Where(o => o.Side != record.Side).ToImmutableArray();
            if (elsewhere.IsEmpty)
            {
                continue;
            }

            // Two records on one side with the key, or links that already hold a record of this side: a person must say.
            var twice = same.GroupBy(o => o.Side).Any(g => g.Count() > 1) || same.Any(o => o.Side == record.Side) || elsewhere.Any(o => o.LinkedSides.Contains(record.Side));
            var links = elsewhere.Select(o => o.Link).Where(l => l is not null).Distinct().Count();
            return twice || links > 1
                ? new Recognition.Ambiguous(key.Rule, same)
                : new Recognition.SameAs(elsewhere.FirstOrDefault(o => o.Link is not null) ?? elsewhere[0], key.Rule);
        }

        return new Recognition.New();
    }

    /// <summary>Links records among each other by their keys alone, as runs would that met them all at once.</summary>
    /// <param name="records">None of them linked yet.</param>
    /// <returns>The link of each; null for one that no key decides.</returns>
    public static IReadOnlyList<Guid?> LinkAll(IReadOnlyList<MatchCandidate> records)
    {
        var now = records.ToArray();
        var byKey = now.SelectMany((r, i) => r.Keys.Select(k => (Key: k, i))).ToLookup(k => k.Key, k => k.i);
        foreach (var i in Enumerable.Range(0, now.Length).OrderBy(i => now[i].Side).ThenBy(i => now[i].Id, StringComparer.Ordinal))
        {
            if (now[i].Link is not null)
            {
                continue;
            }

            var sharing = now[i].Keys.SelectMany(k => byKey[k]).Distinct().ToList();
            if (Recognise(now[i], sharing.Select(s => now[s])) is Recognition.SameAs same)
            {
                var link = same.Other.Link ?? Guid.CreateVersion7();
                var sides = same.Other.LinkedSides.Union([same.Other.Side, now[i].Side]).ToImmutableArray();
                foreach (var half in sharing.Where(s => (now[s].Side, now[s].Id) == (same.Other.Side, same.Other.Id) || now[s].Link == link).Append(i))
                {
                    now[half] = now[half] with { Link = link, LinkedSides = sides };
                }
            }
        }

        return [.. now.Select(r => r.Link)];
    }
}
