using UprightMirror.Connectors;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>How a run ended.</summary>
/// <param name="Fault">Why it failed, in words for a person; null when it finished.</param>
public sealed record RunEnd(RunCounts Counts, string? Fault);

/// <summary>
/// One pass of a mirror: collect → translate → recognise → reconcile → deliver → confirm. Every stage keeps what it did in the
/// store before the next begins, so a pass that is cut off anywhere is gone on with by the next one.
/// </summary>
public sealed class MirrorRun(MirrorContext context)
{
    /// <summary>A record that keeps moving while it is written is left to the next run after so many tries.</summary>
    private const int MostRounds = 5;

    /// <summary>Runs the mirror.</summary>
    /// <param name="rehearse">True to decide everything and write nothing to any system.</param>
    public async Task<RunEnd> Execute(bool rehearse, CancellationToken cancellation)
    {
        try
        {
            var delivering = new Delivering(context);
            if (!rehearse)
            {
                await delivering.LookAtUnanswered(cancellation);
                await delivering.DeliverAside(cancellation);
            }

            if (context.Mirror.PointsAt.Any())
            {
                // What waited for a record of another mirror may have come by it since.
                await context.Store.LookAtHeldAgain(cancellation);
            }

            await new Collecting(context, rehearse).Collect(cancellation);
            await new Translating(context).Translate(cancellation);
            await new Recognising(context).Recognise(cancellation);
            await delivering.LookAtUnansweredAgain(cancellation);
            for (var round = 0; round < MostRounds; round++)
            {
                await new Reconciling(context).Reconcile(cancellation);
                if (rehearse || !await delivering.DeliverAndConfirm(cancellation))
                {
                    break;
                }
            }

            return new RunEnd(context.Tally.Counts, delivering.Fault);
        }
        catch (SystemFault fault)
        {
            return new RunEnd(context.Tally.Counts, fault.Message);
        }
    }
}
