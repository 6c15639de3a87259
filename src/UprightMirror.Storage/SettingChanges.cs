using Npgsql;
using NpgsqlTypes;

namespace UprightMirror.Storage;

/// <param name="Sent">What was sent, without its secrets; null where nothing was.</param>
public sealed record KeptSettingChange(long Id, DateTimeOffset At, string Who, string What, string? Sent);

/// <summary>Every change of settings. The list is only ever added to: the database refuses anything else.</summary>
public sealed class SettingChanges(NpgsqlDataSource database, TimeProvider clock)
{
    public async Task Add(string who, string what, string? sent, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("insert into setting_change (at, who, what, sent) values (@at, @who, @what, @sent)");
        command.Parameters.AddWithValue("at", clock.GetUtcNow());
        command.Parameters.AddWithValue("who", who);
        command.Parameters.AddWithValue("what", what);
        command.Parameters.AddWithValue("sent", NpgsqlDbType.Text, (object?)sent ?? DBNull.Value);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>The newest first; those before one, when it is given.</summary>
    /// <param name="text">Words that stand in who, what or what was sent; null for all.</param>
    public async Task<IReadOnlyList<KeptSettingChange>> List(string? text, long? before, int count, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select id, at, who, what, sent from setting_change
            where (@before is null or id < @before) and (@text is null or strpos(lower(who || ' ' || what || ' ' || coalesce(sent, '')), lower(@text)) > 0) order by id desc limit @count
            """);
        command.Parameters.AddWithValue("before", NpgsqlDbType.Bigint, (object?)before ?? DBNull.Value);
        command.Parameters.AddWithValue("text", NpgsqlDbType.Text, (object?)text ?? DBNull.Value);
        command.Parameters.AddWithValue("count", count);
        return await PostgresRunStore.ReadAll(command, r => new KeptSettingChange(r.GetInt64(0), r.GetFieldValue<DateTimeOffset>(1), r.GetString(2), r.GetString(3), r.IsDBNull(4) ? null : r.GetString(4)), cancellation);
    }
}
