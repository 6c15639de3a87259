using System.Collections.Immutable;
using UprightMirror.Connectors;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>What every stage of a run works with: the mirror, its systems in the mirror's own order, its store and the clock.</summary>
public sealed class MirrorContext
{
    private readonly IRunStore? store;

    /// <param name="references">The records of other mirrors that fields point at; null for none.</param>
    /// <param name="store">Null when one record is only tried: nothing is kept then.</param>
    public MirrorContext(MirrorDefinition mirror, ImmutableArray<ISystemConnector> systems, ImmutableArray<CatalogueCollection> catalogues, IRunStore? store, TimeProvider clock, References? references = null)
    {
        this.Mirror = mirror;
        this.Systems = systems;
        this.store = store;
        this.Clock = clock;
        this.Rules = mirror.Rules([.. systems.Select(s => s.Name)]);
        this.Translators = [.. systems.Select((_, side) => new Translator(mirror, side, catalogues[side], clock.GetUtcNow(), references))];
        this.FieldIndex = mirror.Fields.Select((f, i) => (f.Name, i)).ToImmutableDictionary(f => f.Name, f => f.i);
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

    public RunTally Tally { get; } = new();

    public int SideCount => this.Systems.Length;

    public string Collection(int side) => this.Mirror.Sides[side].Collection;
}
