using Npgsql;

namespace UprightMirror.Storage;

/// <param name="Role">administrator, steward or reader.</param>
public sealed record KeptUser(long Id, string Email, string Name, string Role, string PasswordHash);

/// <summary>The people who sign in.</summary>
public sealed class Users(NpgsqlDataSource database)
{
    public async Task<KeptUser?> Find(string email, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select id, email, name, role, password_hash from user_account where lower(email) = lower(@email)");
        command.Parameters.AddWithValue("email", email);
        return (await PostgresRunStore.ReadAll(command, r => new KeptUser(r.GetInt64(0), r.GetString(1), r.GetString(2), r.GetString(3), r.GetString(4)), cancellation)).SingleOrDefault();
    }

    /// <summary>Adds a person; one who is there already stays as they are.</summary>
    public async Task Add(string email, string name, string role, string passwordHash, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("insert into user_account (email, name, role, password_hash) values (@email, @name, @role, @hash) on conflict do nothing");
        command.Parameters.AddWithValue("email", email);
        command.Parameters.AddWithValue("name", name);
        command.Parameters.AddWithValue("role", role);
        command.Parameters.AddWithValue("hash", passwordHash);
        await command.ExecuteNonQueryAsync(cancellation);
    }
}
