using UprightMirror.Storage;

namespace UprightMirror.Web.Running;

/// <summary>Takes up runs that nobody asked for and whose process ended in the middle: what they were begun for would otherwise wait for the next thing that happens.</summary>
internal sealed class CutOffRuns(RunBook book, Mirrors mirrors, OwnRuns runs, TimeProvider clock, ILogger<CutOffRuns> log)
    : Watching("Runs to take up", TimeSpan.FromSeconds(2), clock, log)
{
    protected override async Task Look(CancellationToken cancellation)
    {
        var cutOff = await book.CutOff(cancellation);
        foreach (var mirror in cutOff.Count == 0 ? [] : (await mirrors.All(cancellation)).Where(m => m.State == "live"))
        {
            if (cutOff.FirstOrDefault(c => c.MirrorId == mirror.Id) is { Run: > 0 } cut)
            {
                await runs.Start(mirror, $"run {cut.Run}, which was cut off", cancellation);
            }
        }
    }
}
