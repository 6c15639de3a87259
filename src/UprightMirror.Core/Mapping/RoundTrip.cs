using System.Collections.Immutable;
using UprightMirror.Core.Formulas.Learning;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Mapping;

/// <summary>What becomes of a value on its way to the agreed form and back.</summary>
public enum TripEnd
{
    /// <summary>It comes back as it was.</summary>
    Same,

    /// <summary>It comes back written another way that means the same: the agreed value is the same again.</summary>
    Rewritten,

    /// <summary>It comes back meaning something else: going there and back loses something.</summary>
    Lossy,

    /// <summary>It can't go at all: the record would be held.</summary>
    Held,
}

/// <param name="Back">Empty where there is no way back.</param>
/// <param name="Why">Why it can't go; null where it can.</param>
public sealed record Trip(Value Raw, Value Agreed, Value Back, TripEnd End, string? Why);

/// <summary>How values of one side's field come back from the agreed form.</summary>
/// <param name="Looked">How many values were tried; empty ones are not.</param>
/// <param name="Counts">How many ended each way.</param>
/// <param name="Examples">Some that did not come back the same, the worst first.</param>
/// <param name="Inverse">A formula to the side's form that would bring all of them back; null where none was found or none is needed.</param>
public sealed record RoundTripReport(int Looked, ImmutableDictionary<TripEnd, int> Counts, ImmutableArray<Trip> Examples, string? Inverse)
{
    public int Of(TripEnd end) => this.Counts.GetValueOrDefault(end);
}

/// <summary>Tries a field's conversions there and back over real values, before anything is written.</summary>
public static class RoundTrip
{
    /// <summary>The most values that are tried.</summary>
    public const int Most = 10_000;

    private const int Examples = 10;
    private const int LearnedFrom = 12;

    /// <param name="records">The side's records; those in which the field is empty are passed over.</param>
    public static RoundTripReport Try(SideField cell, FieldType type, IEnumerable<RawFields> records, Func<RawFields, string?> countryOf, ConversionSetting setting)
    {
        var trips = new List<Trip>();
        var counts = new Dictionary<TripEnd, int>();
        var looked = 0;
        foreach (var record in records.Where(r => !r[cell.Path].IsEmpty).Take(Most))
        {
            looked++;
            var trip = Go(cell, type, record, countryOf(record), setting);
            counts[trip.End] = counts.GetValueOrDefault(trip.End) + 1;
            trips.Add(trip);
        }

        return new RoundTripReport(
            looked, counts.ToImmutableDictionary(),
            [.. trips.Where(t => t.End != TripEnd.Same).DistinctBy(t => t.Raw).OrderByDescending(t => t.End == TripEnd.Lossy).ThenByDescending(t => t.End == TripEnd.Held).Take(Examples)],
            counts.GetValueOrDefault(TripEnd.Lossy) > 0 || counts.GetValueOrDefault(TripEnd.Rewritten) > 0 ? Inverse(trips, cell, type, setting) : null);
    }

    /// <summary>One value there and back.</summary>
    public static Trip Go(SideField cell, FieldType type, RawFields record, string? country, ConversionSetting setting)
    {
        var raw = record[cell.Path];
        if (cell.Conversion.Read(new Reading(raw, record, type, country, setting), out var why) is not { } agreed)
        {
            return new Trip(raw, Value.Empty, Value.Empty, TripEnd.Held, why ?? (cell.Conversion is CodeList ? "it is not in the code list" : $"it can't be read as {ValueJson.Described(type)}"));
        }

        if (agreed.IsEmpty)
        {
            return new Trip(raw, agreed, Value.Empty, TripEnd.Lossy, null);
        }

        if (cell.Conversion.Write(agreed, setting, out why) is not { } back)
        {
            return new Trip(raw, agreed, Value.Empty, TripEnd.Held, why ?? (cell.Conversion is CodeList ? "the code list has no code for it" : "there is no way back for it"));
        }

        if (back.Equals(raw) || (back.Display == raw.Display && raw is TextValue or NumberValue))
        {
            return new Trip(raw, agreed, back, TripEnd.Same, null);
        }

        var again = cell.Conversion.Read(new Reading(back, record.With(cell.Path, back), type, country, setting), out _);

        // The agreed value stands again: written another way. In text, a letter or its case that was lost is a loss all the same.
        var same = again is not null && again.Equals(agreed) && (type != FieldType.Text || Letters(back.Display) == Letters(raw.Display));
        return new Trip(raw, agreed, back, same ? TripEnd.Rewritten : TripEnd.Lossy, null);
    }

    /// <summary>What a value says, without the signs that only make it readable.</summary>
    private static string Letters(string text) => string.Concat(text.Where(char.IsLetterOrDigit));

    /// <summary>A formula from the agreed value that gives what the side held, for every one of the values.</summary>
    private static string? Inverse(List<Trip> trips, SideField cell, FieldType type, ConversionSetting setting)
    {
        var there = trips.Where(t => t.End != TripEnd.Held && !t.Agreed.IsEmpty).DistinctBy(t => t.Raw).ToList();
        if (there.Count < 3 || there.GroupBy(t => t.Agreed).Any(g => g.Count() > 1))
        {
            return null;
        }

        var examples = there.Take(LearnedFrom).Select(t => new Example([ItemValue.From(t.Agreed).Shown], t.Raw.Display)).ToList();
        return Learner.Learn(["value"], examples).Select(l => l.Formula).FirstOrDefault(f =>
        {
            var tried = cell with { Conversion = new FormulaConversion((cell.Conversion as FormulaConversion)?.ToAgreedFormula, f) };
            return there.All(t => tried.Conversion.Write(t.Agreed, setting, out _) is { } back && back.Display == t.Raw.Display);
        });
    }
}
