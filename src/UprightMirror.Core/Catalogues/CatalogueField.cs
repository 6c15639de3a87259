using System.Collections.Immutable;

namespace UprightMirror.Core.Catalogues;

/// <summary>A field as a system's own description tells it.</summary>
/// <param name="Path">Where it stands in the record, levels joined by a dot: <c>address.town</c>.</param>
/// <param name="Type">The system's own word for its type: <c>string</c>, <c>Edm.Decimal</c>.</param>
/// <param name="Required">True when the system says that every record has it, and not null.</param>
/// <param name="ReadOnly">True when only the system itself writes it.</param>
/// <param name="MaxLength">The longest text that it takes, in characters; null when the description does not say.</param>
public sealed record CatalogueField(string Path, string Type, bool Required, bool ReadOnly, int? MaxLength);

/// <summary>A collection of a system, with its fields by path.</summary>
public sealed record CatalogueCollection(string Name, ImmutableDictionary<string, CatalogueField> Fields)
{
    public static CatalogueCollection Unknown(string name) => new(name, ImmutableDictionary<string, CatalogueField>.Empty);
}
