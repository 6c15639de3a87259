using System.Collections.Immutable;

namespace UprightMirror.Core.Matching.Comparing;

/// <summary>
/// Telephone numbers, however they are written: compared by their last digits, which stay the same with a country code and without. One digit
/// wrong, or two that changed places, is a slip.
/// </summary>
public sealed class PhoneNumbers : Comparator
{
    /// <summary>So many last digits tell a line in one country and mostly in the world.</summary>
    private const int Telling = 8;

    private const int Shortest = 5;

    public override string Kind => "phone";

    public override string Words => "telephone";

    public override ImmutableArray<string> Parts { get; } = ["phone"];

    public override ImmutableArray<Level> Levels { get; } = [new("different", 0.3, 1), new("one digit apart", 0.03, 0.001), new("the same", 0.67, 0.001)];

    public override Prepared? Prepare(IReadOnlyList<string> parts)
    {
        var digits = string.Concat(parts[0].Where(char.IsAsciiDigit)).TrimStart('0');
        return digits.Length >= Shortest ? new Phone(digits[^Math.Min(Telling, digits.Length)..]) : null;
    }

    public override int Compare(Prepared a, Prepared b)
    {
        var (one, other) = (a.Text, b.Text);
        var shared = Math.Min(one.Length, other.Length);
        return one == other || one.AsSpan(one.Length - shared).SequenceEqual(other.AsSpan(other.Length - shared)) ? 2
            : shared >= 7 && DamerauLevenshtein.Distance(one, other, 1) <= 1 ? 1
            : Different;
    }

    private sealed record Phone(string Text) : Prepared(Text)
    {
        public override IEnumerable<string> Keys => [$"t{this.Text[^Math.Min(6, this.Text.Length)..]}"];
    }
}
