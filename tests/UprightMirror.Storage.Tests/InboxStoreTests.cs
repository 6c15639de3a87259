using System.Text.Json;
using Microsoft.AspNetCore.DataProtection;
using Npgsql;

namespace UprightMirror.Storage.Tests;

/// <summary>The queue of what was sent to us: whatever the order, the copies and the workers, a record ends as the newest of its events says.</summary>
public sealed class InboxStoreTests(TestDatabase database) : IClassFixture<TestDatabase>, IAsyncLifetime
{
    private static readonly DateTimeOffset Noon = new(2026, 3, 2, 12, 0, 0, TimeSpan.Zero);
    private readonly NpgsqlDataSource source = NpgsqlDataSource.Create(database.Address);
    private readonly IDataProtectionProvider protection = new EphemeralDataProtectionProvider();
    private readonly string system = $"s{Guid.NewGuid():N}";
    private Inboxes inboxes = null!;
    private Inbox inbox = null!;

    public async ValueTask InitializeAsync()
    {
        await new KeptConnections(this.source, this.protection).Save(new KeptConnection(this.system, this.system, "We", "#123456", "events", new Uri($"events:{this.system}"), JsonSerializer.SerializeToElement(new { })), new Dictionary<string, string>(), CancellationToken.None);
        this.inboxes = new Inboxes(this.source, this.protection);
        await this.Open("key", "a key of twelve");
    }

    public async ValueTask DisposeAsync()
    {
        await new KeptConnections(this.source, this.protection).Remove(this.system, CancellationToken.None);
        await this.source.DisposeAsync();
    }

    private async Task Open(string admits, string? secret)
    {
        await this.inboxes.Open(new Inbox(0, this.system, "people", $"token-{this.system}", admits, "X-Key", false, null, "id", null, Noon), secret, CancellationToken.None);
        this.inbox = (await this.inboxes.Of(this.system, CancellationToken.None)).Single();
    }

    private Task Put(params InboxArrival[] arrivals) => this.inboxes.Put(this.inbox.Id, arrivals, CancellationToken.None);

    private static InboxArrival Said(string id, int minute, string body, string? fingerprint = null) => new(Noon, "JSON", id, Noon.AddMinutes(minute), fingerprint ?? $"{id} {minute} {body}", body, null);

    private async Task<string> Known()
    {
        while (await this.inboxes.WorkThrough(500, Noon.AddHours(1), CancellationToken.None) > 0)
        {
        }

        return string.Join(" ", (await this.inboxes.Records(this.system, "people", null, null, CancellationToken.None).ToListAsync()).OrderBy(r => r.Id).Select(r => $"{r.Id}={r.Body}"));
    }

    [Fact]
    public async Task An_older_event_that_comes_late_changes_nothing_and_is_told_as_such()
    {
        await this.Put(Said("1", 5, "new"));
        await this.Known();
        await this.Put(Said("1", 3, "old"));
        (await this.Known()).ShouldBe("1=new");
        (await this.inboxes.Last(this.inbox.Id, 10, CancellationToken.None)).Select(e => e.WasOlder).ShouldBe([true, false]);
    }

    [Fact]
    public async Task The_newest_are_those_that_were_told_last()
    {
        for (var n = 1; n <= 3; n++)
        {
            await this.Put(Said($"{n}", 10 - n, "x"));
            await this.inboxes.WorkThrough(10, Noon.AddMinutes(n), CancellationToken.None);
        }

        (await this.inboxes.Newest(this.system, "people", 2, CancellationToken.None)).Select(r => r.Id).ShouldBe(["3", "2"]);
    }

    [Fact]
    public async Task A_copy_is_kept_as_come_again_and_worked_through_once()
    {
        await this.Put(Said("1", 5, "a"));
        await this.Put(Said("1", 5, "a"), Said("2", 5, "b"));
        (await this.inboxes.Last(this.inbox.Id, 10, CancellationToken.None)).Select(e => $"{e.RecordId} {e.Outcome}").Order().ShouldBe(["1 again", "1 taken", "2 taken"]);
        (await this.inboxes.WorkThrough(10, Noon, CancellationToken.None)).ShouldBe(2);
    }

    [Fact]
    public async Task What_tells_no_copy_from_another_event_is_taken_each_time_and_the_last_counts()
    {
        foreach (var town in new[] { "Kelburn", "Arran", "Kelburn" })
        {
            await this.Put(new InboxArrival(Noon, "form", "1", Noon, null, town, null));
        }

        (await this.Known()).ShouldBe("1=Kelburn");
        (await this.inboxes.Last(this.inbox.Id, 10, CancellationToken.None)).Select(e => e.Outcome).ShouldBe(["taken", "taken", "taken"]);
    }

    [Fact]
    public async Task Repeated_shuffled_and_worked_through_by_several_at_once_the_outcome_is_the_same()
    {
        for (var seed = 0; seed < 30; seed++)
        {
            await using (var forget = this.source.CreateCommand($"delete from inbox_event where inbox_id = {this.inbox.Id}; delete from inbox_record where inbox_id = {this.inbox.Id}"))
            {
                await forget.ExecuteNonQueryAsync();
            }

            // Among them two events of one record and one moment that say different things: the outcome must not hang on which came first.
            var random = new Random(seed);
            var once = Enumerable.Range(0, random.Next(1, 50)).Select(n => Said($"{random.Next(6)}", random.Next(5), $"{n}", $"event {n}")).ToArray();
            var expected = string.Join(" ", once.GroupBy(e => e.RecordId).OrderBy(g => g.Key).Select(g => $"{g.Key}={g.OrderBy(e => e.SaidAt).ThenBy(e => e.Fingerprint, StringComparer.Ordinal).Last().Body}"));

            var sent = once.SelectMany(e => Enumerable.Repeat(e, random.Next(1, 4))).OrderBy(_ => random.Next()).ToArray();
            await Task.WhenAll(sent.Chunk(7).Select(async (chunk, n) =>
            {
                await this.Put(chunk);
                await this.inboxes.WorkThrough(1 + (n % 5), Noon, CancellationToken.None);
            }));
            (await this.Known()).ShouldBe(expected, $"seed {seed}");
        }
    }

    [Fact]
    public async Task A_worker_that_dies_in_the_middle_leaves_what_it_had_taken_to_another()
    {
        await this.Put([.. Enumerable.Range(0, 20).Select(n => Said($"{n}", 1, "x"))]);
        await using var dies = await this.source.OpenConnectionAsync();
        await using var transaction = await dies.BeginTransactionAsync();
        await using (var take = new NpgsqlCommand($"select id from inbox_event where inbox_id = {this.inbox.Id} and worked_at is null order by id limit 12 for update", dies, transaction))
        {
            await take.ExecuteNonQueryAsync();
        }

        (await this.inboxes.WorkThrough(100, Noon, CancellationToken.None)).ShouldBe(8); // Nobody waits for it.
        await transaction.RollbackAsync();
        (await this.inboxes.WorkThrough(100, Noon, CancellationToken.None)).ShouldBe(12);
    }

    [Fact]
    public async Task Runs_are_asked_for_what_was_worked_through_and_only_until_they_were_asked_for()
    {
        await this.Put(Said("1", 1, "x"));
        (await this.inboxes.ToRun(CancellationToken.None)).ShouldNotContain(t => t.System == this.system); // Not worked through yet.
        await this.Known();
        var waiting = (await this.inboxes.ToRun(CancellationToken.None)).Single(t => t.System == this.system);
        await this.Put(Said("2", 1, "y")); // While the runs begin: it waits for the next.
        await this.Known();
        await this.inboxes.RunAsked(waiting, Noon, CancellationToken.None);
        (await this.inboxes.ToRun(CancellationToken.None)).Single(t => t.System == this.system).Events.Length.ShouldBe(1);
    }

    [Fact]
    public async Task Only_what_is_long_past_and_done_is_let_go_of()
    {
        await this.Put(Said("1", 1, "waits"));
        await this.Put(new InboxArrival(Noon, "JSON", null, Noon, null, "?", "It is not JSON."));
        await this.inboxes.Prune(Noon.AddDays(29), CancellationToken.None);
        (await this.inboxes.Last(this.inbox.Id, 10, CancellationToken.None)).Count.ShouldBe(2);
        await this.inboxes.Prune(Noon.AddDays(31), CancellationToken.None);
        (await this.inboxes.Last(this.inbox.Id, 10, CancellationToken.None)).ShouldHaveSingleItem().Outcome.ShouldBe("taken");
    }

    [Fact]
    public async Task The_key_is_encrypted_and_forgotten_when_anybody_may_send()
    {
        (await this.inboxes.ByToken($"token-{this.system}", CancellationToken.None))!.Value.Secret.ShouldBe("a key of twelve");
        (await database.Ask<string>($"select secret from inbox where system = '{this.system}'")).ShouldNotContain("twelve");
        await this.Open("open", null);
        (await this.inboxes.ByToken($"token-{this.system}", CancellationToken.None))!.Value.Secret.ShouldBeNull();
    }
}
