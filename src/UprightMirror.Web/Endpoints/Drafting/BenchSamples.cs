using System.Collections.Immutable;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Engine;
using UprightMirror.Storage;

namespace UprightMirror.Web.Endpoints.Drafting;

/// <summary>A real record that a draft is looked at with.</summary>
/// <param name="Link">The linked record that it is; null when no run has linked it yet.</param>
/// <param name="Position">1 for the first.</param>
/// <param name="Of">How many there are to step through.</param>
internal sealed record BenchSample(Guid? Link, string Title, int Position, int Of, ImmutableSortedDictionary<int, ObservedRecord> Records);

/// <summary>
/// Records to map with: those that the mirror has linked; for a mirror that never ran, some that are read from the systems now, and
/// that its recognising fields say are the same.
/// </summary>
internal sealed class BenchSamples(Views views, SampleRecords samples, Drafts drafts, Catalogues catalogues)
{
    /// <summary>The sample at a position among those that hold a text; <c>IsReading</c> while the systems are still being read.</summary>
    public async Task<(BenchSample? Sample, bool IsReading, string? Fault)> At(KeptMirror mirror, MirrorDefinition draft, int position, string? find, CancellationToken cancellation)
    {
        var total = await views.RecordCount(mirror.Id, find, cancellation);
        var rows = await views.Records(mirror.Id, draft.Sides.Length, find, null, Math.Max(0, position - 1), 1, cancellation);
        if (total > 0 || (find is not null && await views.RecordCount(mirror.Id, cancellation) > 0))
        {
            if (rows.Count == 0)
            {
                return (null, false, null);
            }

            var record = (await views.Record(rows[0].Link, cancellation))!;
            return (new BenchSample(record.Link, record.Title, position, total, record.Members.Where(m => m.Raw is not null)
                .ToImmutableSortedDictionary(m => m.Side, m => this.Fuller(draft.Sides[m.Side], new ObservedRecord(m.Id, StoredForms.ReadRaw(m.Raw!), null, m.ChangedAt, m.ChangedBy)))), false, null);
        }

        var read = draft.Sides.Select(s => samples.Ready(s.System, s.Collection)).ToList();
        var fault = read.Select(r => r.Fault).FirstOrDefault(f => f is not null);
        var isReading = read.Any(r => r.IsReading);
        var all = Together(draft, [.. read.Select(r => r.Records)])
            .Where(r => string.IsNullOrWhiteSpace(find) || r.Title.Contains(find, StringComparison.OrdinalIgnoreCase) || r.Records.Values.Any(o => o.Id == find || o.Fields.Paths.Any(p => o.Fields[p].Display.Contains(find, StringComparison.OrdinalIgnoreCase))))
            .ToList();
        var at = Math.Clamp(position, 1, Math.Max(1, all.Count));
        return (all.Count == 0 ? null : new BenchSample(null, all[at - 1].Title, at, all.Count, all[at - 1].Records), isReading, fault);
    }

    /// <summary>The sample as the core reads a linked record: one that no run knows yet meets for the first time.</summary>
    public async Task<LinkedRecord?> Linked(KeptMirror mirror, MirrorDefinition draft, BenchSample sample, CancellationToken cancellation) =>
        sample.Link is { } link
            ? await drafts.Linked(mirror.Id, draft, link, cancellation)
            : new LinkedRecord(Guid.Empty, sample.Title, ImmutableDictionary<string, AgreedValue>.Empty,
                [.. sample.Records.Select(r => new KnownRecord(r.Key, r.Value.Id, r.Value.Fields, null, ImmutableDictionary<string, string>.Empty, ImmutableHashSet<string>.Empty, ImmutableHashSet<string>.Empty, r.Value.VersionTag, r.Value.ChangedAt, r.Value.ChangedBy))],
                [], ImmutableDictionary<int, Removal>.Empty);

    /// <summary>Real records of one side: those that runs have read, or else those that are read from the system now.</summary>
    /// <param name="paths">The fields that are wanted: where runs have read none of them yet, they are read now.</param>
    public async Task<IReadOnlyList<RawFields>> Of(KeptMirror mirror, SideDefinition side, int index, IReadOnlyCollection<string> paths, CancellationToken cancellation)
    {
        var known = await drafts.RecordsOf(mirror.Id, index, RoundTrip.Most, cancellation);
        if (known.Any(r => paths.Any(p => !r[p].IsEmpty)))
        {
            return known;
        }

        var read = (await samples.Of(side.System, side.Collection, cancellation)).Records;
        if (!read.IsEmpty)
        {
            return [.. read.Select(r => r.Fields)];
        }

        // The system does not answer: the few values are left that its catalogue was read with.
        var profiles = (await catalogues.Profiles(side.System, cancellation)).FirstOrDefault(p => p.Collection == side.Collection)?.Fields ?? [];
        return [.. paths.SelectMany(path => (profiles.FirstOrDefault(p => p.Path == path)?.Samples ?? []).Select(s => RawFields.Of([KeyValuePair.Create(path, Value.Text(s))])))];
    }

    /// <summary>Records of one side with their ids: those that runs have read, or else those that are read from the system now.</summary>
    /// <param name="paths">The fields that are wanted: where runs have read none of them yet, they are read now. Null for any.</param>
    public async Task<IReadOnlyList<(string Id, RawFields Fields)>> Known(KeptMirror mirror, SideDefinition side, int index, int most, CancellationToken cancellation, IReadOnlyCollection<string>? paths = null)
    {
        var known = await drafts.RecordsWithIds(mirror.Id, index, most, cancellation);
        if (known.Count > 0 && (paths is null or { Count: 0 } || known.Any(k => paths.Any(p => !k.Fields[p].IsEmpty))))
        {
            return known;
        }

        var read = (await samples.Of(side.System, side.Collection, cancellation)).Records.Take(most).Select(r => (r.Id, r.Fields)).ToList();
        return read.Count > 0 ? read : known;
    }

    /// <summary>How often records that are one thing say a code in a side's field and a value of an agreed field on another side.</summary>
    public async Task<IReadOnlyDictionary<(string Code, string Agreed), int>> Together(KeptMirror mirror, MirrorDefinition draft, int side, string path, int field, CancellationToken cancellation)
    {
        var counts = new Dictionary<(string, string), int>();
        var translators = draft.Sides.Select((s, i) => new Translator(draft, i, CatalogueCollection.Unknown(s.Collection))).ToList();
        await foreach (var records in this.SameThings(mirror, draft, cancellation))
        {
            if (!records.TryGetValue(side, out var own) || own[path].IsEmpty)
            {
                continue;
            }

            // One that may be told the code already is no witness of what it means: only the other sides are.
            foreach (var (other, raw) in records.Where(r => r.Key != side && draft.Fields[field].Cells[r.Key] is not null))
            {
                if (translators[other].ToAgreed(raw).Values[field] is { IsEmpty: false } said)
                {
                    var pair = (own[path].Display.Trim(), said.Display);
                    counts[pair] = counts.GetValueOrDefault(pair) + 1;
                }
            }
        }

        return counts;
    }

    /// <summary>
    /// Records that are one thing, side by side and with all of their fields, as far as they are at hand: by what runs have linked, or else by the
    /// draft's own recognising fields. Nothing is read for it.
    /// </summary>
    public async Task<IReadOnlyList<IReadOnlyDictionary<int, RawFields>>> AtHand(KeptMirror mirror, MirrorDefinition draft, CancellationToken cancellation)
    {
        var read = draft.Sides.Select(s => samples.AtHand(s.System, s.Collection)?.Records ?? []).ToImmutableArray();
        var ids = await drafts.LinkedIds(mirror.Id, cancellation);
        if (ids.Count == 0)
        {
            return [.. Together(draft, read).Where(t => t.Records.Count > 1).Select(t => t.Records.ToDictionary(r => r.Key, r => r.Value.Fields))];
        }

        var byId = read.Select(records => records.DistinctBy(r => r.Id).ToDictionary(r => r.Id, r => r.Fields)).ToList();
        return [.. ids.Select(link => link.Where(m => byId[m.Key].ContainsKey(m.Value)).ToDictionary(m => m.Key, m => byId[m.Key][m.Value])).Where(l => l.Count > 1)];
    }

    private async IAsyncEnumerable<IReadOnlyDictionary<int, RawFields>> SameThings(KeptMirror mirror, MirrorDefinition draft, [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancellation)
    {
        var linked = await drafts.LinkedFields(mirror.Id, RoundTrip.Most, cancellation);
        if (linked.Count > 0)
        {
            foreach (var records in linked)
            {
                yield return records;
            }

            yield break;
        }

        var read = new List<ImmutableArray<ObservedRecord>>();
        foreach (var side in draft.Sides)
        {
            read.Add((await samples.Of(side.System, side.Collection, cancellation)).Records);
        }

        foreach (var (_, records) in Together(draft, [.. read]))
        {
            yield return records.ToDictionary(r => r.Key, r => r.Value.Fields);
        }
    }

    /// <summary>Records that are one thing by the draft's recognising fields; those on most sides first.</summary>
    internal static IEnumerable<(string Title, ImmutableSortedDictionary<int, ObservedRecord> Records)> Together(MirrorDefinition draft, ImmutableArray<ImmutableArray<ObservedRecord>> sides)
    {
        var names = draft.Fields.Select(f => f.Name).ToList();
        var known = draft with { Recognising = [.. draft.Recognising.Where(r => names.Contains(r.Field))] };
        var byKey = new Dictionary<string, Dictionary<int, ObservedRecord>>(StringComparer.Ordinal);
        var groups = new List<(string Title, Dictionary<int, ObservedRecord> Records)>();
        for (var s = 0; s < sides.Length; s++)
        {
            var translator = new Translator(known, s, CatalogueCollection.Unknown(draft.Sides[s].Collection));
            foreach (var record in sides[s])
            {
                var values = translator.ToAgreed(record.Fields).Values;
                var keys = MatchKeys.Of(known, values).Select(k => k.Text).ToList();
                var group = keys.Select(k => byKey.GetValueOrDefault(k)).FirstOrDefault(g => g is not null && !g.ContainsKey(s));
                if (group is null)
                {
                    group = [];
                    var title = names.IndexOf(draft.TitleField) is >= 0 and var t && !values[t].IsEmpty ? values[t].Display : record.Id;
                    groups.Add((title, group));
                }

                group[s] = record;
                foreach (var key in keys)
                {
                    byKey.TryAdd(key, group);
                }
            }
        }

        return groups.OrderByDescending(g => g.Records.Count).ThenBy(g => g.Title, StringComparer.OrdinalIgnoreCase).Select(g => (g.Title, g.Records.ToImmutableSortedDictionary()));
    }

    /// <summary>A record with the fields that its mirror did not read, where they happen to be at hand.</summary>
    private ObservedRecord Fuller(SideDefinition side, ObservedRecord record)
    {
        var whole = samples.AtHand(side.System, side.Collection)?.Records.FirstOrDefault(r => r.Id == record.Id);
        return whole is null ? record : record with { Fields = whole.Fields.Paths.Where(p => !record.Fields.Has(p)).Aggregate(record.Fields, (fields, path) => fields.With(path, whole.Fields[path])) };
    }
}
