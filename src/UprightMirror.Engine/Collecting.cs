using UprightMirror.Core.Matching;
using UprightMirror.Core.Remembered;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>Reads what changed on each side since its watermark, and what was removed, and remembers it.</summary>
/// <param name="isRehearsal">True to leave what may be read only once where it is.</param>
/// <param name="sweep">True to look every side through for what is gone, whether that is due or not.</param>
public sealed class Collecting(MirrorContext context, bool isRehearsal, bool sweep = false)
{
    /// <summary>
    /// Reading begins this much before the watermark: a record whose stamp was given before the watermark may have become
    /// visible after it. Reading a record again is harmless.
    /// </summary>
    private static readonly TimeSpan Overlap = TimeSpan.FromSeconds(30);

    /// <summary>So many missing records are each asked for once more: a page that moved while it was read may have left one out.</summary>
    private const int MostAskedFor = 500;

    /// <summary>From so many records on that a run finds new or changed.</summary>
    private const int Much = 5000;

    private int different;

    public async Task Collect(CancellationToken cancellation)
    {
        for (var side = 0; side < context.SideCount; side++)
        {
            await this.CollectSide(side, cancellation);
        }

        if (this.different >= Much)
        {
            await context.Store.TakeStock(cancellation);
        }
    }

    /// <summary>Reads only some records, as they stand now. Everything else waits for a run that reads what changed.</summary>
    public async Task CollectOnly(IReadOnlyCollection<RecordPlace> records, CancellationToken cancellation)
    {
        foreach (var place in records)
        {
            var (system, collection) = (context.Systems[place.Side], context.Collection(place.Side));
            if (await system.ReadOne(collection, place.Id, cancellation) is { } record)
            {
                context.Tally.Read(1, await context.Store.SaveObserved(place.Side, [record], cancellation));
            }
            else if (system.ListsAll(collection))
            {
                this.Gone(await context.Store.SaveRemoved(place.Side, [place.Id], cancellation), $"{system.Name} does not have it any more:");
            }
        }
    }

    /// <summary>
    /// What was removed: by the system's own word, or, where it does not tell, by looking it through whole once in a while. Asked before what changed, so that a record
    /// that is there again counts as there.
    /// </summary>
    private async Task CollectRemoved(int side, DateTimeOffset since, CancellationToken cancellation)
    {
        var (system, collection) = (context.Systems[side], context.Collection(side));
        var told = await system.ReadRemoved(collection, since, cancellation);
        if (told is { Count: > 0 })
        {
            this.Gone(await context.Store.SaveRemoved(side, told, cancellation), $"{system.Name} tells that");
        }

        var began = context.Clock.GetUtcNow();
        var due = sweep || (told is null && context.Mirror.Sides[side].SweepEveryHours is > 0 and var hours && (await context.Store.ReadSwept(side, cancellation) is not { } last || began - last >= TimeSpan.FromHours(hours)));
        if (!due || !system.ListsAll(collection))
        {
            return;
        }

        var missing = (await context.Store.ReadIds(side, cancellation)).ToHashSet(StringComparer.Ordinal);
        await foreach (var page in system.ReadIds(collection, cancellation))
        {
            missing.ExceptWith(page);
        }

        await this.SaveMissing(side, missing, cancellation);
        await context.Store.SaveSwept(side, began, cancellation);
    }

    /// <summary>Remembers what a reading of everything did not give as removed.</summary>
    private async Task SaveMissing(int side, HashSet<string> missing, CancellationToken cancellation)
    {
        var (system, collection) = (context.Systems[side], context.Collection(side));
        missing = missing.Count == 0 ? missing : (await context.Store.ReadThere(side, missing, cancellation)).ToHashSet(StringComparer.Ordinal);
        if (missing.Count <= MostAskedFor)
        {
            foreach (var id in missing.ToList())
            {
                if (await system.ReadOne(collection, id, cancellation) is not null)
                {
                    missing.Remove(id);
                }
            }
        }

        this.Gone(await context.Store.SaveRemoved(side, missing, cancellation), $"{system.Name} was looked through:");
    }

    private void Gone(int records, string how)
    {
        if (records > 0)
        {
            context.Log.Say(LineLevel.Info, $"{how} {Count(records, "record")} {(records == 1 ? "is" : "are")} gone.");
        }
    }

    private static string Count(int number, string what) => $"{number:N0} {what}{(number == 1 ? "" : "s")}";

    private async Task CollectSide(int side, CancellationToken cancellation)
    {
        var mark = await context.Store.ReadWatermark(side, cancellation);
        var newest = mark?.Time;
        var began = context.Clock.GetUtcNow();
        var needed = context.Translators[side].Needs.ToHashSet();
        var system = context.Systems[side];
        var ahead = system.Seen.ClockAhead;
        var since = mark?.Since(ahead, Overlap);
        if (since is { } earlier)
        {
            await this.CollectRemoved(side, earlier, cancellation);
        }

        // A side that is read whole each time shows by that what is gone.
        var missing = since is null && system.ListsAll(context.Collection(side)) ? (await context.Store.ReadIds(side, cancellation)).ToHashSet(StringComparer.Ordinal) : [];
        var pages = isRehearsal ? system.ReadChanged(context.Collection(side), since, needed, cancellation) : system.Take(context.Collection(side), since, needed, cancellation);
        var (read, differs) = (0, 0);
        await foreach (var page in pages)
        {
            var differ = await context.Store.SaveObserved(side, page, cancellation);
            this.different += differ;
            (read, differs) = (read + page.Count, differs + differ);
            context.Tally.Read(page.Count, differ);
            missing.ExceptWith(page.Select(r => r.Id));
            newest = page.Select(r => r.ChangedAt).Append(newest).Max();
            await context.Progress(RunStage.Collecting, cancellation);
        }

        context.Log.Say(LineLevel.Info, $"{system.Name}: {(since is { } from ? $"what changed since {from.UtcDateTime:yyyy-MM-dd HH:mm:ss} UTC" : "everything")} was read: {Count(read, "record")}, {differs:N0} other than known.");
        if (missing.Count > 0)
        {
            await this.SaveMissing(side, missing, cancellation);
        }

        // Only a side that was read to its end moves its mark: the pages of one reading need not be in any order.
        if (newest is { } time)
        {
            await context.Store.SaveWatermark(side, Watermark.Of(time, began, ahead), cancellation);
            if (mark is null)
            {
                await context.Store.SaveSwept(side, began, cancellation);
            }
        }

        if (!isRehearsal)
        {
            await system.PutAway(context.Collection(side), cancellation);
        }
    }
}
