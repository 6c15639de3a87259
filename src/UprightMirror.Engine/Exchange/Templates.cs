using System.Collections.Immutable;

namespace UprightMirror.Engine.Exchange;

/// <summary>A mirror that ships with the product, as a file that a new one can begin from.</summary>
/// <param name="Text">The file as it is.</param>
public sealed record Template(string Key, string Text, MirrorFile File);

/// <summary>The mirrors that ship with the product: those of the demo, those first that others point at.</summary>
public static class Templates
{
    private static readonly string[] Keys = ["customers", "people", "products", "orders", "invoices"];

    private static readonly Lazy<ImmutableArray<Template>> Shipped = new(() => [.. Keys.Select(Read)]);

    public static ImmutableArray<Template> All => Shipped.Value;

    private static Template Read(string key)
    {
        using var stream = typeof(Templates).Assembly.GetManifestResourceStream($"{typeof(Templates).Namespace}.Templates.{key}.yaml")!;
        using var reader = new StreamReader(stream);
        var text = reader.ReadToEnd();
        var (file, problems) = FileText.Read(text);
        return new Template(key, text, file ?? throw new InvalidOperationException($"The template {key}: {string.Join(" ", problems)}"));
    }
}
