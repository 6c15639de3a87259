using System.ComponentModel.DataAnnotations;
using System.Text.Json.Serialization;
using Microsoft.OData.Edm;
using Microsoft.OData.ModelBuilder;

namespace UprightMirror.DemoWorld.Ballast;

/// <summary>What every record of the ERP has.</summary>
public abstract class Document
{
    [JsonIgnore]
    public abstract string Number { get; set; }

    [MaxLength(64)]
    public string? ExternalReference { get; set; }

    public DateTimeOffset ChangedOn { get; set; }

    [MaxLength(50)]
    public string ChangedBy { get; set; } = "";

    [ConcurrencyCheck]
    public int Version { get; set; }
}

/// <summary>A customer as the ERP's OData service shows it.</summary>
public sealed class Customer : Document
{
    [Key]
    [MaxLength(20)]
    public string CustomerNo { get; set; } = "";

    public override string Number
    {
        get => this.CustomerNo;
        set => this.CustomerNo = value;
    }

    [Required]
    [MaxLength(100)]
    public string CustomerName { get; set; } = "";

    [MaxLength(20)]
    public string? TelephoneNo { get; set; }

    [MaxLength(80)]
    public string? EMail { get; set; }

    [MaxLength(100)]
    public string? Street { get; set; }

    [MaxLength(50)]
    public string? City { get; set; }

    [MaxLength(20)]
    public string? PostCode { get; set; }

    [Required]
    [MaxLength(3)]
    public string CountryCode { get; set; } = "";

    [MaxLength(10)]
    public string? PaymentTermsCode { get; set; }

    [MaxLength(20)]
    public string? TaxRegistrationNo { get; set; }

    public decimal? CreditLimit { get; set; }

    public bool Blocked { get; set; }

    /// <summary>When set, the ERP keeps the name in capitals.</summary>
    public bool NameInCapitals { get; set; }

    [MaxLength(10)]
    public string? CustomerGroupCode { get; set; }

    [Required]
    [MaxLength(3)]
    public string CurrencyCode { get; set; } = "EUR";

    [MaxLength(3)]
    public string? LanguageCode { get; set; }

    [MaxLength(10)]
    public string? SalespersonCode { get; set; }

    public DateOnly? CustomerSince { get; set; }

    public decimal? DiscountPercent { get; set; }

    [MaxLength(200)]
    public string? DeliveryInstructions { get; set; }
}

public sealed class Item : Document
{
    [Key]
    [MaxLength(20)]
    public string ItemNo { get; set; } = "";

    public override string Number
    {
        get => this.ItemNo;
        set => this.ItemNo = value;
    }

    [Required]
    [MaxLength(100)]
    public string Description { get; set; } = "";

    [MaxLength(10)]
    public string? GroupCode { get; set; }

    public decimal UnitPrice { get; set; }

    public decimal? NetWeight { get; set; }

    [MaxLength(10)]
    public string? TaxGroupCode { get; set; }

    [MaxLength(10)]
    public string? UnitOfMeasureCode { get; set; }

    public bool Blocked { get; set; }
}

public sealed class SalesOrderLine
{
    [Key]
    public int LineNo { get; set; }

    [MaxLength(20)]
    public string ItemNo { get; set; } = "";

    public decimal Quantity { get; set; }

    public decimal UnitPrice { get; set; }

    public decimal DiscountPercent { get; set; }

    public decimal LineAmount { get; set; }
}

public sealed class SalesOrder : Document
{
    [Key]
    [MaxLength(20)]
    public string OrderNo { get; set; } = "";

    public override string Number
    {
        get => this.OrderNo;
        set => this.OrderNo = value;
    }

    [Required]
    [MaxLength(20)]
    public string CustomerNo { get; set; } = "";

    public DateOnly OrderDate { get; set; }

    public DateOnly? RequestedDeliveryDate { get; set; }

    [MaxLength(3)]
    public string CurrencyCode { get; set; } = "EUR";

    [MaxLength(20)]
    public string StatusCode { get; set; } = "OPEN";

    [MaxLength(50)]
    public string? YourReference { get; set; }

    public decimal TotalAmount { get; set; }

    [Contained]
    public IList<SalesOrderLine> Lines { get; set; } = [];
}

public sealed class InvoiceLine
{
    [Key]
    public int LineNo { get; set; }

    [MaxLength(20)]
    public string ItemNo { get; set; } = "";

    [MaxLength(100)]
    public string Description { get; set; } = "";

    public decimal Quantity { get; set; }

    public decimal NetAmount { get; set; }

    public decimal TaxPercent { get; set; }
}

public sealed class InvoiceTax
{
    [Key]
    [MaxLength(10)]
    public string TaxCode { get; set; } = "";

    public decimal TaxPercent { get; set; }

    public decimal BaseAmount { get; set; }

    public decimal TaxAmount { get; set; }
}

public sealed class Invoice : Document
{
    [Key]
    [MaxLength(20)]
    public string InvoiceNo { get; set; } = "";

    public override string Number
    {
        get => this.InvoiceNo;
        set => this.InvoiceNo = value;
    }

    [MaxLength(20)]
    public string CustomerNo { get; set; } = "";

    [MaxLength(20)]
    public string? OrderNo { get; set; }

    public DateOnly PostingDate { get; set; }

    public DateOnly DueDate { get; set; }

    [MaxLength(3)]
    public string CurrencyCode { get; set; } = "EUR";

    public decimal NetAmount { get; set; }

    public decimal TaxAmount { get; set; }

    public decimal GrossAmount { get; set; }

    public decimal RemainingAmount { get; set; }

    [MaxLength(20)]
    public string PaymentStatusCode { get; set; } = "OPEN";

    [Contained]
    public IList<InvoiceLine> Lines { get; set; } = [];

    [Contained]
    public IList<InvoiceTax> Taxes { get; set; } = [];
}

public static class BallastModel
{
    public static IEdmModel Make()
    {
        var builder = new ODataConventionModelBuilder { Namespace = "Ballast", ContainerName = "Erp" };
        builder.EntitySet<Customer>("Customers");
        builder.EntitySet<Item>("Items");
        builder.EntitySet<SalesOrder>("SalesOrders");
        builder.EntitySet<Invoice>("Invoices");
        builder.EntityType<Document>().Ignore(d => d.Number);
        return builder.GetEdmModel();
    }
}
