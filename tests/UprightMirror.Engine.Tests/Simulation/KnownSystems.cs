using System.Collections.Immutable;
using UprightMirror.Connectors;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Engine.Tests.Simulation;

/// <summary>Systems by their keys, and how often each was asked for.</summary>
public sealed class KnownSystems(IReadOnlyDictionary<string, ISystemConnector> systems) : ISystems
{
    public int Asked { get; private set; }

    public Task<ISystemConnector> Connect(string system, CancellationToken cancellation)
    {
        this.Asked++;
        return systems.TryGetValue(system, out var known) ? Task.FromResult(known) : throw new SystemFault($"There is no connection called {system}.");
    }

    public Task<string?> KeyOf(string name, CancellationToken cancellation) => Task.FromResult(systems.Keys.FirstOrDefault(s => s == name));

    public Task KeepHealth(CancellationToken cancellation) => Task.CompletedTask;
}

/// <summary>Mirrors that hold nothing but the records that others point at.</summary>
public sealed class OnlyReferences(References references) : IMirrors
{
    public Task<References> ReferencesTo(IReadOnlyCollection<string> mirrors, CancellationToken cancellation) => Task.FromResult(mirrors.Count == 0 ? References.None : references);

    /// <summary>What the linked records hold, for tests to set.</summary>
    public Dictionary<Guid, ImmutableDictionary<LinkedField, ImmutableArray<Value>>> Linked { get; } = [];

    public Task<IReadOnlyDictionary<Guid, ImmutableDictionary<LinkedField, ImmutableArray<Value>>>> LinkedTo(MirrorDefinition mirror, IReadOnlyCollection<Guid> links, CancellationToken cancellation) =>
        Task.FromResult<IReadOnlyDictionary<Guid, ImmutableDictionary<LinkedField, ImmutableArray<Value>>>>(links.ToDictionary(l => l, l =>
            mirror.LooksAt.ToImmutableDictionary(f => f, f => this.Linked.GetValueOrDefault(l)?.GetValueOrDefault(f, []) ?? [])));

    /// <summary>The checks that flag links, for tests to set.</summary>
    public Dictionary<Guid, ImmutableHashSet<string>> Flags { get; } = [];

    public Task<IReadOnlyDictionary<Guid, ImmutableHashSet<string>>> FlagsOf(MirrorDefinition mirror, IReadOnlyCollection<Guid> links, CancellationToken cancellation) =>
        Task.FromResult<IReadOnlyDictionary<Guid, ImmutableHashSet<string>>>(this.Flags.Where(f => links.Contains(f.Key)).ToDictionary());

    public Task<IReadOnlyList<KeptMirror>> All(CancellationToken cancellation) => Task.FromResult<IReadOnlyList<KeptMirror>>([]);

    public Task<KeptMirror?> Find(string key, CancellationToken cancellation) => Task.FromResult<KeptMirror?>(null);

    public Task Save(MirrorDefinition definition, string who, CancellationToken cancellation) => throw new NotSupportedException();

    public Task<bool> Begin(MirrorDefinition definition, CancellationToken cancellation) => throw new NotSupportedException();

    public Task<bool> RemoveDraft(string key, CancellationToken cancellation) => throw new NotSupportedException();

    public Task SetState(int id, string state, CancellationToken cancellation) => throw new NotSupportedException();

    public Task SetGuards(int id, Core.Reconciling.Guards guards, CancellationToken cancellation) => throw new NotSupportedException();
}
