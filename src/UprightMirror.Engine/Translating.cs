using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>Brings records into agreed form. One that can't be translated is held with the field, the value and the reason, and stops no other.</summary>
public sealed class Translating(MirrorContext context)
{
    private const int BatchSize = 500;

    /// <summary>Translates the records that belong to no link yet and notes what each is recognised by.</summary>
    public async Task Translate(CancellationToken cancellation)
    {
        var after = (-1, "");
        while (await context.Store.ReadUnlinked(after, BatchSize, cancellation) is { Count: > 0 } batch)
        {
            var holds = new List<Hold>();
            var keys = new List<MatchCandidate>();
            var outside = new List<RecordPlace>();
            foreach (var record in batch)
            {
                if (context.Translators[record.Side].Covers(record.Raw!, out var unclear) is not { } covers)
                {
                    holds.Add(new Hold(null, record.Side, record.Id, record.Id, null, $"{context.Systems[record.Side].Name}, {context.Mirror.RecordType} {record.Id}: {unclear}.", null));
                    context.Tally.Became($"{record.Side}/{record.Id}", RecordOutcome.Held);
                    continue;
                }

                if (!covers)
                {
                    outside.Add(new RecordPlace(record.Side, record.Id));
                    context.Tally.OutOfScope();
                    continue;
                }

                var translation = context.Translators[record.Side].ToAgreed(record.Raw!);
                if (translation.IsClear)
                {
                    keys.Add(new MatchCandidate(record.Side, record.Id, null, MatchKeys.Of(context.Mirror, translation.Values)));
                }
                else
                {
                    holds.Add(this.HoldOf(record, null, translation));
                    context.Tally.Became($"{record.Side}/{record.Id}", RecordOutcome.Held);
                }
            }

            await context.Store.SaveKeys(keys, cancellation);
            await context.Store.SaveHolds(holds, cancellation);
            await context.Store.SaveOutOfScope(outside, cancellation);
            context.Troubled(holds);
            after = (batch[^1].Side, batch[^1].Id);
        }
    }

    /// <summary>The hold of a record that can't be translated, with every problem that it has.</summary>
    public Hold HoldOf(KnownRecord record, Guid? link, Translation translation)
    {
        var problems = translation.Problems.Where(p => p.IsInTheWay).ToList();
        var first = problems[0];
        var reason = $"{context.Systems[record.Side].Name}, {context.Mirror.RecordType} {record.Id}: {string.Join(" ", problems.Select(p => p.Sentence))}";
        return new Hold(link, record.Side, record.Id, this.TitleOf(translation.Values, record.Id), context.Mirror.Fields[first.Field].Name, reason, null);
    }

    /// <summary>What people call the record: its title field, or its id where that is empty.</summary>
    public string TitleOf(Value[] values, string id) =>
        values[context.FieldIndex[context.Mirror.TitleField]] is { IsEmpty: false } title ? title.Display : id;
}
