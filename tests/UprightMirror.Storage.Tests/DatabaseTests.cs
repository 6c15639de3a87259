using Npgsql;

namespace UprightMirror.Storage.Tests;

/// <summary>How the database is reached.</summary>
public class DatabaseTests
{
    [Theory]
    [InlineData("Host=db;Username=upright", 40)]
    [InlineData("Host=db;Username=upright;Maximum Pool Size=7", 7)]
    [InlineData("Host=db;Username=upright;MaxPoolSize=100", 100)]
    [InlineData("Host=db;maxpoolsize=90", 90)]
    public void A_process_leaves_connections_to_the_others_unless_it_is_told_how_many_it_may_open(string given, int atMost)
    {
        var address = new NpgsqlConnectionStringBuilder(Database.Shared(given));

        Assert.Equal("db", address.Host);
        Assert.Equal(atMost, address.MaxPoolSize);
    }
}
