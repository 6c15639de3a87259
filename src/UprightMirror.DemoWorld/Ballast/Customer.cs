using System.ComponentModel.DataAnnotations;

namespace UprightMirror.DemoWorld.Ballast;

/// <summary>A customer as the ERP's OData service shows it.</summary>
public sealed class Customer
{
    [Key]
    [MaxLength(20)]
    public string CustomerNo { get; set; } = "";

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

    [MaxLength(64)]
    public string? ExternalReference { get; set; }

    public DateTimeOffset ChangedOn { get; set; }

    public string ChangedBy { get; set; } = "";

    [ConcurrencyCheck]
    public int Version { get; set; }
}
