using System.Collections.Immutable;
using UprightMirror.Connectors;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>What every stage of a run works with: the mirror, its systems in the mirror's own order, its store and the clock.</summary>
public sealed class MirrorContext
{
    private readonly IRunStore? store;
    private IMirrors? mirrors;

    /// <param name="references">The records of other mirrors that fields point at; null for none.</param>
    /// <param name="store">Null when one record is only tried: nothing is kept then.</param>
    public MirrorContext(MirrorDefinition mirror, ImmutableArray<ISystemConnector> systems, ImmutableArray<CatalogueCollection> catalogues, IRunStore? store, TimeProvider clock, References? references = null)
    {
        this.Mirror = mirror;
        this.Systems = systems;
        this.store = store;
        this.Clock = clock;
        this.Log = new RunLog(clock);
        this.Rules = mirror.Rules([.. systems.Select(s => s.Name)], clock.GetUtcNow());
        this.Translators = [.. systems.Select((_, side) => new Translator(mirror, side, catalogues[side], clock.GetUtcNow(), references))];
        this.FieldIndex = mirror.Fields.Select((f, i) => (f.Name, i)).ToImmutableDictionary(f => f.Name, f => f.i);
    }

    /// <summary>The context of a mirror: its systems connected, their collections described, and what its fields point at.</summary>
    /// <param name="store">Null when one record is only tried.</param>
    /// <param name="log">What the run told before; null for nothing.</param>
    /// <exception cref="SystemFault">A system is not known, or its description can't be read.</exception>
    public static async Task<MirrorContext> Of(MirrorDefinition mirror, ISystems systems, IMirrors mirrors, IRunStore? store, TimeProvider clock, CancellationToken cancellation, Guards? guards = null, RunLog? log = null)
    {
        log ??= new RunLog(clock);
        var connectors = ImmutableArray.CreateBuilder<ISystemConnector>();
        var catalogues = ImmutableArray.CreateBuilder<CatalogueCollection>();
        foreach (var side in mirror.Sides)
        {
            connectors.Add(new TimedSystem(await systems.Connect(side.System, cancellation), connectors.Count, log, clock));
            catalogues.Add(await connectors[^1].Describe(side.Collection, cancellation));
        }

        return new MirrorContext(mirror, connectors.ToImmutable(), catalogues.ToImmutable(), store, clock, await mirrors.ReferencesTo([.. mirror.PointsAt], cancellation)) { Guards = guards ?? Guards.Default, mirrors = mirrors, Log = log, Fetching = new Fetching(systems, clock, log) };
    }

    public MirrorDefinition Mirror { get; }

    public ImmutableArray<ISystemConnector> Systems { get; }

    public IRunStore Store => this.store ?? throw new InvalidOperationException("A record that is only tried is kept nowhere.");

    /// <summary>The run's number; 0 when a record is only tried.</summary>
    public long RunId => this.store?.RunId ?? 0;

    public TimeProvider Clock { get; }

    public ReconcileRules Rules { get; }

    public ImmutableArray<Translator> Translators { get; }

    public ImmutableDictionary<string, int> FieldIndex { get; }

    /// <summary>The records that worked-out fields fetch by a key.</summary>
    public Fetching Fetching { get; private init; } = new(NoSystems.Instance, TimeProvider.System);

    /// <summary>What pauses a run before it writes.</summary>
    public Guards Guards { get; init; } = Guards.Default;

    public RunTally Tally { get; } = new();

    /// <summary>What the run tells as it goes, and where its time goes.</summary>
    public RunLog Log { get; private init; }

    /// <summary>Shows those who watch how far the run is.</summary>
    /// <exception cref="RunStopped">Somebody asked for it to be stopped.</exception>
    public async Task Progress(RunStage stage, CancellationToken cancellation)
    {
        await this.KeepLog(cancellation);
        await this.Store.SaveProgress(stage, this.Tally.Counts, cancellation);
    }

    /// <summary>Keeps what was told since this was last called.</summary>
    public async Task KeepLog(CancellationToken cancellation)
    {
        if (this.Log.Take() is { Count: > 0 } lines)
        {
            await this.Store.SaveLog(lines, this.Log.Spent, cancellation);
        }
    }

    /// <summary>Writes of this run that nobody knows the outcome of: nothing more is sent there for that link before the next run has looked.</summary>
    public HashSet<(Guid Link, int Side)> Unanswered { get; } = [];

    private readonly HashSet<string> troubled = [];

    /// <summary>Counts records that this run set aside, once what is known of them is kept.</summary>
    /// <exception cref="TooMuchTrouble">They are as many as the mirror says that a run may set aside.</exception>
    public void Troubled(IEnumerable<Hold> holds)
    {
        var last = "";
        foreach (var hold in holds)
        {
            this.troubled.Add(hold.Link?.ToString() ?? $"{hold.Side}/{hold.RecordId}");
            last = hold.Reason;
            this.Log.Say(LineLevel.Warning, hold.Answer is { } words ? $"{hold.Reason} It said: {words}" : hold.Reason);
        }

        if (this.Mirror.StopsAfter is { } most && this.troubled.Count >= most)
        {
            throw new TooMuchTrouble(most == 1
                ? $"It stopped at the first record that could not be taken, as the mirror asks. {last} What it had done stays; the next run goes on with the others."
                : $"It stopped after {this.troubled.Count} records that could not be taken, as the mirror asks. The last: {last} What it had done stays; the next run goes on with the others.");
        }
    }

    public int SideCount => this.Systems.Length;

    /// <summary>What records of other mirrors that point at some links hold, in the fields that this one looks at.</summary>
    public async Task<IReadOnlyDictionary<Guid, ImmutableDictionary<LinkedField, ImmutableArray<Value>>>> LinkedTo(IReadOnlyCollection<Guid> links, CancellationToken cancellation) =>
        this.Mirror.LooksAt.IsEmpty || this.mirrors is null ? ImmutableDictionary<Guid, ImmutableDictionary<LinkedField, ImmutableArray<Value>>>.Empty : await this.mirrors.LinkedTo(this.Mirror, links, cancellation);

    /// <summary>The follow-up checks that flag some links; empty where no field asks.</summary>
    public async Task<IReadOnlyDictionary<Guid, ImmutableHashSet<string>>> FlagsOf(IReadOnlyCollection<Guid> links, CancellationToken cancellation) =>
        !this.Mirror.AsksForFlags || this.mirrors is null ? ImmutableDictionary<Guid, ImmutableHashSet<string>>.Empty : await this.mirrors.FlagsOf(this.Mirror, links, cancellation);

    public string Collection(int side) => this.Mirror.Sides[side].Collection;
}

/// <summary>For what is worked out where no other system can be asked.</summary>
file sealed class NoSystems : ISystems
{
    public static readonly NoSystems Instance = new();

    public Task<ISystemConnector> Connect(string system, CancellationToken cancellation) => throw new SystemFault($"No other system can be asked here, and so not {system}.");

    public Task<string?> KeyOf(string name, CancellationToken cancellation) => Task.FromResult<string?>(null);

    public Task KeepHealth(CancellationToken cancellation) => Task.CompletedTask;
}

/// <summary>A run set as many records aside as its mirror allows.</summary>
public sealed class TooMuchTrouble(string why) : Exception(why);
