using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>A side that does not hold what is agreed, or a record that is not where it is expected.</summary>
/// <param name="Title">What people call the record.</param>
/// <param name="Field">The agreed field; null when it is about the whole record.</param>
/// <param name="What">What was found, in words.</param>
/// <param name="Why">The reason, as far as anything that is remembered explains it; null when nothing does.</param>
public sealed record Difference(int Side, string? Id, string Title, string? Field, string What, string? Why);

/// <param name="Records">Linked records that were compared.</param>
/// <param name="Values">Values that were compared: fields that a side takes.</param>
public sealed record Verified(int Records, int Values, IReadOnlyList<Difference> Differences);

/// <summary>
/// Reads every side of a mirror whole and compares it with what is agreed. Each difference is explained by what is remembered (an edit since the last run, a conflict, a hold,
/// a write that is owed), or is unexplained: then a law is broken. Nothing is written anywhere.
/// </summary>
public sealed class Verifying(MirrorContext context, Comparisons store)
{
    private const int BatchSize = 500;

    private readonly List<Difference> differences = [];
    private int records;
    private int values;

    /// <exception cref="Connectors.SystemFault">A side can't be read to its end.</exception>
    public async Task<Verified> Verify(CancellationToken cancellation)
    {
        var now = new List<Dictionary<string, ObservedRecord>>();
        for (var side = 0; side < context.SideCount; side++)
        {
            var held = new Dictionary<string, ObservedRecord>(StringComparer.Ordinal);
            await foreach (var page in context.Systems[side].ReadChanged(context.Collection(side), null, context.Translators[side].Needs.ToHashSet(), cancellation))
            {
                foreach (var record in page)
                {
                    held[record.Id] = record;
                }
            }

            now.Add(held);
        }

        var met = now.Select(_ => new HashSet<string>(StringComparer.Ordinal)).ToList();
        var after = Guid.Empty;
        while (await store.Read(after, BatchSize, cancellation) is { Count: > 0 } batch)
        {
            after = batch[^1].Record.Link;
            foreach (var record in batch)
            {
                this.Compare(record, now);
                foreach (var member in record.Record.Members)
                {
                    met[member.Side].Add(member.Id);
                }
            }
        }

        foreach (var unlinked in await store.ReadUnlinked(cancellation))
        {
            met[unlinked.Side].Add(unlinked.Id);
            if (now[unlinked.Side].TryGetValue(unlinked.Id, out var record))
            {
                this.CompareUnlinked(unlinked, record);
            }
        }

        for (var side = 0; side < context.SideCount; side++)
        {
            foreach (var id in now[side].Keys.Where(id => !met[side].Contains(id)))
            {
                this.differences.Add(new Difference(side, id, id, null, "is not known here", "it is new since the last run"));
            }
        }

        return new Verified(this.records, this.values, this.differences);
    }

    private void Compare(ComparedRecord compared, List<Dictionary<string, ObservedRecord>> now)
    {
        var record = compared.Record;
        this.records++;
        foreach (var twice in record.Members.GroupBy(m => m.Side).Where(g => g.Count() > 1))
        {
            this.Add(compared, twice.Key, null, null, $"has {twice.Count()} records for this one: {string.Join(", ", twice.Select(m => m.Id))}");
        }

        for (var side = 0; side < context.SideCount; side++)
        {
            var member = record.Members.FirstOrDefault(m => m.Side == side);
            if (member is null)
            {
                this.CompareMissing(compared, side);
            }
            else if (!now[side].TryGetValue(member.Id, out var held))
            {
                // A file that was taken is put away: what it said is not there to compare with.
                if (context.Systems[side].ListsAll(context.Collection(side)))
                {
                    this.Add(compared, side, member.Id, null, "is not there any more", "it was removed since the last run");
                }
            }
            else
            {
                this.CompareFields(compared, member, held);
            }
        }
    }

    private void CompareMissing(ComparedRecord compared, int side)
    {
        var wanted = context.Mirror.Sides[side].MayCreate && compared.Record.IsFollowed && !context.Mirror.LeavesOut
            && context.Mirror.Fields.Any(f => f.Cells[side]?.Takes == true && compared.Record.Agreed.TryGetValue(f.Name, out var agreed) && !agreed.Value.IsEmpty);
        if (wanted)
        {
            this.Add(compared, side, null, null, "does not have it");
        }
    }

    private void CompareFields(ComparedRecord compared, KnownRecord member, ObservedRecord held)
    {
        var record = compared.Record;
        foreach (var (field, cell) in context.Translators[member.Side].Cells.Where(c => c.Cell.Takes))
        {
            var name = context.Mirror.Fields[field].Name;
            if (!record.Agreed.TryGetValue(name, out var agreed))
            {
                continue;
            }

            this.values++;
            var form = context.Translators[member.Side].ToSide(field, agreed.Value, out var problem, held.Fields[cell.Path]);
            var said = context.Translators[member.Side].ToAgreed(held.Fields);
            if (problem is null && (form.Equals(held.Fields[cell.Path]) || said.Values[field].Equals(agreed.Value)))
            {
                continue;
            }

            this.Add(compared, member.Side, member.Id, name, $"holds {ValueJson.Quoted(held.Fields[cell.Path].Display)} where {ValueJson.Quoted(agreed.Value.Display)} is agreed",
                member.Raw is null || cell.Reads.Any(path => !held.Fields[path].Equals(member.Raw[path])) ? "it was edited since the last run"
                : member.Told.ContainsKey(name) ? "it was told the agreed value and stores it its own way"
                : cell is { Drift: Drift.Leave, Gives: false } ? "edits there are left alone"
                : problem?.Sentence);
        }
    }

    private void CompareUnlinked(UnlinkedRecord unlinked, ObservedRecord record)
    {
        var why = unlinked.Why
            ?? (context.Translators[unlinked.Side].Covers(record.Fields, out _) == false ? "it is not in the scope" : null)
            ?? (context.Mirror.LeavesOut ? "it is like no other, and such are left as they are" : null);
        if (why is null || unlinked.Why is not null)
        {
            this.differences.Add(new Difference(unlinked.Side, unlinked.Id, unlinked.Id, null, "belongs to nothing", why));
        }
    }

    /// <summary>Notes a difference, with the first reason that explains it.</summary>
    private void Add(ComparedRecord compared, int side, string? id, string? field, string what, string? known = null)
    {
        var why = known
            ?? (compared.Record.IsFollowed ? null : "it is not in the scope any more")
            ?? (compared.Record.OpenConflicts.Any(c => field is null || c.Fields.Contains(field)) ? "in conflict: a person is asked" : null)
            ?? compared.Holds.Where(h => field is null || h.Side == side || h.Field is null).Select(h => h.Reason).FirstOrDefault()
            ?? compared.Pending.Where(p => p.Side == side && (field is null || p.Fields.Contains(field))).Select(p => p.State switch { "sent" => "it was written, and the answer never came: the next run looks", "refused" => "the system refused it", _ => "the next run writes it" }).FirstOrDefault();
        this.differences.Add(new Difference(side, id, compared.Record.Title, field, what, why));
    }
}
