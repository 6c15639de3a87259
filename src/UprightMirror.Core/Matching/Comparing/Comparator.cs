using System.Collections.Immutable;

namespace UprightMirror.Core.Matching.Comparing;

/// <summary>A level at which two values may agree.</summary>
/// <param name="Words">As it is told: "the same name", "one slip apart".</param>
/// <param name="AmongSame">How often records that are one thing are at this level, before anything is learned; the levels' figures sum up to 1.</param>
/// <param name="AmongDifferent">How often records that are two things are at this level by chance, at most, before anything is learned.</param>
public sealed record Level(string Words, double AmongSame, double AmongDifferent)
{
    /// <summary>True where agreement is typical of two things that have to do with each other: a branch named after its organisation, a child after its parent.</summary>
    public bool IsOfRelatives { get; init; }
}

/// <summary>
/// Compares one kind of thing that records say of themselves. A value is prepared once and compared often: the same preparation, the same value.
/// </summary>
public abstract class Comparator
{
    /// <summary>Level of values that have nothing in common.</summary>
    public const int Different = 0;

    /// <summary>The kind's name, as it is said on the command line.</summary>
    public abstract string Kind { get; }

    /// <summary>What it is in a sentence: "name", "telephone".</summary>
    public abstract string Words { get; }

    /// <summary>The parts that it is made of, such as given and family name, by their names on the command line; itself alone for most.</summary>
    public abstract ImmutableArray<string> Parts { get; }

    /// <summary>From different at 0 to the same at the end.</summary>
    public abstract ImmutableArray<Level> Levels { get; }

    /// <summary>Brings the parts, as they stand in the record, into the form in which they are compared.</summary>
    /// <param name="parts">One text for each of <see cref="Parts"/>; empty where nothing is said.</param>
    /// <returns>Null where nothing is said that could be compared: a missing value speaks neither for nor against.</returns>
    public abstract Prepared? Prepare(IReadOnlyList<string> parts);

    /// <summary>The level at which two values agree. The same in either order.</summary>
    /// <returns>An index of <see cref="Levels"/>, or -1 where they can't be compared.</returns>
    public abstract int Compare(Prepared a, Prepared b);

    /// <summary>This comparator for a set of records, whose words it may weigh by how rare they are.</summary>
    /// <param name="values">The different values, with how many records have each.</param>
    public virtual Comparator For(IReadOnlyList<(Prepared Value, int Count)> values) => this;

    /// <summary>What <see cref="For"/> learned of words: how much each tells, 0 to 1. A word that is not among them tells most.</summary>
    public virtual IReadOnlyDictionary<string, double> WordWeights => ImmutableDictionary<string, double>.Empty;

    /// <summary>This comparator with words weighed as they were learned before.</summary>
    public virtual Comparator With(IReadOnlyDictionary<string, double> wordWeights) => this;

    /// <summary>
    /// What the two have in common at a level: names whose frequencies, multiplied, say how often strangers would have just that in common. Rare
    /// ones count for more. None where the level's own figure must do.
    /// </summary>
    public virtual IEnumerable<string> InCommon(Prepared a, Prepared b, int level) => level == this.Levels.Length - 1 ? a.Names : [];
}

/// <summary>A value as it is compared.</summary>
/// <param name="Text">Tells it from others: two of the same text are the same value.</param>
public abstract record Prepared(string Text)
{
    /// <summary>What its frequency in the data is counted by; each multiplies.</summary>
    public virtual IReadOnlyList<string> Names => [this.Text];

    /// <summary>Texts by which records that may be the same are brought together. Each begins with a sign of its own, so that they never meet another kind's.</summary>
    public virtual IEnumerable<string> Keys => [this.Text];

    /// <summary>Like <see cref="Keys"/>, but many records share each: a reason to compare two only together with another field's.</summary>
    public virtual IEnumerable<string> HalfKeys => [];
}
