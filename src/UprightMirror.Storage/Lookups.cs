using System.Security.Cryptography;
using System.Text;
using Npgsql;

namespace UprightMirror.Storage;

/// <summary>What a mirror lets others look up.</summary>
/// <param name="Fields">The agreed fields that are given.</param>
/// <param name="PerMinute">So many times a minute each key may ask.</param>
public sealed record LookupOffer(bool IsOn, IReadOnlyList<string> Fields, int PerMinute)
{
    public const int MostPerMinute = 6000;

    /// <summary>Of a mirror that nobody has said anything about.</summary>
    public static readonly LookupOffer None = new(false, [], 60);
}

/// <summary>A key by which somebody looks up; the key itself is kept nowhere.</summary>
public sealed record LookupKey(long Id, string Name, string MadeBy, DateTimeOffset MadeAt, DateTimeOffset? LastUsedAt);

/// <summary>A record as it is looked up.</summary>
/// <param name="Agreed">The agreed values by field, with their story, as JSON.</param>
/// <param name="Ids">Its id on each side that has it.</param>
public sealed record LookedUpRecord(Guid Link, string Agreed, IReadOnlyList<(int Side, string Id)> Ids);

/// <summary>Where records are looked up.</summary>
public interface ILookups
{
    /// <summary>The records that are in a link with a side's record; at most one.</summary>
    Task<IReadOnlyList<Guid>> ById(int mirrorId, int side, string id, CancellationToken cancellation);

    /// <summary>The records that agree on a value in a field, whatever its case; two at most, so that it is seen where there is more than one.</summary>
    Task<IReadOnlyList<Guid>> ByField(int mirrorId, string field, string value, CancellationToken cancellation);

    /// <summary>A record; null when it is there no more.</summary>
    Task<LookedUpRecord?> Record(int mirrorId, Guid link, CancellationToken cancellation);
}

/// <summary>What mirrors let others look up, and by which keys.</summary>
public sealed class Lookups(NpgsqlDataSource database, TimeProvider clock) : ILookups
{
    public async Task<LookupOffer> Offer(int mirrorId, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select is_on, fields, per_minute from lookup_offer where mirror_id = @mirror");
        command.Parameters.AddWithValue("mirror", mirrorId);
        return (await PostgresRunStore.ReadAll(command, r => new LookupOffer(r.GetBoolean(0), r.GetFieldValue<string[]>(1), r.GetInt32(2)), cancellation)).SingleOrDefault() ?? LookupOffer.None;
    }

    public async Task Save(int mirrorId, LookupOffer offer, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            insert into lookup_offer (mirror_id, is_on, fields, per_minute) values (@mirror, @on, @fields, @most)
            on conflict (mirror_id) do update set is_on = excluded.is_on, fields = excluded.fields, per_minute = excluded.per_minute
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("on", offer.IsOn);
        command.Parameters.AddWithValue("fields", offer.Fields.ToArray());
        command.Parameters.AddWithValue("most", offer.PerMinute);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<IReadOnlyList<LookupKey>> Keys(int mirrorId, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select id, name, made_by, made_at, last_used_at from lookup_key where mirror_id = @mirror order by id");
        command.Parameters.AddWithValue("mirror", mirrorId);
        return await PostgresRunStore.ReadAll(command, r => new LookupKey(r.GetInt64(0), r.GetString(1), r.GetString(2), r.GetFieldValue<DateTimeOffset>(3), r.IsDBNull(4) ? null : r.GetFieldValue<DateTimeOffset>(4)), cancellation);
    }

    /// <summary>Makes a key of 256 random bits.</summary>
    /// <returns>The key; only its hash is kept.</returns>
    public async Task<string> MakeKey(int mirrorId, string name, string who, CancellationToken cancellation)
    {
        var key = $"look_{Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(32))}";
        await using var command = database.CreateCommand("insert into lookup_key (mirror_id, name, hash, made_by, made_at) values (@mirror, @name, @hash, @who, @now)");
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("name", name);
        command.Parameters.AddWithValue("hash", Hash(key));
        command.Parameters.AddWithValue("who", who);
        command.Parameters.AddWithValue("now", clock.GetUtcNow());
        await command.ExecuteNonQueryAsync(cancellation);
        return key;
    }

    /// <summary>Takes a key away. False when there is none such.</summary>
    public async Task<bool> EndKey(int mirrorId, long id, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("delete from lookup_key where mirror_id = @mirror and id = @id");
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("id", id);
        return await command.ExecuteNonQueryAsync(cancellation) == 1;
    }

    /// <summary>Which of a mirror's keys this is; null for none. It is noted, by the minute, when it was used.</summary>
    public async Task<long?> IdOf(int mirrorId, string key, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with used as (
                update lookup_key set last_used_at = @now where mirror_id = @mirror and hash = @hash and (last_used_at is null or last_used_at < @now - interval '1 minute')
            )
            select id from lookup_key where mirror_id = @mirror and hash = @hash
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("hash", Hash(key));
        command.Parameters.AddWithValue("now", clock.GetUtcNow());
        return await command.ExecuteScalarAsync(cancellation) as long?;
    }

    public async Task<IReadOnlyList<Guid>> ById(int mirrorId, int side, string id, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select link_id from system_record where mirror_id = @mirror and side = @side and id = @id and link_id is not null");
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("side", side);
        command.Parameters.AddWithValue("id", id);
        return await PostgresRunStore.ReadAll(command, r => r.GetGuid(0), cancellation);
    }

    public async Task<IReadOnlyList<Guid>> ByField(int mirrorId, string field, string value, CancellationToken cancellation)
    {
        // What is searched for has an index; what stands in the field itself is looked at in what that finds.
        await using var command = database.CreateCommand("""
            select id from link where mirror_id = @mirror and search like @pattern and (lower(agreed -> @field ->> 'shown') = lower(@value) or agreed -> @field ->> 'value' = @value) limit 2
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("field", field);
        command.Parameters.AddWithValue("value", value);
        command.Parameters.AddWithValue("pattern", $"%{value.ToLowerInvariant().Replace(@"\", @"\\", StringComparison.Ordinal).Replace("%", @"\%", StringComparison.Ordinal).Replace("_", @"\_", StringComparison.Ordinal)}%");
        return await PostgresRunStore.ReadAll(command, r => r.GetGuid(0), cancellation);
    }

    public async Task<LookedUpRecord?> Record(int mirrorId, Guid link, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select l.agreed, coalesce(array_agg(r.side order by r.side, r.id) filter (where r.id is not null), '{}'), coalesce(array_agg(r.id order by r.side, r.id) filter (where r.id is not null), '{}')
            from link l left join system_record r on r.mirror_id = l.mirror_id and r.link_id = l.id where l.mirror_id = @mirror and l.id = @link group by l.mirror_id, l.id
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("link", link);
        return (await PostgresRunStore.ReadAll(command, r => new LookedUpRecord(link, r.GetString(0), [.. r.GetFieldValue<int[]>(1).Zip(r.GetFieldValue<string[]>(2))]), cancellation)).SingleOrDefault();
    }

    private static byte[] Hash(string key) => SHA256.HashData(Encoding.UTF8.GetBytes(key));
}
