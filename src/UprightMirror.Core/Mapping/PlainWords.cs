using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Timing;

namespace UprightMirror.Core.Mapping;

/// <summary>A mirror's settings as sentences. Reading them is how people find their mistakes.</summary>
public static class PlainWords
{
    /// <summary>The sentences about the mirror as a whole, one thought each.</summary>
    /// <param name="names">What people call each side's system, in the mirror's order.</param>
    /// <param name="nameOf">What people call another mirror, by its key; null for its key.</param>
    public static IEnumerable<string> OfMirror(MirrorDefinition mirror, IReadOnlyList<string> names, Func<string, string>? nameOf = null)
    {
        yield return TimingWords.Of(mirror.Timing, nameOf ?? (key => key));
        for (var s = 0; s < mirror.Sides.Length; s++)
        {
            if (mirror.Sides[s].Scope is { } scope)
            {
                yield return $"Of {names[s]}, only those are kept the same of which this is true: {new ScopeCondition(scope).Words}. One of which it is not true any more {(mirror.Sides[s].Leaving == Leaving.RemoveFollowers ? "is removed where it only follows" : "is left as it is on every side")}.";
            }
        }

        for (var s = 0; s < mirror.Sides.Length; s++)
        {
            yield return mirror.Sides[s].MayCreate
                ? $"A {mirror.RecordType} that {names[s]} lacks is created there."
                : $"Nothing is ever created in {names[s]}.";
        }

        for (var s = 0; s < mirror.Sides.Length; s++)
        {
            if (mirror.Sides[s] is { MayCreate: true, Constants: { IsEmpty: false } constants })
            {
                yield return $"A {mirror.RecordType} created in {names[s]} is given {Join(constants.Select(c => $"{c.Path} {Values.ValueJson.Quoted(c.Text)}"), "and")}.";
            }
        }

        foreach (var sentence in OfRecognising(mirror))
        {
            yield return sentence;
        }

        for (var s = 0; s < mirror.Sides.Length; s++)
        {
            yield return mirror.Sides[s].Removal switch
            {
                Removal.Ask => $"When a {mirror.RecordType} is removed in {names[s]}, a person is asked.",
                Removal.RemoveElsewhere => $"When a {mirror.RecordType} is removed in {names[s]}, it is removed elsewhere too.",
                Removal.ForgetLink => $"When a {mirror.RecordType} is removed in {names[s]}, it is no longer followed there.",
                _ => $"When a {mirror.RecordType} is removed in {names[s]}, it is created there again.",
            };
        }
    }

    /// <summary>When two records are the same, and what becomes of one that is like no other.</summary>
    public static IEnumerable<string> OfRecognising(MirrorDefinition mirror)
    {
        if (mirror.Recognising.IsEmpty && mirror.Likeness is null)
        {
            yield return $"Nothing says yet when two records are the same {mirror.RecordType}.";
            yield break;
        }

        if (!mirror.Recognising.IsEmpty)
        {
            yield return $"Two records are the same {mirror.RecordType} when they have the same {string.Join(", or else the same ", mirror.Recognising.Select(r => Lower(r.Field)))}.";
        }

        if (mirror.Likeness is { } likeness)
        {
            yield return $"{(mirror.Recognising.IsEmpty ? "Two" : "Otherwise two")} records are linked when their {Join(likeness.Fields.Distinct().Select(Lower), "and")} together make it {Percent(likeness.LinkAt)} likely that they are one thing; from {Percent(likeness.AskAt)} on a person is asked.";
            yield return "Records of one system are never joined without a person.";
        }

        if (mirror.StopsAfter is not null)
        {
            yield return $"Records that can't be taken {MirrorChanges.TroubleWords(mirror.StopsAfter)}.";
        }

        if (mirror.LeavesOut)
        {
            yield return $"A {mirror.RecordType} that is found nowhere else is left as it is, and created nowhere.";
        }
    }

    private static string Percent(double likelihood) => string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{likelihood * 100:0.##} %");

    /// <summary>The sentences about one agreed field.</summary>
    public static string OfField(MirrorDefinition mirror, int field, ReconcileRules rules)
    {
        var definition = mirror.Fields[field];
        var names = rules.SideNames;
        var givers = Sides(c => c.Gives && !c.OnlyAtFirst);
        var first = Sides(c => c.Gives && c.OnlyAtFirst);
        var takers = Sides(c => c.Takes);
        var what = Lower(definition.Name);
        if (definition.WorkedOut is { } formula)
        {
            return $"The {what} is worked out: {(Formulas.Formula.Parse(formula, null, out var parsed, out _) ? Formulas.FormulaWords.Of(parsed) : formula)}. {(takers.Count == 0 ? "No side gets it." : $"{Join(takers.Select(s => names[s]), "and")} {(takers.Count > 1 ? "get" : "gets")} it{Forms(takers)}.")}";
        }

        if (givers.Count == 0)
        {
            return first.Count == 0 ? $"Nobody gives the {what}, so it never changes."
                : $"{Join(first.Select(s => names[s]), "or")} gives the {what} of a new record{(takers.Count == 0 ? "" : $", {Join(takers.Select(s => names[s]), "and")} {(takers.Count > 1 ? "get" : "gets")} it{Forms(takers)}")}, and it never changes after.";
        }

        var sentences = new List<string>();
        var gets = givers.Count > 1 && takers.Count > 0 && takers.All(givers.Contains)
            ? takers.Count == givers.Count && givers.Count == 2 ? "the other gets it" : "the others get it"
            : takers.Count == 0 ? "nobody else gets it" : $"{Join(takers.Except(givers.Count == 1 ? givers : []).Select(s => names[s]), "and")} {(takers.Except(givers.Count == 1 ? givers : []).Count() > 1 ? "get" : "gets")} it";
        sentences.Add($"When the {what} changes in {Join(givers.Select(s => names[s]), "or")}, {gets}{Forms(takers)}.");
        if (givers.Count > 1)
        {
            var changed = givers.Count == 2 ? "If both changed it" : "If several changed it";
            sentences.Add(rules.Fields[field].Rule switch
            {
                Ask => $"{changed}, a person is asked.",
                ByRank rank => $"{changed}, {names[rank.Rank.First(givers.Contains)]} counts.",
                Latest => $"{changed}, the latest change counts.",
                FurthestAlong => "Whoever wrote last, it never goes back.",
                Fullest => $"{changed}, the fullest value counts.",
                GreatestOrLeast { IsGreatest: true } => $"{changed}, the greatest counts.",
                GreatestOrLeast => $"{changed}, the least counts.",
                AllOfThem => $"{changed}, all that any of them says is kept.",
                var other => $"{changed}, it is settled by {other.Words}.",
            });
        }

        foreach (var s in first)
        {
            sentences.Add($"{names[s]} fills it in while it is empty, and never changes it.");
        }

        foreach (var s in takers.Except(givers))
        {
            sentences.Add(definition.Cells[s]!.Drift switch
            {
                Drift.PutBack => $"{names[s]} never changes it: an edit there is put back.",
                Drift.Leave => $"{names[s]} never changes it elsewhere: an edit there is left alone.",
                _ => $"{names[s]} never changes it: an edit there is held for a person.",
            });
        }

        foreach (var s in givers.Except(takers))
        {
            sentences.Add($"{names[s]} is never written.");
        }

        foreach (var s in takers.Where(s => definition.Cells[s]!.Default is not null))
        {
            sentences.Add($"Where it is empty, {names[s]} is told {Values.ValueJson.Quoted(definition.Cells[s]!.Default!)}.");
        }

        if (!definition.EmptyTravels)
        {
            sentences.Add("Emptying it on one side does not empty it elsewhere.");
        }

        if (definition.Group is { } group)
        {
            sentences.Add($"It is settled together with the rest of the {Lower(group)}.");
        }

        return string.Join(' ', sentences);

        List<int> Sides(Func<SideField, bool> may) => [.. Enumerable.Range(0, mirror.Sides.Length).Where(s => definition.Cells[s] is { } cell && may(cell))];

        string Forms(List<int> takers)
        {
            var forms = takers.Where(s => definition.Cells[s]!.Conversion.Words is not null).Select(s => $"{names[s]} in {definition.Cells[s]!.Conversion.Words}").ToList();
            return forms.Count == 0 ? "" : $": {Join(forms, "and")}";
        }
    }

    private static string Join(IEnumerable<string> parts, string and)
    {
        var list = parts.ToList();
        return list.Count < 2 ? string.Concat(list) : $"{string.Join(", ", list[..^1])} {and} {list[^1]}";
    }

    private static string Lower(string name) => name.Length > 1 && char.IsUpper(name[1]) ? name : char.ToLowerInvariant(name[0]) + name[1..];
}
