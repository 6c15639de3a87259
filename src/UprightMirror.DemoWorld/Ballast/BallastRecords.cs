using System.Globalization;
using UprightMirror.DemoWorld.Faults;
using UprightMirror.DemoWorld.Making;
using UprightMirror.DemoWorld.Shelves;

namespace UprightMirror.DemoWorld.Ballast;

/// <summary>A value that the ERP will not take, in its own curt words.</summary>
public sealed class RefusedException(string message) : Exception(message);

/// <summary>The ERP's records. It assigns the numbers, rounds to two decimals, and knows only its own codes.</summary>
public sealed class BallastRecords(ShelfStore store, FaultSwitches faults)
{
    public static readonly IReadOnlyDictionary<string, string> CountryCodes = new Dictionary<string, string> { ["GB"] = "GBR", ["IE"] = "IRL", ["NL"] = "NLD", ["NO"] = "NOR", ["DE"] = "DEU", ["NZ"] = "NZL" };

    public static readonly IReadOnlyDictionary<string, string> LanguageCodes = new Dictionary<string, string> { ["en"] = "ENG", ["nl"] = "NLD", ["no"] = "NOR", ["de"] = "DEU" };

    public static readonly IReadOnlyDictionary<string, string> SalespersonCodes = TheWorld.SalesPeople.ToDictionary(p => p, p => string.Concat(p.Split(' ').Select(w => w[0])));

    private static readonly string[] Terms = ["N0", "N14", "N30", "N60"];
    private static readonly string[] OrderStates = ["OPEN", "RELEASED", "SHIPPED", "CLOSED"];

    public Shelf<Customer> Customers { get; } = new("ballast/Customers", store);

    public Shelf<Item> Items { get; } = new("ballast/Items", store);

    public Shelf<SalesOrder> SalesOrders { get; } = new("ballast/SalesOrders", store);

    public Shelf<Invoice> Invoices { get; } = new("ballast/Invoices", store);

    public async Task Load(CancellationToken cancellation)
    {
        await this.Customers.Load(cancellation);
        await this.Items.Load(cancellation);
        await this.SalesOrders.Load(cancellation);
        await this.Invoices.Load(cancellation);
    }

    /// <summary>A record as the service shows it, with what the ERP itself knows of it.</summary>
    public static T Shown<T>(Row<T> row)
        where T : Document
    {
        row.Body.Number = row.Id;
        row.Body.Version = row.Version;
        row.Body.ChangedOn = row.ChangedAt;
        row.Body.ChangedBy = row.ChangedBy;
        return row.Body;
    }

    public Row<T> Create<T>(Shelf<T> shelf, T document, string by)
        where T : Document
    {
        this.Tidy(document);
        return shelf.Add(n => document is Item { ItemNo.Length: > 0 } item ? item.ItemNo : NumberOf(document, n), _ => document, by, faults.Now("ballast"));
    }

    /// <summary>Stores a document. Null when it is not in this version any more.</summary>
    public Row<T>? Change<T>(Shelf<T> shelf, T document, int version, string by)
        where T : Document
    {
        this.Tidy(document);
        return shelf.Change(document.Number, version, _ => document, by, faults.Now("ballast"));
    }

    /// <summary>The accounts desk invoices an order: its lines at 21 % tax, due by the customer's terms. The order is then closed.</summary>
    /// <exception cref="RefusedException">It is invoiced already, or has no lines.</exception>
    public Row<Invoice> PostInvoice(Row<SalesOrder> order, string by)
    {
        Need(!this.Invoices.All.Any(i => i.Body.OrderNo == order.Id), $"Order {order.Id} is invoiced already.");
        Need(order.Body.Lines.Count > 0, $"Order {order.Id} has no lines.");
        var today = DateOnly.FromDateTime(faults.Now("ballast").UtcDateTime);
        var days = this.Customers.Find(order.Body.CustomerNo)?.Body.PaymentTermsCode is { Length: > 1 } terms ? int.Parse(terms[1..], CultureInfo.InvariantCulture) : 30;
        var net = order.Body.Lines.Sum(l => l.LineAmount);
        var tax = decimal.Round(net * TheWorld.TaxPercent / 100, 2);
        var invoice = this.Create(this.Invoices, new Invoice
        {
            CustomerNo = order.Body.CustomerNo,
            OrderNo = order.Id,
            PostingDate = today,
            DueDate = today.AddDays(days),
            CurrencyCode = order.Body.CurrencyCode,
            NetAmount = net,
            TaxAmount = tax,
            GrossAmount = net + tax,
            RemainingAmount = net + tax,
            Lines = [.. order.Body.Lines.Select(l => new InvoiceLine { LineNo = l.LineNo, ItemNo = l.ItemNo, Description = this.Items.Find(l.ItemNo)?.Body.Description ?? l.ItemNo, Quantity = l.Quantity, NetAmount = l.LineAmount, TaxPercent = TheWorld.TaxPercent })],
            Taxes = [new InvoiceTax { TaxCode = "STD", TaxPercent = TheWorld.TaxPercent, BaseAmount = net, TaxAmount = tax }],
        }, by);
        this.Edit(this.SalesOrders, order, o => o.StatusCode = "CLOSED", by);
        return invoice;
    }

    /// <summary>A customer pays some of an invoice, or all of it.</summary>
    public void Receive(Row<Invoice> invoice, decimal amount, string by) => this.Edit(this.Invoices, invoice, i =>
    {
        i.RemainingAmount = Math.Max(0, i.RemainingAmount - amount);
        i.PaymentStatusCode = i.RemainingAmount == 0 ? "PAID" : "PARTIAL";
    }, by);

    /// <summary>A user changes a document as it stands.</summary>
    public void Edit<T>(Shelf<T> shelf, Row<T> row, Action<T> edit, string by)
        where T : Document
    {
        var document = System.Text.Json.JsonSerializer.Deserialize<T>(System.Text.Json.JsonSerializer.Serialize(Shown(row)))!;
        document.Number = row.Id;
        edit(document);
        this.Change(shelf, document, row.Version, by);
    }

    private static string NumberOf(Document document, long n) => document switch
    {
        Customer => $"C-{(20000 + n).ToString(CultureInfo.InvariantCulture)}",
        SalesOrder => $"SO-{(100000 + n).ToString(CultureInfo.InvariantCulture)}",
        Invoice => $"INV-{(500000 + n).ToString(CultureInfo.InvariantCulture)}",
        _ => $"I-{(1000 + n).ToString(CultureInfo.InvariantCulture)}",
    };

    /// <summary>What the ERP does to a document before it keeps it: its rules, its rounding, its capitals.</summary>
    private void Tidy(Document document)
    {
        switch (document)
        {
            case Customer c:
                Need(!string.IsNullOrWhiteSpace(c.CustomerName), "CustomerName must be specified.");
                Need(CountryCodes.Values.Contains(c.CountryCode), $"The field CountryCode contains a value ({c.CountryCode}) that cannot be found in the related table (Country).");
                Need(c.PaymentTermsCode is null or "" || Terms.Contains(c.PaymentTermsCode), $"The field PaymentTermsCode contains a value ({c.PaymentTermsCode}) that cannot be found in the related table (Payment Terms).");
                Need(c.LanguageCode is null or "" || LanguageCodes.Values.Contains(c.LanguageCode), $"The field LanguageCode contains a value ({c.LanguageCode}) that cannot be found in the related table (Language).");
                Need(c.SalespersonCode is null or "" || SalespersonCodes.Values.Contains(c.SalespersonCode), $"The field SalespersonCode contains a value ({c.SalespersonCode}) that cannot be found in the related table (Salesperson).");
                Need(c.CurrencyCode is "EUR" or "GBP" or "NOK" or "NZD", $"The field CurrencyCode contains a value ({c.CurrencyCode}) that cannot be found in the related table (Currency).");
                c.DiscountPercent = c.DiscountPercent is { } discount ? decimal.Round(discount, 2) : null;
                (c.LanguageCode, c.SalespersonCode, c.DeliveryInstructions) = (Empty(c.LanguageCode), Empty(c.SalespersonCode), Empty(c.DeliveryInstructions));
                c.CustomerName = c.NameInCapitals ? c.CustomerName.ToUpperInvariant() : c.CustomerName;
                c.CreditLimit = c.CreditLimit is { } limit ? decimal.Round(limit, 2) : null;
                (c.TelephoneNo, c.EMail, c.Street, c.City, c.PostCode, c.PaymentTermsCode, c.TaxRegistrationNo) = (Empty(c.TelephoneNo), Empty(c.EMail), Empty(c.Street), Empty(c.City), Empty(c.PostCode), Empty(c.PaymentTermsCode), Empty(c.TaxRegistrationNo));
                break;
            case Item i:
                Need(!string.IsNullOrWhiteSpace(i.Description), "Description must be specified.");
                i.UnitPrice = decimal.Round(i.UnitPrice, 2);
                break;
            case SalesOrder o:
                o.OrderDate = o.OrderDate == default ? DateOnly.FromDateTime(faults.Now("ballast").UtcDateTime) : o.OrderDate;
                Need(this.Customers.Find(o.CustomerNo) is not null, $"The field CustomerNo contains a value ({o.CustomerNo}) that cannot be found in the related table (Customer).");
                Need(OrderStates.Contains(o.StatusCode), $"The field StatusCode contains a value ({o.StatusCode}) that is not an option.");
                foreach (var line in o.Lines)
                {
                    Need(this.Items.Find(line.ItemNo) is not null, $"Line {line.LineNo}: item {line.ItemNo} does not exist.");
                    line.LineAmount = decimal.Round(line.Quantity * line.UnitPrice * (100 - line.DiscountPercent) / 100, 2);
                }

                o.TotalAmount = o.Lines.Sum(l => l.LineAmount);
                break;
        }
    }

    private static string? Empty(string? text) => string.IsNullOrEmpty(text) ? null : text;

    private static void Need(bool holds, string words)
    {
        if (!holds)
        {
            throw new RefusedException(words);
        }
    }
}
