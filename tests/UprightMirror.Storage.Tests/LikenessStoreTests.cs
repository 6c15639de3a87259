using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage.Tests;

/// <summary>The index of what records say, what was learned of them, and the pairs that people are asked about.</summary>
public class LikenessStoreTests(TestDatabase database) : IClassFixture<TestDatabase>
{
    private static readonly DateTimeOffset At = new(2026, 3, 1, 9, 0, 0, TimeSpan.Zero);
    private static int counter;

    private async Task<IRunSession> Begin(bool rehearse = false)
    {
        var mirrors = new Mirrors(database.Source);
        var key = $"like{Interlocked.Increment(ref counter)}";
        await mirrors.Save(
            new MirrorDefinition(
                key, key, "customer", [new SideDefinition("a", "as"), new SideDefinition("b", "bs")],
                [new AgreedFieldDefinition("Name", FieldType.Text, [new SideField("name", true, true, new AsItStands()), new SideField("Name", true, true, new AsItStands())])], [], "Name",
                Likeness: new LikenessDefinition([new EvidenceOf("Name", "organisation")], 0.95, 0.6), LeavesOut: true),
            "a test", CancellationToken.None);
        var mirror = (await mirrors.Find(key, CancellationToken.None))!;
        mirror.Definition.Likeness!.Evidence.ShouldBe([new EvidenceOf("Name", "organisation")]);
        (mirror.Definition.Likeness.LinkAt, mirror.Definition.Likeness.AskAt, mirror.Definition.LeavesOut).ShouldBe((0.95, 0.6, true));
        return (await new RunSessions(database.Source, new RunBook(database.Source, TimeProvider.System), TimeProvider.System).Begin(mirror, rehearse, "a test", CancellationToken.None))!;
    }

    private static Task Observe(IRunStore store, int side, params (string Id, string Name)[] records) =>
        store.SaveObserved(side, [.. records.Select(r => new ObservedRecord(r.Id, RawFields.Of([KeyValuePair.Create("name", Value.Text(r.Name))]), "1", At, null))], CancellationToken.None);

    private static Likelihood Likely(decimal bits) => new(-3m, [new EvidenceLine(["Name"], "the same", bits)], 0, -0.25m);

    [Fact]
    public async Task Evidence_falls_due_whenever_a_record_says_something_else()
    {
        await using var session = await this.Begin();
        var (store, likeness) = (session.Store, session.Store.Likeness);
        await Observe(store, 0, ("1", "Heron \"Weir\" \\ Club"), ("2", "Tern"));
        (await likeness.ReadEvidenceDue(new RecordPlace(-1, ""), 10, CancellationToken.None)).Select(r => r.Id).ShouldBe(["1", "2"]);
        (await likeness.ReadEvidenceDue(new RecordPlace(0, "1"), 10, CancellationToken.None)).Select(r => r.Id).ShouldBe(["2"]);
        await likeness.SaveEvidence([new RecordEvidence(0, "1", ["Heron \"Weir\" \\ Club, {x}"], [11, -12]), new RecordEvidence(0, "2", ["Tern"], [12, 13])], CancellationToken.None);
        (await likeness.ReadEvidenceDue(new RecordPlace(-1, ""), 10, CancellationToken.None)).ShouldBeEmpty();
        (await likeness.ReadAll(CancellationToken.None)).Select(r => r.Texts[0]).ShouldBe(["Heron \"Weir\" \\ Club, {x}", "Tern"]);

        await Observe(store, 0, ("1", "Heron \"Weir\" \\ Club"));
        (await likeness.ReadEvidenceDue(new RecordPlace(-1, ""), 10, CancellationToken.None)).ShouldBeEmpty();
        await Observe(store, 0, ("1", "Gannet"));
        (await likeness.ReadEvidenceDue(new RecordPlace(-1, ""), 10, CancellationToken.None)).Select(r => r.Id).ShouldBe(["1"]);

        await store.SaveRemoved(0, ["2"], CancellationToken.None);
        await likeness.SaveEvidence([new RecordEvidence(0, "2", null, [])], CancellationToken.None);
        (await likeness.Count(CancellationToken.None)).ShouldBe(1);
    }

    [Fact]
    public async Task Records_are_found_by_blocks_but_not_by_those_that_tell_nothing_nor_in_another_mirror()
    {
        var model = new MatchModel(["organisation"], [new Dictionary<string, double> { ["club"] = 0.25 }], [[3, 1]], Weights(), Weights(), 4, 1.5);
        await using (var other = await this.Begin())
        {
            await Observe(other.Store, 0, ("1", "elsewhere"));
            await other.Store.Likeness.SaveEvidence([new RecordEvidence(0, "1", ["elsewhere"], [1, 2, 3])], CancellationToken.None);
        }

        await using var session = await this.Begin();
        var likeness = session.Store.Likeness;
        await Observe(session.Store, 0, ("1", "a"), ("2", "b"), ("3", "c"));
        await likeness.SaveEvidence([new RecordEvidence(0, "1", ["a"], [1, 2, 9]), new RecordEvidence(0, "2", ["b"], [2, 3, 9]), new RecordEvidence(0, "3", ["c"], [9])], CancellationToken.None);
        (await likeness.ReadModel(CancellationToken.None)).ShouldBeNull();
        await likeness.SaveModel(model, [(0, "hrare", [1, 0]), (0, "hclub", [2, 1])], [9], CancellationToken.None);
        (await likeness.FindLike([2, 3, 9, long.MinValue], 10, CancellationToken.None)).Select(r => r.Id).ShouldBe(["2", "1"]);
        (await likeness.FindLike([9], 10, CancellationToken.None)).ShouldBeEmpty();
        var counts = await likeness.CountsOf([(0, "hclub"), (0, "hrare"), (1, "hclub")], CancellationToken.None);
        counts.Single().ShouldSatisfyAllConditions(c => c.Key.ShouldBe((0, "hclub")), c => c.Value.ShouldBe([2, 1]));

        var kept = (await likeness.ReadModel(CancellationToken.None))!;
        kept.Across.Weights.Same.ShouldBe(model.Across.Weights.Same);
        kept.Across.Chances[0]['h'].ShouldBe(new NameChances(0.1, 0.2, 0.3));
        (kept.Words[0]["club"], kept.Records, kept.Said[0][1], kept.Within.Weights.Prior).ShouldBe((0.25, 4, 1, 0.01));
        await likeness.SaveModel(model with { Records = 5 }, [], [], CancellationToken.None);
        (await likeness.FindLike([9], 10, CancellationToken.None)).Count.ShouldBe(3);

        static LearnedWeights Weights() => new(new Weights([[0.1, 0.9]], [[0.5, 0.5]], [[0.99, 0.01]], 0.01, 0.02), [new Dictionary<char, NameChances> { ['h'] = new(0.1, 0.2, 0.3) }]);
    }

    [Fact]
    public async Task What_is_doubtful_no_more_is_withdrawn_and_frees_who_waited_for_it()
    {
        await using var session = await this.Begin();
        var (store, likeness) = (session.Store, session.Store.Likeness);
        await Observe(store, 0, ("1", "a"), ("2", "a"), ("3", "a"));
        var (one, two, three) = (new RecordPlace(0, "1"), new RecordPlace(0, "2"), new RecordPlace(0, "3"));
        (await likeness.SaveLookAlikes([new LookAlikeFound(one, two, Likely(5)), new LookAlikeFound(two, three, Likely(4))], null, CancellationToken.None)).ShouldBeEmpty();
        (await store.ReadUnlinked((-1, ""), 10, CancellationToken.None)).ShouldBeEmpty();

        // The first two are still doubted; the third is no more, and it alone is free.
        (await likeness.SaveLookAlikes([new LookAlikeFound(one, two, Likely(5))], [three], CancellationToken.None)).ShouldBe([three]);
        (await likeness.SaveLookAlikes([], [one], CancellationToken.None)).ShouldBe([one, two], ignoreOrder: true);
        (await database.Ask<long>($"select count(*) from look_alike where state = 'withdrawn' and found_at is not null and mirror_id = (select max(mirror_id) from look_alike)")).ShouldBe(2);
    }

    [Fact]
    public async Task What_a_person_called_different_is_not_asked_again()
    {
        await using var session = await this.Begin();
        var likeness = session.Store.Likeness;
        await Observe(session.Store, 0, ("1", "a"), ("2", "a"));
        var (one, two) = (new RecordPlace(0, "1"), new RecordPlace(0, "2"));
        await likeness.SaveLookAlikes([new LookAlikeFound(one, two, Likely(5))], null, CancellationToken.None);
        await using (var decide = database.Source.CreateCommand("update look_alike set state = 'different' where mirror_id = (select max(mirror_id) from look_alike)"))
        {
            await decide.ExecuteNonQueryAsync();
        }

        (await likeness.ReadDifferent(CancellationToken.None)).ShouldBe([(one, two)]);
        await likeness.SaveLookAlikes([new LookAlikeFound(one, two, Likely(9))], null, CancellationToken.None);
        (await likeness.ReadDifferent(CancellationToken.None)).ShouldBe([(one, two)]);
    }

    [Fact]
    public async Task A_rehearsal_leaves_nothing_of_all_that()
    {
        await using (var session = await this.Begin(rehearse: true))
        {
            await Observe(session.Store, 0, ("rehearsed", "a"), ("rehearsed again", "a"));
            await session.Store.Likeness.SaveEvidence([new RecordEvidence(0, "rehearsed", ["a"], [1])], CancellationToken.None);
            await session.Store.Likeness.SaveLookAlikes([new LookAlikeFound(new RecordPlace(0, "rehearsed"), new RecordPlace(0, "rehearsed again"), Likely(5))], null, CancellationToken.None);
        }

        (await database.Ask<long>("select (select count(*) from look_alike where id_a = 'rehearsed') + (select count(*) from likeness where id = 'rehearsed')")).ShouldBe(0);
    }
}
