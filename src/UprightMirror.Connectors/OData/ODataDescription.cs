using System.Collections.Immutable;
using System.Xml;
using Microsoft.OData.Edm;
using Microsoft.OData.Edm.Vocabularies;
using Microsoft.OData.Edm.Csdl;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Rest;
using UprightMirror.Core.Catalogues;

namespace UprightMirror.Connectors.OData;

/// <summary>What a service's <c>$metadata</c> says of it.</summary>
public sealed class ODataDescription
{
    private const int Deepest = 4;

    private static readonly string[] ChangedNames = ["changedon", "modifiedon", "updatedon", "changedat", "modifiedat", "updatedat", "lastmodified", "lastmodifieddatetime", "lastchanged", "lastchangedatetime", "modifieddate", "changedate"];
    private static readonly string[] ChangedByNames = ["changedby", "modifiedby", "updatedby", "lastmodifiedby"];
    private static readonly string[] ReferenceNames = ["externalreference", "externalid", "externalkey", "externalref"];

    /// <param name="Key">The one property that identifies a record.</param>
    /// <param name="KeyIsText">Whether the key is quoted in addresses.</param>
    /// <param name="Properties">The names that may be selected.</param>
    /// <param name="Guessed">How the set is read, taken from the names of its properties.</param>
    /// <param name="Guesses">Each of those guesses, with what it was taken from.</param>
    /// <param name="Navigations">What may be expanded, such as an order's lines.</param>
    public sealed record EntitySet(string Name, string Key, bool KeyIsText, CatalogueCollection Catalogue, ImmutableHashSet<string> Properties, CollectionSettings Guessed, ImmutableArray<Guess> Guesses, ImmutableArray<string> Navigations);

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

            var sets = model.EntityContainer?.EntitySets().Where(s => s.EntityType.Key().Take(2).Count() == 1).Select(s => Read(s, model)).ToImmutableDictionary(s => s.Name);
            return sets is { Count: > 0 } ? new ODataDescription(sets) : throw new SystemFault($"{name}: the metadata at {root}$metadata has no entity sets that can be read: none with a key of one property.");
        }
        catch (XmlException e)
        {
            throw new SystemFault($"{name}: the metadata at {root}$metadata is not XML that can be read: {e.Message}", e);
        }
    }

    private static EntitySet Read(IEdmEntitySet set, IEdmModel model)
    {
        var key = set.EntityType.Key().Single();
        var properties = set.EntityType.StructuralProperties().ToList();
        var fields = ImmutableDictionary.CreateBuilder<string, CatalogueField>();
        foreach (var property in properties)
        {
            Add(property, "", 0);
        }

        // Lines that are contained in the record are read and written with it.
        foreach (var contained in set.EntityType.NavigationProperties().Where(n => n.ContainsTarget && n.Type.IsCollection()))
        {
            fields[contained.Name] = new CatalogueField(contained.Name, contained.Type.FullName(), false, false, null);
            foreach (var inner in contained.ToEntityType().StructuralProperties())
            {
                Add(inner, $"{contained.Name}{CatalogueField.InLines}", Deepest);
            }
        }

        // What only tells one version of a record from another is written by the service itself.
        foreach (var version in Versions(set, model).Where(fields.ContainsKey))
        {
            fields[version] = fields[version] with { ReadOnly = true };
        }

        var guesses = ImmutableArray.CreateBuilder<Guess>();
        string? Named(string what, string[] known)
        {
            var found = known.Select(k => properties.FirstOrDefault(p => Plain(p.Name) == k)?.Name).FirstOrDefault(n => n is not null);
            if (found is not null)
            {
                guesses.Add(new Guess(what, found, "it has a property of that name"));
            }

            return found;
        }

        var navigations = set.EntityType.NavigationProperties().Where(n => n.ContainsTarget && n.Type.IsCollection()).Select(n => n.Name).ToImmutableArray();
        var guessed = new CollectionSettings(
            Path: set.Name,
            Id: key.Name,
            ChangedAt: Named("when a record changed", ChangedNames),
            ChangedBy: Named("who changed it", ChangedByNames),
            Reference: Named("where our reference is stored", ReferenceNames),
            Expand: navigations.IsEmpty ? null : navigations);
        if (!navigations.IsEmpty)
        {
            guesses.Add(new Guess("read with each record", string.Join(", ", navigations), "it is contained in the record"));
        }

        return new EntitySet(set.Name, key.Name, key.Type.IsString(), new CatalogueCollection(set.Name, fields.ToImmutable()), [.. properties.Select(p => p.Name)], guessed, guesses.ToImmutable(), navigations);

        void Add(IEdmStructuralProperty property, string prefix, int depth)
        {
            var path = prefix + property.Name;
            if (property.Type.IsComplex() && depth < Deepest)
            {
                foreach (var inner in property.Type.AsComplex().StructuralProperties())
                {
                    Add(inner, path + ".", depth + 1);
                }

                return;
            }

            var readOnly = property.VocabularyAnnotations(model).Any(a => a.Term.Name is "Computed" or "Permissions");
            fields[path] = new CatalogueField(path, property.Type.FullName(), !property.Type.IsNullable, readOnly, property.Type.IsString() ? property.Type.AsString().MaxLength : null)
            {
                IsCustom = CustomNames.Say(path),
                Allowed = property.Type.IsEnum() ? [.. property.Type.AsEnum().EnumDefinition().Members.Select(m => m.Name)] : [],
            };
        }
    }

    /// <summary>The properties that the service makes its ETags of (OData Core vocabulary, OptimisticConcurrency).</summary>
    private static IEnumerable<string> Versions(IEdmEntitySet set, IEdmModel model) =>
        set.VocabularyAnnotations(model).Where(a => a.Term.Name == "OptimisticConcurrency").SelectMany(a => (a.Value as IEdmCollectionExpression)?.Elements ?? []).OfType<IEdmPathExpression>().Select(p => p.Path);

    private static string Plain(string name) => name.Replace("_", "", StringComparison.Ordinal).ToLowerInvariant();
}
