using System.Collections.Immutable;
using System.Text.Json;
using Npgsql;
using NpgsqlTypes;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Storage;

/// <summary>What a run of one mirror knows of likenesses, in PostgreSQL, on the run's own connection.</summary>
public sealed class LikenessStore(NpgsqlConnection connection, int mirrorId, TimeProvider clock) : ILikenessStore
{
    /// <summary>A block as it is kept: one of this mirror only.</summary>
    private long Own(long block) => block ^ unchecked(mirrorId * (long)0x9E3779B97F4A7C15UL);

    public async Task<IReadOnlyList<KnownRecord>> ReadEvidenceDue(RecordPlace after, int count, CancellationToken cancellation)
    {
        await using var command = this.Command($"""
            select {PostgresRunStore.MemberColumns.Replace("raw", $"case when {LeftOut} then null else raw end raw", StringComparison.Ordinal)} from system_record
            where mirror_id = @mirror and evidence_due and (side, id) > (@side, @id) order by side, id limit @count
            """, ("side", after.Side), ("id", after.Id ?? ""), ("count", count));
        return await PostgresRunStore.ReadAll(command, PostgresRunStore.ReadMember, cancellation);
    }

    /// <summary>One that is left out says nothing: it is like nobody.</summary>
    private const string LeftOut = "exists (select from left_out o where o.mirror_id = system_record.mirror_id and o.side = system_record.side and o.record_id = system_record.id and o.link_id is null)";

    public async Task SaveEvidence(IReadOnlyList<RecordEvidence> records, CancellationToken cancellation)
    {
        if (records.Count == 0)
        {
            return;
        }

        // Texts and blocks of a record go as one text each: arrays of arrays would all have to be of one length.
        await using var command = this.Command("""
            with seen as (
                select * from unnest(@sides, @ids, @texts, @blocks) as s (side, id, evidence, blocks)
            ), gone as (
                delete from likeness l using seen s where l.mirror_id = @mirror and l.side = s.side and l.id = s.id and s.evidence is null
            ), kept as (
                insert into likeness (mirror_id, side, id, evidence, blocks)
                select @mirror, side, id, evidence::text[], blocks::bigint[] from seen where evidence is not null
                on conflict (mirror_id, side, id) do update set evidence = excluded.evidence, blocks = excluded.blocks
                    where likeness.evidence is distinct from excluded.evidence or likeness.blocks is distinct from excluded.blocks
            )
            update system_record r set evidence_due = false from seen s where r.mirror_id = @mirror and r.side = s.side and r.id = s.id;
            -- One that is gone resembles nothing; what waited for an answer about it is looked at again.
            with gone as (
                select side, id from unnest(@sides, @ids, @texts) as s (side, id, evidence) where evidence is null
            ), withdrawn as (
                update look_alike k set state = 'withdrawn' from gone g
                where k.mirror_id = @mirror and k.state = 'open' and ((g.side = k.side_a and g.id = k.id_a) or (g.side = k.side_b and g.id = k.id_b))
                returning k.side_a, k.id_a, k.side_b, k.id_b
            )
            update system_record r set waiting = true from withdrawn w
            where r.mirror_id = @mirror and r.link_id is null and r.raw is not null and ((r.side = w.side_a and r.id = w.id_a) or (r.side = w.side_b and r.id = w.id_b))
            """);
        command.Parameters.AddWithValue("sides", records.Select(r => r.Side).ToArray());
        command.Parameters.AddWithValue("ids", records.Select(r => r.Id).ToArray());
        command.Parameters.AddWithValue("texts", NpgsqlDbType.Array | NpgsqlDbType.Text, records.Select(r => r.Texts is { } texts ? ArrayText(texts) : null).ToArray());
        command.Parameters.AddWithValue("blocks", NpgsqlDbType.Array | NpgsqlDbType.Text, records.Select(r => $"{{{string.Join(',', r.Blocks.Select(this.Own))}}}").ToArray());
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<MatchModel?> ReadModel(CancellationToken cancellation)
    {
        await using var command = this.Command("select model from match_model where mirror_id = @mirror");
        return await command.ExecuteScalarAsync(cancellation) is string json ? JsonSerializer.Deserialize<MatchModel>(json, JsonSerializerOptions.Web) : null;
    }

    public async Task SaveModel(MatchModel model, IEnumerable<(int Field, string Name, int[] BySide)> names, IReadOnlyCollection<long> common, CancellationToken cancellation)
    {
        await using (var command = this.Command("""
            insert into match_model (mirror_id, model, learned_at) values (@mirror, @model::jsonb, @now)
            on conflict (mirror_id) do update set model = excluded.model, learned_at = excluded.learned_at;
            delete from match_name where mirror_id = @mirror;
            delete from common_block where mirror_id = @mirror
            """, ("model", JsonSerializer.Serialize(model, JsonSerializerOptions.Web)), ("now", clock.GetUtcNow())))
        {
            await command.ExecuteNonQueryAsync(cancellation);
        }

        await using (var copy = await connection.BeginBinaryImportAsync("copy match_name (mirror_id, field, name, by_side) from stdin (format binary)", cancellation))
        {
            foreach (var (field, name, bySide) in names.Where(n => n.BySide.Sum() > 1))
            {
                await copy.StartRowAsync(cancellation);
                await copy.WriteAsync(mirrorId, cancellation);
                await copy.WriteAsync(field, cancellation);
                await copy.WriteAsync(Storable(name), cancellation);
                await copy.WriteAsync(bySide, cancellation);
            }

            await copy.CompleteAsync(cancellation);
        }

        await using var blocks = await connection.BeginBinaryImportAsync("copy common_block (mirror_id, block) from stdin (format binary)", cancellation);
        foreach (var block in common)
        {
            await blocks.StartRowAsync(cancellation);
            await blocks.WriteAsync(mirrorId, cancellation);
            await blocks.WriteAsync(this.Own(block), cancellation);
        }

        await blocks.CompleteAsync(cancellation);
    }

    public async Task<IReadOnlyList<LikeRecord>> ReadAll(CancellationToken cancellation)
    {
        await using var command = this.Command("""
            select l.side, l.id, r.link_id, l.evidence from likeness l join system_record r on r.mirror_id = l.mirror_id and r.side = l.side and r.id = l.id
            where l.mirror_id = @mirror and r.double_of is null order by l.side, l.id
            """);
        return await PostgresRunStore.ReadAll(command, Like, cancellation);
    }

    public async Task<int> Count(CancellationToken cancellation)
    {
        await using var command = this.Command("select count(*)::int from likeness where mirror_id = @mirror");
        return (int)(await command.ExecuteScalarAsync(cancellation))!;
    }

    public async Task<IReadOnlyList<LikeRecord>> FindLike(ImmutableArray<long> blocks, int most, CancellationToken cancellation)
    {
        await using var command = this.Command("""
            with telling as materialized (
                select array(select b from unnest(@blocks) b where not exists (select from common_block c where c.mirror_id = @mirror and c.block = b)) as blocks
            )
            select l.side, l.id, r.link_id, l.evidence from (
                select l.mirror_id, l.side, l.id, l.evidence, (select count(*) from unnest(l.blocks) b where b = any(t.blocks)) as shared
                from telling t join likeness l on l.blocks && t.blocks where l.mirror_id = @mirror
                order by shared desc, l.side, l.id limit @most
            ) l
            join system_record r on r.mirror_id = l.mirror_id and r.side = l.side and r.id = l.id where r.double_of is null
            order by l.shared desc, l.side, l.id
            """, ("blocks", blocks.Select(this.Own).ToArray()), ("most", most));

        // Asked for every new record: planned once for each connection.
        await command.PrepareAsync(cancellation);
        return await PostgresRunStore.ReadAll(command, Like, cancellation);
    }

    public async Task<IReadOnlyDictionary<(int Field, string Name), int[]>> CountsOf(IReadOnlyCollection<(int Field, string Name)> names, CancellationToken cancellation)
    {
        await using var command = this.Command("""
            select * from (
                select a.field, a.name, (select n.by_side from match_name n where n.mirror_id = @mirror and n.field = a.field and n.name = a.name) as by_side from unnest(@fields, @names) as a (field, name)
            ) n where by_side is not null
            """, ("fields", names.Select(n => n.Field).ToArray()), ("names", names.Select(n => Storable(n.Name)).ToArray()));
        await command.PrepareAsync(cancellation);
        var kept = (await PostgresRunStore.ReadAll(command, r => (Field: r.GetInt32(0), Name: r.GetString(1), BySide: r.GetFieldValue<int[]>(2)), cancellation)).ToDictionary(n => (n.Field, n.Name), n => n.BySide);
        return names.Distinct().Where(n => kept.ContainsKey((n.Field, Storable(n.Name)))).ToDictionary(n => n, n => kept[(n.Field, Storable(n.Name))]);
    }

    public async Task<IReadOnlySet<(RecordPlace A, RecordPlace B)>> ReadDifferent(CancellationToken cancellation)
    {
        await using var command = this.Command("select side_a, id_a, side_b, id_b from look_alike where mirror_id = @mirror and state = 'different'");
        return (await PostgresRunStore.ReadAll(command, r => (new RecordPlace(r.GetInt32(0), r.GetString(1)), new RecordPlace(r.GetInt32(2), r.GetString(3))), cancellation)).ToHashSet();
    }

    public async Task<IReadOnlyList<(RecordPlace A, RecordPlace B, bool IsSame)>> ReadJudged(CancellationToken cancellation)
    {
        await using var command = this.Command("select side_a, id_a, side_b, id_b, state = 'same' from look_alike where mirror_id = @mirror and state in ('same', 'different') order by id");
        return await PostgresRunStore.ReadAll(command, r => (new RecordPlace(r.GetInt32(0), r.GetString(1)), new RecordPlace(r.GetInt32(2), r.GetString(3)), r.GetBoolean(4)), cancellation);
    }

    public async Task<IReadOnlyList<RecordPlace>> SaveLookAlikes(IReadOnlyList<LookAlikeFound> found, IReadOnlyCollection<RecordPlace>? looked, CancellationToken cancellation)
    {
        await using var command = this.Command("""
            create temporary table if not exists asked_now (side_a int, id_a text collate "C", side_b int, id_b text collate "C", likelihood jsonb, probability double precision);
            truncate asked_now;
            insert into asked_now select * from unnest(@sidesA, @idsA, @sidesB, @idsB, @likelihoods, @probabilities);
            insert into look_alike (mirror_id, side_a, id_a, side_b, id_b, likelihood, probability, found_at)
            select @mirror, side_a, id_a, side_b, id_b, likelihood, probability, @now from asked_now
            on conflict (mirror_id, side_a, id_a, side_b, id_b) do update
                set likelihood = excluded.likelihood, probability = excluded.probability, state = 'open', found_at = case when look_alike.state = 'open' then look_alike.found_at else excluded.found_at end
                where look_alike.state in ('open', 'withdrawn');
            update system_record r set waiting = false from asked_now a
            where r.mirror_id = @mirror and r.link_id is null and ((r.side = a.side_a and r.id = a.id_a) or (r.side = a.side_b and r.id = a.id_b))
            """, ("now", clock.GetUtcNow()), ("sidesA", found.Select(f => f.A.Side).ToArray()), ("idsA", found.Select(f => f.A.Id).ToArray()),
            ("sidesB", found.Select(f => f.B.Side).ToArray()), ("idsB", found.Select(f => f.B.Id).ToArray()), ("probabilities", found.Select(f => f.Likelihood.Probability).ToArray()));
        command.Parameters.AddWithValue("likelihoods", NpgsqlDbType.Array | NpgsqlDbType.Jsonb, found.Select(f => JsonSerializer.Serialize(f.Likelihood, JsonSerializerOptions.Web)).ToArray());
        await command.ExecuteNonQueryAsync(cancellation);

        await using var withdraw = this.Command("""
            with looked as (
                select * from unnest(@sides, @ids) as l (side, id)
            ), withdrawn as (
                update look_alike k set state = 'withdrawn' where mirror_id = @mirror and state = 'open'
                    and (@all or exists (select from looked l where (l.side = k.side_a and l.id = k.id_a) or (l.side = k.side_b and l.id = k.id_b)))
                    and not exists (select from asked_now a where a.side_a = k.side_a and a.id_a = k.id_a and a.side_b = k.side_b and a.id_b = k.id_b)
                returning id, side_a, id_a, side_b, id_b
            )
            select distinct r.side, r.id from withdrawn w
            join system_record r on r.mirror_id = @mirror and r.link_id is null and r.raw is not null and ((r.side = w.side_a and r.id = w.id_a) or (r.side = w.side_b and r.id = w.id_b))
            where not exists (select from look_alike k where k.mirror_id = @mirror and k.state = 'open' and k.id not in (select id from withdrawn)
                and ((k.side_a = r.side and k.id_a = r.id) or (k.side_b = r.side and k.id_b = r.id)))
            """, ("all", looked is null), ("sides", (looked ?? []).Select(l => l.Side).ToArray()), ("ids", (looked ?? []).Select(l => l.Id).ToArray()));
        return await PostgresRunStore.ReadAll(withdraw, r => new RecordPlace(r.GetInt32(0), r.GetString(1)), cancellation);
    }

    public async Task SaveLeftOut(IReadOnlyCollection<RecordPlace> records, CancellationToken cancellation)
    {
        await using var command = this.Command("""
            update system_record r set waiting = false from unnest(@sides, @ids) as l (side, id) where r.mirror_id = @mirror and r.side = l.side and r.id = l.id and r.link_id is null
            """, ("sides", records.Select(r => r.Side).ToArray()), ("ids", records.Select(r => r.Id).ToArray()));
        await command.ExecuteNonQueryAsync(cancellation);
    }

    private static LikeRecord Like(System.Data.Common.DbDataReader reader) =>
        new(reader.GetInt32(0), reader.GetString(1), reader.IsDBNull(2) ? null : reader.GetGuid(2), [.. reader.GetFieldValue<string[]>(3)]);

    /// <summary>Names that are too long for an index are cut: two that differ after so many letters count as one.</summary>
    private static string Storable(string name) => name.Length <= 400 ? name : name[..400];

    private static string ArrayText(ImmutableArray<string> texts) => $"{{{string.Join(',', texts.Select(t => $"\"{t.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\"", "\\\"", StringComparison.Ordinal)}\""))}}}";

    private NpgsqlCommand Command(string sql, params (string Name, object Value)[] parameters)
    {
        var command = new NpgsqlCommand(sql, connection);
        command.Parameters.AddWithValue("mirror", mirrorId);
        foreach (var (name, value) in parameters)
        {
            command.Parameters.AddWithValue(name, value);
        }

        return command;
    }
}
