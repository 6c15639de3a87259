using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Engine.Tests.Simulation;
using UprightMirror.Storage;

namespace UprightMirror.Engine.Tests;

/// <summary>Records that no key decides are recognised by likelihood: linked, asked about, or taken as new, and nothing is created twice.</summary>
public class LikeningTests
{
    private static readonly string[] Waters = ["Heron", "Gannet", "Curlew", "Plover", "Tern", "Dunlin", "Egret", "Godwit", "Knot", "Ruff", "Snipe", "Avocet"];
    private static readonly string[] Places = ["Weir", "Quay", "Sound", "Reach", "Basin", "Inlet", "Bend", "Mere", "Lough", "Point", "Strand"];
    private static readonly string[] Trades = ["Canoe Club", "Boat Shed", "Paddle School", "Kayak Hire", "Outdoor Trust"];

    private static readonly MirrorDefinition Mirror = new(
        "customers", "Customers", "customer",
        [new SideDefinition("crm", "organisations"), new SideDefinition("erp", "Customers")],
        [Both("Name", FieldType.Text), Both("E-mail", FieldType.Email), Both("Telephone", FieldType.Text), Both("Street", FieldType.Text), Both("Town", FieldType.Text), Both("Number", FieldType.Text)],
        [new RecognisingRule("Number")],
        "Name",
        Likeness: new LikenessDefinition([new("Name", "organisation"), new("E-mail", "email"), new("Telephone", "phone"), new("Street", "street"), new("Town", "town")]));

    private readonly MemorySystem crm = new("Slipway CRM", new Random(1), false);
    private readonly MemorySystem erp = new("Ballast ERP", new Random(2), false);
    private readonly MemoryStore store = new();

    private MemoryLikeness Likeness => (MemoryLikeness)this.store.Likeness;

    private static AgreedFieldDefinition Both(string name, FieldType type) => new(name, type, [new SideField(name, true, true, new AsItStands()), new SideField(name, true, true, new AsItStands())], "rank");

    private Task<RunEnd> Run(MirrorDefinition? mirror = null)
    {
        this.crm.Tick(TimeSpan.FromMinutes(1));
        this.erp.Tick(TimeSpan.FromMinutes(1));
        return new MirrorRun(new MirrorContext(mirror ?? Mirror, [this.crm, this.erp], [CatalogueCollection.Unknown("organisations"), CatalogueCollection.Unknown("Customers")], this.store, TimeProvider.System)).Execute(false, CancellationToken.None);
    }

    private static RawFields Company(int n, string? name = null, string? phone = null, string? mail = null, string? number = null)
    {
        var own = $"{Waters[n % 12]} {Places[n / 3 % 11]} {Trades[n % 5]} {(char)('A' + (n % 26))}{n / 7 % 10}";
        return RawFields.Of([
            KeyValuePair.Create("Name", Value.Text(name ?? own)), KeyValuePair.Create("E-mail", Value.Text(mail ?? $"office@club{n}.example")),
            KeyValuePair.Create("Telephone", Value.Text(phone ?? $"0131{(n * 7919 % 9000000) + 1000000}")), KeyValuePair.Create("Street", Value.Text($"{(n % 90) + 1} Mill Lane")),
            KeyValuePair.Create("Town", Value.Text($"Town{n % 40}")), KeyValuePair.Create("Number", Value.Text(number))]);
    }

    /// <summary>The first companies are in the CRM, some of the last of these in the ERP as others typed them.</summary>
    private void Fill(int count = 120)
    {
        for (var n = 0; n < count; n++)
        {
            this.crm.Add(Company(n), $"o{n:000}");
        }

        for (var n = count / 2; n < count * 3 / 2; n++)
        {
            var name = Company(n)["Name"].Display;
            this.erp.Add(Company(n, (n % 3) switch { 0 => name.ToUpperInvariant(), 1 => $"The {name} Ltd", _ => name.Remove(3, 1) }, n % 5 == 0 ? "" : null, n % 6 == 0 ? "" : null), $"C{n:000}");
        }
    }

    private IEnumerable<string[]> Linked => this.store.AllLinked.Select(l => l.Members.OrderBy(m => m.Side).Select(m => m.Id).ToArray());

    [Fact]
    public async Task A_first_load_links_what_is_the_same_and_creates_the_rest_once()
    {
        this.Fill();

        var end = await this.Run();

        end.Fault.ShouldBeNull();
        this.Linked.Count(l => l is [['o', .. var a], ['C', .. var b]] && a == b).ShouldBe(60);
        this.crm.Ids.Count().ShouldBe(180);
        this.erp.Ids.Count().ShouldBe(180);
        this.store.Journal.ShouldContain(j => j.Why.Contains("% likely the same: ", StringComparison.Ordinal));
        (await this.Run()).Counts.Written.ShouldBe(0);
    }

    [Fact]
    public async Task One_entered_twice_is_asked_about_and_created_nowhere_until_a_person_says_that_they_are_different()
    {
        this.Fill();
        this.crm.Add(Company(7, mail: ""), "o007b");

        await this.Run();
        await this.Run();

        var asked = this.Likeness.Asked.Single();
        (asked.A.Id, asked.B.Id).ShouldBe(("o007", "o007b"));
        this.erp.Ids.Count().ShouldBe(179);

        this.Likeness.SayDifferent(asked.A, asked.B);
        await this.Run();
        this.erp.Ids.Count().ShouldBe(181);
        this.Likeness.Asked.ShouldBeEmpty();
        (await this.Run()).Counts.Written.ShouldBe(0);
    }

    [Fact]
    public async Task A_shared_key_beats_any_likelihood()
    {
        this.Fill();
        this.crm.Add(Company(901, number: "N-77"), "o901");
        this.erp.Add(Company(555, number: "n 77"), "C901");
        this.erp.Add(Company(901, mail: ""), "C902");

        await this.Run();

        this.Linked.ShouldContain(l => l.SequenceEqual(new[] { "o901", "C901" }));
    }

    [Fact]
    public async Task A_record_that_comes_later_is_found_by_the_index_without_learning_anew_and_not_created_again()
    {
        // What the first load created is learned from as well, with the next new record.
        this.Fill(300);
        await this.Run();
        this.crm.Add(Company(1000), "o1000");
        await this.Run();
        var (learned, there) = (this.Likeness.Learned, this.crm.Ids.Count());

        // Known in the ERP alone from before; its other half comes with another number and a slip in its name. And one that is new.
        this.erp.Add(Company(2000, phone: ""), "C2000");
        await this.Run(Mirror with { Sides = [Mirror.Sides[0] with { MayCreate = false }, Mirror.Sides[1]] });
        this.crm.Add(Company(2000, name: Company(2000)["Name"].Display.Remove(4, 1)), "o2000");
        this.crm.Add(Company(3000), "o3000");
        await this.Run();

        this.Linked.ShouldContain(l => l.SequenceEqual(new[] { "o2000", "C2000" }));
        this.Likeness.Learned.ShouldBe(learned);
        this.crm.Ids.Count().ShouldBe(there + 2);
        this.erp.Ids.Count().ShouldBe(there + 2);
        (await this.Run()).Counts.Written.ShouldBe(0);
    }

    [Fact]
    public async Task What_is_not_found_is_left_out_where_the_mirror_says_so()
    {
        this.Fill();

        await this.Run(Mirror with { LeavesOut = true });

        this.Linked.Count().ShouldBe(60);
        this.crm.Ids.Count().ShouldBe(120);
        this.erp.Ids.Count().ShouldBe(120);
    }

    [Fact]
    public async Task What_two_were_doubted_for_may_be_put_right_in_a_system_and_the_doubt_goes()
    {
        this.Fill();
        this.crm.Add(Company(7, mail: ""), "o007b");
        await this.Run();
        this.Likeness.Asked.Count().ShouldBe(1);

        foreach (var (path, value) in new[] { ("Name", "Lantern Hire Centre"), ("Telephone", "0161 7770001"), ("Street", "99 Quay Street"), ("Town", "Selvika") })
        {
            this.crm.Edit("o007b", path, Value.Text(value));
        }

        await this.Run();
        this.Likeness.Asked.ShouldBeEmpty();
        this.erp.Ids.Count().ShouldBe(181);
    }
}
