using Npgsql;

namespace UprightMirror.Storage;

/// <param name="Query">What is searched for, as it stands in an address.</param>
public sealed record SavedView(long Id, string Name, string Query);

/// <summary>Searches that people keep, each their own.</summary>
public sealed class SavedViews(NpgsqlDataSource database)
{
    public async Task<IReadOnlyList<SavedView>> Of(string email, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select v.id, v.name, v.query from saved_view v join user_account u on u.id = v.user_id where u.email = @email order by lower(v.name)");
        command.Parameters.AddWithValue("email", email);
        return await PostgresRunStore.ReadAll(command, r => new SavedView(r.GetInt64(0), r.GetString(1), r.GetString(2)), cancellation);
    }

    /// <summary>Keeps one; the one that is called so already is replaced.</summary>
    public async Task Keep(string email, string name, string query, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("insert into saved_view (user_id, name, query) select id, @name, @query from user_account where email = @email on conflict (user_id, name) do update set query = excluded.query");
        command.Parameters.AddWithValue("email", email);
        command.Parameters.AddWithValue("name", name);
        command.Parameters.AddWithValue("query", query);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <returns>False when the person has none such.</returns>
    public async Task<bool> Remove(string email, long id, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("delete from saved_view v using user_account u where u.id = v.user_id and u.email = @email and v.id = @id");
        command.Parameters.AddWithValue("email", email);
        command.Parameters.AddWithValue("id", id);
        return await command.ExecuteNonQueryAsync(cancellation) == 1;
    }
}
