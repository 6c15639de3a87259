using System.Collections.Immutable;
using System.Text;
using System.Text.Json.Nodes;
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

    /// <summary>A collection with more fields than this is cut: no system has that many, and a description that goes round in circles has.</summary>
    private const int MostFields = 5000;

    private const int LargestText = 16 * 1024 * 1024;
    private const int LargestUnfolded = 64 * 1024 * 1024;

    private readonly OpenApiDocument document;

    private RestDescription(OpenApiDocument document, Uri readFrom)
    {
        this.document = document;
        var server = document.Servers?.FirstOrDefault()?.Url;
        this.Base = Uri.TryCreate(readFrom, server is { Length: > 0 } && !server.Contains('{', StringComparison.Ordinal) ? server : "/", out var address) ? address : new Uri(readFrom, "/");
        this.TokenAddress = document.Components?.SecuritySchemes?.Values.Select(s => s.Flows?.ClientCredentials?.TokenUrl).FirstOrDefault(u => u is not null) is { } token
            ? new Uri(readFrom, token.OriginalString)
            : null;
        this.Guessed = RestGuess.Collections(document).ToImmutableDictionary(g => g.Name);
    }

    /// <summary>What the paths stand under.</summary>
    public Uri Base { get; }

    /// <summary>Where access tokens are given out; null when the document does not say.</summary>
    public Uri? TokenAddress { get; }

    /// <summary>The collections, by name, as they are guessed to be read.</summary>
    public ImmutableDictionary<string, GuessedCollection> Guessed { get; }

    public string? Title => this.document.Info?.Title;

    /// <summary>The most calls in a second, where the document says so in an extension (<c>x-rate-limit</c>); null otherwise.</summary>
    public int? CallsPerSecond => Extension("x-rate-limit") ?? Extension("x-ratelimit");

    /// <summary>The kind of sign-in that the document asks for, in our words; null when it asks for none.</summary>
    public SignInSettings? SignIn
    {
        get
        {
            foreach (var scheme in this.document.Components?.SecuritySchemes?.Values ?? [])
            {
                switch (scheme)
                {
                    case { Type: SecuritySchemeType.OAuth2, Flows.ClientCredentials: not null }:
                        return new SignInSettings("clientCredentials");
                    case { Type: SecuritySchemeType.ApiKey }:
                        return new SignInSettings("key", KeyName: scheme.Name, KeyInQuery: scheme.In == ParameterLocation.Query);
                    case { Type: SecuritySchemeType.Http, Scheme: { } name }:
                        return new SignInSettings(name.Equals("basic", StringComparison.OrdinalIgnoreCase) ? "basic" : "bearer");
                }
            }

            return null;
        }
    }

    /// <exception cref="SystemFault">It is not an OpenAPI document.</exception>
    public static RestDescription Read(string text, Uri readFrom, string name)
    {
        if (text.Length > LargestText)
        {
            throw new SystemFault($"{name}: the OpenAPI document at {readFrom} is larger than {LargestText / 1024 / 1024} MB. Give one of the parts that are needed only.");
        }

        try
        {
            var json = text.AsSpan().TrimStart().StartsWith("{") ? text : AsJson(text);
            var (document, diagnostic) = OpenApiDocument.Parse(json, OpenApiConstants.Json);
            return document?.Paths is { Count: > 0 }
                ? new RestDescription(document, readFrom)
                : throw new SystemFault($"{name}: what stands at {readFrom} is not an OpenAPI document with paths. {diagnostic?.Errors.FirstOrDefault()?.Message}".TrimEnd());
        }
        catch (YamlDotNet.Core.YamlException e)
        {
            throw new SystemFault($"{name}: the OpenAPI document at {readFrom} is not YAML that can be read: line {e.Start.Line}, column {e.Start.Column}: {e.InnerException?.Message ?? e.Message}", e);
        }
        catch (Exception e) when (e is not SystemFault and not OutOfMemoryException)
        {
            throw new SystemFault($"{name}: the OpenAPI document at {readFrom} can't be read: {e.Message}", e);
        }
    }

    /// <summary>The fields of a collection's records; null when the document has no such path.</summary>
    public CatalogueCollection? Collection(string name, CollectionSettings settings)
    {
        var at = settings.Path ?? "/" + name;
        if (!this.document.Paths.TryGetValue(at, out var path) || path.Operations?.GetValueOrDefault(HttpMethod.Get) is not { } get)
        {
            return null;
        }

        var fields = ImmutableDictionary.CreateBuilder<string, CatalogueField>();
        var page = get.Responses?.FirstOrDefault(r => r.Key.StartsWith('2')).Value?.Content?.Values.FirstOrDefault()?.Schema;
        if ((RestGuess.ListOf(get, at)?.Record ?? page) is { } record)
        {
            Add(record, "", 0, []);
        }

        return new CatalogueCollection(name, fields.ToImmutable()) { Stamps = settings.Stamps };

        void Add(IOpenApiSchema schema, string prefix, int depth, ImmutableHashSet<string> inside)
        {
            var required = Required(schema).ToHashSet();
            foreach (var (property, inner) in RestGuess.PropertiesOf(schema))
            {
                var path = prefix + property;
                var reference = (inner as OpenApiSchemaReference)?.Reference.Id;
                var circle = reference is not null && inside.Contains(reference);
                if (!circle && depth < Deepest && RestGuess.PropertiesOf(inner).Any())
                {
                    Add(inner, path + ".", depth + 1, reference is null ? inside : inside.Add(reference));
                    continue;
                }

                if (fields.Count >= MostFields)
                {
                    return;
                }

                fields[path] = Field(path, inner, required.Contains(property));
                if (inner.Items is { } line && depth == 0 && RestGuess.PropertiesOf(line).Any())
                {
                    Add(line, path + CatalogueField.InLines, Deepest, inside);
                }
            }
        }
    }

    /// <summary>Every collection, with its fields.</summary>
    /// <param name="settings">What was set for a collection; null where the guess holds.</param>
    public Catalogue Catalogue(Func<string, CollectionSettings?> settings) =>
        new([.. this.Guessed.Values.OrderBy(g => g.Name, StringComparer.Ordinal).Select(g => this.Collection(g.Name, settings(g.Name) ?? g.Settings)).OfType<CatalogueCollection>()]);

    private static CatalogueField Field(string path, IOpenApiSchema schema, bool required)
    {
        // 3.0 says null in an extension of its own, 3.1 in the type, and some in a choice of "this or null".
        var choice = schema.Type is null ? (schema.AnyOf ?? schema.OneOf ?? schema.AllOf)?.FirstOrDefault(s => s.Type is not null and not JsonSchemaType.Null) : null;
        var type = (schema.Type ?? choice?.Type) & ~JsonSchemaType.Null;
        var nullable = schema.Type?.HasFlag(JsonSchemaType.Null) == true || (schema.AnyOf ?? schema.OneOf)?.Any(s => s.Type == JsonSchemaType.Null) == true;
        var word = type is null or 0 ? "any" : $"{type}".ToLowerInvariant();
        var format = schema.Format ?? choice?.Format;
        return new CatalogueField(path, format is "date" or "date-time" or "email" or "decimal" ? $"{word} ({format})" : word, required && !nullable, schema.ReadOnly, schema.MaxLength ?? choice?.MaxLength)
        {
            Label = schema.Title is { Length: > 0 and <= 200 } title ? title : null,
            IsCustom = schema.Extensions?.Any(e => e.Key.Equals("x-custom", StringComparison.OrdinalIgnoreCase) && (e.Value as JsonNodeExtension)?.Node is JsonValue v && v.TryGetValue<bool>(out var yes) && yes) == true
                || CustomNames.Say(path),
            Allowed = [.. (schema.Enum ?? choice?.Enum ?? []).Where(e => e is not null && !e.IsJsonNullSentinel()).Select(e => e.ToString()).Take(500)],
        };
    }

    private static IEnumerable<string> Required(IOpenApiSchema schema, int depth = 0) => (schema.Required ?? new HashSet<string>()).Concat(depth > 4 ? [] : (schema.AllOf ?? []).SelectMany(s => Required(s, depth + 1)));

    private int? Extension(string name) =>
        this.document.Info?.Extensions?.TryGetValue(name, out var found) == true && found is JsonNodeExtension { Node: JsonValue value } && value.TryGetValue<int>(out var limit) && limit > 0 ? limit : null;

    private static string AsJson(string yaml)
    {
        // Aliases may unfold into more than any memory holds: what is written is bounded.
        using var text = new BoundedText(LargestUnfolded);
        var tree = new DeserializerBuilder().WithAttemptingUnquotedStringTypeDeserialization().Build().Deserialize(yaml);
        new SerializerBuilder().JsonCompatible().Build().Serialize(text, tree!);
        return text.ToString();
    }

    private sealed class BoundedText(int most) : StringWriter(System.Globalization.CultureInfo.InvariantCulture)
    {
        public override Encoding Encoding => Encoding.UTF8;

        public override void Write(char value)
        {
            this.Check(1);
            base.Write(value);
        }

        public override void Write(char[] buffer, int index, int count)
        {
            this.Check(count);
            base.Write(buffer, index, count);
        }

        public override void Write(string? value)
        {
            this.Check(value?.Length ?? 0);
            base.Write(value);
        }

        private void Check(int more)
        {
            if (this.GetStringBuilder().Length + more > most)
            {
                throw new InvalidDataException($"it unfolds into more than {most / 1024 / 1024} MB.");
            }
        }
    }
}
