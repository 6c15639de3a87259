using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Mapping;

/// <summary>A text that a person typed, as a system's own description wants it: a number, yes or no, or text.</summary>
public static class TypedText
{
    /// <summary>What a field of a system holds of what can be typed.</summary>
    public static FieldType TypeOf(CatalogueField? field) =>
        field is null ? FieldType.Text : TypeWords.IsNumber(field.Type) ? FieldType.Number : TypeWords.IsYesNo(field.Type) ? FieldType.YesNo : FieldType.Text;

    /// <returns>Null when the text is nothing that the field can hold.</returns>
    public static Value? Read(string typed, CatalogueField? field) => ValueJson.FromText(typed, TypeOf(field), null);
}
