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
    public async Task<(DecisionEnd End, string? Why)> Decide(long conflict, int revision, Answer answer, string who, CancellationToken cancellation)
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

        var agreed = open.Fields.Select((name, i) => (name, Value: new AgreedValue(values[i], Candidate.Person, at, who, at, 0, what))).ToDictionary(a => a.name, a => a.Value);
        var journal = open.Fields.Select((name, i) => new JournalEntry(
            open.Link, JournalKind.Decided, null, name,
            ValueJson.Write(record.Agreed.GetValueOrDefault(name)?.Value ?? Value.Empty), ValueJson.Write(values[i]), what, who))
            .Concat(Lost(open, values, what, who)).ToImmutableArray();
        var decided = new Decided(open.Link, conflict, revision, agreed, [.. record.Members.Where(m => m.Raw is not null).Select(m => this.After(m, open.Fields))], ImmutableDictionary<int, Removal>.Empty, who, what, journal);
        return await store.SaveDecided(decided, cancellation) ? (DecisionEnd.Made, null) : (DecisionEnd.ChangedMeanwhile, "Somebody decided it a moment ago.");
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
