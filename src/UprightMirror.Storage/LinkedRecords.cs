using System.Collections.Immutable;
using Npgsql;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Storage;

/// <summary>Reads linked records whole: what was agreed, every side's record, and the conflicts that are open.</summary>
internal static class LinkedRecords
{
    public static async Task<IReadOnlyList<LinkedRecord>> Read(NpgsqlConnection connection, int mirrorId, StoredForms forms, IReadOnlyCollection<Guid> links, CancellationToken cancellation)
    {
        if (links.Count == 0)
        {
            return [];
        }

        var ids = links.ToArray();
        var members = (await PostgresRunStore.ReadAll(
            Command($"select {PostgresRunStore.MemberColumns}, link_id from system_record where mirror_id = @mirror and link_id = any(@ids)"),
            r => (Link: r.GetGuid(11), Member: PostgresRunStore.ReadMember(r)), cancellation)).ToLookup(m => m.Link, m => m.Member);
        var conflicts = (await PostgresRunStore.ReadAll(
            Command("select link_id, id, fields, competing from conflict where mirror_id = @mirror and link_id = any(@ids) and state = 'open'"),
            r =>
            {
                ImmutableArray<string> fields = [.. r.GetFieldValue<string[]>(2)];
                return (Link: r.GetGuid(0), Conflict: new KnownConflict(r.GetInt64(1), fields, [.. forms.ReadCompeting(r.GetString(3), fields).Keys]));
            }, cancellation)).ToLookup(c => c.Link, c => c.Conflict);
        return await PostgresRunStore.ReadAll(
            Command("select id, title, agreed, removal_decisions, not_followed_since is null from link where mirror_id = @mirror and id = any(@ids) order by id"),
            r => new LinkedRecord(r.GetGuid(0), r.GetString(1), forms.ReadAgreed(r.GetString(2)), [.. members[r.GetGuid(0)].OrderBy(m => m.Side)], [.. conflicts[r.GetGuid(0)]], StoredForms.ReadRemovals(r.GetString(3))) { IsFollowed = r.GetBoolean(4) },
            cancellation);

        NpgsqlCommand Command(string sql)
        {
            var command = new NpgsqlCommand(sql, connection);
            command.Parameters.AddWithValue("mirror", mirrorId);
            command.Parameters.AddWithValue("ids", ids);
            return command;
        }
    }
}
