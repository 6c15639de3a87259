using System.Collections.Concurrent;
using System.Data.Common;
using Microsoft.AspNetCore.DataProtection;
using Npgsql;
using NpgsqlTypes;

namespace UprightMirror.Storage;

/// <summary>Where a system sends its events.</summary>
/// <param name="Token">The part of the address that nobody can guess.</param>
/// <param name="SignatureHeader">The header that carries the signature; null where events are not signed.</param>
public sealed record EventAddress(string System, string Token, string? SignatureHeader, bool HasSecret, DateTimeOffset OpenedAt);

/// <summary>An event that came.</summary>
/// <param name="HappenedAt">When it happened, by its own word; null when it does not say.</param>
/// <param name="Outcome"><c>taken</c>; <c>again</c> when the same one had come before; <c>refused</c> when its signature was not right.</param>
/// <param name="RunAskedAt">When the mirrors of its system were run because of it; null when they were not yet, or need not be.</param>
public sealed record KeptEvent(long Id, DateTimeOffset ReceivedAt, DateTimeOffset? HappenedAt, string Outcome, string Body, DateTimeOffset? RunAskedAt);

/// <summary>Events that wait for the mirrors of their system to be run.</summary>
/// <param name="LastId">The last of them.</param>
/// <param name="Said">What they said, cut short; each once.</param>
public sealed record WaitingEvents(string System, long LastId, DateTimeOffset FirstAt, DateTimeOffset LastAt, IReadOnlyList<string> Said);

/// <summary>The addresses that systems send their events to, and the last events of each.</summary>
public sealed class KeptEvents(NpgsqlDataSource database, IDataProtectionProvider protection)
{
    /// <summary>So many of each system are kept.</summary>
    private const int Kept = 500;
    private const int PruneEvery = 50;

    /// <summary>How many came, by system. (Ids don't count them: a copy uses up two.)</summary>
    private readonly ConcurrentDictionary<string, int> came = new(StringComparer.Ordinal);
    private readonly IDataProtector protector = protection.CreateProtector("UprightMirror.EventSecrets.v1");

    public async Task<EventAddress?> AddressOf(string system, CancellationToken cancellation) => await this.Find("system", system, cancellation);

    public async Task<EventAddress?> ByToken(string token, CancellationToken cancellation) => await this.Find("token", token, cancellation);

    /// <param name="secret">Null to keep the one that is there.</param>
    public async Task Open(EventAddress address, string? secret, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            insert into event_address as a (system, token, signature_header, secret, opened_at) values (@system, @token, @header, @secret, @at)
            on conflict (system) do update set token = excluded.token, signature_header = excluded.signature_header, secret = coalesce(excluded.secret, a.secret)
            """);
        command.Parameters.AddWithValue("system", address.System);
        command.Parameters.AddWithValue("token", address.Token);
        command.Parameters.AddWithValue("header", NpgsqlDbType.Text, (object?)address.SignatureHeader ?? DBNull.Value);
        command.Parameters.AddWithValue("secret", NpgsqlDbType.Text, secret is null ? DBNull.Value : this.protector.Protect(secret));
        command.Parameters.AddWithValue("at", address.OpenedAt);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>From now on events to the address are not taken any more.</summary>
    public async Task Close(string system, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("delete from event_address where system = @system");
        command.Parameters.AddWithValue("system", system);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>What the events of a system are signed with; null when nothing was typed.</summary>
    /// <exception cref="System.Security.Cryptography.CryptographicException">It was encrypted with keys that are not here.</exception>
    public async Task<string?> Secret(string system, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select secret from event_address where system = @system");
        command.Parameters.AddWithValue("system", system);
        return await command.ExecuteScalarAsync(cancellation) is string kept ? this.protector.Unprotect(kept) : null;
    }

    /// <summary>Keeps an event, and lets go of those long past. One that came before under the same fingerprint is kept as come again.</summary>
    /// <returns>The outcome that it was kept with.</returns>
    public async Task<string> Add(string system, KeptEvent one, string fingerprint, CancellationToken cancellation)
    {
        // Two copies may come at the same moment: only one of them finds the place free.
        await using var command = database.CreateCommand("""
            with taken as (
                insert into system_event (system, received_at, happened_at, outcome, fingerprint, body) select @system, @at, @happened, @outcome, @fingerprint, @body where @outcome = 'taken'
                on conflict (system, fingerprint) where outcome = 'taken' do nothing
                returning outcome
            ), other as (
                insert into system_event (system, received_at, happened_at, outcome, fingerprint, body)
                select @system, @at, @happened, case @outcome when 'taken' then 'again' else @outcome end, @fingerprint, @body where not exists (select from taken)
                returning outcome
            )
            select outcome from taken union all select outcome from other
            """);
        command.Parameters.AddWithValue("system", system);
        command.Parameters.AddWithValue("at", one.ReceivedAt);
        command.Parameters.AddWithValue("happened", NpgsqlDbType.TimestampTz, (object?)one.HappenedAt ?? DBNull.Value);
        command.Parameters.AddWithValue("outcome", one.Outcome);
        command.Parameters.AddWithValue("fingerprint", fingerprint);
        command.Parameters.AddWithValue("body", one.Body.Replace("\0", "", StringComparison.Ordinal));
        var outcome = (string)(await command.ExecuteScalarAsync(cancellation))!;
        if (this.came.AddOrUpdate(system, 1, (_, n) => n + 1) % PruneEvery == 0)
        {
            await using var prune = database.CreateCommand("""
                delete from system_event where system = @system and not (outcome = 'taken' and run_asked_at is null)
                    and id < (select id from system_event where system = @system order by id desc offset @kept limit 1)
                """);
            prune.Parameters.AddWithValue("system", system);
            prune.Parameters.AddWithValue("kept", Kept);
            await prune.ExecuteNonQueryAsync(cancellation);
        }

        return outcome;
    }

    public async Task<IReadOnlyList<KeptEvent>> Last(string system, int limit, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select id, received_at, happened_at, outcome, body, run_asked_at from system_event where system = @system order by id desc limit @limit");
        command.Parameters.AddWithValue("system", system);
        command.Parameters.AddWithValue("limit", limit);
        return await PostgresRunStore.ReadAll(command, Read, cancellation);
    }

    public async Task<IReadOnlyList<WaitingEvents>> Waiting(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select system, max(id), min(received_at), max(received_at), array_agg(distinct left(body, 2000)) from system_event where outcome = 'taken' and run_asked_at is null group by system");
        return await PostgresRunStore.ReadAll(command, r => new WaitingEvents(r.GetString(0), r.GetInt64(1), r.GetFieldValue<DateTimeOffset>(2), r.GetFieldValue<DateTimeOffset>(3), r.GetFieldValue<string[]>(4)), cancellation);
    }

    /// <summary>The mirrors were run for these.</summary>
    public async Task RunAsked(WaitingEvents events, DateTimeOffset at, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            update system_event set run_asked_at = @at where system = @system and id <= @last and outcome = 'taken' and run_asked_at is null
            """);
        command.Parameters.AddWithValue("system", events.System);
        command.Parameters.AddWithValue("last", events.LastId);
        command.Parameters.AddWithValue("at", at);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>When the last change was made in a system that a run then found, and when the last event came; null where there is none.</summary>
    /// <param name="side">Which side of which mirror the system is.</param>
    public async Task<(DateTimeOffset? Changed, DateTimeOffset? Told)> LastHeard(string system, IReadOnlyList<(int Mirror, int Side)> sides, DateTimeOffset since, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select (select max(j.changed_at) from journal j join unnest(@mirrors, @sides) s(mirror_id, side) on s.mirror_id = j.mirror_id and s.side = j.side where j.kind = 'Agreed' and j.at > @since and j.changed_at > @since),
                (select max(received_at) from system_event where system = @system and outcome <> 'refused')
            """);
        command.Parameters.AddWithValue("system", system);
        command.Parameters.AddWithValue("mirrors", sides.Select(s => s.Mirror).ToArray());
        command.Parameters.AddWithValue("sides", sides.Select(s => s.Side).ToArray());
        command.Parameters.AddWithValue("since", since);
        static DateTimeOffset? At(DbDataReader r, int column) => r.IsDBNull(column) ? null : r.GetFieldValue<DateTimeOffset>(column);
        return (await PostgresRunStore.ReadAll(command, r => (At(r, 0), At(r, 1)), cancellation))[0];
    }

    private async Task<EventAddress?> Find(string column, string value, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"select system, token, signature_header, secret is not null, opened_at from event_address where {column} = @value");
        command.Parameters.AddWithValue("value", value);
        return (await PostgresRunStore.ReadAll(command, r => new EventAddress(r.GetString(0), r.GetString(1), r.IsDBNull(2) ? null : r.GetString(2), r.GetBoolean(3), r.GetFieldValue<DateTimeOffset>(4)), cancellation)).FirstOrDefault();
    }

    private static KeptEvent Read(DbDataReader r) => new(
        r.GetInt64(0), r.GetFieldValue<DateTimeOffset>(1), r.IsDBNull(2) ? null : r.GetFieldValue<DateTimeOffset>(2), r.GetString(3), r.GetString(4), r.IsDBNull(5) ? null : r.GetFieldValue<DateTimeOffset>(5));
}
