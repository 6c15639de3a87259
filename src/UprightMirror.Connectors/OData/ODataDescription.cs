using System.Collections.Immutable;
using System.Xml;
using Microsoft.OData.Edm;
using Microsoft.OData.Edm.Csdl;
using UprightMirror.Core.Catalogues;

namespace UprightMirror.Connectors.OData;

/// <summary>What a service's <c>$metadata</c> says of it.</summary>
public sealed class ODataDescription
{
    /// <param name="Key">The one property that identifies a record.</param>
    /// <param name="KeyIsText">Whether the key is quoted in addresses.</param>
    public sealed record EntitySet(string Name, string Key, bool KeyIsText, CatalogueCollection Catalogue);

    private ODataDescription(ImmutableDictionary<string, EntitySet> sets) => this.Sets = sets;

    /// <summary>The entity sets whose key is a single property.</summary>
    public ImmutableDictionary<string, EntitySet> Sets { get; }

    /// <exception cref="SystemFault">It is not the metadata of an OData v4 service.</exception>
    public static ODataDescription Read(string xml, Uri root, string name)
    {
        try
        {
            using var text = new StringReader(xml);
            using var reader = XmlReader.Create(text, new XmlReaderSettings { DtdProcessing = DtdProcessing.Prohibit, XmlResolver = null, MaxCharactersInDocument = 64_000_000 });
            if (!CsdlReader.TryParse(reader, out var model, out var errors))
            {
                throw new SystemFault($"{name}: what stands at {root}$metadata is not the metadata of an OData v4 service. {errors.FirstOrDefault()?.ErrorMessage}");
            }

            var sets = model.EntityContainer?.EntitySets().Where(s => s.EntityType.Key().Take(2).Count() == 1).Select(Read).ToImmutableDictionary(s => s.Name);
            return sets is { Count: > 0 } ? new ODataDescription(sets) : throw new SystemFault($"{name}: the metadata at {root}$metadata has no entity sets.");
        }
        catch (XmlException e)
        {
            throw new SystemFault($"{name}: the metadata at {root}$metadata is not XML that can be read: {e.Message}", e);
        }
    }

    private static EntitySet Read(IEdmEntitySet set)
    {
        var key = set.EntityType.Key().Single();
        var fields = set.EntityType.StructuralProperties().Select(p => new CatalogueField(
            p.Name, p.Type.FullName(), !p.Type.IsNullable, false, p.Type.IsString() ? p.Type.AsString().MaxLength : null));
        return new EntitySet(set.Name, key.Name, key.Type.IsString(), new CatalogueCollection(set.Name, fields.ToImmutableDictionary(f => f.Path)));
    }
}
