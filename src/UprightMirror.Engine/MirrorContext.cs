using System.Collections.Immutable;
using UprightMirror.Connectors;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
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
        this.Rules = mirror.Rules([.. systems.Select(s => s.Name)], clock.GetUtcNow());
        this.Translators = [.. systems.Select((_, side) => new Translator(mirror, side, catalogues[side], clock.GetUtcNow(), references))];
        this.FieldIndex = mirror.Fields.Select((f, i) => (f.Name, i)).ToImmutableDictionary(f => f.Name, f => f.i);
    }

    /// <summary>The context of a mirror: its systems connected, their collections described, and what its fields point at.</summary>
    /// <param name="store">Null when one record is only tried.</param>
    /// <exception cref="SystemFault">A system is not known, or its description can't be read.</exception>
    public static async Task<MirrorContext> Of(MirrorDefinition mirror, ISystems systems, IMirrors mirrors, IRunStore? store, TimeProvider clock, CancellationToken cancellation, Guards? guards = null)
    {
        var connectors = ImmutableArray.CreateBuilder<ISystemConnector>();
        var catalogues = ImmutableArray.CreateBuilder<CatalogueCollection>();
        foreach (var side in mirror.Sides)
        {
            connectors.Add(await systems.Connect(side.System, cancellation));
            catalogues.Add(await connectors[^1].Describe(side.Collection, cancellation));
        }

        return new MirrorContext(mirror, connectors.ToImmutable(), catalogues.ToImmutable(), store, clock, await mirrors.ReferencesTo([.. mirror.PointsAt], cancellation)) { Guards = guards ?? Guards.Default, mirrors = mirrors };
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

    /// <summary>What pauses a run before it writes.</summary>
    public Guards Guards { get; init; } = Guards.Default;

    public RunTally Tally { get; } = new();

    /// <summary>Writes of this run that nobody knows the outcome of: nothing more is sent there for that link before the next run has looked.</summary>
    public HashSet<(Guid Link, int Side)> Unanswered { get; } = [];

    public int SideCount => this.Systems.Length;

    /// <summary>What records of other mirrors that point at some links hold, in the fields that this one looks at.</summary>
    public async Task<IReadOnlyDictionary<Guid, ImmutableDictionary<LinkedField, ImmutableArray<Value>>>> LinkedTo(IReadOnlyCollection<Guid> links, CancellationToken cancellation) =>
        this.Mirror.LooksAt.IsEmpty || this.mirrors is null ? ImmutableDictionary<Guid, ImmutableDictionary<LinkedField, ImmutableArray<Value>>>.Empty : await this.mirrors.LinkedTo(this.Mirror, links, cancellation);

    public string Collection(int side) => this.Mirror.Sides[side].Collection;
}
