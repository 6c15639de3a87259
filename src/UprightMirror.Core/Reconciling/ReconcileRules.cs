using System.Collections.Immutable;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Reconciling;

/// <summary>How one agreed field is settled.</summary>
/// <param name="Name">The agreed field's name.</param>
/// <param name="Rule">Decides when several sides changed it.</param>
/// <param name="FirstMeeting">Decides when sides that never met say different things.</param>
/// <param name="Group">Fields with the same group are settled as one, by the rules of the first of them; null for a field on its own.</param>
/// <param name="EmptyTravels">Whether emptying the field on one side empties it on the others.</param>
public sealed record FieldRules(string Name, FieldType Type, SettlingRule Rule, SettlingRule FirstMeeting, string? Group = null, bool EmptyTravels = true)
{
    /// <summary>For a field that nobody gives and that is made of others; null for one that sides give.</summary>
    public WorkedOut? WorkedOut { get; init; }
}

/// <summary>What happens to an edit on a side that takes a field and does not give it.</summary>
public enum Drift
{
    PutBack,
    Leave,
    Hold,
}

/// <summary>What the removal of a record on a side means for the others.</summary>
public enum Removal
{
    Ask,
    RemoveElsewhere,
    ForgetLink,
    CreateAgain,
}

/// <summary>What becomes of a linked record that a side's scope does not cover any more.</summary>
public enum Leaving
{
    /// <summary>Nothing of it is read or written on any side until it comes back.</summary>
    StopFollowing,

    /// <summary>It is removed on the sides that only follow: those that give nothing and may remove.</summary>
    RemoveFollowers,
}

/// <summary>One side's part: the arrays hold one entry for each field, in the mirror's order of fields.</summary>
public sealed record SideRules(string Name, ImmutableArray<bool> Gives, ImmutableArray<bool> Takes, ImmutableArray<Drift> Drift, Removal Removal = Removal.Ask)
{
    /// <summary>Whether a record that this side lacks is created here.</summary>
    public bool MayCreate { get; init; } = true;

    /// <summary>Whether a record may be removed here because it was removed elsewhere.</summary>
    public bool MayRemove { get; init; }

    /// <summary>What becomes of a record that this side's scope does not cover any more.</summary>
    public Leaving Leaving { get; init; }
}

/// <summary>The rules of one mirror, laid out for reconciling many records. Made once, read by any number of threads.</summary>
public sealed class ReconcileRules
{
    public ReconcileRules(ImmutableArray<FieldRules> fields, ImmutableArray<SideRules> sides)
    {
        this.Fields = fields;
        this.Sides = sides;
        this.SideNames = [.. sides.Select(s => s.Name)];
        this.Units = [.. fields
            .Select((field, index) => (Key: field.Group is null ? (false, field.Name) : (true, field.Group), index))
            .GroupBy(f => f.Key, f => f.index)
            .Select((unit, index) => new Unit(index, [.. unit], fields[unit.First()].Rule, fields[unit.First()].FirstMeeting,
                [.. Enumerable.Range(0, sides.Length).Where(s => unit.Any(f => sides[s].Gives[f]))]))];
        this.WorkedOut = Reconciling.WorkedOut.Order(fields);
        this.UnitOfField = [.. fields.Select((_, field) => this.Units.First(u => u.Fields.Contains(field)).Index)];
    }

    public ImmutableArray<FieldRules> Fields { get; }

    public ImmutableArray<SideRules> Sides { get; }

    public ImmutableArray<string> SideNames { get; }

    /// <summary>The worked-out fields, each after those that it is made of.</summary>
    public ImmutableArray<int> WorkedOut { get; }

    /// <summary>What is settled as one: a field group, or a field on its own.</summary>
    internal ImmutableArray<Unit> Units { get; }

    internal ImmutableArray<int> UnitOfField { get; }

    internal sealed record Unit(int Index, ImmutableArray<int> Fields, SettlingRule Rule, SettlingRule FirstMeeting, ImmutableArray<int> Givers);
}
