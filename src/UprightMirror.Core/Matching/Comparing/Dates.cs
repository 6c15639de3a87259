using System.Collections.Immutable;
using System.Globalization;

namespace UprightMirror.Core.Matching.Comparing;

/// <summary>Dates: the same; day and month swapped, or one digit wrong; in one year. Read in the common forms, day first where both could be.</summary>
public sealed class Dates : Comparator
{
    private static readonly string[] Forms = ["yyyy-MM-dd", "yyyyMMdd", "yyyy/MM/dd", "yyyy.MM.dd", "dd.MM.yyyy", "d.M.yyyy", "dd/MM/yyyy", "d/M/yyyy", "dd-MM-yyyy", "d-M-yyyy", "MM/dd/yyyy", "d MMM yyyy", "d MMMM yyyy", "MMM d, yyyy", "MMMM d, yyyy"];

    public override string Kind => "date";

    public override string Words => "date";

    public override ImmutableArray<string> Parts { get; } = ["date"];

    public override ImmutableArray<Level> Levels { get; } =
        [new("different", 0.04, 1), new("the same year", 0.02, 0.03), new("one slip apart", 0.06, 0.003), new("the same", 0.88, 0.0005)];

    public override Prepared? Prepare(IReadOnlyList<string> parts)
    {
        var text = parts[0].Trim();
        var day = text.IndexOf('T', StringComparison.Ordinal) is 10 ? text[..10] : text;
        return DateOnly.TryParseExact(day, Forms, CultureInfo.InvariantCulture, DateTimeStyles.AllowWhiteSpaces, out var date) ? new Day(date) : null;
    }

    public override int Compare(Prepared a, Prepared b)
    {
        var (one, other) = (((Day)a).Date, ((Day)b).Date);
        return one == other ? 3
            : one.Year == other.Year && one.Month == other.Day && one.Day == other.Month ? 2
            : DamerauLevenshtein.Distance(a.Text, b.Text, 1) <= 1 ? 2
            : one.Year == other.Year ? 1
            : Different;
    }

    private sealed record Day(DateOnly Date) : Prepared(Date.ToString("yyyyMMdd", CultureInfo.InvariantCulture))
    {
        public override IEnumerable<string> Keys => [$"d{this.Text}"];

        public override IEnumerable<string> HalfKeys => [$"d{this.Text}", $"y{this.Text[..4]}"];
    }
}
