using UprightMirror.Engine.Notices;

namespace UprightMirror.Web.Running;

/// <summary>Looks for what people are to be told of, and sends it.</summary>
internal sealed class TellingPeople(Noticing noticing, TimeProvider clock, ILogger<TellingPeople> log)
    : Watching("What people are to be told", TimeSpan.FromSeconds(3), clock, log)
{
    protected override async Task Look(CancellationToken cancellation)
    {
        await noticing.Look(cancellation);
        await noticing.Send(cancellation);
    }
}
