using System.Collections.Immutable;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>What an undo makes of one record.</summary>
/// <param name="PutBack">The inverse writes.</param>
/// <param name="Left">What stays as it is, one sentence each: somebody changed it since.</param>
public sealed record UndoOfRecord(Guid Link, string Title, ImmutableArray<Delivery> PutBack, ImmutableArray<string> Left)
{
    internal RunUndone? Kept { get; init; }
}

/// <summary>
/// Takes a run back, or what it did to one record: every value that it wrote goes back to what stood there before, what it created is removed, and what it removed is created
/// again. What was changed since is left, and told (law L8). The records are then set aside: what made the run write is still there, and would make the next one write the
/// same. They go on when a person says so.
/// </summary>
public sealed class Undoing(MirrorDefinition mirror, IReadOnlyList<string> systems, IUndoStore store)
{
    private const int BatchSize = 500;

    /// <summary>What an undo would do. Nothing is kept.</summary>
    /// <param name="only">One record of the run; null for all of them.</param>
    public async Task<IReadOnlyList<UndoOfRecord>> Rehearse(long run, Guid? only, string who, CancellationToken cancellation)
    {
        var all = new List<UndoOfRecord>();
        var after = Guid.Empty;
        while (await store.ReadDone(run, only, after, BatchSize, cancellation) is { Count: > 0 } batch)
        {
            after = batch[^1].Link;
            all.AddRange(batch.Select(d => this.Undo(run, d, who)));
        }

        return all;
    }

    /// <summary>Undoes a run, or one record of it. The next run makes the writes, each under its precondition.</summary>
    /// <returns>What follows from it; null when a run is going on and does not end soon.</returns>
    public async Task<IReadOnlyList<UndoOfRecord>?> Undo(long run, Guid? only, string who, CancellationToken cancellation)
    {
        if (!await store.KeepOut(cancellation))
        {
            return null;
        }

        var all = await this.Rehearse(run, only, who, cancellation);
        await store.SaveUndone(run, [.. all.Where(u => u.Kept is not null).Select(u => u.Kept!)], only is null, who, cancellation);
        return all;
    }

    private UndoOfRecord Undo(long run, DoneByRun done, string who)
    {
        var why = $"run {run} was undone";
        var changedSince = this.ChangedSince(done);
        var putBack = ImmutableArray.CreateBuilder<Delivery>();
        var left = new List<string>();
        var created = done.Written.Where(w => w.Kind == WriteKind.Create).Select(w => w.Side).ToHashSet();
        foreach (var side in done.Written.Select(w => w.Side).Distinct().Order())
        {
            var member = done.Now?.Members.Where(m => m.Side == side && m.Raw is not null).FirstOrDefault();
            var written = done.Written.Where(w => w.Side == side).ToList();
            if (created.Contains(side))
            {
                this.RemoveAgain(run, done, side, member, putBack, left);
            }
            else if (written.Any(w => w.Kind == WriteKind.Remove))
            {
                this.CreateAgain(run, done, side, member, why, putBack, left);
            }
            else if (member is null)
            {
                left.Add($"{systems[side]} has no record for it any more.");
            }
            else
            {
                this.ChangeBack(run, done, written, member, changedSince, why, putBack, left);
            }
        }

        // A change that nothing is left of needs no setting aside.
        var undone = putBack.Count == 0 ? null : this.Kept(run, done, changedSince, created, why, who, putBack.ToImmutable(), left);
        return new UndoOfRecord(done.Link, done.Title, putBack.ToImmutable(), [.. left]) { Kept = undone };
    }

    /// <summary>Agreed fields that moved since the run, by a later one or by a person.</summary>
    private HashSet<string> ChangedSince(DoneByRun done) => done.Now is not { } now || done.Memory is not { } memory ? [] :
        [.. now.Agreed.Where(a => a.Value.At > memory.At && a.Value.RunId != memory.Run).Select(a => a.Key)];

    private void RemoveAgain(long run, DoneByRun done, int side, KnownRecord? member, ImmutableArray<Delivery>.Builder putBack, List<string> left)
    {
        if (member is null)
        {
            left.Add($"What was created in {systems[side]} is not there any more, or belongs to another record by now.");
        }
        else if (!this.AsLeft(done, side, member.Raw!))
        {
            left.Add($"{systems[side]} {member.Id} was created by this run and changed since: it is not removed.");
        }
        else
        {
            putBack.Add(new Delivery(0, done.Link, done.Title, side, WriteKind.Remove, member.Id, done.Link.ToString("N"), [], member.VersionTag) { Undoes = run });
        }
    }

    /// <summary>Whether a created record holds what the run left there.</summary>
    private bool AsLeft(DoneByRun done, int side, RawFields now) => done.Written.First(w => w.Side == side && w.Kind == WriteKind.Create).Stored is { } stored
        && done.Written.Where(w => w.Side == side && w.Field is not null).Aggregate(stored, (left, w) => mirror.Fields.FirstOrDefault(f => f.Name == w.Field)?.Cells[side] is { } cell ? left.With(cell.Path, w.After) : left).SameAs(now);

    private void CreateAgain(long run, DoneByRun done, int side, KnownRecord? member, string why, ImmutableArray<Delivery>.Builder putBack, List<string> left)
    {
        if (member is not null)
        {
            left.Add($"{systems[side]} has a record for it again, {member.Id}: nothing is created.");
            return;
        }

        if (done.Memory?.Sides.FirstOrDefault(s => s.Side == side)?.Shadow is not { } shadow)
        {
            left.Add($"What was removed from {systems[side]} is not known any more.");
            return;
        }

        var fields = mirror.Fields.Select((f, i) => (Field: f, Cell: f.Cells[side])).Where(f => f.Cell is { Takes: true } && !shadow[f.Cell.Path].IsEmpty)
            .Select(f => new DeliveredField(f.Field.Name, f.Cell!.Path, Value.Empty, shadow[f.Cell.Path], done.Memory.Agreed.GetValueOrDefault(f.Field.Name)?.Value ?? Value.Empty, why))
            .Concat(mirror.Sides[side].Constants.Select(c => new DeliveredField(c.Path, c.Path, Value.Empty, shadow[c.Path], shadow[c.Path], why)))
            .DistinctBy(f => f.Path);
        putBack.Add(new Delivery(0, done.Link, done.Title, side, WriteKind.Create, null, done.Link.ToString("N"), [.. fields], null) { Undoes = run });
    }

    private void ChangeBack(long run, DoneByRun done, IReadOnlyList<WrittenByRun> written, KnownRecord member, HashSet<string> changedSince, string why, ImmutableArray<Delivery>.Builder putBack, List<string> left)
    {
        var fields = ImmutableArray.CreateBuilder<DeliveredField>();
        foreach (var field in written.Where(w => w.Field is not null).GroupBy(w => w.Field!))
        {
            var (before, after) = (field.First().Before, field.Last().After);
            if (mirror.Fields.FirstOrDefault(f => f.Name == field.Key)?.Cells[member.Side] is not { } cell)
            {
                left.Add($"{systems[member.Side]} {member.Id}: {field.Key} is not mapped there any more.");
                continue;
            }

            var now = member.Raw![cell.Path];
            if (changedSince.Contains(field.Key) || !now.Equals(after))
            {
                if (!now.Equals(before))
                {
                    left.Add(now.Equals(after)
                        ? $"{systems[member.Side]} {member.Id}: {field.Key} was changed elsewhere since; {ValueJson.Quoted(now.Display)} stands for the later value, too, and stays."
                        : $"{systems[member.Side]} {member.Id}: {field.Key} was changed since to {ValueJson.Quoted(now.Display)}, and stays so.");
                }
            }
            else if (!now.Equals(before))
            {
                fields.Add(new DeliveredField(field.Key, cell.Path, now, before, done.Memory?.Agreed.GetValueOrDefault(field.Key)?.Value ?? Value.Empty, why));
            }
        }

        if (fields.Count > 0)
        {
            putBack.Add(new Delivery(0, done.Link, done.Title, member.Side, WriteKind.Change, member.Id, done.Link.ToString("N"), fields.ToImmutable(), member.VersionTag) { Undoes = run });
        }
    }

    private RunUndone Kept(long run, DoneByRun done, HashSet<string> changedSince, HashSet<int> created, string why, string who, ImmutableArray<Delivery> putBack, IReadOnlyList<string> left)
    {
        var first = putBack[0];
        var hold = new Hold(done.Link, first.Side, first.RecordId ?? "", done.Title, null,
            $"Run {run} was undone for this record by {who}. It is left as it is until you let it go on: what made the run write is still there, so put that right first.", null);
        var journal = new JournalEntry(done.Link, JournalKind.Undone, null, null, null, null, left.Count == 0 ? why : $"{why}. {string.Join(" ", left)}", who);
        if (done.Memory is not { } memory)
        {
            // It met for the first time in that run: it is as if it never had.
            var unmet = done.Now!.Members.Where(m => !created.Contains(m.Side)).Select(m => new SideBefore(m.Side, m.Id, null, ImmutableDictionary<string, string>.Empty, ImmutableHashSet<string>.Empty, ImmutableHashSet<string>.Empty));
            return new RunUndone(done.Link, done.Title, null, [.. unmet], [], putBack, [journal], hold);
        }

        var agreed = memory.Agreed.Where(a => !changedSince.Contains(a.Key)).ToDictionary(a => a.Key, a => a.Value);
        var known = memory.Sides.Select(before => (Before: before, Now: done.Now?.Members.FirstOrDefault(m => (m.Side, m.Id) == (before.Side, before.Id)))).ToList();
        return new RunUndone(
            done.Link, done.Title, agreed,
            [.. known.Where(k => k.Now is not null).Select(k => this.Restored(k.Before, k.Now!, changedSince))],
            [.. known.Where(k => k.Now is null && !putBack.Any(p => p.Side == k.Before.Side && p.Kind == WriteKind.Create) && k.Before.Shadow is not null && done.Now?.Members.Any(m => m.Side == k.Before.Side) != true).Select(k => k.Before)],
            putBack, [journal], hold);
    }

    /// <summary>A side as it was known before, but for what moved since.</summary>
    private SideBefore Restored(SideBefore before, KnownRecord now, HashSet<string> changedSince)
    {
        if (changedSince.Count == 0 || before.Shadow is null || now.Shadow is null)
        {
            return before;
        }

        var since = mirror.Fields.Where(f => changedSince.Contains(f.Name) && f.Cells[before.Side] is not null).ToList();
        var names = since.Select(f => f.Name).ToHashSet();
        return before with
        {
            Shadow = since.SelectMany(f => f.Cells[before.Side]!.Reads).Aggregate(before.Shadow, (shadow, path) => shadow.With(path, now.Shadow[path])),
            Told = before.Told.Where(t => !names.Contains(t.Key)).Concat(now.Told.Where(t => names.Contains(t.Key))).ToDictionary(),
            Owed = before.Owed.Except(names).Concat(now.Owed.Intersect(names)).ToHashSet(),
            Unmet = before.Unmet.Except(names).Concat(now.Unmet.Intersect(names)).ToHashSet(),
        };
    }
}
