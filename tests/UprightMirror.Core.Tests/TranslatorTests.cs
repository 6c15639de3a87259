using System.Collections.Immutable;
using System.Text.Json;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Tests;

public class TranslatorTests
{
    private static readonly CodeList Countries = new([("GBR", "GB"), ("IRL", "IE")]);

    private static readonly MirrorDefinition Mirror = new(
        "customers", "Customers", "customer",
        [new SideDefinition("crm", "organisations"), new SideDefinition("erp", "Customers")],
        [
            new AgreedFieldDefinition("Telephone", FieldType.Phone, [new SideField("phone", true, true, new PhoneConversion(PhoneForm.International)), new SideField("Tel", true, true, new PhoneConversion(PhoneForm.NationalDigits))]),
            new AgreedFieldDefinition("Name", FieldType.Text, [new SideField("name", true, true, new AsItStands()), new SideField("Name", true, true, new AsItStands())]),
            new AgreedFieldDefinition("E-mail", FieldType.Email, [new SideField("contact.email", true, true, new AsItStands()), new SideField("Mail", true, true, new AsItStands())], "latest"),
            new AgreedFieldDefinition("Country", FieldType.Text, [null, new SideField("Country", true, true, Countries)], "rank"),
        ],
        [new RecognisingRule("E-mail")],
        "Name",
        "Country");

    private static RawFields Raw(string json) => RawFields.FromJson(JsonDocument.Parse(json).RootElement);

    private static Translator Of(int side, params CatalogueField[] fields) => new(Mirror, side, new CatalogueCollection("x", Mirror.Fields
        .Select(f => f.Cells[side]?.Path).OfType<string>().Distinct().Select(p => fields.FirstOrDefault(f => f.Path == p) ?? new CatalogueField(p, "string", false, false, null)).ToImmutableDictionary(f => f.Path)));

    [Fact]
    public void A_record_becomes_agreed_form_with_telephone_numbers_read_in_its_own_country()
    {
        var translation = Of(1).ToAgreed(Raw("""{"Tel":"0131 496 0210","Name":" Brae Hire ","Mail":"Office@Brae.example","Country":"gbr"}"""));
        translation.Problems.ShouldBeEmpty();
        translation.Values.Select(v => v.Display).ShouldBe(["+44 131 496 0210", "Brae Hire", "Office@Brae.example", "GB"]);
    }

    [Fact]
    public void Nested_fields_are_reached_and_written_back_nested()
    {
        var translator = Of(0);
        translator.ToAgreed(Raw("""{"contact":{"email":"a@b.example"}}""")).Values[2].Display.ShouldBe("a@b.example");
        RawFields.Of([KeyValuePair.Create("contact.email", Value.Text("c@d.example"))]).ToNestedJson().ToJsonString().ShouldBe("""{"contact":{"email":"c@d.example"}}""");
    }

    [Theory]
    [InlineData("""{"Tel":"ask Ingrid","Country":"GBR"}""", "Tel is \"ask Ingrid\", which can't be read as a telephone number.")]
    [InlineData("""{"Country":"GB"}""", "Country is \"GB\", which is not in the code list.")]
    [InlineData("""{"Mail":{"work":[1]}}""", null)]
    [InlineData("""{"Mail":"no address"}""", "Mail is \"no address\", which can't be read as an e-mail address.")]
    [InlineData("""{"Name":true}""", "Name is \"yes\", which can't be read as text.")]
    public void What_can_not_be_translated_is_told_with_its_field_and_value(string json, string? sentence) =>
        Of(1).ToAgreed(Raw(json)).Problems.Select(p => p.Sentence).FirstOrDefault().ShouldBe(sentence);

    [Fact]
    public void A_required_field_that_is_missing_or_null_is_told_and_so_is_a_megabyte_of_text()
    {
        var translator = Of(0, new CatalogueField("name", "string", true, false, 20));
        translator.ToAgreed(Raw("{}")).Problems.Single().Sentence.ShouldBe("name is missing, and the system's own description says that it never is.");
        translator.ToAgreed(Raw("""{"name":null}""")).Problems.Single().Sentence.ShouldStartWith("name is empty");
        translator.ToAgreed(Raw($$"""{"name":"{{new string('x', 1_000_000)}}"}""")).Problems.Single().Sentence.ShouldBe("name holds 1,000,000 characters; at most 100,000 are taken.");
    }

    [Fact]
    public void An_agreed_value_that_the_side_can_not_hold_is_told()
    {
        var translator = Of(0, new CatalogueField("name", "string", true, false, 5));
        translator.ToSide(1, Value.Text("too long"), out var tooLong);
        tooLong!.Sentence.ShouldBe("name takes 5 characters, and Name \"too long\" has 8.");
        translator.ToSide(1, Value.Empty, out var empty);
        empty!.Sentence.ShouldBe("name may not be empty, and the agreed Name is.");
        Of(1).ToSide(3, Value.Text("FR"), out var noCode);
        noCode!.Sentence.ShouldBe("Country has no code for the agreed Country \"FR\".");
    }

    [Fact]
    public void Records_are_recognised_by_the_same_normalised_address_and_not_when_two_of_a_side_share_it()
    {
        MatchCandidate Candidate(int side, string id, string mail, Guid? link = null) =>
            new(side, id, link, MatchKeys.Of(Mirror, [Value.Empty, Value.Empty, new EmailValue(mail), Value.Empty]));

        var record = Candidate(0, "1", "OFFICE@brae.example");
        var twin = Candidate(1, "C-1", "office@Brae.example");
        Recogniser.Recognise(record, [record, twin]).ShouldBe(new Recognition.SameAs(twin, 0));
        Recogniser.Recognise(record, [Candidate(1, "C-2", "other@brae.example")]).ShouldBe(new Recognition.New());
        Recogniser.Recognise(record, [twin, Candidate(1, "C-3", "office@brae.example")]).ShouldBeOfType<Recognition.Ambiguous>();
        Recogniser.Recognise(record, [twin, Candidate(0, "2", "office@brae.example")]).ShouldBeOfType<Recognition.Ambiguous>();
    }

    [Fact]
    public void In_plain_words_the_settings_are_sentences()
    {
        var rules = Mirror.Rules(["Slipway CRM", "Ballast ERP"]);
        PlainWords.OfField(Mirror, 0, rules).ShouldBe("When the telephone changes in Slipway CRM or Ballast ERP, the other gets it: Slipway CRM in international form and Ballast ERP in national digits. If both changed it, a person is asked.");
        PlainWords.OfField(Mirror, 2, rules).ShouldEndWith("If both changed it, the latest change counts.");
    }
}
