using System.Text;

namespace UprightMirror.Core.Matching.Comparing;

/// <summary>A word by its sound, roughly: its first letter and the consonants after it, those that sound alike as one. What typing errors and spellings in other languages mostly leave as it is.</summary>
public static class Skeleton
{
    private const int Longest = 5;

    /// <param name="word">Folded: small letters without marks.</param>
    public static string Of(string word)
    {
        var made = new StringBuilder(Longest);
        var last = '\0';
        for (var i = 0; i < word.Length && made.Length < Longest; i++)
        {
            var sound = Sound(word, ref i);
            if (sound != '\0' && sound != last)
            {
                made.Append(sound);
            }
            else if (made.Length == 0 && sound == '\0')
            {
                made.Append('a'); // A vowel at the beginning, whichever.
            }

            last = sound;
        }

        return made.ToString();
    }

    /// <summary>The sound at a place; nothing for a vowel. Two letters that are one sound take both places.</summary>
    private static char Sound(string word, ref int at)
    {
        var (c, next) = (word[at], at + 1 < word.Length ? word[at + 1] : '\0');
        switch (c)
        {
            case 'p' when next == 'h':
                at++;
                return 'f';
            case 's' when next is 'c' or 'z' && at + 2 < word.Length && word[at + 2] == 'h':
                at += 2;
                return 's';
            case 'c' or 's' or 't' when next == 'h':
                at++;
                return c == 't' ? 't' : 's';
            case 'c' when next == 'k':
                at++;
                return 'k';
            case 'a' or 'e' or 'i' or 'o' or 'u' or 'y' or 'h' or 'w':
                return '\0';
            case 'c' or 'k' or 'q' or 'g' or 'x':
                return 'k';
            case 'b' or 'p':
                return 'p';
            case 'd' or 't':
                return 't';
            case 'f' or 'v':
                return 'f';
            case 's' or 'z' or 'j':
                return 's';
            case 'm' or 'n':
                return 'n';
            default:
                return c;
        }
    }
}
