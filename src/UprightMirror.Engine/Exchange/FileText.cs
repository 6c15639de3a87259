using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using YamlDotNet.Core;
using YamlDotNet.Core.Events;
using YamlDotNet.RepresentationModel;
using YamlDotNet.Serialization;

namespace UprightMirror.Engine.Exchange;

/// <summary>Something in a file that is not as it should be.</summary>
/// <param name="Line">Counted from 1; 0 where no line is to blame.</param>
public sealed record FileProblem(int Line, string Words)
{
    public override string ToString() => this.Line > 0 ? $"Line {this.Line}: {this.Words}" : this.Words;
}

/// <summary>Files of mirrors as text: YAML 1.2, without anchors, tags and types of its own.</summary>
public static class FileText
{
    /// <summary>In characters.</summary>
    public const int Longest = 4 * 1024 * 1024;

    private const int MostProblems = 50;
    private const int MostDeep = 40;

    private static readonly JsonNode Schema = FileSchema.Document();

    public static string Write(MirrorFile file)
    {
        var yaml = new SerializerBuilder().WithQuotingNecessaryStrings(quoteYaml1_1Strings: true).WithIndentedSequences().WithMaximumRecursion(MostDeep).Build();
        var json = JsonSerializer.SerializeToNode(file, MirrorFile.Json)!;
        FileSchema.LeaveOutDefaults(Schema, json);
        return "# Mirrors of Upright Mirror. What may stand here, and what counts where it is left out, is said by mirror-file.schema.json.\n" + yaml.Serialize(Plain(json)!);
    }

    /// <returns>The file, or each thing that is wrong with it, in the order of its lines.</returns>
    public static (MirrorFile? File, ImmutableArray<FileProblem> Problems) Read(string text)
    {
        if (text.Length > Longest)
        {
            return (null, [new FileProblem(0, $"It has more than {Longest / 1024 / 1024} MB of text: that is no file of mirrors.")]);
        }

        var lines = new Dictionary<string, int>(StringComparer.Ordinal);
        JsonNode? json;
        try
        {
            LookThrough(text);
            var stream = new YamlStream();
            stream.Load(new StringReader(text));
            if (stream.Documents.Count != 1)
            {
                return (null, [new FileProblem(0, stream.Documents.Count == 0 ? "It is empty." : "It has several documents (---). Import them one by one.")]);
            }

            json = Json(stream.Documents[0].RootNode, "", lines);
        }
        catch (YamlException e)
        {
            return (null, [new FileProblem((int)e.Start.Line, $"it is not YAML: {(e.InnerException ?? e).Message}")]);
        }
        catch (NotPlain e)
        {
            return (null, [new FileProblem(e.Line, e.Message)]);
        }

        var problems = FileSchema.Check(Schema, json).Take(MostProblems).Select(p => new FileProblem(LineOf(p.Path, lines), p.Words)).OrderBy(p => p.Line).ToImmutableArray();
        if (problems.Length > 0)
        {
            return (null, problems);
        }

        try
        {
            var file = json.Deserialize<MirrorFile>(MirrorFile.Json)!;
            problems = [.. Wrong(file).Select(w => new FileProblem(LineOf(w.Path, lines), w.Words)).OrderBy(p => p.Line)];
            return problems.Length > 0 ? (null, problems) : (file, []);
        }
        catch (Exception e) when (e is JsonException or ArgumentException or InvalidOperationException or KeyNotFoundException or FormatException)
        {
            var path = e is JsonException { Path: { } at } ? string.Concat(at.TrimStart('$').Split(['.', '[', ']'], StringSplitOptions.RemoveEmptyEntries).Select(l => "/" + l)) : "";
            return (null, [new FileProblem(LineOf(path, lines), $"it can't be read: {e.Message}")]);
        }
    }

    /// <summary>What no schema tells.</summary>
    private static IEnumerable<(string Path, string Words)> Wrong(MirrorFile file)
    {
        if (file.Form != MirrorFile.CurrentForm)
        {
            yield return ("/form", $"the file has form {file.Form}; form {MirrorFile.CurrentForm} is read here");
        }

        if (file.Mirrors.Length == 0)
        {
            yield return ("/mirrors", "it holds no mirror");
        }

        for (var m = 0; m < file.Mirrors.Length; m++)
        {
            var (mirror, at) = (file.Mirrors[m], $"/mirrors/{m}");
            if (mirror.Key.Length == 0 || mirror.Key.Length > 60 || !mirror.Key.All(c => char.IsAsciiLetterLower(c) || char.IsAsciiDigit(c) || c == '-'))
            {
                yield return ($"{at}/key", "a key has small letters, digits and hyphens, at most 60");
            }

            if (mirror.Sides.Length is < 2 or > 5)
            {
                yield return ($"{at}/sides", "a mirror has two to five sides");
            }

            for (var s = 0; s < mirror.Sides.Length; s++)
            {
                if (!file.Systems.ContainsKey(mirror.Sides[s].System))
                {
                    yield return ($"{at}/sides/{s}/system", $"{mirror.Sides[s].System} is not among the systems of the file");
                }
            }

            for (var f = 0; f < mirror.Fields.Length; f++)
            {
                if (mirror.Fields[f].Cells.IsDefault || mirror.Fields[f].Cells.Length != mirror.Sides.Length)
                {
                    yield return ($"{at}/fields/{f}/cells", $"{mirror.Fields[f].Name} has {(mirror.Fields[f].Cells.IsDefault ? 0 : mirror.Fields[f].Cells.Length)} cells; the mirror has {mirror.Sides.Length} sides, and each has one (null where it does not keep the field)");
                }

                if (mirror.Fields.Take(f).Any(other => other.Name == mirror.Fields[f].Name))
                {
                    yield return ($"{at}/fields/{f}/name", $"there are two agreed fields called {mirror.Fields[f].Name}");
                }
            }
        }

        foreach (var list in file.CodeLists.Where(l => l.Value.Table is null))
        {
            yield return (FileSchema.Under("/codeLists", list.Key) + "/codes", "each row is a code and what is agreed for it");
        }
    }

    /// <summary>The line of a path, or of the nearest one around it.</summary>
    private static int LineOf(string path, Dictionary<string, int> lines)
    {
        for (var at = path; ; at = at[..at.LastIndexOf('/')])
        {
            if (lines.TryGetValue(at, out var line))
            {
                return line;
            }

            if (at.Length == 0)
            {
                return 0;
            }
        }
    }

    /// <summary>Refuses what would unfold without end, or nest deeper than the tree of it can be built, before any tree is built.</summary>
    private static void LookThrough(string text)
    {
        var parser = new Parser(new StringReader(text));
        for (var depth = 0; parser.MoveNext();)
        {
            var line = (int)parser.Current!.Start.Line;
            depth += parser.Current.NestingIncrease;
            if (parser.Current is AnchorAlias or NodeEvent { Anchor.IsEmpty: false })
            {
                throw new NotPlain(line, "anchors (&) and aliases (*) are not taken: write it out");
            }

            if (depth > MostDeep)
            {
                throw new NotPlain(line, $"it is nested deeper than {MostDeep} levels");
            }
        }
    }

    private static JsonNode? Json(YamlNode node, string path, Dictionary<string, int> lines)
    {
        lines.TryAdd(path, (int)node.Start.Line);
        switch (node)
        {
            case YamlScalarNode scalar:
                return Scalar(scalar);
            case YamlSequenceNode list:
                return new JsonArray([.. list.Children.Select((c, i) => Json(c, FileSchema.Under(path, i.ToString(CultureInfo.InvariantCulture)), lines))]);
            case YamlMappingNode map:
                var json = new JsonObject();
                foreach (var (key, value) in map.Children)
                {
                    if (key is not YamlScalarNode { Value: { } name })
                    {
                        throw new NotPlain((int)key.Start.Line, "a name is a plain word");
                    }

                    lines.TryAdd(FileSchema.Under(path, name), (int)key.Start.Line);
                    json[name] = Json(value, FileSchema.Under(path, name), lines);
                }

                return json;
            default:
                throw new NotPlain((int)node.Start.Line, "it is nothing that YAML has");
        }
    }

    /// <summary>As the core schema of YAML 1.2 has it: what is not quoted may be nothing, true or false, or a number.</summary>
    private static JsonNode? Scalar(YamlScalarNode scalar) => scalar switch
    {
        { Style: not ScalarStyle.Plain } => JsonValue.Create(scalar.Value),
        { Value: null or "" or "null" or "~" } => null,
        { Value: "true" } => JsonValue.Create(true),
        { Value: "false" } => JsonValue.Create(false),
        { Value: { } text } when char.IsAsciiDigit(text[^1]) && decimal.TryParse(text, NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out var number) => JsonValue.Create(number),
        _ => JsonValue.Create(scalar.Value),
    };

    private static object? Plain(JsonNode? node) => node switch
    {
        null => null,
        JsonObject map => map.ToDictionary(p => p.Key, p => Plain(p.Value)),
        JsonArray list => list.Select(Plain).ToList(),
        JsonValue value => value.GetValueKind() switch
        {
            JsonValueKind.True => true,
            JsonValueKind.False => false,
            JsonValueKind.Number => value.Deserialize<decimal>(),
            _ => value.GetValue<string>(),
        },
        _ => null,
    };

    private sealed class NotPlain(int line, string words) : Exception(words)
    {
        public int Line { get; } = line;
    }
}
