using UprightMirror.Core.Matching;
using UprightMirror.Core.Remembered;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>A new record, and what people call it.</summary>
public sealed record NewRecord(int Side, string Id, string Title)
{
    public RecordPlace Place => new(this.Side, this.Id);
}

/// <summary>
/// Links each new record to one that it certainly is, puts it to a person when nobody can tell, or takes it as new. Keys come first: what they do not
/// decide is recognised by likelihood, where the mirror says how.
/// </summary>
public sealed class Recognising(MirrorContext context)
{
    private const int BatchSize = 500;

    public async Task Recognise(CancellationToken cancellation)
    {
        var different = await context.Store.Likeness.ReadDifferent(cancellation);
        var left = new Dictionary<RecordPlace, NewRecord>();
        var after = (-1, "");
        while (await context.Store.ReadUnlinked(after, BatchSize, cancellation) is { Count: > 0 } batch)
        {
            after = (batch[^1].Side, batch[^1].Id);
            await this.RecogniseByKeys(batch, different, left, cancellation);
            await context.Progress(RunStage.Recognising, cancellation);
        }

        if (context.Mirror.Likeness is { Evidence.Length: > 0 } likeness)
        {
            await new Likening(context, likeness).Recognise([.. left.Values], different, cancellation);
        }
        else
        {
            await this.TakeAsNew(left.Values, cancellation);
        }
    }

    /// <summary>Nothing like them is known: each is a real thing of its own, or left as it is where the mirror says so.</summary>
    public async Task TakeAsNew(IReadOnlyCollection<NewRecord> records, CancellationToken cancellation)
    {
        if (context.Mirror.LeavesOut)
        {
            await context.Store.Likeness.SaveLeftOut([.. records.Select(r => r.Place)], cancellation);
            return;
        }

        await context.Store.SaveLinks(
            [.. records.Select(r => new LinkedAs(Guid.CreateVersion7(context.Clock.GetUtcNow()), r.Side, r.Id, r.Title, $"new in {context.Systems[r.Side].Name}: nothing like it is known"))],
            cancellation);
    }

    private async Task RecogniseByKeys(IReadOnlyList<KnownRecord> batch, IReadOnlySet<(RecordPlace A, RecordPlace B)> different, Dictionary<RecordPlace, NewRecord> left, CancellationToken cancellation)
    {
        var translating = new Translating(context);
        var read = batch.Select(r =>
        {
            var values = context.Translators[r.Side].ToAgreed(r.Raw!).Values;
            return (Record: new MatchCandidate(r.Side, r.Id, null, MatchKeys.Of(context.Mirror, values)), Title: translating.TitleOf(values, r.Id));
        }).ToList();
        var others = (await context.Store.FindByKeys([.. read.SelectMany(r => r.Record.Keys).Distinct()], cancellation)).ToDictionary(o => (o.Side, o.Id));
        var byKey = others.Values.SelectMany(o => o.Keys.Select(k => (k, o.Side, o.Id))).ToLookup(k => k.k, k => (k.Side, k.Id));
        var links = new List<LinkedAs>();
        var holds = new List<Hold>();
        foreach (var (record, title) in read)
        {
            if (others.TryGetValue((record.Side, record.Id), out var known) && known.Link is not null)
            {
                continue; // Linked a moment ago, as the other half of an earlier record of this batch.
            }

            var sharing = record.Keys.SelectMany(k => byKey[k]).Distinct().Select(o => others[o]).Where(o => !AreDifferent(different, new(record.Side, record.Id), new(o.Side, o.Id))).ToList();
            switch (Recogniser.Recognise(record, sharing))
            {
                case Recognition.Ambiguous ambiguous when context.Mirror.Likeness is null:
                    holds.Add(this.HoldOf(record, title, ambiguous));
                    context.Tally.Became($"{record.Side}/{record.Id}", RecordOutcome.Held);
                    break;
                case Recognition.SameAs same:
                    var link = same.Other.Link ?? Guid.CreateVersion7(context.Clock.GetUtcNow());
                    var why = $"same {context.Mirror.Recognising[same.Rule].Field}: {same.Other.Keys.First(k => k.Rule == same.Rule).Text.Split(':', 2)[1]}";
                    if (same.Other.Link is null)
                    {
                        links.Add(new LinkedAs(link, same.Other.Side, same.Other.Id, title, why));
                    }

                    links.Add(new LinkedAs(link, record.Side, record.Id, title, why));
                    var sides = same.Other.LinkedSides.Union([same.Other.Side, record.Side]).ToHashSet();
                    foreach (var half in others.Values.Where(o => o.Link == link).Append(record).Append(same.Other).ToList())
                    {
                        others[(half.Side, half.Id)] = half with { Link = link, LinkedSides = [.. sides] };
                    }

                    left.Remove(new(same.Other.Side, same.Other.Id));
                    context.Tally.Became(link, RecordOutcome.Linked);
                    break;
                default:
                    left[new(record.Side, record.Id)] = new NewRecord(record.Side, record.Id, title);
                    break;
            }
        }

        await context.Store.SaveLinks(links, cancellation);
        await context.Store.SaveHolds(holds, cancellation);
        context.Troubled(holds);
    }

    internal static bool AreDifferent(IReadOnlySet<(RecordPlace A, RecordPlace B)> different, RecordPlace a, RecordPlace b) =>
        different.Count > 0 && different.Contains(a.CompareTo(b) < 0 ? (a, b) : (b, a));

    private Hold HoldOf(MatchCandidate record, string title, Recognition.Ambiguous ambiguous)
    {
        var field = context.Mirror.Recognising[ambiguous.Rule].Field;
        var others = string.Join(", ", ambiguous.Others.Take(5).Select(o => $"{context.Systems[o.Side].Name} {o.Id}"));
        return new Hold(
            null, record.Side, record.Id, title, field,
            $"{context.Systems[record.Side].Name}, {context.Mirror.RecordType} {record.Id}: its {field} also stands in {others}, and nobody can tell which of them it is. Correct the {field} where it is wrong, or remove the duplicate.",
            null);
    }
}
