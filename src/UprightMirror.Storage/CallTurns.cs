using Npgsql;

namespace UprightMirror.Storage;

/// <summary>What every worker together may still call, kept where all of them see it.</summary>
public interface ICallTurns
{
    /// <summary>Reserves some turns, one after another; gives how long to wait for the first.</summary>
    Task<TimeSpan> Reserve(string system, TimeSpan spacing, int calls, CancellationToken cancellation);

    /// <summary>Takes a place for a call; null when all are taken. A place that was not given back is free again after a while.</summary>
    Task<int?> TakePlace(string system, int places, TimeSpan atMost, CancellationToken cancellation);

    Task GivePlace(string system, int place, CancellationToken cancellation);

    Task Pause(string system, TimeSpan time, CancellationToken cancellation);
}

/// <summary>Turns and places in PostgreSQL, by the database's own clock.</summary>
public sealed class CallTurns(NpgsqlDataSource database) : ICallTurns
{
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

    public async Task<int?> TakePlace(string system, int places, TimeSpan atMost, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with free as (
                select place from generate_series(0, @places - 1) place
                where not exists (select from call_place p where p.system = @system and p.place = place.place and p.taken_until > clock_timestamp())
                order by random() limit 1)
            insert into call_place as p (system, place, taken_until) select @system, place, clock_timestamp() + @most from free
            on conflict (system, place) do update set taken_until = excluded.taken_until where p.taken_until <= clock_timestamp()
            returning place
            """);
        command.Parameters.AddWithValue("system", system);
        command.Parameters.AddWithValue("places", places);
        command.Parameters.AddWithValue("most", atMost);
        return await command.ExecuteScalarAsync(cancellation) as int?;
    }

    public async Task GivePlace(string system, int place, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("update call_place set taken_until = '-infinity' where system = @system and place = @place");
        command.Parameters.AddWithValue("system", system);
        command.Parameters.AddWithValue("place", place);
        await command.ExecuteNonQueryAsync(cancellation);
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
