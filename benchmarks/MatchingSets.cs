using System.Globalization;

/// <summary>A set of records with the truth about them.</summary>
/// <param name="Sides">By side its rows, the id first.</param>
/// <param name="Truth">Pairs of ids that are one thing.</param>
internal sealed record LabelledSet(string Name, string[] Columns, List<string[]>[] Sides, HashSet<(string, string)> Truth);

/// <summary>
/// Records made from a seed, with the dirt that people leave: organisations with branches in two systems, and people with their families within one.
/// The lists here are its own; nothing is taken from the tables that matching goes by.
/// </summary>
internal static class MatchingSets
{
    private static readonly string[] First = "Arden Birch Cobalt Dunmore Elm Falcon Garnet Hollow Ivory Juniper Keel Linden Maple Nettle Orchid Pine Quarry Rowan Slate Thorn Umber Vale Willow Yarrow Zephyr Amber Bramble Cedar Dale Ember".Split(' ');
    private static readonly string[] Trades = "Foods Metals Textiles Logistics Printing Catering Software Builders Motors Timber Pharmacy Bakery Electrical Plumbing Design Media Travel Fisheries Glass Farms".Split(' ');
    private static readonly string[] Endings = ["Ltd", "Limited", "PLC", "", "GmbH", "BV", "& Sons", "Group"];
    private static readonly string[] Streets = "Mill Lane,High Street,Station Road,Church Street,Park Avenue,Bridge Road,Market Square,Castle Street,Dock Road,Hill Rise".Split(',');
    private static readonly string[] Towns = "Ashby,Brookfield,Carlow,Denton,Eastham,Fareham,Gorey,Hythe,Ilkley,Jarrow,Kendal,Louth".Split(',');

    private static readonly Dictionary<string, string[]> Given = """
        Abigail:Abby,Gail Agnes:Aggie,Nessa Alistair:Al,Ally Amelia:Millie,Amy Archibald:Archie Arnold:Arnie Augustus:Gus Beatrice:Bea,Trixie Bartholomew:Bart,Tolly Cassandra:Cass,Cassie Cecilia:Cissy,Celia Clifford:Cliff Constance:Connie Cornelius:Neil,Corny Cynthia:Cindy
        Dominic:Dom Douglas:Doug,Dougie Edwin:Ed,Eddie Eleanor:Ellie,Nell Ernest:Ernie Frederick:Fred,Freddie Geoffrey:Geoff,Jeff Gwendolyn:Gwen Harriet:Hattie Herbert:Bert,Herb Isabella:Bella,Izzy Jacqueline:Jackie James:Jim,Jimmy Katherine:Kate,Kathy,Kitty Leonard:Len,Leo
        Margaret:Maggie,Peggy,Meg Matilda:Tilly Michael:Mike,Mick Nathaniel:Nate,Nat Patricia:Pat,Trish Penelope:Penny Rebecca:Becky Reginald:Reg,Reggie Richard:Dick,Rick Robert:Bob,Rob Roderick:Rod Rosemary:Rosie,Rose Samuel:Sam Stephanie:Steph Stephen:Steve
        Susannah:Sue,Susie Terence:Terry Theodore:Ted,Theo Thomas:Tom,Tommy Timothy:Tim Victoria:Vicky,Tori Vincent:Vince Walter:Walt,Wally William:Bill,Will,Billy Winifred:Winnie Zachary:Zac Mark Keith Ruth Ian Fiona Clare Grace Hugh Neil Nora Owen Paula Rita Sean Una
        Vera Wayne Yvonne Aidan Brendan Ciara Declan Emer Fergus Grainne Heidi Ingrid Jonas Knut Lars Mette Nils Ole Petra Sven Ulrike Volker Wiebke Joost Femke Sanne Daan Lotte
        """.Split([' ', '\n'], StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries).Select(n => n.Split(':')).ToDictionary(n => n[0], n => n.Length > 1 ? n[1].Split(',') : [n[0]]);

    private static readonly string[] Families = "Smith Jones Murphy Walsh OBrien Kelly Taylor Brown Wilson Evans Thomas Roberts Johnson Lewis Walker Robinson Wood Thompson White Watson Jackson Wright Green Harris Cooper King Lee Martin Clarke James Morgan Hughes Edwards Hill Moore Clark Harrison Scott Young Morris Hall Ward Turner Carter Phillips Mitchell Patel Adams Campbell Anderson Allen Cook Nowak Jansen Visser Bakker Berg Hansen Olsen Schmidt Weber Fischer Meyer Becker Hoffmann Koch Richter Wolf Schroeder Neumann".Split(' ');

    /// <summary>Organisations on two sides; one in five has branches under its name and domain, each at a place and telephone of its own.</summary>
    public static LabelledSet Organisations(int seed, int count = 1400)
    {
        var random = new Random(seed);
        List<string[]> left = [], right = [];
        var truth = new HashSet<(string, string)>();
        var next = 0;
        for (var n = 0; n < count; n++)
        {
            var name = string.Join(' ', new[] { Any(random, First), random.NextDouble() < 0.4 ? Any(random, First) : "", Any(random, Trades) }.Where(w => w.Length > 0));
            var domain = name.ToLowerInvariant().Replace(" ", "", StringComparison.Ordinal) + (random.Next(2) == 0 ? "" : random.Next(99).ToString(CultureInfo.InvariantCulture)) + ".example";
            var branches = random.NextDouble() < 0.8 ? 1 : random.Next(2, 5);
            for (var b = 0; b < branches; b++)
            {
                var town = Any(random, Towns);
                string[] it = [branches > 1 && random.NextDouble() < 0.6 ? $"{name} {town}" : name, Any(random, Endings), Phone(random), Any(random, ["info", "office", "sales", "accounts"]), domain, Street(random), town, Postcode(random)];
                var (one, other) = ($"L{next}", $"R{next++}");
                var (onLeft, onRight) = (random.NextDouble() < 0.85, random.NextDouble() < 0.75);
                if (onLeft)
                {
                    left.Add(Typed(random, it, one));
                }

                if (onRight)
                {
                    right.Add(Typed(random, it, other));
                }

                if (onLeft && onRight)
                {
                    truth.Add((one, other));
                }
            }
        }

        return new LabelledSet("organisations with branches", ["id", "name", "phone", "email", "street", "town", "postcode"], [left, right], truth);
    }

    /// <summary>People within one system; some entered twice, some with a child at the same address, now and then of the same name.</summary>
    public static LabelledSet People(int seed, int count = 6000)
    {
        var random = new Random(seed);
        var names = Given.Keys.ToArray();

        // The more people, the more family names there are.
        var families = count < 20_000 ? Families : [.. Families, .. Families.SelectMany(f => new[] { "son", "sen", "ski", "man", "ton", "ley", "berg", "ford", "wick", "dale" }.Select(e => f + e)), .. Families.SelectMany(f => Families.Select(g => f + g.ToLowerInvariant()))];
        var rows = new List<string[]>();
        var truth = new HashSet<(string, string)>();
        void Add(string[] it)
        {
            var id = $"p{rows.Count}";
            rows.Add([id, .. it]);
            if (random.NextDouble() < 0.3)
            {
                truth.Add((id, $"p{rows.Count}"));
                rows.Add([$"p{rows.Count}", .. TypedAgain(random, it)]);
            }
        }

        for (var n = 0; n < count; n++)
        {
            var (given, family, born) = (Any(random, names), Any(random, families), random.Next(1940, 2000));
            string[] it = [given, family, Day(random, born), Street(random), Any(random, Towns), Postcode(random), Mobile(random), $"{given}.{family}{random.Next(99)}@creekbox.example".ToLowerInvariant()];
            Add(it);
            if (random.NextDouble() < 0.12)
            {
                var child = random.NextDouble() < 0.3 ? given : Any(random, names);
                Add([child, family, Day(random, born + random.Next(20, 38)), it[3], it[4], it[5], random.Next(2) == 0 ? it[6] : Mobile(random), $"{child}{family}{random.Next(99)}@postbox.example".ToLowerInvariant()]);
            }
        }

        return new LabelledSet("people with nicknames and families", ["id", "first_name", "last_name", "birth_date", "street", "town", "postcode", "phone", "email"], [rows], truth);
    }

    private static string[] Typed(Random random, string[] it, string id)
    {
        var name = random.NextDouble() < 0.6 ? $"{it[0]} {it[1]}".Trim() : it[0];
        name = random.NextDouble() switch { < 0.1 => Slip(random, name), < 0.2 => name.ToUpperInvariant(), < 0.25 => "The " + name, < 0.3 => name.Replace("&", "and", StringComparison.Ordinal), _ => name };
        var street = random.NextDouble() switch { < 0.1 => it[5].Replace("Street", "St", StringComparison.Ordinal).Replace("Road", "Rd", StringComparison.Ordinal).Replace("Lane", "Ln", StringComparison.Ordinal), < 0.17 => Street(random), _ => it[5] };
        var phone = random.NextDouble() switch { < 0.1 => Phone(random), < 0.25 => "", < 0.6 => "0" + it[2][3..], _ => it[2] };
        var mail = random.NextDouble() switch { < 0.7 => $"{it[3]}@{it[4]}", < 0.88 => $"{Any(random, ["info", "post", "office"])}@{it[4]}", _ => "" };
        return [id, name, phone, mail, street, it[6], random.NextDouble() switch { < 0.85 => it[7], < 0.93 => Slip(random, it[7]), _ => "" }];
    }

    private static string[] TypedAgain(Random random, string[] it)
    {
        string[] again = [.. it];
        again[0] = random.NextDouble() switch { < 0.2 => Any(random, Given[it[0]]), < 0.28 => Slip(random, it[0]), < 0.33 => it[0][..1], _ => it[0] };
        again[1] = random.NextDouble() < 0.08 ? Slip(random, it[1]) : it[1];
        if (random.NextDouble() < 0.04)
        {
            (again[0], again[1]) = (again[1], again[0]);
        }

        again[2] = random.NextDouble() switch { < 0.05 => $"{it[2][..4]}-{it[2][8..]}-{it[2][5..7]}", < 0.1 => it[2][..^1] + random.Next(10).ToString(CultureInfo.InvariantCulture), < 0.3 => "", _ => it[2] };
        if (random.NextDouble() < 0.2)
        {
            (again[3], again[4], again[5]) = (Street(random), Any(random, Towns), Postcode(random));
        }

        again[6] = random.NextDouble() switch { < 0.125 => "", < 0.25 => Mobile(random), _ => it[6] };
        again[7] = random.NextDouble() switch { < 0.3 => "", < 0.5 => $"{again[0]}{random.Next(999)}@mailbox.example", _ => it[7] };
        return again;
    }

    private static string Slip(Random random, string text)
    {
        if (text.Length < 5)
        {
            return text;
        }

        var at = random.Next(1, text.Length - 2);
        return random.Next(4) switch
        {
            0 => text[..at] + text[at + 1] + text[at] + text[(at + 2)..],
            1 => text.Remove(at, 1),
            2 => text.Insert(at, text[at].ToString()),
            _ => text[..at] + "aeioutnsr"[random.Next(9)] + text[(at + 1)..],
        };
    }

    private static string Any(Random random, string[] of) => of[random.Next(of.Length)];

    private static string Street(Random random) => $"{random.Next(1, 200)} {Any(random, Streets)}";

    private static string Postcode(Random random) => $"{"ABCDEFG"[random.Next(7)]}{"HJKLM"[random.Next(5)]}{random.Next(1, 20)} {random.Next(1, 9)}{"ABDE"[random.Next(4)]}{"FGHJ"[random.Next(4)]}";

    private static string Phone(Random random) => $"+4420{random.Next(10_000_000, 100_000_000)}";

    private static string Mobile(Random random) => $"07{random.Next(100_000_000, 1_000_000_000)}";

    private static string Day(Random random, int year) => $"{year}-{random.Next(1, 13):00}-{random.Next(1, 29):00}";
}
