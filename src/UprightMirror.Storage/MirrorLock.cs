using Npgsql;

namespace UprightMirror.Storage;

/// <summary>Keeps runs of a mirror and what people decide about it out of each other's way.</summary>
internal static class MirrorLock
{
    /// <summary>For so long a run may make a decision wait.</summary>
    private static readonly TimeSpan LongestWait = TimeSpan.FromSeconds(8);

    /// <summary>Takes the mirror's lock for the transaction that the connection is in, so that no run goes on meanwhile; waits a little for one that does.</summary>
    /// <returns>False when one goes on for longer.</returns>
    public static async Task<bool> KeepOut(NpgsqlConnection connection, int mirrorId, TimeProvider clock, CancellationToken cancellation)
    {
        var since = clock.GetTimestamp();
        while (true)
        {
            await using var take = new NpgsqlCommand("select pg_try_advisory_xact_lock(@space, @mirror)", connection);
            take.Parameters.AddWithValue("space", PostgresRunStore.LockSpace);
            take.Parameters.AddWithValue("mirror", mirrorId);
            if ((bool)(await take.ExecuteScalarAsync(cancellation))!)
            {
                return true;
            }

            if (clock.GetElapsedTime(since) > LongestWait)
            {
                return false;
            }

            await Task.Delay(TimeSpan.FromMilliseconds(100), clock, cancellation);
        }
    }
}
