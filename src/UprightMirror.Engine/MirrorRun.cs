using System.Collections.Immutable;
using UprightMirror.Connectors;
using UprightMirror.Core.Reconciling;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>How a run ended.</summary>
/// <param name="Fault">Why it failed, in words for a person; null when it finished.</param>
public sealed record RunEnd(RunCounts Counts, string? Fault)
{
    /// <summary>What a guard stopped it at, before anything was written: it pauses then. A rehearsal tells what a run would be stopped at.</summary>
    public ImmutableArray<GuardFinding> Guarded { get; init; } = [];
}

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
    /// <param name="sweep">True to look every side through for what is gone.</param>
    /// <param name="allowed">What a person lets the guards pass in this run.</param>
    public async Task<RunEnd> Execute(bool rehearse, CancellationToken cancellation, IReadOnlyCollection<GuardFinding>? allowed = null, bool sweep = false)
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

            if (context.Mirror.PointsAt.Any() || !context.Mirror.LooksAt.IsEmpty)
            {
                await context.Store.LookAtDue(cancellation);
            }

            await new Collecting(context, rehearse, sweep).Collect(cancellation);
            await new Translating(context).Translate(cancellation);
            await new Recognising(context).Recognise(cancellation);
            await delivering.LookAtUnansweredAgain(cancellation);

            // What is gone is decided about at once; what was planned before may be planned otherwise by now.
            var guarded = await this.Guarded(about => about with { Creations = 0, Changes = 0, Removals = 0, EmptiedFields = 0 }, allowed ?? [], cancellation);
            if (!guarded.IsEmpty && !rehearse)
            {
                return new RunEnd(context.Tally.Counts, null) { Guarded = guarded };
            }

            for (var round = 0; round < MostRounds; round++)
            {
                await new Reconciling(context).Reconcile(cancellation);
                if (round == 0 && await this.Guarded(about => about with { Gone = 0 }, allowed ?? [], cancellation) is { IsEmpty: false } more)
                {
                    guarded = [.. guarded, .. more];
                    if (!rehearse)
                    {
                        break;
                    }
                }

                if (rehearse || !await delivering.DeliverAndConfirm(cancellation))
                {
                    break;
                }
            }

            return new RunEnd(context.Tally.Counts, delivering.Fault) { Guarded = guarded };
        }
        catch (SystemFault fault)
        {
            return new RunEnd(context.Tally.Counts, fault.Message);
        }
    }

    private async Task<ImmutableArray<GuardFinding>> Guarded(Func<AboutToDo, AboutToDo> counts, IReadOnlyCollection<GuardFinding> allowed, CancellationToken cancellation)
    {
        // A side's records are counted only where a limit's number is passed: that is seldom.
        var about = (await context.Store.CountPlanned(cancellation)).Select(counts).ToList();
        var isFirstLoad = !await context.Store.HasFinishedBefore(cancellation);
        var doubtful = context.Guards.Find(about, isFirstLoad, allowed).Select(f => f.Side).ToHashSet();
        var counted = new List<AboutToDo>();
        foreach (var side in about.Where(a => doubtful.Contains(a.Side)))
        {
            counted.Add(side with { Records = await context.Store.CountRecords(side.Side, cancellation) });
        }

        return context.Guards.Find(counted, isFirstLoad, allowed);
    }
}
