using System.Collections.Immutable;

namespace UprightMirror.Web.SigningIn;

/// <summary>The words by which a field's name shows that it says who somebody is, or where to find them.</summary>
/// <param name="words">Looked for anywhere in a name, without spaces, signs and case. None: nothing counts as personal by its field.</param>
public sealed class PersonalNames(IEnumerable<string> words)
{
    public const int MostWords = 200;
    public const int LongestWord = 60;

    private readonly ImmutableArray<string> words = [.. words.Select(Plain).Where(w => w.Length > 0).Distinct()];

    /// <summary>Whether a field of this name, or at this path, is personal.</summary>
    public bool Cover(string? field) => field is not null && Plain(field) is { Length: > 0 } plain && this.words.Any(w => plain.Contains(w, StringComparison.Ordinal));

    private static string Plain(string name) => string.Concat(name.Where(char.IsLetterOrDigit)).ToLowerInvariant();
}
