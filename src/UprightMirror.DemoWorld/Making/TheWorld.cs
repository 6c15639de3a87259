using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using Bogus;
using UprightMirror.DemoWorld.Ballast;
using UprightMirror.DemoWorld.Pennant;
using UprightMirror.DemoWorld.Shelves;
using UprightMirror.DemoWorld.Slipway;

namespace UprightMirror.DemoWorld.Making;

/// <summary>Fills every system with the company's last three years, each with its own users' way of writing things down. All from one seed.</summary>
public sealed class TheWorld(ShelfStore store, SlipwayRecords slipway, BallastRecords ballast, PennantRecords pennant, TimeProvider clock)
{
    internal const int Seed = 20260301;

    /// <summary>What every sale is taxed with.</summary>
    internal const decimal TaxPercent = 21;

    public static readonly string[] SalesPeople = ["Aoife Brannock", "Tomasz Wier", "Hanne Lunde"];
    private static readonly string[] OfficePeople = ["Accounts desk", "Ingrid Sæther", "Piet Dekker"];
    private static readonly (string Family, string[] Models, decimal Price)[] Ranges =
    [
        ("Canoe", ["Prospector 16", "Estuary 15", "Ranger 14", "Tandem 17"], 1190m), ("Kayak", ["Skerry 420", "Fjord 500", "Brook 280", "Race K1"], 980m), ("Paddle", ["Ash 150", "Carbon 210", "Spoon 140", "Split 220"], 89m),
        ("Safety", ["Buoyancy aid", "Throw line 20", "Helmet", "Whistle"], 45m), ("Clothing", ["Dry top", "Neoprene boots", "Pogies", "Cag"], 75m), ("Trailer", ["Six boat", "Ten boat", "Roof bars", "Trolley"], 310m),
    ];

    private static readonly Dictionary<string, string> CountryNames = new() { ["GB"] = "United Kingdom", ["IE"] = "Ireland", ["NL"] = "Netherlands", ["NO"] = "Norway", ["DE"] = "Germany", ["NZ"] = "New Zealand" };

    private readonly List<object> truth = [];
    private readonly Dictionary<int, List<string>> inSlipway = [];
    private readonly Dictionary<int, List<string>> worksAt = [];
    private readonly Dictionary<int, int> inPennant = [];
    private readonly Dictionary<int, List<string>> inBallast = [];

    /// <summary>Makes what is missing. Data that is there stays, so that a restart keeps what people did.</summary>
    /// <param name="companies">How many companies there are in all; each system knows most of them.</param>
    /// <param name="truthFile">Where to write which records are one thing; null for nowhere. The product never reads it.</param>
    public async Task Fill(int companies, string? truthFile, CancellationToken cancellation)
    {
        await store.MakeTables(cancellation);
        if (await store.IsEmpty(cancellation))
        {
            await this.Make(companies, cancellation);
            if (truthFile is not null)
            {
                await File.WriteAllLinesAsync(truthFile, this.truth.Select(t => JsonSerializer.Serialize(t)), cancellation);
            }

            return;
        }

        await slipway.Load(cancellation);
        await ballast.Load(cancellation);
        await pennant.Load(cancellation);
    }

    private async Task Make(int count, CancellationToken cancellation)
    {
        var random = new Randomizer(Seed + 1);
        var companies = Companies.Make(count, Seed);
        var now = clock.GetUtcNow();
        var today = new DateTimeOffset(now.Ticks - (now.Ticks % TimeSpan.TicksPerSecond), TimeSpan.Zero);
        DateTimeOffset Lately() => today.AddDays(-random.Number(2, 1000)).AddSeconds(-random.Number(0, 80_000));

        var organisations = new List<(string, JsonObject, DateTimeOffset, string)>();
        var customers = new List<(string, Customer, DateTimeOffset, string)>();
        var mailCompanies = new List<(string, JsonObject, DateTimeOffset, string)>();
        for (var i = 0; i < companies.Count; i++)
        {
            // Most stand in both systems; the CRM knows some that never bought, the office some that sales never met.
            var where = i % 21;
            if (where != 20)
            {
                this.AddOrganisation(organisations, companies[i], i, random, Lately(), null);
                if (random.Bool(0.02f))
                {
                    // Entered twice in one system, by somebody who did not find the first.
                    this.AddOrganisation(organisations, companies[i] with { Name = Dirt.Name(random, companies[i].Name), Vat = "" }, i, random, Lately(), null, twice: true);
                }
            }

            if (where > 3)
            {
                this.AddCustomer(customers, companies[i], i, random, Lately());
            }

            if (random.Bool(0.6f))
            {
                var id = PennantId(mailCompanies.Count + 1);
                this.inPennant[i] = int.Parse(id, CultureInfo.InvariantCulture);
                this.True("company", i, "pennant", "companies", long.Parse(id, CultureInfo.InvariantCulture).ToString(CultureInfo.InvariantCulture));
                mailCompanies.Add((id, new JsonObject { ["web_domain"] = companies[i].Domain, ["name"] = Dirt.Name(random, companies[i].Name), ["telephone"] = companies[i].Phone, ["town"] = companies[i].Town, ["country_code"] = companies[i].Country, ["segment"] = companies[i].Segment.ToLowerInvariant(), ["language"] = More.Of(companies[i], i).LanguageName, ["customer_since"] = More.Of(companies[i], i).Since?.ToString("dd/MM/yyyy", CultureInfo.InvariantCulture), ["member_count"] = More.Of(companies[i], i).Members, ["account_owner"] = i % 3 == 0 ? More.Of(companies[i], i).Owner : null }, Lately(), "import"));
            }
        }

        // Branches of one organisation at towns of their own, under nearly its name.
        foreach (var parent in Enumerable.Range(0, companies.Count).Where(i => i % 29 == 7 && this.inSlipway.ContainsKey(i)).ToList())
        {
            var branch = companies[parent] with { Name = $"{Dirt.WithoutEnding(companies[parent].Name)}, {companies[(parent + 11) % companies.Count].Town}", Town = companies[(parent + 11) % companies.Count].Town, Email = $"branch{parent}@{companies[parent].Domain}", Vat = "" };
            this.AddOrganisation(organisations, branch, 1_000_000 + parent, random, Lately(), this.inSlipway[parent][0]);
        }

        await slipway["organisations"].Stock(organisations, 4000 + organisations.Count, cancellation);
        await ballast.Customers.Stock(customers, customers.Count, cancellation);
        await pennant["companies"].Stock(mailCompanies, mailCompanies.Count, cancellation);
        await this.MakePeople(companies, random, Lately, cancellation);
        var codes = await this.MakeProducts(Math.Clamp(count / 10, 24, 240), random, Lately, cancellation);
        await this.MakeSales(companies, codes, random, today, cancellation);
        await pennant["lists"].Stock([.. new[] { "All subscribers", "Clubs", "Schools", "Demo day" }.Select((l, i) => (PennantId(i + 1), new JsonObject { ["title"] = l, ["members"] = 100 * (i + 1) }, Lately(), "import"))], 4, cancellation);
    }

    private void AddOrganisation(List<(string, JsonObject, DateTimeOffset, string)> all, Company company, int thing, Randomizer random, DateTimeOffset at, string? parent, bool twice = false)
    {
        var id = (4001 + all.Count).ToString("D6", CultureInfo.InvariantCulture);
        if (!this.inSlipway.TryGetValue(thing, out var ids))
        {
            this.inSlipway[thing] = ids = [];
        }

        ids.Add(id);
        var more = More.Of(company, thing);
        this.True("company", thing, "slipway", "organisations", id);
        all.Add((id, new JsonObject
        {
            ["name"] = company.Name,
            ["phoneMain"] = random.Bool(0.98f) ? Dirt.Grouped(company.Phone) : null,
            ["email"] = twice ? null : company.Email,
            ["website"] = random.Bool(0.7f) ? "https://www." + company.Domain : null,
            ["address.street"] = company.Street,
            ["address.town"] = company.Town,
            ["address.postcode"] = company.Postcode,
            ["address.country"] = CountryNames[company.Country],
            ["segment"] = company.Segment,
            ["tags"] = new JsonArray([.. random.ListItems(["newsletter", "trade fair", "key account", "seasonal", "demo boats"], random.Number(0, 2)).Select(t => (JsonNode?)JsonValue.Create(t))]),
            ["paymentTerms"] = random.Bool(0.98f) ? company.TermsDays == 0 ? "In advance" : $"{company.TermsDays} days net" : null,
            ["vatNumber"] = company.Vat.Length > 0 && random.Bool(0.95f) ? company.Vat : null,
            ["owner"] = random.ArrayElement(SalesPeople) is var drawn && thing % 25 == 3 ? drawn : more.Owner,
            ["parentId"] = parent,
            ["language"] = more.Language,
            ["customerSince"] = more.Since?.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
            ["discountPercent"] = more.Discount,
            ["deliveryNotes"] = more.Delivery,
            ["creditLimit"] = thing % 2 == 0 ? company.CreditLimit : null,
            ["custom.members"] = more.Members,
            ["custom.fleetSize"] = random.Bool(0.4f) ? random.Number(2, 60) : null,
            ["custom.launchSite"] = random.Bool(0.3f) ? $"{company.Town} slip" : null,
            ["createdAt"] = at.AddDays(-30).UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture),
        }, at, random.ArrayElement(SalesPeople)));
    }

    /// <summary>The office writes the same company its own way: another street number here, an old telephone number there.</summary>
    private void AddCustomer(List<(string, Customer, DateTimeOffset, string)> all, Company company, int thing, Randomizer random, DateTimeOffset at)
    {
        var id = $"C-{(20001 + all.Count).ToString(CultureInfo.InvariantCulture)}";
        this.inBallast[thing] = [id];
        this.True("company", thing, "ballast", "Customers", id);
        var more = More.Of(company, thing);
        var moved = random.Bool(0.03f);
        var capitals = random.Bool(0.03f);
        var name = random.Bool(0.05f) ? Dirt.WithoutEnding(company.Name) : company.Name;
        all.Add((id, new Customer
        {
            CustomerName = capitals ? name.ToUpperInvariant() : name,
            NameInCapitals = capitals,
            TelephoneNo = random.Bool(0.03f) ? null : Dirt.National(random.Bool(0.04f) ? company.Phone[..^2] + random.Replace("##") : company.Phone, company.Country),
            EMail = random.Bool(0.04f) ? company.Email.ToUpperInvariant() : company.Email,
            Street = moved ? $"{random.Number(1, 140).ToString(CultureInfo.InvariantCulture)} {company.Street.Split(' ', 2)[1]}" : company.Street,
            City = company.Town,
            PostCode = moved ? random.Replace("####") : company.Postcode,
            CountryCode = BallastRecords.CountryCodes[company.Country],
            PaymentTermsCode = $"N{company.TermsDays.ToString(CultureInfo.InvariantCulture)}",
            TaxRegistrationNo = random.Bool(0.95f) ? company.Vat : null,
            CreditLimit = company.CreditLimit,
            CustomerGroupCode = company.Segment[..2].ToUpperInvariant(),
            LanguageCode = BallastRecords.LanguageCodes[more.Language],
            SalespersonCode = BallastRecords.SalespersonCodes[more.Owner],
            CustomerSince = more.Since,
            DiscountPercent = more.Discount,
            DeliveryInstructions = more.Delivery,
        }, at, random.ArrayElement(OfficePeople)));
    }

    private async Task MakePeople(IReadOnlyList<Company> companies, Randomizer random, Func<DateTimeOffset> lately, CancellationToken cancellation)
    {
        var people = People.Make(companies.Count * 20 / 7, companies, Seed + 2);
        var crm = new List<(string, JsonObject, DateTimeOffset, string)>();
        var mail = new List<(string, JsonObject, DateTimeOffset, string)>();
        var mailed = new HashSet<string>();
        for (var i = 0; i < people.Count; i++)
        {
            var person = people[i];
            if (i % 12 < 7)
            {
                var id = (1 + crm.Count).ToString("D6", CultureInfo.InvariantCulture);
                if (person.Company is { } works)
                {
                    (this.worksAt.TryGetValue(works, out var there) ? there : this.worksAt[works] = []).Add(id);
                }

                this.True("person", i, "slipway", "people", id);
                crm.Add((id, new JsonObject
                {
                    ["firstName"] = person.First,
                    ["lastName"] = person.Last,
                    ["email"] = random.Bool(0.88f) ? person.Email : person.Company is { } shared ? companies[shared].Email : null,
                    ["mobile"] = random.Bool(0.6f) ? Dirt.Grouped(person.Mobile) : null,
                    ["role"] = person.Role,
                    ["organisationId"] = person.Company is { } c && this.inSlipway.TryGetValue(c, out var at) ? at[0] : null,
                    ["stage"] = SlipwayDescription.Collections.First(x => x.Name == "people").Fields.First(f => f.Path == "stage").Allowed![person.Stage],
                    ["newsletter"] = random.Bool(0.5f),
                    ["language"] = person.Country.ToLowerInvariant(),
                    ["birthday"] = random.Bool(0.3f) ? person.Born.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture) : null,
                }, lately(), random.ArrayElement(SalesPeople)));
            }

            if (i % 12 is not (1 or 6) && mailed.Add(person.Email))
            {
                var id = PennantId(mail.Count + 1);
                this.True("person", i, "pennant", "people", long.Parse(id, CultureInfo.InvariantCulture).ToString(CultureInfo.InvariantCulture));
                var (first, last) = Dirt.Person(random, person);
                mail.Add((id, new JsonObject
                {
                    ["email"] = person.Email,
                    ["given_name"] = first,
                    ["family_name"] = last,
                    ["job_title"] = random.Bool(0.5f) ? person.Role : null,
                    ["company_name"] = person.Company is { } at ? Dirt.Name(random, companies[at].Name) : null,
                    ["web_domain"] = person.Company is { } of ? companies[of].Domain : null,
                    ["company_number"] = person.Company is { } employer && this.inPennant.TryGetValue(i % 14 == 9 ? (employer + 13) % companies.Count : employer, out var number) ? number : null, // Some went elsewhere since, and sales was not told.
                    ["mobile"] = random.Bool(0.4f) ? Dirt.National(person.Mobile, "GB") : null,
                    ["country_code"] = person.Country,
                    ["stage"] = PennantDescription.Stages[Math.Max(0, person.Stage - (random.Bool(0.2f) ? 1 : 0))],
                    ["score"] = random.Number(0, 100),
                    ["consent_given"] = random.Bool(0.9f),
                    ["born_on"] = random.Bool(0.2f) ? Swapped(random, person.Born) : null,
                    ["likes_touring"] = random.Bool(0.4f),
                    ["likes_safety"] = random.Bool(0.2f),
                    ["spring_sent"] = random.Number(0, 3),
                    ["c_years_paddling"] = random.Bool(0.3f) ? random.Number(1, 40) : null,
                    ["c_vip"] = random.Bool(0.02f) ? true : null,
                }, lately(), "import"));
            }
        }

        await slipway["people"].Stock(crm, crm.Count, cancellation);
        await pennant["people"].Stock(mail, mail.Count, cancellation);
    }

    private async Task<IReadOnlyList<(string Code, decimal Price)>> MakeProducts(int count, Randomizer random, Func<DateTimeOffset> lately, CancellationToken cancellation)
    {
        var items = new List<(string, Item, DateTimeOffset, string)>();
        var products = new List<(string, JsonObject, DateTimeOffset, string)>();
        var campaigns = new List<(string, JsonObject, DateTimeOffset, string)>();
        var codes = new List<(string, decimal)>();
        for (var i = 0; i < count; i++)
        {
            var (family, models, price) = Ranges[i % Ranges.Length];
            var code = $"{family[..2].ToUpperInvariant()}-{(1000 + i).ToString(CultureInfo.InvariantCulture)}";
            var name = $"{models[i / Ranges.Length % models.Length]}, {random.ArrayElement(["red", "blue", "green", "sand", "clear"])} {(1 + (i / 24)).ToString(CultureInfo.InvariantCulture)}";
            var at = decimal.Round(price * (1 + (i % 7 / 10m)), 2);
            codes.Add((code, at));
            items.Add((code, new Item { ItemNo = code, Description = name, GroupCode = family[..3].ToUpperInvariant(), UnitPrice = at, NetWeight = random.Number(1, 60), TaxGroupCode = "STD", UnitOfMeasureCode = "PCS", Blocked = i % 40 == 39 }, lately(), random.ArrayElement(OfficePeople)));
            this.True("product", i, "ballast", "Items", code);
            var id = (1 + products.Count).ToString("D6", CultureInfo.InvariantCulture);
            this.True("product", i, "slipway", "products", id);
            products.Add((id, new JsonObject { ["code"] = code, ["name"] = name, ["family"] = family, ["listPrice"] = random.Bool(0.1f) ? at - 5 : at, ["currency"] = "EUR", ["active"] = i % 40 != 39, ["salesNotes"] = random.Bool(0.3f) ? "Show it on the water first." : null }, lately(), random.ArrayElement(SalesPeople)));
            if (i % 3 != 2)
            {
                campaigns.Add((PennantId(campaigns.Count + 1), new JsonObject { ["sku"] = code, ["title"] = name, ["price"] = at, ["currency"] = "EUR", ["show_in_campaigns"] = true }, lately(), "import"));
            }
        }

        await ballast.Items.Stock(items, items.Count, cancellation);
        await slipway["products"].Stock(products, products.Count, cancellation);
        await pennant["products"].Stock(campaigns, campaigns.Count, cancellation);
        return codes;
    }

    private async Task MakeSales(IReadOnlyList<Company> companies, IReadOnlyList<(string Code, decimal Price)> codes, Randomizer random, DateTimeOffset today, CancellationToken cancellation)
    {
        var orders = new List<(string, SalesOrder, DateTimeOffset, string)>();
        var deals = new List<(string, JsonObject, DateTimeOffset, string)>();
        var invoices = new List<(string, Invoice, DateTimeOffset, string)>();
        var buyers = this.inBallast.Keys.Order().ToList();
        var count = companies.Count * 20 / 7;
        for (var i = 0; i < count; i++)
        {
            var thing = buyers[random.Number(0, buyers.Count - 1)];
            var on = today.AddDays(-random.Number(1, 1090));
            var lines = Enumerable.Range(1, random.Number(1, 5)).Select(n =>
            {
                var (code, price) = codes[random.Number(0, codes.Count - 1)];
                return new SalesOrderLine { LineNo = n * 10000, ItemNo = code, Quantity = random.Number(1, 8), UnitPrice = price, DiscountPercent = random.Number(0, 2) * 5 };
            }).ToList();
            lines.ForEach(l => l.LineAmount = decimal.Round(l.Quantity * l.UnitPrice * (100 - l.DiscountPercent) / 100, 2));
            var won = i % 5 != 0;
            var orderNo = won ? $"SO-{(100001 + orders.Count).ToString(CultureInfo.InvariantCulture)}" : null;
            if (won)
            {
                orders.Add((orderNo!, new SalesOrder { CustomerNo = this.inBallast[thing][0], OrderDate = DateOnly.FromDateTime(on.UtcDateTime), RequestedDeliveryDate = DateOnly.FromDateTime(on.AddDays(14).UtcDateTime), CurrencyCode = "EUR", StatusCode = on < today.AddDays(-20) ? "CLOSED" : "OPEN", TotalAmount = lines.Sum(l => l.LineAmount), Lines = lines }, on, random.ArrayElement(OfficePeople)));
                if (invoices.Count < count * 5 / 6)
                {
                    invoices.Add(this.InvoiceOf(invoices.Count, orderNo!, this.inBallast[thing][0], lines, on.AddDays(2) < today ? on.AddDays(2) : on, companies[thing].TermsDays, today, random));
                }
            }

            if (this.inSlipway.TryGetValue(thing, out var organisation) && i % 2 == 0)
            {
                deals.Add(((1 + deals.Count).ToString("D6", CultureInfo.InvariantCulture), new JsonObject
                {
                    ["title"] = $"{random.ArrayElement(["Spring fleet", "Replacement boats", "Club order", "School package", "Hire season"])} {on.Year.ToString(CultureInfo.InvariantCulture)}",
                    ["organisationId"] = organisation[0],
                    ["personId"] = this.worksAt.TryGetValue(thing, out var there) ? there[i % there.Count] : null,
                    ["stage"] = won ? "Won" : random.ArrayElement(["New", "Quoted", "Lost"]),
                    ["readyToOrder"] = won,
                    ["amount"] = lines.Sum(l => l.LineAmount),
                    ["currency"] = "EUR",
                    ["expectedOn"] = on.AddDays(14).ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
                    ["orderNumber"] = orderNo,
                    ["lines"] = new JsonArray([.. lines.Select(l => (JsonNode?)new JsonObject { ["lineNo"] = l.LineNo / 10000, ["productCode"] = l.ItemNo, ["quantity"] = l.Quantity, ["unitPrice"] = l.UnitPrice, ["discountPercent"] = l.DiscountPercent })]),
                }, on, random.ArrayElement(SalesPeople)));
            }
        }

        await ballast.SalesOrders.Stock(orders, orders.Count, cancellation);
        await ballast.Invoices.Stock(invoices, invoices.Count, cancellation);
        await slipway["deals"].Stock(deals, deals.Count, cancellation);
    }

    private (string, Invoice, DateTimeOffset, string) InvoiceOf(int n, string order, string customer, List<SalesOrderLine> lines, DateTimeOffset on, int days, DateTimeOffset today, Randomizer random)
    {
        var net = lines.Sum(l => l.LineAmount);
        var tax = decimal.Round(net * TaxPercent / 100, 2);
        var due = on.AddDays(days);
        var paid = due < today.AddDays(-15) && random.Bool(0.93f);
        return ($"INV-{(500001 + n).ToString(CultureInfo.InvariantCulture)}", new Invoice
        {
            CustomerNo = customer,
            OrderNo = order,
            PostingDate = DateOnly.FromDateTime(on.UtcDateTime),
            DueDate = DateOnly.FromDateTime(due.UtcDateTime),
            NetAmount = net,
            TaxAmount = tax,
            GrossAmount = net + tax,
            RemainingAmount = paid ? 0 : net + tax,
            PaymentStatusCode = paid ? "PAID" : due < today ? "OVERDUE" : "OPEN",
            Lines = [.. lines.Select(l => new InvoiceLine { LineNo = l.LineNo, ItemNo = l.ItemNo, Description = l.ItemNo, Quantity = l.Quantity, NetAmount = l.LineAmount, TaxPercent = TaxPercent })],
            Taxes = [new InvoiceTax { TaxCode = "STD", TaxPercent = TaxPercent, BaseAmount = net, TaxAmount = tax }],
        }, on, random.ArrayElement(OfficePeople));
    }

    private static string PennantId(int n) => ((n * 3) + (n % 5)).ToString("D9", CultureInfo.InvariantCulture);

    private static string Swapped(Randomizer random, DateOnly born) =>
        (random.Bool(0.15f) && born.Day <= 12 ? new DateOnly(born.Year, born.Day, born.Month) : born).ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);

    private void True(string kind, int thing, string system, string collection, string id) => this.truth.Add(new { thing = $"{kind}-{thing.ToString(CultureInfo.InvariantCulture)}", system, collection, id });
}
