using System.Text.Json;
using Microsoft.AspNetCore.DataProtection;
using Npgsql;

namespace UprightMirror.Storage.Tests;

/// <summary>Events come at least once, at any time and from several places at once; each is taken once.</summary>
public sealed class EventStoreTests(TestDatabase database) : IClassFixture<TestDatabase>, IAsyncLifetime
{
    private static readonly DateTimeOffset Noon = new(2026, 3, 2, 12, 0, 0, TimeSpan.Zero);
    private readonly NpgsqlDataSource source = NpgsqlDataSource.Create(database.Address);
    private readonly IDataProtectionProvider protection = new EphemeralDataProtectionProvider();

    private KeptEvents Events => this.events ??= new(this.source, this.protection);
    private KeptEvents? events;

    public async ValueTask InitializeAsync() =>
        await new KeptConnections(this.source, this.protection).Save(new KeptConnection("telling", "Telling", "Te", "#123456", "rest", new Uri("https://t.example/"), JsonSerializer.SerializeToElement(new { })), new Dictionary<string, string>(), CancellationToken.None);

    public async ValueTask DisposeAsync()
    {
        await new KeptConnections(this.source, this.protection).Remove("telling", CancellationToken.None);
        await this.source.DisposeAsync();
    }

    private Task<string> Come(string fingerprint, string outcome = "taken", int second = 0) =>
        this.Events.Add("telling", new KeptEvent(0, Noon.AddSeconds(second), null, outcome, "{}", null), fingerprint, CancellationToken.None);

    [Fact]
    public async Task Of_many_copies_at_the_same_moment_one_is_taken()
    {
        var outcomes = await Task.WhenAll(Enumerable.Range(0, 40).Select(n => Task.Run(() => this.Come($"event {n % 2}"))));
        outcomes.Count(o => o == "taken").ShouldBe(2);
        outcomes.Count(o => o == "again").ShouldBe(38);
    }

    [Fact]
    public async Task A_refused_copy_does_not_stand_in_the_way_of_the_true_one()
    {
        (await this.Come("x", "refused")).ShouldBe("refused");
        (await this.Come("x")).ShouldBe("taken");
    }

    [Fact]
    public async Task What_waits_is_told_together_and_only_until_its_runs_were_asked_for()
    {
        await this.Come("a", second: 1);
        await this.Come("b", second: 3);
        var waiting = (await this.Events.Waiting(CancellationToken.None)).Single(w => w.System == "telling");
        (waiting.FirstAt, waiting.LastAt).ShouldBe((Noon.AddSeconds(1), Noon.AddSeconds(3)));

        await this.Come("c", second: 4); // While the runs begin: it waits for the next.
        await this.Events.RunAsked(waiting, Noon.AddSeconds(5), CancellationToken.None);
        (await this.Events.Waiting(CancellationToken.None)).Single(w => w.System == "telling").FirstAt.ShouldBe(Noon.AddSeconds(4));
    }

    [Fact]
    public async Task Only_the_last_are_kept_and_none_that_waits_is_lost()
    {
        await this.Come("waits");
        for (var n = 0; n < 700; n++)
        {
            await this.Come("waits", n % 3 == 0 ? "refused" : "taken");
        }

        var kept = await this.Events.Last("telling", 10_000, CancellationToken.None);
        kept.Count.ShouldBeInRange(500, 560);
        kept[^1].Outcome.ShouldBe("taken");
    }

    [Fact]
    public async Task The_secret_is_kept_encrypted_and_stays_when_only_the_header_changes()
    {
        await this.Events.Open(new EventAddress("telling", "t-1", "X-One", false, Noon), "heron-at-dawn", CancellationToken.None);
        await this.Events.Open(new EventAddress("telling", "t-1", "X-Two", false, Noon), null, CancellationToken.None);
        (await this.Events.Secret("telling", CancellationToken.None)).ShouldBe("heron-at-dawn");
        (await this.Events.ByToken("t-1", CancellationToken.None))!.SignatureHeader.ShouldBe("X-Two");
        await using var all = this.source.CreateCommand("select string_agg(a::text, ' ') from event_address a");
        ((string)(await all.ExecuteScalarAsync())!).ShouldNotContain("heron-at-dawn");
        await this.Events.Close("telling", CancellationToken.None);
        (await this.Events.ByToken("t-1", CancellationToken.None)).ShouldBeNull();
    }
}
