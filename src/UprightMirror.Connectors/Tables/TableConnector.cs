using System.Collections.Immutable;
using System.Globalization;
using System.Net.Sockets;
using System.Runtime.CompilerServices;
using System.Text.Json;
using Npgsql;
using NpgsqlTypes;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Testing;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Connectors.Tables;

/// <summary>
/// Tables and views of a user's own PostgreSQL database. A record's version is the transaction that wrote it; pages go on by key,
/// so that records with the same change time at a page's edge are neither skipped nor given twice.
/// </summary>
public sealed class TableConnector : ISystemConnector
{
    private const int PageSize = 1000;
    private const int KeysAtOnce = 20_000;

    private static readonly string[] StampNames = ["changed_at", "updated_at", "modified_at", "last_modified", "changed_on", "updated_on", "modified_on", "last_changed"];
    private static readonly string[] ByNames = ["changed_by", "updated_by", "modified_by"];
    private static readonly string[] ReferenceNames = ["external_reference", "external_id", "external_key"];

    private readonly Uri address;
    private readonly ConnectionSettings settings;
    private readonly IReadOnlyDictionary<string, string> secrets;
    private readonly TimeProvider clock;
    private readonly string schema;
    private readonly SemaphoreSlim oneAtATime = new(1, 1);
    private readonly Watch watch;
    private NpgsqlDataSource? source;
    private ImmutableDictionary<string, Table>? tables;

    private sealed record Table(string Name, bool IsView, string? Key, ImmutableArray<CatalogueField> Columns)
    {
        public bool HasVersion => !this.IsView;
    }

    public TableConnector(string name, Uri address, ConnectionSettings settings, IReadOnlyDictionary<string, string> secrets, Outside outside)
    {
        this.Name = name;
        this.address = address;
        this.settings = settings;
        this.secrets = secrets;
        this.clock = outside.Clock;
        this.schema = settings.Schema is { Length: > 0 } own ? own : "public";
        this.watch = new Watch(outside.Clock, secrets.GetValueOrDefault("password"));
    }

    public string Name { get; }

    public CallsSeen Seen => this.watch.Seen;

    public IReadOnlyList<CallMade> TakeCalls() => this.watch.TakeCalls();

    public async Task<CatalogueCollection> Describe(string collection, CancellationToken cancellation)
    {
        return this.Described(await this.TableOf(collection, cancellation));
    }

    public async Task<Catalogue> ReadCatalogue(CancellationToken cancellation)
    {
        this.tables = null;
        return new Catalogue([.. (await this.Tables(cancellation)).Values.OrderBy(t => t.Name, StringComparer.Ordinal).Select(this.Described)]);
    }

    public IAsyncEnumerable<TestStep> Test(CancellationToken cancellation)
    {
        var limit = "";
        TimeSpan apart = default;
        return StepByStep.Run(
        [
            ("Name resolved", () => StepByStep.Resolve(this.address.Host, this.settings.AllowPrivate, cancellation)),
            ("Reached and signed in", async () =>
            {
                var before = this.clock.GetUtcNow();
                var rows = await this.Query("the time", TableQueries.Clock, _ => { }, r => (At: r.GetFieldValue<DateTimeOffset>(0), Most: r.GetString(1)), cancellation);
                apart = rows[0].At - before;
                limit = rows[0].Most;
                return (StepEnd.Passed, $"{this.address.Host} accepts the user {this.secrets.GetValueOrDefault("user")} for the database {this.Database}.");
            }),
            ("Description read", async () =>
            {
                var found = await this.Tables(cancellation);
                return found.Count > 0
                    ? (StepEnd.Passed, $"{found.Count} {(found.Count == 1 ? "table or view" : "tables and views")} in the schema {this.schema}.")
                    : (StepEnd.Failed, $"The schema {this.schema} of {this.Name} has no table or view that the user may read. Check the schema, and grant the user the right to select.");
            }),
            ("One record read", async () =>
            {
                foreach (var table in (await this.Tables(cancellation)).Values.Where(t => this.Own(t).Id.Length > 0).OrderBy(t => t.Name, StringComparer.Ordinal))
                {
                    await foreach (var page in this.ReadChanged(table.Name, null, null, cancellation))
                    {
                        return (StepEnd.Passed, $"{table.Name} {page[0].Id}, with {page[0].Fields.Paths.Count()} columns.");
                    }
                }

                return (StepEnd.Warned, "Every table is empty or has no key of one column, so no record could be read.");
            }),
            ("Clock compared", () => Task.FromResult(apart.Duration() > TimeSpan.FromMinutes(1)
                ? (StepEnd.Warned, $"Its clock is {apart.Duration().TotalSeconds:0} seconds {(apart > TimeSpan.Zero ? "ahead of" : "behind")} ours. \"The latest wins\" can then choose the wrong one: have its clock set.")
                : (StepEnd.Passed, "Its clock and ours agree."))),
            ("Limits found", () => Task.FromResult((StepEnd.Passed, $"It takes {limit} connections in all; at most {this.settings.CallsAtOnce} are used."))),
        ], cancellation);
    }

    public async IAsyncEnumerable<IReadOnlyList<ObservedRecord>> ReadChanged(string collection, DateTimeOffset? since, IReadOnlyCollection<string>? fields, [EnumeratorCancellation] CancellationToken cancellation)
    {
        var table = await this.TableOf(collection, cancellation);
        var own = this.Own(table);
        if (own.Id.Length == 0)
        {
            throw this.watch.Fault($"{this.Name}: {collection} has no key of one column, by which its records could be told apart. Name one in the collection's settings.");
        }

        // A first reading goes by key: records whose change time is not known are among it.
        var order = since is null ? null : own.ChangedAt;
        (string Key, string? Stamp)? last = null;
        while (true)
        {
            var (key, stamp) = (last?.Key, last?.Stamp);
            var page = await this.Query(
                $"its {collection}",
                TableQueries.Page(this.Named(table), own.Id, order, table.HasVersion, last is null),
                c =>
                {
                    c.Parameters.AddWithValue("limit", PageSize);
                    if (order is not null)
                    {
                        c.Parameters.AddWithValue("since", NpgsqlDbType.TimestampTz, since is { } time ? time.ToUniversalTime() : DBNull.Value);
                    }

                    if (key is not null)
                    {
                        c.Parameters.AddWithValue("key", key);
                        if (order is not null)
                        {
                            c.Parameters.AddWithValue("stamp", NpgsqlDbType.Text, (object?)stamp ?? DBNull.Value);
                        }
                    }
                },
                r => (Record: RecordOf(r, own, r.IsDBNull(2) ? null : r.GetString(2)), Key: r.GetString(1), Stamp: r.IsDBNull(3) ? null : r.GetString(3)),
                cancellation);
            if (page.Count > 0)
            {
                yield return [.. page.Select(p => p.Record)];
            }

            if (page.Count < PageSize)
            {
                yield break;
            }

            last = (page[^1].Key, page[^1].Stamp);
        }
    }

    public async IAsyncEnumerable<IReadOnlyList<string>> ReadIds(string collection, [EnumeratorCancellation] CancellationToken cancellation)
    {
        var table = await this.TableOf(collection, cancellation);
        var key = this.Own(table).Id is { Length: > 0 } named ? named : throw this.watch.Fault($"{this.Name}: {collection} has no key of one column, by which its records could be told apart. Name one in the collection's settings.");
        string? last = null;
        while (true)
        {
            var after = last;
            var page = await this.Query(
                $"the keys of its {collection}",
                TableQueries.Keys(this.Named(table), key, after is null),
                c =>
                {
                    c.Parameters.AddWithValue("limit", KeysAtOnce);
                    if (after is not null)
                    {
                        c.Parameters.AddWithValue("key", after);
                    }
                },
                r => r.GetString(0),
                cancellation);
            if (page.Count > 0)
            {
                yield return page;
            }

            if (page.Count < KeysAtOnce)
            {
                yield break;
            }

            last = page[^1];
        }
    }

    public async Task<ObservedRecord?> ReadOne(string collection, string id, CancellationToken cancellation)
    {
        var table = await this.TableOf(collection, cancellation);
        return await this.One(table, this.Own(table).Id, id, cancellation);
    }

    public async Task<ObservedRecord?> FindByReference(string collection, string reference, CancellationToken cancellation)
    {
        var table = await this.TableOf(collection, cancellation);
        return this.Own(table).Reference is { } column ? await this.One(table, column, reference, cancellation) : null;
    }

    public async Task<RequestShown> Show(string collection, WriteRequest request, CancellationToken cancellation)
    {
        var (_, _, fields, sql) = await this.Statement(collection, request, cancellation);
        return new RequestShown(sql, request.Id is { } id ? [("@key", id), ("@version", request.VersionTag ?? "")] : [], request.Remove ? null : fields.ToFlatJson().ToJsonString(RecordWrite.Readable));
    }

    /// <summary>The statement that a write is made by, and what it writes.</summary>
    private async Task<(Table Table, CollectionSettings Own, RawFields Fields, string Sql)> Statement(string collection, WriteRequest request, CancellationToken cancellation)
    {
        var table = await this.TableOf(collection, cancellation);
        var own = this.Own(table);
        var fields = request is { Id: null, Reference: { } reference } && own.Reference is { } column ? request.Fields.With(column, Value.Text(reference)) : request.Fields;
        var columns = fields.Paths.ToList();
        return (table, own, fields, request switch
        {
            { Remove: true } => TableQueries.Remove(this.Named(table), own.Id),
            { Id: null } => TableQueries.Create(this.Named(table), own.Id, columns),
            _ => TableQueries.Change(this.Named(table), own.Id, columns),
        });
    }

    public async Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation)
    {
        try
        {
            var (table, own, fields, sql) = await this.Statement(collection, request, cancellation);
            var unknown = fields.Paths.FirstOrDefault(p => !table.Columns.Any(c => c.Path == p));
            if (unknown is not null)
            {
                return new WriteAnswer.Refused($"There is no column {unknown} in {collection}.");
            }

            var removed = 0;
            var stored = await this.Query(
                $"the change of {collection} {request.Id ?? "(new)"}",
                sql,
                c =>
                {
                    if (!request.Remove)
                    {
                        c.Parameters.AddWithValue("values", fields.ToFlatJson().ToJsonString());
                    }

                    if (request.Id is { } id)
                    {
                        c.Parameters.AddWithValue("key", id);
                        c.Parameters.AddWithValue("version", NpgsqlDbType.Text, (object?)request.VersionTag ?? DBNull.Value);
                    }
                },
                r => RecordOf(r, own, r.GetString(1)),
                cancellation,
                affected => removed = affected);
            return stored.Count > 0 ? new WriteAnswer.Stored(stored[0])
                : request.Remove && removed > 0 ? new WriteAnswer.Stored(null)
                : await this.One(table, own.Id, request.Id!, cancellation) is null ? new WriteAnswer.Gone() : new WriteAnswer.Moved();
        }
        catch (SystemFault e) when (e.InnerException is PostgresException { SqlState: ['2', '2' or '3', ..] } refused)
        {
            return new WriteAnswer.Refused(refused.MessageText + (refused.Detail is { Length: > 0 } detail ? " " + detail : ""));
        }
        catch (SystemFault e) when (e.InnerException is PostgresException or SocketException || e.InnerException?.InnerException is SocketException)
        {
            return new WriteAnswer.NotReached(e.Message);
        }
        catch (SystemFault e)
        {
            return new WriteAnswer.Unknown(e.Message);
        }
    }

    private string Database => Uri.UnescapeDataString(this.address.AbsolutePath.Trim('/'));

    private string Named(Table table) => $"{TableQueries.Quoted(this.schema)}.{TableQueries.Quoted(table.Name)}";

    private CatalogueCollection Described(Table table) => new(table.Name, table.Columns.ToImmutableDictionary(c => c.Path)) { Stamps = this.Own(table).Stamps };

    /// <summary>How a table is read: as set, otherwise as its key and the usual names suggest.</summary>
    private CollectionSettings Own(Table table) => this.settings.For(table.Name) ?? new CollectionSettings(
        Id: table.Key ?? "",
        ChangedAt: StampNames.FirstOrDefault(n => table.Columns.Any(c => c.Path == n && c.Type.StartsWith("timestamp", StringComparison.Ordinal))),
        ChangedBy: ByNames.FirstOrDefault(n => table.Columns.Any(c => c.Path == n)),
        Reference: ReferenceNames.FirstOrDefault(n => table.Columns.Any(c => c.Path == n)));

    private async Task<ObservedRecord?> One(Table table, string column, string value, CancellationToken cancellation)
    {
        var own = this.Own(table);
        var found = await this.Query($"{table.Name} {value}", TableQueries.One(this.Named(table), column, table.HasVersion), c => c.Parameters.AddWithValue("key", value), r => RecordOf(r, own, r.IsDBNull(1) ? null : r.GetString(1)), cancellation);
        return found.Count == 0 ? null : found[0];
    }

    private async Task<Table> TableOf(string collection, CancellationToken cancellation) =>
        (await this.Tables(cancellation)).GetValueOrDefault(collection) ?? throw this.watch.Fault($"{this.Name} has no table or view {collection} in the schema {this.schema} that the user may read.");

    private async Task<ImmutableDictionary<string, Table>> Tables(CancellationToken cancellation)
    {
        if (this.tables is { } known)
        {
            return known;
        }

        var rows = await this.Query(
            "its tables",
            TableQueries.Columns,
            c => c.Parameters.AddWithValue("schema", this.schema),
            r => (
                Table: r.GetString(0),
                IsView: r.GetBoolean(1),
                Column: new CatalogueField(r.GetString(2), r.GetString(3), r.GetBoolean(4) && !r.GetBoolean(5), r.GetBoolean(6), r.IsDBNull(7) ? null : r.GetInt32(7))
                {
                    Allowed = [.. r.GetFieldValue<string[]>(8)],
                    Label = r.IsDBNull(10) ? null : r.GetString(10),
                },
                Key: r.GetFieldValue<string[]>(9)),
            cancellation);
        return this.tables = rows.GroupBy(r => r.Table).ToImmutableDictionary(g => g.Key, g => new Table(g.Key, g.First().IsView, g.First().Key is [var only] ? only : null, [.. g.Select(r => r.Column)]));
    }

    private static ObservedRecord RecordOf(NpgsqlDataReader reader, CollectionSettings own, string? version)
    {
        using var json = JsonDocument.Parse(reader.GetString(0));
        var fields = RawFields.FromJson(json.RootElement);
        return ReadStamps.Record(fields, fields[own.Id].Display, own with { VersionTag = null }, version);
    }

    private async Task<NpgsqlDataSource> Source(CancellationToken cancellation)
    {
        await this.oneAtATime.WaitAsync(cancellation);
        try
        {
            if (this.source is { } known)
            {
                return known;
            }

            var (end, words) = await StepByStep.Resolve(this.address.Host, this.settings.AllowPrivate, cancellation);
            if (end == StepEnd.Failed)
            {
                throw this.watch.Fault($"{this.Name} can't be reached: {words}");
            }

            var builder = new NpgsqlConnectionStringBuilder
            {
                Host = this.address.Host,
                Port = this.address.Port > 0 ? this.address.Port : 5432,
                Database = this.Database,
                Username = this.secrets.GetValueOrDefault("user"),
                Password = this.secrets.GetValueOrDefault("password"),
                Timeout = Math.Min(this.settings.TimeoutSeconds, 60),
                CommandTimeout = this.settings.TimeoutSeconds,
                MaxPoolSize = Math.Max(1, this.settings.CallsAtOnce),
                ApplicationName = "Upright Mirror",
            };
            return this.source = NpgsqlDataSource.Create(builder);
        }
        finally
        {
            this.oneAtATime.Release();
        }
    }

    private async Task<List<T>> Query<T>(string what, string sql, Action<NpgsqlCommand> bind, Func<NpgsqlDataReader, T> read, CancellationToken cancellation, Action<int>? affected = null)
    {
        using var call = this.watch.Begin(sql.StartsWith("select", StringComparison.Ordinal) ? "READ" : "WRITE", what);
        try
        {
            await using var command = (await this.Source(cancellation)).CreateCommand(sql);
            bind(command);
            await using var reader = await command.ExecuteReaderAsync(cancellation);
            var rows = new List<T>();
            while (await reader.ReadAsync(cancellation))
            {
                rows.Add(read(reader));
            }

            affected?.Invoke(reader.RecordsAffected);
            call.Answered(rows.Count);
            return rows;
        }
        catch (PostgresException e)
        {
            call.Failed(e.MessageText);
            throw this.watch.Fault(this.Words(e, what), e);
        }
        catch (NpgsqlException e)
        {
            call.Failed(e.Message);
            throw this.watch.Fault(e.InnerException is TimeoutException
                ? $"{this.Name} did not answer within {this.settings.TimeoutSeconds} s when {what} was asked for. It may be slow or hanging; the next run tries again."
                : $"{this.Name} can't be reached: {(e.InnerException is SocketException { SocketErrorCode: SocketError.ConnectionRefused } ? "nothing answers at its address (connection refused)" : e.Message)}. Check that it is running, and the address of its connection; the next run tries again.", e);
        }
    }

    private string Words(PostgresException e, string what) => e.SqlState switch
    {
        PostgresErrorCodes.InvalidPassword or PostgresErrorCodes.InvalidAuthorizationSpecification => $"{this.Name} refused the sign-in: {e.MessageText}. Check the user name and the password of its connection.",
        PostgresErrorCodes.InvalidCatalogName => $"{this.Name} has no database {this.Database}. Check the address of its connection: postgresql://host:port/database.",
        PostgresErrorCodes.InsufficientPrivilege => $"{this.Name} signed us in but does not allow {what}: {e.MessageText}. Ask for this right for the service account.",
        PostgresErrorCodes.TooManyConnections => $"{this.Name} has no connection left ({e.MessageText}). Lower the calls at once of its connection.",
        _ => string.Create(CultureInfo.InvariantCulture, $"{this.Name} answered with an error when {what} was asked for: {e.MessageText} ({e.SqlState})."),
    };
}
