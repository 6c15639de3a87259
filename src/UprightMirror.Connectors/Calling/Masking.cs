using System.Text.RegularExpressions;

namespace UprightMirror.Connectors.Calling;

/// <summary>Takes out of a text what not everybody may read.</summary>
public static partial class Masking
{
    private const string Mask = "•••";

    /// <summary>Takes out secrets: those that are known, and whatever stands under a name that secrets have.</summary>
    public static string Secrets(string text, IEnumerable<string> known)
    {
        var masked = known.Where(s => s.Length >= 4).OrderByDescending(s => s.Length).Aggregate(text, (t, secret) => t.Replace(secret, Mask, StringComparison.Ordinal));
        return SecretNames().Replace(masked, m => m.Groups["before"].Value + Mask + m.Groups["after"].Value);
    }

    /// <summary>Takes out what says who somebody is: e-mail addresses, telephone numbers, and what stands under names, addresses and dates of birth.</summary>
    public static string Personal(string text)
    {
        var masked = PersonalNames().Replace(text, m => m.Groups["before"].Value + First(m.Groups["value"].Value) + Mask + m.Groups["after"].Value);
        return Contacts(masked);
    }

    /// <summary>Takes out e-mail addresses, and telephone numbers that begin with their country.</summary>
    public static string Contacts(string text) => Telephone().Replace(Mail().Replace(text, m => First(m.Value) + Mask), Mask);

    private static string First(string text) => text.Length > 0 && char.IsLetterOrDigit(text[0]) ? text[..1] : "";

    [GeneratedRegex("""(?<before>"[^"]*(password|secret|token|api_?key|authorization|credential)[^"]*"\s*:\s*")(?<value>(?:[^"\\]|\\.)*)(?<after>"?)""", RegexOptions.IgnoreCase | RegexOptions.NonBacktracking)]
    private static partial Regex SecretNames();

    [GeneratedRegex("""(?<before>"[^"]*(name|mail|phone|mobile|telefon|fax|street|address|postcode|zip|birth|contact|person|changed_?by|updated_?by|modified_?by|created_?by)[^"]*"\s*:\s*")(?<value>(?:[^"\\]|\\.)+)(?<after>"?)""", RegexOptions.IgnoreCase | RegexOptions.NonBacktracking)]
    private static partial Regex PersonalNames();

    [GeneratedRegex("""[\w.+-]+@[\w-]+\.[\w.-]+""", RegexOptions.NonBacktracking)]
    private static partial Regex Mail();

    [GeneratedRegex("""\+\d[\d ()/-]{6,}\d""", RegexOptions.NonBacktracking)]
    private static partial Regex Telephone();
}
