namespace UprightMirror.Core.Formulas;

/// <summary>Characters of one kind that stand one after another: the digits of a code, the words of a name.</summary>
internal static class TextRuns
{
    public static List<string> Of(string text, Func<char, bool> isOfKind)
    {
        var runs = new List<string>();
        for (var at = 0; at < text.Length;)
        {
            var end = at;
            while (end < text.Length && isOfKind(text[end]))
            {
                end++;
            }

            if (end > at)
            {
                runs.Add(text[at..end]);
            }

            at = end + 1;
        }

        return runs;
    }

    /// <summary>The part at a number: 1 is the first, -1 the last; empty when there is none.</summary>
    public static string At(IReadOnlyList<string> parts, int number)
    {
        var index = number > 0 ? number - 1 : parts.Count + number;
        return index >= 0 && index < parts.Count ? parts[index] : "";
    }
}
