using Bogus;
using UprightMirror.DemoWorld.Making;

namespace UprightMirror.DemoWorld.Tests;

/// <summary>The world is made from one seed: two machines show the same, and it is dirty in the ways that real data is.</summary>
public class MakingTests
{
    [Fact]
    public void The_same_seed_makes_the_same_companies_and_people()
    {
        Companies.Make(300, 7).ShouldBe(Companies.Make(300, 7));
        var companies = Companies.Make(100, 7);
        People.Make(200, companies, 8).ShouldBe(People.Make(200, companies, 8));
    }

    [Fact]
    public void A_full_size_world_has_no_two_companies_of_one_address_and_some_of_one_name()
    {
        var companies = Companies.Make(2100, 20260301);
        companies.Select(c => c.Domain).Distinct().Count().ShouldBe(2100);
        companies.ShouldAllBe(c => c.Domain.EndsWith(".example", StringComparison.Ordinal));
        companies.GroupBy(c => Dirt.WithoutEnding(c.Name)).Count(g => g.Count() > 1).ShouldBeGreaterThan(0);
    }

    [Fact]
    public void Copies_differ_in_the_ways_that_people_make_them_differ()
    {
        var random = new Randomizer(3);
        var copies = Enumerable.Range(0, 300).Select(_ => Dirt.Name(random, "Tern Point Canoe Club Ltd")).Distinct().ToList();
        copies.ShouldContain("Tern Point Canoe Club");
        copies.ShouldContain("The Tern Point Canoe Club");
        copies.ShouldContain("Tern  Point  Canoe  Club  Ltd");
        copies.Count(c => c.Length is 24 or 26 && c != "TERN POINT CANOE CLUB LTD").ShouldBeGreaterThan(3);

        var person = new Making.Person("Siobhán", "Shiv", "Sæther", "s@x.example", "+447900961234", "Chair", null, new DateOnly(1980, 4, 5), "IE", 1);
        var names = Enumerable.Range(0, 300).Select(_ => Dirt.Person(random, person)).Distinct().ToList();
        names.ShouldContain(("Shiv", "Sæther"));
        names.ShouldContain(("Sæther", "Siobhán"));
        names.ShouldContain(("Siobhan", "Saether"));
    }

    [Theory]
    [InlineData("+441314960210", "GB", "+44 131 496 0210", "01314960210")]
    [InlineData("+4722550011", "NO", "+47 225 5 0011", "22550011")]
    public void Telephone_numbers_are_written_by_sales_and_by_the_office_each_in_their_way(string number, string country, string sales, string office)
    {
        Dirt.Grouped(number).ShouldBe(sales);
        Dirt.National(number, country).ShouldBe(office);
    }
}
