using System.Collections.Concurrent;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Checks;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Timing;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Engine.Checks;

/// <summary>What a condition would flag, for somebody who is still writing it.</summary>
/// <param name="Count">How many it is true of; the first of them are in <paramref name="Found"/>.</param>
public sealed record CheckTried(int Looked, int Untold, string? UntoldWhy, int Count, IReadOnlyList<(string Title, FoundRecord Record)> Found);

/// <summary>
/// Looks at follow-up checks: goes through a mirror's linked records as they are remembered and flags those that the condition is true of. No system is asked, and nothing is written to any.
/// </summary>
public sealed class Checking(IFollowUpChecks checks, IMirrors mirrors, IConnections connections, TimeProvider clock)
{
    private const int BatchSize = 500;

    /// <summary>So many of the records that hang on a flagged one are kept by name.</summary>
    private const int MostHanging = 25;

    /// <summary>What goes by runs is looked at no more often than this, however often those run.</summary>
    private static readonly TimeSpan Shortest = TimeSpan.FromSeconds(30);

    /// <summary>And it takes one twentieth of the time at most: a mirror that runs all day with a million records does not have its checks go through them without end.</summary>
    private const int Rest = 20;

    private readonly ConcurrentDictionary<long, TimeSpan> took = [];

    /// <summary>Looks at every check whose time has come.</summary>
    /// <returns>How many were looked at.</returns>
    public async Task<int> LookAtDue(CancellationToken cancellation)
    {
        var looked = 0;
        var kept = await checks.All(cancellation);
        if (kept.Count == 0)
        {
            return 0;
        }

        var all = await mirrors.All(cancellation);
        foreach (var check in kept)
        {
            if (all.FirstOrDefault(m => m.Id == check.MirrorId) is { Version: > 0 } mirror && await this.IsDue(check, mirror, cancellation) && await this.Look(check, mirror, cancellation) is not null)
            {
                looked++;
            }
        }

        return looked;
    }

    /// <summary>Looks at one check now.</summary>
    /// <returns>How many records are newly flagged; null when another is looking at it, or it is gone.</returns>
    public async Task<int?> Look(KeptCheck check, KeptMirror mirror, CancellationToken cancellation)
    {
        var now = clock.GetUtcNow();
        if (!await checks.Claim(check, now, cancellation))
        {
            return null;
        }

        try
        {
            return await this.LookToTheEnd(check, mirror, now, cancellation);
        }
        catch (OperationCanceledException)
        {
            await checks.Release(check, CancellationToken.None);
            throw;
        }
    }

    private async Task<int> LookToTheEnd(KeptCheck check, KeptMirror mirror, DateTimeOffset now, CancellationToken cancellation)
    {
        var named = await this.Named(check.Check, mirror, cancellation);
        if (check.Check.Problem(mirror.Definition, named.Names(mirror.Definition), [.. named.Mirrors.Select(m => (m.Definition, named.Names(m.Definition)))], now) is { } problem)
        {
            // What it flagged stays until it can be looked at again: a field that was renamed is no reason to call everything fine.
            return await checks.Save(check, new CheckLooked(check.Looked, check.Untold, check.UntoldWhy, problem), [], now, cancellation);
        }

        var found = new List<FoundRecord>();
        var began = clock.GetTimestamp();
        var (looked, untold, why) = await this.Go(check.Check, mirror, named, (_, record) => found.Add(record), cancellation);
        this.took[check.Id] = clock.GetElapsedTime(began);
        return await checks.Save(check, new CheckLooked(looked, untold, why, null), found, now, cancellation);
    }

    /// <summary>What a check would flag. Nothing is kept.</summary>
    /// <param name="check">One without a problem.</param>
    public async Task<CheckTried> Try(FollowUpCheck check, KeptMirror mirror, int most, CancellationToken cancellation)
    {
        var (count, first) = (0, new List<(string, FoundRecord)>());
        var (looked, untold, why) = await this.Go(check, mirror, await this.Named(check, mirror, cancellation), (title, record) =>
        {
            if (count++ < most)
            {
                first.Add((title, record));
            }
        }, cancellation);
        return new CheckTried(looked, untold, why, count, first);
    }

    private async Task<bool> IsDue(KeptCheck check, KeptMirror mirror, CancellationToken cancellation)
    {
        var now = clock.GetUtcNow();
        var timing = check.Check.Timing;
        if (check.LookedAt is not { } before)
        {
            return timing.Kind != TimingKind.ByHand;
        }

        if (timing.Kind != TimingKind.After)
        {
            return timing.Next(before) <= now;
        }

        var rest = this.took.GetValueOrDefault(check.Id) * Rest;
        return now - before >= (rest > Shortest ? rest : Shortest) && await checks.LastRun([mirror.Definition.Key, .. check.Check.Hanging is { } hanging ? [hanging.Mirror] : Array.Empty<string>()], cancellation) > before;
    }

    private sealed record Everything(IReadOnlyList<KeptMirror> Mirrors, IReadOnlyDictionary<string, string> Systems, References References)
    {
        public IReadOnlyList<string> Names(MirrorDefinition mirror) => [.. mirror.Sides.Select(s => this.Systems.GetValueOrDefault(s.System, s.System))];
    }

    private async Task<Everything> Named(FollowUpCheck check, KeptMirror mirror, CancellationToken cancellation)
    {
        var all = await mirrors.All(cancellation);
        var pointed = all.Where(m => m.Id == mirror.Id || m.Definition.Key == check.Hanging?.Mirror).SelectMany(m => m.Definition.PointsAt).Distinct();
        return new Everything(all, (await connections.All(cancellation)).ToDictionary(c => c.System, c => c.Name), await mirrors.ReferencesTo([.. pointed], cancellation));
    }

    private async Task<(int Looked, int Untold, string? Why)> Go(FollowUpCheck check, KeptMirror mirror, Everything named, Action<string, FoundRecord> flag, CancellationToken cancellation)
    {
        var condition = SideFormula.Read(check.Condition, mirror.Definition, named.Names(mirror.Definition), out var wrong) ?? throw new ArgumentException(wrong, nameof(check));
        var flagged = new List<(string Title, FoundRecord Record)>();
        var (looked, untold, why) = (0, 0, (string?)null);
        await foreach (var (record, sides) in this.Read(mirror, named.References, cancellation))
        {
            looked++;
            switch (condition.IsTrue(record, sides, clock.GetUtcNow(), out var unclear))
            {
                case null:
                    untold++;
                    // By its id, and not by its title, which may be somebody's name.
                    why ??= record.Members is [var first, ..] ? $"{named.Names(mirror.Definition)[first.Side]} {first.Id}: {unclear}" : unclear;
                    break;
                case true:
                    flagged.Add((record.Title, new FoundRecord(record.Link, [.. condition.Fields.Distinct().Select(f => new FlaggedValue(mirror.Definition.Fields[f.Field].Name, f.Side, condition.Value(f, record, sides).Display))], 0, [])));
                    break;
            }
        }

        var hanging = check.Hanging is null || flagged.Count == 0 ? [] : await this.Hanging(check.Hanging, named, [.. flagged.Select(f => f.Record.Link)], cancellation);
        foreach (var (title, record) in flagged)
        {
            flag(title, hanging.TryGetValue(record.Link, out var of) ? record with { HangingCount = of.Count, Hanging = [.. of.Take(MostHanging)] } : record);
        }

        return (looked, untold, why);
    }

    /// <summary>By flagged record, the records of another mirror that point at it.</summary>
    private async Task<Dictionary<Guid, List<HangingRecord>>> Hanging(HangingRecords asked, Everything named, HashSet<Guid> flagged, CancellationToken cancellation)
    {
        var other = named.Mirrors.First(m => m.Definition.Key == asked.Mirror);
        var names = named.Names(other.Definition);
        var by = CheckedField.Find(asked.By, other.Definition, names)!.Value;
        var only = asked.Only is { } text ? SideFormula.Read(text, other.Definition, names, out _) : null;
        var found = new Dictionary<Guid, List<HangingRecord>>();
        await foreach (var (record, sides) in this.Read(other, named.References, cancellation))
        {
            Take(by.Side is { } side ? sides[side]?.Values[by.Field] : record.Agreed.GetValueOrDefault(other.Definition.Fields[by.Field].Name)?.Value, record, sides);
        }

        // What one side says may be said of a record that is linked with nothing, too: a deal that is not in the scope yet.
        if (by.Side is { } saying)
        {
            await foreach (var (record, sides) in this.ReadUnlinked(other, saying, named.References, cancellation))
            {
                Take(sides[saying]!.Values[by.Field], record, sides);
            }
        }

        return found;

        void Take(Value? points, LinkedRecord record, Translation?[] sides)
        {
            if (points is LinkValue { Link: var at } && flagged.Contains(at) && only?.IsTrue(record, sides, clock.GetUtcNow(), out _) != false)
            {
                (found.TryGetValue(at, out var of) ? of : found[at] = []).Add(new HangingRecord(record.Link == Guid.Empty ? null : record.Link, record.Title));
            }
        }
    }

    /// <summary>The records of one side that are linked with nothing, as if each were linked alone.</summary>
    private async IAsyncEnumerable<(LinkedRecord Record, Translation?[] Sides)> ReadUnlinked(KeptMirror mirror, int side, References references, [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancellation)
    {
        var definition = mirror.Definition;
        var translator = new Translator(definition, side, CatalogueCollection.Unknown(definition.Sides[side].Collection), clock.GetUtcNow(), references);
        var title = definition.Fields.ToList().FindIndex(f => f.Name == definition.TitleField);
        var after = "";
        while (await checks.Unlinked(mirror, side, after, BatchSize, cancellation) is { Count: > 0 } batch)
        {
            after = batch[^1].Id;
            foreach (var record in batch)
            {
                var sides = new Translation?[definition.Sides.Length];
                sides[side] = translator.ToAgreed(record.Raw!);
                var called = title >= 0 && !sides[side]!.Values[title].IsEmpty ? sides[side]!.Values[title].Display : record.Id;
                yield return (new LinkedRecord(Guid.Empty, called, new Dictionary<string, AgreedValue>(), [record], [], new Dictionary<int, Core.Reconciling.Removal>()), sides);
            }
        }
    }

    /// <summary>Every linked record of a mirror that is followed, with what each side says in agreed form.</summary>
    private async IAsyncEnumerable<(LinkedRecord Record, Translation?[] Sides)> Read(KeptMirror mirror, References references, [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancellation)
    {
        var definition = mirror.Definition;
        var translators = definition.Sides.Select((s, side) => new Translator(definition, side, CatalogueCollection.Unknown(s.Collection), clock.GetUtcNow(), references)).ToList();
        var after = Guid.Empty;
        while (await checks.Records(mirror, after, BatchSize, cancellation) is { Count: > 0 } batch)
        {
            after = batch[^1].Link;
            foreach (var record in batch.Where(r => r.IsFollowed))
            {
                yield return (record, [.. translators.Select((t, side) => record.Members.FirstOrDefault(m => m.Side == side)?.Raw is { } raw ? t.ToAgreed(raw) : null)]);
            }
        }
    }
}
