using DbUp;
using DbUp.Engine.Output;
using Npgsql;

namespace UprightMirror.Storage;

/// <summary>The product's database: made and brought up to date here.</summary>
public static class Database
{
    /// <summary>
    /// The address as a process uses it: it opens 40 connections at most, unless the address says otherwise. PostgreSQL takes 100 as it comes, and
    /// several processes share them; a burst waits its turn here and is not refused there.
    /// </summary>
    /// <param name="given">A connection string of Npgsql.</param>
    /// <exception cref="ArgumentException">It is no connection string.</exception>
    public static string Shared(string given)
    {
        var address = new NpgsqlConnectionStringBuilder(given);
        if (!address.ShouldSerialize("Maximum Pool Size"))
        {
            address.MaxPoolSize = 40;
        }

        return address.ToString();
    }

    /// <summary>Runs the numbered migrations that this database has not seen. Several processes may start at once: one does it, the others wait.</summary>
    /// <exception cref="InvalidOperationException">A migration failed; the message names it.</exception>
    public static void Migrate(string connectionString)
    {
        using var guard = new NpgsqlConnection(connectionString);
        guard.Open();
        using (var wait = new NpgsqlCommand("select pg_advisory_lock(5317001)", guard))
        {
            wait.ExecuteNonQuery();
        }

        var result = DeployChanges.To.PostgresqlDatabase(connectionString)
            .WithScriptsEmbeddedInAssembly(typeof(Database).Assembly)
            .WithTransactionPerScript()
            .LogTo(new NoOpUpgradeLog())
            .Build()
            .PerformUpgrade();
        if (!result.Successful)
        {
            throw new InvalidOperationException($"The database could not be brought up to date: {result.ErrorScript?.Name}: {result.Error.Message}", result.Error);
        }
    }
}
