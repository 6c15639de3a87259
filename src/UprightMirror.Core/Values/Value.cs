using System.Collections.Immutable;
using System.Globalization;

namespace UprightMirror.Core.Values;

/// <summary>
/// One value of one field. Two values are equal when a person would say that they are the same value: numbers by amount
/// (1.0 and 1.00), date-times by instant (whatever the offset), lists as sets, e-mail addresses whatever their case.
/// </summary>
/// <remarks>The hierarchy is closed: every <c>switch</c> over it names all of its cases.</remarks>
public abstract record Value
{
    private protected Value()
    {
    }

    /// <summary>No value: null, a missing field, an empty text or an empty list.</summary>
    public static Value Empty => EmptyValue.Instance;

    /// <summary>True for <see cref="Empty"/> only.</summary>
    public bool IsEmpty => ReferenceEquals(this, EmptyValue.Instance);

    /// <summary>The value as a person reads it, in a form that does not depend on the reader's culture.</summary>
    public abstract string Display { get; }

    public sealed override string ToString() => Display;

    /// <summary>Text, or <see cref="Empty"/> for null and for the empty text. White space is kept: it is what the system holds.</summary>
    public static Value Text(string? text) => string.IsNullOrEmpty(text) ? Empty : new TextValue(text);

    /// <summary>A list without repeats, in the order given; <see cref="Empty"/> when nothing is in it.</summary>
    public static Value List(IEnumerable<string> items)
    {
        var distinct = items.Where(i => i.Length > 0).Distinct(StringComparer.Ordinal).ToImmutableArray();
        return distinct.IsEmpty ? Empty : new ListValue(distinct);
    }
}

public sealed record EmptyValue : Value
{
    internal static readonly EmptyValue Instance = new();

    private EmptyValue()
    {
    }

    public override string Display => "";
}

public sealed record TextValue : Value
{
    internal TextValue(string text) => this.Content = text;

    /// <summary>Never empty. Compared letter by letter (ordinal): a change of case is a change.</summary>
    public string Content { get; }

    // Written by hand: nearly every comparison of a run is one of texts, and the one that the compiler makes asks for types first.
    public bool Equals(TextValue? other) => other is not null && string.Equals(this.Content, other.Content);

    public override int GetHashCode() => StringComparer.Ordinal.GetHashCode(this.Content);

    public override string Display => this.Content;
}

public sealed record NumberValue(decimal Amount) : Value
{
    public override string Display => this.Amount.ToString("0.#############################", CultureInfo.InvariantCulture);
}

public sealed record DateValue(DateOnly Date) : Value
{
    public override string Display => this.Date.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
}

/// <summary>An instant. Kept in UTC, so that equal instants are equal values.</summary>
public sealed record DateTimeValue : Value
{
    public DateTimeValue(DateTimeOffset instant) => this.Instant = instant.ToUniversalTime();

    public DateTimeOffset Instant { get; }

    public override string Display => this.Instant.ToString("yyyy-MM-dd'T'HH:mm:ss.FFFFFFF'Z'", CultureInfo.InvariantCulture);
}

public sealed record YesNoValue(bool Yes) : Value
{
    public override string Display => this.Yes ? "yes" : "no";
}

/// <summary>A telephone number in international form (E.164, ITU-T), with its extension if it has one.</summary>
/// <param name="International">"+" and 7 to 15 digits, such as <c>+441314960210</c>.</param>
/// <param name="Extension">Digits, or null when the number has none.</param>
public sealed record PhoneValue(string International, string? Extension) : Value
{
    public override string Display => this.Extension is null ? Telephone.Spaced(this.International) : $"{Telephone.Spaced(this.International)} ext. {this.Extension}";
}

/// <summary>An e-mail address, trimmed. The case that was typed is kept for reading and does not count when comparing.</summary>
public sealed record EmailValue(string Address) : Value
{
    /// <summary>The address in the one form by which records are recognised: lower case.</summary>
    public string Normalised => this.Address.ToLowerInvariant();

    public bool Equals(EmailValue? other) => other is not null && StringComparer.OrdinalIgnoreCase.Equals(this.Address, other.Address);

    public override int GetHashCode() => StringComparer.OrdinalIgnoreCase.GetHashCode(this.Address);

    public override string Display => this.Address;
}

/// <summary>Several texts, such as tags. Their order does not count: a list is compared as a set.</summary>
public sealed record ListValue : Value
{
    internal ListValue(ImmutableArray<string> items) => this.Items = items;

    /// <summary>At least one item, none twice.</summary>
    public ImmutableArray<string> Items { get; }

    public bool Equals(ListValue? other) =>
        other is not null && this.Items.Length == other.Items.Length &&
        (this.Items.SequenceEqual(other.Items) || this.Items.ToHashSet(StringComparer.Ordinal).SetEquals(other.Items));

    public override int GetHashCode() => this.Items.Aggregate(0, (hash, item) => hash ^ StringComparer.Ordinal.GetHashCode(item));

    public override string Display => string.Join(", ", this.Items);
}

/// <summary>
/// The lines of a record, each a set of values by field name. In agreed form they stand in the order of their keys, so that the order
/// in which a system gives them is no change; in a side's own form, as the system gave them.
/// </summary>
public sealed record LinesValue : Value
{
    /// <param name="lines">At least one; values that are empty may be left out.</param>
    public LinesValue(ImmutableArray<ImmutableSortedDictionary<string, Value>> lines) => this.Lines = [.. lines.Select(l => l.Values.Any(v => v.IsEmpty) ? l.RemoveRange(l.Where(v => v.Value.IsEmpty).Select(v => v.Key)) : l)];

    public ImmutableArray<ImmutableSortedDictionary<string, Value>> Lines { get; }

    public bool Equals(LinesValue? other) => other is not null && this.Lines.Length == other.Lines.Length && this.Lines.Zip(other.Lines).All(p => p.First.Count == p.Second.Count && p.First.All(v => p.Second.TryGetValue(v.Key, out var its) && v.Value.Equals(its)));

    public override int GetHashCode() => this.Lines.Aggregate(this.Lines.Length, (hash, line) => line.Aggregate(hash, (h, v) => HashCode.Combine(h, v.Key, v.Value)));

    /// <summary>How many lines, and the first of them.</summary>
    public override string Display => $"{this.Lines.Length} {(this.Lines.Length == 1 ? "line" : "lines")}: {string.Join("; ", this.Lines.Take(3).Select(l => string.Join(", ", l.Values.Select(v => v.Display))))}{(this.Lines.Length > 3 ? "; …" : "")}";
}

/// <summary>A record of another mirror, known by its link: each side has an id of its own for it.</summary>
/// <param name="Title">What people called it when it was read. Two are equal when their links are.</param>
public sealed record LinkValue(Guid Link, string Title) : Value
{
    public override string Display => this.Title;

    public bool Equals(LinkValue? other) => other is not null && this.Link == other.Link;

    public override int GetHashCode() => this.Link.GetHashCode();
}
