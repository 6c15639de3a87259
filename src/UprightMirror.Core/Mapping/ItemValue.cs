using System.Globalization;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Mapping;

/// <summary>Values of fields as formulas see them, and what formulas give as values of fields.</summary>
public static class ItemValue
{
    public static Item From(Value value) => value switch
    {
        EmptyValue => Item.Blank,
        NumberValue number => Item.Of(number.Amount),
        DateValue date => Item.Of(date.Date),
        DateTimeValue time => Item.Of(DateTime.SpecifyKind(time.Instant.UtcDateTime, DateTimeKind.Unspecified)),
        YesNoValue yesNo => Item.Of(yesNo.Yes),
        ListValue list => Item.Of([.. list.Items.Select(Item.Of)]),
        PhoneValue { Extension: null } phone => Item.Of(phone.International),
        _ => Item.Of(value.Display),
    };

    /// <summary>A field of a record's lines, such as <c>lines.amount</c>, as the list that formulas add up; null when the path is none.</summary>
    public static Item? OfLines(RawFields record, string path)
    {
        for (var dot = path.IndexOf('.', StringComparison.Ordinal); dot > 0; dot = path.IndexOf('.', dot + 1))
        {
            if (record[path[..dot]] is LinesValue lines)
            {
                return Item.Of([.. lines.Lines.Select(l => From(l.GetValueOrDefault(path[(dot + 1)..], Value.Empty)))]);
            }
        }

        return null;
    }

    /// <summary>What a formula gave, as a value of a type; null when it can't be one.</summary>
    public static Value? Of(Item item, FieldType type, string? country) => (item.Kind, type) switch
    {
        (ItemKind.Error, _) => null,
        (ItemKind.Blank, _) => Value.Empty,
        (ItemKind.Number, FieldType.Number) => new NumberValue(item.Number),
        (ItemKind.Logical, FieldType.YesNo) => new YesNoValue(item.Logical),
        (ItemKind.List, FieldType.List) => Value.List(item.Items.Select(i => i.Shown)),
        _ => ValueJson.FromText(item.Shown, type, country),
    };

    /// <summary>What a formula gave, in a side's own form.</summary>
    public static Value Raw(Item item) => item.Kind switch
    {
        ItemKind.Blank => Value.Empty,
        ItemKind.Number when item.Sense == NumberSense.Plain => new NumberValue(item.Number),
        ItemKind.Number when item.Sense == NumberSense.DateTime => Value.Text(item.Shown + "Z"),
        ItemKind.Logical => new YesNoValue(item.Logical),
        ItemKind.List => Value.List(item.Items.Select(i => i.Shown)),
        _ => Value.Text(item.Shown.ToString(CultureInfo.InvariantCulture)),
    };
}
