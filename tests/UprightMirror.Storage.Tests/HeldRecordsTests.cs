using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage.Tests;

/// <summary>What people do with held records: together, for good, and back again.</summary>
public sealed class HeldRecordsTests(TestDatabase database) : IClassFixture<TestDatabase>
{
    private static int counter;
    private readonly HeldRecords held = new(database.Source, TimeProvider.System);

    private async Task<(KeptMirror Mirror, IRunSession Session)> Begin()
    {
        var key = $"held-{Interlocked.Increment(ref counter)}";
        var mirrors = new Mirrors(database.Source);
        await mirrors.Save(
            new MirrorDefinition(key, key, "customer", [new SideDefinition("a", "as"), new SideDefinition("b", "bs")], [new AgreedFieldDefinition("Name", FieldType.Text, [new SideField("name", true, true, new AsItStands()), new SideField("name", true, true, new AsItStands())])], [new RecognisingRule("Name")], "Name"),
            "a test", CancellationToken.None);
        var mirror = (await mirrors.Find(key, CancellationToken.None))!;
        return (mirror, (await new RunSessions(database.Source, new RunBook(database.Source, TimeProvider.System), TimeProvider.System).Begin(mirror, false, "a test", CancellationToken.None))!);
    }

    private static ObservedRecord Observed(string id, string name) => new(id, RawFields.Of([KeyValuePair.Create("name", Value.Text(name))]), "1", DateTimeOffset.UnixEpoch, "Ida");

    private static async Task<IReadOnlyList<string>> Waiting(IRunStore store) => [.. (await store.ReadUnlinked((-1, ""), 100, CancellationToken.None)).Select(r => r.Id)];

    private async Task<IReadOnlyList<HoldView>> Holds(KeptMirror mirror) => [.. (await new Views(database.Source).Holds(1000, CancellationToken.None)).Where(h => h.MirrorId == mirror.Id)];

    [Fact]
    public async Task A_record_that_is_left_out_is_looked_at_by_no_run_until_it_is_taken_in_again()
    {
        var (mirror, session) = await this.Begin();
        await using var closing = session;
        var store = session.Store;
        await store.SaveObserved(0, [Observed("1", "first"), Observed("2", "second"), Observed("3", "third")], CancellationToken.None);
        await store.SaveHolds([new Hold(null, 0, "1", "first", "Name", "It can't be read.", null), new Hold(null, 0, "2", "second", "Name", "It can't be read.", null)], CancellationToken.None);
        (await Waiting(store)).ShouldBe(["3"]);
        var holds = await this.Holds(mirror);

        (await this.held.LeaveOut([holds.First(h => h.RecordId == "1").Id], "They are closing down", "Maren Voll", CancellationToken.None)).ShouldBe(1);
        (await this.Holds(mirror)).Select(h => h.RecordId).ShouldBe(["2"]);
        await store.SaveObserved(0, [Observed("1", "first, changed")], CancellationToken.None);
        (await Waiting(store)).ShouldBe(["3"]);
        (await store.Likeness.ReadEvidenceDue(new(-1, ""), 10, CancellationToken.None)).First(r => r.Id == "1").Raw.ShouldBeNull();
        (await new Comparisons(database.Source, mirror.Id, mirror.Definition).ReadUnlinked(CancellationToken.None)).First(u => u.Id == "1").Why.ShouldBe("left out by Maren Voll: They are closing down");

        (await this.held.Release([holds.First(h => h.RecordId == "2").Id, holds.First(h => h.RecordId == "1").Id], CancellationToken.None)).ShouldBe(1);
        (await Waiting(store)).ShouldBe(["2", "3"]);

        var out_ = (await this.held.LeftOut(100, CancellationToken.None)).Single(l => l.MirrorId == mirror.Id);
        (out_.Title, out_.Reason, out_.Who).ShouldBe(("first", "It can't be read.", "Maren Voll"));
        (await this.held.TakeIn(out_.Id, "Maren Voll", CancellationToken.None)).ShouldBeTrue();
        (await this.held.TakeIn(out_.Id, "Maren Voll", CancellationToken.None)).ShouldBeFalse();
        (await Waiting(store)).ShouldBe(["1", "2", "3"]);
    }

    [Fact]
    public async Task A_linked_one_is_followed_no_more_and_what_is_planned_for_it_is_dropped()
    {
        var (mirror, session) = await this.Begin();
        await using var closing = session;
        var (store, link) = (session.Store, Guid.CreateVersion7());
        await store.SaveObserved(0, [Observed("1", "first")], CancellationToken.None);
        await store.SaveLinks([new LinkedAs(link, 0, "1", "first", "new")], CancellationToken.None);
        (await store.ReadWaiting(Guid.Empty, 10, CancellationToken.None)).Select(l => l.Link).ShouldBe([link]);
        await using (var hold = database.Source.CreateCommand($"insert into hold (mirror_id, link_id, side, record_id, title, reason, answer, since) values ({mirror.Id}, '{link}', 1, '', 'first', 'b refused it.', 'No.', now()), ({mirror.Id}, '{link}', 1, '', 'first', 'b refused it, too.', 'No.', now())"))
        {
            await hold.ExecuteNonQueryAsync();
        }

        var holds = await this.Holds(mirror);
        (await this.held.LeaveOut([.. holds.Select(h => h.Id)], "A test record", "Maren Voll", CancellationToken.None)).ShouldBe(1);
        (await this.Holds(mirror)).ShouldBeEmpty();
        (await store.ReadWaiting(Guid.Empty, 10, CancellationToken.None)).ShouldBeEmpty();
        await store.SaveObserved(0, [Observed("1", "changed")], CancellationToken.None);
        (await store.ReadWaiting(Guid.Empty, 10, CancellationToken.None)).ShouldBeEmpty();
        (await new Comparisons(database.Source, mirror.Id, mirror.Definition).Read(Guid.Empty, 10, CancellationToken.None)).Single().Holds.ShouldContain(h => h.Reason == "left out by Maren Voll: A test record");

        await this.held.TakeIn((await this.held.LeftOut(100, CancellationToken.None)).Single(l => l.MirrorId == mirror.Id).Id, "Maren Voll", CancellationToken.None);
        (await store.ReadWaiting(Guid.Empty, 10, CancellationToken.None)).Select(l => l.Link).ShouldBe([link]);
    }
}
