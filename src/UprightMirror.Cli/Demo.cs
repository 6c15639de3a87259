using System.Collections.Immutable;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Cli;

/// <summary>What Saltmarsh Paddle Works has arranged: four connections, one mirror, three people. All made up.</summary>
internal static class Demo
{
    public static readonly ImmutableArray<(string Email, string Name, string Role, string Password)> People =
    [
        ("maren@saltmarsh.example", "Maren Voll", "administrator", "tide-and-timber"),
        ("joost@saltmarsh.example", "Joost Haak", "steward", "paddle-upstream"),
        ("ada@saltmarsh.example", "Ada Quill", "reader", "look-only-please"),
    ];

    private static readonly CodeList CountryNames = new([("United Kingdom", "GB"), ("Ireland", "IE"), ("Netherlands", "NL"), ("Norway", "NO"), ("Germany", "DE"), ("New Zealand", "NZ")]);

    private static readonly CodeList CountryCodes = new([("GBR", "GB"), ("IRL", "IE"), ("NLD", "NL"), ("NOR", "NO"), ("DEU", "DE"), ("NZL", "NZ")]);

    private static readonly CodeList TermsWords = new([("30 days net", "30 days"), ("14 days net", "14 days"), ("60 days net", "60 days"), ("In advance", "in advance")]);

    private static readonly CodeList TermsCodes = new([("N30", "30 days"), ("N14", "14 days"), ("N60", "60 days"), ("N0", "in advance")]);

    private static readonly Conversion AsIs = new AsItStands();

    /// <summary>Customers, between the CRM and the ERP.</summary>
    public static MirrorDefinition Customers => new(
        "customers", "Customers", "customer",
        [new SideDefinition("slipway", "organisations", DoubleMark: new SideConstant("deliveryNotes", "Entered twice: use {id}.")), new SideDefinition("ballast", "Customers")],
        [
            Both("Name", FieldType.Text, "name", "CustomerName"),
            Both("E-mail", FieldType.Email, "email", "EMail", "latest"),
            new AgreedFieldDefinition("Telephone", FieldType.Phone,
                [new SideField("phoneMain", true, true, new PhoneConversion(PhoneForm.International)), new SideField("TelephoneNo", true, true, new PhoneConversion(PhoneForm.NationalDigits))]),
            Both("Street", FieldType.Text, "address.street", "Street", group: "Address"),
            Both("Town", FieldType.Text, "address.town", "City", group: "Address"),
            Both("Postcode", FieldType.Text, "address.postcode", "PostCode", group: "Address"),
            new AgreedFieldDefinition("Country", FieldType.Text,
                [new SideField("address.country", true, true, CountryNames), new SideField("CountryCode", true, true, CountryCodes)], "rank", ["ballast"], EmptyTravels: false),
            new AgreedFieldDefinition("Payment terms", FieldType.Text,
                [new SideField("paymentTerms", false, true, TermsWords), new SideField("PaymentTermsCode", true, false, TermsCodes)], "rank", EmptyTravels: false),
            new AgreedFieldDefinition("VAT number", FieldType.Text,
                [new SideField("vatNumber", true, true, AsIs), new SideField("TaxRegistrationNo", true, true, AsIs)], "fullest", EmptyTravels: false),
            new AgreedFieldDefinition("Credit limit", FieldType.Number, [null, new SideField("CreditLimit", true, false, AsIs)], "rank"),
            new AgreedFieldDefinition("Segment", FieldType.Text, [new SideField("segment", true, false, AsIs), null], "rank"),
        ],
        [new RecognisingRule("VAT number"), new RecognisingRule("E-mail")],
        "Name",
        "Country",
        Likeness: new LikenessDefinition([
            new("Name", "organisation"), new("E-mail", "email"), new("Telephone", "phone"), new("Street", "street"), new("Town", "town"), new("Postcode", "postcode"), new("VAT number", "number"),
        ]));

    /// <summary>
    /// People, between the CRM and the mail system. Whom one of them alone knows stays there; how far somebody has come is told to the CRM, and never goes back.
    /// </summary>
    public static MirrorDefinition PeopleMirror => new(
        "people", "People", "person",
        [new SideDefinition("slipway", "people", MayCreate: false), new SideDefinition("pennant", "people", MayCreate: false)],
        [
            Shown("Last name", FieldType.Text, "lastName", "family_name"),
            Shown("First name", FieldType.Text, "firstName", "given_name"),
            Shown("E-mail", FieldType.Email, "email", "email"),
            Shown("Mobile", FieldType.Text, "mobile", "mobile"),
            Shown("Birthday", FieldType.Date, "birthday", "born_on"),
            Shown("Role", FieldType.Text, "role", "job_title"),
            new AgreedFieldDefinition("Stage", FieldType.Text,
                [new SideField("stage", true, true, AsIs), new SideField("stage", true, false, StagesInSmall)], "furthest", States: Stages, FirstMeeting: "furthest", EmptyTravels: false),
        ],
        [],
        "Last name",
        Likeness: new LikenessDefinition([new("Last name", "family"), new("First name", "given"), new("E-mail", "email"), new("Mobile", "phone"), new("Birthday", "date")]),
        LeavesOut: true);

    private static readonly ImmutableArray<string> Stages = ["Subscriber", "Lead", "Opportunity", "Customer", "Ambassador"];

    private static readonly CodeList StagesInSmall = new([.. Stages.Select(s => (s.ToLowerInvariant(), s))]);

    /// <summary>The connections. Their secrets are those that the demo world's systems give to a service account.</summary>
    public static IEnumerable<(KeptConnection Connection, IReadOnlyDictionary<string, string> Secrets)> Connections(Uri world, string? folder)
    {
        yield return (
            new KeptConnection("slipway", "Slipway CRM", "Sl", "#1f6390", "rest", new Uri(world, "/slipway/openapi.json"), InstallCommands.Json(new ConnectionSettings(
                new SignInSettings("clientCredentials"),
                new Dictionary<string, CollectionSettings>
                {
                    ["organisations"] = new(PageSizeParameter: "limit", ChangedSinceParameter: "updatedSince", ChangedAt: "updatedAt", ChangedBy: "updatedBy", VersionTag: "etag", Reference: "externalReference"),
                },
                CallsPerSecond: 20, AllowPrivate: true))),
            new Dictionary<string, string> { ["clientId"] = "upright-mirror", ["clientSecret"] = "slip-4417-demo" });
        yield return (
            new KeptConnection("ballast", "Ballast ERP", "Ba", "#94531d", "odata", new Uri(world, "/ballast/odata/"), InstallCommands.Json(new ConnectionSettings(
                new SignInSettings("basic"),
                new Dictionary<string, CollectionSettings> { ["Customers"] = new(ChangedAt: "ChangedOn", ChangedBy: "ChangedBy", Reference: "ExternalReference") },
                CallsAtOnce: 8, AllowPrivate: true))),
            new Dictionary<string, string> { ["user"] = "UPRIGHT-SVC", ["password"] = "ballast-demo-20931" });
        yield return (
            new KeptConnection("pennant", "Pennant Mail", "Pe", "#8a3a5c", "rest", new Uri(world, "/pennant/openapi.yaml"), InstallCommands.Json(new ConnectionSettings(
                new SignInSettings("key", KeyName: "X-Pennant-Key"), CallsPerSecond: 5, CallsAtOnce: 2, AllowPrivate: true))),
            new Dictionary<string, string> { ["key"] = "pennant-7731-demo" });
        if (folder is not null)
        {
            yield return (
                new KeptConnection("drop", "Drop folder", "Df", "#3f6b2f", "folder", new Uri(folder), InstallCommands.Json(new ConnectionSettings(Collections: new[] { "webshop-orders", "partner-orders" }.ToDictionary(
                    name => name, name => new CollectionSettings(FilePattern: name + "*", Id: "", RowsBy: "order_no", LineColumns: ["line_id", "sku", "quantity", "price"]))))),
                new Dictionary<string, string>());
        }
    }

    /// <summary>A field that the CRM gives and that is written nowhere: records are recognised by it.</summary>
    private static AgreedFieldDefinition Shown(string name, FieldType type, string slipway, string pennant) =>
        new(name, type, [new SideField(slipway, true, false, AsIs), new SideField(pennant, false, false, AsIs)], "rank");

    private static AgreedFieldDefinition Both(string name, FieldType type, string slipway, string ballast, string rule = "ask", string? group = null) =>
        new(name, type, [new SideField(slipway, true, true, AsIs), new SideField(ballast, true, true, AsIs)], rule, Group: group);
}
