using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.RegularExpressions;
using UprightMirror.Connectors.Calling;

namespace UprightMirror.Web.SigningIn;

/// <summary>
/// Takes what is personal out of an answer: values that stand with a personal field's name or in its place in a row of values, titles that are somebody's name, the same texts wherever else they stand,
/// and e-mail addresses and telephone numbers anywhere. Names of fields and addresses of pages stay; a system may know people by their e-mail address, so ids are looked through, too.
/// </summary>
/// <param name="names">Which fields are personal.</param>
/// <param name="hasPersonalTitle">Whether the records of a mirror, by its key, are called by a personal field; of an unknown mirror (null), whether those of any are.</param>
public sealed partial class PersonalMask(PersonalNames names, Func<string?, bool> hasPersonalTitle)
{
    /// <summary>A text this short stands in too many others to be taken out of them.</summary>
    private const int ShortestElsewhere = 5;

    /// <summary>What holds a record's values, whatever else stands beside it.</summary>
    private static readonly HashSet<string> Valued = new(StringComparer.Ordinal)
    {
        "raw", "value", "values", "shown", "before", "after", "now", "was", "text", "texts", "sample", "samples", "examples", "agreed", "cells", "chooses", "competing", "answer", "default", "would", "decided", "alike",
    };

    /// <summary>What says which thing is meant: it is left, and so are the names of fields.</summary>
    private static readonly HashSet<string> Naming = new(StringComparer.Ordinal)
    {
        "link", "key", "mirror", "mirrorName", "system", "field", "fields", "name", "path", "collection", "type", "kind", "state", "recordType", "conversion", "rule", "group", "inPlainWords", "address", "at", "token",
        "email", "role", "startedBy", "undoneBy", "guardAnsweredBy", "monogram", "colour", "outcome", "what", "titleField", "countryField",
    };

    private readonly HashSet<string> taken = new(StringComparer.Ordinal);

    /// <summary>Changes the answer in place.</summary>
    /// <param name="mirror">The mirror that all of it is about; null where it says itself.</param>
    public void TakeOut(JsonNode? answer, string? mirror)
    {
        this.Values(answer, mirror, null);
        this.Sentences(answer, "");
    }

    /// <summary>A personal text as a reader sees it: its first letter, and that there is more.</summary>
    public static string Masked(string text) => (text.Length > 0 && char.IsLetterOrDigit(text[0]) ? text[..1] : "") + "•••";

    /// <summary>A row of a list as a file.</summary>
    /// <param name="columns">What each place of it is called.</param>
    /// <param name="titleAt">The place of the record's title, and its mirror.</param>
    /// <param name="field">The field that the places in <paramref name="ofField"/> are the values of; null where each column is a field.</param>
    public IReadOnlyList<string?> Row(IReadOnlyList<string?> row, IReadOnlyList<string> columns, (int Place, string Mirror) titleAt, string? field = null, IReadOnlyCollection<int>? ofField = null) =>
    [
        .. row.Select((text, i) => text is null ? null
            : (i == titleAt.Place && hasPersonalTitle(titleAt.Mirror)) || (ofField is null ? names.Cover(columns[i]) : ofField.Contains(i) && names.Cover(field)) ? Masked(text)
            : Masking.Contacts(text)),
    ];

    /// <summary>A title as it stands in a sentence.</summary>
    /// <param name="mirror">Null where nobody knows.</param>
    public string Title(string title, string? mirror) => hasPersonalTitle(mirror) ? Masked(title) : title;

    private void Values(JsonNode? node, string? mirror, IReadOnlyList<string>? row)
    {
        switch (node)
        {
            case JsonObject thing:
                mirror = MirrorOf(thing) ?? mirror;
                row = FieldsOf(thing) ?? row;
                var isPersonal = names.Cover(Text(thing["field"]) ?? Text(thing["name"]) ?? Text(thing["path"]));
                var isRow = thing["name"] is not null && thing["cells"] is not null;
                foreach (var (key, value) in thing.ToList())
                {
                    if (key is "title" && Text(value) is { } title && hasPersonalTitle(mirror))
                    {
                        thing[key] = this.Take(title);
                    }
                    else if (Valued.Contains(key) && isPersonal)
                    {
                        this.Take(thing, key);
                    }
                    else if (isRow && key == "cells")
                    {
                        // What an agreed field is called says what it is, wherever its sides keep it.
                    }
                    else if (Valued.Contains(key) && value is JsonArray values && row is not null && values.Count == row.Count)
                    {
                        foreach (var place in Enumerable.Range(0, row.Count).Where(i => names.Cover(row[i])))
                        {
                            this.Take(values, place);
                        }
                    }
                    else
                    {
                        this.Values(value, mirror, row);
                    }
                }

                break;
            case JsonArray several:
                foreach (var one in several)
                {
                    this.Values(one, mirror, row);
                }

                break;
        }
    }

    private string Take(string text)
    {
        if (text.Length >= ShortestElsewhere)
        {
            this.taken.Add(text);
        }

        return Masked(text);
    }

    /// <summary>Takes every text out of what stands at a place.</summary>
    private void Take(JsonObject thing, string key)
    {
        if (Text(thing[key]) is { } text)
        {
            thing[key] = this.Take(text);
        }
        else if (thing[key] is JsonArray several)
        {
            for (var i = 0; i < several.Count; i++)
            {
                this.Take(several, i);
            }
        }
        else if (thing[key] is JsonObject inner)
        {
            foreach (var name in inner.Select(p => p.Key).Where(Valued.Contains).ToList())
            {
                this.Take(inner, name);
            }
        }
    }

    private void Take(JsonArray several, int place)
    {
        if (Text(several[place]) is { } text)
        {
            several[place] = this.Take(text);
        }
        else if (several[place] is JsonArray inner)
        {
            for (var i = 0; i < inner.Count; i++)
            {
                this.Take(inner, i);
            }
        }
        else if (several[place] is JsonObject thing)
        {
            foreach (var name in thing.Select(p => p.Key).Where(Valued.Contains).ToList())
            {
                this.Take(thing, name);
            }
        }
    }

    private void Sentences(JsonNode? node, string key)
    {
        switch (node)
        {
            case JsonObject thing:
                foreach (var (name, value) in thing.ToList())
                {
                    if (Text(value) is { } text)
                    {
                        thing[name] = Naming.Contains(name) ? text : this.Sentence(text);
                    }
                    else
                    {
                        this.Sentences(value, name);
                    }
                }

                break;
            case JsonArray several when !Naming.Contains(key) || several.Any(one => one is JsonObject):
                for (var i = 0; i < several.Count; i++)
                {
                    if (Text(several[i]) is { } text)
                    {
                        several[i] = this.Sentence(text);
                    }
                    else
                    {
                        this.Sentences(several[i], key);
                    }
                }

                break;
        }
    }

    /// <summary>A sentence without what was taken out elsewhere, without what it quotes of a personal field, and without e-mail addresses and telephone numbers.</summary>
    public string Sentence(string sentence)
    {
        foreach (var text in this.taken.Where(t => sentence.Contains(t, StringComparison.Ordinal)).OrderByDescending(t => t.Length))
        {
            sentence = sentence.Replace(text, Masked(text), StringComparison.Ordinal);
        }

        // What a system answered was masked as what it is, field by field.
        if (sentence is not ['{' or '[', ..] && names.Cover(sentence))
        {
            sentence = Quoted().Replace(sentence, m => m.Groups["before"].Value + Masked(m.Groups["quoted"].Value) + m.Groups["after"].Value);
            sentence = Same().Replace(sentence, m => names.Cover(m.Groups["field"].Value) ? $"same {m.Groups["field"].Value}: {Masked(m.Groups["said"].Value)}" : m.Value);
        }

        return Masking.Contacts(sentence);
    }

    /// <summary>The mirror that a thing is of: by its own word, or by that of the run, record or row that it tells of.</summary>
    private static string? MirrorOf(JsonObject thing) =>
        Text(thing["mirror"]) ?? new[] { "run", "row", "conflict", "record" }.Select(k => thing[k] is JsonObject inner ? Text(inner["mirror"]) : null).FirstOrDefault(m => m is not null)
        ?? (thing["mirror"] is JsonObject row ? Text(row["key"]) : null);

    /// <summary>The fields whose values stand beside it in the same order.</summary>
    private static List<string>? FieldsOf(JsonObject thing) => thing["fields"] is JsonArray { Count: > 0 } fields
        ? [.. fields.Select(f => Text(f) ?? Text((f as JsonObject)?["name"]) ?? "")]
        : null;

    private static string? Text(JsonNode? node) => node is JsonValue value && value.GetValueKind() == JsonValueKind.String ? value.GetValue<string>() : null;

    [GeneratedRegex("(?<before>[“\"])(?<quoted>[^”\"]+)(?<after>[”\"])", RegexOptions.NonBacktracking)]
    private static partial Regex Quoted();

    [GeneratedRegex("^same (?<field>[^:]+): (?<said>.+)$", RegexOptions.NonBacktracking)]
    private static partial Regex Same();
}
