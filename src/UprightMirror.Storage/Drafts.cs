using System.Text.Json;
using Npgsql;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Storage;

/// <summary>A mirror's draft as it stands.</summary>
/// <param name="BasedOn">The version that it was begun from.</param>
/// <param name="Step">How many edits stand; 0 is what is published.</param>
/// <param name="Last">The last step that can be done again.</param>
/// <param name="What">What the last edit that stands was, in words; null at step 0.</param>
/// <param name="Undone">What the next one is, that was undone; null when there is none.</param>
public sealed record KeptDraft(MirrorDefinition Definition, int BasedOn, int Step, int Last, string? What, string? Undone, string? Who, DateTimeOffset? At);

/// <summary>A version of a mirror, as it is listed.</summary>
/// <param name="Comment">Why it was published; empty where nobody said.</param>
public sealed record KeptVersion(int Version, string Comment, string Who, DateTimeOffset At);

/// <summary>Two fields that somebody said do not belong together.</summary>
public sealed record RefusedSuggestion(int LeftSide, string LeftPath, int RightSide, string RightPath);

/// <summary>Drafts of mirrors, edit by edit.</summary>
public sealed class Drafts(NpgsqlDataSource database, TimeProvider clock)
{
    /// <summary>So many edits can be undone.</summary>
    private const int Most = 500;

    /// <summary>The draft; what is published, where nobody began one.</summary>
    public async Task<KeptDraft> Of(KeptMirror mirror, CancellationToken cancellation)
    {
        var codeLists = mirror.Definition.CodeLists;
        await using var command = database.CreateCommand("""
            select s.definition, d.based_on, d.step, (select max(step) from draft_step where mirror_id = d.mirror_id), s.what, s.who, s.at, (select what from draft_step where mirror_id = d.mirror_id and step = d.step + 1)
            from draft d join draft_step s on s.mirror_id = d.mirror_id and s.step = d.step where d.mirror_id = @mirror
            """);
        command.Parameters.AddWithValue("mirror", mirror.Id);
        return (await PostgresRunStore.ReadAll(command, r => new KeptDraft(
            JsonSerializer.Deserialize<MirrorDefinition>(r.GetString(0), Mirrors.Json)!.With(codeLists), r.GetInt32(1), r.GetInt32(2), r.GetInt32(3),
            r.GetInt32(2) == 0 ? null : r.GetString(4), r.IsDBNull(7) ? null : r.GetString(7), r.GetInt32(2) == 0 ? null : r.GetString(5), r.GetInt32(2) == 0 ? null : r.GetFieldValue<DateTimeOffset>(6)), cancellation)).FirstOrDefault()
            ?? new KeptDraft(mirror.Definition, mirror.Version, 0, 0, null, null, null, null);
    }

    /// <summary>Keeps an edit as the next step; what was undone before it can't be done again any more.</summary>
    /// <param name="step">The step that the person saw.</param>
    /// <returns>False when another edit came first: nothing is kept.</returns>
    public async Task<bool> Save(KeptMirror mirror, int step, MirrorDefinition definition, string what, string who, CancellationToken cancellation)
    {
        await using var connection = await database.OpenConnectionAsync(cancellation);
        await using var transaction = await connection.BeginTransactionAsync(cancellation);
        await Execute("insert into draft (mirror_id, based_on, step) values (@mirror, @version, 0) on conflict do nothing", ("version", mirror.Version));
        if (await Execute("update draft set step = @step + 1 where mirror_id = @mirror and step = @step", ("step", step)) == 0)
        {
            return false;
        }

        await Execute("insert into draft_step (mirror_id, step, definition, what, who, at) values (@mirror, 0, @definition::jsonb, '', @who, @at) on conflict do nothing",
            ("definition", JsonSerializer.Serialize(mirror.Definition, Mirrors.Json)), ("who", who), ("at", clock.GetUtcNow()));
        await Execute("delete from draft_step where mirror_id = @mirror and (step > @step or (step > 0 and step < @step - @most))", ("step", step), ("most", Most));
        await Execute("insert into draft_step (mirror_id, step, definition, what, who, at) values (@mirror, @step + 1, @definition::jsonb, @what, @who, @at)",
            ("step", step), ("definition", JsonSerializer.Serialize(definition, Mirrors.Json)), ("what", what), ("who", who), ("at", clock.GetUtcNow()));
        await transaction.CommitAsync(cancellation);
        return true;

        async Task<int> Execute(string sql, params (string Name, object Value)[] parameters)
        {
            await using var command = new NpgsqlCommand(sql, connection, transaction);
            command.Parameters.AddWithValue("mirror", mirror.Id);
            foreach (var (name, value) in parameters)
            {
                command.Parameters.AddWithValue(name, value);
            }

            return await command.ExecuteNonQueryAsync(cancellation);
        }
    }

    /// <summary>Undoes an edit (-1) or does it again (1).</summary>
    /// <returns>False when there is none.</returns>
    public async Task<bool> Move(int mirrorId, int by, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("update draft d set step = step + @by where mirror_id = @mirror and exists (select from draft_step s where s.mirror_id = d.mirror_id and s.step = d.step + @by)");
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("by", by);
        return await command.ExecuteNonQueryAsync(cancellation) == 1;
    }

    /// <summary>Throws the draft away: what is published stays.</summary>
    public async Task Discard(int mirrorId, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("delete from draft where mirror_id = @mirror");
        command.Parameters.AddWithValue("mirror", mirrorId);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>
    /// Makes the draft the mirror's next version. Where it has to do with records, the next run reads every one again, and looks at each: a field that a side
    /// did not keep before meets there for the first time.
    /// </summary>
    /// <param name="comment">Why, for those who read the list of versions.</param>
    /// <returns>False when it was published or changed by somebody else meanwhile.</returns>
    public async Task<bool> Publish(KeptMirror mirror, KeptDraft draft, string comment, string who, CancellationToken cancellation)
    {
        await using var connection = await database.OpenConnectionAsync(cancellation);
        await using var transaction = await connection.BeginTransactionAsync(cancellation);
        await using (var publish = new NpgsqlCommand("""
            with standing as (
                delete from draft where mirror_id = @mirror and step = @step and based_on = @version returning mirror_id
            ), published as (
                update mirror set definition = @definition::jsonb, name = @name, version = version + 1, state = case state when 'draft' then 'live' else state end,
                    -- Runs that another mirror has made before are not followed.
                    followed_run = (select max(id) from run)
                from standing where mirror.id = standing.mirror_id and mirror.version = @version returning mirror.id, mirror.version, mirror.definition
            )
            insert into mirror_version (mirror_id, version, definition, comment, who, at) select id, version, definition, @comment, @who, @at from published
            """, connection, transaction))
        {
            publish.Parameters.AddWithValue("mirror", mirror.Id);
            publish.Parameters.AddWithValue("step", draft.Step);
            publish.Parameters.AddWithValue("version", draft.BasedOn);
            publish.Parameters.AddWithValue("name", draft.Definition.Name);
            publish.Parameters.AddWithValue("definition", JsonSerializer.Serialize(draft.Definition, Mirrors.Json));
            publish.Parameters.AddWithValue("comment", comment);
            publish.Parameters.AddWithValue("who", who);
            publish.Parameters.AddWithValue("at", clock.GetUtcNow());
            if (await publish.ExecuteNonQueryAsync(cancellation) == 0)
            {
                return false;
            }
        }

        if (MirrorChanges.ConcernRecords(mirror.Definition, draft.Definition))
        {
            await LookAtAll(mirror.Id, mirror.Definition, draft.Definition, connection, transaction, cancellation);
        }

        await transaction.CommitAsync(cancellation);
        await LookedAt.Refresh(database, await new Mirrors(database).All(cancellation), cancellation);
        return true;
    }

    /// <summary>Has the next run of a mirror read and look at every record by its new definition.</summary>
    internal static async Task LookAtAll(int mirrorId, MirrorDefinition before, MirrorDefinition after, NpgsqlConnection connection, NpgsqlTransaction? transaction, CancellationToken cancellation)
    {
        for (var side = 0; side < after.Sides.Length; side++)
        {
            await using var unmet = new NpgsqlCommand("update system_record set unmet = array(select distinct unnest(unmet || @names)) where mirror_id = @mirror and side = @side and link_id is not null", connection, transaction);
            unmet.Parameters.AddWithValue("mirror", mirrorId);
            unmet.Parameters.AddWithValue("side", side);
            unmet.Parameters.AddWithValue("names", MirrorDefinition.MetAnew(before, after, side).ToArray());
            await unmet.ExecuteNonQueryAsync(cancellation);
        }

        await using var again = new NpgsqlCommand("""
            delete from watermark where mirror_id = @mirror;
            update link set waiting = true where mirror_id = @mirror;
            update system_record set waiting = true where mirror_id = @mirror and link_id is null;
            -- What counts as evidence, and what records say in it, may be other things from now on.
            update system_record set evidence_due = true where mirror_id = @mirror;
            delete from match_model where mirror_id = @mirror
            """, connection, transaction);
        again.Parameters.AddWithValue("mirror", mirrorId);
        await again.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>Every version of a mirror, the newest first, without what it says.</summary>
    public async Task<IReadOnlyList<KeptVersion>> Versions(int mirrorId, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select version, comment, who, at from mirror_version where mirror_id = @mirror order by version desc");
        command.Parameters.AddWithValue("mirror", mirrorId);
        return await PostgresRunStore.ReadAll(command, r => new KeptVersion(r.GetInt32(0), r.GetString(1), r.GetString(2), r.GetFieldValue<DateTimeOffset>(3)), cancellation);
    }

    /// <summary>What a version said; null when there is none.</summary>
    public async Task<MirrorDefinition?> Version(KeptMirror mirror, int version, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select definition from mirror_version where mirror_id = @mirror and version = @version");
        command.Parameters.AddWithValue("mirror", mirror.Id);
        command.Parameters.AddWithValue("version", version);
        return (await PostgresRunStore.ReadAll(command, r => JsonSerializer.Deserialize<MirrorDefinition>(r.GetString(0), Mirrors.Json)!.With(mirror.Definition.CodeLists), cancellation)).FirstOrDefault();
    }

    /// <summary>Remembers that two fields do not belong together: they are not suggested again.</summary>
    public async Task Refuse(int mirrorId, RefusedSuggestion refused, string who, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("insert into refused_suggestion (mirror_id, left_side, left_path, right_side, right_path, who, at) values (@mirror, @left, @leftPath, @right, @rightPath, @who, @at) on conflict do nothing");
        Set(command, mirrorId, refused);
        command.Parameters.AddWithValue("who", who);
        command.Parameters.AddWithValue("at", clock.GetUtcNow());
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>Takes a refusal back.</summary>
    public async Task SuggestAgain(int mirrorId, RefusedSuggestion refused, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("delete from refused_suggestion where mirror_id = @mirror and left_side = @left and left_path = @leftPath and right_side = @right and right_path = @rightPath");
        Set(command, mirrorId, refused);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<IReadOnlyList<RefusedSuggestion>> Refused(int mirrorId, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select left_side, left_path, right_side, right_path from refused_suggestion where mirror_id = @mirror order by at, left_path");
        command.Parameters.AddWithValue("mirror", mirrorId);
        return await PostgresRunStore.ReadAll(command, r => new RefusedSuggestion(r.GetInt32(0), r.GetString(1), r.GetInt32(2), r.GetString(3)), cancellation);
    }

    private static void Set(NpgsqlCommand command, int mirrorId, RefusedSuggestion refused)
    {
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("left", refused.LeftSide);
        command.Parameters.AddWithValue("leftPath", refused.LeftPath);
        command.Parameters.AddWithValue("right", refused.RightSide);
        command.Parameters.AddWithValue("rightPath", refused.RightPath);
    }

    /// <summary>A record of a mirror as it is known; null when there is none.</summary>
    /// <param name="definition">In whose types its agreed values are read: a draft, mostly.</param>
    public async Task<LinkedRecord?> Linked(int mirrorId, MirrorDefinition definition, Guid link, CancellationToken cancellation)
    {
        await using var connection = await database.OpenConnectionAsync(cancellation);
        return (await LinkedRecords.Read(connection, mirrorId, new StoredForms(definition), [link], cancellation)).FirstOrDefault();
    }

    /// <summary>Linked records that stand on two sides or more: what each side held when it was read last.</summary>
    public async Task<IReadOnlyList<IReadOnlyDictionary<int, RawFields>>> LinkedFields(int mirrorId, int most, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select array_agg(side order by side), array_agg(raw::text order by side) from system_record
            where mirror_id = @mirror and link_id is not null and raw is not null group by link_id having count(*) > 1 order by link_id limit @most
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("most", most);
        return await PostgresRunStore.ReadAll(command, r => (IReadOnlyDictionary<int, RawFields>)r.GetFieldValue<int[]>(0).Zip(r.GetFieldValue<string[]>(1)).ToDictionary(m => m.First, m => StoredForms.ReadRaw(m.Second)), cancellation);
    }

    /// <summary>Records that runs have linked, on two sides or more: by side, their ids.</summary>
    public async Task<IReadOnlyList<IReadOnlyDictionary<int, string>>> LinkedIds(int mirrorId, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select array_agg(side order by side), array_agg(id order by side) from system_record
            where mirror_id = @mirror and link_id is not null and raw is not null group by link_id having count(*) > 1 and count(*) = count(distinct side) limit @most
            """);
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("most", RoundTrip.Most);
        return await PostgresRunStore.ReadAll(command, r => (IReadOnlyDictionary<int, string>)r.GetFieldValue<int[]>(0).Zip(r.GetFieldValue<string[]>(1)).ToDictionary(m => m.First, m => m.Second), cancellation);
    }

    /// <summary>Records of one side as they were read last, with their ids.</summary>
    public async Task<IReadOnlyList<(string Id, RawFields Fields)>> RecordsWithIds(int mirrorId, int side, int most, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select id, raw from system_record where mirror_id = @mirror and side = @side and raw is not null and double_of is null order by id limit @most");
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("side", side);
        command.Parameters.AddWithValue("most", most);
        return await PostgresRunStore.ReadAll(command, r => (r.GetString(0), StoredForms.ReadRaw(r.GetString(1))), cancellation);
    }

    /// <summary>Records of one side as they were read last, for trying things on real values.</summary>
    public async Task<IReadOnlyList<RawFields>> RecordsOf(int mirrorId, int side, int most, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select raw from system_record where mirror_id = @mirror and side = @side and raw is not null order by id limit @most");
        command.Parameters.AddWithValue("mirror", mirrorId);
        command.Parameters.AddWithValue("side", side);
        command.Parameters.AddWithValue("most", most);
        return await PostgresRunStore.ReadAll(command, r => StoredForms.ReadRaw(r.GetString(0)), cancellation);
    }
}
