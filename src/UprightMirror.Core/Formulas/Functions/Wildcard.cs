namespace UprightMirror.Core.Formulas.Functions;

/// <summary>Searching with ? for any one character and * for any number of them; ~ before one takes it as it stands.</summary>
internal static class Wildcard
{
    /// <summary>Where the pattern begins to fit, whatever the case, from a place on; -1 when it does nowhere.</summary>
    public static (int Place, string What) Find(string text, string pattern, int from)
    {
        if (pattern.AsSpan().IndexOfAny('?', '*', '~') < 0)
        {
            return (text.IndexOf(pattern, from, StringComparison.OrdinalIgnoreCase), pattern);
        }

        var parts = Parts(pattern);
        for (var start = from; start <= text.Length; start++)
        {
            switch (Fits(text, start, parts))
            {
                case true:
                    return (start, pattern);
                case null:
                    return (-1, pattern);
            }
        }

        return (-1, pattern);
    }

    /// <summary>Each character of the pattern, and whether it stands for others.</summary>
    private static List<(char Character, bool IsWild)> Parts(string pattern)
    {
        var parts = new List<(char, bool)>();
        for (var i = 0; i < pattern.Length; i++)
        {
            var escaped = pattern[i] == '~' && i + 1 < pattern.Length && pattern[i + 1] is '?' or '*' or '~';
            i += escaped ? 1 : 0;
            parts.Add((pattern[i], !escaped && pattern[i] is '?' or '*'));
        }

        return parts;
    }

    /// <summary>
    /// Whether the text goes on so from a place; null when it does from no later place either, because what follows a star was
    /// nowhere to be found.
    /// </summary>
    private static bool? Fits(string text, int start, List<(char Character, bool IsWild)> parts)
    {
        var (at, part, star, resume) = (start, 0, -1, 0);
        while (part < parts.Count)
        {
            var (c, wild) = parts[part];
            if (wild && c == '*')
            {
                (star, resume) = (part, at);
                part++;
            }
            else if (at < text.Length && ((wild && c == '?') || (!wild && char.ToUpperInvariant(text[at]) == char.ToUpperInvariant(c))))
            {
                at++;
                part++;
            }
            else if (star >= 0 && resume < text.Length)
            {
                (part, at) = (star + 1, ++resume);
            }
            else
            {
                return star >= 0 ? null : false;
            }
        }

        return true;
    }
}
