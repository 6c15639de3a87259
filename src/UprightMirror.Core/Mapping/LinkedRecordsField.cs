using UprightMirror.Core.Formulas;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Mapping;

/// <summary>Which field of which mirror a formula means by <c>LINKED("invoices"; "Total")</c>, and by which field those records point at its own.</summary>
/// <param name="Mirror">The other mirror.</param>
/// <param name="Field">Its field that is asked for.</param>
/// <param name="By">Its field that points at the mirror that asks.</param>
public sealed record LinkedRecordsField(MirrorDefinition Mirror, AgreedFieldDefinition Field, AgreedFieldDefinition By)
{
    /// <summary>Finds what is meant.</summary>
    /// <param name="mirror">The mirror that asks.</param>
    /// <param name="others">Every mirror there is.</param>
    /// <param name="wrong">Why there is none, as a sentence.</param>
    public static LinkedRecordsField? Find(MirrorDefinition mirror, LinkedField asked, IReadOnlyCollection<MirrorDefinition> others, out string? wrong)
    {
        wrong = null;
        if (others.FirstOrDefault(o => Same(o.Key, asked.Mirror) || Same(o.Name, asked.Mirror)) is not { } other)
        {
            wrong = $"there is no mirror called {asked.Mirror}. There are {string.Join(", ", others.Where(o => o.Key != mirror.Key).Select(o => o.Key).Order(StringComparer.Ordinal))}.";
            return null;
        }

        if (other.Fields.FirstOrDefault(f => Same(f.Name, asked.Field)) is not { } field)
        {
            wrong = $"{other.Name} has no field called {asked.Field}.";
            return null;
        }

        if (field.Type is FieldType.Lines or FieldType.Reference)
        {
            wrong = $"{field.Name} of {other.Name} {(field.Type == FieldType.Lines ? "holds lines" : "points at records")}, which no formula can work with.";
            return null;
        }

        var pointing = other.Fields.Where(f => f.Cells.Any(c => c?.Conversion is ReferenceTo to && to.Mirror == mirror.Key)).ToList();
        if (pointing.Count == 0)
        {
            wrong = $"no field of {other.Name} points at {mirror.Name}.";
            return null;
        }

        if (asked.By is null && pointing.Count > 1)
        {
            wrong = $"{other.Name} points at {mirror.Name} by {string.Join(" and ", pointing.Select(f => f.Name))}. Say which: {LinkedField.FunctionName}(\"{asked.Mirror}\"; \"{asked.Field}\"; \"{pointing[0].Name}\").";
            return null;
        }

        if (pointing.FirstOrDefault(f => asked.By is null || Same(f.Name, asked.By)) is not { } by)
        {
            wrong = $"{other.Name} does not point at {mirror.Name} by {asked.By}, but by {string.Join(" and ", pointing.Select(f => f.Name))}.";
            return null;
        }

        return new LinkedRecordsField(other, field, by);
    }

    private static bool Same(string one, string other) => one.Equals(other, StringComparison.OrdinalIgnoreCase);
}
