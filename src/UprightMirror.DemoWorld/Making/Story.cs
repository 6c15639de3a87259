using System.Text.Json;
using UprightMirror.DemoWorld.Ballast;
using UprightMirror.DemoWorld.Faults;
using UprightMirror.DemoWorld.Shelves;
using UprightMirror.DemoWorld.Slipway;

namespace UprightMirror.DemoWorld.Making;

/// <summary>
/// What happened by the middle of the week, so that a demo has something true to show: the systems' own staff worked, now and then
/// on the same record; one system is slow; one got a field that nobody told anybody about.
/// </summary>
public sealed class Story(SlipwayRecords slipway, BallastRecords ballast, FaultSwitches faults)
{
    /// <summary>The staff's work since Monday. Records that both systems hold are found by their e-mail address.</summary>
    public void WorkADay()
    {
        var inOffice = ballast.Customers.All.Where(c => c.Body.EMail is not null).DistinctBy(c => c.Body.EMail!.ToLowerInvariant()).ToDictionary(c => c.Body.EMail!.ToLowerInvariant());
        var both = slipway["organisations"].All
            .Where(o => (string?)o.Body["email"] is { } email && inOffice.ContainsKey(email.ToLowerInvariant()) && (string?)o.Body["address.country"] == "United Kingdom")
            .Select(o => (Organisation: o.Id, Customer: inOffice[((string)o.Body["email"]!).ToLowerInvariant()].Id))
            .Take(40).ToList();
        for (var i = 0; i < both.Count; i++)
        {
            var (organisation, customer) = both[i];
            switch (i)
            {
                case < 4:
                    this.InSales(organisation, new { phoneMain = $"+44 131 496 0{210 + i}" }, "Hanne Lunde");
                    this.InOffice(customer, c => c.TelephoneNo = $"0131 496 0{310 + i}", "Ingrid Sæther");
                    break;
                case 4:
                    this.InSales(organisation, new { address = new { street = "4 Ferry Road", town = "Kelburn", postcode = "KB4 2RD" } }, "Aoife Brannock");
                    this.InOffice(customer, c => (c.Street, c.City, c.PostCode) = ("18 Mill Lane", "Tidewell", "TW1 8ML"), "Piet Dekker");
                    break;
                case 5:
                    this.InSales(organisation, new { phoneMain = "ask reception" }, "Tomasz Wier");
                    break;
                case 6:
                    this.InSales(organisation, new { address = new { country = "Great Britain" } }, "Tomasz Wier");
                    break;
                case < 14:
                    this.InSales(organisation, new { name = $"{(string?)slipway["organisations"].Find(organisation)!.Body["name"]} & Friends" }, "Hanne Lunde");
                    break;
                case < 20:
                    this.InOffice(customer, c => c.PaymentTermsCode = c.PaymentTermsCode == "N14" ? "N30" : "N14", "Accounts desk");
                    break;
                case < 25:
                    this.InSales(organisation, new { phoneMain = $"+44 161 496 0{410 + i}" }, "Aoife Brannock");
                    break;
            }
        }

        this.WinDeals(6);
        this.GetPaid(8);
    }

    /// <summary>Sales wins some of the deals that it quoted, and says that they may be ordered.</summary>
    private void WinDeals(int count)
    {
        foreach (var deal in slipway["deals"].All.Where(d => (string?)d.Body["stage"] == "Quoted").Take(count).ToList())
        {
            slipway.Change("deals", deal.Id, null, JsonSerializer.SerializeToElement(new { stage = "Won", readyToOrder = true }), "Hanne Lunde");
        }
    }

    /// <summary>Some customers pay what they owe, one of them half of it.</summary>
    private void GetPaid(int count)
    {
        foreach (var (invoice, i) in ballast.Invoices.All.Where(i => i.Body.RemainingAmount > 0).Take(count).Select((r, i) => (r, i)).ToList())
        {
            ballast.Receive(invoice, i == 0 ? decimal.Round(invoice.Body.GrossAmount / 2, 2) : invoice.Body.RemainingAmount, "Accounts desk");
        }
    }

    /// <summary>What the administrators of the systems did: one is slow today, one has a new field.</summary>
    public void ChangeTheSystems()
    {
        faults.Set("pennant", new Fault(SlowMilliseconds: 2400));
        faults.Set("slipway", new Fault(Fields: [new FieldFault("add", "organisations", "whatsNext", "string")]));
    }

    private void InSales(string id, object body, string by) => slipway.Change("organisations", id, null, JsonSerializer.SerializeToElement(body), by);

    private void InOffice(string id, Action<Customer> edit, string by) => ballast.Edit(ballast.Customers, ballast.Customers.Find(id)!, edit, by);
}
