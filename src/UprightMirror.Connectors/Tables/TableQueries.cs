namespace UprightMirror.Connectors.Tables;

/// <summary>The statements that are sent to a user's own database. Names come from its catalogue and are quoted; values are parameters.</summary>
internal static class TableQueries
{
    /// <summary>Tables and views of a schema with their columns, in order. Parameter: schema.</summary>
    public const string Columns = """
        select c.relname, c.relkind = 'v' or c.relkind = 'm', a.attname, format_type(a.atttypid, a.atttypmod), a.attnotnull, a.atthasdef or a.attidentity <> '',
            a.attgenerated <> '' or a.attidentity = 'a', case when a.atttypmod > 4 and a.atttypid in ('varchar'::regtype, 'bpchar'::regtype) then a.atttypmod - 4 end,
            array(select e.enumlabel::text from pg_enum e where e.enumtypid = a.atttypid order by e.enumsortorder),
            coalesce((select array_agg(k.attname::text order by k.attnum) from pg_index i join pg_attribute k on k.attrelid = i.indrelid and k.attnum = any(i.indkey) where i.indrelid = c.oid and i.indisprimary), '{}'),
            col_description(c.oid, a.attnum)
        from pg_class c
        join pg_namespace n on n.oid = c.relnamespace
        join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
        where n.nspname = @schema and c.relkind in ('r', 'v', 'm', 'p', 'f')
          and has_table_privilege(c.oid, 'select')
        order by c.relname, a.attnum
        """;

    public const string Clock = "select clock_timestamp(), current_setting('max_connections')";

    public static string Quoted(string name) => $"\"{name.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";

    /// <summary>A page in the order of the change stamp, or of the key where there is none. Parameters: since, stamp and key of the last record, limit.</summary>
    public static string Page(string table, string key, string? stamp, bool hasVersion, bool first)
    {
        var k = Quoted(key);
        var version = hasVersion ? "t.xmin::text" : "null::text";
        if (stamp is null)
        {
            return $"select to_jsonb(t), t.{k}::text, {version}, null::text from {table} t where {(first ? "true" : $"t.{k} > (select x.{k} from jsonb_populate_record(null::{table}, jsonb_build_object('{Literal(key)}', @key)) x)")} order by t.{k} limit @limit";
        }

        var s = Quoted(stamp);
        var after = first ? "true" : $"(t.{s}, t.{k}) > (select x.{s}, x.{k} from jsonb_populate_record(null::{table}, jsonb_build_object('{Literal(stamp)}', @stamp, '{Literal(key)}', @key)) x)";
        return $"select to_jsonb(t), t.{k}::text, {version}, to_jsonb(t.{s}) #>> '{{}}' from {table} t where (@since::timestamptz is null or t.{s} >= @since) and {after} order by t.{s}, t.{k} limit @limit";
    }

    /// <summary>A page of keys, in their order. Parameters: key of the last one, limit.</summary>
    public static string Keys(string table, string key, bool first)
    {
        var k = Quoted(key);
        return $"select t.{k}::text from {table} t where {(first ? "true" : $"t.{k} > (select x.{k} from jsonb_populate_record(null::{table}, jsonb_build_object('{Literal(key)}', @key)) x)")} order by t.{k} limit @limit";
    }

    /// <summary>One record by the text of one of its columns.</summary>
    public static string One(string table, string column, bool hasVersion) =>
        $"select to_jsonb(t), {(hasVersion ? "t.xmin::text" : "null::text")} from {table} t where t.{Quoted(column)}::text = @key";

    /// <summary>Changes the named columns of a record in the version that was read. Parameters: values as JSON, key, version.</summary>
    public static string Change(string table, string key, IEnumerable<string> columns) =>
        $"update {table} t set {string.Join(", ", columns.Select(c => $"{Quoted(c)} = p.{Quoted(c)}"))} from jsonb_populate_record(null::{table}, @values::jsonb) p where t.{Quoted(key)}::text = @key and (@version::text is null or t.xmin::text = @version) returning to_jsonb(t), t.xmin::text";

    /// <summary>Creates a record. With its key given, one that is there already is changed instead. Parameter: values as JSON.</summary>
    public static string Create(string table, string key, IReadOnlyList<string> columns)
    {
        var names = string.Join(", ", columns.Select(Quoted));
        var others = columns.Where(c => c != key).Select(c => $"{Quoted(c)} = excluded.{Quoted(c)}").ToList();
        var upsert = columns.Contains(key) && others.Count > 0 ? $" on conflict ({Quoted(key)}) do update set {string.Join(", ", others)}" : "";
        return $"insert into {table} as t ({names}) select {names} from jsonb_populate_record(null::{table}, @values::jsonb){upsert} returning to_jsonb(t), t.xmin::text";
    }

    public static string Remove(string table, string key) =>
        $"delete from {table} t where t.{Quoted(key)}::text = @key and (@version::text is null or t.xmin::text = @version)";

    private static string Literal(string name) => name.Replace("'", "''", StringComparison.Ordinal);
}
