using UprightMirror.Connectors;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Engine.Tests.Simulation;

/// <summary>A system in memory, but for what a test has it do otherwise.</summary>
public abstract class Around(MemorySystem system) : ISystemConnector
{
    public string Name => system.Name;

    public virtual Task<CatalogueCollection> Describe(string collection, CancellationToken cancellation) => system.Describe(collection, cancellation);

    public virtual IAsyncEnumerable<IReadOnlyList<ObservedRecord>> ReadChanged(string collection, DateTimeOffset? since, IReadOnlyCollection<string>? fields, CancellationToken cancellation) => system.ReadChanged(collection, since, fields, cancellation);

    public Task<Catalogue> ReadCatalogue(CancellationToken cancellation) => system.ReadCatalogue(cancellation);

    public IAsyncEnumerable<Connectors.Testing.TestStep> Test(CancellationToken cancellation) => system.Test(cancellation);

    public virtual Task<ObservedRecord?> ReadOne(string collection, string id, CancellationToken cancellation) => system.ReadOne(collection, id, cancellation);

    public Task<ObservedRecord?> FindByReference(string collection, string reference, CancellationToken cancellation) => system.FindByReference(collection, reference, cancellation);

    public Task<RequestShown> Show(string collection, WriteRequest request, CancellationToken cancellation) => system.Show(collection, request, cancellation);

    public virtual Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation) => system.Write(collection, request, cancellation);
}
