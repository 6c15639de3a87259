using System.Globalization;
using Bogus;
using Npgsql;
using NpgsqlTypes;

namespace UprightMirror.DemoWorld.Making;

/// <summary>Makes the tables of both systems and fills them, each with its own users' way of writing things down.</summary>
public sealed class DemoData(NpgsqlDataSource database, TimeProvider clock)
{
    private const int Seed = 20260301;

    private static readonly string[] SalesPeople = ["Aoife Brannock", "Tomasz Wier", "Hanne Lunde"];
    private static readonly string[] OfficePeople = ["Accounts desk", "Ingrid Sæther", "Piet Dekker"];

    private static readonly Dictionary<string, string> CountryNames = new()
    {
        ["GB"] = "United Kingdom",
        ["IE"] = "Ireland",
        ["NL"] = "Netherlands",
        ["NO"] = "Norway",
        ["DE"] = "Germany",
        ["NZ"] = "New Zealand",
    };

    public static readonly IReadOnlyDictionary<string, string> CountryCodes = new Dictionary<string, string>
    {
        ["GB"] = "GBR",
        ["IE"] = "IRL",
        ["NL"] = "NLD",
        ["NO"] = "NOR",
        ["DE"] = "DEU",
        ["NZ"] = "NZL",
    };

    /// <summary>Makes what is missing. Data that is there stays, so that a restart keeps what people did.</summary>
    /// <param name="size">How many companies there are in all; each system knows about four fifths of them.</param>
    public async Task Fill(int size, CancellationToken cancellation)
    {
        await using var connection = await database.OpenConnectionAsync(cancellation);
        await using (var tables = new NpgsqlCommand(Resource("tables.sql"), connection))
        {
            await tables.ExecuteNonQueryAsync(cancellation);
        }

        await using (var any = new NpgsqlCommand("select exists (select from slipway.organisation)", connection))
        {
            if ((bool)(await any.ExecuteScalarAsync(cancellation))!)
            {
                return;
            }
        }

        var random = new Randomizer(Seed + 1);
        var companies = Companies.Make(size, Seed);
        var began = clock.GetUtcNow().AddDays(-400);
        await using var transaction = await connection.BeginTransactionAsync(cancellation);
        foreach (var (company, i) in companies.Select((c, i) => (c, i)))
        {
            // Two thirds stand in both systems, the rest in one of them.
            var where = i % 6;
            if (where != 5)
            {
                await InsertOrganisation(connection, company, random, began.AddDays(random.Number(0, 390)).AddSeconds(i), cancellation);
            }

            if (where != 4)
            {
                await InsertCustomer(connection, company, random, began.AddDays(random.Number(0, 390)).AddSeconds(i), cancellation);
            }
        }

        await transaction.CommitAsync(cancellation);
    }

    private static async Task InsertOrganisation(NpgsqlConnection connection, Company company, Randomizer random, DateTimeOffset at, CancellationToken cancellation)
    {
        await using var insert = new NpgsqlCommand("""
            insert into slipway.organisation (id, name, phone_main, email, website, street, town, postcode, country, segment, tags, payment_terms, vat_number, created_at, updated_at, updated_by)
            values (lpad(nextval('slipway.organisation_number')::text, 6, '0'), @name, @phone, @email, @website, @street, @town, @postcode, @country, @segment, @tags, @terms, @vat, @at, @at, @by)
            """, connection);
        insert.Parameters.AddWithValue("name", company.Name);
        insert.Parameters.AddWithValue("phone", NpgsqlDbType.Text, random.Bool(0.93f) ? Grouped(company.Phone) : DBNull.Value);
        insert.Parameters.AddWithValue("email", company.Email);
        insert.Parameters.AddWithValue("website", NpgsqlDbType.Text, random.Bool(0.7f) ? "https://www." + company.Domain : DBNull.Value);
        insert.Parameters.AddWithValue("street", company.Street);
        insert.Parameters.AddWithValue("town", company.Town);
        insert.Parameters.AddWithValue("postcode", company.Postcode);
        insert.Parameters.AddWithValue("country", CountryNames[company.Country]);
        insert.Parameters.AddWithValue("segment", company.Segment);
        insert.Parameters.AddWithValue("tags", random.ListItems(["newsletter", "trade fair", "key account", "seasonal", "demo boats"], random.Number(0, 2)).ToArray());
        insert.Parameters.AddWithValue("terms", NpgsqlDbType.Text, random.Bool(0.8f) ? Terms(company.TermsDays) : DBNull.Value);
        insert.Parameters.AddWithValue("vat", NpgsqlDbType.Text, random.Bool(0.45f) ? company.Vat : DBNull.Value);
        insert.Parameters.AddWithValue("at", at);
        insert.Parameters.AddWithValue("by", random.ArrayElement(SalesPeople));
        await insert.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>The office writes the same company its own way: another street number here, an old telephone number there.</summary>
    private static async Task InsertCustomer(NpgsqlConnection connection, Company company, Randomizer random, DateTimeOffset at, CancellationToken cancellation)
    {
        await using var insert = new NpgsqlCommand("""
            insert into ballast.customer (customer_no, customer_name, telephone_no, email, street, city, post_code, country_code, payment_terms_code, tax_registration_no, credit_limit, changed_on, changed_by)
            values ('C-' || nextval('ballast.customer_number'), @name, @phone, @email, @street, @city, @postcode, @country, @terms, @vat, @limit, @at, @by)
            """, connection);
        var moved = random.Bool(0.08f);
        insert.Parameters.AddWithValue("name", random.Bool(0.12f) ? WithoutEnding(company.Name) : company.Name);
        insert.Parameters.AddWithValue("phone", NpgsqlDbType.Text, random.Bool(0.1f) ? DBNull.Value : National(random.Bool(0.06f) ? company.Phone[..^2] + random.Replace("##") : company.Phone, company.Country));
        insert.Parameters.AddWithValue("email", random.Bool(0.15f) ? company.Email.ToUpperInvariant() : company.Email);
        insert.Parameters.AddWithValue("street", moved ? $"{random.Number(1, 140).ToString(CultureInfo.InvariantCulture)} {company.Street.Split(' ', 2)[1]}" : company.Street);
        insert.Parameters.AddWithValue("city", company.Town);
        insert.Parameters.AddWithValue("postcode", moved ? random.Replace("####") : company.Postcode);
        insert.Parameters.AddWithValue("country", CountryCodes[company.Country]);
        insert.Parameters.AddWithValue("terms", $"N{company.TermsDays.ToString(CultureInfo.InvariantCulture)}");
        insert.Parameters.AddWithValue("vat", NpgsqlDbType.Text, random.Bool(0.9f) ? company.Vat : DBNull.Value);
        insert.Parameters.AddWithValue("limit", company.CreditLimit);
        insert.Parameters.AddWithValue("at", at);
        insert.Parameters.AddWithValue("by", random.ArrayElement(OfficePeople));
        await insert.ExecuteNonQueryAsync(cancellation);
    }

    private static string Terms(int days) => days == 0 ? "In advance" : $"{days.ToString(CultureInfo.InvariantCulture)} days net";

    private static string WithoutEnding(string name) => new[] { " Ltd", " Limited", " CLG", " B.V.", " BV", " AS", " GmbH", " e.V." }.Aggregate(name, (n, ending) => n.EndsWith(ending, StringComparison.Ordinal) ? n[..^ending.Length] : n);

    /// <summary>The sales people's way: the country code, then groups.</summary>
    private static string Grouped(string phone)
    {
        var code = phone.StartsWith("+353", StringComparison.Ordinal) ? 4 : 3;
        var rest = phone[code..];
        return $"{phone[..code]} {rest[..3]} {rest[3..^4]} {rest[^4..]}".Replace("  ", " ", StringComparison.Ordinal);
    }

    /// <summary>The office's way: digits as dialled at home.</summary>
    private static string National(string phone, string country) => country switch
    {
        "NO" => phone[3..],
        "IE" => "0" + phone[4..],
        _ => "0" + phone[3..],
    };

    public static string Resource(string name)
    {
        using var stream = typeof(DemoData).Assembly.GetManifestResourceStream(typeof(DemoData).Assembly.GetManifestResourceNames().Single(n => n.EndsWith(name, StringComparison.Ordinal)))!;
        using var reader = new StreamReader(stream);
        return reader.ReadToEnd();
    }
}
