using System.Text.RegularExpressions;

namespace UprightMirror.Core.Remembered;

/// <summary>What a record is held for, without what is only this record's: those that are held for the same come together, so that one fix can free many.</summary>
/// <param name="Pattern">The reason with an ellipsis for each value in it.</param>
/// <param name="Value">The first value that stands in it; null where none does.</param>
public sealed partial record HeldReason(string Pattern, string? Value)
{
    /// <param name="reason">The reason as it was kept, which may begin with the record that it is of.</param>
    /// <param name="recordId">The record's id in its system; empty where it has none there.</param>
    /// <param name="title">What people call it.</param>
    /// <param name="answer">What the system itself said; null for nothing.</param>
    public static HeldReason Of(string reason, string recordId, string title, string? answer)
    {
        var rest = reason;
        if (recordId.Length > 0 && reason.IndexOf($" {recordId}: ", StringComparison.Ordinal) is >= 0 and var at && reason.IndexOf(':', StringComparison.Ordinal) >= at)
        {
            rest = reason[(at + recordId.Length + 3)..];
        }

        var said = Without(answer ?? "", recordId, title);
        rest = Without(rest, recordId, title);
        var value = Quoted().Match(rest) is { Success: true } found ? found.Groups[1].Value : null;
        var pattern = Quoted().Replace(rest, "…");
        return new HeldReason(said.Length == 0 ? pattern : $"{pattern.TrimEnd('.')}. It said: {Digits().Replace(Quoted().Replace(said, "…"), "…")}", value);
    }

    private static string Without(string text, string recordId, string title)
    {
        foreach (var own in new[] { title, recordId })
        {
            text = own.Length > 0 ? text.Replace(own, "…", StringComparison.Ordinal) : text;
        }

        return text;
    }

    [GeneratedRegex("\"((?:[^\"]|\"\")*)\"")]
    private static partial Regex Quoted();

    [GeneratedRegex(@"\d+(?:[.,]\d+)*")]
    private static partial Regex Digits();
}
