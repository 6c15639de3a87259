using Npgsql;
using NpgsqlTypes;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Storage;

/// <summary>Commands that keep many records at once, one statement for each kind of thing instead of one for each record.</summary>
internal static class Bulk
{
    /// <summary>Records put into links, which are made where they are not there yet.</summary>
    public static NpgsqlBatchCommand NewLinks(int mirror, IReadOnlyList<LinkedAs> links) => Command(mirror, """
        with linked as (select * from unnest(@links, @sides, @ids, @titles) as l (link, side, id, title)), made as (
            insert into link (mirror_id, id, title, waiting) select distinct on (link) @mirror, link, title, true from linked on conflict (mirror_id, id) do update set waiting = true
        ), freed as (
            delete from hold h using linked l where h.mirror_id = @mirror and h.side = l.side and h.record_id = l.id and h.link_id is null
        )
        update system_record r set link_id = l.link, waiting = false from linked l where r.mirror_id = @mirror and r.side = l.side and r.id = l.id
        """, ("links", Of(links, l => l.Link)), ("sides", Of(links, l => l.Side)), ("ids", Of(links, l => l.Id)), ("titles", Of(links, l => l.Title)));

    /// <summary>Titles, agreed values and whether they are followed, of links that were reconciled; none of them waits any more.</summary>
    public static NpgsqlBatchCommand Links(int mirror, IReadOnlyList<Reconciled> records, DateTimeOffset now) => Command(mirror, """
        update link l set title = r.title, waiting = false, not_followed_since = case when r.followed then null else coalesce(l.not_followed_since, @now) end,
            agreed = l.agreed || r.agreed::jsonb, changed_at = case when r.agreed = '{}' then l.changed_at else @now end
        from unnest(@links, @titles, @followed, @agreed) as r (id, title, followed, agreed) where l.mirror_id = @mirror and l.id = r.id
        """,
        ("now", now), ("links", Of(records, r => r.Link)), ("titles", Of(records, r => r.Title)), ("followed", Of(records, r => r.IsFollowed)), ("agreed", Of(records, r => PostgresRunStore.AgreedJson(r.Agreed))));

    /// <summary>What is known of sides from now on.</summary>
    /// <param name="waiting">For each, whether it says something that nobody has seen yet; null for none.</param>
    public static NpgsqlBatchCommand Sides(int mirror, IReadOnlyList<SideAfter> sides, bool[]? waiting = null) => Command(mirror, """
        update system_record r set shadow = coalesce(s.shadow::jsonb, r.shadow), told = s.told::jsonb, waiting = s.waiting,
            owed = array(select jsonb_array_elements_text(s.owed::jsonb)), unmet = array(select jsonb_array_elements_text(s.unmet::jsonb))
        from unnest(@sides, @ids, @shadows, @told, @owed, @unmet, @waiting) as s (side, id, shadow, told, owed, unmet, waiting) where r.mirror_id = @mirror and r.side = s.side and r.id = s.id
        """,
        ("sides", Of(sides, s => s.Side)), ("ids", Of(sides, s => s.Id)), ("shadows", Of(sides, s => s.Shadow is null ? null : StoredForms.Write(s.Shadow))), ("told", Of(sides, s => StoredForms.Write(s.Told))),
        ("owed", Of(sides, s => Json(s.Owed))), ("unmet", Of(sides, s => Json(s.Unmet))), ("waiting", waiting ?? new bool[sides.Count]));

    /// <summary>What an undo goes back to. Where a record is reconciled more than once in a run, what was known before the first time counts.</summary>
    public static NpgsqlBatchCommand Memories(int mirror, IReadOnlyList<(Guid Link, RecordMemory Memory)> memories) => Command(mirror, """
        insert into run_memory (mirror_id, run_id, link_id, at, agreed, sides)
        select @mirror, m.run, m.link, m.at, m.agreed::jsonb, m.sides::jsonb from unnest(@runs, @links, @ats, @agreed, @sides) as m (run, link, at, agreed, sides)
        on conflict (mirror_id, link_id, run_id) do update set agreed = excluded.agreed || run_memory.agreed
        """,
        ("runs", Of(memories, m => m.Memory.Run)), ("links", Of(memories, m => m.Link)), ("ats", Of(memories, m => m.Memory.At.ToUniversalTime())),
        ("agreed", Of(memories, m => StoredForms.Write(m.Memory.Agreed))), ("sides", Of(memories, m => StoredForms.Write(m.Memory.Sides))));

    /// <summary>Holds of links end, and what was planned or refused for them is overtaken.</summary>
    public static IEnumerable<NpgsqlBatchCommand> Ended(int mirror, IReadOnlyList<Guid> links, DateTimeOffset now)
    {
        yield return Command(mirror, "delete from hold where mirror_id = @mirror and link_id = any(@links)", ("links", links.ToArray()));
        yield return Command(mirror, "update delivery set state = 'superseded', ended_at = @now where mirror_id = @mirror and link_id = any(@links) and state in ('planned', 'refused') and not aside", ("links", links.ToArray()), ("now", now));
    }

    /// <summary>Deliveries that are planned, in their order.</summary>
    public static NpgsqlBatchCommand Deliveries(int mirror, long run, IReadOnlyList<Delivery> deliveries, DateTimeOffset now) => Command(mirror, """
        insert into delivery (mirror_id, run_id, link_id, side, kind, record_id, reference, fields, version_tag, state, planned_at)
        select @mirror, @run, d.link, d.side, d.kind, d.record, d.reference, d.fields::jsonb, d.tag, 'planned', @now
        from unnest(@links, @sides, @kinds, @records, @references, @fields, @tags) with ordinality as d (link, side, kind, record, reference, fields, tag, n) order by d.n
        """,
        ("run", run), ("now", now), ("links", Of(deliveries, d => d.Link)), ("sides", Of(deliveries, d => d.Side)), ("kinds", Of(deliveries, d => d.Kind.ToString())), ("records", Of(deliveries, d => d.RecordId)),
        ("references", Of(deliveries, d => d.Reference)), ("fields", Of(deliveries, d => StoredForms.Write(d.Fields))), ("tags", Of(deliveries, d => d.VersionTag)));

    /// <summary>Lines of the journal, in their order.</summary>
    public static NpgsqlBatchCommand Journal(int mirror, long run, IReadOnlyList<JournalEntry> entries, DateTimeOffset now) => Command(mirror, """
        insert into journal (mirror_id, link_id, run_id, at, kind, side, field, before, after, why, who, changed_at)
        select @mirror, j.link, @run, @now, j.kind, j.side, j.field, j.before::jsonb, j.after::jsonb, j.why, j.who, j.changed
        from unnest(@links, @kinds, @sides, @fields, @before, @after, @whys, @who, @changed) with ordinality as j (link, kind, side, field, before, after, why, who, changed, n) order by j.n
        """,
        ("run", run), ("now", now), ("links", Of(entries, e => e.Link)), ("kinds", Of(entries, e => e.Kind.ToString())), ("sides", Of(entries, e => e.Side)), ("fields", Of(entries, e => e.Field)),
        ("before", Of(entries, e => e.Before?.ToJsonString())), ("after", Of(entries, e => e.After?.ToJsonString())), ("whys", Of(entries, e => e.Why)), ("who", Of(entries, e => e.Who)), ("changed", Of(entries, e => e.ChangedAt?.ToUniversalTime())));

    /// <summary>What became of records in a run. Later outcomes say more than earlier ones; a creation is never called a mere update.</summary>
    public static NpgsqlBatchCommand Outcomes(int mirror, long run, IReadOnlyCollection<(Guid Link, RecordOutcome Outcome)> outcomes)
    {
        // One statement may touch a row only once.
        var last = outcomes.GroupBy(o => o.Link).Select(g => (Link: g.Key, Outcome: g.Any(o => o.Outcome == RecordOutcome.Created) && g.Last().Outcome == RecordOutcome.Updated ? RecordOutcome.Created : g.Last().Outcome)).ToList();
        return Command(mirror, """
            insert into run_record (mirror_id, run_id, link_id, outcome) select @mirror, @run, o.link, o.outcome from unnest(@links, @outcomes) as o (link, outcome)
            on conflict (mirror_id, run_id, link_id) do update set outcome = excluded.outcome where not (run_record.outcome = 'Created' and excluded.outcome = 'Updated')
            """, ("run", run), ("links", Of(last, o => o.Link)), ("outcomes", Of(last, o => o.Outcome.ToString())));
    }

    /// <summary>What records are found by: their agreed values, their ids, and what each side calls them.</summary>
    public static NpgsqlBatchCommand Search(int mirror, IReadOnlyCollection<Guid> links) =>
        Command(mirror, $"update link l set search = {Searched} where mirror_id = @mirror and id = any(@links)", ("links", links.Distinct().ToArray()));

    /// <summary>By what a link <c>l</c> is found: its title, its agreed values, and its ids in every system.</summary>
    public const string Searched = """
        lower(concat_ws(' ', l.title,
            (select string_agg(value ->> 'shown', ' ') from jsonb_each(l.agreed)),
            (select string_agg(value ->> 'value', ' ') from jsonb_each(l.agreed)),
            (select string_agg(r.id, ' ') from system_record r where r.mirror_id = l.mirror_id and r.link_id = l.id)))
        """;

    /// <summary>Links that are looked at again.</summary>
    public static NpgsqlBatchCommand Waiting(int mirror, IReadOnlyCollection<Guid> links) =>
        Command(mirror, "update link set waiting = true where mirror_id = @mirror and id = any(@links)", ("links", links.Distinct().ToArray()));

    /// <summary>How deliveries ended; for a creation, how the system stored it.</summary>
    public static NpgsqlBatchCommand DeliveryStates(int mirror, IReadOnlyList<(long Id, string State, string? Note, string? Created)> ends, DateTimeOffset now) => Command(mirror, """
        update delivery d set state = e.state, note = e.note, stored = coalesce(e.created::jsonb, d.stored), ended_at = case when e.state in ('planned', 'sent') then null else @now end
        from unnest(@ids, @states, @notes, @created) as e (id, state, note, created) where d.mirror_id = @mirror and d.id = e.id
        """, ("now", now), ("ids", Of(ends, e => e.Id)), ("states", Of(ends, e => e.State)), ("notes", Of(ends, e => e.Note)), ("created", Of(ends, e => e.Created)));

    /// <summary>Records as systems stored them.</summary>
    public static NpgsqlBatchCommand Stored(int mirror, IReadOnlyList<(int Side, Guid Link, ObservedRecord Record)> stored, DateTimeOffset now) => Command(mirror, """
        insert into system_record (mirror_id, side, id, link_id, raw, version_tag, changed_at, changed_by, waiting, seen_at)
        select @mirror, s.side, s.id, s.link, s.raw::jsonb, s.tag, s.changed, s.by, false, @now from unnest(@sides, @ids, @links, @raws, @tags, @changed, @by) as s (side, id, link, raw, tag, changed, by)
        on conflict (mirror_id, side, id) do update
            set link_id = case when system_record.double_of is null then excluded.link_id end, raw = excluded.raw, version_tag = excluded.version_tag, changed_at = excluded.changed_at, changed_by = excluded.changed_by, waiting = false, seen_at = excluded.seen_at
        """,
        ("now", now), ("sides", Of(stored, s => s.Side)), ("ids", Of(stored, s => s.Record.Id)), ("links", Of(stored, s => s.Link)), ("raws", Of(stored, s => StoredForms.Write(s.Record.Fields))), ("tags", Of(stored, s => s.Record.VersionTag)),
        ("changed", Of(stored, s => s.Record.ChangedAt?.ToUniversalTime())), ("by", Of(stored, s => s.Record.ChangedBy)));

    private static TOut[] Of<TIn, TOut>(IEnumerable<TIn> all, Func<TIn, TOut> part) => [.. all.Select(part)];

    private static string Json(IEnumerable<string> texts) => System.Text.Json.JsonSerializer.Serialize(texts);

    private static NpgsqlBatchCommand Command(int mirror, string sql, params (string Name, object Value)[] parameters)
    {
        var command = new NpgsqlBatchCommand(sql);
        command.Parameters.AddWithValue("mirror", mirror);
        foreach (var (name, value) in parameters)
        {
            // What may be null in an array must be told its type.
            command.Parameters.Add(value switch
            {
                string?[] texts => new NpgsqlParameter(name, NpgsqlDbType.Array | NpgsqlDbType.Text) { Value = texts },
                int?[] numbers => new NpgsqlParameter(name, NpgsqlDbType.Array | NpgsqlDbType.Integer) { Value = numbers },
                DateTimeOffset?[] times => new NpgsqlParameter(name, NpgsqlDbType.Array | NpgsqlDbType.TimestampTz) { Value = times },
                _ => new NpgsqlParameter(name, value),
            });
        }

        return command;
    }
}
