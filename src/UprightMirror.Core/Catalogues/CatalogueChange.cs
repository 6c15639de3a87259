using System.Collections.Immutable;
using System.Globalization;

namespace UprightMirror.Core.Catalogues;

/// <summary>What happened to a collection or a field between two readings of a catalogue.</summary>
public enum CatalogueChangeKind
{
    CollectionAppeared,
    CollectionVanished,
    Appeared,
    Vanished,
    ChangedType,
    ChangedLength,
    ChangedNeed,
    ChangedWriting,
    ChangedAllowed,
}

/// <summary>One difference between two readings of a catalogue.</summary>
/// <param name="Path">The field; null when the whole collection came or went.</param>
/// <param name="Before">As it was, in words; null when it appeared.</param>
/// <param name="After">As it is; null when it vanished.</param>
public sealed record CatalogueChange(CatalogueChangeKind Kind, string Collection, string? Path, string? Before, string? After)
{
    /// <summary>Whether what was written or read before may go wrong now.</summary>
    public bool MayBreak => this.Kind is not CatalogueChangeKind.Appeared and not CatalogueChangeKind.CollectionAppeared;

    /// <summary>Every difference, by collection and path. A collection that came or went is one difference, not one for each field.</summary>
    public static ImmutableArray<CatalogueChange> Between(Catalogue before, Catalogue after)
    {
        var changes = new List<CatalogueChange>();
        foreach (var name in before.Collections.Concat(after.Collections).Select(c => c.Name).Distinct().Order(StringComparer.Ordinal))
        {
            switch (before[name], after[name])
            {
                case (null, { } come):
                    changes.Add(new CatalogueChange(CatalogueChangeKind.CollectionAppeared, name, null, null, Fields(come.Fields.Count)));
                    break;
                case ({ } gone, null):
                    changes.Add(new CatalogueChange(CatalogueChangeKind.CollectionVanished, name, null, Fields(gone.Fields.Count), null));
                    break;
                case ({ } was, { } now):
                    changes.AddRange(Between(name, was.Fields, now.Fields));
                    break;
            }
        }

        return [.. changes];
    }

    private static IEnumerable<CatalogueChange> Between(string collection, ImmutableDictionary<string, CatalogueField> before, ImmutableDictionary<string, CatalogueField> after)
    {
        foreach (var path in before.Keys.Union(after.Keys).Order(StringComparer.Ordinal))
        {
            CatalogueChange Changed(CatalogueChangeKind kind, string? from, string? to) => new(kind, collection, path, from, to);
            var (was, now) = (before.GetValueOrDefault(path), after.GetValueOrDefault(path));
            if (was is null || now is null)
            {
                yield return Changed(was is null ? CatalogueChangeKind.Appeared : CatalogueChangeKind.Vanished, was?.Type, now?.Type);
                continue;
            }

            if (was.Type != now.Type)
            {
                yield return Changed(CatalogueChangeKind.ChangedType, was.Type, now.Type);
            }

            if (was.MaxLength != now.MaxLength)
            {
                yield return Changed(CatalogueChangeKind.ChangedLength, Length(was.MaxLength), Length(now.MaxLength));
            }

            if (was.Required != now.Required)
            {
                yield return Changed(CatalogueChangeKind.ChangedNeed, Need(was.Required), Need(now.Required));
            }

            if (was.ReadOnly != now.ReadOnly)
            {
                yield return Changed(CatalogueChangeKind.ChangedWriting, Writing(was.ReadOnly), Writing(now.ReadOnly));
            }

            if (!was.Allowed.ToHashSet().SetEquals(now.Allowed))
            {
                yield return Changed(CatalogueChangeKind.ChangedAllowed, Allowed(was.Allowed), Allowed(now.Allowed));
            }
        }
    }

    private static string Fields(int count) => count == 1 ? "1 field" : $"{count.ToString(CultureInfo.InvariantCulture)} fields";

    private static string Length(int? length) => length is { } most ? $"at most {most.ToString(CultureInfo.InvariantCulture)} characters" : "any length";

    private static string Need(bool required) => required ? "required" : "optional";

    private static string Writing(bool readOnly) => readOnly ? "read-only" : "may be written";

    private static string Allowed(ImmutableArray<string> values) => values.IsEmpty ? "any value" : string.Join(", ", values);
}
