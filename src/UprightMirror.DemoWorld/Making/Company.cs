using System.Globalization;
using Bogus;

namespace UprightMirror.DemoWorld.Making;

/// <summary>One organisation as it really is, before two systems each hold it their own way.</summary>
/// <param name="Country">ISO 3166 alpha-2.</param>
public sealed record Company(string Name, string Domain, string Phone, string Email, string Street, string Town, string Postcode, string Country, string Segment, int TermsDays, string Vat, decimal CreditLimit);

/// <summary>
/// The clubs, schools, hire centres and shops that buy from Saltmarsh Paddle Works. All made up, from one seed, so that two
/// machines show the same: `.example` domains, telephone numbers from ranges that are kept for fiction where a country has one.
/// </summary>
public static class Companies
{
    private static readonly string[] Waters =
    [
        "Corrie Lough", "Tern Point", "Halden", "Brae", "Oosterwerf", "Kelburn", "Sandhollow", "Otterford", "Kettle Bay", "Longstrand", "Fjordholm", "Skerry",
        "Whitewater", "Mallard Reach", "Ardnamar", "Zuiderplas", "Rietmeer", "Moorsee", "Heidewasser", "Kauri Inlet", "Totara Bend", "Selvika", "Nordvik", "Glenmore",
        "Ballyhale", "Carrick Weir", "Inishmore", "Lochanside", "Harrow Weir", "Pinsel Lake", "Steinbach", "Waterloo Basin", "Duinzicht", "Rangi Sound", "Ravnes", "Tidewell",
        "Marram", "Estuary", "Heron Wood", "Greyling", "Saltings", "Peat Moss", "Silverburn", "Eelbrook", "Foxglove Quay", "Raven Rock", "Barley Mill", "Stonepier",
        "Windward", "Curlew", "Samphire", "Alder Mere", "Blackwater", "Crannog", "Driftwood", "Elver", "Fen Drove", "Gannet", "Hazel Weir", "Islay View",
    ];

    private static readonly (string Suffix, string Segment)[] Kinds =
    [
        ("Canoe Club", "Club"), ("Sailing", "Club"), ("Paddle School", "School"), ("Outdoor Trust", "School"), ("Hire & Tackle", "Hire centre"), ("Kayak Hire", "Hire centre"),
        ("Watersports", "Shop"), ("Scout Group", "Club"), ("Boat Shed", "Shop"), ("Adventure Centre", "Hire centre"), ("Rowing & Paddle Club", "Club"), ("Primary School", "School"),
    ];

    private static readonly (string Country, string[] Streets, string[] Towns, string Postcode, string[] Endings)[] Places =
    [
        ("GB", ["Ferry Road", "Slip Lane", "Harbour Street", "Mill Lane", "Quay Street"], ["Kelburn", "Otterford", "Harrowby", "Tidewell", "Marshgate"], "??# #??", [" Ltd", " Limited", ""]),
        ("IE", ["Slip Lane", "Lough Road", "Bridge Street", "Weir View"], ["Ballyhale", "Corrie", "Carrickbeg", "Inver"], "?## ??##", [" Ltd", " CLG", ""]),
        ("NL", ["Havenkade", "Dijkweg", "Plasoever", "Molenpad"], ["Oosterwerf", "Duinzicht", "Rietdorp"], "#### ??", [" B.V.", " BV", ""]),
        ("NO", ["Bryggegata", "Fjordveien", "Naustveien"], ["Halden", "Selvika", "Ravnes"], "####", [" AS", ""]),
        ("DE", ["Am Hafen", "Seestraße", "Bootsweg", "Mühlgasse"], ["Moorsee", "Steinbach", "Heidewasser"], "#####", [" GmbH", " e.V.", ""]),
        ("NZ", ["Wharf Road", "Inlet Drive", "Jetty Lane"], ["Kauri Bay", "Totara", "Rangiora Point"], "####", [" Ltd", ""]),
    ];

    private static readonly string[] Before = ["North", "South", "Upper", "Lower", "Old", "New", "Great", "Little", "East", "West", "Royal", "Saint Brendan's"];

    /// <summary>
    /// The first <paramref name="count"/> companies of the world made from <paramref name="seed"/>. No two share an e-mail address; a
    /// few share their name with one in another country.
    /// </summary>
    public static IReadOnlyList<Company> Make(int count, int seed)
    {
        var random = new Randomizer(seed);
        var names = new HashSet<string>();
        var companies = new List<Company>(count);
        while (companies.Count < count)
        {
            var place = random.WeightedRandom(Places, [0.34f, 0.22f, 0.14f, 0.1f, 0.12f, 0.08f]);
            var kind = random.ArrayElement(Kinds);
            var name = $"{(random.Bool(0.75f) ? random.ArrayElement(Before) + " " : "")}{random.ArrayElement(Waters)} {kind.Suffix}";
            var isNew = names.Add(name);
            if (!names.Add($"{name}/{place.Country}") || (!isNew && random.Bool(0.9f)))
            {
                continue;
            }

            var domain = $"{string.Concat(name.Where(char.IsAsciiLetter)).ToLowerInvariant()}{(isNew ? "" : "-" + place.Country.ToLowerInvariant())}.example";
            companies.Add(new Company(
                name + random.ArrayElement(place.Endings),
                domain,
                Telephone(random, place.Country),
                $"{random.ArrayElement(["office", "post", "info", "bookings", "accounts"])}@{domain}",
                $"{random.Number(1, 140).ToString(CultureInfo.InvariantCulture)} {random.ArrayElement(place.Streets)}",
                random.ArrayElement(place.Towns),
                random.Replace(place.Postcode).ToUpperInvariant(),
                place.Country,
                kind.Segment,
                random.WeightedRandom([30, 14, 60, 0], [0.6f, 0.2f, 0.12f, 0.08f]),
                random.Replace($"{place.Country}#########"),
                random.Number(2, 60) * 250m));
        }

        return companies;
    }

    /// <summary>In E.164. Britain's and Ireland's are from ranges kept for drama; the others are possible numbers that belong to nobody we know of.</summary>
    private static string Telephone(Randomizer random, string country) => country switch
    {
        "GB" => random.Replace(random.ArrayElement(["+441314960###", "+441614960###", "+441174960###", "+441144960###"])),
        "IE" => random.Replace("+3532091#####").Replace("+3532091", "+35320915", StringComparison.Ordinal)[..13],
        "NL" => random.Replace("+312055501##"),
        "NO" => random.Replace("+472255####"),
        "DE" => random.Replace("+4930231259##"),
        _ => random.Replace("+6498000###"),
    };
}
