using System.Collections.Immutable;

namespace UprightMirror.Core.Catalogues;

/// <summary>A field as a system's own description tells it.</summary>
/// <param name="Path">Where it stands in the record, levels joined by a dot: <c>address.town</c>.</param>
/// <param name="Type">The system's own word for its type: <c>string</c>, <c>Edm.Decimal</c>.</param>
/// <param name="Required">True when the system says that every record has it, and not null.</param>
/// <param name="ReadOnly">True when only the system itself writes it.</param>
/// <param name="MaxLength">The longest text that it takes, in characters; null when the description does not say.</param>
public sealed record CatalogueField(string Path, string Type, bool Required, bool ReadOnly, int? MaxLength)
{
    /// <summary>Stands between the path of lines and that of a field within each of them: <c>lines[].quantity</c>.</summary>
    public const string InLines = "[].";

    /// <summary>True for a field within lines: it is mapped with them, not by itself.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public bool IsInLines => this.Path.Contains(InLines, StringComparison.Ordinal);

    /// <summary>What the system calls it on its own pages; null when it does not say.</summary>
    public string? Label { get; init; }

    /// <summary>True when this installation added it to what the system ships with.</summary>
    public bool IsCustom { get; init; }

    /// <summary>The only values that it takes; empty when any.</summary>
    public ImmutableArray<string> Allowed { get; init; } = [];

    public bool Equals(CatalogueField? other) =>
        other is not null && (this.Path, this.Type, this.Required, this.ReadOnly, this.MaxLength, this.Label, this.IsCustom) == (other.Path, other.Type, other.Required, other.ReadOnly, other.MaxLength, other.Label, other.IsCustom)
        && this.Allowed.SequenceEqual(other.Allowed);

    public override int GetHashCode() => HashCode.Combine(this.Path, this.Type, this.Required, this.ReadOnly, this.MaxLength);
}

/// <summary>A collection of a system, with its fields by path.</summary>
public sealed record CatalogueCollection(string Name, ImmutableDictionary<string, CatalogueField> Fields)
{
    /// <summary>The paths of what is kept about a record, not in it: when it changed and by whom, its version, our reference. They are read apart from its fields, and never mapped.</summary>
    public ImmutableHashSet<string> Stamps { get; init; } = [];

    /// <summary>Whether the description knows a path, or what it stands in. One that tells no fields knows all.</summary>
    public bool Describes(string path)
    {
        if (this.Fields.IsEmpty)
        {
            return true;
        }

        for (var at = path; at.Length > 0; at = at.LastIndexOf('.') is > 0 and var dot ? at[..dot] : "")
        {
            if (this.Fields.ContainsKey(at))
            {
                return true;
            }
        }

        return false;
    }

    public static CatalogueCollection Unknown(string name) => new(name, ImmutableDictionary<string, CatalogueField>.Empty);
}

/// <summary>A system's collections, as its own description tells them.</summary>
public sealed record Catalogue(ImmutableArray<CatalogueCollection> Collections)
{
    public CatalogueCollection? this[string collection] => this.Collections.FirstOrDefault(c => c.Name == collection);
}
