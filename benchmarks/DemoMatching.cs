using System.Globalization;
using System.Text.Json;
using UprightMirror.Cli;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Engine;
using UprightMirror.Storage;

/// <summary>
/// The first linking of the demo's mirrors beside the truth about the demo world, which the product never reads: with keys first, as a run does, and
/// by likelihood alone, as where no number is shared.
/// </summary>
internal static class DemoMatching
{
    private const double LeastF1 = 0.97;
    private const double LeastPrecision = 0.995;

    private sealed record Truth(string Thing, string System, string Collection, string Id);

    public static async Task<int> Measure(Uri world, string truthFile)
    {
        var truth = (await File.ReadAllLinesAsync(truthFile)).Select(l => JsonSerializer.Deserialize<Truth>(l, JsonSerializerOptions.Web)!).ToDictionary(t => (t.System, t.Collection, t.Id), t => t.Thing);
        var connections = Demo.Connections(world, null).ToList();
        var outside = new Outside(TimeProvider.System, new LocalCallBudget(TimeProvider.System));
        var systems = new Systems(new Given(connections), new Unkept(), outside);
        var failed = 0;
        foreach (var mirror in new[] { Demo.Mirror("customers").Without("pennant").Without("drop"), Demo.Mirror("people") })
        {
            var records = new List<(int Side, string Id, Value[] Values)>();
            for (var side = 0; side < mirror.Sides.Length; side++)
            {
                var (system, collection) = (await systems.Connect(mirror.Sides[side].System, CancellationToken.None), mirror.Sides[side].Collection);
                var translator = new Translator(mirror, side, CatalogueCollection.Unknown(collection));
                await foreach (var page in system.ReadChanged(collection, null, null, CancellationToken.None))
                {
                    records.AddRange(page.Select(r => (side, r.Id, translator.ToAgreed(r.Fields).Values)));
                }
            }

            records = [.. records.OrderBy(r => r.Side).ThenBy(r => r.Id, StringComparer.Ordinal)];
            string? ThingOf((int Side, string Id, Value[] Values) r) => truth.GetValueOrDefault((mirror.Sides[r.Side].System, mirror.Sides[r.Side].Collection, r.Id));
            failed |= Linked(mirror, records, ThingOf, byKeys: true);
            if (!mirror.Recognising.IsEmpty)
            {
                failed |= Linked(mirror, records, ThingOf, byKeys: false);
            }
        }

        return failed;
    }

    private static int Linked(MirrorDefinition mirror, List<(int Side, string Id, Value[] Values)> records, Func<(int Side, string Id, Value[] Values), string?> thingOf, bool byKeys)
    {
        var likeness = byKeys ? mirror.Likeness! : mirror.Likeness! with { Evidence = [.. mirror.Likeness.Evidence.Where(e => !mirror.Recognising.Any(r => r.Field == e.Field))] };
        var keyed = byKeys ? Recogniser.LinkAll([.. records.Select(r => new MatchCandidate(r.Side, r.Id, null, MatchKeys.Of(mirror, r.Values)))]) : [.. records.Select(_ => (Guid?)null)];
        var linkable = records.Select((r, i) => new LinkableRecord(r.Side, r.Id, keyed[i])).ToList();
        var found = Resemblance.Of(likeness, mirror.Sides.Length, linkable, [.. records.Select(r => (IReadOnlyList<string>)likeness.TextsOf(mirror, r.Values))], (_, _) => false);

        // Every pair of different sides that ends in one link, by key or by itself; those above the line at which a person is asked count for F1.
        var links = keyed.Select((l, i) => (l, i)).Where(l => l.l is not null).GroupBy(l => l.l).Select(g => g.Select(l => l.i).ToList()).Concat(found.Plan.Groups.Select(g => g.ToList()));
        var bySelf = links.SelectMany(Pairs).ToHashSet();
        var all = bySelf.Concat(found.Plan.Asked.Where(p => records[p.A].Side != records[p.B].Side).Select(p => (p.A, p.B))).ToHashSet();
        var byThing = records.Select((r, i) => (Thing: thingOf(r), i)).Where(r => r.Thing is not null).GroupBy(r => r.Thing).ToList();

        // One real thing may stand twice on a side: any of the two is right, and one link is all there can be.
        var pairsToFind = byThing.Sum(g => g.Select(r => records[r.i].Side).Distinct().Count() == mirror.Sides.Length ? 1 : 0);
        bool IsRight((int A, int B) p) => thingOf(records[p.A]) is { } thing && thing == thingOf(records[p.B]);
        var foundThings = all.Where(IsRight).Select(p => thingOf(records[p.A])).Distinct().Count();
        double precision = all.Count(IsRight) / (double)Math.Max(1, all.Count), recall = foundThings / (double)pairsToFind, f1 = 2 * precision * recall / (precision + recall);
        var selfPrecision = bySelf.Count(IsRight) / (double)Math.Max(1, bySelf.Count);
        var expected = found.Plan.Groups.SelectMany(Pairs2).Sum(p => 1 - (found.Likely.TryGetValue(p, out var l) ? l.Probability : 1));
        Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"linking the demo's {mirror.Name.ToLowerInvariant()}{(byKeys ? "" : ", by likelihood alone")}: F1 {f1:0.0000} (limit: at least {LeastF1:0.00}), precision among links made by themselves {selfPrecision:0.0000} (limit: at least {LeastPrecision:0.000}); {bySelf.Count} linked, {bySelf.Count(p => !IsRight(p))} of them wrong ({expected:0.0} expected), {found.Plan.Asked.Length} pairs asked, {pairsToFind - foundThings} of {pairsToFind} not found, {found.Matched.Across.Report.Pairs:N0} pairs compared, about {found.Matched.Model.Missed:0.#} never compared"));
        foreach (var (a, b) in bySelf.Where(p => !IsRight(p)).Take(3))
        {
            Console.WriteLine($"  wrong: {Shown(a)} = {Shown(b)}");
        }

        foreach (var group in byThing.Where(g => g.Select(r => records[r.i].Side).Distinct().Count() == mirror.Sides.Length && !all.Any(p => IsRight(p) && thingOf(records[p.A]) == g.Key)).Take(3))
        {
            Console.WriteLine($"  not found: {string.Join(" = ", group.Select(r => Shown(r.i)))}");
        }

        return f1 >= LeastF1 && selfPrecision >= LeastPrecision ? 0 : 1;

        static IEnumerable<(int A, int B)> Pairs(List<int> link) => link.SelectMany(a => link.Where(b => a < b).Select(b => (a, b)));
        static IEnumerable<(int A, int B)> Pairs2(System.Collections.Immutable.ImmutableArray<int> link) => Pairs([.. link]);
        string Shown(int r) => $"{mirror.Sides[records[r].Side].System} {records[r].Id} ({string.Join(" · ", likeness.TextsOf(mirror, records[r].Values).Where(t => t.Length > 0))})";
    }

    private sealed class Given(IReadOnlyList<(KeptConnection Connection, IReadOnlyDictionary<string, string> Secrets)> known) : IConnections
    {
        public Task<IReadOnlyList<KeptConnection>> All(CancellationToken cancellation) => Task.FromResult<IReadOnlyList<KeptConnection>>([.. known.Select(k => k.Connection)]);

        public Task<IReadOnlyDictionary<string, string>> Secrets(string system, CancellationToken cancellation) => Task.FromResult(known.First(k => k.Connection.System == system).Secrets);

        public Task AddHealth(SystemHealth seen, CancellationToken cancellation) => Task.CompletedTask;
    }

    private sealed class Unkept : IKeptCalls
    {
        public Task Add(string system, IReadOnlyList<KeptCall> calls, CancellationToken cancellation) => Task.CompletedTask;
    }
}
