using UprightMirror.Core.Remembered;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>Reads what changed on each side since its watermark, and remembers it as read.</summary>
/// <param name="isRehearsal">True to leave what may be read only once where it is.</param>
public sealed class Collecting(MirrorContext context, bool isRehearsal)
{
    /// <summary>
    /// Reading begins this much before the watermark: a record whose stamp was given before the watermark may have become
    /// visible after it. Reading a record again is harmless.
    /// </summary>
    private static readonly TimeSpan Overlap = TimeSpan.FromSeconds(30);

    public async Task Collect(CancellationToken cancellation)
    {
        for (var side = 0; side < context.SideCount; side++)
        {
            await this.CollectSide(side, cancellation);
        }
    }

    private async Task CollectSide(int side, CancellationToken cancellation)
    {
        var mark = await context.Store.ReadWatermark(side, cancellation);
        var newest = mark?.Time;
        var began = context.Clock.GetUtcNow();
        var needed = context.Translators[side].Needs.ToHashSet();
        var system = context.Systems[side];
        var ahead = system.Seen.ClockAhead;
        var since = mark?.Since(ahead, Overlap);
        var pages = isRehearsal ? system.ReadChanged(context.Collection(side), since, needed, cancellation) : system.Take(context.Collection(side), since, needed, cancellation);
        await foreach (var page in pages)
        {
            var different = await context.Store.SaveObserved(side, page, cancellation);
            context.Tally.Read(page.Count, different);
            newest = page.Select(r => r.ChangedAt).Append(newest).Max();
            await context.Store.SaveProgress(RunStage.Collecting, context.Tally.Counts, cancellation);
        }

        // Only a side that was read to its end moves its mark: the pages of one reading need not be in any order.
        if (newest is { } time)
        {
            await context.Store.SaveWatermark(side, Watermark.Of(time, began, ahead), cancellation);
        }

        if (!isRehearsal)
        {
            await system.PutAway(context.Collection(side), cancellation);
        }
    }
}
