using System.Collections.Immutable;
using System.Text.Json.Nodes;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>Brings each waiting record to the pure core and keeps what it decides: agreed values, conflicts, and the deliveries that follow.</summary>
public sealed class Reconciling(MirrorContext context)
{
    private const int BatchSize = 200;

    private readonly Translating translating = new(context);

    public async Task Reconcile(CancellationToken cancellation)
    {
        var after = Guid.Empty;
        while (await context.Store.ReadWaiting(after, BatchSize, cancellation) is { Count: > 0 } batch)
        {
            after = batch[^1].Link;
            var linked = await context.LinkedTo([.. batch.Select(r => r.Link)], cancellation);
            var flags = await context.FlagsOf([.. batch.Select(r => r.Link)], cancellation);
            var decided = await context.Fetching.UntilKnown(() => batch.Select(r => this.Decide(r, linked.GetValueOrDefault(r.Link), flags.GetValueOrDefault(r.Link))).ToList(), cancellation);
            await context.Store.SaveReconciled(decided, cancellation);
            foreach (var record in decided)
            {
                context.Tally.Became(record.Link, record.Outcome);
                context.Tally.Planned(record.Deliveries.Length);
            }

            await context.Progress(RunStage.Reconciling, cancellation);
            context.Troubled(decided.SelectMany(d => d.Holds));
        }
    }

    /// <summary>What one record leads to. Nothing is kept.</summary>
    /// <param name="linked">What records of other mirrors that point at it hold; null where the mirror looks at none.</param>
    /// <param name="flags">The follow-up checks that flag it; null for none.</param>
    public Reconciled Decide(LinkedRecord record, ImmutableDictionary<LinkedField, ImmutableArray<Value>>? linked = null, ImmutableHashSet<string>? flags = null)
    {
        if (record.Members.GroupBy(m => m.Side).FirstOrDefault(g => g.Count() > 1) is { } twice)
        {
            return this.Twice(record, [.. twice]);
        }

        var members = record.Members.ToDictionary(m => m.Side);
        if (this.OutOfScope(record, members) is { } outside)
        {
            return outside;
        }

        var now = new Translation?[context.SideCount];
        var holds = ImmutableArray.CreateBuilder<Hold>();
        foreach (var (side, member) in members)
        {
            if (member.Raw is not { } raw)
            {
                continue;
            }

            now[side] = context.Translators[side].ToAgreed(raw);
            if (!now[side]!.IsClear)
            {
                holds.Add(this.translating.HoldOf(member, record.Link, now[side]!) with { Title = record.Title });
            }
        }

        if (holds.Count > 0)
        {
            // Nothing is decided with half of the record unreadable; what was agreed and known stays as it was.
            return new Reconciled(record.Link, record.Title, RecordOutcome.Held,
                ImmutableDictionary<string, AgreedValue>.Empty, [], [], [], [], holds.ToImmutable(), [.. holds.Select(h => Journal(record, JournalKind.Held, h.Side, h.Field, null, null, h.Reason))]);
        }

        var state = new RecordState(this.AgreedOf(record), [.. Enumerable.Range(0, context.SideCount).Select(s => this.SideOf(s, record, members.GetValueOrDefault(s), now[s]))])
        {
            Around = context.Rules.WorkedOut.IsEmpty ? Surroundings.None : new Surroundings([.. Enumerable.Range(0, context.SideCount).Select(s => members.GetValueOrDefault(s) is { Raw: not null } known ? known.Id : null)], linked ?? Surroundings.None.Linked) { Flags = flags ?? Flags.None, Fetched = context.Fetching.Known },
            Open = [.. record.OpenConflicts.Select(c => new OpenConflict([.. c.Fields.Where(context.FieldIndex.ContainsKey).Select(f => context.FieldIndex[f])], c.Sides))],
        };
        var outcome = this.WithoutWhatIsHeld(Reconciler.Reconcile(context.Rules, state), members);
        return this.Kept(record, members, state, outcome);
    }

    /// <summary>What becomes of a record that the scope of a side does not cover, or of which that can't be told; null for one that is followed.</summary>
    private Reconciled? OutOfScope(LinkedRecord record, Dictionary<int, KnownRecord> members)
    {
        if (context.Mirror.Sides.All(s => s.Scope is null))
        {
            return null;
        }

        var sides = new SideState[context.SideCount];
        foreach (var side in Enumerable.Range(0, context.SideCount))
        {
            if (members.GetValueOrDefault(side)?.Raw is not { } raw)
            {
                sides[side] = new SideState(null, null);
                continue;
            }

            if (context.Translators[side].Covers(raw, out var unclear) is not { } covers)
            {
                var reason = $"{context.Systems[side].Name}, {context.Mirror.RecordType} {members[side].Id}: {unclear}.";
                return new Reconciled(record.Link, record.Title, RecordOutcome.Held, ImmutableDictionary<string, AgreedValue>.Empty, [], [], [], [],
                    [new Hold(record.Link, side, members[side].Id, record.Title, null, reason, null)], [Journal(record, JournalKind.Held, side, null, null, null, reason)])
                { IsFollowed = record.IsFollowed };
            }

            sides[side] = new SideState([], null) { IsOutOfScope = !covers };
        }

        if (!sides.Any(s => s.IsOutOfScope))
        {
            return null;
        }

        var outcome = Reconciler.Reconcile(context.Rules, new RecordState(null, sides));
        var left = outcome.NotFollowed!.Value;
        var deliveries = outcome.Writes.Select(w => members[w.Side])
            .Select(m => new Delivery(0, record.Link, record.Title, m.Side, WriteKind.Remove, m.Id, record.Link.ToString("N"), [], m.VersionTag)).ToImmutableArray();
        return new Reconciled(record.Link, record.Title, RecordOutcome.OutOfScope, ImmutableDictionary<string, AgreedValue>.Empty, [], [], [], deliveries, [],
            record.IsFollowed ? [Journal(record, JournalKind.LeftScope, left, null, null, null, $"not in the scope of {context.Systems[left].Name} any more: {context.Mirror.Sides[left].Scope}")] : [])
        { IsFollowed = false, Memory = deliveries.IsEmpty ? null : this.MemoryOf(record, context.Clock.GetUtcNow(), [], true) };
    }

    /// <summary>Two records of one side in one link: a person must say which is meant. The others go on.</summary>
    private Reconciled Twice(LinkedRecord record, ImmutableArray<KnownRecord> records)
    {
        var reason = $"{context.Systems[records[0].Side].Name} has {records.Length} records for this one {context.Mirror.RecordType}: {string.Join(", ", records.Select(r => r.Id))}. Nothing is sent before one of them is removed there.";
        return new Reconciled(record.Link, record.Title, RecordOutcome.Held,
            ImmutableDictionary<string, AgreedValue>.Empty, [], [], [], [], [new Hold(record.Link, records[0].Side, records[0].Id, record.Title, null, reason, null)], [Journal(record, JournalKind.Held, records[0].Side, null, null, null, reason)]);
    }

    /// <summary>
    /// A conversion that loses something makes one form of several agreed values: a side that holds the form already is not written
    /// again (law L1).
    /// </summary>
    private Outcome WithoutWhatIsHeld(Outcome outcome, Dictionary<int, KnownRecord> members)
    {
        if (!outcome.Writes.Any(w => w.Kind == WriteKind.Change && w.Fields.Any(f => this.HoldsForm(w.Side, f.Field, f.Value, members))))
        {
            return outcome;
        }

        return outcome with
        {
            Writes = [.. outcome.Writes
                .Select(w => w.Kind != WriteKind.Change ? w : w with { Fields = [.. w.Fields.Where(f => !this.HoldsForm(w.Side, f.Field, f.Value, members))] })
                .Where(w => w.Kind != WriteKind.Change || !w.Fields.IsEmpty)],
        };
    }

    private bool HoldsForm(int side, int field, Value agreed, Dictionary<int, KnownRecord> members) =>
        context.Mirror.Fields[field].Cells[side] is { } cell && members.GetValueOrDefault(side)?.Raw is { } raw
        && context.Translators[side].ToSide(field, agreed, out var problem, raw[cell.Path]) is var form && problem is null && form.Equals(raw[cell.Path]);

    private AgreedField?[]? AgreedOf(LinkedRecord record) => record.Agreed.Count == 0
        ? null
        : [.. context.Mirror.Fields.Select(f => record.Agreed.TryGetValue(f.Name, out var a) ? new AgreedField(a.Value, a.Side, a.ChangedAt) : null)];

    private SideState SideOf(int side, LinkedRecord record, KnownRecord? member, Translation? now)
    {
        if (member is null || (member.Raw is null && member.Shadow is null))
        {
            return new SideState(null, null);
        }

        var decision = record.RemovalDecisions.TryGetValue(side, out var answer) ? answer : (Removal?)null;
        var silent = now is null ? [] : this.SilentFields(side, record);
        if (member.Shadow is not { } shadow)
        {
            return new SideState(now!.Values, silent.Count == 0 ? null : [.. now.Values.Select((v, f) => silent.Contains(f) ? v : null)], ChangedAt: member.ChangedAt) { RemovalDecision = decision };
        }

        now = now is null ? null : this.WithoutDefaults(now, member, shadow);
        var known = new Value?[context.Mirror.Fields.Length];
        var before = context.Translators[side].ToAgreed(shadow);
        foreach (var (field, cell) in context.Translators[side].Cells)
        {
            // Raw that has not changed is no change, whatever a conversion makes of it.
            known[field] = silent.Contains(field) ? now!.Values[field]
                : member.Unmet.Contains(context.Mirror.Fields[field].Name) || before.Problems.Any(p => p.Field == field) ? null
                : now is not null && cell.Reads.All(path => member.Raw![path].Equals(shadow[path])) ? now.Values[field]
                : before.Values[field];
        }

        var told = context.Mirror.Fields.Select(f => member.Told.TryGetValue(f.Name, out var text) ? ReadTold(text, f.Type) : null).ToArray();
        var owed = context.Mirror.Fields.Select(f => member.Owed.Contains(f.Name)).ToArray();
        return new SideState(now?.Values, known, told, owed.Contains(true) ? owed : null, member.ChangedAt) { RemovalDecision = decision };
    }

    /// <summary>Fields that the side gives only while nothing is agreed, of units of which something is: what it says of them counts as known.</summary>
    private HashSet<int> SilentFields(int side, LinkedRecord record)
    {
        var silent = new HashSet<int>();
        foreach (var (field, cell) in context.Translators[side].Cells)
        {
            if (cell.OnlyAtFirst && this.UnitOf(field).Any(name => record.Agreed.TryGetValue(name, out var agreed) && !agreed.Value.IsEmpty))
            {
                silent.Add(field);
            }
        }

        return silent;
    }

    private IEnumerable<string> UnitOf(int field) => context.Mirror.Fields[field].Group is { } group
        ? context.Mirror.Fields.Where(f => f.Group == group).Select(f => f.Name)
        : [this.NameOf(field)];

    /// <summary>What stands for an empty value says nothing: a side that holds a default as it was told it, or was owed it, says that it is empty.</summary>
    private Translation WithoutDefaults(Translation now, KnownRecord member, RawFields shadow)
    {
        var standing = context.Translators[member.Side].Cells
            .Where(c => c.Cell.Default is { } instead && ((member.Told.TryGetValue(this.NameOf(c.Field), out var told) && told == "null" && member.Raw![c.Cell.Path].Equals(shadow[c.Cell.Path]))
                || (member.Owed.Contains(this.NameOf(c.Field)) && member.Raw![c.Cell.Path].Equals(context.Translators[member.Side].RawOf(c.Cell.Path, instead)))))
            .Select(c => c.Field).ToHashSet();
        return standing.Count == 0 ? now : now with { Values = [.. now.Values.Select((v, f) => standing.Contains(f) ? Value.Empty : v)] };
    }

    private static Value? ReadTold(string json, FieldType type)
    {
        using var document = System.Text.Json.JsonDocument.Parse(json);
        return ValueJson.TryRead(document.RootElement, type, out var value, out _) ? value : null;
    }

    private Reconciled Kept(LinkedRecord record, Dictionary<int, KnownRecord> members, RecordState state, Outcome outcome)
    {
        var at = context.Clock.GetUtcNow();
        var firstMeeting = record.Agreed.Count == 0;
        var agreed = outcome.Changes.ToDictionary(
            c => this.NameOf(c.Field),
            c => new AgreedValue(c.After.Value, c.After.Side, c.After.ChangedAt, c.After.Side >= 0 ? members.GetValueOrDefault(c.After.Side)?.ChangedBy : null, at, context.RunId, c.Why));
        var conflicts = outcome.Conflicts
            .Select(c => new ConflictToOpen([.. c.Fields.Select(this.NameOf)], c.Values, c.Why)
            {
                ChangedAt = c.Values.Keys.Where(s => s >= 0 && state.Sides[s].ChangedAt is not null).ToDictionary(s => s, s => state.Sides[s].ChangedAt!.Value),
            })
            .ToImmutableArray();
        var closed = record.OpenConflicts
            .Where(open => !outcome.GoneEverywhere && !conflicts.Any(c => c.Fields.SequenceEqual(open.Fields)))
            .Select(c => c.Id)
            .ToImmutableArray();

        var holds = ImmutableArray.CreateBuilder<Hold>();
        var deliveries = ImmutableArray.CreateBuilder<Delivery>();
        foreach (var write in outcome.Writes.Where(w => !context.Unanswered.Contains((record.Link, w.Side))))
        {
            this.Plan(record, write, members.GetValueOrDefault(write.Side), holds, deliveries);
        }

        foreach (var drift in outcome.HeldDrifts)
        {
            holds.Add(new Hold(record.Link, drift.Side, members[drift.Side].Id, record.Title, this.NameOf(drift.Field),
                $"{context.Systems[drift.Side].Name}, {context.Mirror.RecordType} {members[drift.Side].Id}: {this.NameOf(drift.Field)} was changed there from {ValueJson.Quoted(drift.Was.Display)} to {ValueJson.Quoted(drift.Now.Display)}, and that side only takes it.", null));
        }

        foreach (var field in outcome.NotWorkedOut)
        {
            holds.Add(new Hold(record.Link, members.Keys.Min(), members[members.Keys.Min()].Id, record.Title, this.NameOf(field.Field), $"{this.NameOf(field.Field)} of {context.Mirror.RecordType} {ValueJson.Quoted(record.Title)}: {field.Why}. Nothing is written to it before that is put right.", null));
        }

        var journal = ImmutableArray.CreateBuilder<JournalEntry>();
        if (!record.IsFollowed)
        {
            journal.Add(Journal(record, JournalKind.CameBack, null, null, null, null, "in the scope again"));
        }

        if (firstMeeting && outcome.Changes.Length > 0)
        {
            var values = new JsonObject(outcome.Changes.Where(c => !c.After.Value.IsEmpty).Select(c => KeyValuePair.Create(this.NameOf(c.Field), ValueJson.Write(c.After.Value))));
            journal.Add(Journal(record, JournalKind.Met, null, null, null, values, members.Count > 1 ? "the sides met for the first time" : $"first seen in {context.Systems[members.Keys.Single()].Name}"));
        }
        else
        {
            // That every side is empty, as before, is no story.
            journal.AddRange(outcome.Changes.Where(c => !c.Before.IsEmpty || !c.After.Value.IsEmpty).Select(c => Journal(record, JournalKind.Agreed, c.After.Side >= 0 ? c.After.Side : null, this.NameOf(c.Field), ValueJson.Write(c.Before), ValueJson.Write(c.After.Value), c.Why) with
            {
                Who = agreed[this.NameOf(c.Field)].Who,
                ChangedAt = c.After.ChangedAt,
            }));
        }

        journal.AddRange(outcome.Superseded.Select(lost => Journal(record, JournalKind.Superseded, lost.Side, this.NameOf(lost.Field), ValueJson.Write(lost.Said), ValueJson.Write(lost.By), lost.Why) with
        {
            Who = members.GetValueOrDefault(lost.Side)?.ChangedBy,
            ChangedAt = state.Sides[lost.Side].ChangedAt,
        }));
        journal.AddRange(conflicts
            .Where(c => !record.OpenConflicts.Any(open => open.Fields.SequenceEqual(c.Fields)))
            .Select(c => Journal(record, JournalKind.ConflictOpened, null, c.Values.Values.Any(v => v is null) ? null : string.Join(", ", c.Fields), null, this.ValuesOf(c), c.Why)));
        journal.AddRange(record.OpenConflicts.Where(c => closed.Contains(c.Id))
            .Select(c => Journal(record, JournalKind.ConflictClosed, null, string.Join(", ", c.Fields), null, null, "the sides came to the same value by themselves")));
        journal.AddRange(holds.Select(h => Journal(record, JournalKind.Held, h.Side, h.Field, null, null, h.Reason)));

        var title = agreed.TryGetValue(context.Mirror.TitleField, out var named) && !named.Value.IsEmpty ? named.Value.Display : record.Title;
        return new Reconciled(
            record.Link,
            title,
            holds.Count > 0 ? RecordOutcome.Held : conflicts.Length > 0 ? RecordOutcome.InConflict : RecordOutcome.Unchanged,
            agreed,
            [.. members.Values.Select(m => this.After(m, state.Sides[m.Side], outcome))],
            conflicts,
            closed,
            deliveries.ToImmutable(),
            holds.ToImmutable(),
            journal.ToImmutable(),
            outcome.GoneEverywhere)
        { Memory = firstMeeting || (agreed.Count == 0 && deliveries.Count == 0) ? null : this.MemoryOf(record, at, [.. agreed.Keys], deliveries.Any(d => d.Kind == WriteKind.Remove)) };
    }

    /// <summary>What an undo goes back to.</summary>
    private RecordMemory MemoryOf(LinkedRecord record, DateTimeOffset at, IReadOnlyCollection<string> moved, bool whole) => new(
        context.RunId, at,
        whole ? record.Agreed.ToDictionary(a => a.Key, a => (AgreedValue?)a.Value) : moved.ToDictionary(f => f, f => record.Agreed.GetValueOrDefault(f)),
        [.. record.Members.Select(m => new SideBefore(m.Side, m.Id, m.Shadow, m.Told, m.Owed, m.Unmet))]);

    /// <summary>What is known of a side from now on: what it says, except where a frozen field keeps its old shadow.</summary>
    private SideAfter After(KnownRecord member, SideState state, Outcome outcome)
    {
        if (member.Raw is not { } raw)
        {
            // Forgotten too when it is created again: what is created is another record.
            var another = outcome.Forgotten.Contains(member.Side) || outcome.GoneEverywhere || outcome.Writes.Any(w => w.Side == member.Side && w.Kind == WriteKind.Create);
            return new SideAfter(member.Side, member.Id, null, member.Told, member.Owed, member.Unmet, another);
        }

        var shadow = raw;
        var unmet = new HashSet<string>();
        var told = new Dictionary<string, string>(member.Told);
        foreach (var (field, cell) in context.Translators[member.Side].Cells)
        {
            var name = this.NameOf(field);
            if (outcome.IsFrozen(field) || outcome.HeldDrifts.Any(d => d.Side == member.Side && d.Field == field))
            {
                if (state.Shadow?[field] is null)
                {
                    unmet.Add(name);
                }
                else
                {
                    shadow = cell.Reads.Aggregate(shadow, (kept, path) => kept.With(path, member.Shadow![path]));
                }
            }
            else if (member.Shadow is null || cell.Reads.Any(path => !raw[path].Equals(member.Shadow[path])))
            {
                told.Remove(name);
            }
        }

        var write = outcome.Writes.FirstOrDefault(w => w.Side == member.Side);
        var owed = (write?.Fields.Select(f => this.NameOf(f.Field)) ?? []).Concat(member.Owed.Where(o => context.FieldIndex.TryGetValue(o, out var f) && outcome.IsFrozen(f))).ToHashSet();
        return new SideAfter(member.Side, member.Id, shadow, told, owed, unmet);
    }

    /// <summary>Plans a write, in the side's own form. A value that the side can't hold holds the write, and says why.</summary>
    private void Plan(LinkedRecord record, SideWrite write, KnownRecord? member, ImmutableArray<Hold>.Builder holds, ImmutableArray<Delivery>.Builder deliveries)
    {
        var fields = ImmutableArray.CreateBuilder<DeliveredField>();
        var problems = new List<TranslationProblem>();
        foreach (var (field, value, why) in write.Fields)
        {
            var raw = context.Translators[write.Side].ToSide(field, value, out var problem, write.Kind == WriteKind.Create ? null : member?.Raw?[context.Mirror.Fields[field].Cells[write.Side]!.Path]);
            if (problem is not null)
            {
                problems.Add(problem);
                continue;
            }

            var path = context.Mirror.Fields[field].Cells[write.Side]!.Path;
            fields.Add(new DeliveredField(this.NameOf(field), path, member?.Raw?[path] ?? Value.Empty, raw, value, this.Reason(record, member, field, path, why)));
        }

        if (write.Kind == WriteKind.Create)
        {
            fields.AddRange(this.FilledIn(write));
        }

        if (problems.Count > 0)
        {
            holds.Add(new Hold(record.Link, write.Side, member?.Id ?? "", record.Title, this.NameOf(problems[0].Field),
                $"{context.Systems[write.Side].Name}, {(member is null ? $"new {context.Mirror.RecordType}" : $"{context.Mirror.RecordType} {member.Id}")}: {string.Join(" ", problems.Select(p => p.Sentence))}", null));
            return;
        }

        var known = write.Kind == WriteKind.Create ? null : member;
        deliveries.Add(new Delivery(0, record.Link, record.Title, write.Side, write.Kind, known?.Id, record.Link.ToString("N"), fields.ToImmutable(), known?.VersionTag));
    }

    /// <summary>
    /// Why a value is written. Where that was decided in a run that did not get to write it, its reason stands; but only if the side says the same since, or an edit would be
    /// written over for a reason that is older than the edit.
    /// </summary>
    private string Reason(LinkedRecord record, KnownRecord? member, int field, string path, string why) =>
        why == SideWrite.NotHeld && member is { Raw: { } raw, Shadow: { } shadow } && raw[path].Equals(shadow[path]) && record.Agreed.TryGetValue(this.NameOf(field), out var agreed) ? agreed.Why : why;

    /// <summary>What a created record is given beside what is agreed: what stands for empty fields, and the side's constants.</summary>
    private IEnumerable<DeliveredField> FilledIn(SideWrite write)
    {
        var translator = context.Translators[write.Side];
        foreach (var (field, cell) in translator.Cells)
        {
            if (cell is { Takes: true, Default: { } instead } && !write.Fields.Any(f => f.Field == field))
            {
                yield return new DeliveredField(this.NameOf(field), cell.Path, Value.Empty, translator.RawOf(cell.Path, instead), Value.Empty, "it is empty, and this stands for it");
            }
        }

        foreach (var constant in context.Mirror.Sides[write.Side].Constants)
        {
            var raw = translator.RawOf(constant.Path, constant.Text);
            yield return new DeliveredField(constant.Path, constant.Path, Value.Empty, raw, raw, "a constant of this side");
        }
    }

    private JsonObject ValuesOf(ConflictToOpen conflict) => new(conflict.Values.Select(v => KeyValuePair.Create(
        v.Key == Candidate.Person ? "" : context.Systems[v.Key].Name,
        v.Value is { } values ? (JsonNode?)new JsonObject(conflict.Fields.Select((f, i) => KeyValuePair.Create(f, ValueJson.Write(values[i])))) : null)));

    private string NameOf(int field) => context.Mirror.Fields[field].Name;

    private static JournalEntry Journal(LinkedRecord record, JournalKind kind, int? side, string? field, JsonNode? before, JsonNode? after, string why) =>
        new(record.Link, kind, side, field, before, after, why, null);
}
