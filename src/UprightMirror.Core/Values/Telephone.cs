using PhoneNumbers;

namespace UprightMirror.Core.Values;

/// <summary>Telephone numbers between the ways people type them and the one agreed form (E.164).</summary>
public static class Telephone
{
    private static readonly PhoneNumberUtil Rules = PhoneNumberUtil.GetInstance();

    /// <summary>Reads a number as typed. Numbers without a country code are read as of <paramref name="country"/>.</summary>
    /// <param name="typed">As a person typed it: spaces, brackets, dots, "ext 12".</param>
    /// <param name="country">ISO 3166 two-letter code, or null when not known.</param>
    /// <returns>The number, or null when this cannot be a telephone number (too short, too long, no digits, no country).</returns>
    public static PhoneValue? Read(string typed, string? country)
    {
        if (typed.Length > 60)
        {
            return null;
        }

        try
        {
            var number = Rules.Parse(typed, country);
            return Rules.IsPossibleNumber(number)
                ? new PhoneValue(Rules.Format(number, PhoneNumberFormat.E164), number.HasExtension ? number.Extension : null)
                : null;
        }
        catch (NumberParseException)
        {
            return null;
        }
    }

    /// <summary>International form with spaces, for reading: <c>+44 131 496 0210</c>.</summary>
    public static string Spaced(string international) => Formatted(international, PhoneNumberFormat.INTERNATIONAL);

    /// <summary>The national form's digits alone: <c>01314960210</c>.</summary>
    public static string NationalDigits(PhoneValue phone) =>
        string.Concat(Formatted(phone.International, PhoneNumberFormat.NATIONAL).Where(char.IsAsciiDigit));

    private static string Formatted(string international, PhoneNumberFormat format)
    {
        try
        {
            return Rules.Format(Rules.Parse(international, null), format);
        }
        catch (NumberParseException)
        {
            return international;
        }
    }
}
