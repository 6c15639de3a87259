using System.Globalization;
using System.Text;
using System.Text.Json;
using Bogus;
using UprightMirror.DemoWorld.Ballast;

namespace UprightMirror.DemoWorld.DropFolder;

/// <summary>
/// The web shop's senders. Each writes its orders into the folder in its own way: CSV with commas, CSV with semicolons and decimal
/// commas in windows-1252, JSON, XML; under a temporary name first, then renamed.
/// </summary>
public sealed class OrderFiles(BallastRecords ballast, TimeProvider clock)
{
    private readonly Lock door = new();
    private int last;

    private sealed record Line(string OrderNo, string OrderedOn, string Customer, string Email, string Street, string Town, string Country, string Sku, int Quantity, decimal Price);

    /// <summary>Writes one file of each kind, with a few orders in it.</summary>
    /// <returns>The names of the files.</returns>
    public IReadOnlyList<string> Write(string folder)
    {
        lock (this.door)
        {
            Directory.CreateDirectory(folder);
            var stamp = clock.GetUtcNow().ToString("yyyyMMdd-HHmmssfff", CultureInfo.InvariantCulture);
            var random = new Randomizer(20260301 + this.last++);
            return
            [
                Put(folder, $"webshop-orders-{stamp}.csv", new UTF8Encoding(false), Csv(this.Lines(random, "W"), ',', '.')),
                Put(folder, $"partner-orders-{stamp}.csv", CodePagesEncodingProvider.Instance.GetEncoding(1252)!, Csv(this.Lines(random, "P"), ';', ',')),
                Put(folder, $"kiosk-orders-{stamp}.json", new UTF8Encoding(false), JsonSerializer.Serialize(this.Lines(random, "K").GroupBy(l => l.OrderNo).Select(o => new { orderNo = o.Key, orderedOn = o.First().OrderedOn, customer = o.First().Customer, email = o.First().Email, lines = o.Select(l => new { sku = l.Sku, quantity = l.Quantity, price = l.Price }) }))),
                Put(folder, $"school-orders-{stamp}.xml", new UTF8Encoding(false), Xml(this.Lines(random, "S"))),
            ];
        }
    }

    private List<Line> Lines(Randomizer random, string sender)
    {
        var items = ballast.Items.All.Select(r => r.Body).ToList();
        var names = new[] { "Königssee Bootsverleih", "Ålesund Padleklubb", "Zoë Vermeulen", "Seán Ó Cuinn", "Tarn & Beck Hire" };
        return [.. Enumerable.Range(0, random.Number(3, 6)).SelectMany(_ =>
        {
            var order = $"{sender}{clock.GetUtcNow().ToString("MMddHHmm", CultureInfo.InvariantCulture)}{random.Number(100, 999).ToString(CultureInfo.InvariantCulture)}";
            var who = random.ArrayElement(names);
            var street = $"{random.Number(1, 90).ToString(CultureInfo.InvariantCulture)} Bryggegata";
            return Enumerable.Range(0, random.Number(1, 3)).Select(_ =>
            {
                var item = items[random.Number(0, items.Count - 1)];
                return new Line(order, clock.GetUtcNow().ToString("yyyy-MM-dd", CultureInfo.InvariantCulture), who, $"{string.Concat(who.Where(char.IsAsciiLetter)).ToLowerInvariant()}@creekbox.example", street, "Ålesund", "NO", item.ItemNo, random.Number(1, 5), item.UnitPrice);
            });
        })];
    }

    private static string Csv(List<Line> lines, char delimiter, char mark)
    {
        string Value(object value) => value is decimal amount ? amount.ToString("0.00", CultureInfo.InvariantCulture).Replace('.', mark)
            : value.ToString()!.Contains(delimiter, StringComparison.Ordinal) ? $"\"{value}\"" : value.ToString()!;
        var text = new StringBuilder().AppendJoin(delimiter, "line_id", "order_no", "ordered_on", "customer", "email", "street", "town", "country", "sku", "quantity", "price").Append("\r\n");
        foreach (var (l, i) in lines.Select((l, i) => (l, i)))
        {
            text.AppendJoin(delimiter, new object[] { $"{l.OrderNo}-{i + 1}", l.OrderNo, l.OrderedOn, l.Customer, l.Email, l.Street, l.Town, l.Country, l.Sku, l.Quantity, l.Price }.Select(Value)).Append("\r\n");
        }

        return text.ToString();
    }

    private static string Xml(List<Line> lines) => new System.Xml.Linq.XElement("orders", lines.GroupBy(l => l.OrderNo).Select(o => new System.Xml.Linq.XElement("order",
        new System.Xml.Linq.XAttribute("id", o.Key), new System.Xml.Linq.XElement("customer", o.First().Customer), new System.Xml.Linq.XElement("email", o.First().Email),
        new System.Xml.Linq.XElement("lines", o.Select(l => new System.Xml.Linq.XElement("line", new System.Xml.Linq.XElement("sku", l.Sku), new System.Xml.Linq.XElement("quantity", l.Quantity), new System.Xml.Linq.XElement("price", l.Price))))))).ToString();

    private static string Put(string folder, string name, Encoding encoding, string text)
    {
        var temporary = Path.Combine(folder, $".{name}.tmp");
        File.WriteAllText(temporary, text, encoding);
        File.Move(temporary, Path.Combine(folder, name));
        return name;
    }
}
