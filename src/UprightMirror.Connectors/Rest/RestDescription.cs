using System.Collections.Immutable;
using Microsoft.OpenApi;
using Microsoft.OpenApi.Reader;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Catalogues;
using YamlDotNet.Serialization;

namespace UprightMirror.Connectors.Rest;

/// <summary>What an OpenAPI document (3.0 or 3.1, JSON or YAML) says of a system.</summary>
public sealed class RestDescription
{
    /// <summary>Levels of nested objects that become fields; deeper ones, and circles, stay whole.</summary>
    private const int Deepest = 4;

    private readonly OpenApiDocument document;

    private RestDescription(OpenApiDocument document, Uri readFrom)
    {
        this.document = document;
        this.Base = new Uri(readFrom, document.Servers?.FirstOrDefault()?.Url ?? "/");
        this.TokenAddress = document.Components?.SecuritySchemes?.Values.Select(s => s.Flows?.ClientCredentials?.TokenUrl).FirstOrDefault(u => u is not null) is { } token
            ? new Uri(readFrom, token.OriginalString)
            : null;
    }

    /// <summary>What the paths stand under.</summary>
    public Uri Base { get; }

    /// <summary>Where access tokens are given out; null when the document does not say.</summary>
    public Uri? TokenAddress { get; }

    /// <exception cref="SystemFault">It is not an OpenAPI document.</exception>
    public static RestDescription Read(string text, Uri readFrom, string name)
    {
        try
        {
            var json = text.TrimStart().StartsWith('{') ? text : AsJson(text);
            var (document, diagnostic) = OpenApiDocument.Parse(json, OpenApiConstants.Json);
            return document?.Paths is { Count: > 0 }
                ? new RestDescription(document, readFrom)
                : throw new SystemFault($"{name}: what stands at {readFrom} is not an OpenAPI document with paths. {diagnostic?.Errors.FirstOrDefault()?.Message}");
        }
        catch (Exception e) when (e is not SystemFault and not OutOfMemoryException)
        {
            throw new SystemFault($"{name}: the OpenAPI document at {readFrom} can't be read: {e.Message}", e);
        }
    }

    /// <summary>The fields of a collection's records; null when the document has no such path.</summary>
    public CatalogueCollection? Collection(string name, CollectionSettings settings)
    {
        if (!this.document.Paths.TryGetValue(settings.Path ?? "/" + name, out var path) || path.Operations?.GetValueOrDefault(HttpMethod.Get) is not { } get)
        {
            return null;
        }

        var page = get.Responses?.GetValueOrDefault("200")?.Content?.Values.FirstOrDefault()?.Schema;
        IOpenApiSchema? list = null;
        if (settings.Items is not null)
        {
            page?.Properties?.TryGetValue(settings.Items, out list);
        }

        var record = page?.Items ?? list?.Items ?? page;
        var fields = ImmutableDictionary.CreateBuilder<string, CatalogueField>();
        if (record is not null)
        {
            Add(record, "", 0);
        }

        return new CatalogueCollection(name, fields.ToImmutable());

        void Add(IOpenApiSchema schema, string prefix, int depth)
        {
            foreach (var (property, inner) in schema.Properties ?? new Dictionary<string, IOpenApiSchema>())
            {
                var at = prefix + property;
                if (inner.Properties is { Count: > 0 } && depth < Deepest)
                {
                    Add(inner, at + ".", depth + 1);
                    continue;
                }

                var nullable = inner.Type?.HasFlag(JsonSchemaType.Null) == true;
                fields[at] = new CatalogueField(at, $"{inner.Type & ~JsonSchemaType.Null}".ToLowerInvariant(), schema.Required?.Contains(property) == true && !nullable, inner.ReadOnly, inner.MaxLength);
            }
        }
    }

    private static string AsJson(string yaml) =>
        new SerializerBuilder().JsonCompatible().Build().Serialize(new DeserializerBuilder().WithAttemptingUnquotedStringTypeDeserialization().Build().Deserialize(yaml));
}
