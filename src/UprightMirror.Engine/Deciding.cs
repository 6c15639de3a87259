using System.Collections.Immutable;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>What a person answers to a conflict.</summary>
public abstract record Answer
{
    private Answer()
    {
    }

    /// <summary>This side's values.</summary>
    public sealed record TakeSide(int Side) : Answer;

    /// <summary>The agreed values from before.</summary>
    public sealed record KeepBefore : Answer;

    /// <summary>Other values, typed by the person, one for each field of the conflict.</summary>
    public sealed record TypeAnother(ImmutableArray<string> Texts) : Answer;

    /// <summary>What all sides say together, of fields that hold lists.</summary>
    public sealed record Combine : Answer;

    /// <summary>What a removal means.</summary>
    public sealed record OfRemoval(Removal Meaning) : Answer;
}

/// <summary>How a decision ended: made, or why it could not be.</summary>
public enum DecisionEnd
{
    Made,
    ChangedMeanwhile,
    NotPossible,
}

/// <summary>Applies a person's decision on a conflict: the agreed value becomes theirs, and the competing values count as known.</summary>
public sealed class Deciding(MirrorDefinition mirror, IReadOnlyList<string> systems, IDecisionStore store, TimeProvider clock)
{
    /// <summary>Decides a conflict. The next run writes it to the sides.</summary>
    /// <param name="revision">The revision that the person saw.</param>
    /// <param name="who">The person, by name: it stands in the journal.</param>
    /// <returns>How it ended, and a sentence when it was not made.</returns>
    public async Task<(DecisionEnd End, string? Why)> Decide(long conflict, int revision, Answer answer, string who, CancellationToken cancellation, string? comment = null)
    {
        if (await store.ReadOpenConflict(conflict, cancellation) is not { } open || await store.ReadLinked(open.Link, cancellation) is not { } record)
        {
            return (DecisionEnd.ChangedMeanwhile, "This conflict is no longer open: somebody decided it, or the sides came to the same value.");
        }

        if (open.Revision != revision)
        {
            return (DecisionEnd.ChangedMeanwhile, "The values changed since you looked. Look again, then decide.");
        }

        var removedSides = open.Values.Where(v => v.Value is null).Select(v => v.Key).ToList();
        if (removedSides.Count > 0 != answer is Answer.OfRemoval)
        {
            return (DecisionEnd.NotPossible, removedSides.Count > 0 ? "This record was removed on one side: say what that means." : "This conflict is about values, not about a removal.");
        }

        var at = clock.GetUtcNow();
        if (answer is Answer.OfRemoval { Meaning: var meaning })
        {
            var words = meaning switch { Removal.RemoveElsewhere => "remove it elsewhere", Removal.CreateAgain => "create it again", Removal.ForgetLink => "forget the link", _ => "leave it" };
            var entry = new JournalEntry(open.Link, JournalKind.Decided, removedSides[0], null, null, null, $"decided: {words}", who);
            return await store.SaveDecided(new Decided(open.Link, conflict, revision, ImmutableDictionary<string, AgreedValue>.Empty, [], removedSides.ToDictionary(s => s, _ => meaning), who, words, [entry]), cancellation)
                ? (DecisionEnd.Made, null)
                : (DecisionEnd.ChangedMeanwhile, "Somebody decided it a moment ago.");
        }

        var (values, what, problem) = this.Chosen(open, record, answer);
        if (problem is not null)
        {
            return (DecisionEnd.NotPossible, problem);
        }

        what = comment is null ? what : $"{what} ({comment})";
        var agreed = open.Fields.Select((name, i) => (name, Value: new AgreedValue(values[i], Candidate.Person, at, who, at, 0, what))).ToDictionary(a => a.name, a => a.Value);
        var journal = open.Fields.Select((name, i) => new JournalEntry(
            open.Link, JournalKind.Decided, null, name,
            ValueJson.Write(record.Agreed.GetValueOrDefault(name)?.Value ?? Value.Empty), ValueJson.Write(values[i]), what, who))
            .Concat(Lost(open, values, what, who)).ToImmutableArray();
        var decided = new Decided(open.Link, conflict, revision, agreed, [.. record.Members.Where(m => m.Raw is not null).Select(m => this.After(m, open.Fields))], ImmutableDictionary<int, Removal>.Empty, who, what, journal)
        {
            Chosen = open.Fields.Select((name, i) => (name, value: values[i])).ToDictionary(c => c.name, c => c.value),
            Before = open.Fields.ToDictionary(f => f, f => record.Agreed.GetValueOrDefault(f)),
            Memory = [.. record.Members.Where(m => m.Raw is not null).SelectMany(m => this.MemoryOf(m, open.Fields))],
            Comment = comment,
        };
        return await store.SaveDecided(decided, cancellation) ? (DecisionEnd.Made, null) : (DecisionEnd.ChangedMeanwhile, "Somebody decided it a moment ago.");
    }

    /// <summary>Sets an agreed value that no conflict is about, because a person says so; the next run writes it to the sides. It can be undone like any decision.</summary>
    public async Task<(DecisionEnd End, string? Why)> Correct(Guid link, string field, string text, string who, CancellationToken cancellation)
    {
        if (await store.ReadLinked(link, cancellation) is not { } record || mirror.Fields.FirstOrDefault(f => f.Name == field) is not { } definition)
        {
            return (DecisionEnd.ChangedMeanwhile, "The record is not linked any more. Look again.");
        }

        if (definition.WorkedOut is not null || definition.Type is FieldType.Lines or FieldType.Reference)
        {
            return (DecisionEnd.NotPossible, $"{field} is worked out, or is made of other records: put right what it is made of.");
        }

        if (record.OpenConflicts.Any(c => c.Fields.Contains(field)))
        {
            return (DecisionEnd.NotPossible, $"{field} is in conflict: decide that, and it is right everywhere.");
        }

        var asked = new ConflictToDecide(0, link, [field], ImmutableSortedDictionary<int, ImmutableArray<Value>?>.Empty, 1);
        var (values, _, problem) = this.Chosen(asked, record, new Answer.TypeAnother([text]));
        if (problem is not null)
        {
            return (DecisionEnd.NotPossible, problem);
        }

        const string What = "put right by hand";
        var (at, before) = (clock.GetUtcNow(), record.Agreed.GetValueOrDefault(field));
        var members = record.Members.Where(m => m.Raw is not null).ToList();
        var decided = new Decided(
            link, 0, 1, new Dictionary<string, AgreedValue> { [field] = new(values[0], Candidate.Person, at, who, at, 0, What) }, [.. members.Select(m => this.After(m, [field]))], ImmutableDictionary<int, Removal>.Empty, who, What,
            [new JournalEntry(link, JournalKind.Decided, null, field, ValueJson.Write(before?.Value ?? Value.Empty), ValueJson.Write(values[0]), What, who)])
        {
            Chosen = new Dictionary<string, Value> { [field] = values[0] },
            Before = new Dictionary<string, AgreedValue?> { [field] = before },
            Memory = [.. members.SelectMany(m => this.MemoryOf(m, [field]))],
            ByHand = [field],
        };
        return await store.SaveDecided(decided, cancellation) ? (DecisionEnd.Made, null) : (DecisionEnd.ChangedMeanwhile, "The record changed a moment ago. Look again.");
    }

    /// <summary>What the sides said last in a conflict and lost with. It may be more than was said when the conflict opened.</summary>
    private static IEnumerable<JournalEntry> Lost(ConflictToDecide open, ImmutableArray<Value> chosen, string what, string who) =>
        from side in open.Values
        where side.Key >= 0 && side.Value is not null
        from said in side.Value!.Value.Select((value, i) => (Value: value, Field: i))
        where !said.Value.IsEmpty && !said.Value.Equals(chosen[said.Field])
        select new JournalEntry(open.Link, JournalKind.Superseded, side.Key, open.Fields[said.Field], ValueJson.Write(said.Value), ValueJson.Write(chosen[said.Field]), what, who);

    private (ImmutableArray<Value> Values, string What, string? Problem) Chosen(ConflictToDecide open, LinkedRecord record, Answer answer)
    {
        switch (answer)
        {
            case Answer.TakeSide { Side: var side } when open.Values.TryGetValue(side, out var says) && says is { } values:
                return (values, side == Candidate.Person ? "decided: the value set before" : $"decided: {systems[side]}'s value", null);
            case Answer.TakeSide:
                return ([], "", "That side does not compete in this conflict.");
            case Answer.KeepBefore:
                return ([.. open.Fields.Select(f => record.Agreed.GetValueOrDefault(f)?.Value ?? Value.Empty)], "decided: keep the value from before", null);
            case Answer.Combine when open.Fields.All(f => mirror.Fields.First(d => d.Name == f).Type == FieldType.List):
                var all = new AllOfThem(SettlingRule.FullRank([], systems.Count)).Decide([.. open.Values.Select(v => new Candidate(v.Key, v.Value!.Value, null))], [.. open.Fields.Select(_ => Value.Empty)], systems);
                return (all.Values, "decided: what all of them say", null);
            case Answer.Combine:
                return ([], "", "Only lists can be put together. Take one side's value, or type another.");
            case Answer.TypeAnother { Texts: var texts } when texts.Length == open.Fields.Length:
                var country = mirror.CountryField is { } field ? record.Agreed.GetValueOrDefault(field)?.Value.Display : null;
                var typed = open.Fields.Select((f, i) => (Field: f, Text: texts[i], mirror.Fields.First(d => d.Name == f).Type))
                    .Select(t => (t.Field, t.Text, t.Type, Value: ValueJson.FromText(t.Text.Trim(), t.Type, country is { Length: 2 } ? country : null)))
                    .ToList();
                return typed.FirstOrDefault(t => t.Value is null) is { Field: not null } wrong
                    ? ([], "", $"{wrong.Field}: {ValueJson.Quoted(wrong.Text)} can't be read as {ValueJson.Described(wrong.Type)}.")
                    : ([.. typed.Select(t => t.Value!)], "decided: a value typed by hand", null);
            default:
                return ([], "", "Give one value for each field of the conflict.");
        }
    }

    /// <summary>What a decision on an open conflict would come to, without making it: one value for each field.</summary>
    /// <returns>Null when it can't be made, with why.</returns>
    public async Task<(ImmutableArray<Value>? Values, string? Why)> Foresee(long conflict, Answer answer, CancellationToken cancellation)
    {
        if (await store.ReadOpenConflict(conflict, cancellation) is not { } open || await store.ReadLinked(open.Link, cancellation) is not { } record || open.Values.Values.Any(v => v is null))
        {
            return (null, "This conflict is no longer open, or is about a removal.");
        }

        var (values, _, problem) = this.Chosen(open, record, answer);
        return problem is null ? (values, null) : (null, problem);
    }

    /// <summary>
    /// Takes a decision back. What was agreed before is agreed again, the conflict is open again, and what the decision wrote since is written back; what somebody changed
    /// there since is left as it is.
    /// </summary>
    /// <returns>How it ended; where it was made, what was left as it is, one sentence each.</returns>
    public async Task<(DecisionEnd End, IReadOnlyList<string> Words)> Undo(long conflict, string who, CancellationToken cancellation)
    {
        if (await store.ReadDecided(conflict, cancellation) is not { } decided || await store.ReadLinked(decided.Link, cancellation) is not { } record)
        {
            return (DecisionEnd.NotPossible, ["This decision can't be undone: it was undone already, or its record is not linked any more."]);
        }

        var written = await store.ReadWrittenSince(conflict, cancellation);
        var sides = ImmutableArray.CreateBuilder<SideAfter>();
        var putBack = ImmutableArray.CreateBuilder<Delivery>();
        var left = new List<string>();
        foreach (var memory in decided.Memory.GroupBy(m => (m.Side, m.Id)))
        {
            if (record.Members.FirstOrDefault(m => (m.Side, m.Id) == memory.Key) is not { Raw: { } raw } member)
            {
                left.Add($"{systems[memory.Key.Side]} {memory.Key.Id} is not there any more.");
                continue;
            }

            var (shadow, told, owed, unmet) = (member.Shadow ?? raw, new Dictionary<string, string>(member.Told), new HashSet<string>(member.Owed), new HashSet<string>(member.Unmet));
            var back = ImmutableArray.CreateBuilder<DeliveredField>();
            foreach (var known in memory)
            {
                var now = raw[known.Path];
                if (!now.Equals(known.Raw) && written.TryGetValue((known.Side, known.Field), out var by) && now.Equals(by))
                {
                    back.Add(new DeliveredField(known.Field, known.Path, now, known.Raw, decided.Values.GetValueOrDefault(known.Side) is { } said ? said[decided.Fields.IndexOf(known.Field)] : decided.Before[known.Field]?.Value ?? Value.Empty, "a decision was undone"));
                }
                else if (!now.Equals(known.Raw))
                {
                    left.Add($"{systems[known.Side]} {known.Id}: {known.Field} was changed since to {ValueJson.Quoted(now.Display)}, and stays so.");
                    owed.Remove(known.Field);
                    continue;
                }

                shadow = known.Shadow is null ? shadow : shadow.With(known.Path, known.Shadow);
                Set(told, known.Field, known.Told);
                Put(owed, known.Field, known.Owed);
                Put(unmet, known.Field, known.Unmet);
            }

            sides.Add(new SideAfter(member.Side, member.Id, shadow, told, owed, unmet));
            if (back.Count > 0)
            {
                putBack.Add(new Delivery(0, record.Link, record.Title, member.Side, WriteKind.Change, member.Id, record.Link.ToString("N"), back.ToImmutable(), member.VersionTag));
            }
        }

        var journal = decided.Fields.Select(f => new JournalEntry(
            decided.Link, JournalKind.Undone, null, f, ValueJson.Write(record.Agreed.GetValueOrDefault(f)?.Value ?? Value.Empty), ValueJson.Write(decided.Before[f]?.Value ?? Value.Empty), $"the decision of {decided.Who} was undone", who)).ToImmutableArray();
        return await store.SaveUndone(new Undone(conflict, decided.Link, decided.Before, sides.ToImmutable(), putBack.ToImmutable(), journal), cancellation)
            ? (DecisionEnd.Made, left)
            : (DecisionEnd.ChangedMeanwhile, ["This decision was undone a moment ago, or its field is in another conflict by now."]);

        static void Set(Dictionary<string, string> told, string field, string? text)
        {
            told.Remove(field);
            if (text is not null)
            {
                told[field] = text;
            }
        }

        static void Put(HashSet<string> fields, string field, bool isIn)
        {
            fields.Remove(field);
            if (isIn)
            {
                fields.Add(field);
            }
        }
    }

    private IEnumerable<SideMemory> MemoryOf(KnownRecord member, ImmutableArray<string> fields) =>
        from name in fields
        let cell = mirror.Fields.First(f => f.Name == name).Cells[member.Side]
        where cell is not null
        select new SideMemory(member.Side, member.Id, name, cell.Path, member.Raw![cell.Path], member.Shadow?[cell.Path], member.Told.GetValueOrDefault(name), member.Owed.Contains(name), member.Unmet.Contains(name));

    /// <summary>What competed is known from now on; every side is owed the decision, so that an edit made before it arrives is seen as made without knowing it.</summary>
    private SideAfter After(KnownRecord member, ImmutableArray<string> fields)
    {
        if (member.IsWaiting)
        {
            // It says something by now that the conflict did not show yet: that competes with the decision.
            return new SideAfter(member.Side, member.Id, null, member.Told, member.Owed.Union(fields.Where(f => mirror.Fields.First(d => d.Name == f).Cells[member.Side]?.Takes == true)).ToHashSet(), member.Unmet);
        }

        var shadow = member.Shadow ?? member.Raw!;
        var told = new Dictionary<string, string>(member.Told);
        var side = member.Side;
        var owed = new HashSet<string>(member.Owed);
        foreach (var name in fields)
        {
            told.Remove(name);
            if (mirror.Fields.First(f => f.Name == name).Cells[side] is { } cell)
            {
                shadow = shadow.With(cell.Path, member.Raw![cell.Path]);
                if (cell.Takes)
                {
                    owed.Add(name);
                }
            }
        }

        return new SideAfter(side, member.Id, shadow, told, owed, member.Unmet.Except(fields).ToHashSet());
    }
}
