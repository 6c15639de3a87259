using System.Collections.Immutable;
using System.Globalization;
using System.Text;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Mapping;

/// <summary>A conversion between a side's own form of a field and the agreed form, one for each way.</summary>
public abstract record Conversion
{
    /// <summary>The side's other fields that it reads, by path; none for most.</summary>
    public virtual ImmutableArray<string> Inputs => [];

    /// <summary>The conversion in words that fit after "in" or "as": "international form"; null when there is nothing to say.</summary>
    public abstract string? Words { get; }

    /// <summary>A side's value in agreed form.</summary>
    /// <param name="raw">The value as the side holds it; never empty.</param>
    /// <param name="type">The agreed field's type.</param>
    /// <param name="country">The record's country, ISO 3166 alpha-2, where one is known.</param>
    /// <returns>The value, or null when it can't be one.</returns>
    public abstract Value? ToAgreed(Value raw, FieldType type, string? country);

    /// <summary>An agreed value in the side's form.</summary>
    /// <param name="agreed">The value; never empty.</param>
    /// <returns>The value, or null when the side has no form for it.</returns>
    public abstract Value? ToSide(Value agreed);

    /// <summary>A side's value in agreed form, with the whole record at hand.</summary>
    /// <param name="why">Why it can't be one, in words that fit after the field's name; null where there is nothing to add.</param>
    public virtual Value? Read(in Reading reading, out string? why)
    {
        why = null;
        return this.ToAgreed(reading.Held, reading.Type, reading.Country);
    }

    /// <summary>An agreed value in the side's form.</summary>
    /// <param name="why">Why the side has no form for it; null where there is nothing to add.</param>
    public virtual Value? Write(Value agreed, ConversionSetting setting, out string? why)
    {
        why = null;
        return this.ToSide(agreed);
    }
}

/// <summary>What a conversion reads.</summary>
/// <param name="Held">The field's own value; empty only where the conversion reads other fields too.</param>
/// <param name="Record">The whole record as the side holds it.</param>
/// <param name="Country">The record's country, ISO 3166 alpha-2, where one is known.</param>
/// <param name="Now">The run's time.</param>
public readonly record struct Reading(Value Held, RawFields Record, FieldType Type, string? Country, ConversionSetting Setting);

/// <summary>What conversions may ask for beside the record.</summary>
/// <param name="Now">The run's time, UTC: the same for all of its records.</param>
public sealed record ConversionSetting(DateTimeOffset Now)
{
    public static readonly ConversionSetting None = new(DateTimeOffset.UnixEpoch);

    /// <summary>The shared code lists by name, for formulas that look something up in them.</summary>
    public ImmutableDictionary<string, CodeTable> CodeLists { get; init; } = ImmutableDictionary<string, CodeTable>.Empty;

    /// <summary>The records of other mirrors, for fields that point at them.</summary>
    public References References { get; init; } = References.None;

    /// <summary>The key of the system whose values are converted.</summary>
    public string System { get; init; } = "";
}

/// <summary>The value as it stands, read as the field's type. Text is trimmed and composed (Unicode NFC).</summary>
public sealed record AsItStands : Conversion
{
    public override string? Words => null;

    public override Value? ToAgreed(Value raw, FieldType type, string? country) => (raw, type) switch
    {
        (TextValue text, FieldType.Text) => Value.Text(text.Content.Trim().Normalize(NormalizationForm.FormC)),
        (TextValue text, _) => ValueJson.FromText(text.Content, type, country),
        (NumberValue, FieldType.Number) or (YesNoValue, FieldType.YesNo) or (ListValue, FieldType.List) => raw,
        (NumberValue number, FieldType.Text) => Value.Text(number.Display),
        _ => null,
    };

    public override Value? ToSide(Value agreed) => agreed switch
    {
        TextValue or NumberValue or YesNoValue or ListValue => agreed,
        PhoneValue phone => Value.Text(phone.International),
        _ => Value.Text(agreed.Display),
    };
}

/// <summary>How a side writes telephone numbers.</summary>
public enum PhoneForm
{
    /// <summary>+44 131 496 0210</summary>
    International,

    /// <summary>01314960210</summary>
    NationalDigits,
}

public sealed record PhoneConversion(PhoneForm Form) : Conversion
{
    public override string? Words => this.Form == PhoneForm.International ? "international form" : "national digits";

    public override Value? ToAgreed(Value raw, FieldType type, string? country) => raw switch
    {
        TextValue text => ValueJson.FromText(text.Content, FieldType.Phone, country),
        NumberValue number => ValueJson.FromText(number.Amount.ToString(CultureInfo.InvariantCulture), FieldType.Phone, country),
        _ => null,
    };

    public override Value? ToSide(Value agreed) => agreed is not PhoneValue phone ? null : this.Form switch
    {
        PhoneForm.International => Value.Text(phone.Display),
        _ => Value.Text(Telephone.NationalDigits(phone)),
    };
}

/// <summary>A code list beside a side's field.</summary>
/// <param name="Name">The shared list that it is; null for one of the field's own.</param>
public sealed record CodeList(CodeTable Table, string? Name = null) : Conversion
{
    public CodeList(ImmutableArray<(string Code, string Agreed)> codes)
        : this(new CodeTable(codes))
    {
    }

    public override string? Words => this.Name is null ? "its own codes" : $"the codes of {this.Name}";

    public override Value? ToAgreed(Value raw, FieldType type, string? country) =>
        this.Table.ToAgreed(raw.Display) is not { } agreed ? null : agreed.IsEmpty || type == FieldType.Text ? agreed : ValueJson.FromText(agreed.Display, type, country);

    public override Value? ToSide(Value agreed) => this.Table.ToSide(agreed.Display);
}

/// <summary>A field that points at a record of another mirror: each side writes its own id of it.</summary>
/// <param name="Mirror">The other mirror's key.</param>
public sealed record ReferenceTo(string Mirror) : Conversion
{
    public override string? Words => "its own id";

    public override Value? ToAgreed(Value raw, FieldType type, string? country) => null;

    public override Value? ToSide(Value agreed) => null;

    public override Value? Read(in Reading reading, out string? why)
    {
        var found = reading.Setting.References.Linked(this.Mirror, reading.Setting.System, reading.Held.Display.Trim());
        why = found is null ? $"it waits for the record {ValueJson.Quoted(reading.Held.Display)} of the mirror {this.Mirror}, which is not linked yet" : null;
        return found;
    }

    public override Value? Write(Value agreed, ConversionSetting setting, out string? why)
    {
        why = null;
        if (agreed is LinkValue link && setting.References.IdOf(this.Mirror, link.Link, setting.System) is { } id)
        {
            return Value.Text(id);
        }

        why = $"it waits for {ValueJson.Quoted(agreed.Display)} of the mirror {this.Mirror}, which this side does not have yet";
        return null;
    }
}
