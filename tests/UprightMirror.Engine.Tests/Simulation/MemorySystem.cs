using System.Globalization;
using System.Runtime.CompilerServices;
using UprightMirror.Connectors;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Testing;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Engine.Tests.Simulation;

/// <summary>A write that took effect on a simulated system.</summary>
public sealed record SystemWrite(string Id, bool Created, IReadOnlyList<string> Paths);

/// <summary>
/// A system in memory, with version tags and a clock of its own. What may go wrong is decided by a seeded generator, so a
/// failing seed replays exactly.
/// </summary>
public sealed class MemorySystem(string name, Random chance, bool upperCases) : ISystemConnector
{
    private sealed record Row(RawFields Fields, int Version, DateTimeOffset ChangedAt, string? Reference);

    /// <summary>No transaction of the system's users stays open for longer.</summary>
    private static readonly TimeSpan LongestTransaction = TimeSpan.FromSeconds(20);

    private readonly SortedDictionary<string, Row> rows = new(StringComparer.Ordinal);
    private readonly List<(string Id, string Path, Value Value, DateTimeOffset At)> unseen = [];
    private int counter;
    private DateTimeOffset now = new(2026, 3, 1, 8, 0, 0, TimeSpan.Zero);

    public string Name { get; } = name;

    public List<SystemWrite> Writes { get; } = [];

    /// <summary>Called just before a write takes effect: somebody else may edit at that moment.</summary>
    public Action<string>? BeforeWrite { get; set; }

    /// <summary>The share of writes whose answer is lost, before or after they took effect.</summary>
    public double LosesAnswers { get; set; }

    /// <summary>Reads pages and their records in another order.</summary>
    public bool Shuffles { get; set; }

    public bool HasReferences { get; set; } = true;

    /// <summary>A field that the system fills in by itself, with a number of its own, as it creates a record; null for none.</summary>
    public string? Assigns { get; set; }

    /// <summary>The share of rows that it refuses, each time anew.</summary>
    public double Refuses { get; set; }

    /// <summary>Our clock, where the system's answers tell how far its own is from it; null where they don't.</summary>
    public TimeProvider? TellsItsClockTo { get; set; }

    public CallsSeen Seen => new(0, 0, null, null, null) { ClockAhead = this.TellsItsClockTo is { } ours ? this.now - ours.GetUtcNow() : null };

    /// <summary>Why it can't be talked to; null while it can.</summary>
    public string? Down { get; set; }

    public IEnumerable<string> Ids => this.rows.Keys;

    public RawFields Fields(string id) => this.rows[id].Fields;

    public void Tick(TimeSpan time)
    {
        if (time > LongestTransaction)
        {
            this.Commit();
        }

        this.now += time;
    }

    public string Add(RawFields fields, string? id = null)
    {
        id ??= $"{this.Name}-{++this.counter:D4}";
        this.rows[id] = new Row(this.AsStored(fields), 1, this.now, null);
        return id;
    }

    public void Edit(string id, string path, Value value)
    {
        var row = this.rows[id];
        this.rows[id] = row with { Fields = row.Fields.With(path, value), Version = row.Version + 1, ChangedAt = this.now };
    }

    /// <summary>Somebody edits in a transaction that is still open: it is stamped now, and nobody sees it before the next reading is over.</summary>
    public void EditUnseen(string id, string path, Value value) => this.unseen.Add((id, path, value, this.now));

    /// <summary>What was edited unseen is there for everyone.</summary>
    public void Commit()
    {
        foreach (var (id, path, value, at) in this.unseen)
        {
            if (this.rows.TryGetValue(id, out var row))
            {
                this.rows[id] = row with { Fields = row.Fields.With(path, value), Version = row.Version + 1, ChangedAt = at > row.ChangedAt ? at : row.ChangedAt };
            }
        }

        this.unseen.Clear();
    }

    /// <summary>Whether it tells what was removed.</summary>
    public bool TellsRemovals { get; set; }

    /// <summary>Records that a reading of everything leaves out by mistake, as a page that moved while it was read.</summary>
    public HashSet<string> Overlooked { get; } = [];

    private readonly List<(string Id, DateTimeOffset At)> removed = [];

    public void Remove(string id)
    {
        this.rows.Remove(id);
        this.removed.Add((id, this.now));
    }

    public Task<IReadOnlyList<string>?> ReadRemoved(string collection, DateTimeOffset since, CancellationToken cancellation) =>
        Task.FromResult<IReadOnlyList<string>?>(this.TellsRemovals ? [.. this.removed.Where(r => r.At >= since).Select(r => r.Id)] : null);

    public async IAsyncEnumerable<IReadOnlyList<string>> ReadIds(string collection, [EnumeratorCancellation] CancellationToken cancellation)
    {
        this.MustAnswer();
        yield return [.. this.rows.Keys.Where(id => !this.Overlooked.Contains(id))];
        await Task.CompletedTask;
    }

    public Task<CatalogueCollection> Describe(string collection, CancellationToken cancellation) => Task.FromResult(CatalogueCollection.Unknown(collection));

    public Task<Catalogue> ReadCatalogue(CancellationToken cancellation) => Task.FromResult(new Catalogue([CatalogueCollection.Unknown("things")]));

    public IAsyncEnumerable<TestStep> Test(CancellationToken cancellation) => AsyncEnumerable.Empty<TestStep>();

    public async IAsyncEnumerable<IReadOnlyList<ObservedRecord>> ReadChanged(string collection, DateTimeOffset? since, IReadOnlyCollection<string>? fields, [EnumeratorCancellation] CancellationToken cancellation)
    {
        this.MustAnswer();
        var changed = this.rows.Where(r => since is null || r.Value.ChangedAt >= since).Select(r => Observe(r.Key, r.Value)).ToArray();
        if (this.Shuffles)
        {
            chance.Shuffle(changed);
        }

        foreach (var page in changed.Chunk(this.Shuffles ? 3 : 5))
        {
            yield return page;
            await Task.CompletedTask;
        }

        this.Commit();
    }

    public Task<ObservedRecord?> ReadOne(string collection, string id, CancellationToken cancellation)
    {
        this.MustAnswer();
        return Task.FromResult(this.rows.TryGetValue(id, out var row) ? Observe(id, row) : null);
    }

    private void MustAnswer()
    {
        if (this.Down is { } why)
        {
            throw new SystemFault(why);
        }
    }

    public Task<ObservedRecord?> FindByReference(string collection, string reference, CancellationToken cancellation) =>
        Task.FromResult(this.rows.Where(r => this.HasReferences && r.Value.Reference == reference).Select(r => Observe(r.Key, r.Value)).FirstOrDefault());

    public Task<RequestShown> Show(string collection, WriteRequest request, CancellationToken cancellation) =>
        Task.FromResult(new RequestShown($"{(request.Id is null ? "create" : "change")} {request.Id}", [], request.Fields.ToNestedJson().ToJsonString()));

    public Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation)
    {
        this.Commit();
        if (request.Id is { } id)
        {
            this.BeforeWrite?.Invoke(id);
        }

        if (this.Refuses > 0 && chance.NextDouble() < this.Refuses)
        {
            return Task.FromResult<WriteAnswer>(new WriteAnswer.Refused("not today"));
        }

        var loses = this.LosesAnswers > 0 && chance.NextDouble() < this.LosesAnswers;
        if (loses && chance.Next(2) == 0)
        {
            return Task.FromResult<WriteAnswer>(new WriteAnswer.Unknown("the connection broke before the answer came"));
        }

        var answer = this.Apply(request);
        return Task.FromResult(loses ? new WriteAnswer.Unknown("the connection broke before the answer came") : answer);
    }

    private WriteAnswer Apply(WriteRequest request)
    {
        if (request.Id is null)
        {
            var created = $"{this.Name}-{++this.counter:D4}";
            var stored = this.AsStored(request.Fields);
            this.rows[created] = new Row(this.Assigns is { } number ? stored.With(number, Value.Text($"N-{(stored["Code"].IsEmpty ? this.counter : stored["Code"])}")) : stored, 1, this.now, request.Reference);
            this.Writes.Add(new SystemWrite(created, true, [.. request.Fields.Paths]));
            return new WriteAnswer.Stored(Observe(created, this.rows[created]));
        }

        if (!this.rows.TryGetValue(request.Id, out var row))
        {
            return new WriteAnswer.Gone();
        }

        if (request.VersionTag != row.Version.ToString(CultureInfo.InvariantCulture))
        {
            return new WriteAnswer.Moved();
        }

        this.Writes.Add(new SystemWrite(request.Id, false, [.. request.Fields.Paths]));
        if (request.Remove)
        {
            this.rows.Remove(request.Id);
            return new WriteAnswer.Stored(null);
        }

        var fields = request.Fields.Paths.Aggregate(row.Fields, (f, path) => f.With(path, this.AsStored(path, request.Fields[path])));
        this.rows[request.Id] = row with { Fields = fields, Version = row.Version + 1, ChangedAt = this.now };
        return new WriteAnswer.Stored(Observe(request.Id, this.rows[request.Id]));
    }

    private RawFields AsStored(RawFields fields) => RawFields.Of(fields.Paths.Select(p => KeyValuePair.Create(p, this.AsStored(p, fields[p]))));

    /// <summary>The system's own habit: it keeps one of its texts in capitals, whoever wrote it.</summary>
    private Value AsStored(string path, Value value) => upperCases && path == "Shout" ? Value.Text(value.Display.ToUpperInvariant()) : value;

    private static ObservedRecord Observe(string id, Row row) => new(id, row.Fields, row.Version.ToString(CultureInfo.InvariantCulture), row.ChangedAt, null);
}
