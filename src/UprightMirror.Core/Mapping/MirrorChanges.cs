using System.Collections.Immutable;
using System.Globalization;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Timing;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Mapping;

/// <summary>One thing that is otherwise in one version of a mirror than in another.</summary>
/// <param name="Field">The agreed field that it is of, by the name that it has after; null for the mirror as a whole.</param>
/// <param name="Side">The side that it is of, in the mirror's order; null for the agreed record.</param>
/// <param name="What">What it is, such as settling rule.</param>
/// <param name="Before">What it was, in words; null where there was none.</param>
/// <param name="After">What it is now; null where there is none any more.</param>
public sealed record MirrorChange(string? Field, int? Side, string What, string? Before, string? After);

/// <summary>
/// Compares two versions of a mirror. Each is said as plain facts first, every setting one of them; what differs between the two lists is the comparison.
/// So nothing can be otherwise without being told.
/// </summary>
public static class MirrorChanges
{
    private sealed record Fact(string? Field, int? Side, string What, string Text);

    /// <summary>What is otherwise in the second, the mirror as a whole first, then field by field in the order of the second.</summary>
    public static ImmutableArray<MirrorChange> Of(MirrorDefinition before, MirrorDefinition after)
    {
        var changes = ImmutableArray.CreateBuilder<MirrorChange>();
        changes.AddRange(Between(null, OfMirror(before), OfMirror(after)));

        var gone = before.Fields.Where(f => after.Fields.All(a => a.Name != f.Name)).ToList();
        foreach (var field in after.Fields)
        {
            var was = before.Fields.FirstOrDefault(f => f.Name == field.Name) ?? gone.FirstOrDefault(g => Said(g) == Said(field));
            if (was is null)
            {
                changes.Add(new MirrorChange(field.Name, null, "field", null, Summary(field)));
                changes.AddRange(OfField(field).Where(f => f.Side is not null && !IsUsual(f)).Select(f => new MirrorChange(field.Name, f.Side, f.What, null, f.Text)));
                continue;
            }

            if (was.Name != field.Name)
            {
                gone.Remove(was);
                changes.Add(new MirrorChange(field.Name, null, "name", was.Name, field.Name));
            }

            changes.AddRange(Between(field.Name, OfField(was), OfField(field)));
        }

        foreach (var field in gone)
        {
            changes.Add(new MirrorChange(field.Name, null, "field", Summary(field), null));
            changes.AddRange(OfField(field).Where(f => f.Side is not null && f.What == "its field").Select(f => new MirrorChange(field.Name, f.Side, f.What, f.Text, null)));
        }

        if (gone.Count == 0 && before.Fields.Length == after.Fields.Length && changes.All(c => c.What is not ("field" or "name")) && !before.Fields.Select(f => f.Name).SequenceEqual(after.Fields.Select(f => f.Name)))
        {
            changes.Add(new MirrorChange(null, null, "order of the fields", string.Join(", ", before.Fields.Select(f => f.Name)), string.Join(", ", after.Fields.Select(f => f.Name))));
        }

        return changes.ToImmutable();
    }

    /// <summary>Whether what differs has to do with records at all. What a mirror is called, when it runs and which doubts are judged leaves every record as it is.</summary>
    public static bool ConcernRecords(MirrorDefinition before, MirrorDefinition after) =>
        !Of(before with { Name = after.Name, Timing = after.Timing, Judged = after.Judged }, after).IsEmpty;

    /// <summary>What becomes of a run when records can't be taken.</summary>
    public static string TroubleWords(int? stopsAfter) => stopsAfter switch
    {
        null => "are set aside, and the others go on",
        1 => "stop the run at the first",
        _ => $"stop the run after {stopsAfter}",
    };

    private static IEnumerable<MirrorChange> Between(string? field, IEnumerable<Fact> before, IEnumerable<Fact> after)
    {
        var (were, are) = (before.ToList(), after.ToList());
        foreach (var fact in are)
        {
            var was = were.FirstOrDefault(w => (w.Side, w.What) == (fact.Side, fact.What));
            if (was?.Text != fact.Text)
            {
                yield return new MirrorChange(field, fact.Side, fact.What, was?.Text, fact.Text);
            }
        }

        foreach (var fact in were.Where(w => are.All(a => (a.Side, a.What) != (w.Side, w.What))))
        {
            yield return new MirrorChange(field, fact.Side, fact.What, fact.Text, null);
        }
    }

    /// <summary>What goes without saying of a field that is new.</summary>
    private static bool IsUsual(Fact fact) => fact is { What: "conversion", Text: "as it stands" } or { What: "edited there", Text: "put back" };

    private static string Said(AgreedFieldDefinition field) => string.Join('\n', OfField(field).Select(f => $"{f.Side} {f.What} {f.Text}"));

    private static string Summary(AgreedFieldDefinition field) => field.WorkedOut is { } formula ? $"{field.Type.Name()}, worked out: {formula}" : $"{field.Type.Name()}, settled by {field.Rule}";

    private static IEnumerable<Fact> OfMirror(MirrorDefinition mirror)
    {
        Fact Whole(string what, string text) => new(null, null, what, text);
        yield return Whole("key", mirror.Key);
        yield return Whole("name", mirror.Name);
        yield return Whole("one record", mirror.RecordType);
        yield return Whole("known by", mirror.TitleField);
        yield return Whole("timing", TimingWords.Of(mirror.Timing, k => k));
        if (mirror.CountryField is { } country)
        {
            yield return Whole("country of telephone numbers", country);
        }

        if (!mirror.Recognising.IsEmpty)
        {
            yield return Whole("the same by", string.Join(", or else ", mirror.Recognising.Select(r => r.Field)));
        }

        if (mirror.Likeness is { } likeness)
        {
            yield return Whole("linked from", Percent(likeness.LinkAt));
            yield return Whole("asked about from", Percent(likeness.AskAt));
            yield return Whole("learns from people", YesNo(likeness.LearnsFromPeople));
            yield return Whole("evidence", string.Join(", ", likeness.Evidence.Select(e => $"{e.Field} as {e.Kind}")));
        }

        yield return Whole("records that can't be taken", TroubleWords(mirror.StopsAfter));
        yield return Whole("what is found nowhere else", mirror.LeavesOut ? "is left as it is" : "is created");
        foreach (var judged in mirror.Judged)
        {
            yield return Whole($"as it should be: {judged}", "yes");
        }

        for (var s = 0; s < mirror.Sides.Length; s++)
        {
            foreach (var fact in OfSide(mirror.Sides[s], s))
            {
                yield return fact;
            }
        }
    }

    private static IEnumerable<Fact> OfSide(SideDefinition side, int s)
    {
        Fact There(string what, string text) => new(null, s, what, text);
        yield return There("system", side.System);
        yield return There("collection", side.Collection);
        yield return There("creates there", YesNo(side.MayCreate));
        yield return There("removes there", YesNo(side.MayRemove));
        yield return There("removed there", side.Removal switch
        {
            Removal.Ask => "a person is asked",
            Removal.RemoveElsewhere => "removed elsewhere too",
            Removal.ForgetLink => "followed there no more",
            _ => "created there again",
        });
        yield return There("scope", side.Scope ?? "all");
        yield return There("leaving the scope", side.Leaving == Leaving.RemoveFollowers ? "removed where it only follows" : "left as it is");
        yield return There("looked through", side.SweepEveryHours == 0 ? "never" : $"every {side.SweepEveryHours} hours");
        foreach (var constant in side.Constants)
        {
            yield return There($"given when created: {constant.Path}", ValueJson.Quoted(constant.Text));
        }

        if (side.DoubleMark is { } mark)
        {
            yield return There("mark of doubles", $"{mark.Path} {ValueJson.Quoted(mark.Text)}");
        }
    }

    private static IEnumerable<Fact> OfField(AgreedFieldDefinition field, string line = "")
    {
        Fact Agreed(string what, string text) => new(field.Name, null, $"{line}{what}", text);
        yield return Agreed("type", field.Type.Name());
        yield return Agreed("settling rule", field.Rule);
        yield return Agreed("first meeting", field.FirstMeeting);
        yield return Agreed("emptying travels", YesNo(field.EmptyTravels));
        foreach (var (what, text) in new[]
        {
            ("rank", string.Join(", ", field.Rank)), ("states", string.Join(", ", field.States)), ("group", field.Group ?? ""), ("formula of the rule", field.RuleFormula ?? ""), ("worked out", field.WorkedOut ?? ""),
        })
        {
            if (text.Length > 0)
            {
                yield return Agreed(what, text);
            }
        }

        for (var s = 0; s < field.Cells.Length; s++)
        {
            if (field.Cells[s] is not { } cell)
            {
                continue;
            }

            Fact There(string what, string text) => new(field.Name, s, $"{line}{what}", text);
            yield return There("its field", cell.Path);
            yield return There("goes", (cell.Gives, cell.Takes) switch
            {
                (true, true) => "gives and takes",
                (true, false) => "gives",
                (false, true) => "takes",
                _ => "neither gives nor takes",
            });
            yield return There("conversion", Conversion(cell.Conversion));
            yield return There("edited there", cell.Drift switch
            {
                Drift.PutBack => "put back",
                Drift.Leave => "left alone",
                _ => "held for a person",
            });
            if (cell.OnlyAtFirst)
            {
                yield return There("fills it in", "only while it is empty");
            }

            if (cell.Default is { } told)
            {
                yield return There("told where it is empty", ValueJson.Quoted(told));
            }
        }

        if (field.Lines is not { } lines)
        {
            yield break;
        }

        yield return Agreed("lines told apart by", lines.Key);
        if (lines.Total is { } total)
        {
            yield return Agreed("lines add up to", $"{total.Field} by {total.Amount}, within {total.Tolerance.ToString(CultureInfo.InvariantCulture)}");
        }

        yield return Agreed("fields of a line", string.Join(", ", lines.Fields.Select(f => f.Name)));
        foreach (var fact in lines.Fields.SelectMany(l => OfField(l, $"{line}line’s {l.Name}: ")))
        {
            yield return fact with { Field = field.Name };
        }
    }

    private static string Conversion(Conversion conversion) => conversion switch
    {
        AsItStands => "as it stands",
        CodeList { Name: { } name } => $"the codes of {name}",
        CodeList list => $"codes {string.Join(", ", list.Table.Codes.Select(c => $"{ValueJson.Quoted(c.Code)} = {ValueJson.Quoted(c.Agreed)}"))}; unknown there: {Unknown(list.Table.UnknownToAgreed)}; unknown here: {Unknown(list.Table.UnknownToSide)}",
        ReferenceTo reference => $"its own id of {reference.Mirror}",
        FormulaConversion formula => $"agreed from it: {formula.ToAgreedFormula ?? "as it stands"}; it from agreed: {formula.ToSideFormula ?? "as it stands"}",
        _ => conversion.Words ?? conversion.ToString(),
    };

    private static string Unknown(UnknownCode unknown) => unknown.Kind switch
    {
        UnknownCodes.Hold => "held",
        UnknownCodes.Pass => "as it stands",
        _ => ValueJson.Quoted(unknown.Stand ?? ""),
    };

    private static string YesNo(bool yes) => yes ? "yes" : "no";

    private static string Percent(double likelihood) => string.Create(CultureInfo.InvariantCulture, $"{likelihood * 100:0.####} %");
}
