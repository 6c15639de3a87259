using System.Collections.Immutable;
using System.Text.Json;
using Npgsql;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage;

/// <summary>Which mirrors point at others' records, and look at which of their fields. The database keeps what points at what, and notes whom a change is for.</summary>
internal static class LookedAt
{
    /// <summary>Brings what is remembered in line with the definitions that are live. Whoever looks at something new is looked at again as a whole.</summary>
    public static async Task Refresh(NpgsqlDataSource database, IReadOnlyList<KeptMirror> mirrors, CancellationToken cancellation)
    {
        await Point(database, [.. mirrors.Where(m => m.Version > 0)], cancellation);
        var wanted = (from mirror in mirrors
                      where mirror.Version > 0
                      from asked in mirror.Definition.LooksAt
                      let found = LinkedRecordsField.Find(mirror.Definition, asked, [.. mirrors.Where(m => m.Version > 0).Select(m => m.Definition)], out _)
                      where found is not null
                      select (Looked: mirrors.First(m => m.Definition.Key == found.Mirror.Key).Id, Reference: found.By.Name, Field: found.Field.Name, By: mirror.Id)).Distinct().ToList();
        await using var standing = database.CreateCommand("select mirror_id, reference, field, by_mirror_id from looked_at");
        var before = await PostgresRunStore.ReadAll(standing, r => (Looked: r.GetInt32(0), Reference: r.GetString(1), Field: r.GetString(2), By: r.GetInt32(3)), cancellation);
        var (gone, come) = (before.Except(wanted).ToList(), wanted.Except(before).ToList());
        if (gone.Count > 0)
        {
            await Execute("""
                delete from looked_at l using unnest(@looked, @references, @fields, @by) as g (mirror_id, reference, field, by_mirror_id)
                where (l.mirror_id, l.reference, l.field, l.by_mirror_id) = (g.mirror_id, g.reference, g.field, g.by_mirror_id)
                """, gone);
        }

        if (come.Count > 0)
        {
            await Execute("insert into looked_at (mirror_id, reference, field, by_mirror_id) select * from unnest(@looked, @references, @fields, @by) on conflict do nothing", come);
            await Execute("""
                insert into link_due (mirror_id, link_id)
                select distinct n.by_mirror_id, p.target from unnest(@looked, @references, @fields, @by) as n (mirror_id, reference, field, by_mirror_id)
                join pointer p on p.mirror_id = n.mirror_id and p.reference = n.reference
                """, come);
        }

        async Task Execute(string sql, List<(int Looked, string Reference, string Field, int By)> rows)
        {
            await using var command = database.CreateCommand(sql);
            command.Parameters.AddWithValue("looked", rows.Select(r => r.Looked).ToArray());
            command.Parameters.AddWithValue("references", rows.Select(r => r.Reference).ToArray());
            command.Parameters.AddWithValue("fields", rows.Select(r => r.Field).ToArray());
            command.Parameters.AddWithValue("by", rows.Select(r => r.By).ToArray());
            await command.ExecuteNonQueryAsync(cancellation);
        }
    }

    /// <summary>Keeps at hand what every reference points at.</summary>
    private static async Task Point(NpgsqlDataSource database, IReadOnlyList<KeptMirror> mirrors, CancellationToken cancellation)
    {
        var pointing = (from mirror in mirrors
                        from field in mirror.Definition.Fields
                        from cell in field.Cells
                        where cell?.Conversion is ReferenceTo
                        from target in mirrors
                        where target.Definition.Key == ((ReferenceTo)cell.Conversion).Mirror
                        select (mirror.Id, field.Name, To: target.Id)).Distinct().ToList();

        // Noted first: whoever writes a record from here on keeps its pointer, too.
        await using (var note = database.CreateCommand("""
            with wanted as (select * from unnest(@mirrors, @references, @to) as w (mirror_id, reference, to_mirror_id)), gone as (
                delete from pointing p where not exists (select from wanted w where (w.mirror_id, w.reference, w.to_mirror_id) = (p.mirror_id, p.reference, p.to_mirror_id))
            )
            insert into pointing select * from wanted on conflict do nothing
            """))
        {
            note.Parameters.AddWithValue("mirrors", pointing.Select(p => p.Id).ToArray());
            note.Parameters.AddWithValue("references", pointing.Select(p => p.Name).ToArray());
            note.Parameters.AddWithValue("to", pointing.Select(p => p.To).ToArray());
            await note.ExecuteNonQueryAsync(cancellation);
        }

        await using var fill = database.CreateCommand("""
            delete from pointer p where not exists (select from pointing g where g.mirror_id = p.mirror_id and g.reference = p.reference);
            insert into pointer (mirror_id, reference, link_id, target)
            select l.mirror_id, g.reference, l.id, (l.agreed -> g.reference -> 'value' ->> 'link')::uuid
            from (select distinct mirror_id, reference from pointing) g join link l on l.mirror_id = g.mirror_id
            where l.agreed -> g.reference -> 'value' ->> 'link' is not null
            on conflict do nothing
            """);
        fill.CommandTimeout = 0;
        await fill.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>What the records that point at some links hold in a field, in the order of their own links.</summary>
    public static async Task<ILookup<Guid, Value>> Read(NpgsqlDataSource database, int mirrorId, LinkedRecordsField field, IReadOnlyCollection<Guid> links, CancellationToken cancellation)
    {
        await using var kept = database.CreateCommand("select exists (select from pointing where mirror_id = @mirror and reference = @reference)");
        kept.Parameters.AddWithValue("mirror", mirrorId);
        kept.Parameters.AddWithValue("reference", field.By.Name);

        // A mirror that was never published has no pointers yet. Each record is looked up by its key, whatever the database believes of tables that were just filled.
        await using var command = database.CreateCommand((bool)(await kept.ExecuteScalarAsync(cancellation))!
            ? """
            select p.target, l.value from pointer p
            cross join lateral (select agreed -> @field -> 'value' as value from link where mirror_id = @mirror and id = p.link_id offset 0) l
            where p.mirror_id = @mirror and p.reference = @reference and p.target = any(@links) order by p.link_id
            """
            : """
            select (l.agreed -> @reference -> 'value' ->> 'link')::uuid, l.agreed -> @field -> 'value' from link l
            where l.mirror_id = @mirror and l.agreed -> @reference -> 'value' ->> 'link' = any(@texts) order by l.id
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("reference", field.By.Name);
        command.Parameters.AddWithValue("field", field.Field.Name);
        command.Parameters.AddWithValue("links", links.ToArray());
        command.Parameters.AddWithValue("texts", links.Select(l => l.ToString()).ToArray());
        return (await PostgresRunStore.ReadAll(command, r => (Target: r.GetGuid(0), Value: r.IsDBNull(1) ? Value.Empty : ReadValue(r.GetString(1), field.Field.Type)), cancellation)).ToLookup(r => r.Target, r => r.Value);
    }

    private static Value ReadValue(string json, FieldType type)
    {
        using var document = JsonDocument.Parse(json);
        return ValueJson.TryRead(document.RootElement, type, out var value, out _) ? value : ValueJson.ReadRaw(document.RootElement);
    }
}
