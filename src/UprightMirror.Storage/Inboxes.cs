using System.Data.Common;
using System.Runtime.CompilerServices;
using Microsoft.AspNetCore.DataProtection;
using Npgsql;
using NpgsqlTypes;

namespace UprightMirror.Storage;

/// <summary>An address that a system sends the records of one collection to.</summary>
/// <param name="Token">The part of the address that nobody can guess.</param>
/// <param name="Admits"><c>open</c>, <c>key</c> or <c>signed</c>.</param>
/// <param name="Header">The header that carries the key or the signature; null where anybody may send, and where the Standard Webhooks specification names them.</param>
/// <param name="RecordField">Where the record stands within an event; null where the event is the record.</param>
/// <param name="IdField">What tells one record from another.</param>
/// <param name="TimeField">When the event happened; null to look where it commonly stands.</param>
public sealed record Inbox(int Id, string System, string Collection, string Token, string Admits, string? Header, bool HasSecret, string? RecordField, string IdField, string? TimeField, DateTimeOffset OpenedAt);

/// <summary>An event as it came to an inbox.</summary>
/// <param name="SaidAt">When it happened, by its own word; when it came, where it does not say.</param>
/// <param name="Fingerprint">The same for every copy of one event; null where nothing tells a copy from another event.</param>
/// <param name="Refused">Why it is not taken; null where it is.</param>
public sealed record InboxArrival(DateTimeOffset ReceivedAt, string Form, string? RecordId, DateTimeOffset SaidAt, string? Fingerprint, string Body, string? Refused);

/// <param name="Outcome"><c>taken</c>; <c>again</c> when the same one had come before; <c>refused</c> with its reason.</param>
/// <param name="WorkedAt">When it was worked through; null while it waits.</param>
/// <param name="WasOlder">True where the record was known newer already, so that nothing changed.</param>
public sealed record InboxEvent(long Id, DateTimeOffset ReceivedAt, DateTimeOffset SaidAt, string Outcome, string? Reason, string Form, string? RecordId, string Body, DateTimeOffset? WorkedAt, bool? WasOlder);

/// <summary>Events that were worked through and wait for the mirrors of their collection to be run.</summary>
public sealed record ToRun(string System, string Collection, DateTimeOffset FirstAt, DateTimeOffset LastAt, long[] Events);

/// <summary>
/// Addresses that systems send their records to. What comes is put into a queue and answered; any worker takes from the queue. Events that come twice or in another order end the same: a record is as the
/// newest of its events says.
/// </summary>
public sealed class Inboxes(NpgsqlDataSource database, IDataProtectionProvider protection)
{
    /// <summary>So long events are kept to look at, and a copy is known for one.</summary>
    private static readonly TimeSpan Kept = TimeSpan.FromDays(30);

    private const int MostToRun = 10_000;
    private const string Columns = "id, system, collection, token, admits, header, secret is not null, record_field, id_field, time_field, opened_at";

    private readonly IDataProtector protector = protection.CreateProtector("UprightMirror.InboxSecrets.v1");

    public async Task<IReadOnlyList<Inbox>> Of(string system, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"select {Columns} from inbox where system = @system order by collection");
        command.Parameters.AddWithValue("system", system);
        return await PostgresRunStore.ReadAll(command, ReadInbox, cancellation);
    }

    /// <summary>The inbox of an address, with what its events are admitted by; null where there is none.</summary>
    /// <exception cref="System.Security.Cryptography.CryptographicException">The secret was encrypted with keys that are not here.</exception>
    public async Task<(Inbox Inbox, string? Secret)?> ByToken(string token, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"select {Columns}, secret from inbox where token = @token");
        command.Parameters.AddWithValue("token", token);
        var found = await PostgresRunStore.ReadAll(command, r => (ReadInbox(r), r.IsDBNull(11) ? null : r.GetString(11)), cancellation);
        return found is [var (inbox, secret)] ? (inbox, secret is null ? null : this.protector.Unprotect(secret)) : null;
    }

    /// <summary>Opens an inbox, or changes the one of its collection.</summary>
    /// <param name="secret">Null to keep the one that is there.</param>
    public async Task Open(Inbox inbox, string? secret, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            insert into inbox as i (system, collection, token, admits, header, secret, record_field, id_field, time_field, opened_at)
            values (@system, @collection, @token, @admits, @header, @secret, @record, @id, @time, @at)
            on conflict (system, collection) do update set token = excluded.token, admits = excluded.admits, header = excluded.header,
                secret = case when excluded.admits = 'open' then null else coalesce(excluded.secret, i.secret) end,
                record_field = excluded.record_field, id_field = excluded.id_field, time_field = excluded.time_field
            """);
        command.Parameters.AddWithValue("system", inbox.System);
        command.Parameters.AddWithValue("collection", inbox.Collection);
        command.Parameters.AddWithValue("token", inbox.Token);
        command.Parameters.AddWithValue("admits", inbox.Admits);
        command.Parameters.AddWithValue("header", NpgsqlDbType.Text, (object?)inbox.Header ?? DBNull.Value);
        command.Parameters.AddWithValue("secret", NpgsqlDbType.Text, secret is null ? DBNull.Value : this.protector.Protect(secret));
        command.Parameters.AddWithValue("record", NpgsqlDbType.Text, (object?)inbox.RecordField ?? DBNull.Value);
        command.Parameters.AddWithValue("id", inbox.IdField);
        command.Parameters.AddWithValue("time", NpgsqlDbType.Text, (object?)inbox.TimeField ?? DBNull.Value);
        command.Parameters.AddWithValue("at", inbox.OpenedAt);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>Closes an inbox, and forgets what came there.</summary>
    public async Task Close(string system, string collection, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("delete from inbox where system = @system and collection = @collection");
        command.Parameters.AddWithValue("system", system);
        command.Parameters.AddWithValue("collection", collection);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>Puts what came into the queue, all of it or nothing. A copy of an event that came before is kept as come again, and not worked through.</summary>
    public async Task Put(int inbox, IReadOnlyList<InboxArrival> arrivals, CancellationToken cancellation)
    {
        // In the order of their fingerprints, so that two calls with the same events never wait for each other.
        await using var command = database.CreateCommand("""
            with come as (
                select * from unnest(@at, @forms, @records, @said, @fingerprints, @bodies, @refused) with ordinality as c(received_at, form, record_id, said_at, fingerprint, body, reason, place)
            ), taken as (
                insert into inbox_event (inbox_id, received_at, said_at, outcome, form, record_id, fingerprint, body)
                select @inbox, received_at, said_at, 'taken', form, record_id, fingerprint, body from come where reason is null
                order by fingerprint collate "C" nulls first, place
                on conflict (inbox_id, fingerprint) where outcome = 'taken' do nothing
                returning fingerprint
            )
            insert into inbox_event (inbox_id, received_at, said_at, outcome, reason, form, record_id, fingerprint, body)
            select @inbox, received_at, said_at, case when reason is null then 'again' else 'refused' end, reason, form, record_id, fingerprint, body
            from come where reason is not null or (fingerprint is not null and fingerprint not in (select fingerprint from taken where fingerprint is not null))
            """);
        command.Parameters.AddWithValue("inbox", inbox);
        command.Parameters.AddWithValue("at", arrivals.Select(a => a.ReceivedAt.ToUniversalTime()).ToArray());
        command.Parameters.AddWithValue("forms", arrivals.Select(a => a.Form).ToArray());
        command.Parameters.AddWithValue("records", arrivals.Select(a => a.RecordId).ToArray());
        command.Parameters.AddWithValue("said", arrivals.Select(a => a.SaidAt.ToUniversalTime()).ToArray());
        command.Parameters.AddWithValue("fingerprints", arrivals.Select(a => a.Fingerprint).ToArray());
        command.Parameters.AddWithValue("bodies", arrivals.Select(a => a.Body.Replace("\0", "", StringComparison.Ordinal)).ToArray());
        command.Parameters.AddWithValue("refused", arrivals.Select(a => a.Refused).ToArray());
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>
    /// Works through the oldest of the queue, in one transaction: a worker that dies leaves them to another one. Each record is then as the newest of its events says; of two of one moment always the same one counts,
    /// whichever came first.
    /// </summary>
    /// <returns>How many were worked through.</returns>
    public async Task<int> WorkThrough(int most, DateTimeOffset at, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with due as materialized (
                select inbox_id, id, record_id, said_at, coalesce(fingerprint, lpad(id::text, 19, '0')) as tie, body from inbox_event
                where outcome = 'taken' and worked_at is null order by id limit @most for update skip locked
            ), newest as materialized (
                select distinct on (inbox_id, record_id) * from due order by inbox_id, record_id, said_at desc, tie collate "C" desc
            ), kept as (
                insert into inbox_record as r (inbox_id, record_id, said_at, tie, body, changed_at)
                select inbox_id, record_id, said_at, tie, body, @at from newest order by inbox_id, record_id
                on conflict (inbox_id, record_id) do update set said_at = excluded.said_at, tie = excluded.tie, body = excluded.body, changed_at = excluded.changed_at
                where excluded.said_at > r.said_at or (excluded.said_at = r.said_at and excluded.tie collate "C" > r.tie collate "C")
                returning inbox_id, record_id, tie
            )
            update inbox_event e set worked_at = @at, was_older = k.tie is null
            from due d left join kept k on k.inbox_id = d.inbox_id and k.record_id = d.record_id and k.tie = d.tie
            where e.inbox_id = d.inbox_id and e.id = d.id
            """);
        command.Parameters.AddWithValue("most", most);
        command.Parameters.AddWithValue("at", at);
        return await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>What was worked through and no mirror was run for yet.</summary>
    public async Task<IReadOnlyList<ToRun>> ToRun(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select i.system, i.collection, min(e.worked_at), max(e.worked_at), array_agg(e.id)
            from (select inbox_id, id, worked_at from inbox_event where worked_at is not null and run_asked_at is null order by id limit @most) e join inbox i on i.id = e.inbox_id
            group by i.system, i.collection
            """);
        command.Parameters.AddWithValue("most", MostToRun);
        return await PostgresRunStore.ReadAll(command, r => new ToRun(r.GetString(0), r.GetString(1), r.GetFieldValue<DateTimeOffset>(2), r.GetFieldValue<DateTimeOffset>(3), r.GetFieldValue<long[]>(4)), cancellation);
    }

    /// <summary>The mirrors were run for these.</summary>
    public async Task RunAsked(ToRun events, DateTimeOffset at, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("update inbox_event set run_asked_at = @at where id = any(@events) and worked_at is not null and run_asked_at is null");
        command.Parameters.AddWithValue("events", events.Events);
        command.Parameters.AddWithValue("at", at);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>Lets go of what came long ago and is worked through.</summary>
    public async Task Prune(DateTimeOffset now, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("delete from inbox_event where received_at < @before and (outcome <> 'taken' or run_asked_at is not null)");
        command.Parameters.AddWithValue("before", now - Kept);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>The last events of an inbox, newest first.</summary>
    public async Task<IReadOnlyList<InboxEvent>> Last(int inbox, int limit, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select id, received_at, said_at, outcome, reason, form, record_id, body, worked_at, was_older from inbox_event where inbox_id = @inbox order by id desc limit @limit");
        command.Parameters.AddWithValue("inbox", inbox);
        command.Parameters.AddWithValue("limit", limit);
        return await PostgresRunStore.ReadAll(command, r => new InboxEvent(
            r.GetInt64(0), r.GetFieldValue<DateTimeOffset>(1), r.GetFieldValue<DateTimeOffset>(2), r.GetString(3), Text(r, 4), r.GetString(5), Text(r, 6), r.GetString(7),
            r.IsDBNull(8) ? null : r.GetFieldValue<DateTimeOffset>(8), r.IsDBNull(9) ? null : r.GetBoolean(9)), cancellation);
    }

    /// <summary>How many records are known by the events of each inbox of a system, and how many events wait.</summary>
    public async Task<IReadOnlyDictionary<int, (int Records, int Waiting)>> Counts(string system, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select i.id, (select count(*) from inbox_record r where r.inbox_id = i.id)::int, (select count(*) from inbox_event e where e.inbox_id = i.id and e.outcome = 'taken' and e.worked_at is null)::int
            from inbox i where i.system = @system
            """);
        command.Parameters.AddWithValue("system", system);
        return (await PostgresRunStore.ReadAll(command, r => (Id: r.GetInt32(0), Counts: (r.GetInt32(1), r.GetInt32(2))), cancellation)).ToDictionary(r => r.Id, r => r.Counts);
    }

    /// <summary>The records of a collection as their last events said them: id, when it happened, and the record as JSON; told at or after a time by our clock, oldest first.</summary>
    public async IAsyncEnumerable<(string Id, DateTimeOffset SaidAt, string Body)> Records(string system, string collection, DateTimeOffset? since, string? id, [EnumeratorCancellation] CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select r.record_id, r.said_at, r.body from inbox i join inbox_record r on r.inbox_id = i.id
            where i.system = @system and i.collection = @collection and r.changed_at >= @since and (@id is null or r.record_id = @id)
            order by r.changed_at, r.record_id
            """);
        command.Parameters.AddWithValue("system", system);
        command.Parameters.AddWithValue("collection", collection);
        command.Parameters.AddWithValue("since", since?.ToUniversalTime() ?? DateTimeOffset.UnixEpoch);
        command.Parameters.AddWithValue("id", NpgsqlDbType.Text, (object?)id ?? DBNull.Value);
        await using var reader = await command.ExecuteReaderAsync(cancellation);
        while (await reader.ReadAsync(cancellation))
        {
            yield return (reader.GetString(0), reader.GetFieldValue<DateTimeOffset>(1), reader.GetString(2));
        }
    }

    /// <summary>Some records of a collection, those first that were told last.</summary>
    public async Task<IReadOnlyList<(string Id, DateTimeOffset SaidAt, string Body)>> Newest(string system, string collection, int most, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select r.record_id, r.said_at, r.body from inbox_record r where r.inbox_id = (select id from inbox where system = @system and collection = @collection)
            order by r.changed_at desc limit @most
            """);
        command.Parameters.AddWithValue("system", system);
        command.Parameters.AddWithValue("collection", collection);
        command.Parameters.AddWithValue("most", most);
        return await PostgresRunStore.ReadAll(command, r => (r.GetString(0), r.GetFieldValue<DateTimeOffset>(1), r.GetString(2)), cancellation);
    }

    private static Inbox ReadInbox(DbDataReader r) => new(
        r.GetInt32(0), r.GetString(1), r.GetString(2), r.GetString(3), r.GetString(4), Text(r, 5), r.GetBoolean(6), Text(r, 7), r.GetString(8), Text(r, 9), r.GetFieldValue<DateTimeOffset>(10));

    private static string? Text(DbDataReader r, int column) => r.IsDBNull(column) ? null : r.GetString(column);
}
