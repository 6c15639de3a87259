using System.Collections.Immutable;
using System.Text.Json.Nodes;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>Keeps what a system stored. Where it stored a value its own way, that is the shadow from now on.</summary>
public sealed class Confirming(MirrorContext context)
{
    /// <summary>Keeps a write that took effect, and of which nobody saw the answer.</summary>
    /// <returns>True when the record also shows something that nobody knew of, and must be reconciled again.</returns>
    private async Task<bool> Confirm(Delivery delivery, ObservedRecord? stored, CancellationToken cancellation)
    {
        var (end, waiting) = await this.EndOf(delivery, stored, cancellation, foundLater: true);
        await context.Store.SaveAnswers([(delivery, end)], cancellation);
        return waiting;
    }

    /// <summary>How a write that took effect ends, counted but not kept yet; and whether the record must be reconciled again.</summary>
    /// <param name="foundLater">True for what was looked for after its answer was lost: somebody may have edited it since.</param>
    public async Task<(DeliveryEnd End, bool Waiting)> EndOf(Delivery delivery, ObservedRecord? stored, CancellationToken cancellation, bool foundLater = false)
    {
        var known = delivery.RecordId is { } id ? await context.Store.ReadKnown(delivery.Side, id, cancellation) : null;
        if (delivery.Undoes is not null)
        {
            return (this.EndOfUndo(delivery, known, stored), false);
        }

        var other = stored is null || !foundLater ? [] : delivery.Fields.Where(f => !SameButForm(f.Raw, stored.Fields[f.Path])).ToList();
        var asBefore = delivery.Kind == WriteKind.Change ? other.Where(f => SameButForm(f.Before, stored!.Fields[f.Path])).ToList() : [];
        var after = stored is null ? null : this.After(delivery, known, stored, other.Except(asBefore).Select(f => f.Path).ToHashSet(), asBefore.Select(f => f.Path).ToHashSet());
        var waiting = stored is not null && (other.Count > 0 || this.TellsMore(delivery, known?.Raw, stored));
        context.Tally.Written();
        context.Tally.Became(delivery.Link, delivery.Kind == WriteKind.Create ? RecordOutcome.Created : RecordOutcome.Updated);
        return (new DeliveryEnd.Confirmed(stored, after, waiting, [.. JournalOf(delivery with { Fields = [.. delivery.Fields.Except(asBefore)] }, stored), .. asBefore.Where(f => !f.Before.IsEmpty).Select(f => AsBefore(delivery, f))]), waiting);
    }

    /// <summary>A write that takes a run back: what is known of the record was put back already, and stays; only what stands there is different.</summary>
    private DeliveryEnd.Confirmed EndOfUndo(Delivery delivery, KnownRecord? known, ObservedRecord? stored)
    {
        context.Tally.Written();
        context.Tally.Became(delivery.Link, delivery.Kind == WriteKind.Create ? RecordOutcome.Created : RecordOutcome.Updated);
        var after = stored is null ? null : new SideAfter(
            delivery.Side, stored.Id, delivery.Kind == WriteKind.Create ? stored.Fields : null,
            known?.Told ?? ImmutableDictionary<string, string>.Empty, known?.Owed ?? ImmutableHashSet<string>.Empty, known?.Unmet ?? ImmutableHashSet<string>.Empty);
        return new DeliveryEnd.Confirmed(stored, after, false, [.. JournalOf(delivery, stored)]);
    }

    /// <summary>
    /// Whether a stored record says something beside what was written: for a changed one, what changed otherwise; for a created
    /// one, its id, where fields are made of that, and what the system filled in by itself where nobody told it anything.
    /// </summary>
    private bool TellsMore(Delivery delivery, RawFields? before, ObservedRecord stored)
    {
        return delivery.Kind == WriteKind.Create
            ? context.Rules.WorkedOut.Any(f => context.Rules.Fields[f].WorkedOut!.UsesIds) || this.FilledInThere(delivery, stored).Any()
            : before is not null && this.NotTold(delivery).Any(c => c.Cell.Reads.Any(path => !stored.Fields[path].Equals(before[path])));
    }

    private IEnumerable<(int Field, SideField Cell)> NotTold(Delivery delivery) => context.Translators[delivery.Side].Cells.Where(c => !delivery.Fields.Any(f => f.Path == c.Cell.Path));

    /// <summary>Agreed fields that a created record says something in though nobody told it anything there.</summary>
    private IEnumerable<string> FilledInThere(Delivery delivery, ObservedRecord stored) =>
        this.NotTold(delivery).Where(c => c.Cell.Gives && !stored.Fields[c.Cell.Path].IsEmpty).Select(c => context.Mirror.Fields[c.Field].Name);

    /// <summary>The record moved before the write: what it holds now goes back to be reconciled.</summary>
    public async Task ReadAgain(Delivery delivery, CancellationToken cancellation)
    {
        // What is aside is nobody's to write again: it is told what was left.
        DeliveryEnd end = new DeliveryEnd.Overtaken { Journal = delivery.IsAside ? [.. LeftOf(delivery, [])] : [] };
        var now = await context.Systems[delivery.Side].ReadOne(context.Collection(delivery.Side), delivery.RecordId!, cancellation);
        if (now is null)
        {
            await context.Store.SaveRemoved(delivery.Side, [delivery.RecordId!], cancellation);
        }
        else
        {
            await context.Store.SaveObserved(delivery.Side, [now], cancellation);
        }

        await context.Store.SaveAnswers([(delivery, end)], cancellation);
    }

    /// <summary>What of a write that is aside was not written, because somebody changed it in that moment.</summary>
    /// <param name="written">The fields that were.</param>
    public static IEnumerable<JournalEntry> LeftOf(Delivery asked, ImmutableArray<DeliveredField> written) => asked.Kind == WriteKind.Change
        ? asked.Fields.Where(f => !written.Any(w => w.Path == f.Path)).Select(f => new JournalEntry(asked.Link, JournalKind.Undone, asked.Side, f.Field, ValueJson.Write(f.Raw), null, $"{f.Why}; it was changed in the meantime, and stays as it is", null))
        : [new JournalEntry(asked.Link, JournalKind.Undone, asked.Side, null, null, null, "it was changed in the meantime, and stays as it is", null)];

    /// <summary>
    /// Whether a change whose answer was lost took effect: some of what was sent is there. What is otherwise was edited since; what is as it was before may have been edited
    /// back, or somebody typed what we sent: it is written again.
    /// </summary>
    private static bool ChangeTookEffect(Delivery delivery, ObservedRecord found) =>
        (delivery.VersionTag is null || found.VersionTag != delivery.VersionTag)
        && (delivery.Fields.All(f => SameButForm(f.Raw, found.Fields[f.Path])) || delivery.Fields.Any(f => SameButForm(f.Raw, found.Fields[f.Path]) && !SameButForm(f.Before, f.Raw)));

    /// <summary>What stands as it did before a write that seems to have taken effect was perhaps typed again: it is written over, and told.</summary>
    private static JournalEntry AsBefore(Delivery delivery, DeliveredField field) => new(
        delivery.Link, JournalKind.Superseded, delivery.Side, field.Field, ValueJson.Write(field.Before), ValueJson.Write(field.Agreed), "it stood there again after a write whose answer was lost, and is written over", null);

    /// <summary>Keeps what was found after a delivery whose answer was lost.</summary>
    public async Task KeepFound(Delivery delivery, ObservedRecord? found, CancellationToken cancellation)
    {
        var tookEffect = delivery.Kind switch
        {
            WriteKind.Create => found is not null,
            WriteKind.Remove => found is null,
            _ => found is not null && ChangeTookEffect(delivery, found),
        };
        if (tookEffect)
        {
            await this.Confirm(delivery, found, cancellation);
        }
        else if (delivery.IsAside && (delivery.RecordId is null || found is not null))
        {
            // Nothing would plan it again.
            await context.Store.SaveAnswers([(delivery, new DeliveryEnd.Postponed())], cancellation);
        }
        else if (delivery.RecordId is not null)
        {
            await this.ReadAgain(delivery, cancellation);
        }
        else
        {
            await context.Store.SaveAnswers([(delivery, new DeliveryEnd.Overtaken())], cancellation);
        }
    }

    /// <param name="edited">Fields that hold something else than what was sent, and that nobody saw being stored: they count as changed since.</param>
    /// <param name="asBefore">Fields that hold what they held before: they count as not written.</param>
    private SideAfter After(Delivery delivery, KnownRecord? known, ObservedRecord stored, HashSet<string> edited, HashSet<string> asBefore)
    {
        var shadow = known?.Shadow ?? stored.Fields;
        var told = new Dictionary<string, string>(known?.Told ?? ImmutableDictionary<string, string>.Empty);
        var says = context.Translators[delivery.Side].ToAgreed(stored.Fields);
        foreach (var field in delivery.Fields.Where(f => !asBefore.Contains(f.Path)))
        {
            told.Remove(field.Field);
            if (edited.Contains(field.Path))
            {
                shadow = shadow.With(field.Path, field.Raw);
                continue;
            }

            shadow = shadow.With(field.Path, stored.Fields[field.Path]);

            // Stored its own way, or in a form that lost something on the way: what it was told is remembered beside it.
            if (!stored.Fields[field.Path].Equals(field.Raw) || (context.FieldIndex.TryGetValue(field.Field, out var index) && !says.Values[index].Equals(field.Agreed)))
            {
                told[field.Field] = ValueJson.Write(field.Agreed)?.ToJsonString() ?? "null";
            }
        }

        var owed = (known?.Owed ?? ImmutableHashSet<string>.Empty).Except(delivery.Fields.Where(f => !asBefore.Contains(f.Path)).Select(f => f.Field)).ToHashSet();
        var unmet = (known?.Unmet ?? ImmutableHashSet<string>.Empty).ToHashSet();
        if (delivery.Kind == WriteKind.Create)
        {
            // What the system filled in by itself, such as the number that it gave the record, is met for the first time.
            unmet.UnionWith(this.FilledInThere(delivery, stored));
        }

        return new SideAfter(delivery.Side, stored.Id, shadow, told, owed, unmet);
    }

    private static IEnumerable<JournalEntry> JournalOf(Delivery delivery, ObservedRecord? stored) => delivery.Kind switch
    {
        WriteKind.Create => [new JournalEntry(delivery.Link, JournalKind.Created, delivery.Side, null, null, new JsonObject(delivery.Fields.Select(f => KeyValuePair.Create(f.Field, ValueJson.Write(f.Raw)))), $"created as {stored!.Id}", null)],
        WriteKind.Remove => [new JournalEntry(delivery.Link, JournalKind.Removed, delivery.Side, null, null, null, "removed, because it was removed elsewhere", null)],
        _ => delivery.Fields.Select(f => new JournalEntry(delivery.Link, JournalKind.Written, delivery.Side, f.Field, ValueJson.Write(f.Before), ValueJson.Write(stored!.Fields[f.Path]), f.Why, null)),
    };

    /// <summary>Whether a stored value may be the one that was sent, stored the system's own way: trimmed, in another case, rounded.</summary>
    private static bool SameButForm(Value sent, Value stored) => (sent, stored) switch
    {
        (NumberValue a, NumberValue b) => decimal.Round(a.Amount, 2) == decimal.Round(b.Amount, 2),
        (TextValue a, TextValue b) => string.Equals(a.Content.Trim(), b.Content.Trim(), StringComparison.OrdinalIgnoreCase),
        _ => sent.Equals(stored),
    };
}
