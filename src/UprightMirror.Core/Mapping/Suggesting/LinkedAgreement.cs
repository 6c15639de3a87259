using System.Globalization;

namespace UprightMirror.Core.Mapping.Suggesting;

/// <summary>How often records that are known to be one thing say the same in a field of one side and a field of the other.</summary>
internal sealed class LinkedAgreement
{
    /// <summary>Fewer records that say something in both fields tell nothing.</summary>
    private const int FewestTogether = 6;

    /// <summary>Of more records nothing more is learned.</summary>
    private const int MostLooked = 400;

    private readonly int[,] together;
    private readonly int[,] same;
    private readonly Dictionary<(int Left, int Right), Dictionary<string, int>> what = [];

    private LinkedAgreement(int left, int right) => (this.together, this.same) = (new int[left, right], new int[left, right]);

    public static LinkedAgreement Of(IReadOnlyList<FieldSketch> left, IReadOnlyList<FieldSketch> right, IReadOnlyList<(RawFields Left, RawFields Right)> linked)
    {
        var found = new LinkedAgreement(left.Count, right.Count);
        foreach (var (one, other) in linked.Take(MostLooked))
        {
            var (saysLeft, saysRight) = (Says(left, one), Says(right, other));
            foreach (var (i, said) in saysLeft)
            {
                foreach (var (j, its) in saysRight)
                {
                    found.together[i, j]++;
                    if (said == its)
                    {
                        found.same[i, j]++;
                        if (!found.what.TryGetValue((i, j), out var values))
                        {
                            found.what[(i, j)] = values = new Dictionary<string, int>(StringComparer.Ordinal);
                        }

                        values[said] = values.GetValueOrDefault(said) + 1;
                    }
                }
            }
        }

        return found;
    }

    /// <summary>0 where nothing is known or little agrees; 1 where all that is said on both sides is the same.</summary>
    public double Strength(int left, int right) => this.IsByChance(left, right) ? 0 : Math.Max(0, (((double)this.same[left, right] / this.together[left, right]) - 0.3) / 0.7);

    /// <summary>What is known, in words; null where that is nothing.</summary>
    public string? Words(int left, int right) => this.Strength(left, right) > 0.2 ? string.Create(CultureInfo.InvariantCulture, $"{this.same[left, right]} of {this.together[left, right]} linked records say the same") : null;

    /// <summary>Records may agree because nearly all of them say one thing: yes, or EUR.</summary>
    private bool IsByChance(int left, int right) =>
        this.together[left, right] < FewestTogether || !this.what.TryGetValue((left, right), out var values) || values.Count < 3 || values.Values.Max() > 0.6 * this.same[left, right];

    /// <summary>The letters and digits of each field's value; fields that are empty are left out.</summary>
    private static List<(int Field, string Said)> Says(IReadOnlyList<FieldSketch> fields, RawFields record)
    {
        var says = new List<(int, string)>(fields.Count);
        for (var i = 0; i < fields.Count; i++)
        {
            if (record[fields[i].Name] is { IsEmpty: false } value)
            {
                var letters = string.Concat(value.Display.Where(char.IsLetterOrDigit)).ToLowerInvariant();
                if (letters.Length > 0)
                {
                    says.Add((i, letters));
                }
            }
        }

        return says;
    }
}
