using System.Collections.Immutable;

namespace UprightMirror.Core.Matching.Comparing;

/// <summary>Numbers that name a thing, such as a tax registration: the same, or one slip of the hand apart.</summary>
public sealed class NumberComparator : Comparator
{
    /// <summary>Of shorter ones, one slip makes another number.</summary>
    private const int ShortestWithSlips = 6;

    public override string Kind => "number";

    public override string Words => "number";

    public override ImmutableArray<string> Parts { get; } = ["number"];

    public override ImmutableArray<Level> Levels { get; } = [new("different", 0.07, 1), new("one slip apart", 0.03, 0.001), new("the same", 0.9, 0.001)];

    public override Prepared? Prepare(IReadOnlyList<string> parts) => Folding.Letters(parts[0]).TrimStart('0') is { Length: > 0 } text ? new Number(text) : null;

    public override int Compare(Prepared a, Prepared b) =>
        a.Text == b.Text ? 2 : Math.Min(a.Text.Length, b.Text.Length) >= ShortestWithSlips && DamerauLevenshtein.Distance(a.Text, b.Text, 1) <= 1 ? 1 : Different;

    private sealed record Number(string Text) : Prepared(Text)
    {
        public override IEnumerable<string> Keys => this.Text.Length > 2 ? [$"#{this.Text}"] : [];
    }
}
