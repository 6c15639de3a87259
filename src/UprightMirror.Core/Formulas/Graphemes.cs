using System.Globalization;

namespace UprightMirror.Core.Formulas;

/// <summary>Text as a reader counts it: by user-perceived characters (Unicode Standard Annex 29), whatever they are made of.</summary>
public static class Graphemes
{
    /// <summary>How many a reader would count.</summary>
    public static int Count(string text)
    {
        if (IsSimple(text))
        {
            return text.Length;
        }

        var count = 0;
        for (var at = 0; at < text.Length; at += StringInfo.GetNextTextElementLength(text, at))
        {
            count++;
        }

        return count;
    }

    /// <summary>Where the character number <paramref name="index"/> (from 0) begins; the text's end when it has no so many.</summary>
    public static int Start(string text, int index)
    {
        if (IsSimple(text))
        {
            return Math.Min(index, text.Length);
        }

        var at = 0;
        for (; index > 0 && at < text.Length; index--)
        {
            at += StringInfo.GetNextTextElementLength(text, at);
        }

        return at;
    }

    /// <summary>Which character (from 0) stands at a place of the text.</summary>
    public static int IndexOf(string text, int place) => IsSimple(text) ? place : Count(text[..place]);

    /// <summary>A part of a text, counted as a reader does.</summary>
    public static string Part(string text, int index, int count)
    {
        var start = Start(text, index);
        return text.Substring(start, Start(text[start..], count));
    }

    /// <summary>Letters below the combining marks, and no line ends: each unit is a character.</summary>
    private static bool IsSimple(string text) => !text.AsSpan().ContainsAnyExceptInRange(' ', '\u02FF');
}
