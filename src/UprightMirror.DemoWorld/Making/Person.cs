using System.Globalization;
using Bogus;

namespace UprightMirror.DemoWorld.Making;

/// <summary>Somebody as they really are, before each system holds them its own way.</summary>
/// <param name="Company">Where they work: the place in the list of companies; null for a private paddler.</param>
public sealed record Person(string First, string Nickname, string Last, string Email, string Mobile, string Role, int? Company, DateOnly Born, string Country, int Stage);

/// <summary>The people of the world: all made up, from one seed.</summary>
public static class People
{
    /// <summary>Given names with what their friends call them.</summary>
    private static readonly (string Name, string Nick)[] Given =
    [
        ("Robert", "Bob"), ("Elizabeth", "Liz"), ("Margaret", "Peggy"), ("William", "Bill"), ("Katherine", "Kate"), ("Johannes", "Hans"), ("Wilhelmina", "Mina"), ("Aoife", "Eva"), ("Siobhán", "Shiv"), ("Pádraig", "Paddy"),
        ("Thomas", "Tom"), ("Alexandra", "Alex"), ("Christopher", "Chris"), ("Friedrich", "Fritz"), ("Cornelis", "Kees"), ("Ingrid", "Inga"), ("Sigurd", "Sig"), ("Anneliese", "Anne"), ("Jürgen", "Jup"), ("Hemi", "Hemi"),
        ("Moana", "Mo"), ("Niamh", "Neve"), ("Gerard", "Gerry"), ("Joanna", "Jo"), ("Michael", "Mick"), ("Patricia", "Trish"), ("Samuel", "Sam"), ("Øyvind", "Vind"), ("Birgitte", "Gitte"), ("Daniel", "Dan"),
        ("Marieke", "Riek"), ("Susanne", "Sanne"), ("Edward", "Ted"), ("Frances", "Fran"), ("Hendrik", "Henk"), ("Lieselotte", "Lotte"), ("Matilda", "Tilly"), ("Nicholas", "Nick"), ("Oliver", "Ollie"), ("Victoria", "Vicky"),
    ];

    private static readonly string[] Family =
    [
        "Brannock", "Wierstra", "Lunde", "Sæther", "Dekker", "O'Malley", "Quill", "Voll", "Haak", "Tangaroa", "Müller-Heide", "Grünwald", "van der Plas", "de Wit", "Mac Gabhann", "Ní Bhraonáin", "Fjeld", "Nordvik", "Kelburn", "Otter",
        "Marsh", "Reedham", "Skerry", "Tidewell", "Pinsel", "Steinbach", "Rangi", "Kauri", "Halden", "Selvik", "Barley", "Foxglove", "Greyling", "Heron", "Islay", "Juniper", "Kestrel", "Lindqvist", "Mallard", "Nightingale", "Ormond", "Plover",
    ];

    private static readonly string[] Roles = ["Chair", "Secretary", "Treasurer", "Boat master", "Head coach", "Bookings", "Owner", "Purchasing", "Teacher", "Accounts"];

    public static IReadOnlyList<Person> Make(int count, IReadOnlyList<Company> companies, int seed)
    {
        var random = new Randomizer(seed);
        var used = new HashSet<string>();
        var people = new List<Person>(count);
        while (people.Count < count)
        {
            var (first, nick) = random.ArrayElement(Given);
            var last = random.ArrayElement(Family);
            var company = random.Bool(0.78f) ? random.Number(0, companies.Count - 1) : (int?)null;
            var country = company is { } c ? companies[c].Country : random.ArrayElement(["GB", "IE", "NL", "NO", "DE", "NZ"]);
            var domain = company is { } at ? companies[at].Domain : random.ArrayElement(["paddlepost.example", "harbourmail.example", "creekbox.example"]);
            var email = $"{Plain(first)}.{Plain(last)}{(used.Contains($"{Plain(first)}.{Plain(last)}@{domain}") ? people.Count.ToString(CultureInfo.InvariantCulture) : "")}@{domain}";
            if (!used.Add(email))
            {
                continue;
            }

            people.Add(new Person(first, nick, last, email, "+44790096" + random.Number(1000, 9999).ToString(CultureInfo.InvariantCulture), random.ArrayElement(Roles), company, new DateOnly(random.Number(1948, 2004), random.Number(1, 12), random.Number(1, 28)), country, random.Number(0, 4)));
        }

        return people;
    }

    private static string Plain(string name) => string.Concat(Dirt.WithoutMarks(name).Where(char.IsAsciiLetter)).ToLowerInvariant();
}
