using UprightMirror.Connectors;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>Makes the planned deliveries. Each is remembered as sent before the call, so that none is ever made twice blindly.</summary>
public sealed class Delivering(MirrorContext context)
{
    private const int BatchSize = 40;

    /// <summary>Calls to one system at once; its connector keeps the system's own limits.</summary>
    private const int AtOnce = 4;

    private readonly Confirming confirming = new(context);
    private readonly Dictionary<int, string> unreachable = [];

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
            await this.confirming.KeepFound(delivery, found, cancellation);
        }
    }

    /// <summary>Makes what is planned, and confirms it.</summary>
    /// <returns>True when a record moved meanwhile and must be reconciled again.</returns>
    public async Task<bool> DeliverAndConfirm(CancellationToken cancellation)
    {
        var moved = false;
        var after = 0L;
        while (await context.Store.ReadPlanned(after, BatchSize, cancellation) is { Count: > 0 } batch)
        {
            after = batch[^1].Id;
            var due = batch.Where(d => !this.unreachable.ContainsKey(d.Side)).ToList();
            await context.Store.MarkSent([.. due.Select(d => d.Id)], cancellation);
            foreach (var group in due.Chunk(AtOnce))
            {
                var answers = await Task.WhenAll(group.Select(d => this.Write(d, cancellation)));
                for (var i = 0; i < group.Length; i++)
                {
                    moved |= await this.Keep(group[i], answers[i], cancellation);
                }
            }

            await context.Store.SaveProgress(RunStage.Delivering, context.Tally.Counts, cancellation);
        }

        return moved;
    }

    private async Task<WriteAnswer> Write(Delivery delivery, CancellationToken cancellation)
    {
        if (this.unreachable.TryGetValue(delivery.Side, out var reason))
        {
            return new WriteAnswer.NotReached(reason);
        }

        return await context.Systems[delivery.Side].Write(context.Collection(delivery.Side), RequestOf(delivery), cancellation);
    }

    /// <summary>A delivery as its connector is asked for it.</summary>
    internal static WriteRequest RequestOf(Delivery delivery) =>
        new(delivery.RecordId, delivery.Body, delivery.Kind == WriteKind.Create ? delivery.Reference : null, delivery.VersionTag, delivery.Kind == WriteKind.Remove);

    private async Task<bool> Keep(Delivery delivery, WriteAnswer answer, CancellationToken cancellation)
    {
        switch (answer)
        {
            case WriteAnswer.Stored stored:
                return await this.confirming.Confirm(delivery, stored.Record, cancellation);
            case WriteAnswer.Moved:
                await this.confirming.ReadAgain(delivery, cancellation);
                return true;
            case WriteAnswer.Gone:
                await context.Store.SaveRemoved(delivery.Side, delivery.RecordId!, cancellation);
                await context.Store.SaveAnswer(delivery, new DeliveryEnd.Overtaken(), cancellation);
                return true;
            case WriteAnswer.Refused refused:
                await this.KeepRefusal(delivery, refused.Words, cancellation);
                return false;
            case WriteAnswer.NotReached notReached:
                this.unreachable.TryAdd(delivery.Side, notReached.Reason);
                await context.Store.SaveAnswer(delivery, new DeliveryEnd.Postponed(), cancellation);
                return false;
            case WriteAnswer.Unknown unknown:
                context.Unanswered.Add((delivery.Link, delivery.Side));
                await context.Store.SaveAnswer(delivery, new DeliveryEnd.Unknown(unknown.Reason), cancellation);
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
        await context.Store.SaveAnswer(
            delivery,
            new DeliveryEnd.Refused(hold, new JournalEntry(delivery.Link, JournalKind.Refused, delivery.Side, hold.Field, null, null, $"{reason} It said: {words}", null)),
            cancellation);
        context.Tally.Became(delivery.Link, RecordOutcome.Refused);
    }
}
