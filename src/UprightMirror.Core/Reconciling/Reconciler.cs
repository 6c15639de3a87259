using System.Collections.Immutable;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Reconciling;

/// <summary>
/// Decides what becomes of one record: state and observations in, outcome out. Pure: no clock, no I/O, no randomness, and
/// the same answer in whatever order the sides are looked at (law L5).
/// </summary>
public static class Reconciler
{
    /// <summary>Reconciles one record. An unchanged record costs no allocation.</summary>
    public static Outcome Reconcile(ReconcileRules rules, RecordState record)
    {
        var quiet = record.Open.IsEmpty;
        foreach (var side in record.Sides)
        {
            quiet &= side is { Now: not null, IsOutOfScope: false };
        }

        return quiet && IsSettled(rules, record) ? Outcome.Unchanged : new Reconciliation(rules, record).Decide();
    }

    /// <summary>True when every side is as it was and holds what is agreed: the case of nearly every record in nearly every run.</summary>
    private static bool IsSettled(ReconcileRules rules, RecordState record)
    {
        if (record.Agreed is not { } agreed)
        {
            return false;
        }

        for (var s = 0; s < record.Sides.Length; s++)
        {
            var side = record.Sides[s];
            if (side.Shadow is not { } shadow || side.Owed is not null)
            {
                return false;
            }

            var now = side.Now!;
            var gives = rules.Sides[s].Gives;
            var takes = rules.Sides[s].Takes;
            for (var f = 0; f < now.Length; f++)
            {
                if (!gives[f] && !takes[f])
                {
                    continue;
                }

                if (!Same(now[f], shadow[f]) || agreed[f] is not { } settled)
                {
                    return false;
                }

                if (takes[f] ? !Same(settled.Value, now[f]) && !Same(settled.Value, side.Told?[f]) : SpeaksAgainst(rules, settled, now[f], f))
                {
                    return false;
                }
            }
        }

        foreach (var f in rules.WorkedOut)
        {
            if (agreed[f] is not { } known || Worked(rules, f, agreed, record.Around, out _) is not { } value || !Same(value, known.Value))
            {
                return false;
            }
        }

        return true;
    }

    /// <summary>The value of a field that is made of others; null when it can't be worked out.</summary>
    internal static Value? Worked(ReconcileRules rules, int field, AgreedField?[] agreed, Surroundings around, out string? why)
    {
        var worked = rules.Fields[field].WorkedOut!;
        var inputs = new Value[worked.Inputs.Length];
        for (var i = 0; i < inputs.Length; i++)
        {
            inputs[i] = agreed[worked.Inputs[i]]?.Value ?? Value.Empty;
        }

        return worked.Work(inputs, around, out why);
    }

    /// <summary>Whether a side that gives a field says something else than a value that was only agreed for now.</summary>
    private static bool SpeaksAgainst(ReconcileRules rules, AgreedField agreed, Value now, int field) =>
        agreed.Side >= 0 && !rules.Sides[agreed.Side].Gives[field] && !now.IsEmpty && !Same(agreed.Value, now);

    internal static bool Same(Value a, Value? b) =>
        ReferenceEquals(a, b) || (a is TextValue text ? b is TextValue other && string.Equals(text.Content, other.Content) : a.Equals(b));
}

/// <summary>The work on one record that is not simply as it was.</summary>
file sealed class Reconciliation(ReconcileRules rules, RecordState record)
{
    private readonly AgreedField?[] agreed = record.Agreed is { } known ? [.. known] : new AgreedField?[rules.Fields.Length];
    private readonly bool[] unitMoved = new bool[rules.Units.Length];
    private readonly bool[] frozen = new bool[rules.Fields.Length];
    private readonly string?[] causes = new string?[rules.Fields.Length];
    private readonly List<Conflict> conflicts = [];
    private readonly List<OpenConflict> closed = [];
    private readonly List<AgreedChange> changes = [];
    private readonly List<HeldDrift> heldDrifts = [];
    private readonly List<Superseded> superseded = [];
    private readonly List<int> forgotten = [];
    private readonly List<NotWorkedOut> notWorkedOut = [];

    public Outcome Decide()
    {
        if (Enumerable.Range(0, record.Sides.Length).FirstOrDefault(s => record.Sides[s] is { IsOutOfScope: true, Now: not null }, -1) is >= 0 and var outside)
        {
            return this.Leave(outside);
        }

        var removed = Enumerable.Range(0, record.Sides.Length).Where(s => record.Sides[s] is { Now: null, Shadow: not null }).ToList();
        if (removed.Count > 0 && this.DecideRemoval(removed) is { } decided)
        {
            return decided;
        }

        if (record.Sides.All(s => s.Now is null))
        {
            return new Outcome { GoneEverywhere = true };
        }

        foreach (var unit in rules.Units)
        {
            if (rules.Fields[unit.Fields[0]].WorkedOut is null)
            {
                this.SettleUnit(unit);
            }
        }

        foreach (var field in rules.WorkedOut)
        {
            this.WorkOut(field);
        }

        var writes = Enumerable.Range(0, record.Sides.Length).Select(this.WriteFor).Where(w => w is not null).Select(w => w!).ToImmutableArray();
        return new Outcome
        {
            Changes = [.. this.changes],
            Writes = writes,
            Conflicts = [.. this.conflicts],
            ClosedConflicts = [.. this.closed],
            HeldDrifts = [.. this.heldDrifts],
            Superseded = [.. this.superseded],
            NotWorkedOut = [.. this.notWorkedOut],
            Forgotten = [.. this.forgotten],
            Frozen = this.frozen.Contains(true) ? this.frozen : null,
            Causes = this.causes.Select((why, field) => (why, field)).Where(c => c.why is not null).ToImmutableDictionary(c => c.field, c => c.why!),
        };
    }

    /// <summary>The record is not in the scope: it is left as it is, or removed where it only followed.</summary>
    private Outcome Leave(int outside) => new()
    {
        NotFollowed = outside,
        Writes = rules.Sides[outside].Leaving != Leaving.RemoveFollowers ? [] : [.. Enumerable.Range(0, record.Sides.Length)
            .Where(s => s != outside && record.Sides[s].Now is not null && rules.Sides[s].MayRemove && !rules.Sides[s].Gives.Contains(true))
            .Select(s => new SideWrite(s, WriteKind.Remove, []))],
    };

    /// <summary>What a removal means. Null when the record goes on: the removed side is then forgotten, or gets it again.</summary>
    private Outcome? DecideRemoval(List<int> removed)
    {
        var present = Enumerable.Range(0, record.Sides.Length).Where(s => record.Sides[s].Now is not null).ToList();
        if (present.Count == 0)
        {
            return new Outcome { GoneEverywhere = true };
        }

        var changedElsewhere = present.Any(s => this.GivenChanges(s).Any());
        var answers = removed.Select(s => (Side: s, Answer: record.Sides[s].RemovalDecision ?? (changedElsewhere ? Removal.Ask : rules.Sides[s].Removal))).ToList();
        var names = string.Join(" and ", removed.Select(s => rules.SideNames[s]));
        if (answers.Any(a => a.Answer == Removal.Ask))
        {
            var all = Enumerable.Range(0, rules.Fields.Length).ToImmutableArray();
            var values = present.Select(s => KeyValuePair.Create(s, (ImmutableArray<Value>?)[.. record.Sides[s].Now!]))
                .Concat(removed.Select(s => KeyValuePair.Create(s, (ImmutableArray<Value>?)null)))
                .ToImmutableSortedDictionary();
            return new Outcome
            {
                Conflicts = [new Conflict(all, values, changedElsewhere ? $"removed in {names} and changed in {string.Join(" and ", present.Where(s => this.GivenChanges(s).Any()).Select(s => rules.SideNames[s]))}" : $"removed in {names}")],
                Frozen = [.. all.Select(_ => true)],
                Causes = all.ToImmutableDictionary(f => f, _ => $"frozen: removed in {names}, and a person must say what that means"),
            };
        }

        if (answers.Any(a => a.Answer == Removal.RemoveElsewhere))
        {
            return new Outcome
            {
                Writes = [.. present.Where(s => rules.Sides[s].MayRemove || answers.Any(a => record.Sides[a.Side].RemovalDecision == Removal.RemoveElsewhere))
                    .Select(s => new SideWrite(s, WriteKind.Remove, []))],
            };
        }

        this.forgotten.AddRange(answers.Where(a => a.Answer == Removal.ForgetLink).Select(a => a.Side));
        return null;
    }

    private IEnumerable<int> GivenChanges(int s) => Enumerable.Range(0, rules.Fields.Length)
        .Where(f => rules.Sides[s].Gives[f] && record.Sides[s].Shadow?[f] is { } shadow && !Reconciler.Same(record.Sides[s].Now![f], shadow));

    private void SettleUnit(ReconcileRules.Unit unit)
    {
        var open = record.Open.FirstOrDefault(c => c.Fields.Any(unit.Fields.Contains));
        if (unit.Fields.All(f => this.agreed[f] is not null))
        {
            this.SettleKnown(unit, [.. unit.Fields.Select(f => this.agreed[f]!.Value)], open);
            return;
        }

        // Nothing agreed yet. Sides that were known before (a field added to a mirror, say) first meet by their shadows, so
        // that what changed since then is still seen as a change.
        var known = unit.Givers.Where(s => record.Sides[s].Now is not null && this.ShadowOf(s, unit) is not null)
            .Select(s => new Candidate(s, this.ShadowOf(s, unit)!.Value, null)).ToImmutableArray();
        if (known.IsEmpty)
        {
            this.MeetFirst(unit);
            return;
        }

        var met = Met(unit, known, rules.SideNames);
        if (met.IsConflict)
        {
            this.Freeze(unit, known, met.Why);
            return;
        }

        this.Agree(unit, met);
        this.Supersede(unit, known, met, metNow: true);
        this.SettleKnown(unit, met.Values, open);
    }

    /// <summary>
    /// Works a field out of others as they are agreed by now. Where one of them was never agreed because it is in conflict, the field has to
    /// wait for it; where it can't be worked out it is written nowhere.
    /// </summary>
    private void WorkOut(int field)
    {
        var worked = rules.Fields[field].WorkedOut!;
        if (worked.Inputs.Any(i => this.frozen[i] && this.agreed[i] is null))
        {
            this.frozen[field] = true;
        }
        else if (Reconciler.Worked(rules, field, this.agreed, record.Around, out var why) is { } value)
        {
            this.Agree(rules.Units[rules.UnitOfField[field]], new Verdict([value], Candidate.WorkedOut, null, WhereFrom(worked)));
        }
        else
        {
            this.frozen[field] = true;
            this.notWorkedOut.Add(new NotWorkedOut(field, why ?? "there is no value"));
        }
    }

    private string WhereFrom(WorkedOut worked) => worked.Inputs.IsEmpty && worked.Linked.IsEmpty ? "worked out"
        : $"worked out of {string.Join(", ", worked.Inputs.Select(i => rules.Fields[i].Name).Concat(worked.Linked.Select(l => $"{l.Field} of the linked {l.Mirror}")))}";

    private void SettleKnown(ReconcileRules.Unit unit, ImmutableArray<Value> before, OpenConflict? open)
    {
        var changed = unit.Givers.Where(s => this.Changed(s, unit)).ToList();
        if (open is not null)
        {
            this.SettleOpen(unit, before, open, changed);
            return;
        }

        // A side that was owed the agreed value and says it by now was told it, though its answer was lost.
        var candidates = changed.Select(s => this.CandidateOf(s, unit, before)).Where(c => !(this.IsOwed(c.Side, unit) && c.Values.AsSpan().SequenceEqual(before.AsSpan()))).ToList();
        var blind = candidates.Select(c => c.Side).Where(s => this.IsOwed(s, unit)).ToList();
        if (blind.Count > 0)
        {
            // Who changed it here did not know the agreed value yet: that value competes, as the change that it came from.
            var origin = unit.Fields.Where(f => blind.Any(s => record.Sides[s].Owed![f] && rules.Sides[s].Gives[f])).Select(f => this.agreed[f]!).MaxBy(a => a.ChangedAt ?? DateTimeOffset.MinValue)!;
            if (!changed.Contains(origin.Side))
            {
                candidates.Add(new Candidate(origin.Side, before, origin.ChangedAt));
            }
        }

        if (candidates.Count == 0 && this.AgreedForNow(unit))
        {
            // Who gives the unit says something by now, though it did not change: what was kept for now gives way.
            candidates.AddRange(unit.Givers.Where(s => record.Sides[s].Now is not null && this.ShadowOf(s, unit) is not null).Select(s => this.CandidateOf(s, unit, before))
                .Where(c => c.Values.Where((value, i) => !value.IsEmpty && !Reconciler.Same(value, before[i])).Any()));
        }

        if (candidates.Count > 0)
        {
            var verdict = this.Settled(unit, [.. candidates], before);
            if (verdict.IsConflict)
            {
                this.Freeze(unit, candidates, verdict.Why);
                return;
            }

            this.Agree(unit, verdict);
            this.Supersede(unit, candidates, verdict, metNow: false);
        }

        this.MeetJoining(unit);
    }

    /// <summary>Whether the agreed value of something that the side gives moved and the side has not been told.</summary>
    private bool IsOwed(int s, ReconcileRules.Unit unit) => record.Sides[s].Owed is { } owed && unit.Fields.Any(f => owed[f] && rules.Sides[s].Gives[f]);

    private Verdict Settled(ReconcileRules.Unit unit, ImmutableArray<Candidate> candidates, ImmutableArray<Value> before)
    {
        var allTheSame = candidates.All(c => c.SaysTheSameAs(candidates[0]));
        if (allTheSame && !unit.Rule.JudgesSingleChanges)
        {
            var first = candidates.MinBy(c => unit.Rule.Rank.IndexOf(c.Side));
            return Verdict.Take(first, candidates.Length == 1
                ? $"only {this.NameOf(first.Side)} changed it"
                : $"{string.Join(" and ", candidates.Select(c => this.NameOf(c.Side)))} changed it to the same");
        }

        return unit.Rule.Decide(candidates, before, rules.SideNames);
    }

    /// <summary>A conflict stays open until a person decides it, or until the sides that compete say the same.</summary>
    private void SettleOpen(ReconcileRules.Unit unit, ImmutableArray<Value> before, OpenConflict open, List<int> changed)
    {
        var competing = open.Sides.Union(changed).Union(this.Joining(unit, before).Select(c => c.Side)).Order().Where(s => s == Candidate.Person || record.Sides[s].Now is not null)
            .Select(s => s == Candidate.Person ? new Candidate(s, before, null) : this.CandidateOf(s, unit, before)).ToImmutableArray();
        if (competing.Length > 0 && competing.All(c => c.SaysTheSameAs(competing[0])))
        {
            this.closed.Add(open);
            this.Agree(unit, Verdict.Take(competing.MinBy(c => unit.Rule.Rank.IndexOf(c.Side)), $"{string.Join(" and ", competing.Select(c => this.NameOf(c.Side)))} came to the same value by themselves"));
            this.MeetJoining(unit);
            return;
        }

        this.Freeze(unit, competing, "the conflict is still open");
    }

    /// <summary>What sides say that hold the record and whose value of this unit was never looked at, where it is another than the agreed one.</summary>
    private IEnumerable<Candidate> Joining(ReconcileRules.Unit unit, ImmutableArray<Value> before) =>
        unit.Givers.Where(s => record.Sides[s].Now is not null && this.ShadowOf(s, unit) is null)
            .Select(s => this.CandidateOf(s, unit, before)).Where(c => !c.IsEmpty && !c.Values.AsSpan().SequenceEqual(before.AsSpan()));

    /// <summary>Sides that hold the record and whose value of this unit was never looked at meet what the others have settled on.</summary>
    private void MeetJoining(ReconcileRules.Unit unit)
    {
        var before = unit.Fields.Select(f => this.agreed[f]!.Value).ToImmutableArray();
        var joining = this.Joining(unit, before).ToImmutableArray();
        if (joining.IsEmpty)
        {
            return;
        }

        var met = unit.Givers.Where(s => record.Sides[s].Now is not null && this.ShadowOf(s, unit) is not null).ToList();
        var settled = new Candidate(met.Count > 0 ? met.MinBy(s => unit.FirstMeeting.Rank.IndexOf(s)) : Candidate.Person, before, this.agreed[unit.Fields[0]]!.ChangedAt);
        if (unit.Rule.JudgesSingleChanges && !settled.IsEmpty)
        {
            var judged = unit.Rule.Decide(joining, before, rules.SideNames);
            if (judged.IsConflict)
            {
                this.Freeze(unit, joining, judged.Why);
                return;
            }

            this.Agree(unit, judged);
            this.Supersede(unit, joining, judged, metNow: true);
            return;
        }

        // With no side left that knows the agreed value, the sides that hold the record now speak for it.
        this.Meet(unit, settled.IsEmpty || met.Count == 0 ? joining : joining.Add(settled));
    }

    /// <summary>
    /// Nothing was ever agreed. While no side that gives the unit has the record, or where they are empty and emptying does not
    /// travel, what a side that only takes it says is kept for now.
    /// </summary>
    private void MeetFirst(ReconcileRules.Unit unit)
    {
        ImmutableArray<Value> nothing = [.. unit.Fields.Select(_ => Value.Empty)];
        var giving = unit.Givers.Where(s => record.Sides[s].Now is not null).Select(s => this.CandidateOf(s, unit, nothing)).ToImmutableArray();
        if (giving.IsEmpty || (giving.All(c => c.IsEmpty) && unit.Fields.All(f => !rules.Fields[f].EmptyTravels)))
        {
            var taking = Enumerable.Range(0, record.Sides.Length)
                .Where(s => record.Sides[s].Now is not null && !unit.Givers.Contains(s) && unit.Fields.Any(f => rules.Sides[s].Takes[f]))
                .Select(s => new Candidate(s, [.. unit.Fields.Select(f => rules.Sides[s].Takes[f] ? record.Sides[s].Now![f] : Value.Empty)], record.Sides[s].ChangedAt))
                .Where(c => !c.IsEmpty)
                .ToImmutableArray();
            giving = taking.IsEmpty ? giving : taking;
        }

        if (!giving.IsEmpty)
        {
            this.Meet(unit, giving);
        }
    }

    /// <summary>Whether the agreed value came from a side that does not give it, at a first meeting, for want of another.</summary>
    private bool AgreedForNow(ReconcileRules.Unit unit) => unit.Fields.All(f => this.agreed[f] is { Side: >= 0 and var side } && !rules.Sides[side].Gives[f]);

    private void Meet(ReconcileRules.Unit unit, ImmutableArray<Candidate> candidates)
    {
        var verdict = Met(unit, candidates, rules.SideNames);
        if (verdict.IsConflict)
        {
            this.Freeze(unit, candidates.Where(c => !c.IsEmpty), verdict.Why);
            return;
        }

        this.Agree(unit, verdict);
        this.Supersede(unit, candidates, verdict, metNow: true);
    }

    private static Verdict Met(ReconcileRules.Unit unit, ImmutableArray<Candidate> candidates, IReadOnlyList<string> names)
    {
        var filled = candidates.Where(c => !c.IsEmpty).ToImmutableArray();
        ImmutableArray<Value> empty = [.. unit.Fields.Select(_ => Value.Empty)];
        return filled switch
        {
            [] => new Verdict(empty, unit.Givers[0], null, "first meeting: empty on every side"),
            [var only] => Verdict.Take(only, $"first meeting: only {names[only.Side]} says something"),
            [var first, .. var others] when others.All(o => o.SaysTheSameAs(first)) =>
                Verdict.Take(filled.MinBy(c => unit.FirstMeeting.Rank.IndexOf(c.Side)), "first meeting: the sides say the same"),
            _ => unit.FirstMeeting.Decide(filled, empty, names) is { IsConflict: false } verdict
                ? verdict with { Why = $"first meeting: {verdict.Why}" }
                : Verdict.Conflict("first meeting: the sides say different things"),
        };
    }

    private void Agree(ReconcileRules.Unit unit, Verdict verdict)
    {
        for (var i = 0; i < unit.Fields.Length; i++)
        {
            var field = unit.Fields[i];
            this.causes[field] = verdict.Why;
            var before = this.agreed[field];
            if (before is not null && before.Value.Equals(verdict.Values[i]))
            {
                continue;
            }

            var after = new AgreedField(verdict.Values[i], verdict.Side, verdict.ChangedAt);
            this.agreed[field] = after;
            this.unitMoved[unit.Index] = true;
            this.changes.RemoveAll(c => c.Field == field);
            if (record.Agreed?[field] is not { } atFirst || !atFirst.Value.Equals(after.Value))
            {
                this.changes.Add(new AgreedChange(field, record.Agreed?[field]?.Value ?? Value.Empty, after, verdict.Why));
            }
        }
    }

    private void Supersede(ReconcileRules.Unit unit, IEnumerable<Candidate> candidates, Verdict verdict, bool metNow)
    {
        foreach (var candidate in candidates.Where(c => c.Side != Candidate.Person))
        {
            for (var i = 0; i < unit.Fields.Length; i++)
            {
                var field = unit.Fields[i];
                var (said, by) = (candidate.Values[i], verdict.Values[i]);
                var counts = rules.Sides[candidate.Side].Gives[field] && !(metNow && said.IsEmpty);
                if (counts && !said.Equals(by) && !(said is ListValue list && by is ListValue all && list.Items.All(all.Items.Contains)))
                {
                    this.superseded.Add(new Superseded(candidate.Side, field, said, by, verdict.Why));
                }
            }
        }
    }

    private void Freeze(ReconcileRules.Unit unit, IEnumerable<Candidate> competing, string why)
    {
        foreach (var field in unit.Fields)
        {
            this.frozen[field] = true;
            this.causes[field] = $"in conflict: {why}";
            this.agreed[field] = record.Agreed?[field];
            this.changes.RemoveAll(c => c.Field == field);
        }

        this.conflicts.Add(new Conflict(unit.Fields, competing.ToImmutableSortedDictionary(c => c.Side, c => (ImmutableArray<Value>?)c.Values), why));
    }

    private SideWrite? WriteFor(int s)
    {
        var side = record.Sides[s];
        var sideRules = rules.Sides[s];
        if (this.forgotten.Contains(s) || (side.Now is null && !sideRules.MayCreate))
        {
            return null;
        }

        var fields = ImmutableArray.CreateBuilder<(int, Value, string)>();
        for (var f = 0; f < rules.Fields.Length; f++)
        {
            if (!sideRules.Takes[f] || this.frozen[f] || this.agreed[f] is not { Value: var value })
            {
                continue;
            }

            if (side.Now is null ? !value.IsEmpty : !this.Holds(s, f, value) && this.MayWrite(s, f))
            {
                fields.Add((f, value, this.causes[f] ?? SideWrite.NotHeld));
            }
        }

        var kind = side.Now is null ? WriteKind.Create : WriteKind.Change;
        return fields.Count > 0 ? new SideWrite(s, kind, fields.DrainToImmutable()) : null;
    }

    /// <summary>Whether the side holds the value, in its own form: as said now, or as it stored it when it was last told.</summary>
    private bool Holds(int s, int f, Value value)
    {
        var side = record.Sides[s];
        return Reconciler.Same(value, side.Now![f]) || (Reconciler.Same(value, side.Told?[f]) && Reconciler.Same(side.Now[f], side.Shadow?[f]));
    }

    /// <summary>Drift: an edit on a side that only takes the field is put back unless the field says otherwise.</summary>
    private bool MayWrite(int s, int f)
    {
        var side = record.Sides[s];
        if (rules.Sides[s].Gives[f] || rules.Sides[s].Drift[f] == Drift.PutBack || side.Shadow?[f] is not { } shadow)
        {
            return true;
        }

        if (rules.Sides[s].Drift[f] == Drift.Leave)
        {
            return this.unitMoved[rules.UnitOfField[f]] || side.Owed?[f] == true;
        }

        if (Reconciler.Same(side.Now![f], shadow))
        {
            return true;
        }

        this.heldDrifts.Add(new HeldDrift(s, f, shadow, side.Now[f]));
        return false;
    }

    private bool Changed(int s, ReconcileRules.Unit unit)
    {
        var side = record.Sides[s];
        return side.Now is not null && this.ShadowOf(s, unit) is not null && unit.Fields.Any(f =>
            rules.Sides[s].Gives[f] && !Reconciler.Same(side.Now[f], side.Shadow![f]) && (rules.Fields[f].EmptyTravels || !side.Now[f].IsEmpty));
    }

    /// <summary>The side's last known values of the unit; null when any of them was never looked at.</summary>
    private ImmutableArray<Value>? ShadowOf(int s, ReconcileRules.Unit unit) =>
        record.Sides[s].Shadow is { } shadow && unit.Fields.All(f => shadow[f] is not null || !rules.Sides[s].Gives[f])
            ? [.. unit.Fields.Select(f => rules.Sides[s].Gives[f] ? shadow[f]! : Value.Empty)]
            : null;

    /// <summary>
    /// What the side says of the unit: its own values where it gives them; what was agreed where it does not, where an emptied
    /// value does not travel, and where it still holds, stored its own way, what it was told.
    /// </summary>
    private Candidate CandidateOf(int s, ReconcileRules.Unit unit, ImmutableArray<Value> before)
    {
        var side = record.Sides[s];
        return new Candidate(s, [.. unit.Fields.Select((f, i) => Says(f, before[i]) ? side.Now![f] : before[i])], side.ChangedAt);

        bool Says(int f, Value agreedBefore) =>
            rules.Sides[s].Gives[f] &&
            (rules.Fields[f].EmptyTravels || !side.Now![f].IsEmpty) &&
            !(Reconciler.Same(agreedBefore, side.Told?[f]) && Reconciler.Same(side.Now![f], side.Shadow?[f]));
    }

    private string NameOf(int side) => side == Candidate.Person ? "a person" : rules.SideNames[side];
}
