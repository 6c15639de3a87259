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

    /// <summary>
    /// Customers: the CRM and the ERP keep them, the mail system takes what campaigns need and what a customer comes to by its orders and invoices, and an order of the
    /// web shop brings the customers that nobody knew.
    /// </summary>
    public static MirrorDefinition Customers => new(
        "customers", "Customers", "customer",
        [
            new SideDefinition("slipway", "organisations", DoubleMark: new SideConstant("deliveryNotes", "Entered twice: use {id}.")), new SideDefinition("ballast", "Customers"),
            new SideDefinition("pennant", "companies", MayCreate: false), new SideDefinition("drop", "webshop-customers", MayCreate: false),
        ],
        [
            Customer("Name", FieldType.Text, Both("name"), Both("CustomerName"), Taken("name"), AtFirst("customer")),
            Customer("E-mail", FieldType.Email, Both("email"), Both("EMail"), null, AtFirst("email")) with { Rule = "latest" },
            Customer("Telephone", FieldType.Phone, Both("phoneMain", new PhoneConversion(PhoneForm.International)), Both("TelephoneNo", new PhoneConversion(PhoneForm.NationalDigits)), Taken("telephone", new PhoneConversion(PhoneForm.International)), null),
            Customer("Website", FieldType.Text, new SideField("website", true, false, AsIs), null, new SideField("web_domain", false, false, AsIs), null) with { Rule = "rank" },
            Customer("Street", FieldType.Text, Both("address.street"), Both("Street"), null, AtFirst("street")) with { Group = "Address" },
            Customer("Town", FieldType.Text, Both("address.town"), Both("City"), Taken("town"), AtFirst("town")) with { Group = "Address" },
            Customer("Postcode", FieldType.Text, Both("address.postcode"), Both("PostCode"), null, null) with { Group = "Address" },
            Customer("Country", FieldType.Text, Both("address.country", CountryNames), Both("CountryCode", CountryCodes), Taken("country_code"), AtFirst("country")) with { Rule = "rank", Rank = ["ballast"], EmptyTravels = false },
            Customer("Payment terms", FieldType.Text, new SideField("paymentTerms", false, true, TermsWords), new SideField("PaymentTermsCode", true, false, TermsCodes), null, null) with { Rule = "rank", EmptyTravels = false },
            Customer("VAT number", FieldType.Text, Both("vatNumber"), Both("TaxRegistrationNo"), null, null) with { Rule = "fullest", EmptyTravels = false },
            Customer("Credit limit", FieldType.Number, null, new SideField("CreditLimit", true, false, AsIs), null, null) with { Rule = "rank" },
            Customer("Segment", FieldType.Text, new SideField("segment", true, false, AsIs), null, Taken("segment", new FormulaConversion("PROPER(value)", "LOWER(value)")), null) with { Rule = "rank" },
            Customer("Last order", FieldType.Date, null, null, Taken("last_order_on"), null) with { Rule = "rank", WorkedOut = "IF(COUNTFILLED(LINKED(\"orders\"; \"Ordered on\")) = 0; \"\"; MAX(LINKED(\"orders\"; \"Ordered on\")))" },
            Customer("Open amount", FieldType.Number, null, null, Taken("open_amount"), null) with { Rule = "rank", WorkedOut = "SUM(LINKED(\"invoices\"; \"Open amount\"))" },
            Customer("Lifetime total", FieldType.Number, null, null, Taken("lifetime_total"), null) with { Rule = "rank", WorkedOut = "SUM(LINKED(\"invoices\"; \"Total\"))" },
        ],
        [new RecognisingRule("VAT number"), new RecognisingRule("E-mail")],
        "Name",
        "Country",
        Likeness: new LikenessDefinition([
            new("Name", "organisation"), new("E-mail", "email"), new("Telephone", "phone"), new("Website", "web"), new("Street", "street"), new("Town", "town"), new("Postcode", "postcode"), new("VAT number", "number"),
        ]));

    /// <summary>
    /// People, between the CRM and the mail system. Whom one of them alone knows stays there; how far somebody has come is told to the CRM, and never goes back.
    /// </summary>
    public static MirrorDefinition PeopleMirror => new(
        "people", "People", "person",
        [new SideDefinition("slipway", "people", MayCreate: false), new SideDefinition("pennant", "people", MayCreate: false)],
        [
            Told("Last name", FieldType.Text, "lastName", "family_name"),
            Told("First name", FieldType.Text, "firstName", "given_name"),
            Told("E-mail", FieldType.Email, "email", "email", takes: false),
            Told("Mobile", FieldType.Text, "mobile", "mobile"),
            Told("Birthday", FieldType.Date, "birthday", "born_on"),
            Told("Role", FieldType.Text, "role", "job_title"),
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

    /// <summary>Orders: a deal that is won and marked ready becomes one order, and the order's number comes back to the deal. So does an order of the web shop.</summary>
    public static MirrorDefinition Orders => new(
        "orders", "Orders", "order",
        [
            new SideDefinition("slipway", "deals", MayCreate: false, Scope: "AND(stage = \"Won\"; readyToOrder)"),
            new SideDefinition("ballast", "SalesOrders", Constants: [new SideConstant("StatusCode", "OPEN")]),
            new SideDefinition("drop", "webshop-orders", MayCreate: false),
        ],
        [
            Given("Order number", FieldType.Text, new SideField("orderNumber", false, true, AsIs), new SideField("OrderNo", true, false, AsIs), null),
            Given("Title", FieldType.Text, new SideField("title", true, false, AsIs), null, new SideField("order_no", true, false, new FormulaConversion("\"Web shop \" & value", null))),
            Given("Customer", FieldType.Reference, new SideField("organisationId", true, false, new ReferenceTo("customers")), new SideField("CustomerNo", false, true, new ReferenceTo("customers")), new SideField("email", true, false, new ReferenceTo("customers"))),
            Given("Currency", FieldType.Text, new SideField("currency", true, false, AsIs), new SideField("CurrencyCode", false, true, AsIs), new SideField("order_no", true, false, new FormulaConversion("\"EUR\"", null))),
            Given("Ordered on", FieldType.Date, null, new SideField("OrderDate", true, true, AsIs), AtFirst("ordered_on")),
            Given("Wanted by", FieldType.Date, new SideField("expectedOn", true, false, AsIs), new SideField("RequestedDeliveryDate", false, true, AsIs), null),
            Given("Total", FieldType.Number, new SideField("amount", true, false, AsIs), new SideField("TotalAmount", true, false, AsIs), null),
            Lines([new SideField("lines", true, false, AsIs), new SideField("Lines", false, true, AsIs), new SideField("lines", true, false, AsIs)], new LinesDefinition("Line",
                [
                    Given("Line", FieldType.Number, new SideField("lineNo", true, false, AsIs), new SideField("LineNo", false, true, ByTenThousands), new SideField("line_id", true, false, new FormulaConversion("VALUE(SPLIT(value; \"-\"; -1))", null))),
                    Given("Product", FieldType.Text, new SideField("productCode", true, false, AsIs), new SideField("ItemNo", false, true, AsIs), new SideField("sku", true, false, AsIs)),
                    Given("Quantity", FieldType.Number, new SideField("quantity", true, false, AsIs), new SideField("Quantity", false, true, AsIs), new SideField("quantity", true, false, AsIs)),
                    Given("Price", FieldType.Number, new SideField("unitPrice", true, false, AsIs), new SideField("UnitPrice", false, true, AsIs), new SideField("price", true, false, AsIs)),
                    Given("Discount", FieldType.Number, new SideField("discountPercent", true, false, AsIs), new SideField("DiscountPercent", false, true, AsIs), new SideField("price", true, false, new FormulaConversion("0", null))),
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
            Lines([new SideField("Lines", true, false, AsIs), new SideField("lines", false, true, AsIs)], new LinesDefinition("Line",
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
    /// <param name="hasFolder">Whether there is a folder that the web shop's orders arrive in.</param>
    public static IEnumerable<MirrorDefinition> Mirrors(bool hasFolder)
    {
        MirrorDefinition[] all = [Customers, PeopleMirror, Products, Orders, Invoices];
        return hasFolder ? all : all.Select(m => m.Without("drop"));
    }

    private static readonly FormulaConversion ByTenThousands = new("value / 10000", "value * 10000");

    private static readonly CodeList Families = new([("CAN", "Canoe"), ("KAY", "Kayak"), ("PAD", "Paddle"), ("SAF", "Safety"), ("CLO", "Clothing"), ("TRA", "Trailer")]);

    private static readonly CodeList PaymentCodes = new([("OPEN", "Open"), ("PARTIAL", "Partly paid"), ("PAID", "Paid"), ("OVERDUE", "Overdue")]);

    /// <summary>A field with one cell a side.</summary>
    private static AgreedFieldDefinition Given(string name, FieldType type, params ImmutableArray<SideField?> cells) => new(name, type, cells, "rank");

    private static AgreedFieldDefinition Lines(ImmutableArray<SideField?> cells, LinesDefinition lines) => new("Lines", FieldType.Lines, cells, "rank", Lines: lines);

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
                new KeptConnection("drop", "Drop folder", "Df", "#3f6b2f", "folder", new Uri(folder), InstallCommands.Json(new ConnectionSettings(Collections: new Dictionary<string, CollectionSettings>
                {
                    ["webshop-orders"] = new(FilePattern: "webshop-orders*", Id: "", RowsBy: "order_no", LineColumns: ["line_id", "sku", "quantity", "price"]),
                    ["partner-orders"] = new(FilePattern: "partner-orders*", Id: "", RowsBy: "order_no", LineColumns: ["line_id", "sku", "quantity", "price"]),
                    ["webshop-customers"] = new(FilePattern: "webshop-orders*", Id: "email", Beside: "webshop-orders"),
                }))),
                new Dictionary<string, string>());
        }
    }

    /// <summary>A field that the CRM gives and the mail system is told; its own e-mail address is what a person is known by there, and stays.</summary>
    private static AgreedFieldDefinition Told(string name, FieldType type, string slipway, string pennant, bool takes = true) =>
        new(name, type, [new SideField(slipway, true, false, AsIs), new SideField(pennant, false, takes, AsIs)], "rank", EmptyTravels: false);

    /// <summary>A field of customers, with a cell for the CRM, the ERP, the mail system and the web shop's files.</summary>
    private static AgreedFieldDefinition Customer(string name, FieldType type, SideField? slipway, SideField? ballast, SideField? pennant, SideField? drop) => new(name, type, [slipway, ballast, pennant, drop]);

    private static SideField Both(string path, Conversion? conversion = null) => new(path, true, true, conversion ?? AsIs);

    private static SideField Taken(string path, Conversion? conversion = null) => new(path, false, true, conversion ?? AsIs);

    /// <summary>Gives a new record, and changes none that is there.</summary>
    private static SideField AtFirst(string path) => new(path, true, false, AsIs, OnlyAtFirst: true);

    /// <summary>A mirror without one of its sides.</summary>
    public static MirrorDefinition Without(this MirrorDefinition mirror, string system)
    {
        var side = mirror.Sides.Select(s => s.System).ToList().IndexOf(system);
        return side < 0 ? mirror : mirror with { Sides = mirror.Sides.RemoveAt(side), Fields = [.. mirror.Fields.Select(WithoutCell)] };

        AgreedFieldDefinition WithoutCell(AgreedFieldDefinition field) => field with
        {
            Cells = field.Cells.RemoveAt(side),
            Lines = field.Lines is { } lines ? lines with { Fields = [.. lines.Fields.Select(WithoutCell)] } : null,
        };
    }
}
