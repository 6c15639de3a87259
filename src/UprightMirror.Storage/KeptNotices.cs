using System.Data.Common;
using System.Globalization;
using System.Text.Json;
using Microsoft.AspNetCore.DataProtection;
using Npgsql;
using NpgsqlTypes;
using UprightMirror.Core.Notices;

namespace UprightMirror.Storage;

/// <summary>Notices in PostgreSQL. What happened is found by looking, and kept once: a look that is cut off, or done by two workers, tells nothing twice.</summary>
public sealed class KeptNotices(NpgsqlDataSource database, IDataProtectionProvider protection, TimeProvider clock) : INotices
{
    /// <summary>Of what happened, so much is looked at again: what is said together may be kept a little later than it happened.</summary>
    private static readonly TimeSpan Overlap = TimeSpan.FromMinutes(10);

    private const int LockSpace = 7301;

    private readonly IDataProtector protector = protection.CreateProtector("UprightMirror.NoticeSecrets.v1");

    public async Task<IReadOnlyList<KeptNoticeRule>> Rules(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select id, rule, secret is not null, since, looked_at from notice_rule order by id");
        return await PostgresRunStore.ReadAll(command, r => new KeptNoticeRule(r.GetInt32(0), JsonSerializer.Deserialize<NoticeRule>(r.GetString(1), Mirrors.Json)!, r.GetBoolean(2), r.GetFieldValue<DateTimeOffset>(3), r.IsDBNull(4) ? null : r.GetFieldValue<DateTimeOffset>(4)), cancellation);
    }

    /// <summary>Keeps a new rule.</summary>
    public async Task<int> Add(NoticeRule rule, string? secret, string who, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("insert into notice_rule (rule, secret, is_on, since, made_by) values (@rule::jsonb, @secret, @on, @now, @who) returning id");
        this.Say(command, rule, secret);
        command.Parameters.AddWithValue("who", who);
        return (int)(await command.ExecuteScalarAsync(cancellation))!;
    }

    /// <summary>Changes a rule. One that was off, or told of something else, counts from now on.</summary>
    /// <param name="secret">Null to keep the one that is there.</param>
    /// <returns>False when there is none such.</returns>
    public async Task<bool> Change(int id, NoticeRule rule, string? secret, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            update notice_rule set rule = @rule::jsonb, secret = coalesce(@secret, secret), is_on = @on, since = case when is_on and rule->'kind' = @rule::jsonb->'kind' then since else @now end where id = @id
            """);
        this.Say(command, rule, secret);
        command.Parameters.AddWithValue("id", id);
        return await command.ExecuteNonQueryAsync(cancellation) == 1;
    }

    private void Say(NpgsqlCommand command, NoticeRule rule, string? secret)
    {
        command.Parameters.AddWithValue("rule", JsonSerializer.Serialize(rule, Mirrors.Json));
        command.Parameters.AddWithValue("secret", NpgsqlDbType.Text, secret is null ? DBNull.Value : this.protector.Protect(secret));
        command.Parameters.AddWithValue("on", rule.IsOn);
        command.Parameters.AddWithValue("now", clock.GetUtcNow());
    }

    public async Task<bool> Remove(int id, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("delete from notice_rule where id = @id");
        command.Parameters.AddWithValue("id", id);
        return await command.ExecuteNonQueryAsync(cancellation) == 1;
    }

    public async Task<string?> SecretOf(int rule, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select secret from notice_rule where id = @id");
        command.Parameters.AddWithValue("id", rule);
        return await command.ExecuteScalarAsync(cancellation) is string kept ? this.protector.Unprotect(kept) : null;
    }

    public async Task<SiteSettings> Site(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select address, mail_host, mail_port, mail_security, mail_account, mail_from, mail_password is not null from site");
        return (await PostgresRunStore.ReadAll(command, r => new SiteSettings(
            r.IsDBNull(0) ? null : r.GetString(0),
            r.IsDBNull(1) ? null : new MailSettings(r.GetString(1), r.GetInt32(2), r.GetString(3), r.IsDBNull(4) ? null : r.GetString(4), r.GetString(5)), r.GetBoolean(6)), cancellation)).Single();
    }

    public async Task<string?> MailPassword(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("select mail_password from site");
        return await command.ExecuteScalarAsync(cancellation) is string kept ? this.protector.Unprotect(kept) : null;
    }

    /// <param name="password">Null to keep the one that is there; empty for none.</param>
    public async Task SaveSite(string? address, MailSettings? mail, string? password, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            update site set address = @address, mail_host = @host, mail_port = @port, mail_security = @security, mail_account = @account, mail_from = @from,
                mail_password = case when @host is null or @password = '' then null else coalesce(@password, mail_password) end
            """);
        command.Parameters.AddWithValue("address", NpgsqlDbType.Text, (object?)address ?? DBNull.Value);
        command.Parameters.AddWithValue("host", NpgsqlDbType.Text, (object?)mail?.Host ?? DBNull.Value);
        command.Parameters.AddWithValue("port", NpgsqlDbType.Integer, (object?)mail?.Port ?? DBNull.Value);
        command.Parameters.AddWithValue("security", NpgsqlDbType.Text, (object?)mail?.Security ?? DBNull.Value);
        command.Parameters.AddWithValue("account", NpgsqlDbType.Text, (object?)mail?.Account ?? DBNull.Value);
        command.Parameters.AddWithValue("from", NpgsqlDbType.Text, (object?)mail?.From ?? DBNull.Value);
        command.Parameters.AddWithValue("password", NpgsqlDbType.Text, password is null ? DBNull.Value : password.Length == 0 ? "" : this.protector.Protect(password));
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<IReadOnlyList<ToTell>> Happened(KeptNoticeRule rule, DateTimeOffset now, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand(Looking(rule.Rule));
        command.Parameters.AddWithValue("since", rule.Since);
        command.Parameters.AddWithValue("now", now);
        command.Parameters.AddWithValue("mirror", NpgsqlDbType.Text, (object?)rule.Rule.Mirror ?? DBNull.Value);
        command.Parameters.AddWithValue("system", NpgsqlDbType.Text, (object?)rule.Rule.System ?? DBNull.Value);
        command.Parameters.AddWithValue("queue", NpgsqlDbType.Text, (object?)rule.Rule.Queue ?? DBNull.Value);
        command.Parameters.AddWithValue("hours", rule.Rule.Hours ?? 24);
        command.Parameters.AddWithValue("days", rule.Rule.Days ?? 14);
        command.Parameters.AddWithValue("zone", rule.Rule.Timing.TimeZone);
        command.Parameters.AddWithValue("kind", NpgsqlDbType.Text, (object?)rule.Rule.Happening?.ToString() ?? DBNull.Value);
        command.Parameters.AddWithValue("side", NpgsqlDbType.Integer, (object?)rule.Rule.Side ?? DBNull.Value);
        command.Parameters.AddWithValue("field", NpgsqlDbType.Text, (object?)rule.Rule.Field ?? DBNull.Value);
        command.Parameters.AddWithValue("becomes", NpgsqlDbType.Text, (object?)rule.Rule.Becomes ?? DBNull.Value);
        command.Parameters.AddWithValue("from", rule.LookedAt is { } looked && looked - Overlap > rule.Since ? looked - Overlap : rule.Since);
        command.Parameters.AddWithValue("rule", rule.Id);
        command.Parameters.AddWithValue("most", INotices.MostAtOnce);
        return await PostgresRunStore.ReadAll(command, r => new ToTell(r.GetString(0), r.GetFieldValue<DateTimeOffset>(1), Said(r.GetString(2))), cancellation);
    }

    /// <summary>Every kind gives what it is about, when it happened, and what there is to say.</summary>
    private static string Looking(NoticeRule rule) => rule.Kind switch
    {
        NoticeKind.RunFailed or NoticeKind.RunPaused => $"""
            select 'run ' || r.id, r.ended_at, jsonb_build_object('mirror', m.name, 'run', r.id, 'reason', coalesce(r.reason, ''), 'path', '/runs/' || r.id)::text
            from run r join mirror m on m.id = r.mirror_id
            where r.state = '{(rule.Kind == NoticeKind.RunFailed ? "failed" : "paused")}' and not r.rehearsal and r.ended_at >= greatest(@since, @now - interval '2 days') and (@mirror is null or m.key = @mirror)
            order by r.ended_at limit @most
            """,
        NoticeKind.WaitsLong => """
            with waiting (queue, path, one, name, since, mirror_id) as (
                select 'conflicts', '/conflicts', 'conflict', 'conflicts', opened_at, mirror_id from conflict where state = 'open'
                union all select 'lookAlikes', '/look-alikes', 'look-alike', 'look-alikes', found_at, mirror_id from look_alike where state = 'open'
                union all select 'held', '/held', 'held record', 'held records', since, mirror_id from hold where set_aside_by_undo_of is null
            )
            -- Once a day, for as long as it lasts.
            select queue || ' ' || (@now at time zone @zone)::date, @now, jsonb_build_object('queue', case when count(*) = 1 then one else name end, 'count', count(*), 'hours', @hours, 'oldest', to_char(min(since) at time zone @zone, 'YYYY-MM-DD HH24:MI'), 'path', path)::text
            from waiting w
            where since < @now - make_interval(hours => @hours) and (@queue is null or queue = @queue) and (@mirror is null or exists (select from mirror m where m.id = w.mirror_id and m.key = @mirror))
            group by queue, path, one, name
            """,
        NoticeKind.SystemDown => """
            select case when h.down_since is not null then 'down ' || h.system || ' ' || h.down_since else 'up ' || h.system || ' ' || h.up_again_at end, coalesce(h.down_since, h.up_again_at),
                jsonb_build_object('system', c.name, 'state', case when h.down_since is not null then 'does not answer' else 'answers again' end, 'reason', case when h.down_since is not null then coalesce(h.last_fault, '') else '' end, 'path', '/systems/' || h.system)::text
            from system_health h join connection c on c.system = h.system
            where coalesce(h.down_since, h.up_again_at) >= @since and (@system is null or h.system = @system)
            """,
        NoticeKind.CredentialsEnd => """
            select c.system || ' ' || c.secrets_end_on || case when c.secrets_end_on < (@now at time zone @zone)::date then ' ended' else '' end, @now,
                jsonb_build_object('system', c.name, 'day', c.secrets_end_on, 'state', case when c.secrets_end_on < (@now at time zone @zone)::date then 'have ended' else 'end on ' || c.secrets_end_on end, 'path', '/systems/' || c.system)::text
            from connection c where c.secrets_end_on <= (@now at time zone @zone)::date + @days and (@system is null or c.system = @system)
            """,
        NoticeKind.FieldsChanged => """
            select k.system || ' version ' || k.version, min(k.at),
                jsonb_build_object('system', c.name, 'count', count(*), 'path', '/systems/' || k.system || '/changes',
                    'changes', string_agg(k.collection || coalesce('.' || k.field, '') || ' ' || k.kind, E'\n' order by k.id))::text
            from catalogue_change k join connection c on c.system = k.system
            where k.at >= greatest(@since, @now - interval '2 days') and (@system is null or k.system = @system)
            group by k.system, k.version, c.name
            """,
        _ => """
            select 'journal ' || j.id, j.at,
                (coalesce((select jsonb_object_agg(a.key, coalesce(a.value->>'shown', '')) from jsonb_each(l.agreed) a), '{}') || jsonb_build_object(
                    'mirror', m.name, 'record', l.title, 'system', coalesce(c.name, ''), 'id', coalesce(s.id, ''), 'field', coalesce(j.field, ''), 'reason', j.why, 'path', '/records/' || l.id,
                    'before', coalesce(j.before #>> '{}', ''), 'after', coalesce(j.after #>> '{}', ''),
                    'what', case j.kind when 'Created' then 'created in ' || coalesce(c.name, '') when 'Written' then j.field || ' written in ' || coalesce(c.name, '') when 'Agreed' then j.field || ' changed' when 'Flagged' then 'flagged: ' || j.why
                        when 'ConflictOpened' then 'in conflict' when 'Held' then 'held' when 'Refused' then 'refused by ' || coalesce(c.name, '') else 'removed in ' || coalesce(c.name, '') end))::text
            from mirror m
            join journal j on j.mirror_id = m.id
            join link l on l.mirror_id = j.mirror_id and l.id = j.link_id
            left join connection c on c.system = m.definition->'sides'->j.side->>'system'
            left join lateral (select r.id from system_record r where r.mirror_id = j.mirror_id and r.link_id = j.link_id and r.side = j.side order by r.id limit 1) s on true
            where m.key = @mirror and j.at >= @from and j.kind = @kind
                -- What a mirror's first run finds was there before: nobody is told of each.
                and (j.run_id is null or j.run_id > (select min(r.id) from run r where r.mirror_id = m.id and not r.rehearsal and r.state = 'finished')) and (@side is null or j.side = @side) and (@field is null or j.field = @field)
                and (@becomes is null or j.after #>> '{}' = @becomes or (j.kind = 'Agreed' and l.agreed->j.field->>'shown' = @becomes))
                and not exists (select from notice n where n.rule_id = @rule and n.about = 'journal ' || j.id)
            order by j.at, j.id limit @most
            """,
    };

    private static Dictionary<string, string> Said(string json)
    {
        using var said = JsonDocument.Parse(json);
        return said.RootElement.EnumerateObject().ToDictionary(p => p.Name, p => p.Value.ToString());
    }

    public async Task Looked(int rule, DateTimeOffset at, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("update notice_rule set looked_at = greatest(looked_at, @at) where id = @id");
        command.Parameters.AddWithValue("id", rule);
        command.Parameters.AddWithValue("at", at);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<int> Keep(int rule, IReadOnlyList<(ToTell Told, DateTimeOffset DueAt)> notices, CancellationToken cancellation)
    {
        if (notices.Count == 0)
        {
            return 0;
        }

        await using var command = database.CreateCommand("""
            insert into notice (rule_id, about, happened_at, said, due_at)
            select @rule, about, happened, said::jsonb, due from unnest(@abouts, @happened, @said, @due) as n (about, happened, said, due) where exists (select from notice_rule where id = @rule)
            on conflict (rule_id, about) do nothing
            """);
        command.Parameters.AddWithValue("rule", rule);
        command.Parameters.AddWithValue("abouts", notices.Select(n => n.Told.About).ToArray());
        command.Parameters.AddWithValue("happened", notices.Select(n => n.Told.HappenedAt.ToUniversalTime()).ToArray());
        command.Parameters.AddWithValue("said", notices.Select(n => JsonSerializer.Serialize(n.Told.Said)).ToArray());
        command.Parameters.AddWithValue("due", notices.Select(n => n.DueAt.ToUniversalTime()).ToArray());
        return await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task<int> SendDue(DateTimeOffset now, Func<KeptNoticeRule, IReadOnlyList<KeptNotice>, CancellationToken, Task<string?>> send, Func<KeptNotice, DateTimeOffset?> again, CancellationToken cancellation)
    {
        var rules = (await this.Rules(cancellation)).ToDictionary(r => r.Id);
        await using var due = database.CreateCommand("select rule_id from notice where state = 'waiting' and due_at <= @now group by rule_id order by min(due_at)");
        due.Parameters.AddWithValue("now", now);
        var sent = 0;
        foreach (var rule in (await PostgresRunStore.ReadAll(due, r => r.GetInt32(0), cancellation)).Where(rules.ContainsKey))
        {
            sent += await this.SendDueOf(rules[rule], now, send, again, cancellation) ? 1 : 0;
        }

        return sent;
    }

    private async Task<bool> SendDueOf(KeptNoticeRule rule, DateTimeOffset now, Func<KeptNoticeRule, IReadOnlyList<KeptNotice>, CancellationToken, Task<string?>> send, Func<KeptNotice, DateTimeOffset?> again, CancellationToken cancellation)
    {
        // The lock is the connection's own while it sends: whoever looks meanwhile leaves this rule to it.
        await using var connection = await database.OpenConnectionAsync(cancellation);
        await using var transaction = await connection.BeginTransactionAsync(cancellation);
        await using (var mine = new NpgsqlCommand("select pg_try_advisory_xact_lock(@space, @rule)", connection, transaction))
        {
            mine.Parameters.AddWithValue("space", LockSpace);
            mine.Parameters.AddWithValue("rule", rule.Id);
            if (await mine.ExecuteScalarAsync(cancellation) is not true)
            {
                return false;
            }
        }

        await using var waiting = new NpgsqlCommand($"{Select} where rule_id = @rule and state = 'waiting' and due_at <= @now order by happened_at, id limit {INotices.MostTogether.ToString(CultureInfo.InvariantCulture)}", connection, transaction);
        waiting.Parameters.AddWithValue("rule", rule.Id);
        waiting.Parameters.AddWithValue("now", now);
        var notices = await PostgresRunStore.ReadAll(waiting, ReadNotice, cancellation);
        if (notices.Count == 0)
        {
            return false;
        }

        var fault = await send(rule, notices, cancellation);
        await using var ended = new NpgsqlCommand("""
            update notice n set tries = n.tries + (@fault is not null)::int, fault = @fault, due_at = coalesce(e.again, n.due_at), sent_at = case when @fault is null then @ended end,
                state = case when @fault is null then 'sent' when e.again is null then 'givenUp' else 'waiting' end
            from unnest(@ids, @again) as e (id, again) where n.rule_id = @rule and n.id = e.id
            """, connection, transaction);
        ended.Parameters.AddWithValue("rule", rule.Id);
        ended.Parameters.AddWithValue("fault", NpgsqlDbType.Text, (object?)fault ?? DBNull.Value);
        ended.Parameters.AddWithValue("ended", clock.GetUtcNow());
        ended.Parameters.AddWithValue("ids", notices.Select(n => n.Id).ToArray());
        ended.Parameters.AddWithValue("again", NpgsqlDbType.Array | NpgsqlDbType.TimestampTz, notices.Select(n => fault is null ? null : again(n)?.ToUniversalTime()).ToArray());
        await ended.ExecuteNonQueryAsync(CancellationToken.None); // It was sent: that is kept even while the process ends.
        await transaction.CommitAsync(CancellationToken.None);
        return true;
    }

    private const string Select = "select rule_id, id, about, happened_at, said, due_at, state, tries, fault, sent_at from notice";

    private static KeptNotice ReadNotice(DbDataReader r) => new(
        r.GetInt32(0), r.GetInt64(1), new ToTell(r.GetString(2), r.GetFieldValue<DateTimeOffset>(3), Said(r.GetString(4))), r.GetFieldValue<DateTimeOffset>(5), r.GetString(6), r.GetInt32(7),
        r.IsDBNull(8) ? null : r.GetString(8), r.IsDBNull(9) ? null : r.GetFieldValue<DateTimeOffset>(9));

    /// <summary>How each rule that ever told anything does.</summary>
    public async Task<IReadOnlyList<NoticeState>> States(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select rule_id, max(sent_at), count(*) filter (where state = 'waiting')::int, (array_agg(fault order by happened_at desc) filter (where state <> 'sent' and fault is not null))[1] from notice group by rule_id
            """);
        return await PostgresRunStore.ReadAll(command, r => new NoticeState(r.GetInt32(0), r.IsDBNull(1) ? null : r.GetFieldValue<DateTimeOffset>(1), r.GetInt32(2), r.IsDBNull(3) ? null : r.GetString(3)), cancellation);
    }

    /// <summary>The last notices, the newest first.</summary>
    public async Task<IReadOnlyList<KeptNotice>> Last(int count, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"{Select} order by happened_at desc, id desc limit @count");
        command.Parameters.AddWithValue("count", count);
        return await PostgresRunStore.ReadAll(command, ReadNotice, cancellation);
    }

    /// <summary>Lets what could not be sent be tried again now.</summary>
    /// <param name="rule">Null for every rule.</param>
    /// <returns>How many wait now.</returns>
    public async Task<int> TryAgain(int? rule, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("update notice set state = 'waiting', due_at = @now, tries = 0 where (state = 'givenUp' or (state = 'waiting' and tries > 0)) and (@rule is null or rule_id = @rule)");
        command.Parameters.AddWithValue("now", clock.GetUtcNow());
        command.Parameters.AddWithValue("rule", NpgsqlDbType.Integer, (object?)rule ?? DBNull.Value);
        return await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>Forgets what was told long ago.</summary>
    public async Task Forget(DateTimeOffset before, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("delete from notice where state <> 'waiting' and happened_at < @before");
        command.Parameters.AddWithValue("before", before);
        await command.ExecuteNonQueryAsync(cancellation);
    }
}
