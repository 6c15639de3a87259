using System.Collections.Immutable;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Reconciling;

/// <summary>Works a field's value out. Pure: the same inputs give the same value within a run.</summary>
/// <param name="inputs">The agreed values of the fields that it is made of, in their order; empty where nothing is agreed.</param>
/// <param name="around">What is known of the record beside its agreed values.</param>
/// <param name="why">Why there is none, in words that fit after the field's name and a colon.</param>
/// <returns>The value, or null when it can't be worked out.</returns>
public delegate Value? WorkOut(IReadOnlyList<Value> inputs, Surroundings around, out string? why);

/// <summary>What fields may be worked out of beside the record's own agreed values.</summary>
/// <param name="Ids">The record's id on each side; null where a side does not have it. Empty where nobody asks.</param>
/// <param name="Linked">What the records of other mirrors that point at it hold, in the order of their links.</param>
public sealed record Surroundings(ImmutableArray<string?> Ids, ImmutableDictionary<LinkedField, ImmutableArray<Value>> Linked)
{
    public static readonly Surroundings None = new([], ImmutableDictionary<LinkedField, ImmutableArray<Value>>.Empty);

    /// <summary>What is known of records that are fetched by a key; null where none can be.</summary>
    public Fetched? Fetched { get; init; }

    /// <summary>The follow-up checks that flag it, by name.</summary>
    public ImmutableHashSet<string> Flags { get; init; } = Formulas.Flags.None;
}

/// <summary>A field that no side gives: it is worked out of the other agreed fields, once those are settled.</summary>
/// <param name="Inputs">The fields that it is made of, as indices; worked-out ones among them come first.</param>
/// <param name="UsesIds">Whether it asks for the ids that sides have for the record.</param>
public sealed record WorkedOut(ImmutableArray<int> Inputs, bool UsesIds, WorkOut Work)
{
    /// <summary>The fields of linked records that it is made of, too.</summary>
    public ImmutableArray<LinkedField> Linked { get; init; } = [];

    /// <summary>The worked-out fields, each after those that it is made of. Fields that go round in a circle are left out: they never have a value.</summary>
    internal static ImmutableArray<int> Order(ImmutableArray<FieldRules> fields)
    {
        var order = ImmutableArray.CreateBuilder<int>();
        var left = Enumerable.Range(0, fields.Length).Where(f => fields[f].WorkedOut is not null).ToList();
        while (left.FirstOrDefault(f => !fields[f].WorkedOut!.Inputs.Any(left.Contains), -1) is >= 0 and var next)
        {
            order.Add(next);
            left.Remove(next);
        }

        return order.ToImmutable();
    }
}
