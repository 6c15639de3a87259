using System.Collections.Immutable;
using System.Text.Json;
using System.Text.Json.Serialization;
using Npgsql;
using NpgsqlTypes;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage;

/// <summary>A mirror as it is kept: its published definition, its state and its timing.</summary>
/// <param name="State">draft, live or paused.</param>
/// <param name="Version">The version that was published last; 0 when none was.</param>
public sealed record KeptMirror(int Id, string State, int Version, MirrorDefinition Definition)
{
    /// <summary>What pauses a run of it before it writes.</summary>
    public Guards Guards { get; init; } = Guards.Default;

    /// <summary>The definition in force, where <see cref="Definition"/> is a draft that is only rehearsed; null otherwise.</summary>
    public MirrorDefinition? InForce { get; init; }
}

/// <summary>Where mirrors are kept.</summary>
public interface IMirrors
{
    Task<IReadOnlyList<KeptMirror>> All(CancellationToken cancellation);

    /// <summary>The mirror called so; null when there is none.</summary>
    Task<KeptMirror?> Find(string key, CancellationToken cancellation);

    /// <summary>Keeps a new mirror, or the next version of one.</summary>
    /// <param name="who">Who or what made it.</param>
    Task Save(MirrorDefinition definition, string who, CancellationToken cancellation);

    /// <summary>Begins a mirror that is a draft until it is published.</summary>
    /// <returns>False when there is one of that key or name.</returns>
    Task<bool> Begin(MirrorDefinition definition, CancellationToken cancellation);

    /// <summary>Takes a mirror away that was never published.</summary>
    /// <returns>False when there is none such.</returns>
    Task<bool> RemoveDraft(string key, CancellationToken cancellation);

    /// <param name="state">live or paused.</param>
    Task SetState(int id, string state, CancellationToken cancellation);

    Task SetGuards(int id, Guards guards, CancellationToken cancellation);

    /// <summary>Every linked record of some mirrors, on every side: what fields of other mirrors may point at.</summary>
    /// <param name="mirrors">Their keys; none gives no records.</param>
    Task<References> ReferencesTo(IReadOnlyCollection<string> mirrors, CancellationToken cancellation);

    /// <summary>What the records of other mirrors that point at some links of a mirror hold in the fields that it looks at.</summary>
    /// <returns>For each link, every field that is looked at and found, with no values where nothing points at the link.</returns>
    Task<IReadOnlyDictionary<Guid, ImmutableDictionary<LinkedField, ImmutableArray<Value>>>> LinkedTo(MirrorDefinition mirror, IReadOnlyCollection<Guid> links, CancellationToken cancellation);

    /// <summary>The follow-up checks that flag some links of a mirror, by name, without those that a person said are fine as they are. A link that none flags is left out.</summary>
    Task<IReadOnlyDictionary<Guid, ImmutableHashSet<string>>> FlagsOf(MirrorDefinition mirror, IReadOnlyCollection<Guid> links, CancellationToken cancellation);
}

public sealed class Mirrors(NpgsqlDataSource database) : IMirrors
{
    /// <summary>How a definition is written as JSON.</summary>
    public static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web) { Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase), new ConversionJson() }, DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull };

    private const string Select = "select id, state, version, definition, guards from mirror";

    public async Task<IReadOnlyList<KeptMirror>> All(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"{Select} order by name");
        return await Read(command, cancellation);
    }

    public async Task<KeptMirror?> Find(string key, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand($"{Select} where key = @key or lower(name) = lower(@key)");
        command.Parameters.AddWithValue("key", key);
        return (await Read(command, cancellation)).FirstOrDefault();
    }

    public async Task Save(MirrorDefinition definition, string who, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            with kept as (
                insert into mirror (key, name, definition) values (@key, @name, @definition::jsonb)
                on conflict (key) do update set name = excluded.name, definition = excluded.definition, version = mirror.version + (mirror.definition is distinct from excluded.definition)::int
                returning id, version, definition
            )
            insert into mirror_version (mirror_id, version, definition, who, at) select id, version, definition, @who, clock_timestamp() from kept on conflict do nothing
            """);
        command.Parameters.AddWithValue("key", definition.Key);
        command.Parameters.AddWithValue("name", definition.Name);
        command.Parameters.AddWithValue("definition", JsonSerializer.Serialize(definition, Json));
        command.Parameters.AddWithValue("who", who);
        await command.ExecuteNonQueryAsync(cancellation);
        await LookedAt.Refresh(database, await this.All(cancellation), cancellation);
    }

    public async Task<bool> Begin(MirrorDefinition definition, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            insert into mirror (key, name, definition, state, version) select @key, @name, @definition::jsonb, 'draft', 0 where not exists (select from mirror where lower(name) = lower(@name)) on conflict (key) do nothing
            """);
        command.Parameters.AddWithValue("key", definition.Key);
        command.Parameters.AddWithValue("name", definition.Name);
        command.Parameters.AddWithValue("definition", JsonSerializer.Serialize(definition, Json));
        return await command.ExecuteNonQueryAsync(cancellation) == 1;
    }

    public async Task<bool> RemoveDraft(string key, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("delete from mirror where key = @key and state = 'draft' and version = 0");
        command.Parameters.AddWithValue("key", key);
        return await command.ExecuteNonQueryAsync(cancellation) == 1;
    }

    public async Task SetState(int id, string state, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("update mirror set state = @state where id = @id");
        command.Parameters.AddWithValue("id", id);
        command.Parameters.AddWithValue("state", state);
        await command.ExecuteNonQueryAsync(cancellation);
    }

    public async Task SetGuards(int id, Guards guards, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("update mirror set guards = @guards::jsonb where id = @id");
        command.Parameters.AddWithValue("id", id);
        command.Parameters.AddWithValue("guards", JsonSerializer.Serialize(guards, Json));
        await command.ExecuteNonQueryAsync(cancellation);
    }

    /// <summary>The live mirrors that run after another one of which a run has finished since, each with that run and the one that it followed before.</summary>
    public async Task<IReadOnlyList<(KeptMirror Mirror, string Followed, long? Before, long Run)>> Following(CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select m.id, f.name, m.followed_run, last.id from mirror m
            join mirror f on f.key = m.definition -> 'timing' ->> 'after'
            cross join lateral (select max(id) id from run r where r.mirror_id = f.id and r.state = 'finished' and not r.rehearsal) last
            where m.state = 'live' and m.definition -> 'timing' ->> 'kind' = 'after' and last.id > coalesce(m.followed_run, 0)
            """);
        var due = await PostgresRunStore.ReadAll(command, r => (Id: r.GetInt32(0), Name: r.GetString(1), Before: r.IsDBNull(2) ? (long?)null : r.GetInt64(2), Run: r.GetInt64(3)), cancellation);
        var all = due.Count == 0 ? [] : await this.All(cancellation);
        return [.. due.Select(d => (all.First(m => m.Id == d.Id), d.Name, d.Before, d.Run))];
    }

    /// <summary>Keeps which run of another mirror one has followed.</summary>
    /// <returns>False when it had followed another one meanwhile.</returns>
    public async Task<bool> Follow(int id, long? before, long? run, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("update mirror set followed_run = @run where id = @id and followed_run is not distinct from @before");
        command.Parameters.AddWithValue("id", id);
        command.Parameters.AddWithValue("before", NpgsqlDbType.Bigint, (object?)before ?? DBNull.Value);
        command.Parameters.AddWithValue("run", NpgsqlDbType.Bigint, (object?)run ?? DBNull.Value);
        return await command.ExecuteNonQueryAsync(cancellation) == 1;
    }

    public async Task<References> ReferencesTo(IReadOnlyCollection<string> mirrors, CancellationToken cancellation)
    {
        var known = new List<ReferenceKnown>();
        foreach (var key in mirrors)
        {
            if (await this.Find(key, cancellation) is not { } mirror)
            {
                continue;
            }

            await using var command = database.CreateCommand("""
                select r.side, r.id, l.id, l.title, false from system_record r join link l on l.mirror_id = r.mirror_id and l.id = r.link_id where r.mirror_id = @mirror and r.raw is not null
                union all
                select d.side, d.id, l.id, l.title, true from system_record d
                join system_record r on r.mirror_id = d.mirror_id and r.side = d.side and r.id = d.double_of
                join link l on l.mirror_id = r.mirror_id and l.id = r.link_id where d.mirror_id = @mirror and d.double_of is not null
                """);
            command.Parameters.AddWithValue("mirror", mirror.Id);
            known.AddRange(await PostgresRunStore.ReadAll(command, r => new ReferenceKnown(key, mirror.Definition.Sides[r.GetInt32(0)].System, r.GetString(1), r.GetGuid(2), r.GetString(3), r.GetBoolean(4)), cancellation));
        }

        return known.Count == 0 ? References.None : new References(known);
    }

    public async Task<IReadOnlyDictionary<Guid, ImmutableDictionary<LinkedField, ImmutableArray<Value>>>> LinkedTo(MirrorDefinition mirror, IReadOnlyCollection<Guid> links, CancellationToken cancellation)
    {
        if (mirror.LooksAt is not { IsEmpty: false } looks || links.Count == 0)
        {
            return ImmutableDictionary<Guid, ImmutableDictionary<LinkedField, ImmutableArray<Value>>>.Empty;
        }

        var all = await this.All(cancellation);
        var found = links.ToDictionary(l => l, _ => ImmutableDictionary.CreateBuilder<LinkedField, ImmutableArray<Value>>());
        foreach (var asked in looks)
        {
            if (LinkedRecordsField.Find(mirror, asked, [.. all.Select(m => m.Definition)], out _) is not { } field)
            {
                continue;
            }

            var values = await LookedAt.Read(database, all.First(m => m.Definition.Key == field.Mirror.Key).Id, field, links, cancellation);
            foreach (var (link, of) in found)
            {
                of[asked] = [.. values[link]];
            }
        }

        return found.ToDictionary(f => f.Key, f => f.Value.ToImmutable());
    }

    public async Task<IReadOnlyDictionary<Guid, ImmutableHashSet<string>>> FlagsOf(MirrorDefinition mirror, IReadOnlyCollection<Guid> links, CancellationToken cancellation)
    {
        await using var command = database.CreateCommand("""
            select f.link_id, array_agg(c.name) from flag f join follow_up_check c on c.id = f.check_id join mirror m on m.id = f.mirror_id
            where m.key = @mirror and f.link_id = any(@links) and f.fine_by is null group by f.link_id
            """);
        command.Parameters.AddWithValue("mirror", mirror.Key);
        command.Parameters.AddWithValue("links", links.ToArray());
        return (await PostgresRunStore.ReadAll(command, r => (Link: r.GetGuid(0), Names: r.GetFieldValue<string[]>(1)), cancellation)).ToDictionary(f => f.Link, f => f.Names.ToImmutableHashSet(StringComparer.OrdinalIgnoreCase));
    }

    private async Task<List<KeptMirror>> Read(NpgsqlCommand command, CancellationToken cancellation)
    {
        var codeLists = await new CodeLists(database).ByName(cancellation);
        return await PostgresRunStore.ReadAll(
            command,
            r => new KeptMirror(r.GetInt32(0), r.GetString(1), r.GetInt32(2), JsonSerializer.Deserialize<MirrorDefinition>(r.GetString(3), Json)!.With(codeLists))
            {
                Guards = r.IsDBNull(4) ? Guards.Default : JsonSerializer.Deserialize<Guards>(r.GetString(4), Json)!,
            },
            cancellation);
    }

    /// <summary>A conversion as <c>{"kind": …}</c>; left out where the value goes as it stands.</summary>
    private sealed class ConversionJson : JsonConverter<Conversion>
    {
        public override Conversion Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options)
        {
            using var document = JsonDocument.ParseValue(ref reader);
            var json = document.RootElement;
            return json.GetProperty("kind").GetString() switch
            {
                "asItStands" => new AsItStands(),
                "reference" => new ReferenceTo(Text(json, "mirror")!),
                "phone" => new PhoneConversion(Enum.Parse<PhoneForm>(json.GetProperty("form").GetString()!, ignoreCase: true)),
                "codeList" when Text(json, "name") is { } name => new CodeList(new CodeTable([]), name),
                "codeList" => new CodeList(CodeLists.Read(json)),
                "formula" => new FormulaConversion(Text(json, "toAgreed"), Text(json, "toSide")),
                var kind => throw new JsonException($"There is no conversion called {kind}."),
            };
        }

        private static string? Text(JsonElement json, string name) => json.TryGetProperty(name, out var text) ? text.GetString() : null;

        public override void Write(Utf8JsonWriter writer, Conversion value, JsonSerializerOptions options)
        {
            writer.WriteStartObject();
            switch (value)
            {
                case PhoneConversion phone:
                    writer.WriteString("kind", "phone");
                    writer.WriteString("form", phone.Form.ToString());
                    break;
                case ReferenceTo reference:
                    writer.WriteString("kind", "reference");
                    writer.WriteString("mirror", reference.Mirror);
                    break;
                case CodeList { Name: { } name }:
                    writer.WriteString("kind", "codeList");
                    writer.WriteString("name", name);
                    break;
                case CodeList list:
                    writer.WriteString("kind", "codeList");
                    foreach (var (part, content) in CodeLists.Write(list.Table))
                    {
                        writer.WritePropertyName(part);
                        content!.WriteTo(writer);
                    }

                    break;
                case FormulaConversion formula:
                    writer.WriteString("kind", "formula");
                    if (formula.ToAgreedFormula is { } toAgreed)
                    {
                        writer.WriteString("toAgreed", toAgreed);
                    }

                    if (formula.ToSideFormula is { } toSide)
                    {
                        writer.WriteString("toSide", toSide);
                    }

                    break;
                default:
                    writer.WriteString("kind", "asItStands");
                    break;
            }

            writer.WriteEndObject();
        }
    }
}
