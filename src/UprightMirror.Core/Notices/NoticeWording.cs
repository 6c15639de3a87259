using System.Collections.Immutable;
using System.Text;

namespace UprightMirror.Core.Notices;

/// <summary>A text in which a name in braces stands for what there is to tell: <c>{mirror}: run {run} failed</c>. Braces that are meant themselves are written twice.</summary>
public static class NoticeWording
{
    /// <summary>The longest text that is taken.</summary>
    public const int Longest = 4000;

    /// <summary>A value is told up to here.</summary>
    public const int LongestValue = 1000;

    /// <summary>What is wrong with a text, in words; empty when it can be used.</summary>
    /// <param name="fields">The names that there are.</param>
    public static ImmutableArray<string> Problems(string text, IReadOnlyCollection<string> fields)
    {
        if (text.Length > Longest)
        {
            return [$"A text has at most {Longest:N0} characters."];
        }

        var found = ImmutableArray.CreateBuilder<string>();
        foreach (var part in Parts(text))
        {
            switch (part)
            {
                case { Field: { } name } when !fields.Contains(name, StringComparer.OrdinalIgnoreCase):
                    found.Add($"There is nothing called {{{name}}} to tell here. There is: {string.Join(", ", fields.Select(f => $"{{{f}}}"))}.");
                    break;
                case { Broken: { } at }:
                    found.Add($"The brace at place {at + 1} has no other one. A brace that is meant itself is written twice.");
                    break;
            }
        }

        return [.. found.Distinct()];
    }

    /// <summary>The text with what there is to tell. A name that nothing is known of stands for nothing.</summary>
    public static string Fill(string text, IReadOnlyDictionary<string, string> values)
    {
        var known = values.ToDictionary(v => v.Key, v => v.Value, StringComparer.OrdinalIgnoreCase);
        var filled = new StringBuilder();
        foreach (var part in Parts(text))
        {
            var said = part.Field is { } name ? known.GetValueOrDefault(name) ?? "" : part.Text;
            filled.Append(said.Length > LongestValue ? said[..LongestValue] + "…" : said);
        }

        return filled.ToString();
    }

    /// <param name="Text">What stands there as it is.</param>
    /// <param name="Field">The name in braces.</param>
    /// <param name="Broken">Where a brace without its other one stands, counted from 0.</param>
    private readonly record struct Part(string Text, string? Field = null, int? Broken = null);

    private static IEnumerable<Part> Parts(string text)
    {
        for (var at = 0; at < text.Length;)
        {
            if (text[at] is '{' or '}' && at + 1 < text.Length && text[at + 1] == text[at])
            {
                yield return new Part(text[at].ToString());
                at += 2;
            }
            else if (text[at] == '{' && text.IndexOfAny(['{', '}'], at + 1) is var end && end > 0 && text[end] == '}')
            {
                yield return new Part("", text[(at + 1)..end].Trim());
                at = end + 1;
            }
            else if (text[at] is '{' or '}')
            {
                yield return new Part(text[at].ToString(), null, at);
                at++;
            }
            else
            {
                var next = text.IndexOfAny(['{', '}'], at) is var brace && brace < 0 ? text.Length : brace;
                yield return new Part(text[at..next]);
                at = next;
            }
        }
    }
}
