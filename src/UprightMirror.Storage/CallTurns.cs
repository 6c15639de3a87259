using Npgsql;

namespace UprightMirror.Storage;

/// <summary>What every worker together may still call, kept where all of them see it.</summary>
public interface ICallTurns
{
    /// <summary>Reserves some turns, one after another; gives how long to wait for the first.</summary>
    Task<TimeSpan> Reserve(string system, TimeSpan spacing, int calls, CancellationToken cancellation);

    /// <summary>Takes a place for a call; null when all are taken.</summary>
    Task<int?> TakePlace(string system, int places, CancellationToken cancellation);

    Task GivePlace(string system, int place, CancellationToken cancellation);

    Task Pause(string system, TimeSpan time, CancellationToken cancellation);
}

/// <summary>
/// Turns and places in PostgreSQL. Turns go by the database's own clock. A place is an advisory lock of one connection that is kept
/// for it: when a process dies, its places are free at that moment.
/// </summary>
public sealed class CallTurns(NpgsqlDataSource database) : ICallTurns, IAsyncDisposable
{
    /// <summary>The first half of every place's lock, apart from those of runs.</summary>
    private const int LockSpace = 5318;

    private readonly SemaphoreSlim oneAtATime = new(1, 1);
    private readonly HashSet<(string System, int Place)> mine = [];
    private NpgsqlConnection? holder;

    public async Task<TimeSpan> Reserve(string system, TimeSpan spacing, int calls, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            insert into call_turn as t (system, next_at) values (@system, clock_timestamp() + @all)
            on conflict (system) do update set next_at = greatest(t.next_at, clock_timestamp()) + @all
            returning next_at - @all - clock_timestamp()
            """);
        command.Parameters.AddWithValue("system", system);
        command.Parameters.AddWithValue("all", spacing * calls);
        var wait = (TimeSpan)(await command.ExecuteScalarAsync(cancellation))!;
        return wait > TimeSpan.Zero ? wait : TimeSpan.Zero;
    }

    public async Task<int?> TakePlace(string system, int places, CancellationToken cancellation)
    {
        await this.oneAtATime.WaitAsync(cancellation);
        try
        {
            // A session may take its own lock again: what this process holds is left out.
            await using var command = new NpgsqlCommand("select place from generate_series(0, @places - 1) place where place <> all(@mine) and pg_try_advisory_lock(@space, hashtext(@system || '/' || place)) limit 1", await this.Holder(cancellation));
            command.Parameters.AddWithValue("places", places);
            command.Parameters.AddWithValue("mine", this.mine.Where(m => m.System == system).Select(m => m.Place).ToArray());
            command.Parameters.AddWithValue("space", LockSpace);
            command.Parameters.AddWithValue("system", system);
            if (await command.ExecuteScalarAsync(cancellation) is not int place)
            {
                return null;
            }

            this.mine.Add((system, place));
            return place;
        }
        finally
        {
            this.oneAtATime.Release();
        }
    }

    public async Task GivePlace(string system, int place, CancellationToken cancellation)
    {
        await this.oneAtATime.WaitAsync(cancellation);
        try
        {
            if (this.mine.Remove((system, place)) && this.holder is { State: System.Data.ConnectionState.Open } connection)
            {
                await using var command = new NpgsqlCommand("select pg_advisory_unlock(@space, hashtext(@system || '/' || @place))", connection);
                command.Parameters.AddWithValue("space", LockSpace);
                command.Parameters.AddWithValue("system", system);
                command.Parameters.AddWithValue("place", place.ToString(System.Globalization.CultureInfo.InvariantCulture));
                await command.ExecuteNonQueryAsync(cancellation);
            }
        }
        catch (NpgsqlException)
        {
            // The connection is gone, and its locks with it.
        }
        finally
        {
            this.oneAtATime.Release();
        }
    }

    public async ValueTask DisposeAsync()
    {
        if (this.holder is { } connection)
        {
            // A connection that goes back to its pool keeps its locks until it is used again.
            if (connection.State == System.Data.ConnectionState.Open)
            {
                await using var command = new NpgsqlCommand("select pg_advisory_unlock_all()", connection);
                await command.ExecuteNonQueryAsync();
            }

            await connection.DisposeAsync();
        }

        this.oneAtATime.Dispose();
    }

    private async Task<NpgsqlConnection> Holder(CancellationToken cancellation)
    {
        if (this.holder is { State: System.Data.ConnectionState.Open } open)
        {
            return open;
        }

        if (this.holder is { } broken)
        {
            await broken.DisposeAsync();
        }

        // Whatever was held went with the connection that broke.
        this.mine.Clear();
        return this.holder = await database.OpenConnectionAsync(cancellation);
    }

    public async Task Pause(string system, TimeSpan time, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            insert into call_turn as t (system, next_at) values (@system, clock_timestamp() + @time)
            on conflict (system) do update set next_at = greatest(t.next_at, clock_timestamp() + @time)
            """);
        command.Parameters.AddWithValue("system", system);
        command.Parameters.AddWithValue("time", time);
        await command.ExecuteNonQueryAsync(cancellation);
    }
}
