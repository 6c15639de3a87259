using System.Collections.Immutable;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Mapping;

/// <param name="IsWrong">True when the mirror can't work so; false when it is only doubtful.</param>
/// <param name="Field">Index of the agreed field; null when it is about none.</param>
/// <param name="Side">Index of the side; null when it is about none.</param>
/// <param name="Path">The side's field; null when it is about none.</param>
/// <param name="Words">What is wrong and what to do, as sentences.</param>
public sealed record Finding(bool IsWrong, int? Field, int? Side, string? Path, string Words)
{
    /// <summary>True for a doubt that a person says is as it should be.</summary>
    public bool IsJudged { get; init; }
}

/// <summary>What is known of a side beside the mirror's own definition.</summary>
/// <param name="Name">What people call its system.</param>
/// <param name="Catalogue">What its own description says.</param>
public sealed record SideKnown(string Name, CatalogueCollection Catalogue)
{
    /// <summary>Fields that the system itself fills in: its ids, and what it says about who changed a record and when.</summary>
    public ImmutableHashSet<string> OwnStamps { get; init; } = [];

    /// <summary>By field, the characters of the longest value that was seen; fields that were not looked at are left out.</summary>
    public ImmutableDictionary<string, int> Longest { get; init; } = ImmutableDictionary<string, int>.Empty;
}

/// <summary>Everything wrong or doubtful in a mirror's fields, each with its place and a way to put it right.</summary>
public static class MappingCheck
{
    /// <param name="sides">What is known of each side, in the mirror's order.</param>
    /// <param name="others">Every mirror there is, for fields that look at linked records.</param>
    public static ImmutableArray<Finding> Of(MirrorDefinition mirror, IReadOnlyList<SideKnown> sides, IReadOnlyCollection<MirrorDefinition>? others = null)
    {
        var (catalogues, names) = (sides.Select(s => s.Catalogue).ToList(), sides.Select(s => s.Name).ToList());
        return [.. Fields(mirror, names, others ?? []).Concat(Scopes(mirror, sides)).Concat(Cells(mirror, sides)).Concat(Constants(mirror, catalogues, names)).Concat(Required(mirror, sides)).Select(f => f with { IsJudged = !f.IsWrong && mirror.Judged.Contains(f.Words) }).OrderByDescending(f => f.IsWrong).ThenBy(f => f.Field ?? int.MaxValue).ThenBy(f => f.Side ?? 0)];
    }

    public static ImmutableArray<Finding> Of(MirrorDefinition mirror, IReadOnlyList<CatalogueCollection> catalogues, IReadOnlyList<string> names) =>
        Of(mirror, [.. catalogues.Zip(names, (catalogue, name) => new SideKnown(name, catalogue))]);

    private static IEnumerable<(int Field, string Words)> SettledByFormula(MirrorDefinition mirror, IReadOnlyList<string> names)
    {
        foreach (var (field, f) in mirror.Fields.Select((field, f) => (field, f)).Where(x => x.field.Rule == "formula" && x.field.WorkedOut is null))
        {
            if (field.Type is FieldType.Lines or FieldType.Reference)
            {
                yield return (f, $"{field.Name} is settled by a formula, and {(field.Type == FieldType.Lines ? "holds lines" : "points at records")}, which no formula can give. Settle it otherwise.");
            }
            else if (field.Group is { } group && mirror.Fields.Count(other => other.Group == group) > 1)
            {
                yield return (f, $"{field.Name} is settled by a formula, and is one of the group {group}, which is settled as a whole. Take it out of the group, or settle the group otherwise.");
            }
            else if (new ByFormula([], field.RuleFormula ?? "", field.Type, [.. mirror.Sides.Select(s => s.System)]).Problem(names) is { } wrong)
            {
                yield return (f, $"{field.Name} can't be settled by its formula: {wrong}");
            }
        }
    }

    private static IEnumerable<Finding> Scopes(MirrorDefinition mirror, IReadOnlyList<SideKnown> sides)
    {
        for (var s = 0; s < mirror.Sides.Length; s++)
        {
            if (mirror.Sides[s].Scope is not { } text)
            {
                continue;
            }

            var scope = new ScopeCondition(text);
            if (scope.Problem is { } problem)
            {
                yield return new Finding(true, null, s, null, $"The scope of {sides[s].Name}: {problem}");
            }

            foreach (var path in scope.Reads.Where(path => !sides[s].Catalogue.Describes(path)))
            {
                yield return new Finding(true, null, s, path, $"The scope of {sides[s].Name} looks at {path}, which its {mirror.Sides[s].Collection} do not have. Name a field that they have.");
            }

            if (mirror.Sides[s].Leaving == Reconciling.Leaving.RemoveFollowers && !mirror.Sides.Where((side, other) => other != s && side.MayRemove && !mirror.Fields.Any(f => f.Cells[other]?.Gives == true)).Any())
            {
                yield return new Finding(false, null, s, null, $"What leaves the scope of {sides[s].Name} is to be removed where it only follows, and no side only follows and may remove. It is left as it is.");
            }
        }
    }

    private static IEnumerable<Finding> Fields(MirrorDefinition mirror, IReadOnlyList<string> names, IReadOnlyCollection<MirrorDefinition> others)
    {
        for (var f = 0; f < mirror.Fields.Length; f++)
        {
            var field = mirror.Fields[f];
            var (givers, takers) = (field.Cells.Count(c => c?.Gives == true), field.Cells.Count(c => c?.Takes == true));
            if (mirror.Fields.Take(f).Any(other => other.Name.Equals(field.Name, StringComparison.OrdinalIgnoreCase)))
            {
                yield return new Finding(true, f, null, null, $"Two agreed fields are called {field.Name}. Give one of them another name.");
            }

            if (field.Cells.All(c => c is null))
            {
                yield return new Finding(false, f, null, null, $"{field.Name} is on no side yet. Pick a field of a side for it, or take it away.");
            }
            else if (field.WorkedOut is not null)
            {
                if (givers > 0)
                {
                    yield return new Finding(true, f, null, null, $"{field.Name} is worked out by a formula, so no side gives it. Let the sides take it only, or take the formula out.");
                }

                if (field.Group is not null)
                {
                    yield return new Finding(false, f, null, null, $"{field.Name} is worked out by a formula: being in the group {field.Group} has no effect. Take it out.");
                }
            }
            else if (givers == 0 && takers > 0)
            {
                yield return new Finding(true, f, null, null, $"Nobody gives {field.Name}, so it never has a value. Let a side give it.");
            }
            else if (givers > 0 && mirror.Likeness?.Evidence.Any(e => e.Field == field.Name) != true && (takers == 0 || (takers == 1 && givers == 1 && field.Cells.Any(c => c is { Gives: true, Takes: true }))))
            {
                yield return new Finding(false, f, null, null, $"No other side takes {field.Name}: it is known, and goes nowhere. Let a side take it, if it should.");
            }

            if (field.Group is { } group && mirror.Fields.Count(other => other.Group == group) == 1)
            {
                yield return new Finding(false, f, null, null, $"{field.Name} is alone in the group {group}. Put the fields into it that only make sense together, or take it out.");
            }

            foreach (var unknown in field.Rank.Where(r => mirror.Sides.All(s => s.System != r)))
            {
                yield return new Finding(true, f, null, null, $"{field.Name} ranks {unknown}, which is no side of this mirror. Take it out of the rank.");
            }

            if (field.Rule == "furthest" && field.States.IsEmpty)
            {
                yield return new Finding(true, f, null, null, $"{field.Name} goes by how far along it is, and no states are listed. List them from first to last.");
            }
        }

        foreach (var (f, words) in SettledByFormula(mirror, names))
        {
            yield return new Finding(true, f, null, null, words);
        }

        foreach (var (f, words) in WorkedOutField.Problems(mirror, others))
        {
            yield return new Finding(true, f, null, null, words);
        }

        if (mirror.Fields.IsEmpty)
        {
            yield return new Finding(true, null, null, null, $"Nothing is mapped yet. Take the suggestions, or drag a field of a side into the spine.");
            yield break;
        }

        if (mirror.Recognising.IsEmpty && mirror.Likeness is null && !mirror.LeavesOut)
        {
            yield return new Finding(true, null, null, null, $"Nothing says when two records are the same {mirror.RecordType}, so each would be created everywhere. Open an agreed field that tells them apart, such as a number or an e-mail address, and say so.");
        }

        if (mirror.CountryField is null && mirror.Fields.FirstOrDefault(f => f.Type == FieldType.Phone && f.Cells.Any(c => c is not null)) is { } phone)
        {
            yield return new Finding(false, mirror.Fields.IndexOf(phone), null, null, $"{phone.Name} is read as telephone numbers, and no agreed field says in which country: a number without a country code is held. Open the field that holds the country's two letters, and say so.");
        }

        if (mirror.Fields.All(f => f.Name != mirror.TitleField))
        {
            yield return new Finding(true, null, null, null, mirror.TitleField.Length == 0 ? $"Nothing says by what people know a {mirror.RecordType}. Open an agreed field, such as its name, and say so." : $"People know a {mirror.RecordType} by {mirror.TitleField}, which is no agreed field any more. Choose another.");
        }

        foreach (var rule in mirror.Recognising.Where(r => mirror.Fields.All(f => f.Name != r.Field)))
        {
            yield return new Finding(true, null, null, null, $"Records are recognised by {rule.Field}, which is no agreed field any more. Choose another under Recognising.");
        }

        foreach (var evidence in mirror.Likeness?.Evidence.Where(e => mirror.Fields.All(f => f.Name != e.Field)) ?? [])
        {
            yield return new Finding(true, null, null, null, $"{evidence.Field} counts as evidence, and is no agreed field any more. Take it out under Recognising.");
        }
    }

    private static IEnumerable<Finding> Cells(MirrorDefinition mirror, IReadOnlyList<SideKnown> sides)
    {
        for (var f = 0; f < mirror.Fields.Length; f++)
        {
            for (var s = 0; s < mirror.Sides.Length; s++)
            {
                if (mirror.Fields[f].Cells[s] is not { } cell)
                {
                    continue;
                }

                foreach (var (isWrong, words) in Cell(mirror, mirror.Fields[f], f, cell, s, sides))
                {
                    yield return new Finding(isWrong, f, s, cell.Path, words);
                }
            }
        }
    }

    private static IEnumerable<(bool IsWrong, string Words)> Cell(MirrorDefinition mirror, AgreedFieldDefinition field, int index, SideField cell, int side, IReadOnlyList<SideKnown> all)
    {
        var (name, catalogue) = (all[side].Name, all[side].Catalogue);
        if (cell.Takes && mirror.Fields.Take(index).Any(other => other.Cells[side] is { Takes: true } taken && taken.Path == cell.Path))
        {
            yield return (true, $"{name} would be told two things in {cell.Path}: by {field.Name} and by {mirror.Fields.First(o => o.Cells[side] is { Takes: true } t && t.Path == cell.Path).Name}. Let one of them not be taken there.");
        }

        foreach (var problem in field.Lines is null ? [] : Lines(mirror, field, side, name))
        {
            yield return problem;
        }

        if (field.Type == FieldType.Reference != cell.Conversion is ReferenceTo)
        {
            yield return (true, field.Type == FieldType.Reference
                ? $"{field.Name} is a record of another mirror, and {cell.Path} of {name} does not say of which. Choose the mirror under its conversion."
                : $"{cell.Path} of {name} points at a record of another mirror, and {field.Name} is {field.Type.Name()}. Let {field.Name} hold a reference.");
        }

        foreach (var problem in cell.Conversion switch { FormulaConversion formula => formula.Problems, CodeList codes => codes.Table.Problems, _ => [] })
        {
            yield return (true, problem);
        }

        if (cell.Conversion is CodeList { Name: { } shared } && !mirror.CodeLists.ContainsKey(shared))
        {
            yield return (true, $"There is no code list {shared} any more. Choose another, or make it again.");
        }
        else if (cell.Conversion is CodeList { Table.Codes.IsEmpty: true, Table: var empty } && (empty.UnknownToAgreed, empty.UnknownToSide) == (UnknownCode.Hold, UnknownCode.Hold))
        {
            yield return (true, $"The code list between {field.Name} and {name}'s {cell.Path} is empty: every record would be held. Fill it from the values that were seen.");
        }

        if (cell is { Default: not null, Takes: false })
        {
            yield return (false, $"{name} is never told {field.Name}, so what stands for an empty one is not used. Let {name} take it, or take the default out.");
        }

        if (cell is { Gives: true, Takes: true, Conversion: FormulaConversion { ToAgreedFormula: null } or FormulaConversion { ToSideFormula: null } })
        {
            yield return (false, $"{field.Name} goes to and from {name}'s {cell.Path} with a formula for one way only. Try it there and back, and add the other.");
        }

        foreach (var written in cell.Conversion.Inputs.Where(i => mirror.Fields.Any(other => other.Cells[side] is { Takes: true } taken && taken.Path == i)))
        {
            yield return (false, $"{field.Name} is made of {name}'s {written} too, which this mirror writes: after such a write it takes one more run until {field.Name} follows.");
        }

        if (catalogue.Fields.IsEmpty)
        {
            yield break;
        }

        foreach (var path in cell.Reads.Where(p => !catalogue.Describes(p)))
        {
            yield return (true, $"{name} has no field {path} (any more). Pick another one, or read its catalogue again.");
        }

        if (catalogue.Fields.GetValueOrDefault(cell.Path) is not { } described)
        {
            yield break;
        }

        if (cell.Takes && described.ReadOnly)
        {
            yield return (true, $"{name} writes {cell.Path} itself: it can't be told. Let it give {field.Name} only.");
        }

        if (cell.Takes && !CanHold(described.Type, field.Type) && cell.Conversion is AsItStands)
        {
            yield return (false, $"{cell.Path} of {name} is {described.Type}, and {field.Name} is {field.Type.Name()}. Check the values, or add a conversion.");
        }

        if (cell.Takes && !described.Allowed.IsEmpty && cell.Conversion is AsItStands && field.Type == FieldType.Text && Givers(field, side).Any(g => !GivesOnly(g, described.Allowed)))
        {
            yield return (false, $"{cell.Path} of {name} takes only {Some(described.Allowed)}. Add a code list, so that nothing else is sent.");
        }

        if (cell is { Takes: true, Conversion: CodeList list } && !described.Allowed.IsEmpty)
        {
            var strange = list.Table.Codes.Select(c => c.Code).Where(c => !described.Allowed.Contains(c, StringComparer.OrdinalIgnoreCase)).ToImmutableArray();
            if (!strange.IsEmpty)
            {
                yield return (true, $"The code list has {Some(strange)}, which {name} does not take in {cell.Path}. It takes {Some(described.Allowed)}.");
            }
        }

        if (cell.Takes && described.MaxLength is { } most && cell.Conversion is AsItStands && Longest(field, side, all) is var (longest, isSeen) && longest > most)
        {
            yield return (false, $"{cell.Path} of {name} takes {most} characters, and {field.Name} {(isSeen ? "has values of" : "may have")} {longest}. A longer one would be held; the formula LEFT(value; {most}) cuts it.");
        }
    }

    private static IEnumerable<Finding> Constants(MirrorDefinition mirror, IReadOnlyList<CatalogueCollection> catalogues, IReadOnlyList<string> names)
    {
        for (var s = 0; s < mirror.Sides.Length; s++)
        {
            foreach (var constant in mirror.Sides[s].Constants)
            {
                var described = catalogues[s].Fields.GetValueOrDefault(constant.Path);
                var taken = mirror.Fields.FirstOrDefault(f => f.Cells[s] is { Takes: true } cell && cell.Path == constant.Path);
                var words = !catalogues[s].Describes(constant.Path) ? $"{names[s]} has no field {constant.Path} (any more). Take the constant out, or pick another field."
                    : described is { ReadOnly: true } ? $"{names[s]} writes {constant.Path} itself: it can't be given a constant. Take it out."
                    : taken is not null ? $"{names[s]} would be told two things in {constant.Path}: the constant {ValueJson.Quoted(constant.Text)} and {taken.Name}. Take one of them out."
                    : described is { Allowed.IsEmpty: false } && !described.Allowed.Contains(constant.Text) ? $"{names[s]} does not take {ValueJson.Quoted(constant.Text)} in {constant.Path}. It takes {Some(described.Allowed)}."
                    : described?.MaxLength is { } most && constant.Text.Length > most ? $"{constant.Path} of {names[s]} takes {most} characters, and the constant has {constant.Text.Length}."
                    : described is not null && TypeWords.IsNumber(described.Type) && ValueJson.FromText(constant.Text, FieldType.Number, null) is not NumberValue ? $"{constant.Path} of {names[s]} is a number, and {ValueJson.Quoted(constant.Text)} is none."
                    : null;
                if (words is not null)
                {
                    yield return new Finding(true, null, s, constant.Path, words);
                }
            }
        }
    }

    /// <summary>The longest text that a giving side says, as far as values were seen; otherwise that it may say by its description.</summary>
    private static (int Longest, bool IsSeen)? Longest(AgreedFieldDefinition field, int except, IReadOnlyList<SideKnown> sides) =>
        field.Cells.Select((c, s) => s == except || c is not { Gives: true, Conversion: AsItStands } ? null
            : sides[s].Longest.TryGetValue(c.Path, out var seen) ? (seen, true)
            : sides[s].Catalogue.Fields.GetValueOrDefault(c.Path)?.MaxLength is { } most ? (most, false)
            : ((int, bool)?)null).Where(l => l is not null).DefaultIfEmpty().MaxBy(l => l?.Item1 ?? 0);

    /// <summary>Whether a side can only ever give some of these values.</summary>
    private static bool GivesOnly(SideField giver, ImmutableArray<string> allowed) =>
        giver.Conversion is CodeList { Table: var table } && table.Codes.All(c => allowed.Contains(c.Agreed, StringComparer.Ordinal))
        && table.UnknownToAgreed is { Kind: UnknownCodes.Hold } or { Kind: UnknownCodes.Value } && (table.UnknownToAgreed.Stand is not { } stand || allowed.Contains(stand, StringComparer.Ordinal));

    /// <summary>What is wrong with a field that holds lines, on one side.</summary>
    private static IEnumerable<(bool IsWrong, string Words)> Lines(MirrorDefinition mirror, AgreedFieldDefinition field, int side, string name)
    {
        var lines = field.Lines!;
        if (lines.Fields.All(f => f.Name != lines.Key))
        {
            yield return (true, $"The lines of {field.Name} are told apart by {lines.Key}, which is no field of theirs. Choose another.");
        }

        foreach (var missing in lines.Fields.Where(f => f.Cells[side] is null))
        {
            yield return (true, $"{name} keeps the lines of {field.Name} without {missing.Name}: lines are compared whole, so each of their fields stands on every side that has them. Map it there, or take it out.");
        }

        foreach (var problem in lines.Fields.Select(f => f.Cells[side]?.Conversion).OfType<FormulaConversion>().SelectMany(c => c.Problems))
        {
            yield return (true, $"In the lines of {field.Name}: {problem}");
        }

        if (lines.Total is { } total)
        {
            if (mirror.Fields.All(f => f.Name != total.Field || f.Type != FieldType.Number))
            {
                yield return (true, $"The lines of {field.Name} must add up to {total.Field}, which is no agreed field that holds a number.");
            }

            if (!Formulas.Formula.Parse(total.Amount, f => lines.Fields.Any(l => l.Name == f), out _, out var wrong))
            {
                yield return (true, $"What a line of {field.Name} amounts to: {wrong.Sentence}");
            }
        }
    }

    private static IEnumerable<SideField> Givers(AgreedFieldDefinition field, int except) => field.Cells.Where((c, s) => s != except && c is { Gives: true }).Select(c => c!);

    private static string Some(ImmutableArray<string> values) => values.Length <= 6 ? string.Join(", ", values) : $"{string.Join(", ", values.Take(5))} and {values.Length - 5} more";

    /// <summary>What a side requires for a record that is created there, and nobody supplies.</summary>
    private static IEnumerable<Finding> Required(MirrorDefinition mirror, IReadOnlyList<SideKnown> sides)
    {
        for (var s = 0; s < mirror.Sides.Length; s++)
        {
            if (!mirror.Sides[s].MayCreate || mirror.Fields.IsEmpty)
            {
                continue;
            }

            if (sides[s].Catalogue.Fields is { IsEmpty: false } known && known.Values.All(f => f.ReadOnly))
            {
                yield return new Finding(true, null, s, "", $"Nothing can be written to {sides[s].Name}: no {mirror.RecordType} can be created there. Say of its side that it creates nothing.");
                continue;
            }

            // What a side gives and does not take, it has by itself: a person said so.
            var supplied = mirror.Fields.Select(f => f.Cells[s]).Where(c => c is { Takes: true } or { Gives: true }).Select(c => c!.Path).Concat(mirror.Sides[s].Constants.Select(c => c.Path)).ToHashSet();
            foreach (var missing in sides[s].Catalogue.Fields.Values.Where(f => f is { Required: true, ReadOnly: false, IsInLines: false } && !supplied.Contains(f.Path) && !sides[s].OwnStamps.Contains(f.Path)).OrderBy(f => f.Path, StringComparer.Ordinal))
            {
                // Some systems call required what they fill in by themselves: it is for a person to judge.
                yield return new Finding(false, null, s, missing.Path, $"{sides[s].Name} requires {missing.Path} for a new {mirror.RecordType}, and nobody supplies it. Map it or give it a constant, unless {sides[s].Name} fills it in by itself.");
            }
        }
    }

    private static bool CanHold(string described, FieldType type)
    {
        var (isNumber, isYesNo) = (TypeWords.IsNumber(described), TypeWords.IsYesNo(described));
        return type switch
        {
            FieldType.Number => !isYesNo && !described.Contains("date", StringComparison.OrdinalIgnoreCase),
            FieldType.YesNo => !isNumber,
            FieldType.Date or FieldType.DateTime => !isYesNo && !isNumber,
            _ => !isYesNo && !isNumber,
        };
    }
}
