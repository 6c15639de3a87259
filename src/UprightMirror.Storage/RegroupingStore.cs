using System.Text.Json;
using Npgsql;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage;

/// <summary>Decisions about which records are one thing, in PostgreSQL. A decision and a run of the same mirror keep out of each other's way.</summary>
public sealed class RegroupingStore(NpgsqlDataSource database, int mirrorId, MirrorDefinition mirror, TimeProvider clock) : IRegroupingStore
{
    private readonly StoredForms forms = new(mirror);

    public async Task<JudgedPair?> ReadPair(long pair, CancellationToken cancellation)
    {
        await using var command = this.Command("select id, side_a, id_a, side_b, id_b, likelihood, state from look_alike where mirror_id = @mirror and id = @id", ("id", pair));
        return (await PostgresRunStore.ReadAll(command, r => new JudgedPair(
            r.GetInt64(0), new RecordPlace(r.GetInt32(1), r.GetString(2)), new RecordPlace(r.GetInt32(3), r.GetString(4)), JsonSerializer.Deserialize<Likelihood>(r.GetString(5), JsonSerializerOptions.Web)!, r.GetString(6)), cancellation)).SingleOrDefault();
    }

    public async Task<PlacedRecord?> ReadPlaced(RecordPlace place, CancellationToken cancellation)
    {
        await using var command = this.Command($"select {PostgresRunStore.MemberColumns}, link_id, double_of from system_record where mirror_id = @mirror and side = @side and id = @id", ("side", place.Side), ("id", place.Id));
        return (await PostgresRunStore.ReadAll(command, r => new PlacedRecord(PostgresRunStore.ReadMember(r), r.IsDBNull(11) ? null : r.GetGuid(11), r.IsDBNull(12) ? null : r.GetString(12)), cancellation)).SingleOrDefault();
    }

    public async Task<LinkedRecord?> ReadLinked(Guid link, CancellationToken cancellation)
    {
        await using var connection = await database.OpenConnectionAsync(cancellation);
        return (await LinkedRecords.Read(connection, mirrorId, this.forms, [link], cancellation)).SingleOrDefault();
    }

    public async Task<IReadOnlyList<WrittenAcross>> ReadWritten(Guid link, RecordPlace joined, CancellationToken cancellation)
    {
        // On the record's own side all that was written came from the others; on the others, what the record's side had said.
        await using var command = this.Command("""
            with since as (
                select coalesce(max(id), 0) as id from journal where mirror_id = @mirror and link_id = @link and kind = 'Linked' and side = @side
            ), said as (
                select distinct field from journal j, since s where j.mirror_id = @mirror and j.link_id = @link and j.kind = 'Agreed' and j.side = @side and j.id > s.id
            )
            select distinct on (j.side, j.field) j.side, j.field, j.before, last_value(j.after) over (partition by j.side, j.field order by j.id rows between unbounded preceding and unbounded following)
            from journal j, since s
            where j.mirror_id = @mirror and j.link_id = @link and j.kind = 'Written' and j.id > s.id and (j.side = @side or j.field in (select field from said))
            order by j.side, j.field, j.id
            """, ("link", link), ("side", joined.Side));
        return await PostgresRunStore.ReadAll(command, r => new WrittenAcross(r.GetInt32(0), r.GetString(1), Raw(r, 2), Raw(r, 3)), cancellation);

        static Value Raw(System.Data.Common.DbDataReader reader, int column)
        {
            if (reader.IsDBNull(column))
            {
                return Value.Empty;
            }

            using var document = JsonDocument.Parse(reader.GetString(column));
            return ValueJson.ReadRaw(document.RootElement);
        }
    }

    public async Task<long?> Save(Regrouped regrouped, CancellationToken cancellation)
    {
        var now = clock.GetUtcNow();
        await using var connection = await database.OpenConnectionAsync(cancellation);
        await using var transaction = await connection.BeginTransactionAsync(cancellation);
        if (!await MirrorLock.KeepOut(connection, mirrorId, clock, cancellation))
        {
            return null;
        }

        var links = regrouped.Links.Select(l => l.Link).Concat(regrouped.Dissolved).Distinct().ToArray();
        if (!regrouped.Seen.IsEmpty && !(await this.Standing(connection, links, regrouped.Seen, cancellation)).SetEquals(regrouped.Seen))
        {
            return IRegroupingStore.OtherMeanwhile;
        }

        await using var batch = new NpgsqlBatch(connection, transaction);
        void Add(string sql, params (string Name, object? Value)[] parameters) => batch.BatchCommands.Add(PostgresRunStore.Bound(new NpgsqlBatchCommand(sql), mirrorId, parameters));
        Add("""
            insert into regrouping (mirror_id, pair_id, what, who, at, made, before) select @mirror, @pair, @what, @who, @now,
                array(select l from unnest(@links) l where not exists (select from link k where k.mirror_id = @mirror and k.id = l)),
                jsonb_build_object(
                    'links', (select coalesce(jsonb_agg(to_jsonb(l)), '[]') from link l where l.mirror_id = @mirror and l.id = any(@links)),
                    'records', (select coalesce(jsonb_agg(to_jsonb(r)), '[]') from system_record r where r.mirror_id = @mirror
                        and (r.link_id = any(@links) or exists (select from unnest(@sides, @ids) p (side, id) where p.side = r.side and p.id = r.id))),
                    'pairs', (select coalesce(jsonb_agg(to_jsonb(k)), '[]') from look_alike k where k.mirror_id = @mirror and (
                        exists (select from unnest(@sidesA, @idsA, @sidesB, @idsB) p (side_a, id_a, side_b, id_b) where k.side_a = p.side_a and k.id_a = p.id_a and k.side_b = p.side_b and k.id_b = p.id_b)
                        or (k.state = 'open' and exists (select from unnest(@sides, @ids) p (side, id) where (p.side = k.side_a and p.id = k.id_a) or (p.side = k.side_b and p.id = k.id_b))))),
                    'pointing', (select coalesce(jsonb_agg(jsonb_build_object('mirror', p.mirror_id, 'link', p.link_id, 'reference', p.reference, 'target', p.target, 'moved', @kept)), '[]')
                        from pointing g join pointer p on p.mirror_id = g.mirror_id and p.reference = g.reference where g.to_mirror_id = @mirror and p.target = any(@dissolved)))
            """,
            ("pair", regrouped.Pair), ("what", regrouped.What), ("who", regrouped.Who), ("now", now), ("links", links), ("dissolved", regrouped.Dissolved.ToArray()), ("kept", regrouped.Links.FirstOrDefault()?.Link),
            ("sides", regrouped.Records.Select(r => r.Place.Side).ToArray()), ("ids", regrouped.Records.Select(r => r.Place.Id).ToArray()),
            ("sidesA", regrouped.Pairs.Select(p => p.A.Side).ToArray()), ("idsA", regrouped.Pairs.Select(p => p.A.Id).ToArray()), ("sidesB", regrouped.Pairs.Select(p => p.B.Side).ToArray()), ("idsB", regrouped.Pairs.Select(p => p.B.Id).ToArray()));
        foreach (var link in regrouped.Links)
        {
            Add("""
                insert into link (mirror_id, id, title, waiting, agreed) values (@mirror, @link, @title, true, @agreed::jsonb)
                on conflict (mirror_id, id) do update set waiting = true, changed_at = @now, agreed = link.agreed || excluded.agreed
                """, ("link", link.Link), ("title", link.Title), ("agreed", PostgresRunStore.AgreedJson(link.Agreed)), ("now", now));
        }

        foreach (var record in regrouped.Records)
        {
            Add("""
                update system_record set link_id = @link, waiting = @waiting, double_of = @double, shadow = null, told = '{}', owed = '{}', unmet = '{}' where mirror_id = @mirror and side = @side and id = @id
                """, ("link", record.Link), ("waiting", record.Waiting), ("double", record.DoubleOf), ("side", record.Place.Side), ("id", record.Place.Id));
            if (record.After is { } after)
            {
                batch.BatchCommands.Add(PostgresRunStore.SideCommand(mirrorId, after));
                Add("update system_record set waiting = @waiting where mirror_id = @mirror and side = @side and id = @id", ("waiting", record.Waiting), ("side", record.Place.Side), ("id", record.Place.Id));
            }

            Add("delete from hold where mirror_id = @mirror and side = @side and record_id = @id", ("side", record.Place.Side), ("id", record.Place.Id));
        }

        if (regrouped.Links is [var kept, ..] && !regrouped.Dissolved.IsEmpty)
        {
            // What other mirrors' records point at is the one that is kept from now on.
            Add($"""
                {PointElsewhere} from pointing g join pointer p on p.mirror_id = g.mirror_id and p.reference = g.reference join link l on l.mirror_id = p.mirror_id and l.id = p.link_id
                    cross join (values (@kept::uuid, @title)) to_link (id, title)
                    where g.to_mirror_id = @mirror and p.target = any(@dissolved) and (l.agreed -> p.reference -> 'value' ->> 'link')::uuid = p.target
                {PointElsewhereEnd}
                """, ("kept", kept.Link), ("title", kept.Title), ("dissolved", regrouped.Dissolved.ToArray()));
        }

        foreach (var link in regrouped.Dissolved)
        {
            Add("update conflict set state = 'closed', decided_at = @now, decision = 'its records belong to another one' where mirror_id = @mirror and link_id = @link and state = 'open'", ("link", link), ("now", now));
            Add("delete from hold where mirror_id = @mirror and link_id = @link", ("link", link));
            Add("update delivery set state = 'superseded', ended_at = @now where mirror_id = @mirror and link_id = @link and state in ('planned', 'refused')", ("link", link), ("now", now));
            Add("delete from link where mirror_id = @mirror and id = @link", ("link", link));
        }

        foreach (var pair in regrouped.Pairs)
        {
            Add("""
                insert into look_alike (mirror_id, side_a, id_a, side_b, id_b, likelihood, probability, state, found_at, decided_by, decided_at)
                values (@mirror, @sideA, @idA, @sideB, @idB, '{"before":0,"lines":[],"relatives":0,"rivals":0}', 0, @state, @now, @who, @now)
                on conflict (mirror_id, side_a, id_a, side_b, id_b) do update set state = excluded.state, decided_by = excluded.decided_by, decided_at = excluded.decided_at, put_off_at = null
                """, ("sideA", pair.A.Side), ("idA", pair.A.Id), ("sideB", pair.B.Side), ("idB", pair.B.Id), ("state", pair.State), ("who", regrouped.Who), ("now", now));
        }

        // A double is nobody of its own any more: what else was asked about it is asked no more.
        var doubles = regrouped.Records.Where(r => r.DoubleOf is not null).Select(r => r.Place).ToList();
        Add("""
            update look_alike k set state = 'withdrawn' from unnest(@sides, @ids) p (side, id)
            where k.mirror_id = @mirror and k.state = 'open' and ((p.side = k.side_a and p.id = k.id_a) or (p.side = k.side_b and p.id = k.id_b))
            """, ("sides", doubles.Select(d => d.Side).ToArray()), ("ids", doubles.Select(d => d.Id).ToArray()));

        // Who waited only for this answer is looked at by the next run; who waited for a double, too.
        Add("""
            update system_record r set waiting = true from (
                select side, id from unnest(@sides, @ids) p (side, id)
                union select k.side_a, k.id_a from look_alike k join unnest(@goneSides, @goneIds) p (side, id) on k.side_b = p.side and k.id_b = p.id where k.mirror_id = @mirror and k.state = 'withdrawn'
                union select k.side_b, k.id_b from look_alike k join unnest(@goneSides, @goneIds) p (side, id) on k.side_a = p.side and k.id_a = p.id where k.mirror_id = @mirror and k.state = 'withdrawn'
            ) p
            where r.mirror_id = @mirror and r.side = p.side and r.id = p.id and r.link_id is null and r.raw is not null and r.double_of is null
                and not exists (select from look_alike k where k.mirror_id = @mirror and k.state = 'open' and ((k.side_a = r.side and k.id_a = r.id) or (k.side_b = r.side and k.id_b = r.id)))
            """, ("sides", regrouped.Pairs.SelectMany(p => new[] { p.A.Side, p.B.Side }).ToArray()), ("ids", regrouped.Pairs.SelectMany(p => new[] { p.A.Id, p.B.Id }).ToArray()),
            ("goneSides", doubles.Select(d => d.Side).ToArray()), ("goneIds", doubles.Select(d => d.Id).ToArray()));
        foreach (var entry in regrouped.Journal)
        {
            batch.BatchCommands.Add(PostgresRunStore.JournalCommand(mirrorId, null, now, entry));
        }

        foreach (var (of, delivery) in regrouped.Aside)
        {
            batch.BatchCommands.Add(PostgresRunStore.AsideCommand(of, delivery, now));
        }

        await batch.ExecuteNonQueryAsync(cancellation);
        await using var told = new NpgsqlCommand("select currval(pg_get_serial_sequence('regrouping', 'id')), pg_notify('upright', 'decided')", connection, transaction);
        var id = (long)(await told.ExecuteScalarAsync(cancellation))!;
        await transaction.CommitAsync(cancellation);
        return id;
    }

    /// <summary>The records of links, and of places, with the links that they are in now.</summary>
    private async Task<HashSet<(RecordPlace Place, Guid? Link)>> Standing(NpgsqlConnection connection, Guid[] links, IReadOnlyCollection<(RecordPlace Place, Guid? Link)> seen, CancellationToken cancellation)
    {
        await using var command = new NpgsqlCommand("""
            select r.side, r.id, r.link_id from system_record r where r.mirror_id = @mirror and (r.link_id = any(@links) or exists (select from unnest(@sides, @ids) p (side, id) where p.side = r.side and p.id = r.id))
            """, connection);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("links", links);
        command.Parameters.AddWithValue("sides", seen.Select(s => s.Place.Side).ToArray());
        command.Parameters.AddWithValue("ids", seen.Select(s => s.Place.Id).ToArray());
        return [.. await PostgresRunStore.ReadAll(command, r => (new RecordPlace(r.GetInt32(0), r.GetString(1)), r.IsDBNull(2) ? (Guid?)null : r.GetGuid(2)), cancellation)];
    }

    public async Task<IReadOnlyList<PointingRecord>> ReadPointing(int of, int side, string path, string id, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select r.link_id, l.title, r.id, r.raw -> @path, r.version_tag from system_record r join link l on l.mirror_id = r.mirror_id and l.id = r.link_id
            where r.mirror_id = @of and r.side = @side and r.raw ->> @path = @id order by r.id
            """);
        command.Parameters.AddWithValue("of", of);
        command.Parameters.AddWithValue("side", side);
        command.Parameters.AddWithValue("path", path);
        command.Parameters.AddWithValue("id", id);
        return await PostgresRunStore.ReadAll(command, r =>
        {
            using var says = JsonDocument.Parse(r.GetString(3));
            return new PointingRecord(r.GetGuid(0), r.GetString(1), r.GetString(2), ValueJson.ReadRaw(says.RootElement), r.IsDBNull(4) ? null : r.GetString(4));
        }, cancellation);
    }

    public async Task<BeforeRegrouping> ReadBefore(long regrouping, CancellationToken cancellation)
    {
        await using var links = this.Command("select l.id, l.title, l.agreed from regrouping g, jsonb_populate_recordset(null::link, g.before -> 'links') l where g.mirror_id = @mirror and g.id = @id", ("id", regrouping));
        var linksBefore = await PostgresRunStore.ReadAll(links, r => (r.GetGuid(0), r.GetString(1), (IReadOnlyDictionary<string, AgreedValue>)this.forms.ReadAgreed(r.GetString(2))), cancellation);
        await using var records = this.Command("select r.side, r.id, r.link_id, r.double_of from regrouping g, jsonb_populate_recordset(null::system_record, g.before -> 'records') r where g.mirror_id = @mirror and g.id = @id", ("id", regrouping));
        var recordsBefore = await PostgresRunStore.ReadAll(records, r => (new RecordPlace(r.GetInt32(0), r.GetString(1)), r.IsDBNull(2) ? (Guid?)null : r.GetGuid(2), r.IsDBNull(3) ? null : r.GetString(3)), cancellation);
        await using var written = this.Command("""
            select d.mirror_id, d.link_id, d.side, d.record_id, d.fields, r.version_tag from regrouping g join delivery d on d.aside and d.planned_at = g.at and d.state = 'confirmed'
            left join system_record r on r.mirror_id = d.mirror_id and r.side = d.side and r.id = d.record_id where g.mirror_id = @mirror and g.id = @id
            """, ("id", regrouping));
        var made = await PostgresRunStore.ReadAll(written, r => new AsideDelivery(r.GetInt32(0), new Delivery(
            0, r.GetGuid(1), "", r.GetInt32(2), Core.Reconciling.WriteKind.Change, r.GetString(3), r.GetGuid(1).ToString("N"), this.forms.ReadDelivered(r.GetString(4)), r.IsDBNull(5) ? null : r.GetString(5))), cancellation);
        return new BeforeRegrouping(linksBefore, recordsBefore, made);
    }

    public async Task PutOff(long pair, CancellationToken cancellation)
    {
        await using var command = this.Command("update look_alike set put_off_at = @now where mirror_id = @mirror and id = @id and state = 'open' returning pg_notify('upright', 'decided')", ("id", pair), ("now", clock.GetUtcNow()));
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<KeptRegrouping?> LastOf(long pair, CancellationToken cancellation)
    {
        await using var command = this.Command($"select g.id, g.pair_id, g.what, g.who, g.at, ({HasRun}) from regrouping g where g.mirror_id = @mirror and g.pair_id = @pair and g.undone_at is null order by g.id desc limit 1", ("pair", pair));
        return (await PostgresRunStore.ReadAll(command, r => new KeptRegrouping(r.GetInt64(0), r.IsDBNull(1) ? null : r.GetInt64(1), r.GetString(2), r.GetString(3), r.GetFieldValue<DateTimeOffset>(4), r.GetBoolean(5)), cancellation)).SingleOrDefault();
    }

    public async Task<bool> TakeBack(long regrouping, string who, CancellationToken cancellation)
    {
        await using var connection = await database.OpenConnectionAsync(cancellation);
        await using var transaction = await connection.BeginTransactionAsync(cancellation);
        if (!await MirrorLock.KeepOut(connection, mirrorId, clock, cancellation))
        {
            return false;
        }

        await using var command = new NpgsqlCommand($$"""
            create temporary table taken_back on commit drop as
                select g.before, g.made from regrouping g where g.mirror_id = @mirror and g.id = @id and g.undone_at is null and not ({{HasRun}});
            update regrouping set undone_by = @who, undone_at = @now where mirror_id = @mirror and id = @id and exists (select from taken_back);
            insert into link select l.* from taken_back t, jsonb_populate_recordset(null::link, t.before -> 'links') l
            on conflict (mirror_id, id) do update set title = excluded.title, agreed = excluded.agreed, waiting = excluded.waiting, changed_at = excluded.changed_at, search = excluded.search;
            update system_record r set link_id = b.link_id, shadow = b.shadow, told = b.told, owed = b.owed, unmet = b.unmet, waiting = b.waiting, double_of = b.double_of
            from taken_back t, jsonb_populate_recordset(null::system_record, t.before -> 'records') b where r.mirror_id = b.mirror_id and r.side = b.side and r.id = b.id;
            update look_alike k set state = b.state, decided_by = b.decided_by, decided_at = b.decided_at, put_off_at = null
            from taken_back t, jsonb_populate_recordset(null::look_alike, t.before -> 'pairs') b where k.mirror_id = b.mirror_id and k.id = b.id;
            delete from look_alike k using taken_back t where k.mirror_id = @mirror and k.probability = 0 and k.state = 'different' and k.likelihood -> 'lines' = '[]'
                and not exists (select from jsonb_populate_recordset(null::look_alike, t.before -> 'pairs') b where b.id = k.id) and k.decided_at = (select at from regrouping where mirror_id = @mirror and id = @id);
            update delivery d set state = 'superseded', ended_at = @now from taken_back t where d.aside and d.state = 'planned'
                and d.planned_at = (select at from regrouping where mirror_id = @mirror and id = @id);
            {{PointBack("taken_back t")}};
            delete from link l using taken_back t where l.mirror_id = @mirror and l.id = any(t.made)
            """, connection, transaction);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("id", regrouping);
        command.Parameters.AddWithValue("who", who);
        command.Parameters.AddWithValue("now", clock.GetUtcNow());
        await command.ExecuteNonQueryAsync(cancellation);
        await using var done = new NpgsqlCommand("select exists (select from taken_back), pg_notify('upright', 'decided')", connection, transaction);
        var taken = (bool)(await done.ExecuteScalarAsync(cancellation))!;
        await transaction.CommitAsync(cancellation);
        return taken;
    }

    public async Task NoteTakenBack(long regrouping, string who, CancellationToken cancellation)
    {
        await using var command = this.Command($"""
            with taken_back as (
                update regrouping set undone_by = @who, undone_at = @now where mirror_id = @mirror and id = @id and undone_at is null returning before
            )
            {PointBack("taken_back t")}
            """, ("id", regrouping), ("who", who), ("now", clock.GetUtcNow()));
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>Gives references of other mirrors' records (p, of l) another target (to_link), each record once.</summary>
    private const string PointElsewhere = """
        update link set waiting = true, agreed = link.agreed || c.changed from (
            select l.mirror_id, l.id, jsonb_object_agg(p.reference, jsonb_set(l.agreed -> p.reference, '{value}', jsonb_build_object('link', to_link.id, 'title', to_link.title))) changed
        """;

    private const string PointElsewhereEnd = "group by l.mirror_id, l.id) c where link.mirror_id = c.mirror_id and link.id = c.id";

    /// <summary>Gives references of other mirrors' records the target back that they had before a decision, where they still have the one that it gave them.</summary>
    /// <param name="from">What has the decision's <c>before</c>, as t.</param>
    private static string PointBack(string from) => $"""
        {PointElsewhere} from {from} cross join lateral jsonb_to_recordset(t.before -> 'pointing') p (mirror int, link uuid, reference text, target uuid, moved uuid)
            join link l on l.mirror_id = p.mirror and l.id = p.link join link to_link on to_link.mirror_id = @mirror and to_link.id = p.target
            where (l.agreed -> p.reference -> 'value' ->> 'link')::uuid = p.moved
        {PointElsewhereEnd}
        """;

    /// <summary>Whether a run has worked on what a decision touched: its links have entries of a run since.</summary>
    private const string HasRun = """
        exists (select from journal j where j.mirror_id = g.mirror_id and j.run_id is not null and j.at >= g.at
            and (j.link_id = any(g.made) or j.link_id in (select (l ->> 'id')::uuid from jsonb_array_elements(g.before -> 'links') l)))
        or exists (select from delivery d where d.aside and d.planned_at = g.at and d.state in ('sent', 'confirmed'))
        """;

    private NpgsqlCommand Command(string sql, params (string Name, object Value)[] parameters)
    {
        var command = database.CreateCommand(sql);
        command.Parameters.AddWithValue("mirror", mirrorId);
        foreach (var (name, value) in parameters)
        {
            command.Parameters.AddWithValue(name, value);
        }

        return command;
    }
}
