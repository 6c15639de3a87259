using System.Collections.Immutable;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Cli;

/// <summary>What Saltmarsh Paddle Works has arranged: four connections, five mirrors, three people. All made up.</summary>
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

    /// <summary>Products: the ERP gives them, the CRM and the mail system take them. What sales writes about one reaches the campaigns.</summary>
    public static MirrorDefinition Products => new(
        "products", "Products", "product",
        [
            new SideDefinition("ballast", "Items", MayCreate: false),
            new SideDefinition("slipway", "products", Constants: [new SideConstant("currency", "EUR")]),
            new SideDefinition("pennant", "products", Constants: [new SideConstant("currency", "EUR")]),
        ],
        [
            Given("Code", FieldType.Text, new SideField("ItemNo", true, false, AsIs), new SideField("code", false, true, AsIs), new SideField("sku", false, true, AsIs)),
            Given("Name", FieldType.Text, new SideField("Description", true, false, AsIs), new SideField("name", false, true, AsIs), new SideField("title", false, true, AsIs)),
            Given("Price", FieldType.Number, new SideField("UnitPrice", true, false, AsIs), new SideField("listPrice", false, true, AsIs), new SideField("price", false, true, AsIs)),
            Given("Family", FieldType.Text, new SideField("GroupCode", true, false, Families), new SideField("family", false, true, AsIs), null),
            Given("On sale", FieldType.YesNo, new SideField("Blocked", true, false, new FormulaConversion("NOT(value)", "NOT(value)")), new SideField("active", false, true, AsIs), new SideField("show_in_campaigns", false, true, AsIs)),
            Given("Sales notes", FieldType.Text, null, new SideField("salesNotes", true, false, AsIs), new SideField("teaser", false, true, AsIs)),
        ],
        [new RecognisingRule("Code")],
        "Name");

    /// <summary>Orders: a deal that is won and marked ready becomes one order, and the order's number comes back to the deal.</summary>
    public static MirrorDefinition Orders => new(
        "orders", "Orders", "order",
        [
            new SideDefinition("slipway", "deals", MayCreate: false, Scope: "AND(stage = \"Won\"; readyToOrder)"),
            new SideDefinition("ballast", "SalesOrders", Constants: [new SideConstant("StatusCode", "OPEN")]),
        ],
        [
            Given("Order number", FieldType.Text, new SideField("orderNumber", false, true, AsIs), new SideField("OrderNo", true, false, AsIs)),
            Given("Title", FieldType.Text, new SideField("title", true, false, AsIs), null),
            Given("Customer", FieldType.Reference, new SideField("organisationId", true, false, new ReferenceTo("customers")), new SideField("CustomerNo", false, true, new ReferenceTo("customers"))),
            Given("Currency", FieldType.Text, new SideField("currency", true, false, AsIs), new SideField("CurrencyCode", false, true, AsIs)),
            Given("Wanted by", FieldType.Date, new SideField("expectedOn", true, false, AsIs), new SideField("RequestedDeliveryDate", false, true, AsIs)),
            Given("Total", FieldType.Number, new SideField("amount", true, false, AsIs), new SideField("TotalAmount", true, false, AsIs)),
            Lines(new SideField("lines", true, false, AsIs), new SideField("Lines", false, true, AsIs), new LinesDefinition("Line",
                [
                    Given("Line", FieldType.Number, new SideField("lineNo", true, false, AsIs), new SideField("LineNo", false, true, ByTenThousands)),
                    Given("Product", FieldType.Text, new SideField("productCode", true, false, AsIs), new SideField("ItemNo", false, true, AsIs)),
                    Given("Quantity", FieldType.Number, new SideField("quantity", true, false, AsIs), new SideField("Quantity", false, true, AsIs)),
                    Given("Price", FieldType.Number, new SideField("unitPrice", true, false, AsIs), new SideField("UnitPrice", false, true, AsIs)),
                    Given("Discount", FieldType.Number, new SideField("discountPercent", true, false, AsIs), new SideField("DiscountPercent", false, true, AsIs)),
                ], new TotalCheck("Total", "ROUND(Quantity * Price * (100 - Discount) / 100; 2)", 0.05m))),
        ],
        [new RecognisingRule("Order number")],
        "Title");

    /// <summary>Invoices, from the ERP to the CRM, with their lines and how far they are paid.</summary>
    public static MirrorDefinition Invoices => new(
        "invoices", "Invoices", "invoice",
        [new SideDefinition("ballast", "Invoices", MayCreate: false), new SideDefinition("slipway", "invoices")],
        [
            Given("Number", FieldType.Text, new SideField("InvoiceNo", true, false, AsIs), new SideField("number", false, true, AsIs)),
            Given("Customer", FieldType.Reference, new SideField("CustomerNo", true, false, new ReferenceTo("customers")), new SideField("organisationId", false, true, new ReferenceTo("customers"))),
            Given("Issued on", FieldType.Date, new SideField("PostingDate", true, false, AsIs), new SideField("issuedOn", false, true, AsIs)),
            Given("Due on", FieldType.Date, new SideField("DueDate", true, false, AsIs), new SideField("dueOn", false, true, AsIs)),
            Given("Net amount", FieldType.Number, new SideField("NetAmount", true, false, AsIs), new SideField("netAmount", false, true, AsIs)),
            Given("Tax", FieldType.Number, new SideField("TaxAmount", true, false, AsIs), new SideField("taxAmount", false, true, AsIs)),
            Given("Total", FieldType.Number, new SideField("GrossAmount", true, false, AsIs), new SideField("grossAmount", false, true, AsIs)),
            Given("Open amount", FieldType.Number, new SideField("RemainingAmount", true, false, AsIs), new SideField("openAmount", false, true, AsIs)),
            Given("Payment state", FieldType.Text, new SideField("PaymentStatusCode", true, false, PaymentCodes), new SideField("paymentState", false, true, AsIs)),
            Lines(new SideField("Lines", true, false, AsIs), new SideField("lines", false, true, AsIs), new LinesDefinition("Line",
                [
                    Given("Line", FieldType.Number, new SideField("LineNo", true, false, ByTenThousands), new SideField("lineNo", false, true, AsIs)),
                    Given("Product", FieldType.Text, new SideField("ItemNo", true, false, AsIs), new SideField("productCode", false, true, AsIs)),
                    Given("Description", FieldType.Text, new SideField("Description", true, false, AsIs), new SideField("description", false, true, AsIs)),
                    Given("Quantity", FieldType.Number, new SideField("Quantity", true, false, AsIs), new SideField("quantity", false, true, AsIs)),
                    Given("Net amount", FieldType.Number, new SideField("NetAmount", true, false, AsIs), new SideField("netAmount", false, true, AsIs)),
                    Given("Tax percent", FieldType.Number, new SideField("TaxPercent", true, false, AsIs), new SideField("taxPercent", false, true, AsIs)),
                ], new TotalCheck("Net amount", "[Net amount]", 0.05m))),
        ],
        [new RecognisingRule("Number")],
        "Number");

    /// <summary>Every mirror of the demo, those first that others point at.</summary>
    public static IEnumerable<MirrorDefinition> Mirrors => [Customers, PeopleMirror, Products, Orders, Invoices];

    private static readonly FormulaConversion ByTenThousands = new("value / 10000", "value * 10000");

    private static readonly CodeList Families = new([("CAN", "Canoe"), ("KAY", "Kayak"), ("PAD", "Paddle"), ("SAF", "Safety"), ("CLO", "Clothing"), ("TRA", "Trailer")]);

    private static readonly CodeList PaymentCodes = new([("OPEN", "Open"), ("PARTIAL", "Partly paid"), ("PAID", "Paid"), ("OVERDUE", "Overdue")]);

    /// <summary>A field with one cell a side.</summary>
    private static AgreedFieldDefinition Given(string name, FieldType type, params ImmutableArray<SideField?> cells) => new(name, type, cells, "rank");

    private static AgreedFieldDefinition Lines(SideField first, SideField second, LinesDefinition lines) => new("Lines", FieldType.Lines, [first, second], "rank", Lines: lines);

    private static readonly ImmutableArray<string> Stages = ["Subscriber", "Lead", "Opportunity", "Customer", "Ambassador"];

    private static readonly CodeList StagesInSmall = new([.. Stages.Select(s => (s.ToLowerInvariant(), s))]);

    /// <summary>The connections. Their secrets are those that the demo world's systems give to a service account.</summary>
    public static IEnumerable<(KeptConnection Connection, IReadOnlyDictionary<string, string> Secrets)> Connections(Uri world, string? folder)
    {
        yield return (
            new KeptConnection("slipway", "Slipway CRM", "Sl", "#1f6390", "rest", new Uri(world, "/slipway/openapi.json"), InstallCommands.Json(new ConnectionSettings(
                new SignInSettings("clientCredentials"), CallsPerSecond: 20, AllowPrivate: true))),
            new Dictionary<string, string> { ["clientId"] = "upright-mirror", ["clientSecret"] = "slip-4417-demo" });
        yield return (
            new KeptConnection("ballast", "Ballast ERP", "Ba", "#94531d", "odata", new Uri(world, "/ballast/odata/"), InstallCommands.Json(new ConnectionSettings(
                new SignInSettings("basic"),
                new Dictionary<string, CollectionSettings>
                {
                    ["Customers"] = new(ChangedAt: "ChangedOn", ChangedBy: "ChangedBy", Reference: "ExternalReference"),
                    ["SalesOrders"] = new(ChangedAt: "ChangedOn", ChangedBy: "ChangedBy", Reference: "YourReference", Expand: ["Lines"]),
                },
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
