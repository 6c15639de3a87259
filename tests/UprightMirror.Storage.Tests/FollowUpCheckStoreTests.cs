using Npgsql;
using UprightMirror.Core.Checks;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Timing;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage.Tests;

/// <summary>What a check flags, over many looks, is what a plain list of the same would say: since when, what was said of it, whom a change is for, and what the journal tells.</summary>
public sealed class FollowUpCheckStoreTests(TestDatabase database) : IClassFixture<TestDatabase>
{
    private static readonly DateTimeOffset Start = new(2026, 3, 2, 8, 0, 0, TimeSpan.Zero);

    private sealed record Flagged(string Says, DateTimeOffset Since, string? FineBy);

    private async Task<(KeptMirror Mirror, Guid[] Links)> Begin(string key, int links)
    {
        var mirrors = new Mirrors(database.Source);
        await mirrors.Save(
            new MirrorDefinition(key, key, "thing", [new SideDefinition("a", "as"), new SideDefinition("b", "bs")], [new AgreedFieldDefinition("Name", FieldType.Text, [new SideField("n", true, true, new AsItStands()), new SideField("n", true, true, new AsItStands())])], [new RecognisingRule("Name")], "Name"),
            "a test", CancellationToken.None);
        var mirror = (await mirrors.Find(key, CancellationToken.None))!;
        var ids = Enumerable.Range(0, links).Select(_ => Guid.CreateVersion7()).ToArray();
        await this.Do("insert into link (mirror_id, id, title) select @mirror, l, 'thing ' || n from unnest(@links) with ordinality as t (l, n)", ("mirror", mirror.Id), ("links", ids));
        return (mirror, ids);
    }

    private async Task Do(string sql, params (string Name, object Value)[] values)
    {
        await using var command = database.Source.CreateCommand(sql);
        foreach (var (name, value) in values)
        {
            command.Parameters.AddWithValue(name, value);
        }

        await command.ExecuteNonQueryAsync();
    }

    private async Task<Guid[]> Take(string what, int mirror)
    {
        await using var command = database.Source.CreateCommand(what == "due"
            ? "with due as (delete from link_due where mirror_id = @mirror returning link_id) select coalesce(array_agg(distinct link_id), '{}') from due"
            : "with told as (delete from journal where mirror_id = @mirror and kind = @what returning link_id) select coalesce(array_agg(link_id), '{}') from told");
        command.Parameters.AddWithValue("mirror", mirror);
        command.Parameters.AddWithValue("what", what);
        return (Guid[])(await command.ExecuteScalarAsync())!;
    }

    private static FollowUpCheck Check(string name, string condition = "[Name] = 1") => new(name, condition, null, MirrorTiming.ByHandOnly);

    [Theory]
    [InlineData(1)]
    [InlineData(20260302)]
    [InlineData(77)]
    public async Task Many_looks_and_many_words_of_people_come_to_what_a_plain_list_says(int seed)
    {
        var random = new Random(seed);
        var (mirror, links) = await this.Begin($"flagged{seed}", 12);
        var store = new FollowUpChecks(database.Source);
        var id = (await store.Keep(mirror.Id, null, Check("Other"), "Maren", Start, CancellationToken.None))!.Value;
        var model = new Dictionary<Guid, Flagged>();
        for (var step = 1; step <= 60; step++)
        {
            var now = Start.AddMinutes(step);
            var (due, flagged, unflagged) = (new HashSet<Guid>(), new HashSet<Guid>(), new HashSet<Guid>());
            if (random.Next(3) == 0 && model.Count > 0)
            {
                var link = model.Keys.ElementAt(random.Next(model.Count));
                var isFine = model[link].FineBy is null;
                (await store.SayFine(mirror.Id, id, link, isFine ? "Joost" : null, "Joost", now, CancellationToken.None)).ShouldBeTrue();
                model[link] = model[link] with { FineBy = isFine ? "Joost" : null };
                due.Add(link);
                (isFine ? unflagged : flagged).Add(link);
            }
            else
            {
                var found = links.Where(_ => random.Next(2) == 0).ToDictionary(l => l, _ => random.Next(2) == 0 ? "left" : "right");
                var check = (await store.Of(mirror.Id, CancellationToken.None)).Single();
                var isNew = await store.Save(check, new CheckLooked(12, 0, null, null), [.. found.Select(f => new FoundRecord(f.Key, [new FlaggedValue("Name", 0, f.Value)], 0, []))], now, CancellationToken.None);
                isNew.ShouldBe(found.Keys.Count(l => !model.ContainsKey(l)));
                foreach (var (link, was) in model.Where(m => !found.ContainsKey(m.Key)).ToList())
                {
                    model.Remove(link);
                    due.Add(link);
                    if (was.FineBy is null)
                    {
                        unflagged.Add(link);
                    }
                }

                foreach (var (link, says) in found)
                {
                    var before = model.GetValueOrDefault(link);
                    var isAnother = before is { FineBy: not null } && before.Says != says;
                    model[link] = before is null || isAnother ? new Flagged(says, now, null) : before with { Says = says };
                    if (before is null || isAnother)
                    {
                        due.Add(link);
                        flagged.Add(link);
                    }
                }
            }

            (await this.Take("due", mirror.Id)).ShouldBe(due, ignoreOrder: true, $"step {step}");
            (await this.Take("Flagged", mirror.Id)).ShouldBe(flagged, ignoreOrder: true, $"step {step}");
            (await this.Take("Unflagged", mirror.Id)).ShouldBe(unflagged, ignoreOrder: true, $"step {step}");
            (await store.Found(id, 0, 100, CancellationToken.None)).ToDictionary(f => f.Link, f => new Flagged(f.Says.Single().Value, f.Since, f.FineBy)).ShouldBe(model, ignoreOrder: true);
            var standing = (await store.Standing(mirror.Id, CancellationToken.None)).Single();
            (standing.Flagged, standing.Fine).ShouldBe((model.Values.Count(m => m.FineBy is null), model.Values.Count(m => m.FineBy is not null)));
            (await new Mirrors(database.Source).FlagsOf(mirror.Definition, links, CancellationToken.None)).Keys.ShouldBe(model.Where(m => m.Value.FineBy is null).Select(m => m.Key), ignoreOrder: true);
            (await store.Counts(CancellationToken.None)).Where(c => c.MirrorId == mirror.Id).Select(c => (c.Count, c.Oldest)).ShouldBe(
                standing.Flagged == 0 ? [] : [(standing.Flagged, model.Values.Where(m => m.FineBy is null).Min(m => m.Since))]);
        }
    }

    [Fact]
    public async Task What_was_found_by_a_condition_that_is_another_by_now_is_not_kept_nor_are_records_that_are_gone()
    {
        var (mirror, links) = await this.Begin("raced", 2);
        var store = new FollowUpChecks(database.Source);
        var id = (await store.Keep(mirror.Id, null, Check("Other"), "Maren", Start, CancellationToken.None))!.Value;
        var before = (await store.Of(mirror.Id, CancellationToken.None)).Single();
        await store.Keep(mirror.Id, id, Check("Other", "[Name] = 2"), "Maren", Start, CancellationToken.None);
        IReadOnlyList<FoundRecord> found = [.. links.Append(Guid.NewGuid()).Select(l => new FoundRecord(l, [], 0, []))];
        (await store.Save(before, new CheckLooked(2, 0, null, null), found, Start, CancellationToken.None)).ShouldBe(0);
        (await store.Found(id, 0, 10, CancellationToken.None)).ShouldBeEmpty();
        (await store.Save((await store.Of(mirror.Id, CancellationToken.None)).Single(), new CheckLooked(2, 0, null, null), found, Start, CancellationToken.None)).ShouldBe(2, "one is no record of the mirror any more");

        await this.Do("delete from link where id = @link", ("link", links[0]));
        (await store.Found(id, 0, 10, CancellationToken.None)).Select(f => f.Link).ShouldBe([links[1]]);
        (await store.Remove(mirror.Id + 1, id, CancellationToken.None)).ShouldBeFalse("it is another mirror's");
        (await store.Remove(mirror.Id, id, CancellationToken.None)).ShouldBeTrue();
        (await store.On(links[1], CancellationToken.None)).ShouldBeEmpty();
    }

    [Fact]
    public async Task Of_several_that_want_to_look_one_may_and_names_are_a_mirrors_own()
    {
        var (mirror, _) = await this.Begin("claimed", 0);
        var (other, _) = await this.Begin("claimed-too", 0);
        var store = new FollowUpChecks(database.Source);
        await store.Keep(mirror.Id, null, Check("Other"), "Maren", Start, CancellationToken.None);
        await store.Keep(other.Id, null, Check("other"), "Maren", Start, CancellationToken.None);
        (await Should.ThrowAsync<PostgresException>(() => store.Keep(mirror.Id, null, Check("OTHER"), "Maren", Start, CancellationToken.None))).SqlState.ShouldBe(PostgresErrorCodes.UniqueViolation);

        var check = (await store.Of(mirror.Id, CancellationToken.None)).Single();
        var claims = await Task.WhenAll(Enumerable.Range(0, 8).Select(n => store.Claim(check, Start.AddSeconds(n + 1), CancellationToken.None)));
        claims.Count(c => c).ShouldBe(1);

        (await store.LastRun(["claimed"], CancellationToken.None)).ShouldBeNull();
        await this.Do("insert into run (mirror_id, rehearsal, state, started_by, started_at, ended_at) values (@mirror, true, 'finished', 'x', @at, @at)", ("mirror", mirror.Id), ("at", Start.AddHours(2)));
        (await store.LastRun(["claimed", "claimed-too"], CancellationToken.None)).ShouldBeNull("a rehearsal writes nothing");
        await this.Do("insert into run (mirror_id, rehearsal, state, started_by, started_at, ended_at) values (@mirror, false, 'failed', 'x', @at, @at)", ("mirror", other.Id), ("at", Start.AddHours(1)));
        (await store.LastRun(["claimed", "claimed-too"], CancellationToken.None)).ShouldBe(Start.AddHours(1));
    }
}
