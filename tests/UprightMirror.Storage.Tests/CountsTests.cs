using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage.Tests;

/// <summary>What is counted as it happens is what would be counted afterwards, whatever happens in which order, and after the counts were put together.</summary>
public sealed class CountsTests(TestDatabase database) : IClassFixture<TestDatabase>
{
    private static readonly string[] Kinds = ["Agreed", "Written", "Created", "Met", "Decided", "ConflictClosed", "Held"];
    private static readonly string[] Whys = ["only Slipway CRM changed it", "the rule latest", "both came to the same", "first meeting: rank", "decided: a value typed by hand"];

    [Theory]
    [InlineData(1)]
    [InlineData(20260302)]
    [InlineData(77)]
    public async Task Counts_are_what_there_is(int seed)
    {
        var random = new Random(seed);
        var mirrors = new Mirrors(database.Source);
        var ids = new List<int>();
        foreach (var n in Enumerable.Range(0, 2))
        {
            var key = $"counted{seed}-{n}";
            await mirrors.Save(
                new MirrorDefinition(key, key, "thing", [new SideDefinition("a", "as"), new SideDefinition("b", "bs")], [new AgreedFieldDefinition("Name", FieldType.Text, [new SideField("n", true, true, new AsItStands()), new SideField("n", true, true, new AsItStands())])], [new RecognisingRule("Name")], "Name"),
                "a test", CancellationToken.None);
            ids.Add((await mirrors.Find(key, CancellationToken.None))!.Id);
        }

        var views = new Views(database.Source);
        for (var step = 0; step < 60; step++)
        {
            var mirror = ids[random.Next(ids.Count)];
            await this.Do(random.Next(9) switch
            {
                0 or 1 => $"insert into link (mirror_id, id, title) select {mirror}, gen_random_uuid(), 'x' from generate_series(1, {random.Next(1, 6)})",
                2 => $"delete from link where mirror_id = {mirror} and id in (select id from link where mirror_id = {mirror} order by id limit {random.Next(1, 3)})",
                3 or 4 => $"insert into conflict (mirror_id, link_id, fields, competing, why, opened_at) select {mirror}, gen_random_uuid(), array['{(random.Next(2) == 0 ? "Name" : "Town")}'], '{(random.Next(3) switch { 0 => "{}", 1 => """{"0":{},"1":{}}""", _ => """{"1":{},"0":{},"-1":{}}""" })}', 'x', now() from generate_series(1, {random.Next(1, 5)})",
                5 => $"update conflict set state = (array['open','decided','closed'])[1 + (id % 3)::int] where mirror_id = {mirror} and id % {random.Next(1, 4)} = 0",
                6 => $"delete from conflict where mirror_id = {mirror} and id % 5 = {random.Next(5)}",
                7 => $"update conflict set competing = '{"""{"0":{}}"""}', revision = revision + 1 where mirror_id = {mirror} and id % 4 = {random.Next(4)}",
                _ => $"insert into journal (mirror_id, link_id, at, kind, side, why) select {mirror}, gen_random_uuid(), now() - {random.Next(0, 9 * 24 * 60)} * interval '1 minute', '{Kinds[random.Next(Kinds.Length)]}', n % 2, '{Whys[random.Next(Whys.Length)]}' from generate_series(1, {random.Next(1, 9)}) n",
            });
            if (step % 20 == 19)
            {
                await this.Same(views, ids);
                await new Counts(database.Source).PutTogether(DateTimeOffset.UtcNow.AddHours(random.Next(-30, 3)), CancellationToken.None);
                await this.Same(views, ids);
            }
        }
    }

    private async Task Same(Views views, List<int> ids)
    {
        foreach (var mirror in ids)
        {
            (await views.RecordCount(mirror, CancellationToken.None)).ShouldBe(await this.Count($"select count(*) from link where mirror_id = {mirror}"));
        }

        (await views.Queues(CancellationToken.None)).Conflicts.ShouldBe(await this.Count("select count(*) from conflict where state = 'open'"));
        (await views.Conflicts(1000, CancellationToken.None)).Count.ShouldBe(0, "their links are made up: none is listed without its record");
        (await this.Lines("select mirror_id || ' ' || fields::text || ' ' || sides || ' ' || sum(n) from conflict_count group by mirror_id, fields, sides having sum(n) <> 0 order by 1"))
            .ShouldBe(await this.Lines("select mirror_id || ' ' || fields::text || ' ' || coalesce((select string_agg(k, ',' order by k) from jsonb_object_keys(competing) k), '') || ' ' || count(*) from (select mirror_id, fields, competing from conflict where state = 'open') c group by mirror_id, fields, (select string_agg(k, ',' order by k) from jsonb_object_keys(competing) k), coalesce((select string_agg(k, ',' order by k) from jsonb_object_keys(competing) k), '') order by 1"));
        const string Quarters = "date_bin('15 minutes', at, timestamptz '2000-01-01') > now() - interval '7 days'";
        (await this.Lines($"select mirror_id || ' ' || what || ' ' || coalesce(side::text, '-') || ' ' || sum(n) from journal_count where at > now() - interval '7 days' group by mirror_id, what, side order by 1"))
            .ShouldBe(await this.Lines($"""
                select mirror_id || ' ' || what || ' ' || coalesce(side::text, '-') || ' ' || count(*) from (
                    select mirror_id, 'written' as what, side from journal where kind in ('Written', 'Created') and {Quarters}
                    union all select mirror_id, 'oneSide', null from journal where kind = 'Agreed' and why like 'only %' and {Quarters}
                    union all select mirror_id, 'byRule', null from journal where kind = 'Agreed' and why not like 'only %' and why not like 'first meeting%' and why not like '%to the same%' and {Quarters}
                    union all select mirror_id, 'cameToAgree', null from journal where (kind = 'ConflictClosed' or (kind = 'Agreed' and why like '%to the same%')) and {Quarters}
                    union all select mirror_id, 'byPerson', null from journal where kind = 'Decided' and {Quarters}
                ) c group by mirror_id, what, side order by 1
                """));
    }

    private async Task<int> Count(string sql) => (int)await database.Ask<long>(sql);

    private async Task<IReadOnlyList<string>> Lines(string sql)
    {
        await using var command = database.Source.CreateCommand(sql);
        await using var reader = await command.ExecuteReaderAsync();
        var lines = new List<string>();
        while (await reader.ReadAsync())
        {
            lines.Add(reader.GetString(0));
        }

        return [.. lines.Order(StringComparer.Ordinal)];
    }

    private async Task Do(string sql)
    {
        await using var command = database.Source.CreateCommand(sql);
        await command.ExecuteNonQueryAsync();
    }
}
