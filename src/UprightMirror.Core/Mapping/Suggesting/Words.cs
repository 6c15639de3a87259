using System.Collections.Frozen;
using System.Text;

namespace UprightMirror.Core.Mapping.Suggesting;

/// <summary>What the names of fields say: cut into words, abbreviations written out, and other ways to say a thing brought to one.</summary>
public sealed class Words
{
    private const int LongestPhrase = 4;
    private const int LongestToken = 40;

    /// <summary>Words that say where a field stands more than what it holds.</summary>
    private static readonly FrozenSet<string> Context = new[]
    {
        "customer", "person", "organisation", "product", "supplier", "account", "address", "record", "party", "details", "detail", "info", "information", "data", "main", "primary", "default", "general", "header", "current", "own", "line", "lines", "business", "invoice", "order", "user",
        "postal", "document", "physical", "standard", "full", "accounting", "item", "attributes", "fields", "properties", "entity", "basic", "profile", "employee", "contactpoint", "telecom",
    }.ToFrozenSet();

    /// <summary>Words that carry no meaning of their own in a name.</summary>
    private static readonly FrozenSet<string> Empty = new[] { "the", "of", "a", "an", "and", "to", "for", "in", "on", "at", "by", "is", "has", "x", "fld", "field", "custom", "cf", "attr", "attribute", "col", "column", "txt", "text", "str", "string", "z", "u" }.ToFrozenSet();

    /// <summary>Words that many names end with.</summary>
    private static readonly FrozenSet<string> Heads = new[] { "number", "code", "name", "date", "type", "identifier", "amount", "time", "value", "percent", "count", "status" }.ToFrozenSet();

    /// <summary>Words of two letters that names run together end with.</summary>
    private static readonly FrozenSet<string> Short = new[] { "id", "no", "nr", "nb", "cd", "dt", "nm", "tp", "tm" }.ToFrozenSet();

    private readonly FrozenDictionary<string, string> meanings;
    private readonly FrozenSet<string> known;

    /// <param name="list">Lines of the form <c>word: other way, another way</c>; those that begin with # are passed over.</param>
    public Words(IEnumerable<string> list)
    {
        var meanings = new Dictionary<string, string>(StringComparer.Ordinal);
        var known = new HashSet<string>(StringComparer.Ordinal);
        foreach (var line in list.Where(l => l.Contains(':', StringComparison.Ordinal) && !l.StartsWith('#')))
        {
            var (word, ways) = (line[..line.IndexOf(':', StringComparison.Ordinal)].Trim(), line[(line.IndexOf(':', StringComparison.Ordinal) + 1)..].Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries));
            meanings.TryAdd(word, word);
            known.Add(word);
            foreach (var way in ways)
            {
                meanings.TryAdd(way, word);

                // Written without blanks, too: zipcode.
                meanings.TryAdd(way.Replace(" ", "", StringComparison.Ordinal), word);
                known.UnionWith(way.Split(' '));
            }
        }

        known.UnionWith(Context);
        this.meanings = meanings.ToFrozenDictionary();
        this.known = known.Where(w => w.Length > 2).ToFrozenSet();
    }

    /// <summary>The words that the product knows.</summary>
    public static Words Known { get; } = new(Lines());

    /// <summary>What a name says, word by word, each with how much it weighs (0 to 1).</summary>
    public IReadOnlyList<(string Word, double Weight)> Read(string name)
    {
        var tokens = this.Tokens(name);
        var said = new List<string>();
        for (var i = 0; i < tokens.Count;)
        {
            var taken = 0;
            for (var length = Math.Min(LongestPhrase, tokens.Count - i); length > 0; length--)
            {
                if (this.meanings.TryGetValue(string.Join(' ', tokens.Skip(i).Take(length)), out var meaning))
                {
                    said.Add(meaning);
                    taken = length;
                    break;
                }
            }

            if (taken == 0)
            {
                said.Add(tokens[i]);
                taken = 1;
            }

            i += taken;
        }

        // Two words that mean more together than one by one: a telephone that is mobile.
        var whole = this.meanings.GetValueOrDefault(string.Join(' ', said));
        said = whole is not null ? [whole] : [.. said.Distinct()];
        return [.. said.Where(w => !Empty.Contains(w) || said.Count == 1).Select(w => (w, Weight(w, said)))];
    }

    private static double Weight(string word, List<string> said) =>
        said.Count == 1 ? 1
        : Context.Contains(word) && said.Any(w => !Context.Contains(w)) ? 0.3
        : Heads.Contains(word) && said.Any(w => !Heads.Contains(w) && !Context.Contains(w)) ? 0.5
        : word.All(char.IsAsciiDigit) ? 0.4
        : 1;

    /// <summary>A name cut where case, digits and signs change, small letters, and compounds cut into words that are known.</summary>
    private List<string> Tokens(string name)
    {
        var tokens = new List<string>();
        var token = new StringBuilder();
        for (var i = 0; i < name.Length && i < 200; i++)
        {
            var c = name[i];
            var isBreak = !char.IsLetterOrDigit(c)
                || (i > 0 && char.IsUpper(c) && (char.IsLower(name[i - 1]) || (i + 1 < name.Length && char.IsLower(name[i + 1]) && char.IsUpper(name[i - 1]))))
                || (i > 0 && char.IsDigit(c) != char.IsDigit(name[i - 1]) && char.IsLetterOrDigit(name[i - 1]));
            if (isBreak && token.Length > 0)
            {
                tokens.Add(token.ToString());
                token.Clear();
            }

            if (char.IsLetterOrDigit(c))
            {
                token.Append(char.ToLowerInvariant(c));
            }
        }

        if (token.Length > 0)
        {
            tokens.Add(token.ToString());
        }

        return [.. tokens.Select(this.Single).SelectMany(t => this.meanings.ContainsKey(t) || this.known.Contains(t) || t.Length is < 5 or > LongestToken ? [t] : this.Cut(t) ?? [t])];
    }

    /// <summary>One of many: where the plural says nothing and the singular does.</summary>
    private string Single(string token)
    {
        if (token.Length < 4 || token[^1] != 's' || this.meanings.ContainsKey(token) || this.known.Contains(token))
        {
            return token;
        }

        string[] singles = token.EndsWith("ies", StringComparison.Ordinal) ? [token[..^3] + "y"] : token.EndsWith("es", StringComparison.Ordinal) ? [token[..^1], token[..^2]] : [token[..^1]];
        return singles.FirstOrDefault(s => this.meanings.ContainsKey(s) || this.known.Contains(s)) ?? token;
    }

    /// <summary>A compound cut into as few words as it can be; null when it is none.</summary>
    private List<string>? Cut(string compound)
    {
        var best = new List<string>?[compound.Length + 1];
        best[0] = [];

        // One short beginning that nobody knows may stand before what is known: crlimit.
        var strange = new bool[compound.Length + 1];
        for (var start = 2; start <= Math.Min(4, compound.Length - 4); start++)
        {
            best[start] = [compound[..start]];
            strange[start] = true;
        }

        for (var end = 1; end <= compound.Length; end++)
        {
            for (var start = Math.Max(0, end - 20); start <= end - 2; start++)
            {
                if (best[start] is { } before && (best[end] is null || before.Count + 1 < best[end]!.Count || (strange[end] && before.Count < best[end]!.Count + 1))
                    && (this.known.Contains(compound[start..end]) || (end - start == 2 && start > 0 && this.meanings.ContainsKey(compound[start..end]) && Short.Contains(compound[start..end]))))
                {
                    best[end] = [.. before, compound[start..end]];
                    strange[end] = strange[start];
                }
            }
        }

        return best[^1];
    }

    private static IEnumerable<string> Lines()
    {
        using var stream = typeof(Words).Assembly.GetManifestResourceStream("UprightMirror.Core.Mapping.Suggesting.words.txt")!;
        using var reader = new StreamReader(stream);
        while (reader.ReadLine() is { } line)
        {
            yield return line;
        }
    }
}
