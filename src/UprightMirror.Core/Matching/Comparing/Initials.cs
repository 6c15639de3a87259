namespace UprightMirror.Core.Matching.Comparing;

/// <summary>Names that are cut to their first letters: J., J B, or JB for Jan Bram.</summary>
public static class Initials
{
    /// <summary>Whether one of two names, folded, may be the other cut to initials. Two full names never are.</summary>
    public static bool Fit(string a, string b) => (IsInitials(a) && Begins(a, b)) || (IsInitials(b) && Begins(b, a));

    /// <summary>Whether a name is nothing but initials: single letters with spaces between, or one letter.</summary>
    public static bool IsInitials(string name) => name.Length > 0 && name.Split(' ').All(w => w.Length == 1);

    private static bool Begins(string initials, string name)
    {
        var (letters, words) = (initials.Split(' '), name.Split(' '));
        return words.Length > 0 && name.Length > 0 && letters.Zip(words).All(p => p.Second.StartsWith(p.First, StringComparison.Ordinal));
    }
}
