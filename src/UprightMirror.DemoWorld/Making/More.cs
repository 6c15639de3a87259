using Bogus;

namespace UprightMirror.DemoWorld.Making;

/// <summary>What else is known of a company: drawn apart from the rest, so that what came before stays as it was.</summary>
/// <param name="Language">en, nl, no or de.</param>
/// <param name="Owner">Who in sales looks after it.</param>
public sealed record More(string Language, DateOnly? Since, decimal? Discount, string? Delivery, int? Members, string Owner)
{
    private static readonly string[] Deliveries = ["Ring before you come.", "Slipway side, not the office.", "Only on weekdays before noon.", "Leave with the boatman.", "Low bridge: no lorry over 3.2 m."];

    /// <summary>The language by its name, as the mail system writes it.</summary>
    public string LanguageName => this.Language switch { "nl" => "dutch", "no" => "norwegian", "de" => "german", _ => "english" };

    public static More Of(Company company, int thing)
    {
        var random = new Randomizer(unchecked((TheWorld.Seed * 31) + thing));
        var since = new DateOnly(2009, 1, 5).AddDays(random.Number(0, 5600));
        return new More(
            company.Country switch { "NL" => "nl", "NO" => "no", "DE" => "de", _ => "en" },
            random.Bool(0.9f) ? since : null,
            random.Bool(0.35f) ? random.Number(1, 6) * 2.5m : null,
            random.Bool(0.25f) ? random.ArrayElement(Deliveries) : null,
            random.Bool(0.6f) ? random.Number(8, 900) : null,
            random.ArrayElement(TheWorld.SalesPeople));
    }
}
