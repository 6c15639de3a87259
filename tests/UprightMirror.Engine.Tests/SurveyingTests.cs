using System.Collections.Immutable;
using System.Text.Json;
using UprightMirror.Connectors;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Catalogues;
using UprightMirror.Engine.Tests.Simulation;
using UprightMirror.Storage;

namespace UprightMirror.Engine.Tests;

/// <summary>What a system holds is read and counted; lines that are a collection of their own are counted with the records that they stand in.</summary>
public sealed class SurveyingTests : IDisposable
{
    private readonly DirectoryInfo folder = Directory.CreateTempSubdirectory("upright-survey");
    private readonly Kept kept = new();

    public void Dispose() => this.folder.Delete(recursive: true);

    private Surveying Over()
    {
        var connector = new SystemConnection("Drop", "folder", new Uri(this.folder.FullName), JsonSerializer.SerializeToElement(new ConnectionSettings(), JsonSerializerOptions.Web), new Dictionary<string, string>())
            .Connect(new Outside(TimeProvider.System, new LocalCallBudget(TimeProvider.System)) { Folders = this.folder });
        return new Surveying(new KnownSystems(new Dictionary<string, ISystemConnector> { ["drop"] = connector }), this.kept, TimeProvider.System);
    }

    [Fact]
    public async Task Lines_are_counted_with_their_records_and_read_once()
    {
        File.WriteAllText(Path.Combine(this.folder.FullName, "orders-1.json"), """[{"id":1,"who":"Brae","lines":[{"sku":"KA-1"},{"sku":"PA-7"}]},{"id":2,"who":"Tern","lines":[{"sku":"KA-1"}]}]""");
        var words = new List<string>();
        var end = await this.Over().Survey("drop", p => words.Add(p.Words), CancellationToken.None);

        (end.Collections, end.Unreadable.Length).ShouldBe((2, 0));
        words.ShouldBe(["reading the description", "looking at orders"]);
        this.kept.Profiles.Select(p => (p.Collection, p.Records)).ShouldBe([("orders", 2), ("orders[lines]", 3)]);
        var sku = this.kept.Profiles[1].Fields.Single(f => f.Path == "sku");
        (sku.Filled, sku.Distinct).ShouldBe((3, 2));
        this.kept.Profiles[1].Fields.Single(f => f.Path == "parent.who").Samples.ShouldBe(["Brae", "Tern"], ignoreOrder: true);
        File.Exists(Path.Combine(this.folder.FullName, "orders-1.json")).ShouldBeTrue();
    }

    [Fact]
    public async Task A_system_that_is_not_known_is_said()
    {
        await Should.ThrowAsync<SystemFault>(() => this.Over().Survey("nobody", null, CancellationToken.None));
        this.kept.Profiles.ShouldBeEmpty();
    }

    private sealed class Kept : ICatalogues
    {
        public List<KeptProfiles> Profiles { get; } = [];

        public Task<KeptCatalogue?> Last(string system, CancellationToken cancellation) => Task.FromResult<KeptCatalogue?>(null);

        public Task<ImmutableArray<CatalogueChange>> Save(string system, Catalogue catalogue, CancellationToken cancellation) => Task.FromResult(ImmutableArray<CatalogueChange>.Empty);

        public Task SaveProfiles(string system, KeptProfiles profiles, CancellationToken cancellation)
        {
            this.Profiles.Add(profiles);
            return Task.CompletedTask;
        }
    }
}
