using System.Collections.Immutable;
using UprightMirror.Connectors;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>What one side would be told.</summary>
/// <param name="RecordId">Its record; null where it has none.</param>
/// <param name="Delivery">Null when it would be told nothing.</param>
/// <param name="Request">The real request; null when there is none, or its system can't be reached.</param>
/// <param name="Problems">Why it would be held, or why nothing could be read; empty when all is well.</param>
public sealed record TriedSide(int Side, string? RecordId, Delivery? Delivery, RequestShown? Request, ImmutableArray<string> Problems);

/// <summary>What one record would lead to.</summary>
/// <param name="Agreed">By agreed field, what would be agreed.</param>
/// <param name="Conflicts">What a person would be asked.</param>
public sealed record TriedRecord(string Title, ImmutableArray<TriedSide> Sides, IReadOnlyDictionary<string, AgreedValue> Agreed, ImmutableArray<ConflictToOpen> Conflicts);

/// <summary>Works out what one record would lead to, by the same rules as a run, from what the systems say now. Sends nothing and keeps nothing.</summary>
public sealed class Trying(ISystems systems, IMirrors mirrors, TimeProvider clock)
{
    /// <param name="mirror">As it would be: a draft, mostly.</param>
    /// <param name="published">As it is live; null when it never was.</param>
    /// <param name="record">The record as it is known; its fields are read anew where the system answers.</param>
    /// <exception cref="SystemFault">A side's description can't be read.</exception>
    public async Task<TriedRecord> Try(MirrorDefinition mirror, MirrorDefinition? published, LinkedRecord record, CancellationToken cancellation)
    {
        var context = await MirrorContext.Of(mirror, systems, mirrors, null, clock, cancellation);
        var unread = new string?[mirror.Sides.Length];
        var members = await Task.WhenAll(record.Members.Select(async member =>
        {
            try
            {
                var now = await context.Systems[member.Side].ReadOne(mirror.Sides[member.Side].Collection, member.Id, cancellation);
                return now is null ? member with { Raw = null } : member with { Raw = now.Fields, VersionTag = now.VersionTag, ChangedAt = now.ChangedAt, ChangedBy = now.ChangedBy };
            }
            catch (SystemFault e)
            {
                unread[member.Side] = $"{e.Message} What follows is worked out from what was read of it last.";
                return member;
            }
        }));
        var anew = members.Select(m => m with { Unmet = m.Unmet.Union(published is null ? [] : MirrorDefinition.MetAnew(published, mirror, m.Side)).ToHashSet() });
        var linked = (await context.LinkedTo([record.Link], cancellation)).GetValueOrDefault(record.Link);
        var flags = (await context.FlagsOf([record.Link], cancellation)).GetValueOrDefault(record.Link);
        var end = await context.Fetching.UntilKnown(() => new Reconciling(context).Decide(record with { Members = [.. anew] }, linked, flags), cancellation);

        var sides = new List<TriedSide>();
        for (var s = 0; s < mirror.Sides.Length; s++)
        {
            var delivery = end.Deliveries.FirstOrDefault(d => d.Side == s);
            RequestShown? request = null;
            var problems = end.Holds.Where(h => h.Side == s).Select(h => h.Reason).ToList();
            if (unread[s] is { } why)
            {
                problems.Insert(0, why);
            }

            if (delivery is not null)
            {
                try
                {
                    request = await context.Systems[s].Show(mirror.Sides[s].Collection, Delivering.RequestOf(delivery), cancellation);
                }
                catch (SystemFault e)
                {
                    problems.Add(e.Message);
                }
            }

            sides.Add(new TriedSide(s, members.FirstOrDefault(m => m.Side == s)?.Id, delivery, request, [.. problems]));
        }

        return new TriedRecord(end.Title, [.. sides], end.Agreed, end.Conflicts);
    }
}
