using UprightMirror.Engine.Checks;

namespace UprightMirror.Web.Running;

/// <summary>Looks at the follow-up checks whose time has come.</summary>
internal sealed class FollowUps(Checking checking, TimeProvider clock, ILogger<FollowUps> log) : Watching("Follow-up checks", TimeSpan.FromSeconds(5), clock, log)
{
    protected override async Task Look(CancellationToken cancellation) => await checking.LookAtDue(cancellation);
}
