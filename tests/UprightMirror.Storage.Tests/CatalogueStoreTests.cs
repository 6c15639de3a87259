using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.AspNetCore.DataProtection;
using Npgsql;
using UprightMirror.Core.Catalogues;

namespace UprightMirror.Storage.Tests;

/// <summary>Catalogues by version, secrets that nobody can read, and limits that all workers share.</summary>
public sealed class CatalogueStoreTests(TestDatabase database) : IClassFixture<TestDatabase>, IAsyncLifetime
{
    private readonly NpgsqlDataSource source = NpgsqlDataSource.Create(database.Address);

    private Catalogues Catalogues => new(this.source, TimeProvider.System);

    private KeptConnections Connections => new(this.source, new EphemeralDataProtectionProvider());

    public async ValueTask InitializeAsync() =>
        await this.Connections.Save(new KeptConnection("crm", "Some CRM", "Sc", "#123456", "rest", new Uri("https://crm.example/openapi.json"), JsonSerializer.SerializeToElement(new { })), new Dictionary<string, string> { ["clientSecret"] = "heron-at-dusk" }, CancellationToken.None);

    public async ValueTask DisposeAsync()
    {
        await this.Connections.Remove("crm", CancellationToken.None);
        await this.source.DisposeAsync();
    }

    private static Catalogue With(params string[] fields) => new([new CatalogueCollection("people", fields.ToImmutableDictionary(f => f, f => new CatalogueField(f, "string", false, false, null) { Label = $"The {f}" }))]);

    [Fact]
    public async Task A_new_version_is_kept_only_when_something_is_different_and_its_changes_wait_to_be_seen()
    {
        (await this.Catalogues.Save("crm", With("name", "phone"), CancellationToken.None)).ShouldBeEmpty();
        (await this.Catalogues.Save("crm", With("name", "phone"), CancellationToken.None)).ShouldBeEmpty();
        (await this.Catalogues.Last("crm", CancellationToken.None))!.Version.ShouldBe(1);

        await this.Catalogues.Save("crm", With("name", "mobile"), CancellationToken.None);

        (await this.Catalogues.Last("crm", CancellationToken.None))!.Version.ShouldBe(2);
        (await this.Catalogues.Changes("crm", unseenOnly: true, 10, CancellationToken.None)).Select(c => (c.Change.Kind, c.Change.Path)).ShouldBe([(CatalogueChangeKind.Vanished, "phone"), (CatalogueChangeKind.Appeared, "mobile")], ignoreOrder: true);
        await this.Catalogues.MarkSeen("crm", "Maren Voll", CancellationToken.None);
        (await this.Catalogues.Changes("crm", unseenOnly: true, 10, CancellationToken.None)).ShouldBeEmpty();
        (await this.Catalogues.Changes("crm", unseenOnly: false, 10, CancellationToken.None)).ShouldAllBe(c => c.SeenBy == "Maren Voll");
    }

    [Fact]
    public async Task What_comes_in_of_a_system_that_was_removed_meanwhile_is_let_go()
    {
        var at = DateTimeOffset.Parse("2026-03-02T08:00:00Z", System.Globalization.CultureInfo.InvariantCulture);
        await this.Connections.AddHealth(new SystemHealth("removed", "answering", 3, 1, 0, null, null, at, null, null, null, null, 0), CancellationToken.None);
        await new KeptCalls(this.source).Add("removed", [new KeptCall(0, at, "GET", "https://crm.example/people", 200, 3, 12, "read", null, null, null)], CancellationToken.None);

        (await this.Connections.Health(CancellationToken.None)).ShouldNotContain(h => h.System == "removed");
        (await new KeptCalls(this.source).Last("removed", troubleOnly: false, 10, CancellationToken.None)).ShouldBeEmpty();
    }

    [Fact]
    public async Task Fields_are_found_by_any_words_of_their_name_label_or_collection()
    {
        await this.Catalogues.Save("crm", With("name", "mobilePhone"), CancellationToken.None);
        (await this.Catalogues.Search("people mobile", 10, CancellationToken.None)).Select(f => f.Field.Path).ShouldBe(["mobilePhone"]);
        (await this.Catalogues.Search("THE NAME", 10, CancellationToken.None)).Select(f => f.Field.Path).ShouldBe(["name"]);
        (await this.Catalogues.Search("'; drop table connection; --", 10, CancellationToken.None)).ShouldBeEmpty();
    }

    [Fact]
    public async Task A_secret_stands_nowhere_in_the_database_in_clear_and_is_replaced_alone()
    {
        await using var all = this.source.CreateCommand("select string_agg(c::text, ' ') from connection c");
        ((string)(await all.ExecuteScalarAsync())!).ShouldNotContain("heron-at-dusk");

        var connections = this.Connections;
        var kept = (await connections.All(CancellationToken.None)).Single(c => c.System == "crm");
        await connections.Save(kept, new Dictionary<string, string> { ["clientSecret"] = "otter-at-dawn" }, CancellationToken.None);
        await connections.Save(kept with { Name = "The CRM" }, null, CancellationToken.None);

        (await connections.Secrets("crm", CancellationToken.None))["clientSecret"].ShouldBe("otter-at-dawn");
        (await connections.All(CancellationToken.None)).Single(c => c.System == "crm").Name.ShouldBe("The CRM");
    }

    [Fact]
    public async Task Turns_of_two_workers_follow_one_another_and_places_are_given_once()
    {
        var one = new CallTurns(this.source);
        await using var two = new CallTurns(this.source);
        await one.Reserve("shared", TimeSpan.FromMilliseconds(400), 2, CancellationToken.None);
        var wait = await two.Reserve("shared", TimeSpan.FromMilliseconds(400), 1, CancellationToken.None);
        wait.ShouldBeInRange(TimeSpan.FromMilliseconds(500), TimeSpan.FromMilliseconds(800));

        var places = await Task.WhenAll(Enumerable.Range(0, 12).Select(i => (i % 2 == 0 ? one : two).TakePlace("shared", 3, CancellationToken.None)));
        places.Where(p => p is not null).Select(p => p!.Value).Order().ShouldBe([0, 1, 2]);

        // A worker that ends, however it ends, leaves its places to the other.
        await one.DisposeAsync();
        var again = await Task.WhenAll(Enumerable.Range(0, 3).Select(_ => two.TakePlace("shared", 3, CancellationToken.None)));
        places.Where((p, i) => p is not null && i % 2 == 1).Concat(again.Where(p => p is not null)).Select(p => p!.Value).Order().ShouldBe([0, 1, 2]);

        await using var three = new CallTurns(this.source);
        await two.Pause("shared", TimeSpan.FromSeconds(5), CancellationToken.None);
        (await three.Reserve("shared", TimeSpan.FromMilliseconds(10), 1, CancellationToken.None)).ShouldBeGreaterThan(TimeSpan.FromSeconds(4));
    }

    [Fact]
    public async Task Calls_are_kept_with_a_limit_the_oldest_let_go_first()
    {
        var calls = new KeptCalls(this.source);
        KeptCall Call(int i) => new(0, DateTimeOffset.UnixEpoch.AddSeconds(i), "GET", $"/things/{i}", i % 10 == 0 ? 500 : 200, i, 10, "its things", null, null, "body\0with a NUL");
        await calls.Add("crm", [.. Enumerable.Range(0, 700).Select(Call)], CancellationToken.None);

        (await calls.Last("crm", troubleOnly: false, 1000, CancellationToken.None)).Count.ShouldBeInRange(500, 501);
        var trouble = await calls.Last("crm", troubleOnly: true, 3, CancellationToken.None);
        trouble.Select(c => c.Address).ShouldBe(["/things/690", "/things/680", "/things/670"]);
        (await calls.One("crm", trouble[0].Id, CancellationToken.None))!.Answered.ShouldBe("bodywith a NUL");
    }
}
