using System.Collections.Immutable;
using UprightMirror.Connectors;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Reconciling;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>How a run ended.</summary>
/// <param name="Fault">Why it failed, in words for a person; null when it finished.</param>
public sealed record RunEnd(RunCounts Counts, string? Fault)
{
    /// <summary>What a guard stopped it at, before anything was written: it pauses then. A rehearsal tells what a run would be stopped at.</summary>
    public ImmutableArray<GuardFinding> Guarded { get; init; } = [];

    /// <summary>Where it was to do only what was rehearsed: how many writes it left to the next run.</summary>
    public int LeftForLater { get; init; }
}

/// <summary>Less than a whole run.</summary>
/// <param name="Only">The records that are read, and no other; null to read what changed.</param>
/// <param name="AsRehearsed">The rehearsal whose writes are made, if they would still be made just so, and no other; null for all.</param>
/// <param name="Sample">Of a rehearsal: so many records, picked at random, are decided about, each anew, and no other. All sides are read all the same, so that what is told of them is right.</param>
/// <param name="Find">Of a rehearsal: only records whose title holds this text, or that have it as their id somewhere.</param>
public sealed record RunLimits(IReadOnlyCollection<RecordPlace>? Only = null, long? AsRehearsed = null, int? Sample = null, string? Find = null)
{
    /// <summary>So many records that a text finds are decided about.</summary>
    public const int MostFound = 200;
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
    public async Task<RunEnd> Execute(bool rehearse, CancellationToken cancellation, IReadOnlyCollection<GuardFinding>? allowed = null, bool sweep = false, RunLimits? limits = null)
    {
        try
        {
            var delivering = new Delivering(context);
            if (!rehearse)
            {
                context.Log.Enter(RunStage.Delivering);
                await delivering.LookAtUnanswered(cancellation);
                if (limits?.AsRehearsed is null)
                {
                    await delivering.DeliverAside(cancellation);
                }
            }

            if (context.Mirror.PointsAt.Any() || context.Mirror.Fetches)
            {
                // What waited for a record of another mirror may have come by it since, and a system that did not answer may do so again.
                await context.Store.LookAtHeldAgain(cancellation);
            }

            if (context.Mirror.PointsAt.Any() || !context.Mirror.LooksAt.IsEmpty)
            {
                await context.Store.LookAtDue(cancellation);
            }

            context.Log.Enter(RunStage.Collecting);
            var collecting = new Collecting(context, rehearse, sweep);
            await (limits?.Only is { } only ? collecting.CollectOnly(only, cancellation) : collecting.Collect(cancellation));
            context.Log.Enter(RunStage.Recognising);
            await new Translating(context).Translate(cancellation);
            await new Recognising(context).Recognise(cancellation);
            if (context.Tally.Counts.Linked is > 0 and var linked)
            {
                context.Log.Say(LineLevel.Info, $"Recognised as the same: {linked:N0}.");
            }

            await delivering.LookAtUnansweredAgain(cancellation);
            if (rehearse && limits is { Sample: not null } or { Find: not null })
            {
                var picked = await context.Store.PickForRehearsal(limits.Sample ?? RunLimits.MostFound, limits.Find, cancellation);
                context.Log.Say(LineLevel.Info, $"Only a sample is decided about: {picked:N0} {(picked == 1 ? "record" : "records")}{(limits.Find is { } text ? $" that “{text}” finds" : "")}.");
            }


            // What is gone is decided about at once; what was planned before may be planned otherwise by now.
            var guarded = await this.Guarded(about => about with { Creations = 0, Changes = 0, Removals = 0, EmptiedFields = 0 }, allowed ?? [], cancellation);
            if (!guarded.IsEmpty && !rehearse)
            {
                return new RunEnd(context.Tally.Counts, null) { Guarded = guarded };
            }

            var left = 0;
            for (var round = 0; round < MostRounds; round++)
            {
                context.Log.Enter(RunStage.Reconciling);
                await new Reconciling(context).Reconcile(cancellation);
                var counts = context.Tally.Counts;
                context.Log.Say(LineLevel.Info, $"{(round == 0 ? "Decided" : "Decided again, as some moved meanwhile")}: {counts.Planned:N0} writes planned so far, {counts.InConflict:N0} records in conflict, {counts.Held:N0} held.");
                await context.KeepLog(cancellation);
                if (round == 0 && await this.Guarded(about => about with { Gone = 0 }, allowed ?? [], cancellation) is { IsEmpty: false } more)
                {
                    guarded = [.. guarded, .. more];
                    if (!rehearse)
                    {
                        break;
                    }
                }

                if (limits?.AsRehearsed is { } rehearsal)
                {
                    left = await context.Store.KeepOnlyAsRehearsed(rehearsal, cancellation);
                }

                context.Log.Enter(RunStage.Delivering);
                if (rehearse || !await delivering.DeliverAndConfirm(cancellation) || limits?.AsRehearsed is not null)
                {
                    break;
                }
            }

            return new RunEnd(context.Tally.Counts, delivering.Fault) { Guarded = guarded, LeftForLater = left };
        }
        catch (Exception stopped) when (stopped is SystemFault or TooMuchTrouble)
        {
            return new RunEnd(context.Tally.Counts, stopped.Message);
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
