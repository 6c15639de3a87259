using System.Collections.Immutable;
using System.Text.Json;
using CsCheck;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Tests;

/// <summary>An order with lines, between a CRM and an ERP that number lines, name fields and point at customers each its own way.</summary>
public class LinesTests
{
    private static readonly Guid Customer = Guid.Parse("0198a000-0000-7000-8000-000000000001");

    private static readonly References Known = new([
        new ReferenceKnown("customers", "crm", "004007", Customer, "Brae Hire"), new ReferenceKnown("customers", "erp", "C-20001", Customer, "Brae Hire"),
        new ReferenceKnown("customers", "crm", "004008", Guid.Parse("0198a000-0000-7000-8000-000000000002"), "Corrie Club"),
    ]);

    private static SideField At(string path, Conversion? conversion = null, bool takes = true) => new(path, true, takes, conversion ?? new AsItStands());

    private static AgreedFieldDefinition Both(string name, FieldType type, string crm, string erp, Conversion? inErp = null) => new(name, type, [At(crm), At(erp, inErp)]);

    private static readonly MirrorDefinition Orders = new("orders", "Orders", "order", [new SideDefinition("crm", "deals"), new SideDefinition("erp", "SalesOrders")],
        [
            new AgreedFieldDefinition("Customer", FieldType.Reference, [At("organisationId", new ReferenceTo("customers")), At("CustomerNo", new ReferenceTo("customers"))]),
            new AgreedFieldDefinition("Total", FieldType.Number, [At("amount", takes: false), At("TotalAmount", takes: false)]),
            new AgreedFieldDefinition("Lines", FieldType.Lines, [At("lines"), At("Lines")], Lines: new LinesDefinition("Line", [
                Both("Line", FieldType.Number, "lineNo", "LineNo", new FormulaConversion("value / 10000", "value * 10000")),
                Both("Product", FieldType.Text, "productCode", "ItemNo"), Both("Quantity", FieldType.Number, "quantity", "Quantity"),
                Both("Price", FieldType.Number, "unitPrice", "UnitPrice"), Both("Discount", FieldType.Number, "discountPercent", "DiscountPercent"),
            ], new TotalCheck("Total", "ROUND(Quantity * Price * (100 - Discount) / 100; 2)", 0.02m))),
        ], [], "Customer");

    private static readonly Translator Crm = new(Orders, 0, CatalogueCollection.Unknown("deals"), default, Known);
    private static readonly Translator Erp = new(Orders, 1, CatalogueCollection.Unknown("SalesOrders"), default, Known);

    private static RawFields Raw(string json)
    {
        using var document = JsonDocument.Parse(json);
        return RawFields.FromJson(document.RootElement);
    }

    private const string Deal = """
        {"organisationId": "004007", "amount": 315.00, "lines": [
          {"lineNo": 2, "productCode": "PA-1", "quantity": 1, "unitPrice": 90, "discountPercent": 50},
          {"lineNo": 1, "productCode": "KA-7", "quantity": 3, "unitPrice": 100, "discountPercent": 10}]}
        """;

    [Fact]
    public void An_order_goes_from_the_CRM_to_the_ERP_and_back_with_its_references_turned()
    {
        var agreed = Crm.ToAgreed(Raw(Deal));
        agreed.Problems.ShouldBeEmpty();
        agreed.Values[0].ShouldBe(new LinkValue(Customer, ""));
        agreed.Values[0].Display.ShouldBe("Brae Hire");

        var body = RawFields.Of([Told(Erp, 0, agreed), Told(Erp, 2, agreed)]).ToNestedJson().ToJsonString();
        body.ShouldBe("""{"CustomerNo":"C-20001","Lines":[{"DiscountPercent":10,"ItemNo":"KA-7","LineNo":10000,"Quantity":3,"UnitPrice":100},{"DiscountPercent":50,"ItemNo":"PA-1","LineNo":20000,"Quantity":1,"UnitPrice":90}]}""");

        var stored = Raw(body).With("TotalAmount", new NumberValue(315));
        var back = Erp.ToAgreed(stored);
        back.Problems.ShouldBeEmpty();
        back.Values.ShouldBe(agreed.Values);
        Crm.ToSide(2, back.Values[2], out _, Raw(Deal)["lines"]).ShouldBe(Raw(Deal)["lines"]);
    }

    private static KeyValuePair<string, Value> Told(Translator side, int field, Translation agreed)
    {
        var raw = side.ToSide(field, agreed.Values[field], out var problem);
        problem.ShouldBeNull();
        return KeyValuePair.Create(Orders.Fields[field].Cells[1]!.Path, raw);
    }

    [Fact]
    public void Agreed_lines_and_references_are_kept_as_JSON_and_read_again_the_same() => Gen.Select(Gen.Int[1, 20], Gen.Decimal[0, 999], Gen.String).Array[1, 8].Sample(lines =>
    {
        var value = new LinesValue([.. lines.Select((l, i) => ImmutableSortedDictionary<string, Value>.Empty
            .Add("Line", new NumberValue(i)).Add("Quantity", new NumberValue(decimal.Round(l.Item2, 4))).Add("Text", Value.Text(l.Item3)).Add("Day", new DateValue(new DateOnly(2026, 1, l.Item1))).Add("Customer", new LinkValue(Customer, "x")))]);
        using var json = JsonDocument.Parse(ValueJson.Write(value)!.ToJsonString());
        ValueJson.TryRead(json.RootElement, FieldType.Lines, out var read, out _).ShouldBeTrue();
        read.ShouldBe(value);
        read.GetHashCode().ShouldBe(value.GetHashCode());
    }, iter: 300);

    [Fact]
    public void Lines_in_another_order_are_the_same_lines_and_a_changed_one_is_not()
    {
        var turned = Raw(Deal.Replace("\"lineNo\": 2", "\"lineNo\": 3", StringComparison.Ordinal).Replace("\"lineNo\": 1", "\"lineNo\": 2", StringComparison.Ordinal).Replace("\"lineNo\": 3", "\"lineNo\": 1", StringComparison.Ordinal));
        Crm.ToAgreed(Raw(Deal)).Values[2].ShouldNotBe(Crm.ToAgreed(turned).Values[2]);
        var swapped = new LinesValue([.. ((LinesValue)Raw(Deal)["lines"]).Lines.Reverse()]);
        Crm.ToAgreed(Raw(Deal).With("lines", swapped)).Values[2].ShouldBe(Crm.ToAgreed(Raw(Deal)).Values[2]);
    }

    [Fact]
    public void What_a_side_keeps_in_its_lines_beside_the_mapped_fields_stays()
    {
        var held = Raw("""{"Lines": [{"LineNo": 20000, "ItemNo": "PA-1", "Quantity": 9, "Note": "ring first"}, {"LineNo": 70000, "ItemNo": "gone", "Note": "x"}]}""")["Lines"];
        var written = (LinesValue)Erp.ToSide(2, Crm.ToAgreed(Raw(Deal)).Values[2], out _, held);
        written.Lines.Length.ShouldBe(2);
        written.Lines[0]["Note"].Display.ShouldBe("ring first");
        written.Lines[0]["Quantity"].ShouldBe(new NumberValue(1));
        written.Lines[1]["ItemNo"].Display.ShouldBe("KA-7");
    }

    [Theory]
    [InlineData("315.02", null)]
    [InlineData("315.03", "lines: Lines: the lines add up to 315.00, and Total says 315.03. That is 0.03 apart, and 0.02 is allowed.")]
    [InlineData("null", null)]
    public void The_total_is_checked_against_the_lines_to_the_tolerance(string amount, string? words)
    {
        var problems = Crm.ToAgreed(Raw(Deal.Replace("315.00", amount, StringComparison.Ordinal))).Problems;
        problems.Select(p => $"{p.Path}: {p.Sentence}").ShouldBe(words is null ? [] : [words]);
    }

    [Theory]
    [InlineData(""" "none" """, "lines is \"none\", which are no lines.")]
    [InlineData("""[{"lineNo": 1, "quantity": "many"}]""", "lines: Line 1: quantity is \"many\", which can't be read as a number.")]
    [InlineData("""[{"lineNo": 1}, {"lineNo": 1}]""", "lines: 2 lines have the Line \"1\", and lines are told apart by it.")]
    [InlineData("""[{"quantity": 1}]""", "lines: A line has no Line, which lines are told apart by.")]
    public void A_bad_line_holds_its_record_and_says_which(string lines, string words) =>
        Crm.ToAgreed(Raw($$"""{"organisationId": "004007", "lines": {{lines}}}""")).Problems.ShouldHaveSingleItem().Sentence.ShouldBe(words);

    [Fact]
    public void A_record_that_is_not_linked_yet_is_waited_for_on_both_ways()
    {
        Crm.ToAgreed(Raw("""{"organisationId": "009999"}""")).Problems.ShouldHaveSingleItem().Sentence.ShouldBe("organisationId: it waits for the record \"009999\" of the mirror customers, which is not linked yet.");
        Erp.ToSide(0, Crm.ToAgreed(Raw("""{"organisationId": "004008"}""")).Values[0], out var problem);
        problem!.Sentence.ShouldBe("CustomerNo: it waits for \"Corrie Club\" of the mirror customers, which this side does not have yet.");
    }

    [Fact]
    public void Formulas_add_up_over_the_lines_of_a_record()
    {
        var sum = new FormulaConversion("SUM([lines.quantity])", null);
        sum.Read(new Reading(Value.Text("x"), Raw(Deal), FieldType.Number, null, ConversionSetting.None), out _).ShouldBe(new NumberValue(4));
    }

    [Theory]
    [InlineData("key", "The lines of Lines are told apart by Number, which is no field of theirs. Choose another.")]
    [InlineData("missing", "B keeps the lines of Lines without Product: lines are compared whole, so each of their fields stands on every side that has them. Map it there, or take it out.")]
    [InlineData("total", "The lines of Lines must add up to Customer, which is no agreed field that holds a number.")]
    [InlineData("amount", "What a line of Lines amounts to: At character 1: There is no field called nothing.")]
    [InlineData("reference", "Customer is a record of another mirror, and CustomerNo of B does not say of which. Choose the mirror under its conversion.")]
    public void What_is_wrong_with_lines_and_references_is_found(string what, string words)
    {
        var (customer, lines) = (Orders.Fields[0], Orders.Fields[2].Lines!);
        var changed = what switch
        {
            "key" => lines with { Key = "Number" },
            "missing" => lines with { Fields = lines.Fields.SetItem(1, lines.Fields[1] with { Cells = lines.Fields[1].Cells.SetItem(1, null) }) },
            "total" => lines with { Total = lines.Total! with { Field = "Customer" } },
            "amount" => lines with { Total = lines.Total! with { Amount = "nothing" } },
            _ => lines,
        };
        var mirror = Orders with { Recognising = [new RecognisingRule("Customer")], Fields = [what == "reference" ? customer with { Cells = customer.Cells.SetItem(1, At("CustomerNo")) } : customer, Orders.Fields[1], Orders.Fields[2] with { Lines = changed }] };
        MappingCheck.Of(mirror, [CatalogueCollection.Unknown("deals"), CatalogueCollection.Unknown("SalesOrders")], ["A", "B"]).Where(f => f.IsWrong).Select(f => f.Words).ShouldContain(words);
    }

    [Fact]
    public void A_right_order_has_nothing_wrong() =>
        MappingCheck.Of(Orders with { Recognising = [new RecognisingRule("Customer")] }, [CatalogueCollection.Unknown("deals"), CatalogueCollection.Unknown("SalesOrders")], ["A", "B"]).Where(f => f.IsWrong).ShouldBeEmpty();
}
