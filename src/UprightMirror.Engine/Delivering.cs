using System.Collections.Concurrent;
using UprightMirror.Connectors;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>Makes the planned deliveries. Each is remembered as sent before the call, so that none is ever made twice blindly.</summary>
public sealed class Delivering(MirrorContext context)
{
    private const int BatchSize = 3000;

    /// <summary>Records that are written side by side where each is a call of its own; the connector keeps the system's own limits.</summary>
    private const int AtOnce = 8;

    /// <summary>A record that keeps moving while it is put back is left after so many tries.</summary>
    private const int MostTries = 4;

    /// <summary>So many such groups, or calls that write many records, are under way at once.</summary>
    private const int CallsUnderWay = 3;

    private readonly Confirming confirming = new(context);
    private readonly Dictionary<int, string> unreachable = [];
    private readonly List<Delivery> notFound = [];

    /// <summary>Writes that are aside, as they were asked for: less of them may have been written.</summary>
    private readonly ConcurrentDictionary<long, Delivery> asked = [];

    /// <summary>What came of the calls, by side: how many records were written, and how many not.</summary>
    private readonly SortedDictionary<int, (int Written, int Not)> came = [];

    /// <summary>Why some deliveries could not be made, in words for a person; null when all could.</summary>
    public string? Fault => this.unreachable.Count == 0 ? null : string.Join(" ", this.unreachable.Values);

    /// <summary>
    /// Looks what became of deliveries that were sent and never answered. Only at the very beginning of a run: a creation that a
    /// system has no field for our reference for is found by reading what is new there, and recognising it.
    /// </summary>
    public async Task LookAtUnanswered(CancellationToken cancellation)
    {
        foreach (var delivery in await context.Store.ReadUnanswered(cancellation))
        {
            var system = context.Systems[delivery.Side];
            var found = delivery.RecordId is { } id
                ? await system.ReadOne(context.Collection(delivery.Side), id, cancellation)
                : await system.FindByReference(context.Collection(delivery.Side), delivery.Reference, cancellation);
            if (delivery.RecordId is null && found is null)
            {
                this.notFound.Add(delivery);
            }
            else
            {
                await this.confirming.KeepFound(delivery, found, cancellation);
            }
        }
    }

    /// <summary>
    /// A creation that no reference found is looked for once more when all that is new was recognised: a record that belongs to its link by now is the one that was created.
    /// Otherwise it never took effect.
    /// </summary>
    public async Task LookAtUnansweredAgain(CancellationToken cancellation)
    {
        foreach (var delivery in this.notFound)
        {
            await this.confirming.KeepFound(delivery, await context.Store.ReadMember(delivery.Link, delivery.Side, cancellation), cancellation);
        }

        this.notFound.Clear();
    }

    /// <summary>Makes what a person's decision asked for beside reconciling: before anything is reconciled that counts on it.</summary>
    public Task DeliverAside(CancellationToken cancellation) => this.Deliver(true, cancellation);

    /// <summary>Makes what is planned, and confirms it.</summary>
    /// <returns>True when a record moved meanwhile and must be reconciled again.</returns>
    public Task<bool> DeliverAndConfirm(CancellationToken cancellation) => this.Deliver(false, cancellation);

    private async Task<bool> Deliver(bool aside, CancellationToken cancellation)
    {
        var moved = false;
        var after = 0L;
        var underWay = new Dictionary<int, Queue<(Delivery[] Made, Task<IReadOnlyList<WriteAnswer>> Answers)>>();
        try
        {
            // The next ones are read while calls for those before are under way: a system's limit is not left unused meanwhile.
            while (await context.Store.ReadPlanned(after, BatchSize, aside, cancellation) is { Count: > 0 } batch)
            {
                after = batch[^1].Id;
                foreach (var side in batch.GroupBy(d => d.Side))
                {
                    underWay.TryAdd(side.Key, new());
                    moved |= await this.DeliverTo(side.Key, [.. side], underWay[side.Key], aside, cancellation);
                }
            }

            foreach (var calls in underWay.Values)
            {
                while (calls.Count > 0)
                {
                    moved |= await this.KeepNext(calls, cancellation);
                }
            }
        }
        finally
        {
            // Stopped in the middle: what was sent is looked for by the next run.
            await ((Task)Task.WhenAll(underWay.Values.SelectMany(calls => calls).Select(u => u.Answers))).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
            await context.Store.SaveFoundAnew(CancellationToken.None);
            foreach (var (side, (written, not)) in this.came)
            {
                context.Log.Say(LineLevel.Info, $"{context.Systems[side].Name}: {written:N0} {(written == 1 ? "record was" : "records were")} written{(not > 0 ? $", {not:N0} not" : "")}.");
            }

            this.came.Clear();
        }

        return moved;
    }

    /// <summary>Sends what one side is owed, several calls under way while answers are kept. The last calls may still be under way at the end.</summary>
    private async Task<bool> DeliverTo(int side, IReadOnlyList<Delivery> due, Queue<(Delivery[] Made, Task<IReadOnlyList<WriteAnswer>> Answers)> underWay, bool aside, CancellationToken cancellation)
    {
        var moved = false;
        var most = await context.Systems[side].MostAtOnce(context.Collection(side), cancellation);

        // What is removed, or has to be changed one by one, goes apart from what goes together.
        foreach (var chunk in due.GroupBy(d => d.Kind).SelectMany(kind => kind.Chunk(most > 1 ? most : AtOnce)))
        {
            if (this.unreachable.ContainsKey(side))
            {
                break;
            }

            await context.Store.MarkSent([.. chunk.Select(d => d.Id)], cancellation);
            underWay.Enqueue((chunk, aside ? this.WriteAside(side, chunk, cancellation) : this.Write(side, chunk, cancellation)));
            if (underWay.Count >= CallsUnderWay)
            {
                moved |= await this.KeepNext(underWay, cancellation);
            }
        }

        return moved;
    }

    private async Task<bool> KeepNext(Queue<(Delivery[] Made, Task<IReadOnlyList<WriteAnswer>> Answers)> underWay, CancellationToken cancellation)
    {
        var answers = await underWay.Peek().Answers;
        var (made, _) = underWay.Dequeue();
        var moved = false;
        var confirmed = new List<(Delivery, DeliveryEnd)>();
        for (var i = 0; i < made.Length; i++)
        {
            if (answers[i] is WriteAnswer.Stored stored)
            {
                var (end, waiting) = await this.confirming.EndOf(made[i], stored.Record, cancellation);
                if (this.asked.TryGetValue(made[i].Id, out var whole) && end is DeliveryEnd.Confirmed part)
                {
                    end = part with { Journal = [.. part.Journal, .. Confirming.LeftOf(whole, made[i].Fields)] };
                }

                confirmed.Add((made[i], end));
                moved |= waiting;
            }
        }

        await context.Store.SaveAnswers(confirmed, cancellation);
        var (written, not) = this.came.GetValueOrDefault(made[0].Side);
        this.came[made[0].Side] = (written + confirmed.Count, not + made.Length - confirmed.Count);
        for (var i = 0; i < made.Length; i++)
        {
            moved |= answers[i] is not WriteAnswer.Stored && await this.Keep(made[i], answers[i], cancellation);
        }

        // Here, too, somebody may ask for the run to be stopped.
        await context.Progress(RunStage.Delivering, cancellation);
        return moved;
    }

    private async Task<IReadOnlyList<WriteAnswer>> Write(int side, Delivery[] deliveries, CancellationToken cancellation) =>
        await context.Systems[side].WriteMany(context.Collection(side), [.. deliveries.Select(RequestOf)], cancellation);

    /// <summary>
    /// Writes that are nobody's to decide again: where the record moved meanwhile, what still stands as it was found is written all the same, and what somebody changed is left.
    /// </summary>
    /// <param name="deliveries">One that is left less is replaced by what of it was written.</param>
    private async Task<IReadOnlyList<WriteAnswer>> WriteAside(int side, Delivery[] deliveries, CancellationToken cancellation)
    {
        var (system, collection) = (context.Systems[side], context.Collection(side));
        WriteAnswer[] answers = [.. await this.Write(side, deliveries, cancellation)];
        for (var i = 0; i < deliveries.Length; i++)
        {
            try
            {
                for (var tries = 0; answers[i] is WriteAnswer.Moved && deliveries[i].Kind == WriteKind.Change && tries < MostTries; tries++)
                {
                    if (await system.ReadOne(collection, deliveries[i].RecordId!, cancellation) is not { } now)
                    {
                        answers[i] = new WriteAnswer.Gone();
                        break;
                    }

                    var left = deliveries[i] with { VersionTag = now.VersionTag, Fields = [.. deliveries[i].Fields.Where(f => now.Fields[f.Path].Equals(f.Before))] };
                    if (left.Fields.IsEmpty)
                    {
                        break;
                    }

                    if (left.Fields.Length < deliveries[i].Fields.Length)
                    {
                        this.asked.TryAdd(deliveries[i].Id, deliveries[i]);
                    }

                    deliveries[i] = left;
                    answers[i] = await system.Write(collection, RequestOf(left), cancellation);
                }
            }
            catch (SystemFault fault)
            {
                answers[i] = new WriteAnswer.NotReached(fault.Message);
            }
        }

        return answers;
    }

    /// <summary>A delivery as its connector is asked for it.</summary>
    internal static WriteRequest RequestOf(Delivery delivery) =>
        new(delivery.RecordId, delivery.Body, delivery.Kind == WriteKind.Create ? delivery.Reference : null, delivery.VersionTag, delivery.Kind == WriteKind.Remove);

    private async Task<bool> Keep(Delivery delivery, WriteAnswer answer, CancellationToken cancellation)
    {
        switch (answer)
        {
            case WriteAnswer.Moved:
                await this.confirming.ReadAgain(delivery, cancellation);
                return true;
            case WriteAnswer.Gone:
                await context.Store.SaveRemoved(delivery.Side, [delivery.RecordId!], cancellation);
                await context.Store.SaveAnswers([(delivery, new DeliveryEnd.Overtaken())], cancellation);
                return true;
            case WriteAnswer.Refused refused:
                await this.KeepRefusal(delivery, refused.Words, cancellation);
                return false;
            case WriteAnswer.NotReached notReached:
                if (this.unreachable.TryAdd(delivery.Side, notReached.Reason))
                {
                    context.Log.Say(LineLevel.Error, notReached.Reason);
                }

                await context.Store.SaveAnswers([(delivery, new DeliveryEnd.Postponed())], cancellation);
                return false;
            case WriteAnswer.Unknown unknown:
                context.Unanswered.Add((delivery.Link, delivery.Side));
                context.Log.Say(LineLevel.Warning, $"{context.Systems[delivery.Side].Name}, {context.Mirror.RecordType} {delivery.RecordId ?? delivery.Title}: {unknown.Reason} Nobody knows whether it took effect; the next run looks before anything more is sent.");
                await context.Store.SaveAnswers([(delivery, new DeliveryEnd.Unknown(unknown.Reason))], cancellation);
                return false;
            default:
                throw new InvalidOperationException($"{answer} is not an answer.");
        }
    }

    private async Task KeepRefusal(Delivery delivery, string words, CancellationToken cancellation)
    {
        var what = delivery.RecordId is { } id ? $"{context.Mirror.RecordType} {id}" : $"the new {context.Mirror.RecordType} {delivery.Title}";
        var reason = $"{context.Systems[delivery.Side].Name} refused {what} ({string.Join(", ", delivery.Fields.Select(f => f.Field))}).";
        var hold = new Hold(delivery.Link, delivery.Side, delivery.RecordId ?? "", delivery.Title, delivery.Fields.Length == 1 ? delivery.Fields[0].Field : null, reason, words);
        var entry = new JournalEntry(delivery.Link, JournalKind.Refused, delivery.Side, hold.Field, null, null, $"{reason} It said: {words}", null);
        await context.Store.SaveAnswers([(delivery, new DeliveryEnd.Refused(hold, entry))], cancellation);
        context.Tally.Became(delivery.Link, RecordOutcome.Refused);
        context.Troubled([hold]);
    }
}
