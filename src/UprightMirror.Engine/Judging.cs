using System.Collections.Immutable;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>How a judgement ended.</summary>
/// <param name="Why">Why it was not made, in a sentence; null when it was.</param>
/// <param name="Regrouping">Its number, by which it can be taken back.</param>
/// <param name="Link">The link that the records belong to now; null when they belong to none.</param>
public sealed record JudgementEnd(DecisionEnd End, string? Why, long? Regrouping = null, Guid? Link = null)
{
    internal static JudgementEnd NotPossible(string why) => new(DecisionEnd.NotPossible, why);

    internal static JudgementEnd Gone { get; } = new(DecisionEnd.ChangedMeanwhile, "Somebody decided it a moment ago, or it is not doubtful any more. Look again.");
}

/// <summary>What a link being taken apart would put back.</summary>
/// <param name="Field">The agreed field.</param>
/// <param name="Before">What the side had said before, as it writes it.</param>
public sealed record PutBackOffer(int Side, string Field, string Before, string Now);

/// <summary>What people say of records: that two are one thing, or two; and what follows from it.</summary>
/// <param name="kept">The mirror.</param>
/// <param name="all">Every mirror: records of others may point at records of this one.</param>
/// <param name="systems">What people call each side's system.</param>
public sealed class Judging(KeptMirror kept, IReadOnlyList<KeptMirror> all, IReadOnlyList<string> systems, IRegroupingStore store, References references, TimeProvider clock)
{
    private static readonly ImmutableDictionary<string, AgreedValue> NothingAgreed = ImmutableDictionary<string, AgreedValue>.Empty;

    private readonly MirrorDefinition mirror = kept.Definition;

    /// <summary>They are one thing: linked, at most one record a side.</summary>
    public async Task<JudgementEnd> Same(long pair, string who, CancellationToken cancellation)
    {
        if (await store.ReadPair(pair, cancellation) is not { State: "open" } open)
        {
            return JudgementEnd.Gone;
        }

        return open.A.Side == open.B.Side
            ? JudgementEnd.NotPossible($"Both are records of {systems[open.A.Side]}. Say which of them is kept.")
            : await this.Join(pair, open.A, open.B, who, cancellation);
    }

    /// <summary>They are two things. That is remembered for good: they are never linked by themselves and never asked about again.</summary>
    public async Task<JudgementEnd> Different(long pair, string who, CancellationToken cancellation)
    {
        if (await store.ReadPair(pair, cancellation) is not { State: "open" } open)
        {
            return JudgementEnd.Gone;
        }

        var id = await store.Save(new Regrouped(pair, "different", who, [], [], [], [new PairJudged(open.A, open.B, "different")], [], []), cancellation);
        return this.Ended(id, null);
    }

    /// <summary>Links a record with another one of another side, and everything that is linked with either.</summary>
    /// <param name="pair">The pair that was asked about; null when nobody asked.</param>
    public async Task<JudgementEnd> Join(long? pair, RecordPlace one, RecordPlace other, string who, CancellationToken cancellation)
    {
        if (await this.Group(one, cancellation) is not { } first || await this.Group(other, cancellation) is not { } second)
        {
            return JudgementEnd.NotPossible("One of the two is not there any more.");
        }

        if (first.Link is not null && first.Link == second.Link)
        {
            return JudgementEnd.NotPossible("They are linked already.");
        }

        if (first.Members.FirstOrDefault(m => second.Members.Any(o => o.Side == m.Side)) is { } twice)
        {
            var its = second.Members.First(m => m.Side == twice.Side);
            return JudgementEnd.NotPossible($"{systems[twice.Side]} would have two records for one {mirror.RecordType}: {twice.Id} and {its.Id}. If they are doubles, say so of these two first; if not, take apart what is linked wrongly.");
        }

        // The link that stands stays; of two, that which has more.
        var (stands, joins) = first.Link is null || (second.Link is not null && second.Members.Length > first.Members.Length) ? (second, first) : (first, second);
        var link = stands.Link ?? Guid.CreateVersion7(clock.GetUtcNow());
        var moved = joins.Members.Concat(stands.Link is null ? stands.Members : []).ToList();
        var title = stands.Title ?? joins.Title ?? one.Id;
        var id = await store.Save(
            new Regrouped(
                pair, "same", who,
                [new LinkKept(link, title, NothingAgreed)],
                joins.Link is { } dissolved ? [dissolved] : [],
                [.. moved.Select(m => new RecordPlaced(new(m.Side, m.Id), link, null, false))],
                [PairJudged.Of(one, other, "same")],
                [.. moved.Select(m => new JournalEntry(link, JournalKind.Linked, m.Side, null, null, null, $"decided: the same as {systems[(m.Side == one.Side ? other : one).Side]} {(m.Side == one.Side ? other : one).Id}", who))],
                [],
                [.. Seen(first.Link, first.Members), .. Seen(second.Link, second.Members)]),
            cancellation);
        return this.Ended(id, link);
    }

    /// <summary>What would be put back if a record were taken out of its link.</summary>
    public async Task<IReadOnlyList<PutBackOffer>> WrittenAcross(Guid link, int side, CancellationToken cancellation)
    {
        if (await store.ReadLinked(link, cancellation) is not { } record || record.Members.FirstOrDefault(m => m.Side == side) is not { } member)
        {
            return [];
        }

        return [.. (await this.Restorable(record, member, cancellation)).Select(w => new PutBackOffer(w.Side, w.Field, w.Before.Display, w.After.Display))];
    }

    /// <summary>
    /// This record is not the same as the others of its link: it leaves it, both go on by themselves, and the two are remembered as different.
    /// </summary>
    /// <param name="putBack">Whether what had been written across is put back, by the next run.</param>
    /// <param name="pair">The pair whose judgement this takes back; it is asked about again. Null when there is none.</param>
    public async Task<JudgementEnd> TakeApart(Guid link, int side, bool putBack, long? pair, string who, CancellationToken cancellation)
    {
        if (await store.ReadLinked(link, cancellation) is not { } record || record.Members.FirstOrDefault(m => m.Side == side) is not { Raw: { } raw } leaving || record.Members.Length < 2)
        {
            return JudgementEnd.NotPossible("It is not linked with anything any more.");
        }

        var at = clock.GetUtcNow();
        var restored = putBack ? await this.Restorable(record, leaving, cancellation) : [];
        var own = Guid.CreateVersion7(at);
        var staying = record.Members.Where(m => m.Side != side && m.Raw is not null).ToList();
        var mine = this.Translator(side).ToAgreed(raw);
        var title = mine.Values[this.IndexOf(mirror.TitleField)] is { IsEmpty: false } named ? named.Display : leaving.Id;
        var why = $"taken apart from {string.Join(" and ", staying.Select(m => $"{systems[m.Side]} {m.Id}"))}";

        // What leaves agrees with itself; what is put back is agreed by the person, and written by the next run.
        var ownAgreed = this.Saying(leaving);
        var ownBack = this.PutBack(restored.Where(w => w.Side == side), leaving, ownAgreed, who, at);
        var staysAgreed = new Dictionary<string, AgreedValue>();
        var after = new List<RecordPlaced> { new(new(side, leaving.Id), own, this.Knows(leaving, raw, ownBack), true) };
        var journal = new List<JournalEntry>
        {
            new(own, JournalKind.Linked, side, null, null, null, why, who),
            new(link, JournalKind.Decided, side, null, null, null, $"decided: {systems[side]} {leaving.Id} is not the same", who),
        };
        var backByField = restored.Where(w => w.Side != side).GroupBy(w => w.Field).ToDictionary(g => g.Key, g => g.First());
        foreach (var member in staying)
        {
            this.PutBack(backByField.Values.Where(w => w.Side == member.Side), member, staysAgreed, who, at);
        }

        foreach (var member in staying)
        {
            after.Add(new(new(member.Side, member.Id), link, this.Knows(member, member.Raw!, [.. staysAgreed.Keys]), true));
        }

        journal.AddRange(staysAgreed.Select(a => new JournalEntry(link, JournalKind.Decided, null, a.Key, ValueJson.Write(record.Agreed.GetValueOrDefault(a.Key)?.Value ?? Value.Empty), ValueJson.Write(a.Value.Value), a.Value.Why, who)));
        journal.AddRange(ownBack.Select(name => new JournalEntry(own, JournalKind.Decided, null, name, null, ValueJson.Write(ownAgreed[name].Value), ownAgreed[name].Why, who)));
        var id = await store.Save(
            new Regrouped(
                pair, "apart", who,
                [new LinkKept(link, record.Title, staysAgreed), new LinkKept(own, title, ownAgreed)],
                [],
                [.. after],
                [.. staying.Select(m => PairJudged.Of(new(side, leaving.Id), new(m.Side, m.Id), pair is null ? "different" : "open"))],
                [.. journal],
                [],
                [.. Seen(link, record.Members)]),
            cancellation);
        return this.Ended(id, own);
    }

    /// <summary>Takes the last judgement of a pair back. Where a run has worked on it since, the records are taken apart, and what was written across is put back.</summary>
    public async Task<JudgementEnd> Undo(long pair, string who, CancellationToken cancellation)
    {
        if (await store.LastOf(pair, cancellation) is not { } last || await store.ReadPair(pair, cancellation) is not { } judged)
        {
            return JudgementEnd.NotPossible("There is nothing to undo.");
        }

        if (!last.HasRun && await store.TakeBack(last.Id, who, cancellation))
        {
            return new JudgementEnd(DecisionEnd.Made, null, last.Id);
        }

        if (last.What == "double")
        {
            return await this.TakeDoublesApart(judged, last, who, cancellation);
        }

        if (last.What != "same" || await store.ReadPlaced(judged.B, cancellation) is not { Link: { } link })
        {
            return JudgementEnd.NotPossible(last.What == "different"
                ? "A run has taken them for two since, and has written them where they were missing. They can be joined on the record's page."
                : "A run has worked on them since. Look at the record's page.");
        }

        var end = await this.TakeApart(link, judged.B.Side, true, pair, who, cancellation);
        if (end.End == DecisionEnd.Made)
        {
            await store.NoteTakenBack(last.Id, who, cancellation);
        }

        return end;
    }

    /// <summary>
    /// Both are one thing that was entered twice in one system. One of them is kept; the other counts as it from now on: what it was linked with and what
    /// points at it comes over, and it is marked in its system where the mirror says how.
    /// </summary>
    /// <param name="keepFirst">True to keep the first of the pair.</param>
    /// <param name="take">The agreed fields whose values are taken from the other.</param>
    public async Task<JudgementEnd> Double(long pair, bool keepFirst, IReadOnlyCollection<string> take, string who, CancellationToken cancellation)
    {
        if (await store.ReadPair(pair, cancellation) is not { State: "open" } open)
        {
            return JudgementEnd.Gone;
        }

        var (stays, goes) = keepFirst ? (open.A, open.B) : (open.B, open.A);
        if (stays.Side != goes.Side)
        {
            return JudgementEnd.NotPossible("They are records of two systems: both stay, and are linked.");
        }

        if (take.FirstOrDefault(t => mirror.Fields.All(f => f.Name != t)) is { } unknown)
        {
            return JudgementEnd.NotPossible($"There is no agreed field {unknown}.");
        }

        if (await this.Group(stays, cancellation) is not { } keeps || await this.Group(goes, cancellation) is not { } leaves)
        {
            return JudgementEnd.NotPossible("One of the two is not there any more.");
        }

        var at = clock.GetUtcNow();
        var side = stays.Side;
        var own = keeps.Members.First(m => m.Side == side);
        var other = leaves.Members.First(m => m.Side == side);
        var link = keeps.Link ?? Guid.CreateVersion7(at);
        var title = keeps.Title ?? own.Id;
        var why = $"a double of {systems[side]} {stays.Id}";

        // Values of the other one that are kept: agreed by the person, and owed to every side.
        var theirs = this.Translator(side).ToAgreed(other.Raw!);
        var agreed = keeps.Link is null ? this.Saying(own) : [];
        foreach (var name in take)
        {
            agreed[name] = new AgreedValue(theirs.Values[this.IndexOf(name)], Candidate.Person, at, who, at, 0, $"decided: taken from its double {goes.Id}");
        }

        var records = keeps.Members.Where(m => m.Raw is not null).Select(m => new RecordPlaced(new(m.Side, m.Id), link, this.Knows(m, keeps.Link is null ? m.Raw! : m.Shadow ?? m.Raw!, [.. take]), true)).ToList();
        var journal = new List<JournalEntry> { new(link, JournalKind.Decided, side, null, null, null, $"decided: {systems[side]} {goes.Id} is the same, entered twice; {stays.Id} is kept", who) };
        records.Add(new RecordPlaced(goes, null, null, false, stays.Id));
        foreach (var member in leaves.Members.Where(m => m.Side != side))
        {
            // What the double was linked with is the same thing too: it comes over, or is a double there.
            var beside = keeps.Members.FirstOrDefault(m => m.Side == member.Side);
            records.Add(beside is null ? new RecordPlaced(new(member.Side, member.Id), link, null, false) : new RecordPlaced(new(member.Side, member.Id), null, null, false, beside.Id));
            journal.Add(new(link, JournalKind.Linked, member.Side, null, null, null, beside is null ? $"it came over with {systems[side]} {goes.Id}, {why}" : $"a double of {beside.Id}, as {systems[side]} {goes.Id} is of {stays.Id}", who));
        }

        var aside = new List<AsideDelivery>();
        foreach (var gone in records.Where(r => r.DoubleOf is not null).ToList())
        {
            var stands = new RecordPlace(gone.Place.Side, gone.DoubleOf!);
            aside.AddRange(this.Marked(link, title, leaves.Members.First(m => m.Side == gone.Place.Side), stands.Id));
            aside.AddRange(await this.MovedOver(gone.Place, stands, new LinkValue(link, title), cancellation));
        }

        journal.AddRange(take.Select(name => new JournalEntry(link, JournalKind.Decided, null, name, null, ValueJson.Write(agreed[name].Value), agreed[name].Why, who)));
        var id = await store.Save(
            new Regrouped(pair, "double", who, [new LinkKept(link, title, agreed)], leaves.Link is { } dissolved && dissolved != link ? [dissolved] : [], [.. records], [new PairJudged(open.A, open.B, "same")], [.. journal], [.. aside], [.. Seen(keeps.Link, keeps.Members), .. Seen(leaves.Link, leaves.Members)]),
            cancellation);
        return this.Ended(id, link);
    }

    /// <summary>Marks a double in its system.</summary>
    private IEnumerable<AsideDelivery> Marked(Guid link, string title, KnownRecord record, string keptId)
    {
        if (mirror.Sides[record.Side].DoubleMark is { } mark && record.Raw is { } raw)
        {
            var marked = this.Translator(record.Side).RawOf(mark.Path, mark.Text.Replace("{id}", keptId, StringComparison.Ordinal));
            yield return new AsideDelivery(kept.Id, new Delivery(
                0, link, title, record.Side, WriteKind.Change, record.Id, link.ToString("N"), [new DeliveredField(mark.Path, mark.Path, raw[mark.Path], marked, marked, $"it is a double of {keptId}")], record.VersionTag));
        }
    }

    /// <summary>What points at a double points at the one that is kept from now on, where a mirror may write that.</summary>
    private async Task<IEnumerable<AsideDelivery>> MovedOver(RecordPlace from, RecordPlace to, LinkValue means, CancellationToken cancellation)
    {
        var moved = new List<AsideDelivery>();
        var system = mirror.Sides[from.Side].System;
        foreach (var pointing in all)
        {
            foreach (var field in pointing.Definition.Fields)
            {
                for (var side = 0; side < field.Cells.Length; side++)
                {
                    if (pointing.Definition.Sides[side].System != system || field.Cells[side] is not { Takes: true, Conversion: ReferenceTo { Mirror: var its } } cell || its != mirror.Key)
                    {
                        continue;
                    }

                    foreach (var record in await store.ReadPointing(pointing.Id, side, cell.Path, from.Id, cancellation))
                    {
                        var now = record.Says is NumberValue && decimal.TryParse(to.Id, System.Globalization.CultureInfo.InvariantCulture, out var number) ? new NumberValue(number) : Value.Text(to.Id);
                        moved.Add(new AsideDelivery(pointing.Id, new Delivery(
                            0, record.Link, record.Title, side, WriteKind.Change, record.Id, record.Link.ToString("N"), [new DeliveredField(field.Name, cell.Path, record.Says, now, means, $"{from.Id} is a double of {to.Id}")], record.VersionTag)));
                    }
                }
            }
        }

        return moved;
    }

    /// <summary>Takes a judgement about doubles back after runs have worked on it: each is a record of its own again, with what it had been linked with, and what was written for it is written back.</summary>
    private async Task<JudgementEnd> TakeDoublesApart(JudgedPair pair, KeptRegrouping last, string who, CancellationToken cancellation)
    {
        var at = clock.GetUtcNow();
        var before = await store.ReadBefore(last.Id, cancellation);
        var links = new List<LinkKept>();
        var records = new List<RecordPlaced>();
        var journal = new List<JournalEntry>();
        var apart = before.Records.Where(r => r.DoubleOf is null).ToList();
        foreach (var (place, linkBefore, _) in apart)
        {
            if (await store.ReadPlaced(place, cancellation) is not { Known: { Raw: { } raw } known } now || (now.Link == linkBefore && linkBefore is not null))
            {
                continue;
            }

            // One that had no link of its own before gets one: a run would have given it one too.
            var link = linkBefore is { } was && before.Links.Any(l => l.Link == was) ? was : Guid.CreateVersion7(at);
            if (now.Link is { } stands && now.DoubleOf is null && linkBefore is null)
            {
                link = stands; // The one that was kept stays in the link that was made for it.
                continue;
            }

            var (_, title, agreed) = before.Links.FirstOrDefault(l => l.Link == link);
            if (links.All(l => l.Link != link))
            {
                links.Add(new LinkKept(link, title ?? known.Id, agreed ?? this.Saying(known)));
            }

            records.Add(new RecordPlaced(place, link, this.Knows(known, raw, []), true));
            journal.Add(new JournalEntry(link, JournalKind.Linked, place.Side, null, null, null, "it is no double after all: a record of its own again", who));
        }

        if (records.Count == 0)
        {
            return JudgementEnd.NotPossible("There is nothing left to take apart: the records are gone, or were judged again since.");
        }

        // Values that were taken from the double go back to what was agreed before, where nobody has said anything else since.
        var stays = await store.ReadPlaced(pair.A, cancellation) is { DoubleOf: null, Link: { } a } ? a : (await store.ReadPlaced(pair.B, cancellation))?.Link;
        if (stays is { } keptLink && await store.ReadLinked(keptLink, cancellation) is { } record && before.Links.FirstOrDefault(l => l.Link == keptLink) is { Agreed: { } agreedBefore })
        {
            var back = record.Agreed.Where(v => v.Value.Side == Candidate.Person && v.Value.At == last.At && agreedBefore.ContainsKey(v.Key)).Select(v => v.Key).ToHashSet();
            if (back.Count > 0)
            {
                links.Add(new LinkKept(keptLink, record.Title, back.ToDictionary(name => name, name => agreedBefore[name])));
                records.AddRange(record.Members.Where(m => m.Raw is not null && !records.Any(r => r.Place == new RecordPlace(m.Side, m.Id))).Select(m => new RecordPlaced(new(m.Side, m.Id), keptLink, this.Knows(m, m.Shadow ?? m.Raw!, back), true)));
            }
        }

        var own = records.FirstOrDefault(r => r.Place == pair.A || r.Place == pair.B)?.Link;
        var aside = before.Written.Select(w => w with
        {
            Delivery = w.Delivery with
            {
                // A record that was marked is written as one of its own link again.
                Link = w.MirrorId == kept.Id && records.FirstOrDefault(r => r.Place == new RecordPlace(w.Delivery.Side, w.Delivery.RecordId!)) is { Link: { } its } ? its : w.Delivery.Link,
                Fields = [.. w.Delivery.Fields.Select(f => f with { Before = f.Raw, Raw = f.Before, Agreed = f.Agreed is LinkValue && own is { } mine ? new LinkValue(mine, pair.A.Id) : f.Before, Why = "put back: it is no double after all" })],
            },
        });
        var id = await store.Save(new Regrouped(pair.Id, "apart", who, [.. links], [], [.. records], [new PairJudged(pair.A, pair.B, "open")], [.. journal], [.. aside]), cancellation);
        if (id is not null)
        {
            await store.NoteTakenBack(last.Id, who, cancellation);
        }

        return this.Ended(id, own);
    }

    /// <summary>What a record says, as agreed with itself.</summary>
    private Dictionary<string, AgreedValue> Saying(KnownRecord record)
    {
        var (at, says) = (clock.GetUtcNow(), this.Translator(record.Side).ToAgreed(record.Raw!));
        return mirror.Fields.Select((f, i) => (f.Name, Value: says.Values[i], Says: f.Cells[record.Side] is not null && !says.Problems.Any(p => p.Field == i))).Where(f => f.Says)
            .ToDictionary(f => f.Name, f => new AgreedValue(f.Value, record.Side, record.ChangedAt, record.ChangedBy, at, 0, $"said by {systems[record.Side]}"));
    }

    /// <summary>Values to put back that nobody changed since they were written.</summary>
    private async Task<List<WrittenAcross>> Restorable(LinkedRecord record, KnownRecord leaving, CancellationToken cancellation) =>
        [.. (await store.ReadWritten(record.Link, new(leaving.Side, leaving.Id), cancellation)).Where(w =>
            mirror.Fields.FirstOrDefault(f => f.Name == w.Field)?.Cells[w.Side] is { Takes: true } cell
            && record.Members.FirstOrDefault(m => m.Side == w.Side)?.Raw?[cell.Path] is { } now && now.Equals(w.After) && !now.Equals(w.Before))];

    /// <summary>Agrees on what a side had said before.</summary>
    /// <returns>The fields that are agreed so.</returns>
    private HashSet<string> PutBack(IEnumerable<WrittenAcross> written, KnownRecord member, Dictionary<string, AgreedValue> agreed, string who, DateTimeOffset at)
    {
        var put = new HashSet<string>();
        foreach (var one in written)
        {
            var (field, path) = (this.IndexOf(one.Field), mirror.Fields[this.IndexOf(one.Field)].Cells[member.Side]!.Path);
            var before = this.Translator(member.Side).ToAgreed(member.Raw!.With(path, one.Before));
            if (!before.Problems.Any(p => p.Field == field))
            {
                agreed[one.Field] = new AgreedValue(before.Values[field], Candidate.Person, at, who, at, 0, "put back: it had been written across by a wrong link");
                put.Add(one.Field);
            }
        }

        return put;
    }

    /// <summary>All that a side says is known from now on, and it is owed what is put back.</summary>
    private SideAfter Knows(KnownRecord member, RawFields raw, HashSet<string> owed)
    {
        var takes = owed.Where(name => mirror.Fields[this.IndexOf(name)].Cells[member.Side]?.Takes == true).Concat(member.Owed).ToHashSet();
        return new SideAfter(member.Side, member.Id, raw, member.Told.Where(t => !owed.Contains(t.Key)).ToDictionary(), takes, member.Unmet);
    }

    private async Task<(Guid? Link, string? Title, ImmutableArray<KnownRecord> Members)?> Group(RecordPlace place, CancellationToken cancellation)
    {
        if (await store.ReadPlaced(place, cancellation) is not { Known.Raw: { } raw, DoubleOf: null } placed)
        {
            return null;
        }

        if (placed.Link is { } link && await store.ReadLinked(link, cancellation) is { } record)
        {
            return (link, record.Title, record.Members);
        }

        var values = this.Translator(place.Side).ToAgreed(raw).Values;
        return (null, values[this.IndexOf(mirror.TitleField)] is { IsEmpty: false } title ? title.Display : null, [placed.Known]);
    }

    private Translator Translator(int side) => new(mirror, side, CatalogueCollection.Unknown(mirror.Sides[side].Collection), clock.GetUtcNow(), references);

    private int IndexOf(string field) => mirror.Fields.Select(f => f.Name).ToList().IndexOf(field);

    private static IEnumerable<(RecordPlace Place, Guid? Link)> Seen(Guid? link, IEnumerable<KnownRecord> members) => members.Select(m => (new RecordPlace(m.Side, m.Id), link));

    private JudgementEnd Ended(long? id, Guid? link) => id switch
    {
        null => new JudgementEnd(DecisionEnd.ChangedMeanwhile, $"A run of {mirror.Name} is going on. Say it again when it has ended."),
        IRegroupingStore.OtherMeanwhile => new JudgementEnd(DecisionEnd.ChangedMeanwhile, "A run or somebody else has linked one of them meanwhile. Look again, then decide."),
        _ => new JudgementEnd(DecisionEnd.Made, null, id, link),
    };
}
