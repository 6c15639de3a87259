using System.Collections.Immutable;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Connectors.Shapes;

/// <summary>
/// The lines of a collection's records as a collection of their own: one record that becomes many. It is called <c>deals[lines]</c>. Each
/// of its records has the line's own fields, and those of the record that it stands in under <c>parent.</c>
/// </summary>
/// <param name="Collection">The collection whose records have the lines.</param>
/// <param name="Path">Where the lines stand in them.</param>
public sealed record InnerCollection(string Collection, string Path)
{
    /// <summary>Stands before the fields of the record that a line stands in.</summary>
    public const string OfParent = "parent.";

    /// <summary>The id of the record that a line stands in: told when a line is created.</summary>
    public const string ParentId = "parent.id";

    /// <summary>Fields by which lines are told apart where they have one, the surest first.</summary>
    private static readonly string[] KeyNames = ["id", "lineid", "uuid", "key", "lineno", "linenumber", "line", "number", "no", "position", "sku", "code"];

    public string Name => $"{this.Collection}[{this.Path}]";

    /// <summary>Reads a name; null when it is that of an ordinary collection.</summary>
    public static InnerCollection? Of(string name) =>
        name.EndsWith(']') && name.IndexOf('[', StringComparison.Ordinal) is > 0 and var at && at < name.Length - 2 ? new InnerCollection(name[..at], name[(at + 1)..^1]) : null;

    /// <summary>Every inner collection that a collection's description tells of.</summary>
    public static IEnumerable<InnerCollection> In(CatalogueCollection collection) =>
        collection.Fields.Keys.Select(p => p.IndexOf(CatalogueField.InLines, StringComparison.Ordinal)).Zip(collection.Fields.Keys).Where(p => p.First > 0).Select(p => p.Second[..p.First]).Distinct(StringComparer.Ordinal).Order(StringComparer.Ordinal)
            .Select(path => new InnerCollection(collection.Name, path));

    /// <summary>What the outer collection's description says of the lines.</summary>
    public CatalogueCollection Describe(CatalogueCollection outer)
    {
        var fields = ImmutableDictionary.CreateBuilder<string, CatalogueField>();
        foreach (var field in outer.Fields.Values)
        {
            if (field.Path.StartsWith(this.Path + CatalogueField.InLines, StringComparison.Ordinal))
            {
                var path = field.Path[(this.Path.Length + CatalogueField.InLines.Length)..];
                fields[path] = field with { Path = path };
            }
            else if (!field.IsInLines && field.Path != this.Path)
            {
                fields[OfParent + field.Path] = field with { Path = OfParent + field.Path, ReadOnly = true, Required = false };
            }
        }

        fields[ParentId] = new CatalogueField(ParentId, "string", true, false, null) { Label = $"Id in {outer.Name}" };
        return new CatalogueCollection(this.Name, fields.ToImmutable());
    }

    /// <summary>The field by which the lines are told apart; null where they have none, and their place must do.</summary>
    public static string? KeyOf(CatalogueCollection described) =>
        KeyNames.Select(n => described.Fields.Keys.Where(p => !p.StartsWith(OfParent, StringComparison.Ordinal)).Order(StringComparer.Ordinal).FirstOrDefault(p => p.Replace("_", "", StringComparison.Ordinal).Equals(n, StringComparison.OrdinalIgnoreCase))).FirstOrDefault(p => p is not null);

    /// <summary>The fields of the outer collection that are needed for some of this one.</summary>
    public IReadOnlyCollection<string>? Outer(IReadOnlyCollection<string>? fields) =>
        fields is null ? null : [.. fields.Where(f => f.StartsWith(OfParent, StringComparison.Ordinal) && f != ParentId).Select(f => f[OfParent.Length..]).Append(this.Path).Distinct()];

    /// <summary>The records that one outer record holds, in their order. None twice: of two lines with one key, the second is told apart by its place.</summary>
    public IEnumerable<ObservedRecord> Records(ObservedRecord outer, string? key)
    {
        var ids = new HashSet<string>(StringComparer.Ordinal);
        var lines = LinesOf(outer);
        for (var i = 0; i < lines.Length; i++)
        {
            var known = key is null ? "" : lines[i].GetValueOrDefault(key, Value.Empty).Display;
            var id = known.Length > 0 && ids.Add(known) ? known : $"@{i + 1}";
            yield return new ObservedRecord($"{outer.Id}/{Uri.EscapeDataString(id)}", this.Fields(outer, lines[i]), Tag(lines[i]), outer.ChangedAt, outer.ChangedBy);
        }
    }

    /// <summary>The lines as an outer record has them.</summary>
    public ImmutableArray<ImmutableSortedDictionary<string, Value>> LinesOf(ObservedRecord outer) => outer.Fields[this.Path] is LinesValue lines ? lines.Lines : [];

    /// <summary>The outer record's id, of a record's id.</summary>
    public static string OuterId(string id) => id.LastIndexOf('/') is > 0 and var at ? id[..at] : "";

    private RawFields Fields(ObservedRecord outer, ImmutableSortedDictionary<string, Value> line) => RawFields.Of(line
        .Concat(outer.Fields.Paths.Where(p => p != this.Path).Select(p => KeyValuePair.Create(OfParent + p, outer.Fields[p])))
        .Append(KeyValuePair.Create(ParentId, Value.Text(outer.Id)))
        .GroupBy(f => f.Key, StringComparer.Ordinal).Select(g => g.Last()));

    /// <summary>A tag of one line's state: it changes when the line does, not when its neighbours do.</summary>
    private static string Tag(ImmutableSortedDictionary<string, Value> line) =>
        Convert.ToHexStringLower(System.Security.Cryptography.SHA256.HashData(System.Text.Encoding.UTF8.GetBytes(RawFields.Of(line).ToFlatJson().ToJsonString())))[..24];
}
