namespace UprightMirror.Core.Values;

/// <summary>What kind of value an agreed field holds.</summary>
public enum FieldType
{
    Text,
    Number,
    Date,
    DateTime,
    YesNo,
    Phone,
    Email,
    List,

    /// <summary>Lines of a record, each with fields of its own.</summary>
    Lines,

    /// <summary>A record of another mirror.</summary>
    Reference,
}

public static class FieldTypeNames
{
    /// <summary>The name by which definitions, scenarios and the interface call the type.</summary>
    public static string Name(this FieldType type) => type switch
    {
        FieldType.Text => "text",
        FieldType.Number => "number",
        FieldType.Date => "date",
        FieldType.DateTime => "datetime",
        FieldType.YesNo => "yesno",
        FieldType.Phone => "phone",
        FieldType.Email => "email",
        FieldType.List => "list",
        FieldType.Lines => "lines",
        FieldType.Reference => "reference",
        _ => throw new ArgumentOutOfRangeException(nameof(type), type, null),
    };

    /// <summary>The type called <paramref name="name"/>, or null when there is none.</summary>
    public static FieldType? Parse(string? name) => name switch
    {
        "text" => FieldType.Text,
        "number" => FieldType.Number,
        "date" => FieldType.Date,
        "datetime" => FieldType.DateTime,
        "yesno" => FieldType.YesNo,
        "phone" => FieldType.Phone,
        "email" => FieldType.Email,
        "list" => FieldType.List,
        "lines" => FieldType.Lines,
        "reference" => FieldType.Reference,
        _ => null,
    };
}
