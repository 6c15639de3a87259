using System.Data.Common;
using Npgsql;
using NpgsqlTypes;

namespace UprightMirror.Storage;

/// <summary>A call to a system as it is kept for people to look at.</summary>
public sealed record KeptCall(long Id, DateTimeOffset At, string Method, string Address, int? Status, int Milliseconds, long Bytes, string What, string? Fault, string? Sent, string? Answered);

/// <summary>Where calls are kept for people to look at.</summary>
public interface IKeptCalls
{
    /// <summary>Keeps calls; none of a system that was removed meanwhile.</summary>
    Task Add(string system, IReadOnlyList<KeptCall> calls, CancellationToken cancellation);
}

/// <summary>The last calls to each system.</summary>
public sealed class KeptCalls(NpgsqlDataSource database) : IKeptCalls
{
    /// <summary>So many of each system are kept.</summary>
    private const int Kept = 500;

    public async Task Add(string system, IReadOnlyList<KeptCall> calls, CancellationToken cancellation)
    {
        if (calls.Count == 0)
        {
            return;
        }

        await using var connection = await database.OpenConnectionAsync(cancellation);
        await using (var write = await connection.BeginBinaryImportAsync("copy system_call (system, at, method, address, status, milliseconds, bytes, what, fault, sent, answered) from stdin (format binary)", cancellation))
        {
            foreach (var call in calls)
            {
                await write.StartRowAsync(cancellation);
                await write.WriteAsync(system, NpgsqlDbType.Text, cancellation);
                await write.WriteAsync(call.At.ToUniversalTime(), NpgsqlDbType.TimestampTz, cancellation);
                await write.WriteAsync(call.Method, NpgsqlDbType.Text, cancellation);
                await write.WriteAsync(Safe(call.Address)!, NpgsqlDbType.Text, cancellation);
                await (call.Status is { } status ? write.WriteAsync(status, NpgsqlDbType.Integer, cancellation) : write.WriteNullAsync(cancellation));
                await write.WriteAsync(call.Milliseconds, NpgsqlDbType.Integer, cancellation);
                await write.WriteAsync(call.Bytes, NpgsqlDbType.Bigint, cancellation);
                await write.WriteAsync(Safe(call.What)!, NpgsqlDbType.Text, cancellation);
                foreach (var text in new[] { call.Fault, call.Sent, call.Answered })
                {
                    await (Safe(text) is { } safe ? write.WriteAsync(safe, NpgsqlDbType.Text, cancellation) : write.WriteNullAsync(cancellation));
                }
            }

            try
            {
                await write.CompleteAsync(cancellation);
            }
            catch (PostgresException e) when (e.SqlState == PostgresErrorCodes.ForeignKeyViolation)
            {
                return; // The system was removed while the calls were under way.
            }
        }

        await using var prune = new NpgsqlCommand("delete from system_call where system = @system and id < (select id from system_call where system = @system order by id desc offset @kept limit 1)", connection);
        prune.Parameters.AddWithValue("system", system);
        prune.Parameters.AddWithValue("kept", Kept);
        await prune.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<IReadOnlyList<KeptCall>> Last(string system, bool troubleOnly, int limit, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select id, at, method, address, status, milliseconds, bytes, what, fault, null, null from system_call
            where system = @system and (not @trouble or fault is not null or status >= 400)
            order by id desc limit @limit
            """);
        command.Parameters.AddWithValue("system", system);
        command.Parameters.AddWithValue("trouble", troubleOnly);
        command.Parameters.AddWithValue("limit", limit);
        return await PostgresRunStore.ReadAll(command, Read, cancellation);
    }

    public async Task<KeptCall?> One(string system, long id, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select id, at, method, address, status, milliseconds, bytes, what, fault, sent, answered from system_call where system = @system and id = @id");
        command.Parameters.AddWithValue("system", system);
        command.Parameters.AddWithValue("id", id);
        return (await PostgresRunStore.ReadAll(command, Read, cancellation)).FirstOrDefault();
    }

    private static KeptCall Read(DbDataReader r)
    {
        string? Text(int column) => r.IsDBNull(column) ? null : r.GetString(column);
        return new KeptCall(r.GetInt64(0), r.GetFieldValue<DateTimeOffset>(1), r.GetString(2), r.GetString(3), r.IsDBNull(4) ? null : r.GetInt32(4), r.GetInt32(5), r.GetInt64(6), r.GetString(7), Text(8), Text(9), Text(10));
    }

    /// <summary>PostgreSQL's text holds no NUL.</summary>
    private static string? Safe(string? text) => text?.Replace("\0", "", StringComparison.Ordinal);
}
