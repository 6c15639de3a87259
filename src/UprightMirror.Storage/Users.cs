using System.Data.Common;
using Npgsql;

namespace UprightMirror.Storage;

/// <param name="Role">administrator, steward or reader.</param>
/// <param name="IsOff">True for one who may not sign in.</param>
/// <param name="MustChange">True while the password is one that somebody else made.</param>
public sealed record KeptUser(long Id, string Email, string Name, string Role, string PasswordHash, bool IsOff = false, bool MustChange = false);

/// <param name="Sessions">Where the person is signed in, the last seen first.</param>
public sealed record PersonView(long Id, string Email, string Name, string Role, bool IsOff, bool MustChange, IReadOnlyList<SessionView> Sessions);

/// <param name="Agent">What the browser calls itself.</param>
public sealed record SessionView(Guid Id, DateTimeOffset BeganAt, DateTimeOffset SeenAt, string Agent);

/// <summary>How changing a person ended.</summary>
public enum PersonEnd
{
    Done,
    Unknown,
    EmailTaken,

    /// <summary>There would be no administrator left who may sign in.</summary>
    LastAdministrator,
}

/// <summary>The people who sign in, and where they are signed in.</summary>
public sealed class Users(NpgsqlDataSource database)
{
    private const string Columns = "id, email, name, role, password_hash, is_off, must_change";

    public async Task<KeptUser?> Find(string email, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"select {Columns} from user_account where lower(email) = lower(@email)");
        command.Parameters.AddWithValue("email", email);
        return (await PostgresRunStore.ReadAll(command, Read, cancellation)).SingleOrDefault();
    }

    private static KeptUser Read(DbDataReader r) => new(r.GetInt64(0), r.GetString(1), r.GetString(2), r.GetString(3), r.GetString(4), r.GetBoolean(5), r.GetBoolean(6));

    /// <summary>Adds a person; one who is there already stays as they are.</summary>
    public async Task Add(string email, string name, string role, string passwordHash, CancellationToken cancellation, bool mustChange = false)
    {
        await using var command = database.CreateCommand("insert into user_account (email, name, role, password_hash, must_change) values (@email, @name, @role, @hash, @must) on conflict do nothing");
        command.Parameters.AddWithValue("email", email);
        command.Parameters.AddWithValue("name", name);
        command.Parameters.AddWithValue("role", role);
        command.Parameters.AddWithValue("hash", passwordHash);
        command.Parameters.AddWithValue("must", mustChange);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<IReadOnlyList<PersonView>> People(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"select {Columns} from user_account order by name, id");
        var people = await PostgresRunStore.ReadAll(command, Read, cancellation);
        await using var open = database.CreateCommand("select user_id, id, began_at, seen_at, agent from user_session where ended_at is null order by seen_at desc");
        var sessions = (await PostgresRunStore.ReadAll(open, r => (User: r.GetInt64(0), Session: new SessionView(r.GetGuid(1), r.GetFieldValue<DateTimeOffset>(2), r.GetFieldValue<DateTimeOffset>(3), r.GetString(4))), cancellation)).ToLookup(s => s.User, s => s.Session);
        return [.. people.Select(p => new PersonView(p.Id, p.Email, p.Name, p.Role, p.IsOff, p.MustChange, [.. sessions[p.Id]]))];
    }

    /// <summary>Changes a person. One who is switched off is signed out everywhere.</summary>
    public async Task<PersonEnd> Change(long id, string email, string name, string role, bool isOff, CancellationToken cancellation)
    {
        await using var connection = await database.OpenConnectionAsync(cancellation);
        await using var transaction = await connection.BeginTransactionAsync(cancellation);
        await using (var all = new NpgsqlCommand("select id from user_account order by id for update", connection, transaction))
        {
            await all.ExecuteNonQueryAsync(cancellation);
        }

        await using var change = new NpgsqlCommand("""
            with changed as (
                update user_account set email = @email, name = @name, role = @role, is_off = @off
                where id = @id and not exists (select from user_account o where o.id <> @id and lower(o.email) = lower(@email)) returning id
            ), ended as (
                update user_session set ended_at = now() where user_id = @id and ended_at is null and @off and exists (select from changed)
            )
            select exists (select from changed), exists (select from user_account where id = @id)
            """, connection, transaction);
        change.Parameters.AddWithValue("id", id);
        change.Parameters.AddWithValue("email", email);
        change.Parameters.AddWithValue("name", name);
        change.Parameters.AddWithValue("role", role);
        change.Parameters.AddWithValue("off", isOff);
        var (changed, known) = (await PostgresRunStore.ReadAll(change, r => (r.GetBoolean(0), r.GetBoolean(1)), cancellation)).Single();
        await using var left = new NpgsqlCommand("select exists (select from user_account where role = 'administrator' and not is_off)", connection, transaction);
        if (!changed || await left.ExecuteScalarAsync(cancellation) is not true)
        {
            return !known ? PersonEnd.Unknown : !changed ? PersonEnd.EmailTaken : PersonEnd.LastAdministrator;
        }

        await transaction.CommitAsync(cancellation);
        return PersonEnd.Done;
    }

    /// <summary>Gives a person another password. Whoever is signed in as them elsewhere is signed out.</summary>
    /// <param name="keep">The session that goes on; null for none.</param>
    public async Task SetPassword(long id, string hash, bool mustChange, Guid? keep, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with changed as (update user_account set password_hash = @hash, must_change = @must where id = @id)
            update user_session set ended_at = now() where user_id = @id and ended_at is null and (@keep is null or id <> @keep)
            """);
        command.Parameters.AddWithValue("id", id);
        command.Parameters.AddWithValue("hash", hash);
        command.Parameters.AddWithValue("must", mustChange);
        command.Parameters.AddWithValue("keep", NpgsqlTypes.NpgsqlDbType.Uuid, (object?)keep ?? DBNull.Value);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task Begin(Guid session, long user, string agent, DateTimeOffset now, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with old as (delete from user_session where coalesce(ended_at, seen_at) < @now - interval '30 days')
            insert into user_session (id, user_id, began_at, seen_at, agent) values (@id, @user, @now, @now, @agent)
            """);
        command.Parameters.AddWithValue("id", session);
        command.Parameters.AddWithValue("user", user);
        command.Parameters.AddWithValue("now", now);
        command.Parameters.AddWithValue("agent", agent);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>Who a session is of, as they are now, and notes that it was seen; null when it has ended.</summary>
    public async Task<KeptUser?> Seen(Guid session, DateTimeOffset now, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"""
            with seen as (update user_session set seen_at = @now where id = @id and ended_at is null returning user_id)
            select {Columns} from user_account join seen on seen.user_id = id where not is_off
            """);
        command.Parameters.AddWithValue("id", session);
        command.Parameters.AddWithValue("now", now);
        return (await PostgresRunStore.ReadAll(command, Read, cancellation)).SingleOrDefault();
    }

    /// <param name="of">Whose it must be; null for anybody's.</param>
    /// <returns>False when it had ended.</returns>
    public async Task<bool> End(Guid session, long? of, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("update user_session set ended_at = now() where id = @id and ended_at is null and (@of is null or user_id = @of)");
        command.Parameters.AddWithValue("id", session);
        command.Parameters.AddWithValue("of", NpgsqlTypes.NpgsqlDbType.Bigint, (object?)of ?? DBNull.Value);
        return await command.ExecuteNonQueryAsync(cancellation) == 1;
    }
}
