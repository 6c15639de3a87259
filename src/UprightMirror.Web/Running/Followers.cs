using UprightMirror.Storage;

namespace UprightMirror.Web.Running;

/// <summary>Runs the mirrors that run after another one. Which run of it they have followed is kept, so none is followed twice, and none is missed while nobody was there.</summary>
internal sealed class Followers(Mirrors mirrors, OwnRuns runs, TimeProvider clock, ILogger<Followers> log)
    : Watching("What runs after other mirrors", TimeSpan.FromSeconds(2), clock, log)
{
    protected override async Task Look(CancellationToken cancellation)
    {
        foreach (var due in await mirrors.Following(cancellation))
        {
            // Of several workers one gets it.
            if (await mirrors.Follow(due.Mirror.Id, due.Before, due.Run, cancellation) && !await runs.Start(due.Mirror, $"{due.Followed}, which it runs after", cancellation))
            {
                await mirrors.Follow(due.Mirror.Id, due.Run, due.Before, cancellation);
            }
        }
    }
}
