using UprightMirror.Core.Formulas;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Timing;

namespace UprightMirror.Core.Checks;

/// <summary>A condition that is looked at again and again over the linked records of a mirror. Whatever it is true of is flagged; nothing is written because of it.</summary>
/// <param name="Name">What people call it, and formulas by <c>FLAGGED</c>.</param>
/// <param name="Condition">A formula over agreed fields (<c>[Role]</c>) and what a side says (<c>[Pennant Mail.Role]</c>).</param>
/// <param name="Hanging">Records of another mirror that are listed with each flagged record; null for none.</param>
/// <param name="Timing">When it is looked at. <see cref="TimingKind.After"/> its own mirror: after each of its runs.</param>
public sealed record FollowUpCheck(string Name, string Condition, HangingRecords? Hanging, MirrorTiming Timing)
{
    public const int LongestName = 80;

    /// <summary>What is wrong with it, as a sentence; null when it can be used.</summary>
    /// <param name="mirror">The mirror whose records it looks at.</param>
    /// <param name="names">What people call its sides' systems.</param>
    /// <param name="others">Every mirror there is, with the names of its sides.</param>
    public string? Problem(MirrorDefinition mirror, IReadOnlyList<string> names, IReadOnlyCollection<(MirrorDefinition Mirror, IReadOnlyList<string> Names)> others, DateTimeOffset now)
    {
        if (this.Name.Trim().Length is 0 or > LongestName)
        {
            return $"Give the check a name of at most {LongestName} characters.";
        }

        if (SideFormula.Read(this.Condition, mirror, names, out var wrong) is null)
        {
            return $"The condition: {wrong}";
        }

        if (this.Hanging is { } hanging)
        {
            var (other, called) = others.FirstOrDefault(o => o.Mirror.Key == hanging.Mirror);
            if (other is null)
            {
                return $"There is no mirror {hanging.Mirror}, of which records could be listed.";
            }

            if (CheckedField.Find(hanging.By, other, called) is not { } by || !other.Fields[by.Field].Cells.Any(c => c?.Conversion is ReferenceTo to && to.Mirror == mirror.Key))
            {
                return $"{hanging.By} of {other.Name} does not point at records of {mirror.Name}.";
            }

            if (hanging.Only is { } only && SideFormula.Read(only, other, called, out wrong) is null)
            {
                return $"Which of {other.Name} are listed: {wrong}";
            }
        }

        return this.Timing.Kind == TimingKind.After ? null : this.Timing.Problems(now, mirror.Key).FirstOrDefault();
    }
}

/// <summary>Records of another mirror that hang on a flagged one.</summary>
/// <param name="Mirror">The other mirror's key.</param>
/// <param name="By">Its field that points at the flagged record: an agreed field, or what a side says.</param>
/// <param name="Only">A condition over its own record; null for all that point there.</param>
public sealed record HangingRecords(string Mirror, string By, string? Only);

/// <summary>A field as a name in a check means it.</summary>
/// <param name="Side">The side that says it; null for what is agreed.</param>
/// <param name="Field">The agreed field's index.</param>
public readonly record struct CheckedField(int? Side, int Field)
{
    /// <summary>Finds what a name means: an agreed field's name, or a side's name or key, a point and an agreed field that the side keeps. Null when it means nothing.</summary>
    public static CheckedField? Find(string name, MirrorDefinition mirror, IReadOnlyList<string> names)
    {
        if (Index(name) is >= 0 and var agreed)
        {
            return new CheckedField(null, agreed);
        }

        for (var point = name.IndexOf('.', StringComparison.Ordinal); point > 0; point = name.IndexOf('.', point + 1))
        {
            var called = name[..point];
            var side = Enumerable.Range(0, mirror.Sides.Length).FirstOrDefault(s => Same(names[s], called) || Same(mirror.Sides[s].System, called), -1);
            if (side >= 0 && Index(name[(point + 1)..]) is >= 0 and var field && mirror.Fields[field].Cells[side] is not null)
            {
                return new CheckedField(side, field);
            }
        }

        return null;

        int Index(string wanted)
        {
            var exact = mirror.Fields.Select(f => f.Name).ToList().IndexOf(wanted);
            return exact >= 0 ? exact : mirror.Fields.ToList().FindIndex(f => Same(f.Name, wanted));
        }

        static bool Same(string one, string other) => one.Equals(other, StringComparison.OrdinalIgnoreCase);
    }
}
