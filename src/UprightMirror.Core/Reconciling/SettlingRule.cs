using System.Collections.Immutable;
using System.Globalization;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Reconciling;

/// <summary>One competing value of a field (or of a field group, as one value) and the side that says it.</summary>
/// <param name="Side">Index of the side, or <see cref="Person"/> when a person decided it and the sides have not been told yet.</param>
/// <param name="Values">One value for each field of the unit, in the unit's order.</param>
/// <param name="ChangedAt">When it was changed, by the side's own clock; null when the side does not say.</param>
public readonly record struct Candidate(int Side, ImmutableArray<Value> Values, DateTimeOffset? ChangedAt)
{
    /// <summary>Stands for a person where a side's index is expected.</summary>
    public const int Person = -1;

    /// <summary>Stands for the mirror itself: the value was worked out of others.</summary>
    public const int WorkedOut = -2;

    public bool IsEmpty => this.Values.All(v => v.IsEmpty);

    public bool SaysTheSameAs(Candidate other) => this.Values.AsSpan().SequenceEqual(other.Values.AsSpan());
}

/// <summary>What a rule came to: a value and why, or null values when only a person may decide.</summary>
public readonly record struct Verdict(ImmutableArray<Value> Values, int Side, DateTimeOffset? ChangedAt, string Why)
{
    public bool IsConflict => this.Values.IsDefault;

    public static Verdict Take(Candidate candidate, string why) => new(candidate.Values, candidate.Side, candidate.ChangedAt, why);

    public static Verdict Conflict(string why) => new(default, Candidate.Person, null, why);
}

/// <summary>
/// Decides between different values of one field. Pure, and blind to the order in which the candidates are looked at (law L5):
/// whatever a rule can't tell apart falls to rank, and ranks are distinct.
/// </summary>
/// <param name="Rank">Every side once, the one that counts most first.</param>
public abstract record SettlingRule(ImmutableArray<int> Rank)
{
    /// <summary>The rule's name in definitions and scenarios.</summary>
    public abstract string Name { get; }

    /// <summary>The rule in words that fit after "by": "rank", "latest change".</summary>
    public abstract string Words { get; }

    /// <summary>True when the rule also judges a change that nobody contradicts.</summary>
    public virtual bool JudgesSingleChanges => false;

    /// <summary>Decides between candidates that do not all say the same (or a single one, for a rule that judges those too).</summary>
    public abstract Verdict Decide(ImmutableArray<Candidate> candidates, ImmutableArray<Value> before, IReadOnlyList<string> sides);

    /// <summary>Every side once: those named first, the others after them in the mirror's own order.</summary>
    public static ImmutableArray<int> FullRank(IEnumerable<int> named, int sides) =>
        [.. named.Concat(Enumerable.Range(0, sides)).Distinct()];

    /// <summary>The candidate whose side stands highest in the rank; a person stands above every side.</summary>
    protected Candidate Highest(IEnumerable<Candidate> candidates)
    {
        var rank = this.Rank;
        return candidates.MinBy(c => c.Side == Candidate.Person ? -1 : rank.IndexOf(c.Side));
    }

    protected static string NameOf(Candidate candidate, IReadOnlyList<string> sides) =>
        candidate.Side == Candidate.Person ? "a person's decision" : sides[candidate.Side];

    /// <summary>Takes the best by <paramref name="score"/>; equals fall to rank.</summary>
    protected Verdict Best<T>(ImmutableArray<Candidate> candidates, Func<Candidate, T> score, IComparer<T> comparer, IReadOnlyList<string> sides, string because)
    {
        var best = candidates.Select(score).Max(comparer)!;
        var top = candidates.Where(c => comparer.Compare(score(c), best) == 0).ToImmutableArray();
        var winner = this.Highest(top);
        var tie = top.Any(c => !c.SaysTheSameAs(winner));
        return Verdict.Take(winner, tie
            ? $"{because} did not tell them apart, so {NameOf(winner, sides)} counts by rank"
            : $"{because}: {NameOf(winner, sides)}");
    }
}

public sealed record ByRank(ImmutableArray<int> Rank) : SettlingRule(Rank)
{
    public override string Name => "rank";

    public override string Words => "rank";

    public override Verdict Decide(ImmutableArray<Candidate> candidates, ImmutableArray<Value> before, IReadOnlyList<string> sides)
    {
        var winner = this.Highest(candidates);
        return Verdict.Take(winner, $"{NameOf(winner, sides)} ranks first");
    }
}

public sealed record Latest(ImmutableArray<int> Rank) : SettlingRule(Rank)
{
    public override string Name => "latest";

    public override string Words => "latest change";

    public override Verdict Decide(ImmutableArray<Candidate> candidates, ImmutableArray<Value> before, IReadOnlyList<string> sides)
    {
        if (candidates.Any(c => c.ChangedAt is null))
        {
            var winner = this.Highest(candidates);
            return Verdict.Take(winner, $"a change time is missing, so {NameOf(winner, sides)} counts by rank");
        }

        return this.Best(candidates, c => c.ChangedAt!.Value, Comparer<DateTimeOffset>.Default, sides, "the latest change");
    }
}

/// <summary>An ordered list of states that is never walked backwards, whoever wrote last (law L9).</summary>
public sealed record FurthestAlong(ImmutableArray<int> Rank, ImmutableArray<string> States) : SettlingRule(Rank)
{
    public override string Name => "furthest";

    public override string Words => "furthest along";

    public override bool JudgesSingleChanges => true;

    public override Verdict Decide(ImmutableArray<Candidate> candidates, ImmutableArray<Value> before, IReadOnlyList<string> sides)
    {
        if (candidates.FirstOrDefault(c => !c.Values[0].IsEmpty && this.Position(c.Values[0]) < 0) is { Values.IsDefault: false } unknown)
        {
            return Verdict.Conflict($"\"{unknown.Values[0]}\" in {NameOf(unknown, sides)} is not one of the states {string.Join(", ", this.States)}");
        }

        var furthest = candidates.Max(c => this.Position(c.Values[0]));
        if (furthest < this.Position(before[0]))
        {
            return new Verdict(before, Candidate.Person, null, $"furthest along: it is \"{before[0]}\" already, and a step back is not taken");
        }

        return this.Best(candidates, c => this.Position(c.Values[0]), Comparer<int>.Default, sides, "furthest along");
    }

    /// <summary>How far along a state is; -1 for empty and for a state that is not in the list.</summary>
    private int Position(Value state) => this.States.IndexOf(state.Display);
}

public sealed record Fullest(ImmutableArray<int> Rank) : SettlingRule(Rank)
{
    public override string Name => "fullest";

    public override string Words => "fullest value";

    public override Verdict Decide(ImmutableArray<Candidate> candidates, ImmutableArray<Value> before, IReadOnlyList<string> sides) =>
        this.Best(candidates, c => (c.Values.Count(v => !v.IsEmpty), c.Values.Sum(Length)), Comparer<(int, int)>.Default, sides, "the fullest value");

    /// <summary>Letters as a reader counts them; items, for a list.</summary>
    private static int Length(Value value) => value is ListValue list ? list.Items.Length : new StringInfo(value.Display).LengthInTextElements;
}

public sealed record GreatestOrLeast(ImmutableArray<int> Rank, bool IsGreatest) : SettlingRule(Rank)
{
    public override string Name => this.IsGreatest ? "greatest" : "least";

    public override string Words => this.IsGreatest ? "greatest value" : "least value";

    public override Verdict Decide(ImmutableArray<Candidate> candidates, ImmutableArray<Value> before, IReadOnlyList<string> sides)
    {
        var filled = candidates.Where(c => !c.IsEmpty).ToImmutableArray();
        var amounts = Comparer<Candidate>.Create((a, b) => a.Values.Zip(b.Values, Compare).FirstOrDefault(c => c != 0));
        var order = this.IsGreatest ? amounts : Comparer<Candidate>.Create((a, b) => amounts.Compare(b, a));
        return this.Best(filled, c => c, order, sides, this.IsGreatest ? "the greatest" : "the least");
    }

    private static int Compare(Value a, Value b) => (a, b) switch
    {
        (NumberValue x, NumberValue y) => x.Amount.CompareTo(y.Amount),
        (DateValue x, DateValue y) => x.Date.CompareTo(y.Date),
        (DateTimeValue x, DateTimeValue y) => x.Instant.CompareTo(y.Instant),
        _ => a.IsEmpty.CompareTo(b.IsEmpty) is var emptiness and not 0 ? -emptiness : string.CompareOrdinal(a.Display, b.Display),
    };
}

/// <summary>Keeps what any side says: the union of lists. What came from the higher-ranked side stands first.</summary>
public sealed record AllOfThem(ImmutableArray<int> Rank) : SettlingRule(Rank)
{
    public override string Name => "union";

    public override string Words => "all of them";

    public override Verdict Decide(ImmutableArray<Candidate> candidates, ImmutableArray<Value> before, IReadOnlyList<string> sides)
    {
        var inRank = candidates.OrderBy(c => c.Side == Candidate.Person ? -1 : this.Rank.IndexOf(c.Side)).ToList();
        var union = before.Select((_, field) => Value.List(inRank.SelectMany(c => c.Values[field] is ListValue list ? list.Items : [])));
        return new Verdict([.. union], inRank[0].Side, inRank.Max(c => c.ChangedAt), $"all of them, from {string.Join(" and ", inRank.Select(c => NameOf(c, sides)))}");
    }
}

public sealed record Ask(ImmutableArray<int> Rank) : SettlingRule(Rank)
{
    public override string Name => "ask";

    public override string Words => "asking a person";

    public override Verdict Decide(ImmutableArray<Candidate> candidates, ImmutableArray<Value> before, IReadOnlyList<string> sides) =>
        Verdict.Conflict($"{string.Join(" and ", candidates.OrderBy(c => c.Side).Select(c => NameOf(c, sides)))} changed it differently");
}
