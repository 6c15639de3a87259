using System.Collections.Immutable;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Matching.Comparing;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Timing;
using UprightMirror.Core.Values;

namespace UprightMirror.Web.Endpoints.Drafting;

/// <param name="Kind">asItStands, phone, codeList, formula or reference.</param>
/// <param name="Mirror">For a reference: the key of the mirror whose record it is.</param>
/// <param name="Form">For phone: international or nationalDigits.</param>
/// <param name="Codes">For a code list: pairs of the side's code and the agreed value.</param>
/// <param name="ToAgreed">For a formula: from the side's record to the agreed value; null for as it stands.</param>
/// <param name="ToSide">For a formula: from the agreed value to the side's form; null for as it stands.</param>
/// <param name="Name">For a code list: the shared one that it is; null for one of its own.</param>
/// <param name="UnknownToAgreed">For a code list: what becomes of a code that is not in it; null to hold.</param>
/// <param name="UnknownToSide">For a code list: what becomes of an agreed value that is not in it; null to hold.</param>
public sealed record ConversionForm(
    string Kind, PhoneForm? Form = null, IReadOnlyList<IReadOnlyList<string>>? Codes = null, string? ToAgreed = null, string? ToSide = null,
    string? Name = null, UnknownForm? UnknownToAgreed = null, UnknownForm? UnknownToSide = null, string? Mirror = null);

/// <param name="Stand">With the kind value: what stands for it.</param>
public sealed record UnknownForm(UnknownCodes Kind, string? Stand);

/// <param name="Default">What the side is told where the agreed value is empty; null for nothing.</param>
/// <param name="OnlyAtFirst">Whether what the side gives counts only while nothing else is agreed.</param>
public sealed record CellForm(string Path, bool Gives, bool Takes, ConversionForm Conversion, Drift Drift = Drift.PutBack, string? Default = null, bool OnlyAtFirst = false);

/// <param name="Type">text, number, date, datetime, yesno, phone, email, list, lines or reference.</param>
/// <param name="Lines">For lines: what each of them has.</param>
/// <param name="WorkedOut">For a field that no side gives: the formula over other agreed fields; null for one that sides give.</param>
/// <param name="RuleFormula">For the rule formula: the formula over what the sides say, by their systems' names, and before.</param>
public sealed record FieldForm(string Name, string Type, string Rule, IReadOnlyList<string> Rank, IReadOnlyList<string> States, string FirstMeeting, string? Group, bool EmptyTravels, IReadOnlyList<CellForm?> Cells, LinesForm? Lines = null, string? WorkedOut = null, string? RuleFormula = null);

/// <param name="Key">The line field that tells lines apart.</param>
/// <param name="Total">What the lines must add up to; null for nothing.</param>
public sealed record LinesForm(string Key, IReadOnlyList<FieldForm> Fields, TotalForm? Total);

/// <param name="Field">The agreed field of the record that says the total.</param>
/// <param name="Amount">A formula over the line fields.</param>
/// <param name="Tolerance">How far apart the two may be.</param>
public sealed record TotalForm(string Field, string Amount, decimal Tolerance);

/// <summary>What a draft says beside its fields.</summary>
/// <param name="TitleField">The agreed field by which people know a record.</param>
/// <param name="CountryField">The agreed field that says in which country telephone numbers are read; null for none.</param>
/// <param name="Recognising">The agreed fields by which records are the same, the first that finds something deciding.</param>
/// <param name="Judged">Doubts of the check, in its words, that are as they should be.</param>
/// <param name="Likeness">How records are recognised where no key says so; null to go by keys alone.</param>
/// <param name="StopsAfter">How many records may be set aside before a run stops, 1 to 100,000; null to go on however many there are.</param>
/// <param name="LeavesOut">True where what is found nowhere else is created nowhere.</param>
/// <param name="Timing">When it runs by itself; null leaves it as it is.</param>
public sealed record DraftSettings(
    string Name, string TitleField, string? CountryField, IReadOnlyList<string> Recognising, IReadOnlyList<DraftSide> Sides, IReadOnlyList<string> Judged, LikenessForm? Likeness = null, bool LeavesOut = false, TimingForm? Timing = null, int? StopsAfter = null);

/// <param name="LinkAt">From this likelihood on two are linked by themselves: above 0.5, up to 1.</param>
/// <param name="AskAt">From this likelihood on a person is asked: 0.5 up to <paramref name="LinkAt"/>.</param>
/// <param name="LearnsFromPeople">Whether what people said of look-alikes is learned from.</param>
public sealed record LikenessForm(IReadOnlyList<EvidenceForm> Evidence, double LinkAt, double AskAt, bool LearnsFromPeople = false);

/// <param name="Kind">What the agreed field holds, such as organisation, given, family, email, phone, street.</param>
public sealed record EvidenceForm(string Field, string Kind);

/// <param name="Constants">What a record that is created there is given.</param>
/// <param name="DoubleMark">What a double there is marked with; {id} in it stands for the one that is kept. Null to leave it as it is.</param>
/// <param name="Scope">Which of its records take part: a formula over its own fields; null for all.</param>
/// <param name="Leaving">What becomes of a linked record that the scope does not cover any more.</param>
/// <param name="MayRemove">Whether records are removed there.</param>
/// <param name="SweepEveryHours">How often it is looked through for records that are gone, where it does not tell of them itself: 0 (never) to 8,760.</param>
public sealed record DraftSide(
    bool MayCreate, Removal Removal, IReadOnlyList<ConstantForm> Constants, ConstantForm? DoubleMark = null, string? Scope = null, Leaving Leaving = Leaving.StopFollowing, bool MayRemove = false, int SweepEveryHours = 24);

public sealed record ConstantForm(string Path, string Text);

/// <summary>When a mirror runs by itself; what the kind does not need is left out.</summary>
/// <param name="Minutes">For every: 1 to 10,080.</param>
/// <param name="At">The time of day; for hourly only its minute counts.</param>
/// <param name="Days">For weekly: at least one.</param>
/// <param name="DayOfMonth">For monthly 1 to 28, for yearly 1 to 31; -1 for the last day.</param>
/// <param name="Calendar">Five fields: minute, hour, day of the month, month, day of the week.</param>
/// <param name="After">The key of the mirror that it runs after.</param>
/// <param name="TimeZone">The time zone's name, as in the IANA database.</param>
public sealed record TimingForm(
    TimingKind Kind, int? Minutes, TimeOnly? At, IReadOnlyList<DayOfWeek>? Days, int? DayOfMonth, int? Month, string? Calendar, string? After, string TimeZone, QuietForm? Quiet, bool OnEvents, bool OnFiles)
{
    public static TimingForm Of(MirrorTiming t) => new(
        t.Kind, t.Minutes, t.At, t.Days, t.DayOfMonth, t.Month, t.Calendar, t.After, t.TimeZone, t.Quiet is { } q ? new QuietForm(q.From, q.To, q.Days) : null, t.OnEvents, t.OnFiles);

    public MirrorTiming ToTiming() => new(
        this.Kind, this.Minutes, this.At, [.. this.Days ?? []], this.DayOfMonth, this.Month, this.Calendar?.Trim(), this.After, this.TimeZone, this.Quiet is { } q ? new QuietHours(q.From, q.To, [.. q.Days ?? []]) : null, this.OnEvents, this.OnFiles);
}

/// <param name="Days">The days on which it begins; none for every day.</param>
public sealed record QuietForm(TimeOnly From, TimeOnly To, IReadOnlyList<DayOfWeek>? Days);

/// <summary>A scope put together by hand.</summary>
/// <param name="All">True where each must hold; false where one is enough.</param>
public sealed record ConditionsForm(bool All, IReadOnlyList<ConditionForm> Rows)
{
    public static ConditionsForm? Of(ScopeRows? rows) => rows is null ? null : new(rows.All, [.. rows.Rows.Select(r => new ConditionForm(r.Path, r.Test, r.Values))]);

    public ScopeRows ToRows() => new(this.All, [.. this.Rows.Select(r => new ScopeRow(r.Path, r.Test, [.. r.Values]))]);
}

/// <param name="Values">What the field is compared with.</param>
public sealed record ConditionForm(string Path, ScopeTest Test, IReadOnlyList<string> Values);

/// <summary>Drafts between their form on the screen and their definition.</summary>
internal static class DraftForms
{
    private const int MostConstants = 100;
    private const int MostJudged = 1000;
    private const int MostLineFields = 100;
    private static readonly string[] Rules = ["rank", "latest", "furthest", "fullest", "greatest", "least", "union", "ask", "formula"];

    public static FieldForm Form(AgreedFieldDefinition f) =>
        new(f.Name, f.Type.Name(), f.Rule, f.Rank, f.States, f.FirstMeeting, f.Group, f.EmptyTravels, [.. f.Cells.Select(c => c is null ? null : new CellForm(c.Path, c.Gives, c.Takes, Form(c.Conversion), c.Drift, c.Default, c.OnlyAtFirst))],
            f.Lines is { } lines ? new LinesForm(lines.Key, [.. lines.Fields.Select(Form)], lines.Total is { } total ? new TotalForm(total.Field, total.Amount, total.Tolerance) : null) : null, f.WorkedOut, f.RuleFormula);

    public static DraftSettings Settings(MirrorDefinition mirror) => new(
        mirror.Name, mirror.TitleField, mirror.CountryField, [.. mirror.Recognising.Select(r => r.Field)],
        [.. mirror.Sides.Select(s => new DraftSide(s.MayCreate, s.Removal, [.. s.Constants.Select(c => new ConstantForm(c.Path, c.Text))], s.DoubleMark is { } mark ? new ConstantForm(mark.Path, mark.Text) : null, s.Scope, s.Leaving, s.MayRemove, s.SweepEveryHours))], mirror.Judged,
        mirror.Likeness is { } likeness ? new LikenessForm([.. likeness.Evidence.Select(e => new EvidenceForm(e.Field, e.Kind))], likeness.LinkAt, likeness.AskAt, likeness.LearnsFromPeople) : null, mirror.LeavesOut, TimingForm.Of(mirror.Timing), mirror.StopsAfter);

    /// <returns>What is wrong, or null.</returns>
    public static string? Read(LikenessForm? form, out LikenessDefinition? likeness)
    {
        likeness = null;
        if (form is null)
        {
            return null;
        }

        if (form.Evidence.Count > MatchPlan.MostFields || form.Evidence.Distinct().Count() != form.Evidence.Count)
        {
            return $"At most {MatchPlan.MostFields} fields count as evidence, each once.";
        }

        if (form.Evidence.FirstOrDefault(e => Comparators.Of(e.Kind) is null) is { } unknown)
        {
            return $"{unknown.Field}: there is nothing that compares {unknown.Kind}.";
        }

        if (form.AskAt is not (>= 0.5 and <= 1) || form.LinkAt is not (> 0.5 and <= 1) || form.AskAt > form.LinkAt)
        {
            return "A person is asked from 50 % on at the least, and records are linked by themselves from there or from further up.";
        }

        likeness = new LikenessDefinition([.. form.Evidence.Select(e => new EvidenceOf(e.Field, e.Kind))], form.LinkAt, form.AskAt, form.LearnsFromPeople);
        return null;
    }

    public static UnknownForm? Form(UnknownCode unknown) => unknown.Kind == UnknownCodes.Hold ? null : new UnknownForm(unknown.Kind, unknown.Stand);

    public static IReadOnlyList<IReadOnlyList<string>> Pairs(CodeTable table) => [.. table.Codes.Select(c => (IReadOnlyList<string>)[c.Code, c.Agreed])];

    /// <summary>The definition with other fields. A field that was only given another name keeps what was said of it elsewhere.</summary>
    public static MirrorDefinition WithFields(MirrorDefinition before, ImmutableArray<AgreedFieldDefinition> fields)
    {
        var renamed = before.Fields.Length == fields.Length && before.Fields.Zip(fields).Where(p => p.First.Name != p.Second.Name).ToList() is { Count: 1 } changed && before.Fields.All(f => f.Name != changed[0].Second.Name)
            ? changed[0]
            : default;
        string Now(string name) => renamed.First?.Name == name ? renamed.Second.Name : name;
        var title = Now(before.TitleField);
        return before with
        {
            Fields = fields,
            CountryField = before.CountryField is { } country ? Now(country) : null,
            Recognising = [.. before.Recognising.Select(r => new RecognisingRule(Now(r.Field)))],
            Likeness = before.Likeness is { } likeness ? likeness with { Evidence = [.. likeness.Evidence.Select(e => e with { Field = Now(e.Field) })] } : null,

            // Somebody has to be known by something: a name, if there is one.
            TitleField = fields.Any(f => f.Name == title) || before.Fields.Any(f => f.Name == title)
                ? title
                : (fields.FirstOrDefault(f => f.Type == FieldType.Text && f.Name.Contains("name", StringComparison.OrdinalIgnoreCase)) ?? fields.FirstOrDefault(f => f.Type == FieldType.Text) ?? fields.FirstOrDefault())?.Name ?? "",
        };
    }

    /// <returns>What is wrong, or null.</returns>
    public static string? Read(DraftSettings form, MirrorDefinition before, DateTimeOffset now, out MirrorDefinition definition)
    {
        definition = before;
        if (string.IsNullOrWhiteSpace(form.Name) || form.Name.Length > 80)
        {
            return "A mirror has a name of at most 80 characters.";
        }

        if (form.Sides.Count != before.Sides.Length)
        {
            return "A mirror's sides can't be taken away or added any more: make another mirror.";
        }

        if (form.Recognising.Count > 10 || form.Recognising.Distinct(StringComparer.Ordinal).Count() != form.Recognising.Count)
        {
            return "Records are recognised by at most 10 agreed fields, none of them twice.";
        }

        if (form.Judged.Count > MostJudged || form.Judged.Any(j => j.Length is 0 or > 2000))
        {
            return $"At most {MostJudged} doubts can be judged.";
        }

        if (form.StopsAfter is < 1 or > 100_000)
        {
            return "A run stops after 1 to 100,000 records that can't be taken, or after none.";
        }

        foreach (var (side, i) in form.Sides.Select((s, i) => (s, i)))
        {
            if (side.Constants.Count > MostConstants || side.Constants.Any(c => c.Path.Length is 0 or > 400 || c.Text.Length is 0 or > 2000))
            {
                return $"A side has at most {MostConstants} constants; each names a field, and has 1 to 2,000 characters.";
            }

            if (side.DoubleMark is { Path.Length: 0 or > 400 } or { Text.Length: 0 or > 2000 })
            {
                return "A double is marked in one field, with 1 to 2,000 characters.";
            }

            if (side.Scope?.Length > Formula.Longest || side.SweepEveryHours is < 0 or > 8760)
            {
                return $"A scope has at most {Formula.Longest:N0} characters, and a side is looked through every 1 to 8,760 hours (a year), or never.";
            }

            if (side.Constants.GroupBy(c => c.Path).FirstOrDefault(g => g.Count() > 1) is { } twice)
            {
                return $"{before.Sides[i].System} is given two constants in {twice.Key}. Take one of them out.";
            }
        }

        if (Read(form.Likeness, out var likeness) is { } no)
        {
            return no;
        }

        var timing = form.Timing?.ToTiming() ?? before.Timing;
        if (timing != before.Timing && timing.Problems(now, before.Key) is [var first, ..])
        {
            return first;
        }

        definition = before with
        {
            Timing = timing,
            Likeness = likeness,
            LeavesOut = form.LeavesOut,
            StopsAfter = form.StopsAfter,
            Name = form.Name.Trim(),
            TitleField = form.TitleField.Length > 0 ? form.TitleField : before.TitleField,
            CountryField = string.IsNullOrEmpty(form.CountryField) ? null : form.CountryField,
            Judged = [.. form.Judged.Distinct(StringComparer.Ordinal)],
            Recognising = [.. form.Recognising.Select(f => new RecognisingRule(f))],
            Sides = [.. before.Sides.Zip(form.Sides, (side, asked) => side with { MayCreate = asked.MayCreate, Removal = asked.Removal, Constants = [.. asked.Constants.Select(c => new SideConstant(c.Path, c.Text))], DoubleMark = asked.DoubleMark is { } mark ? new SideConstant(mark.Path, mark.Text) : null, Scope = Filled(asked.Scope), Leaving = asked.Leaving, MayRemove = asked.MayRemove, SweepEveryHours = asked.SweepEveryHours })],
        };
        return null;
    }

    /// <returns>What is wrong, or null.</returns>
    public static string? Read(FieldForm form, MirrorDefinition mirror, out AgreedFieldDefinition? field)
    {
        field = null;
        if (string.IsNullOrWhiteSpace(form.Name) || form.Name.Length > 80)
        {
            return "An agreed field has a name of at most 80 characters.";
        }

        if (FieldTypeNames.Parse(form.Type) is not { } type)
        {
            return $"{form.Name}: there is no type {form.Type}.";
        }

        if (form.Cells.Count != mirror.Sides.Length || !Rules.Contains(form.Rule) || !Rules.Contains(form.FirstMeeting) || form.FirstMeeting == "formula")
        {
            return $"{form.Name}: a settling rule or a side is not one that there is.";
        }

        if (form.WorkedOut?.Length > Formula.Longest || form.RuleFormula?.Length > Formula.Longest)
        {
            return $"{form.Name}: a formula has at most {Formula.Longest:N0} characters.";
        }

        var cells = new List<SideField?>();
        foreach (var cell in form.Cells)
        {
            SideField? read = null;
            if (cell is not null && Read(cell, mirror, out read) is { } wrong)
            {
                return $"{form.Name}: {wrong}";
            }

            cells.Add(read);
        }

        LinesDefinition? lines = null;
        if (type == FieldType.Lines && Read(form, mirror, out lines) is { } no)
        {
            return no;
        }

        field = new AgreedFieldDefinition(form.Name.Trim(), type, [.. cells], form.Rule, [.. form.Rank], [.. form.States], form.FirstMeeting, string.IsNullOrWhiteSpace(form.Group) ? null : form.Group.Trim(), form.EmptyTravels, lines, Filled(form.WorkedOut), form.Rule == "formula" ? Filled(form.RuleFormula) : null);
        return null;
    }

    private static string? Read(FieldForm form, MirrorDefinition mirror, out LinesDefinition? lines)
    {
        var asked = form.Lines ?? new LinesForm("", [], null);
        lines = null;
        if (asked.Fields.Count > MostLineFields || asked.Key.Length > 80 || asked.Total is { Field.Length: > 80 } or { Amount.Length: > Formula.Longest } or { Tolerance: < 0 })
        {
            return $"{form.Name}: a line has at most {MostLineFields} fields, and a tolerance is 0 or more.";
        }

        var fields = ImmutableArray.CreateBuilder<AgreedFieldDefinition>();
        foreach (var one in asked.Fields)
        {
            if (one.Type == "lines" || one.WorkedOut is not null)
            {
                return one.Type == "lines" ? $"{form.Name}: {one.Name} can't hold lines itself: lines have no lines." : $"{form.Name}: {one.Name} can't be worked out: only fields of the whole record can.";
            }

            if (Read(one, mirror, out AgreedFieldDefinition? read) is { } wrong)
            {
                return $"{form.Name}: {wrong}";
            }

            fields.Add(read!);
        }

        lines = new LinesDefinition(asked.Key.Trim(), fields.ToImmutable(), asked.Total is { } total ? new TotalCheck(total.Field, total.Amount, total.Tolerance) : null);
        return null;
    }

    /// <returns>What is wrong, or null.</returns>
    public static string? Read(CellForm form, MirrorDefinition mirror, out SideField? cell)
    {
        cell = null;
        if (form.Path.Length is 0 or > 400)
        {
            return "A side's field has a path of at most 400 characters.";
        }

        if (form.Default?.Length > 2000)
        {
            return "What stands for an empty value has at most 2,000 characters.";
        }

        if (form.Conversion is { ToAgreed.Length: > Formula.Longest } or { ToSide.Length: > Formula.Longest })
        {
            return $"A formula has at most {Formula.Longest:N0} characters.";
        }

        CodeTable? table = null;
        if (form.Conversion is { Kind: "codeList", Name: null } && Read(form.Conversion.Codes ?? [], form.Conversion.UnknownToAgreed, form.Conversion.UnknownToSide, out table) is { } wrong)
        {
            return wrong;
        }

        Conversion? conversion = form.Conversion.Kind switch
        {
            "asItStands" => new AsItStands(),
            "reference" when form.Conversion.Mirror is { Length: > 0 and <= 80 } other => new ReferenceTo(other),
            "phone" => new PhoneConversion(form.Conversion.Form ?? PhoneForm.International),
            "codeList" when form.Conversion.Name is { } name => new CodeList(mirror.CodeLists.GetValueOrDefault(name) ?? new CodeTable([]), name),
            "codeList" => new CodeList(table!),
            "formula" => new FormulaConversion(Filled(form.Conversion.ToAgreed), Filled(form.Conversion.ToSide)),
            _ => null,
        };
        if (conversion is null)
        {
            return form.Conversion.Kind == "reference" ? "Say of which mirror the record is." : $"There is no conversion {form.Conversion.Kind}.";
        }

        cell = new SideField(form.Path, form.Gives, form.Takes, conversion, form.Drift, Filled(form.Default), form.OnlyAtFirst && form.Gives);
        return null;
    }

    /// <summary>A code list. What is doubtful in it is for the check; what can't be kept is refused here.</summary>
    /// <returns>What is wrong, or null.</returns>
    public static string? Read(IReadOnlyList<IReadOnlyList<string>> codes, UnknownForm? toAgreed, UnknownForm? toSide, out CodeTable? table)
    {
        table = null;
        if (codes.Count > CodeTable.Most || codes.Any(c => c.Count != 2 || c[0].Length > 400 || c[1].Length > 400))
        {
            return $"A code list has at most {CodeTable.Most:N0} rows of a code and a value, each of at most 400 characters.";
        }

        if (new[] { toAgreed, toSide }.Any(u => u is { Kind: UnknownCodes.Value } && string.IsNullOrWhiteSpace(u.Stand)))
        {
            return "Say which value stands for a code that is not in the list.";
        }

        table = new CodeTable([.. codes.Select(c => (c[0].Trim(), c[1].Trim()))], Read(toAgreed), Read(toSide));
        return null;
    }

    private static UnknownCode Read(UnknownForm? form) => form is null || form.Kind == UnknownCodes.Hold ? UnknownCode.Hold : new UnknownCode(form.Kind, form.Kind == UnknownCodes.Value ? form.Stand!.Trim() : null);

    private static ConversionForm Form(Conversion conversion) => conversion switch
    {
        PhoneConversion phone => new ConversionForm("phone", phone.Form),
        ReferenceTo reference => new ConversionForm("reference", Mirror: reference.Mirror),
        CodeList list => new ConversionForm("codeList", Codes: Pairs(list.Table), Name: list.Name, UnknownToAgreed: Form(list.Table.UnknownToAgreed), UnknownToSide: Form(list.Table.UnknownToSide)),
        FormulaConversion formula => new ConversionForm("formula", ToAgreed: formula.ToAgreedFormula, ToSide: formula.ToSideFormula),
        _ => new ConversionForm("asItStands"),
    };

    private static string? Filled(string? text) => string.IsNullOrWhiteSpace(text) ? null : text.Trim();
}
