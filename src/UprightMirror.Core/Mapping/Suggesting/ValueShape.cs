using System.Globalization;
using System.Text.RegularExpressions;

namespace UprightMirror.Core.Mapping.Suggesting;

/// <summary>What kind of thing a value looks like.</summary>
internal enum Look : byte
{
    YesNo,
    Whole,
    Decimal,
    Date,
    Moment,
    Mail,
    Web,
    Phone,
    Postcode,
    ShortCode,
    Code,
    Word,
    Words,
    Prose,
}

/// <summary>What a field's values are like, taken together: of which kinds, how long, how many different, and in which range.</summary>
internal sealed partial class ValueShape
{
    private static readonly int Looks = Enum.GetValues<Look>().Length;

    /// <summary>Kinds that can be one thing written in two ways: groups of them.</summary>
    private static readonly int[] Family = [0, 1, 1, 2, 2, 3, 4, 5, 6, 7, 7, 8, 8, 9];

    private ValueShape(double[] looks, int count, HashSet<string> distinct, double length, double? low, double? high) =>
        (this.Shares, this.Count, this.Distinct, this.Length, this.Low, this.High) = (looks, count, distinct, length, low, high);

    /// <summary>The share of each kind among the values.</summary>
    public double[] Shares { get; }

    /// <summary>How many values there are that are not empty.</summary>
    public int Count { get; }

    /// <summary>The different values, brought to one case and without spaces.</summary>
    public HashSet<string> Distinct { get; }

    public double Length { get; }

    public double? Low { get; }

    public double? High { get; }

    public static ValueShape Of(IEnumerable<string> samples)
    {
        var looks = new double[Looks];
        var distinct = new HashSet<string>(StringComparer.Ordinal);
        var (count, length) = (0, 0.0);
        double? low = null, high = null;
        foreach (var sample in samples)
        {
            var value = sample.Trim();
            if (value.Length == 0)
            {
                continue;
            }

            count++;
            length += value.Length;
            looks[(int)LookOf(value)]++;
            distinct.Add(Plain(value));
            if (double.TryParse(value, NumberStyles.Float, CultureInfo.InvariantCulture, out var number))
            {
                (low, high) = (Math.Min(low ?? number, number), Math.Max(high ?? number, number));
            }
        }

        for (var i = 0; i < looks.Length && count > 0; i++)
        {
            looks[i] /= count;
        }

        return new ValueShape(looks, count, distinct, count == 0 ? 0 : length / count, low, high);
    }

    /// <summary>How well two fields' values could be the same things, from -1 (they can't be) to 1; 0 where nothing is known.</summary>
    /// <param name="shared">How many different values they have in common.</param>
    public static double Likeness(ValueShape a, ValueShape b, int shared)
    {
        if (a.Count == 0 || b.Count == 0)
        {
            return 0;
        }

        double same = 0, family = 0;
        Span<double> fa = stackalloc double[10], fb = stackalloc double[10];
        for (var i = 0; i < Looks; i++)
        {
            same += Math.Min(a.Shares[i], b.Shares[i]);
            fa[Family[i]] += a.Shares[i];
            fb[Family[i]] += b.Shares[i];
        }

        for (var i = 0; i < fa.Length; i++)
        {
            family += Math.Min(fa[i], fb[i]);
        }

        // A code may stand for words, and a telephone number or postcode may be all digits.
        var strange = fa[3] + fb[3] > 0.5 || fa[4] + fb[4] > 0.5 || fa[2] + fb[2] > 0.5 || fa[0] + fb[0] > 1;
        var kind = same > 0.6 ? 0.35 : family > 0.6 ? 0.2 : family < 0.15 ? (strange ? -1 : -0.35) : 0;
        if (family >= 0.6 && (fa[3] > 0.5 || fa[4] > 0.5 || fa[5] > 0.5))
        {
            kind = 0.5; // E-mail addresses, web addresses and telephone numbers are few among fields.
        }

        var least = Math.Min(a.Distinct.Count, b.Distinct.Count);
        var overlap = least == 0 ? 0 : shared / (double)least;
        var telling = Math.Min(1, Math.Log(1 + least) / Math.Log(12));
        var longer = Math.Abs(Math.Log((a.Length + 1) / (b.Length + 1)));
        var range = a.Low is { } la && b.Low is { } lb && fa[1] > 0.8 && fb[1] > 0.8 && overlap < 0.1 && (la > b.High || lb > a.High) ? -0.25 : 0;
        return Math.Clamp(kind + (overlap * telling * 0.9) - (longer > 1.2 && overlap < 0.1 && kind < 0.5 ? 0.2 : 0) + range, -1, 1);
    }

    internal static string Plain(string value) => string.Create(value.Length, value, (into, from) =>
    {
        for (var i = 0; i < from.Length; i++)
        {
            into[i] = char.ToLowerInvariant(from[i]);
        }
    });

    internal static Look LookOf(string value)
    {
        if (value.Length <= 5 && value.ToLowerInvariant() is "true" or "false" or "yes" or "no" or "y" or "n" or "ja" or "nei" or "nein")
        {
            return Look.YesNo;
        }

        if (value.Contains('@', StringComparison.Ordinal) && Mail().IsMatch(value))
        {
            return Look.Mail;
        }

        if (value.Length > 80)
        {
            return Look.Prose;
        }

        var digits = value.Count(char.IsAsciiDigit);
        if (digits > 0)
        {
            if (Moment().IsMatch(value))
            {
                return Look.Moment;
            }

            if (Date().IsMatch(value))
            {
                return Look.Date;
            }

            if ((value[0] is '+' or '(' || (value[0] == '0' && digits is >= 9 and <= 12)) && digits >= 7 && Phone().IsMatch(value))
            {
                return Look.Phone;
            }

            if (digits is >= 8 and <= 13 && value.Any(c => c is ' ' or '-') && Phone().IsMatch(value))
            {
                return Look.Phone;
            }

            if (Whole().IsMatch(value))
            {
                return value.Length > 1 && value[0] == '0' ? Look.Code : Look.Whole;
            }

            if (Amount().IsMatch(value))
            {
                return Look.Decimal;
            }

            if (Web().IsMatch(value))
            {
                return Look.Web;
            }

            if (Postcode().IsMatch(value))
            {
                return Look.Postcode;
            }

            return value.Contains(' ', StringComparison.Ordinal) ? (value.Length > 50 ? Look.Prose : Look.Words) : Look.Code;
        }

        return Web().IsMatch(value) ? Look.Web
            : value.Length <= 3 && value.All(char.IsAsciiLetterUpper) ? Look.ShortCode
            : value.Contains(' ', StringComparison.Ordinal) ? (value.Length > 50 ? Look.Prose : Look.Words)
            : Look.Word;
    }

    [GeneratedRegex(@"^[^@\s]+@[^@\s]+\.[^@\s]+$", RegexOptions.NonBacktracking)]
    private static partial Regex Mail();

    [GeneratedRegex(@"^\d{4}-\d\d-\d\d[T ]\d\d:\d\d|^\d{1,2}[./]\d{1,2}[./]\d{2,4} \d{1,2}:\d\d", RegexOptions.NonBacktracking)]
    private static partial Regex Moment();

    [GeneratedRegex(@"^(\d{4}[-/.]\d{1,2}[-/.]\d{1,2}|\d{1,2}[-/.]\d{1,2}[-/.]\d{2,4}|\d{1,2}[ -][A-Za-z]{3,9}[ -]\d{2,4}|[A-Za-z]{3,9} \d{1,2}, \d{4}|(19|20)\d\d(0[1-9]|1[0-2])(0[1-9]|[12]\d|3[01]))$", RegexOptions.NonBacktracking)]
    private static partial Regex Date();

    [GeneratedRegex(@"^\+?[\d ()/.-]{6,22}( ?(x|ext\.?) ?\d{1,6})?$", RegexOptions.NonBacktracking)]
    private static partial Regex Phone();

    [GeneratedRegex(@"^-?\d+$", RegexOptions.NonBacktracking)]
    private static partial Regex Whole();

    [GeneratedRegex(@"^[€$£]?-?\d[\d.,' ]*[.,]\d{1,6} ?[€%]?$|^\d+(\.\d+)? ?%$", RegexOptions.NonBacktracking)]
    private static partial Regex Amount();

    [GeneratedRegex(@"^(https?://|www\.)\S+$|^[a-z0-9-]+(\.[a-z0-9-]+)*\.(example|com|org|net|no|ie|nl|de|nz|uk|eu|io)(/\S*)?$", RegexOptions.NonBacktracking | RegexOptions.IgnoreCase)]
    private static partial Regex Web();

    [GeneratedRegex(@"^[A-Z]{1,2}\d[A-Z\d]? ?\d[A-Z]{2}$|^\d{4} ?[A-Z]{2}$|^[A-Z]\d\d ?[A-Z\d]{4}$|^[A-Z]\d[A-Z] ?\d[A-Z]\d$", RegexOptions.NonBacktracking)]
    private static partial Regex Postcode();
}
