using UprightMirror.Core.Matching;
using UprightMirror.Core.Remembered;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>Links each new record to one that it certainly is, holds it when nobody can tell, or takes it as new.</summary>
public sealed class Recognising(MirrorContext context)
{
    private const int BatchSize = 500;

    public async Task Recognise(CancellationToken cancellation)
    {
        var translating = new Translating(context);
        var after = (-1, "");
        while (await context.Store.ReadUnlinked(after, BatchSize, cancellation) is { Count: > 0 } batch)
        {
            after = (batch[^1].Side, batch[^1].Id);
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

                var sharing = record.Keys.SelectMany(k => byKey[k]).Distinct().Select(o => others[o]).ToList();
                switch (Recogniser.Recognise(record, sharing))
                {
                    case Recognition.Ambiguous ambiguous:
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
                        foreach (var half in new[] { record, same.Other })
                        {
                            others[(half.Side, half.Id)] = half with { Link = link };
                        }

                        context.Tally.Became(link, RecordOutcome.Linked);
                        break;
                    default:
                        var alone = Guid.CreateVersion7(context.Clock.GetUtcNow());
                        links.Add(new LinkedAs(alone, record.Side, record.Id, title, $"new in {context.Systems[record.Side].Name}: nothing like it is known"));
                        if (others.ContainsKey((record.Side, record.Id)))
                        {
                            others[(record.Side, record.Id)] = record with { Link = alone };
                        }

                        break;
                }
            }

            await context.Store.SaveLinks(links, cancellation);
            await context.Store.SaveHolds(holds, cancellation);
            await context.Store.SaveProgress(RunStage.Recognising, context.Tally.Counts, cancellation);
        }
    }

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
