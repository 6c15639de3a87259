using System.Collections.Immutable;

namespace UprightMirror.Core.Matching.Comparing;

/// <summary>Texts that are the same or not, whatever their case, marks and signs: a category, a segment, a language.</summary>
public sealed class ExactComparator : Comparator
{
    public override string Kind => "text";

    public override string Words => "text";

    public override ImmutableArray<string> Parts { get; } = ["text"];

    public override ImmutableArray<Level> Levels { get; } = [new("different", 0.15, 1), new("the same", 0.85, 0.2)];

    public override Prepared? Prepare(IReadOnlyList<string> parts) => Folding.Words(parts[0]) is { Length: > 0 } text ? new Category(text) : null;

    public override int Compare(Prepared a, Prepared b) => a.Text == b.Text ? 1 : Different;

    /// <summary>Too many records share one: never a reason to compare two.</summary>
    private sealed record Category(string Text) : Prepared(Text)
    {
        public override IEnumerable<string> Keys => [];
    }
}
