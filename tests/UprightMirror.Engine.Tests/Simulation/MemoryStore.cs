using System.Collections.Immutable;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Engine.Tests.Simulation;

/// <summary>Thrown where a simulated process ends: nothing after it happens, everything saved before it stays.</summary>
public sealed class ProcessEnded : Exception;

/// <summary>A fault that is planted on purpose, to see that the laws find it.</summary>
public enum Planted
{
    None,

    /// <summary>Sides are read from what was seen last, without an overlap.</summary>
    SkipsTheOverlap,

    /// <summary>A creation that was never answered is sent again without looking.</summary>
    CreatesBlindly,

    /// <summary>What a side holds after our own write is not remembered.</summary>
    ForgetsTheShadow,
}

/// <summary>A run store in memory, for histories by the thousand. What was saved survives a simulated end of the process.</summary>
public sealed class MemoryStore : IRunStore, IDecisionStore, IUndoStore
{
    private sealed class Row
    {
        public required KnownRecord Known { get; set; }

        public Guid? Link { get; set; }

        public bool Waiting { get; set; }

        public ImmutableArray<MatchKey> Keys { get; set; } = [];
    }

    private sealed class Linked
    {
        public string Title { get; set; } = "";

        public Dictionary<string, AgreedValue> Agreed { get; } = [];

        public Dictionary<int, Removal> RemovalDecisions { get; } = [];

        public bool Waiting { get; set; }

        public bool IsFollowed { get; set; } = true;
    }

    private sealed class Open
    {
        public required long Id { get; init; }

        public required Guid Link { get; init; }

        public required ImmutableArray<string> Fields { get; init; }

        public required ImmutableSortedDictionary<int, ImmutableArray<Value>?> Values { get; set; }

        public int Revision { get; set; }

        public bool IsOpen { get; set; } = true;

        public Decided? Decided { get; set; }

        public int JournalAtDecision { get; set; }
    }

    private readonly SortedDictionary<(int Side, string Id), Row> rows = new(Comparer<(int Side, string Id)>.Create((a, b) => a.Side != b.Side ? a.Side - b.Side : string.CompareOrdinal(a.Id, b.Id)));
    private readonly SortedDictionary<Guid, Linked> links = [];
    private readonly List<Open> conflicts = [];
    private readonly Dictionary<long, (Delivery Delivery, string State)> deliveries = [];
    private readonly Dictionary<int, Watermark> marks = [];
    private readonly List<Hold> holds = [];
    private readonly HashSet<long> asides = [];
    private long lastId;

    public MemoryStore() => this.Likeness = new MemoryLikeness(this);

    public ILikenessStore Likeness { get; }

    /// <summary>Records by their places, for the memory of likenesses.</summary>
    internal IEnumerable<(KnownRecord Known, Guid? Link)> Rows => this.rows.Values.Select(r => (r.Known, r.Link));

    internal void Wait(RecordPlace place, bool waiting) => this.rows[(place.Side, place.Id)].Waiting = waiting;

    public Task<ObservedRecord?> ReadMember(Guid link, int side, CancellationToken cancellation) => Task.FromResult(
        this.rows.Values.Where(r => r.Link == link && r.Known.Side == side && r.Known.Raw is not null).Select(r => new ObservedRecord(r.Known.Id, r.Known.Raw!, r.Known.VersionTag, r.Known.ChangedAt, r.Known.ChangedBy)).FirstOrDefault());

    public Task<Guid?> LinkOf(int side, string id, CancellationToken cancellation) => Task.FromResult(this.rows[(side, id)].Link);

    public Task TakeStock(CancellationToken cancellation) => Task.CompletedTask;

    public Task SaveFoundAnew(CancellationToken cancellation) => Task.CompletedTask;

    /// <summary>Links that something they look at has moved for.</summary>
    public HashSet<Guid> Due { get; } = [];

    public Task LookAtDue(CancellationToken cancellation) => this.Save(() =>
    {
        foreach (var link in this.Due.Where(this.links.ContainsKey))
        {
            this.links[link].Waiting = true;
        }

        this.Due.Clear();
    });

    public Task LookAtHeldAgain(CancellationToken cancellation) => this.Save(() =>
    {
        foreach (var hold in this.holds)
        {
            if (hold.Link is { } link)
            {
                this.links[link].Waiting = true;
            }
            else
            {
                this.rows[(hold.Side, hold.RecordId)].Waiting = true;
            }
        }
    });

    /// <summary>Every record waits to be reconciled again, as after a definition that was changed and changed back.</summary>
    public void LookAtEverythingAgain()
    {
        foreach (var link in this.links.Values)
        {
            link.Waiting = true;
        }
    }

    public long RunId { get; set; } = 1;

    public List<JournalEntry> Journal { get; } = [];

    /// <summary>The process ends when this many more saves were made; negative: never.</summary>
    public int SavesUntilEnd { get; set; } = -1;

    public IReadOnlyList<Hold> Holds => this.holds;

    /// <summary>Records that an undo set aside.</summary>
    public HashSet<Guid> SetAside { get; } = [];

    private readonly Dictionary<(Guid Link, long Run), RecordMemory> memories = [];

    /// <summary>The journal's lines beside the runs that wrote them.</summary>
    private readonly List<long> journalRuns = [];

    private void Tell(IEnumerable<JournalEntry> entries, bool byRun = true)
    {
        this.Journal.AddRange(entries);
        this.journalRuns.AddRange(Enumerable.Repeat(byRun ? this.RunId : 0, this.Journal.Count - this.journalRuns.Count));
    }

    /// <summary>Created records as their systems stored them.</summary>
    private readonly Dictionary<(Guid Link, int Side), RawFields> created = [];

    public Task<bool> KeepOut(CancellationToken cancellation) => Task.FromResult(true);

    public Task<IReadOnlyList<DoneByRun>> ReadDone(long run, Guid? only, Guid after, int count, CancellationToken cancellation)
    {
        var told = this.Journal.Zip(this.journalRuns, (entry, by) => (Entry: entry, Run: by)).ToList();
        bool Writes(JournalEntry e) => e.Kind is JournalKind.Written or JournalKind.Created or JournalKind.Removed;
        return Task.FromResult<IReadOnlyList<DoneByRun>>([.. told.Where(t => t.Run == run && Writes(t.Entry) && t.Entry.Link.CompareTo(after) > 0 && (only is null || only == t.Entry.Link)).GroupBy(t => t.Entry.Link).OrderBy(g => g.Key).Take(count)
            .Select(g => new DoneByRun(
                g.Key, "", this.links.ContainsKey(g.Key) ? this.Load(g.Key) : null,
                this.memories.Where(m => m.Key.Link == g.Key && m.Key.Run <= run).OrderByDescending(m => m.Key.Run).Select(m => m.Value).FirstOrDefault(),
                [.. g.Select(t => new WrittenByRun(
                    t.Entry.Kind switch { JournalKind.Created => WriteKind.Create, JournalKind.Removed => WriteKind.Remove, _ => WriteKind.Change }, t.Entry.Side!.Value, t.Entry.Field,
                    t.Entry.Field is null ? Value.Empty : StoredForms.ReadRawValue(t.Entry.Before?.ToJsonString()), t.Entry.Field is null ? Value.Empty : StoredForms.ReadRawValue(t.Entry.After?.ToJsonString()),
                    t.Entry.Kind == JournalKind.Created ? this.created.GetValueOrDefault((g.Key, t.Entry.Side!.Value)) : null))]))]);
    }

    public Task SaveUndone(long run, IReadOnlyList<RunUndone> records, bool whole, string who, CancellationToken cancellation) => this.Save(() =>
    {
        foreach (var record in records)
        {
            this.links.TryAdd(record.Link, new Linked { Title = record.Title });
            var link = this.links[record.Link];
            if (record.Agreed is null)
            {
                link.Agreed.Clear();
            }

            foreach (var (field, value) in record.Agreed ?? ImmutableDictionary<string, AgreedValue?>.Empty)
            {
                link.Agreed.Remove(field);
                if (value is not null)
                {
                    link.Agreed[field] = value;
                }
            }

            foreach (var missing in record.Missing)
            {
                this.rows.TryAdd((missing.Side, missing.Id), new Row { Known = new KnownRecord(missing.Side, missing.Id, null, missing.Shadow, missing.Told, missing.Owed, missing.Unmet, null, null, null), Link = record.Link });
            }

            foreach (var side in record.Sides)
            {
                var row = this.rows[(side.Side, side.Id)];
                row.Known = row.Known with { Shadow = side.Shadow, Told = side.Told, Owed = side.Owed, Unmet = side.Unmet };
            }

            foreach (var old in this.deliveries.Values.Where(d => d.State is "planned" or "refused" && d.Delivery.Link == record.Link).ToList())
            {
                this.deliveries[old.Delivery.Id] = old with { State = "superseded" };
            }

            foreach (var forgotten in this.memories.Keys.Where(m => m.Link == record.Link && m.Run >= run).ToList())
            {
                this.memories.Remove(forgotten);
            }

            foreach (var delivery in record.PutBack)
            {
                this.deliveries[++this.lastId] = (delivery with { Id = this.lastId, IsAside = true }, "planned");
                this.asides.Add(this.lastId);
            }

            this.holds.RemoveAll(h => h.Link == record.Link);
            this.SetAside.Add(record.Link);
            this.Tell(record.Journal, false);
        }
    });

    /// <summary>A person lets everything go on that an undo set aside.</summary>
    public void LetGoOn()
    {
        foreach (var link in this.SetAside.Where(this.links.ContainsKey))
        {
            this.links[link].Waiting = true;
        }

        this.SetAside.Clear();
    }

    public IEnumerable<ConflictToDecide> OpenConflicts => this.conflicts.Where(c => c.IsOpen).Select(c => new ConflictToDecide(c.Id, c.Link, c.Fields, c.Values, c.Revision));

    public IEnumerable<LinkedRecord> AllLinked => this.links.Keys.Select(this.Load);

    public bool HasPlanned => this.deliveries.Values.Any(d => d.State is "planned" or "sent");

    public Planted Planted { get; set; }

    public Task<Watermark?> ReadWatermark(int side, CancellationToken cancellation) => Task.FromResult(
        this.marks.GetValueOrDefault(side) is not { } mark ? null : this.Planted == Planted.SkipsTheOverlap ? new Watermark(mark.Time.AddSeconds(30), mark.ReadAt.AddSeconds(30)) : mark);

    public Task SaveWatermark(int side, Watermark mark, CancellationToken cancellation) => this.Save(() => this.marks[side] = mark);

    public async Task<int> SaveObserved(int side, IReadOnlyList<ObservedRecord> records, CancellationToken cancellation)
    {
        var different = 0;
        await this.Save(() =>
        {
            foreach (var record in records)
            {
                different += this.Observe(side, record) ? 1 : 0;
            }
        });
        return different;
    }

    public async Task<int> SaveRemoved(int side, IReadOnlyCollection<string> ids, CancellationToken cancellation)
    {
        var gone = ids.Where(id => this.rows.TryGetValue((side, id), out var row) && row.Known.Raw is not null).ToList();
        await this.Save(() =>
        {
            foreach (var row in gone.Select(id => this.rows[(side, id)]))
            {
                row.Known = row.Known with { Raw = null };
                row.Waiting = true;
            }
        });
        return gone.Count;
    }

    public Task<IReadOnlyCollection<string>> ReadIds(int side, CancellationToken cancellation) =>
        Task.FromResult<IReadOnlyCollection<string>>([.. this.rows.Where(r => r.Key.Side == side).Select(r => r.Key.Id)]);

    public Task<IReadOnlyCollection<string>> ReadThere(int side, IReadOnlyCollection<string> ids, CancellationToken cancellation) =>
        Task.FromResult<IReadOnlyCollection<string>>([.. ids.Where(id => this.rows.TryGetValue((side, id), out var row) && row.Known.Raw is not null)]);

    private readonly Dictionary<int, DateTimeOffset> swept = [];

    public Task<DateTimeOffset?> ReadSwept(int side, CancellationToken cancellation) => Task.FromResult<DateTimeOffset?>(this.swept.TryGetValue(side, out var at) ? at : null);

    public Task SaveSwept(int side, DateTimeOffset at, CancellationToken cancellation) => this.Save(() => this.swept[side] = at);

    public Task<IReadOnlyList<KnownRecord>> ReadUnlinked((int Side, string Id) after, int count, CancellationToken cancellation) => Task.FromResult<IReadOnlyList<KnownRecord>>(
        [.. this.rows.Where(r => r.Value.Link is null && r.Value.Waiting && r.Value.Known.Raw is not null && (r.Key.Side > after.Side || (r.Key.Side == after.Side && string.CompareOrdinal(r.Key.Id, after.Id) > 0))).Take(count).Select(r => r.Value.Known)]);

    public Task SaveKeys(IReadOnlyList<MatchCandidate> records, CancellationToken cancellation) => this.Save(() =>
    {
        foreach (var record in records)
        {
            this.rows[(record.Side, record.Id)].Keys = record.Keys;
        }
    });

    public Task<IReadOnlyList<MatchCandidate>> FindByKeys(IReadOnlyCollection<MatchKey> keys, CancellationToken cancellation) => Task.FromResult<IReadOnlyList<MatchCandidate>>(
        [.. this.rows.Where(r => r.Value.Keys.Any(keys.Contains)).Select(r => new MatchCandidate(r.Key.Side, r.Key.Id, r.Value.Link, r.Value.Keys, [.. this.rows.Where(m => r.Value.Link is not null && m.Value.Link == r.Value.Link).Select(m => m.Key.Side)]))]);

    public Task SaveLinks(IReadOnlyList<LinkedAs> newLinks, CancellationToken cancellation) => this.Save(() =>
    {
        foreach (var link in newLinks)
        {
            this.links.TryAdd(link.Link, new Linked { Title = link.Title });
            this.links[link.Link].Waiting = true;
            this.rows[(link.Side, link.Id)].Link = link.Link;
            this.Tell([new JournalEntry(link.Link, JournalKind.Linked, link.Side, null, null, null, link.Why, null)]);
            this.holds.RemoveAll(h => h.Link is null && (h.Side, h.RecordId) == (link.Side, link.Id));
        }
    });

    public Task SaveHolds(IReadOnlyList<Hold> newHolds, CancellationToken cancellation) => this.Save(() =>
    {
        foreach (var hold in newHolds)
        {
            this.holds.RemoveAll(h => h.Link is null && (h.Side, h.RecordId) == (hold.Side, hold.RecordId));
            this.holds.Add(hold);
            this.rows[(hold.Side, hold.RecordId)].Waiting = false;
        }
    });

    public Task SaveOutOfScope(IReadOnlyList<RecordPlace> records, CancellationToken cancellation) => this.Save(() =>
    {
        foreach (var place in records)
        {
            this.holds.RemoveAll(h => h.Link is null && (h.Side, h.RecordId) == (place.Side, place.Id));
            (this.rows[(place.Side, place.Id)].Waiting, this.rows[(place.Side, place.Id)].Keys) = (false, []);
        }
    });

    public Task<IReadOnlyList<LinkedRecord>> ReadWaiting(Guid after, int count, CancellationToken cancellation)
    {
        var waiting = this.rows.Values.Where(r => r.Waiting && r.Link is not null).Select(r => r.Link!.Value).ToHashSet();
        return Task.FromResult<IReadOnlyList<LinkedRecord>>([.. this.links.Where(l => l.Key.CompareTo(after) > 0 && !this.SetAside.Contains(l.Key) && (l.Value.Waiting || waiting.Contains(l.Key))).Take(count).Select(l => this.Load(l.Key))]);
    }

    public Task SaveReconciled(IReadOnlyList<Reconciled> records, CancellationToken cancellation) => this.Save(() =>
    {
        foreach (var record in records)
        {
            this.Keep(record);
        }
    });

    public Task<IReadOnlyList<Delivery>> ReadPlanned(long after, int count, bool aside, CancellationToken cancellation) => Task.FromResult<IReadOnlyList<Delivery>>(
        [.. this.deliveries.Values.Where(d => d.State == "planned" && d.Delivery.Id > after && (!aside || this.asides.Contains(d.Delivery.Id))).OrderBy(d => d.Delivery.Id).Take(count).Select(d => d.Delivery)]);

    public Task<int> PickForRehearsal(int most, string? find, CancellationToken cancellation) => throw new NotSupportedException("Rehearsals are not kept in memory.");

    public Task<int> KeepOnlyAsRehearsed(long rehearsal, CancellationToken cancellation) => throw new NotSupportedException("Rehearsals are not kept in memory.");

    /// <summary>Whether the mirror is past its first load: guards count only then.</summary>
    public bool IsPastFirstLoad { get; set; }

    public Task<int> CountRecords(int side, CancellationToken cancellation) => Task.FromResult(this.rows.Values.Count(r => r.Known.Side == side));

    public Task<bool> HasFinishedBefore(CancellationToken cancellation) => Task.FromResult(this.IsPastFirstLoad);

    public Task<IReadOnlyList<AboutToDo>> CountPlanned(CancellationToken cancellation)
    {
        var planned = this.deliveries.Values.Where(d => d.State == "planned" && !this.asides.Contains(d.Delivery.Id)).Select(d => d.Delivery).ToList();
        bool IsGone(Row r) => r is { Link: { } link, Known: { Raw: null, Shadow: not null } } && (this.links[link].Waiting || r.Waiting);
        return Task.FromResult<IReadOnlyList<AboutToDo>>([.. planned.Select(d => d.Side).Concat(this.rows.Values.Where(IsGone).Select(r => r.Known.Side)).Distinct().Order().Select(side => new AboutToDo(
            side, 0,
            planned.Count(d => d.Side == side && d.Kind == WriteKind.Create), planned.Count(d => d.Side == side && d.Kind == WriteKind.Change), planned.Count(d => d.Side == side && d.Kind == WriteKind.Remove),
            planned.Where(d => d.Side == side && d.Kind == WriteKind.Change).Sum(d => d.Fields.Count(f => f.Raw.IsEmpty && !f.Before.IsEmpty)), this.rows.Values.Count(r => r.Known.Side == side && IsGone(r))))]);
    }

    public Task<IReadOnlyList<Delivery>> ReadUnanswered(CancellationToken cancellation)
    {
        if (this.Planted == Planted.CreatesBlindly)
        {
            foreach (var (delivery, _) in this.deliveries.Values.Where(d => d.State == "sent" && d.Delivery.Kind == WriteKind.Create).ToList())
            {
                this.deliveries[delivery.Id] = (delivery, "planned");
            }
        }

        return Task.FromResult<IReadOnlyList<Delivery>>([.. this.Unanswered]);
    }

    private IEnumerable<Delivery> Unanswered => this.deliveries.Values.Where(d => d.State == "sent").OrderBy(d => d.Delivery.Id).Select(d => d.Delivery);

    public Task MarkSent(IReadOnlyCollection<long> ids, CancellationToken cancellation) => this.Save(() =>
    {
        foreach (var id in ids)
        {
            this.deliveries[id] = this.deliveries[id] with { State = "sent" };
        }
    });

    public Task SaveAnswers(IReadOnlyCollection<(Delivery Delivery, DeliveryEnd End)> answers, CancellationToken cancellation) => answers.Count == 0 ? Task.CompletedTask : this.Save(() =>
    {
        foreach (var (delivery, end) in answers)
        {
            this.Keep(delivery, end);
        }
    });

    private void Keep(Delivery delivery, DeliveryEnd end)
    {
        var state = end switch { DeliveryEnd.Confirmed => "confirmed", DeliveryEnd.Overtaken => "superseded", DeliveryEnd.Refused => "refused", DeliveryEnd.Postponed => "planned", _ => "sent" };
        this.deliveries[delivery.Id] = (delivery, state);
        switch (end)
        {
            case DeliveryEnd.Confirmed { Stored: { } stored, After: { } after } confirmed:
                var row = this.rows.TryGetValue((delivery.Side, stored.Id), out var known) ? known : new Row { Known = Unknown(delivery.Side, stored) };
                row.Link = delivery.Link;
                if (delivery.Kind == WriteKind.Create)
                {
                    this.created[(delivery.Link, delivery.Side)] = stored.Fields;
                }

                row.Known = Apply(row.Known with { Raw = stored.Fields, VersionTag = stored.VersionTag, ChangedAt = stored.ChangedAt }, this.Planted == Planted.ForgetsTheShadow && row.Known.Shadow is not null ? after with { Shadow = null } : after);
                row.Waiting |= confirmed.Waiting;
                this.rows[(delivery.Side, stored.Id)] = row;
                this.Tell(confirmed.Journal);
                break;
            case DeliveryEnd.Confirmed removed:
                this.rows.Remove((delivery.Side, delivery.RecordId!));
                this.Tell(removed.Journal);
                break;
            case DeliveryEnd.Overtaken overtaken:
                this.links[delivery.Link].Waiting = true;
                this.Tell(overtaken.Journal);
                break;
            case DeliveryEnd.Refused refused:
                this.holds.Add(refused.Hold);
                this.Tell([refused.Journal]);
                break;
        }
    }

    public Task<KnownRecord?> ReadKnown(int side, string id, CancellationToken cancellation) => Task.FromResult(this.rows.TryGetValue((side, id), out var row) ? row.Known : null);

    public Task SaveProgress(RunStage stage, RunCounts counts, CancellationToken cancellation) => Task.CompletedTask;

    public List<RunLine> Lines { get; } = [];

    public RunSpent Spent { get; private set; } = RunSpent.Nothing;

    public Task SaveLog(IReadOnlyList<RunLine> lines, RunSpent spent, CancellationToken cancellation)
    {
        this.Lines.AddRange(lines);
        this.Spent = spent;
        return Task.CompletedTask;
    }

    public Task<ConflictToDecide?> ReadOpenConflict(long conflict, CancellationToken cancellation) => Task.FromResult(this.OpenConflicts.FirstOrDefault(c => c.Id == conflict));

    public Task<LinkedRecord?> ReadLinked(Guid link, CancellationToken cancellation) => Task.FromResult<LinkedRecord?>(this.Load(link));

    public Task<bool> SaveDecided(Decided decided, CancellationToken cancellation)
    {
        var conflict = this.conflicts.FirstOrDefault(c => c.IsOpen && c.Id == decided.Conflict && c.Revision == decided.Revision);
        if (conflict is null)
        {
            return Task.FromResult(false);
        }

        (conflict.IsOpen, conflict.Decided, conflict.JournalAtDecision) = (false, decided, this.Journal.Count);
        var link = this.links[decided.Link];
        link.Waiting = true;
        foreach (var (name, value) in decided.Agreed)
        {
            link.Agreed[name] = value;
        }

        foreach (var (side, removal) in decided.RemovalDecisions)
        {
            link.RemovalDecisions[side] = removal;
        }

        foreach (var side in decided.Sides)
        {
            this.rows[(side.Side, side.Id)].Known = Apply(this.rows[(side.Side, side.Id)].Known, side);
        }

        this.Tell(decided.Journal, false);
        return Task.FromResult(true);
    }

    /// <summary>Conflicts that a person decided and that can be undone.</summary>
    public IEnumerable<long> DecidedConflicts => this.conflicts.Where(c => c is { IsOpen: false, Decided.Chosen: not null }).Select(c => c.Id);

    public Task<DecidedConflict?> ReadDecided(long conflict, CancellationToken cancellation) => Task.FromResult(
        this.conflicts.Where(c => c.Id == conflict && c is { IsOpen: false, Decided.Chosen: not null } && this.links.ContainsKey(c.Link))
            .Select(c => new DecidedConflict(c.Id, c.Link, c.Fields, c.Values, c.Decided!.Before, c.Decided.Memory, c.Decided.Who, c.Decided.What)).SingleOrDefault());

    public Task<IReadOnlyDictionary<(int Side, string Field), Value>> ReadWrittenSince(long conflict, CancellationToken cancellation)
    {
        var decided = this.conflicts.Single(c => c.Id == conflict);
        var written = new Dictionary<(int, string), Value>();
        foreach (var entry in this.Journal.Skip(decided.JournalAtDecision).Where(j => j.Kind == JournalKind.Written && j.Link == decided.Link && decided.Fields.Contains(j.Field!)))
        {
            written[(entry.Side!.Value, entry.Field!)] = StoredForms.ReadRawValue(entry.After?.ToJsonString());
        }

        return Task.FromResult<IReadOnlyDictionary<(int, string), Value>>(written);
    }

    public Task<bool> SaveUndone(Undone undone, CancellationToken cancellation)
    {
        var conflict = this.conflicts.Single(c => c.Id == undone.Conflict);
        if (conflict.IsOpen || this.conflicts.Any(c => c.IsOpen && c.Link == conflict.Link && c.Fields.Intersect(conflict.Fields).Any()))
        {
            return Task.FromResult(false);
        }

        (conflict.IsOpen, conflict.Decided) = (true, null);
        conflict.Revision++;
        this.links[undone.Link].Waiting = true;
        foreach (var (field, value) in undone.Agreed)
        {
            this.links[undone.Link].Agreed.Remove(field);
            if (value is not null)
            {
                this.links[undone.Link].Agreed[field] = value;
            }
        }

        foreach (var old in this.deliveries.Values.Where(d => d.State is "planned" or "refused" && d.Delivery.Link == undone.Link).ToList())
        {
            this.deliveries[old.Delivery.Id] = old with { State = "superseded" };
        }

        foreach (var side in undone.Sides)
        {
            this.rows[(side.Side, side.Id)].Known = Apply(this.rows[(side.Side, side.Id)].Known, side);
        }

        foreach (var delivery in undone.PutBack)
        {
            this.deliveries[++this.lastId] = (delivery with { Id = this.lastId, IsAside = true }, "planned");
            this.asides.Add(this.lastId);
        }

        this.Tell(undone.Journal, false);
        return Task.FromResult(true);
    }

    public Task<IReadOnlyList<(long Id, string Title, PastConflict Conflict, string Who, DateTimeOffset At)>> ReadPast(ImmutableArray<string> fields, int most, CancellationToken cancellation) =>
        Task.FromResult<IReadOnlyList<(long, string, PastConflict, string, DateTimeOffset)>>([]);

    private bool Observe(int side, ObservedRecord record)
    {
        var isNew = !this.rows.TryGetValue((side, record.Id), out var row);
        row ??= new Row { Known = Unknown(side, record) };
        var different = isNew || row.Known.Raw is null || !row.Known.Raw.SameAs(record.Fields);
        row.Known = row.Known with { Raw = record.Fields, VersionTag = record.VersionTag, ChangedAt = record.ChangedAt, ChangedBy = record.ChangedBy };
        row.Waiting |= different;
        this.rows[(side, record.Id)] = row;
        if (different)
        {
            this.holds.RemoveAll(h => h.Side == side && h.RecordId == record.Id);
        }

        return different;
    }

    private void Keep(Reconciled record)
    {
        if (record.Memory is { } memory)
        {
            this.memories[(record.Link, memory.Run)] = this.memories.TryGetValue((record.Link, memory.Run), out var first)
                ? first with { Agreed = first.Agreed.Concat(memory.Agreed.Where(a => !first.Agreed.ContainsKey(a.Key))).ToDictionary() }
                : memory;
        }

        var link = this.links[record.Link];
        link.Title = record.Title;
        (link.Waiting, link.IsFollowed) = (false, record.IsFollowed);
        foreach (var (name, value) in record.Agreed)
        {
            link.Agreed[name] = value;
        }

        foreach (var row in this.rows.Values.Where(r => r.Link == record.Link))
        {
            row.Waiting = false;
        }

        foreach (var side in record.Sides)
        {
            if (side.Forgotten)
            {
                this.rows.Remove((side.Side, side.Id));
                link.RemovalDecisions.Remove(side.Side);
                continue;
            }

            this.rows[(side.Side, side.Id)].Known = Apply(this.rows[(side.Side, side.Id)].Known, side);
        }

        foreach (var open in record.Conflicts)
        {
            var known = this.conflicts.FirstOrDefault(c => c.IsOpen && c.Link == record.Link && c.Fields.SequenceEqual(open.Fields));
            if (known is null)
            {
                this.conflicts.Add(new Open { Id = ++this.lastId, Link = record.Link, Fields = open.Fields, Values = open.Values });
            }
            else
            {
                known.Values = open.Values;
                known.Revision++;
            }
        }

        foreach (var closed in this.conflicts.Where(c => record.ClosedConflicts.Contains(c.Id)))
        {
            closed.IsOpen = false;
        }

        this.holds.RemoveAll(h => h.Link == record.Link);
        this.holds.AddRange(record.Holds);
        foreach (var old in this.deliveries.Values.Where(d => d.State == "planned" && d.Delivery.Link == record.Link && !this.asides.Contains(d.Delivery.Id)).ToList())
        {
            this.deliveries[old.Delivery.Id] = old with { State = "superseded" };
        }

        foreach (var delivery in record.Deliveries)
        {
            this.deliveries[++this.lastId] = (delivery with { Id = this.lastId }, "planned");
        }

        this.Tell(record.Journal);
        if (record.GoneEverywhere)
        {
            this.links.Remove(record.Link);
        }
    }

    private Task Save(Action change)
    {
        if (this.SavesUntilEnd == 0)
        {
            throw new ProcessEnded();
        }

        this.SavesUntilEnd--;
        change();
        return Task.CompletedTask;
    }

    private LinkedRecord Load(Guid link) => new(
        link,
        this.links[link].Title,
        this.links[link].Agreed.ToDictionary(),
        [.. this.rows.Values.Where(r => r.Link == link).Select(r => r.Known with { IsWaiting = r.Waiting })],
        [.. this.conflicts.Where(c => c.IsOpen && c.Link == link).Select(c => new KnownConflict(c.Id, c.Fields, [.. c.Values.Keys]))],
        this.links[link].RemovalDecisions.ToDictionary())
    { IsFollowed = this.links[link].IsFollowed };

    private static KnownRecord Apply(KnownRecord known, SideAfter after) =>
        known with { Shadow = after.Shadow ?? known.Shadow, Told = after.Told, Owed = after.Owed, Unmet = after.Unmet };

    private static KnownRecord Unknown(int side, ObservedRecord record) => new(
        side, record.Id, null, null, ImmutableDictionary<string, string>.Empty, ImmutableHashSet<string>.Empty, ImmutableHashSet<string>.Empty, record.VersionTag, record.ChangedAt, record.ChangedBy);
}
