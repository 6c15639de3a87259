using Npgsql;

namespace UprightMirror.Storage.Tests;

/// <summary>A database of its own for a test class, on the server that ./test started.</summary>
public sealed class TestDatabase : IAsyncLifetime
{
    private readonly string name = $"t{Guid.NewGuid():N}";

    private static string Server => Environment.GetEnvironmentVariable("UPRIGHT_TEST_SERVER") ?? throw new InvalidOperationException("UPRIGHT_TEST_SERVER is not set: run ./test, which starts a PostgreSQL of its own.");

    public string Address { get; private set; } = "";

    public NpgsqlDataSource Source { get; private set; } = null!;

    public async ValueTask InitializeAsync()
    {
        await using (var server = NpgsqlDataSource.Create(Server))
        {
            await using var create = server.CreateCommand($"create database {this.name}");
            await create.ExecuteNonQueryAsync();
        }

        this.Address = new NpgsqlConnectionStringBuilder(Server) { Database = this.name }.ToString();
        Database.Migrate(this.Address);
        this.Source = NpgsqlDataSource.Create(this.Address);
    }

    public ValueTask DisposeAsync() => this.Source.DisposeAsync();

    public async Task<T> Ask<T>(string sql)
    {
        await using var command = this.Source.CreateCommand(sql);
        return (T)(await command.ExecuteScalarAsync())!;
    }
}
