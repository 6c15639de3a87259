using System.Text.Json;
using Npgsql;
using UprightMirror.Core.Matching;

namespace UprightMirror.Storage;

/// <summary>A pair that waits for a person.</summary>
/// <param name="EvidenceA">What the first record says, by the mirror's evidence; empty where it is not known any more.</param>
public sealed record PairView(
    long Id, int MirrorId, RecordPlace A, RecordPlace B, double Probability, DateTimeOffset FoundAt, bool IsPutOff, IReadOnlyList<string> EvidenceA, IReadOnlyList<string> EvidenceB, Guid? LinkA, Guid? LinkB);

/// <summary>A judgement that can be looked at again.</summary>
public sealed record JudgedView(long Pair, int MirrorId, string What, string Who, DateTimeOffset At, RecordPlace A, RecordPlace B, IReadOnlyList<string> EvidenceA, IReadOnlyList<string> EvidenceB);

/// <summary>A record of a pair as it is shown.</summary>
public sealed record PlacedView(RecordPlace Place, string? Raw, Guid? Link, DateTimeOffset? ChangedAt, string? ChangedBy);

/// <summary>What the look-alikes' screens read.</summary>
public sealed class LookAlikes(NpgsqlDataSource database)
{
    /// <summary>Pairs that wait, those that were put off last, otherwise the likeliest first.</summary>
    public async Task<IReadOnlyList<PairView>> Open(int most, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select k.id, k.mirror_id, k.side_a, k.id_a, k.side_b, k.id_b, k.probability, k.found_at, k.put_off_at is not null, coalesce(a.evidence, '{}'), coalesce(b.evidence, '{}'), ra.link_id, rb.link_id
            from look_alike k
            join system_record ra on ra.mirror_id = k.mirror_id and ra.side = k.side_a and ra.id = k.id_a and ra.raw is not null
            join system_record rb on rb.mirror_id = k.mirror_id and rb.side = k.side_b and rb.id = k.id_b and rb.raw is not null
            left join likeness a on a.mirror_id = k.mirror_id and a.side = k.side_a and a.id = k.id_a
            left join likeness b on b.mirror_id = k.mirror_id and b.side = k.side_b and b.id = k.id_b
            where k.state = 'open' order by k.put_off_at nulls first, k.probability desc, k.id limit @most
            """);
        command.Parameters.AddWithValue("most", most);
        return await PostgresRunStore.ReadAll(command, r => new PairView(
            r.GetInt64(0), r.GetInt32(1), new RecordPlace(r.GetInt32(2), r.GetString(3)), new RecordPlace(r.GetInt32(4), r.GetString(5)), r.GetDouble(6), r.GetFieldValue<DateTimeOffset>(7), r.GetBoolean(8),
            r.GetFieldValue<string[]>(9), r.GetFieldValue<string[]>(10), r.IsDBNull(11) ? null : r.GetGuid(11), r.IsDBNull(12) ? null : r.GetGuid(12)), cancellation);
    }

    /// <summary>The same while the pairs that wait, and the records that are gone, are the same: to know without reading them whether they have to be counted anew.</summary>
    public async Task<string> Fingerprint(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select count(*) || ' ' || coalesce(max(id), 0) || ' ' || coalesce(sum(hashint8(id)::bigint), 0) || ' ' || coalesce(max(put_off_at)::text, '') || ' ' || (select count(*) from system_record where raw is null) from look_alike where state = 'open'
            """);
        return (string)(await command.ExecuteScalarAsync(cancellation))!;
    }

    /// <summary>Pairs that wait, without what they say: to be counted.</summary>
    public async Task<IReadOnlyList<PairView>> Waiting(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select k.id, k.mirror_id, k.side_a, k.id_a, k.side_b, k.id_b, k.probability, k.found_at, k.put_off_at is not null from look_alike k
            where k.state = 'open'
                and not exists (select from system_record r where r.mirror_id = k.mirror_id and r.side = k.side_a and r.id = k.id_a and r.raw is null)
                and not exists (select from system_record r where r.mirror_id = k.mirror_id and r.side = k.side_b and r.id = k.id_b and r.raw is null)
            """);
        return await PostgresRunStore.ReadAll(command, r => new PairView(
            r.GetInt64(0), r.GetInt32(1), new RecordPlace(r.GetInt32(2), r.GetString(3)), new RecordPlace(r.GetInt32(4), r.GetString(5)), r.GetDouble(6), r.GetFieldValue<DateTimeOffset>(7), r.GetBoolean(8), [], [], null, null), cancellation);
    }

    /// <summary>What the two records of one pair say, by the mirror's evidence.</summary>
    public async Task<IReadOnlyList<string>> EvidenceOf(PairView pair, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select evidence from likeness where mirror_id = @mirror and side = @side and id = @id");
        command.Parameters.AddWithValue("mirror", pair.MirrorId);
        command.Parameters.AddWithValue("side", pair.A.Side);
        command.Parameters.AddWithValue("id", pair.A.Id);
        return (await PostgresRunStore.ReadAll(command, r => r.GetFieldValue<string[]>(0), cancellation)).FirstOrDefault() ?? [];
    }

    public async Task<int> Count(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select count(*)::int from look_alike where state = 'open'");
        return (int)(await command.ExecuteScalarAsync(cancellation))!;
    }

    /// <summary>The last judgements that stand.</summary>
    public async Task<IReadOnlyList<JudgedView>> Judged(int most, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select k.id, k.mirror_id, g.what, g.who, g.at, k.side_a, k.id_a, k.side_b, k.id_b, coalesce(a.evidence, '{}'), coalesce(b.evidence, '{}')
            from (select distinct on (mirror_id, pair_id) mirror_id, pair_id, what, who, at, id from regrouping where pair_id is not null and undone_at is null order by mirror_id, pair_id, id desc) g
            join look_alike k on k.mirror_id = g.mirror_id and k.id = g.pair_id and k.state in ('same', 'different')
            left join likeness a on a.mirror_id = k.mirror_id and a.side = k.side_a and a.id = k.id_a
            left join likeness b on b.mirror_id = k.mirror_id and b.side = k.side_b and b.id = k.id_b
            order by g.id desc limit @most
            """);
        command.Parameters.AddWithValue("most", most);
        return await PostgresRunStore.ReadAll(command, r => new JudgedView(
            r.GetInt64(0), r.GetInt32(1), r.GetString(2), r.GetString(3), r.GetFieldValue<DateTimeOffset>(4), new RecordPlace(r.GetInt32(5), r.GetString(6)), new RecordPlace(r.GetInt32(7), r.GetString(8)),
            r.GetFieldValue<string[]>(9), r.GetFieldValue<string[]>(10)), cancellation);
    }

    /// <summary>The mirror of a pair; null when there is no such pair.</summary>
    public async Task<int?> MirrorOf(long pair, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select mirror_id from look_alike where id = @id");
        command.Parameters.AddWithValue("id", pair);
        return await command.ExecuteScalarAsync(cancellation) as int?;
    }

    /// <summary>The evidence of pairs, by their numbers.</summary>
    public async Task<IReadOnlyDictionary<long, Likelihood>> Evidence(int mirrorId, IReadOnlyCollection<long> pairs, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select id, likelihood from look_alike where mirror_id = @mirror and id = any(@ids)");
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("ids", pairs.ToArray());
        return (await PostgresRunStore.ReadAll(command, r => (Id: r.GetInt64(0), Likelihood: JsonSerializer.Deserialize<Likelihood>(r.GetString(1), JsonSerializerOptions.Web)!), cancellation)).ToDictionary(l => l.Id, l => l.Likelihood);
    }

    /// <summary>The records of a link.</summary>
    public async Task<IReadOnlyList<RecordPlace>> MembersOf(int mirrorId, Guid link, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select side, id from system_record where mirror_id = @mirror and link_id = @link order by side, id");
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("link", link);
        return await PostgresRunStore.ReadAll(command, r => new RecordPlace(r.GetInt32(0), r.GetString(1)), cancellation);
    }

    public async Task<IReadOnlyList<PlacedView>> Records(int mirrorId, IReadOnlyCollection<RecordPlace> places, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select r.side, r.id, r.raw, r.link_id, r.changed_at, r.changed_by from unnest(@sides, @ids) p (side, id) join system_record r on r.mirror_id = @mirror and r.side = p.side and r.id = p.id
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("sides", places.Select(p => p.Side).ToArray());
        command.Parameters.AddWithValue("ids", places.Select(p => p.Id).ToArray());
        return await PostgresRunStore.ReadAll(command, r => new PlacedView(
            new RecordPlace(r.GetInt32(0), r.GetString(1)), r.IsDBNull(2) ? null : r.GetString(2), r.IsDBNull(3) ? null : r.GetGuid(3), r.IsDBNull(4) ? null : r.GetFieldValue<DateTimeOffset>(4), r.IsDBNull(5) ? null : r.GetString(5)), cancellation);
    }

    /// <summary>Records of other sides that hold a text, by what counts as evidence.</summary>
    public async Task<IReadOnlyList<LikeRecord>> Find(int mirrorId, int notSide, string text, int most, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select l.side, l.id, r.link_id, l.evidence from likeness l join system_record r on r.mirror_id = l.mirror_id and r.side = l.side and r.id = l.id
            where l.mirror_id = @mirror and l.side <> @side and r.double_of is null and (l.id = @text or array_to_string(l.evidence, ' ') ilike @like) order by l.side, l.id limit @most
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("side", notSide);
        command.Parameters.AddWithValue("text", text);
        command.Parameters.AddWithValue("like", $"%{text.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("%", "\\%", StringComparison.Ordinal).Replace("_", "\\_", StringComparison.Ordinal)}%");
        command.Parameters.AddWithValue("most", most);
        return await PostgresRunStore.ReadAll(command, r => new LikeRecord(r.GetInt32(0), r.GetString(1), r.IsDBNull(2) ? null : r.GetGuid(2), [.. r.GetFieldValue<string[]>(3)]), cancellation);
    }
}
