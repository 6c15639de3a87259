using System.Text.Json;
using CsCheck;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Tests;

public class ValueTests
{
    private static Value Read(string json, FieldType type)
    {
        ValueJson.TryRead(JsonDocument.Parse(json).RootElement, type, out var value, out var problem).ShouldBeTrue(problem?.Problem);
        return value;
    }

    [Theory]
    [InlineData(FieldType.Number, "1.0", "1.00")]
    [InlineData(FieldType.DateTime, "\"2026-03-01T12:00:00+02:00\"", "\"2026-03-01T10:00:00Z\"")]
    [InlineData(FieldType.List, "[\"a\",\"b\"]", "[\"b\",\"a\",\"a\"]")]
    [InlineData(FieldType.Email, "\"Office@Weir.example\"", "\" office@weir.EXAMPLE \"")]
    [InlineData(FieldType.Phone, "\"+44 131 496 0210\"", "\"+441314960210\"")]
    [InlineData(FieldType.Text, "\"\"", "null")]
    [InlineData(FieldType.List, "[]", "null")]
    public void Values_that_mean_the_same_are_equal(FieldType type, string one, string other)
    {
        Read(one, type).ShouldBe(Read(other, type));
        Read(one, type).GetHashCode().ShouldBe(Read(other, type).GetHashCode());
    }

    [Theory]
    [InlineData(FieldType.Text, "\"Weir\"", "\"weir\"")]
    [InlineData(FieldType.List, "[\"a\"]", "[\"a\",\"b\"]")]
    [InlineData(FieldType.Phone, "\"+44 131 496 0210\"", "\"+44 131 496 0210 ext. 4\"")]
    public void Values_that_differ_are_not_equal(FieldType type, string one, string other) => Read(one, type).ShouldNotBe(Read(other, type));

    [Fact]
    public void A_telephone_number_is_read_in_its_country_and_written_both_ways()
    {
        var phone = Telephone.Read("(0131) 496-0210", "GB").ShouldNotBeNull();
        phone.International.ShouldBe("+441314960210");
        phone.Display.ShouldBe("+44 131 496 0210");
        Telephone.NationalDigits(phone).ShouldBe("01314960210");
        Telephone.Read("ask at the office", "GB").ShouldBeNull();
        Telephone.Read("0131 496 0210", null).ShouldBeNull();
    }

    [Fact]
    public void What_is_written_as_JSON_is_read_back_equal()
    {
        var values = Gen.OneOf(
            Gen.String.Select(s => (FieldType.Text, Value.Text(s))),
            Gen.Decimal[-1_000_000m, 1_000_000m].Select(d => (FieldType.Number, (Value)new NumberValue(d))),
            Gen.Date.Select(d => (FieldType.Date, (Value)new DateValue(DateOnly.FromDateTime(d)))),
            Gen.DateTime.Select(d => (FieldType.DateTime, (Value)new DateTimeValue(new DateTimeOffset(d.Ticks, TimeSpan.Zero)))),
            Gen.Bool.Select(b => (FieldType.YesNo, (Value)new YesNoValue(b))),
            Gen.String[1, 8].Array.Select(a => (FieldType.List, Value.List(a))));
        values.Sample(v =>
        {
            var json = ValueJson.Write(v.Item2)?.ToJsonString() ?? "null";
            return !IsProperText(v.Item2) || Read(json, v.Item1).Equals(v.Item2);
        }, iter: 5000);
    }

    /// <summary>Half a surrogate pair is no text: JSON can't carry it, and no system can hold it.</summary>
    private static bool IsProperText(Value value) => !value.Display.Any(char.IsSurrogate);
}
