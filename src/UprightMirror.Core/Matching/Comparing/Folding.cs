using System.Collections.Frozen;
using System.Text;

namespace UprightMirror.Core.Matching.Comparing;

/// <summary>
/// Text as people compare it: small letters, without marks, without signs. By a table of its own, since not every machine has the data that
/// Unicode's decomposition needs. Scripts that the table does not know stay as they are.
/// </summary>
public static class Folding
{
    private static readonly FrozenDictionary<char, string> Plain = new Dictionary<string, string>
    {
        ["àáâãäåāăąǎǟǡǻȁȃȧḁạảấầẩẫậắằẳẵặ"] = "a",
        ["æǣǽ"] = "ae",
        ["ḃḅḇƀɓ"] = "b",
        ["çćĉċčḉ"] = "c",
        ["ďđḋḍḏḑḓð"] = "d",
        ["èéêëēĕėęěȅȇȩḕḗḙḛẹẻẽếềểễệ"] = "e",
        ["ḟƒ"] = "f",
        ["ĝğġģǧǵḡ"] = "g",
        ["ĥħȟḣḥḧḩḫ"] = "h",
        ["ìíîïĩīĭįıǐȉȋḭḯỉị"] = "i",
        ["ĵǰ"] = "j",
        ["ķǩḱḳḵ"] = "k",
        ["ĺļľŀłḷḹḻḽ"] = "l",
        ["ḿṁṃ"] = "m",
        ["ñńņňŉǹṅṇṉṋ"] = "n",
        ["òóôõōŏőǒǫǭȍȏȫȭȯȱṍṏṑṓọỏốồổỗộớờởỡợơ"] = "o",
        ["öøǿ"] = "o",
        ["œ"] = "oe",
        ["ṕṗ"] = "p",
        ["ŕŗřȑȓṙṛṝṟ"] = "r",
        ["śŝşšșṡṣṥṧṩ"] = "s",
        ["ß"] = "ss",
        ["ţťŧțṫṭṯṱ"] = "t",
        ["þ"] = "th",
        ["ùúûũūŭůűųǔǖǘǚǜȕȗṳṵṷṹṻụủứừửữựüư"] = "u",
        ["ṽṿ"] = "v",
        ["ŵẁẃẅẇẉ"] = "w",
        ["ẋẍ"] = "x",
        ["ýÿŷȳẏỳỵỷỹ"] = "y",
        ["źżžẑẓẕƶ"] = "z",
        ["άὰᾶἀἁ"] = "α",
        ["έὲ"] = "ε",
        ["ήὴ"] = "η",
        ["ίϊΐὶ"] = "ι",
        ["όὸ"] = "ο",
        ["ύϋΰὺ"] = "υ",
        ["ώὼ"] = "ω",
        ["ς"] = "σ",
        ["ё"] = "е",
        ["й"] = "и",
    }.SelectMany(p => p.Key.Select(c => KeyValuePair.Create(c, p.Value))).DistinctBy(p => p.Key).ToFrozenDictionary();

    /// <summary>Small letters without marks; whatever is no letter or digit becomes one space between words. Apostrophes and points within a word fall away.</summary>
    public static string Words(string text)
    {
        var made = new StringBuilder(text.Length);
        var gap = false;
        foreach (var letter in text)
        {
            var c = char.ToLowerInvariant(letter);
            if (char.IsAsciiLetterOrDigit(c))
            {
                Gap();
                made.Append(c);
            }
            else if (Plain.TryGetValue(c, out var plain))
            {
                Gap();
                made.Append(plain);
            }
            else if (char.IsLetterOrDigit(c) || char.IsSurrogate(c))
            {
                Gap();
                made.Append(c);
            }
            else if (c is not ('\'' or '’' or '‘' or '`' or '´' or '.') && char.GetUnicodeCategory(c) != System.Globalization.UnicodeCategory.NonSpacingMark)
            {
                gap = true;
            }
        }

        return made.ToString();

        void Gap()
        {
            if (gap && made.Length > 0)
            {
                made.Append(' ');
            }

            gap = false;
        }
    }

    /// <summary>Letters and digits alone, in small letters without marks.</summary>
    public static string Letters(string text) => Words(text).Replace(" ", "", StringComparison.Ordinal);
}
