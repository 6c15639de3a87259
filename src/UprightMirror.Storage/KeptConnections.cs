using System.Text.Json;
using Microsoft.AspNetCore.DataProtection;
using Npgsql;
using NpgsqlTypes;

namespace UprightMirror.Storage;

/// <summary>How a system is reached. Secrets are not among it: they are asked for where they are used, and nowhere else.</summary>
/// <param name="System">The system's key.</param>
/// <param name="Colour">The colour of its monogram tile, as <c>#rrggbb</c>.</param>
/// <param name="Protocol"><c>rest</c> (described by OpenAPI), <c>odata</c>, <c>folder</c>, <c>postgresql</c> or <c>events</c>.</param>
/// <param name="Settings">What the protocol's own description can't say.</param>
/// <param name="SecretsChangedAt">When its secrets were last typed.</param>
/// <param name="SecretsEndOn">Their last day, by whoever typed them; null where nobody said.</param>
public sealed record KeptConnection(string System, string Name, string Monogram, string Colour, string Protocol, Uri Address, JsonElement Settings, DateTimeOffset SecretsChangedAt = default, DateOnly? SecretsEndOn = null);

/// <summary>How a system answered lately.</summary>
/// <param name="State">answering, slow or down.</param>
/// <param name="ClockAhead">How far its clock is ahead of ours; null when it does not say.</param>
/// <param name="LimitTold">The limit that its answers tell; null when they tell none.</param>
/// <param name="Pace">Calls a second that are let through; null when there is no limit.</param>
/// <param name="TurnedAway">Calls that it turned away because there were too many.</param>
public sealed record SystemHealth(string System, string State, int? Milliseconds, long Calls, long Failures, string? LastFault, DateTimeOffset? LastFaultAt, DateTimeOffset SeenAt,
    TimeSpan? ClockAhead = null, string? LimitTold = null, double? Pace = null, DateTimeOffset? SignedInUntil = null, long TurnedAway = 0, DateTimeOffset? DownSince = null);

/// <summary>The last test of a connection, step by step, as it was shown.</summary>
public sealed record KeptTest(DateTimeOffset At, JsonElement Steps);

/// <summary>Where connections are kept.</summary>
public interface IConnections
{
    Task<IReadOnlyList<KeptConnection>> All(CancellationToken cancellation);

    /// <summary>The secrets of one connection, in clear, for the connector that signs in with them.</summary>
    /// <exception cref="System.Security.Cryptography.CryptographicException">They were encrypted with keys that are not here.</exception>
    Task<IReadOnlyDictionary<string, string>> Secrets(string system, CancellationToken cancellation);

    /// <summary>Adds what was seen of a system: how many calls, how quick in the middle, and its last fault.</summary>
    Task AddHealth(SystemHealth seen, CancellationToken cancellation);
}

/// <summary>Connections in PostgreSQL. Secrets are encrypted before they reach the database.</summary>
public sealed class KeptConnections(NpgsqlDataSource database, IDataProtectionProvider protection) : IConnections
{
    private readonly IDataProtector protector = protection.CreateProtector("UprightMirror.ConnectionSecrets.v1");

    public async Task<IReadOnlyList<KeptConnection>> All(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select system, name, monogram, colour, protocol, address, settings, secrets_changed_at, secrets_end_on from connection order by name");
        return await PostgresRunStore.ReadAll(command, r => new KeptConnection(
            r.GetString(0), r.GetString(1), r.GetString(2), r.GetString(3), r.GetString(4), new Uri(r.GetString(5)), JsonDocument.Parse(r.GetString(6)).RootElement, r.GetFieldValue<DateTimeOffset>(7), r.IsDBNull(8) ? null : r.GetFieldValue<DateOnly>(8)), cancellation);
    }

    /// <param name="secrets">By name; replaces what was kept. Null to leave the secrets as they are.</param>
    public async Task Save(KeptConnection connection, IReadOnlyDictionary<string, string>? secrets, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            insert into connection as c (system, name, monogram, colour, protocol, address, settings, secrets, secrets_end_on)
            values (@system, @name, @monogram, @colour, @protocol, @address, @settings::jsonb, coalesce(@secrets, ''), @ends)
            on conflict (system) do update set name = excluded.name, monogram = excluded.monogram, colour = excluded.colour, protocol = excluded.protocol,
                address = excluded.address, settings = excluded.settings, secrets = coalesce(@secrets, c.secrets), secrets_end_on = excluded.secrets_end_on,
                secrets_changed_at = case when @secrets is null then c.secrets_changed_at else now() end
            """);
        command.Parameters.AddWithValue("system", connection.System);
        command.Parameters.AddWithValue("name", connection.Name);
        command.Parameters.AddWithValue("monogram", connection.Monogram);
        command.Parameters.AddWithValue("colour", connection.Colour);
        command.Parameters.AddWithValue("protocol", connection.Protocol);
        command.Parameters.AddWithValue("address", connection.Address.ToString());
        command.Parameters.AddWithValue("settings", connection.Settings.GetRawText());
        command.Parameters.AddWithValue("ends", NpgsqlDbType.Date, (object?)connection.SecretsEndOn ?? DBNull.Value);
        command.Parameters.AddWithValue("secrets", NpgsqlDbType.Text, secrets is null ? DBNull.Value : this.protector.Protect(JsonSerializer.Serialize(secrets)));
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>Removes a connection and what is known of its system.</summary>
    public async Task Remove(string system, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("delete from connection where system = @system");
        command.Parameters.AddWithValue("system", system);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task SaveTest(string system, KeptTest test, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("insert into connection_test (system, at, steps) values (@system, @at, @steps::jsonb) on conflict (system) do update set at = excluded.at, steps = excluded.steps");
        command.Parameters.AddWithValue("system", system);
        command.Parameters.AddWithValue("at", test.At);
        command.Parameters.AddWithValue("steps", test.Steps.GetRawText());
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<KeptTest?> LastTest(string system, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select at, steps from connection_test where system = @system");
        command.Parameters.AddWithValue("system", system);
        return (await PostgresRunStore.ReadAll(command, r => new KeptTest(r.GetFieldValue<DateTimeOffset>(0), JsonDocument.Parse(r.GetString(1)).RootElement), cancellation)).FirstOrDefault();
    }

    public async Task<IReadOnlyDictionary<string, string>> Secrets(string system, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select secrets from connection where system = @system");
        command.Parameters.AddWithValue("system", system);
        return await command.ExecuteScalarAsync(cancellation) is string { Length: > 0 } kept
            ? JsonSerializer.Deserialize<Dictionary<string, string>>(this.protector.Unprotect(kept))!
            : new Dictionary<string, string>();
    }

    public async Task<IReadOnlyList<SystemHealth>> Health(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select system, state, milliseconds, calls, failures, last_fault, last_fault_at, seen_at, clock_ahead_milliseconds, limit_told, pace, signed_in_until, turned_away, down_since from system_health");
        return await PostgresRunStore.ReadAll(command, r => new SystemHealth(
            r.GetString(0), r.GetString(1), r.IsDBNull(2) ? null : r.GetInt32(2), r.GetInt64(3), r.GetInt64(4), r.IsDBNull(5) ? null : r.GetString(5),
            r.IsDBNull(6) ? null : r.GetFieldValue<DateTimeOffset>(6), r.GetFieldValue<DateTimeOffset>(7),
            r.IsDBNull(8) ? null : TimeSpan.FromMilliseconds(r.GetInt64(8)), r.IsDBNull(9) ? null : r.GetString(9), r.IsDBNull(10) ? null : r.GetDouble(10), r.IsDBNull(11) ? null : r.GetFieldValue<DateTimeOffset>(11), r.GetInt64(12), r.IsDBNull(13) ? null : r.GetFieldValue<DateTimeOffset>(13)), cancellation);
    }

    /// <summary>Keeps how a system answered; nothing of one that was removed meanwhile.</summary>
    public async Task AddHealth(SystemHealth seen, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            insert into system_health (system, state, milliseconds, calls, failures, last_fault, last_fault_at, seen_at, clock_ahead_milliseconds, limit_told, pace, signed_in_until, turned_away, down_since)
            values (@system, @state, @ms, @calls, @failures, @fault, @fault_at, @seen, @ahead, @told, @pace, @until, @turned, case when @state = 'down' then @seen end)
            on conflict (system) do update set state = excluded.state,
                down_since = case when excluded.state = 'down' then coalesce(system_health.down_since, excluded.seen_at) end,
                up_again_at = case when excluded.state <> 'down' and system_health.state = 'down' then excluded.seen_at else system_health.up_again_at end, milliseconds = coalesce(excluded.milliseconds, system_health.milliseconds),
                calls = system_health.calls + excluded.calls, failures = system_health.failures + excluded.failures,
                last_fault = coalesce(excluded.last_fault, system_health.last_fault), last_fault_at = coalesce(excluded.last_fault_at, system_health.last_fault_at), seen_at = excluded.seen_at,
                clock_ahead_milliseconds = excluded.clock_ahead_milliseconds, limit_told = excluded.limit_told, pace = excluded.pace, signed_in_until = excluded.signed_in_until,
                turned_away = system_health.turned_away + excluded.turned_away
            """);
        command.Parameters.AddWithValue("system", seen.System);
        command.Parameters.AddWithValue("state", seen.State);
        command.Parameters.AddWithValue("ms", NpgsqlDbType.Integer, (object?)seen.Milliseconds ?? DBNull.Value);
        command.Parameters.AddWithValue("calls", seen.Calls);
        command.Parameters.AddWithValue("failures", seen.Failures);
        command.Parameters.AddWithValue("fault", NpgsqlDbType.Text, (object?)seen.LastFault ?? DBNull.Value);
        command.Parameters.AddWithValue("fault_at", NpgsqlDbType.TimestampTz, (object?)seen.LastFaultAt ?? DBNull.Value);
        command.Parameters.AddWithValue("seen", seen.SeenAt);
        command.Parameters.AddWithValue("ahead", NpgsqlDbType.Bigint, seen.ClockAhead is { } ahead ? (long)ahead.TotalMilliseconds : DBNull.Value);
        command.Parameters.AddWithValue("told", NpgsqlDbType.Text, (object?)seen.LimitTold ?? DBNull.Value);
        command.Parameters.AddWithValue("pace", NpgsqlDbType.Double, (object?)seen.Pace ?? DBNull.Value);
        command.Parameters.AddWithValue("until", NpgsqlDbType.TimestampTz, (object?)seen.SignedInUntil ?? DBNull.Value);
        command.Parameters.AddWithValue("turned", seen.TurnedAway);
        try
        {
            await command.ExecuteNonQueryAsync(cancellation);
        }
        catch (PostgresException e) when (e.SqlState == PostgresErrorCodes.ForeignKeyViolation)
        {
            // The system was removed while its answers were under way.
        }
    }
}
