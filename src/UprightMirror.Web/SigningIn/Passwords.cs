using System.Security.Cryptography;

namespace UprightMirror.Web.SigningIn;

/// <summary>What a password must be: long, and not what anybody would try first. Nothing is asked of its kinds of characters, after NIST SP 800-63B.</summary>
internal static class Passwords
{
    public const int Shortest = 12;
    public const int Longest = 256;

    private const string Letters = "abcdefghjkmnpqrstuvwxyz23456789";

    /// <summary>What is wrong with a new password, in words; null when nothing is.</summary>
    public static string? Wrong(string password, string email, string name)
    {
        var plain = password.ToLowerInvariant();
        return password.Length is < Shortest or > Longest ? $"A password has {Shortest} to {Longest} characters. Several words are easy to remember."
            : plain.Distinct().Count() < 5 || "0123456789abcdefghijklmnopqrstuvwxyz0123456789qwertyuiopasdfghjkl".Contains(plain, StringComparison.Ordinal) || plain.StartsWith("password", StringComparison.Ordinal) ? "That is among the first that anybody would try. Take several words that do not belong together."
            : plain.Contains(email.Split('@')[0].ToLowerInvariant(), StringComparison.Ordinal) && plain.Length < email.Split('@')[0].Length + 8 || plain == name.ToLowerInvariant() ? "A password is not one's own name or address."
            : null;
    }

    /// <summary>A first password, to be read out and typed once.</summary>
    public static string Made() => string.Join('-', Enumerable.Range(0, 4).Select(_ => RandomNumberGenerator.GetString(Letters, 4)));
}
