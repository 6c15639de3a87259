using System.Globalization;
using Npgsql;
using NpgsqlTypes;
using UprightMirror.DemoWorld.Making;

namespace UprightMirror.DemoWorld.Ballast;

/// <summary>A value that the ERP will not take, in its own curt words.</summary>
public sealed class RefusedException(string message) : Exception(message);

/// <summary>The ERP's one table. It assigns the numbers, rounds to two decimals, and knows only its own codes.</summary>
public sealed class Customers(NpgsqlDataSource database, TimeProvider clock)
{
    private const string Columns = "customer_no, customer_name, telephone_no, email, street, city, post_code, country_code, payment_terms_code, tax_registration_no, credit_limit, blocked, external_reference, changed_on, changed_by, version";

    private static readonly string[] Terms = ["N0", "N14", "N30", "N60"];

    public async Task<IReadOnlyList<Customer>> All(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"select {Columns} from ballast.customer order by customer_no");
        return await Read(command, cancellation);
    }

    public async Task<Customer?> Find(string number, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"select {Columns} from ballast.customer where customer_no = @number");
        command.Parameters.AddWithValue("number", number);
        return (await Read(command, cancellation)).SingleOrDefault();
    }

    public async Task<Customer> Create(Customer customer, string by, CancellationToken cancellation)
    {
        Check(customer);
        await using var command = database.CreateCommand($"""
            insert into ballast.customer ({Columns})
            values ('C-' || nextval('ballast.customer_number'), @name, @phone, @email, @street, @city, @post_code, @country, @terms, @vat, @limit, @blocked, @reference, @now, @by, 1)
            returning {Columns}
            """);
        this.Bind(command, customer, by);
        return (await Read(command, cancellation)).Single();
    }

    /// <summary>Stores a customer. Null when it is not in this version any more.</summary>
    public async Task<Customer?> Change(Customer customer, int version, string by, CancellationToken cancellation)
    {
        Check(customer);
        await using var command = database.CreateCommand($"""
            update ballast.customer
            set customer_name = @name, telephone_no = @phone, email = @email, street = @street, city = @city, post_code = @post_code, country_code = @country,
                payment_terms_code = @terms, tax_registration_no = @vat, credit_limit = @limit, blocked = @blocked, external_reference = @reference,
                changed_on = @now, changed_by = @by, version = version + 1
            where customer_no = @number and version = @version
            returning {Columns}
            """);
        this.Bind(command, customer, by);
        command.Parameters.AddWithValue("number", customer.CustomerNo);
        command.Parameters.AddWithValue("version", version);
        return (await Read(command, cancellation)).SingleOrDefault();
    }

    private static void Check(Customer customer)
    {
        if (string.IsNullOrWhiteSpace(customer.CustomerName))
        {
            throw new RefusedException("CustomerName must be specified.");
        }

        if (!DemoData.CountryCodes.Values.Contains(customer.CountryCode))
        {
            throw new RefusedException($"The field CountryCode contains a value ({customer.CountryCode}) that cannot be found in the related table (Country).");
        }

        if (customer.PaymentTermsCode is { Length: > 0 } terms && !Terms.Contains(terms))
        {
            throw new RefusedException($"The field PaymentTermsCode contains a value ({terms}) that cannot be found in the related table (Payment Terms).");
        }
    }

    private void Bind(NpgsqlCommand command, Customer customer, string by)
    {
        void Text(string name, string? value) => command.Parameters.AddWithValue(name, NpgsqlDbType.Text, string.IsNullOrEmpty(value) ? DBNull.Value : value);
        Text("name", customer.CustomerName);
        Text("phone", customer.TelephoneNo);
        Text("email", customer.EMail);
        Text("street", customer.Street);
        Text("city", customer.City);
        Text("post_code", customer.PostCode);
        Text("country", customer.CountryCode);
        Text("terms", customer.PaymentTermsCode);
        Text("vat", customer.TaxRegistrationNo);
        Text("reference", customer.ExternalReference);
        command.Parameters.AddWithValue("limit", NpgsqlDbType.Numeric, customer.CreditLimit is { } limit ? decimal.Round(limit, 2) : DBNull.Value);
        command.Parameters.AddWithValue("blocked", customer.Blocked);
        command.Parameters.AddWithValue("now", clock.GetUtcNow());
        command.Parameters.AddWithValue("by", by);
    }

    private static async Task<IReadOnlyList<Customer>> Read(NpgsqlCommand command, CancellationToken cancellation)
    {
        await using var reader = await command.ExecuteReaderAsync(cancellation);
        var customers = new List<Customer>();
        while (await reader.ReadAsync(cancellation))
        {
            string? Text(int column) => reader.IsDBNull(column) ? null : reader.GetString(column);
            customers.Add(new Customer
            {
                CustomerNo = reader.GetString(0),
                CustomerName = reader.GetString(1),
                TelephoneNo = Text(2),
                EMail = Text(3),
                Street = Text(4),
                City = Text(5),
                PostCode = Text(6),
                CountryCode = reader.GetString(7),
                PaymentTermsCode = Text(8),
                TaxRegistrationNo = Text(9),
                CreditLimit = reader.IsDBNull(10) ? null : reader.GetDecimal(10),
                Blocked = reader.GetBoolean(11),
                ExternalReference = Text(12),
                ChangedOn = reader.GetFieldValue<DateTimeOffset>(13),
                ChangedBy = reader.GetString(14),
                Version = reader.GetInt32(15),
            });
        }

        return customers;
    }

    public static string TermsInWords(string? code) => code is { Length: > 1 } && int.TryParse(code[1..], CultureInfo.InvariantCulture, out var days) ? days == 0 ? "In advance" : $"{days} days net" : "";
}
