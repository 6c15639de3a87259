using System.Globalization;
using System.Text.Json;
using Microsoft.AspNetCore.Http;
using UprightMirror.Connectors.Calling;

namespace UprightMirror.Connectors.Tests;

/// <summary>Every record that is there the whole time is read, and none twice, whichever way pages go on and whatever happens meanwhile.</summary>
public class PagingTests
{
    private const int All = 10_000;

    private static ConnectionSettings With(CollectionSettings own) => new(Collections: new Dictionary<string, CollectionSettings> { ["things"] = own });

    private static async Task<List<string>> Ids(ISystemConnector connector)
    {
        var ids = new List<string>();
        await foreach (var page in connector.ReadChanged("things", null, null, CancellationToken.None))
        {
            ids.AddRange(page.Select(r => r.Id));
        }

        return ids;
    }

    private static int Number(HttpContext context, string name, int otherwise = 0) => int.TryParse(context.Request.Query[name], CultureInfo.InvariantCulture, out var n) ? n : otherwise;

    private static Task Page(HttpContext context, IEnumerable<int> ids, object? more = null) =>
        StandInSystem.Json(context, JsonSerializer.Serialize(new { items = ids.Select(i => new { id = i, at = "2026-03-01T10:00:00Z" }), more }));

    [Fact]
    public async Task A_cursor_passes_ten_thousand_records_of_one_second_once_each()
    {
        await using var system = await StandInSystem.Start(context =>
        {
            var from = Number(context, "cursor");
            return StandInSystem.Json(context, JsonSerializer.Serialize(new { items = Enumerable.Range(from, Math.Min(100, All - from)).Select(i => new { id = i }), nextCursor = from + 100 < All ? (from + 100).ToString(CultureInfo.InvariantCulture) : null }));
        });
        (await Ids(system.Rest(With(new CollectionSettings(Paging: new Paging.Cursor()))))).ShouldBe(Enumerable.Range(0, All).Select(i => i.ToString(CultureInfo.InvariantCulture)));
    }

    [Fact]
    public async Task A_first_page_is_never_taken_for_the_whole()
    {
        await using var system = await StandInSystem.Start(context => StandInSystem.Json(context, """{"items":[{"id":1}],"nextCursor":"2"}"""));
        (await Should.ThrowAsync<SystemFault>(() => Ids(system.Rest()))).Message.ShouldContain("more things than it gave in one answer");
    }

    [Fact]
    public async Task Offsets_miss_nothing_while_records_before_the_page_go_away()
    {
        var there = Enumerable.Range(1, 2000).ToList();
        var pages = 0;
        await using var system = await StandInSystem.Start(context =>
        {
            if (++pages % 3 == 0)
            {
                there.RemoveRange(0, 7);
            }

            return Page(context, there.Skip(Number(context, "offset")).Take(Number(context, "limit")));
        });
        var ids = await Ids(system.Rest(With(new CollectionSettings(Paging: new Paging.Offset(), PageSizeParameter: "limit", PageSize: 100))));
        there.Select(i => i.ToString(CultureInfo.InvariantCulture)).Except(ids).ShouldBeEmpty();
        ids.Count.ShouldBe(ids.Distinct().Count());
    }

    [Fact]
    public async Task Offsets_miss_nothing_while_records_change_places()
    {
        var there = Enumerable.Range(1, 1500).ToList();
        var pages = 0;
        await using var system = await StandInSystem.Start(context =>
        {
            if (++pages is > 2 and < 9)
            {
                // A record that changed goes to the end: everything after it moves up.
                var moved = there[3];
                there.RemoveAt(3);
                there.Add(moved);
            }

            return Page(context, there.Skip(Number(context, "offset")).Take(100));
        });
        var ids = await Ids(system.Rest(With(new CollectionSettings(Paging: new Paging.Offset()))));
        ids.Order().ShouldBe(there.Select(i => i.ToString(CultureInfo.InvariantCulture)).Order());
    }

    [Fact]
    public async Task Page_numbers_miss_nothing_while_records_change_places()
    {
        var there = Enumerable.Range(1, 900).ToList();
        var pages = 0;
        await using var system = await StandInSystem.Start(context =>
        {
            if (++pages is 2 or 4 or 5)
            {
                var moved = there[1];
                there.RemoveAt(1);
                there.Add(moved);
            }

            return Page(context, there.Skip((Number(context, "page", 1) - 1) * 100).Take(100));
        });
        var ids = await Ids(system.Rest(With(new CollectionSettings(Paging: new Paging.PageNumber()))));
        ids.Order().ShouldBe(there.Select(i => i.ToString(CultureInfo.InvariantCulture)).Order());
    }

    [Fact]
    public async Task A_page_number_beyond_the_end_that_answers_the_last_page_again_ends_the_reading()
    {
        await using var system = await StandInSystem.Start(context => Page(context, Enumerable.Range(1 + ((Math.Min(Number(context, "page", 1), 3) - 1) * 10), 10)));
        (await Ids(system.Rest(With(new CollectionSettings(Paging: new Paging.PageNumber()))))).Count.ShouldBe(30);
    }

    [Fact]
    public async Task Ranges_of_ids_pass_over_gaps_to_the_highest_and_read_what_is_added_meanwhile()
    {
        var there = Enumerable.Range(1, All).Where(i => i % 7 is 0 or 1 && i is < 2000 or > 4000).ToList();
        var pages = 0;
        await using var system = await StandInSystem.Start(context =>
        {
            if (++pages == 5)
            {
                there.Add(All + 250);
            }

            var (from, to) = (Number(context, "fromId"), Number(context, "toId"));
            (to - from).ShouldBeLessThan(300);
            return StandInSystem.Json(context, JsonSerializer.Serialize(new { items = there.Where(i => i >= from && i <= to).Select(i => new { id = i }), highestId = there.Max() }));
        });
        (await Ids(system.Rest(With(new CollectionSettings(Paging: new Paging.IdRange(), PageSize: 300))))).ShouldBe(there.Select(i => i.ToString(CultureInfo.InvariantCulture)));
    }

    [Fact]
    public async Task Links_in_a_header_and_in_the_page_are_followed_within_the_system()
    {
        await using var system = await StandInSystem.Start(context =>
        {
            var from = Number(context, "from");
            if (from < 400)
            {
                context.Response.Headers.Link = $"</api/things?from=0>; rel=\"first\", </api/things?from={from + 100}>; rel=\"next\"";
            }

            return Page(context, Enumerable.Range(from, 100), new { next = from < 400 ? $"/api/things?from={from + 100}" : null });
        });
        (await Ids(system.Rest(With(new CollectionSettings(Paging: new Paging.LinkHeader()))))).Count.ShouldBe(500);
        (await Ids(system.Rest(With(new CollectionSettings(Paging: new Paging.NextLink("more.next")))))).Count.ShouldBe(500);
    }

    [Fact]
    public async Task Credentials_do_not_follow_a_link_to_another_system()
    {
        await using var system = await StandInSystem.Start(context => Page(context, [1], new { next = "http://elsewhere.example/things" }));
        (await Should.ThrowAsync<SystemFault>(() => Ids(system.Rest(With(new CollectionSettings(Paging: new Paging.NextLink("more.next"))))))).Message.ShouldContain("another system (elsewhere.example)");
    }

    [Fact]
    public async Task Pages_that_go_round_in_a_circle_are_noticed()
    {
        await using var system = await StandInSystem.Start(context => Page(context, [1], new { next = "/api/things?from=1" }));
        (await Should.ThrowAsync<SystemFault>(() => Ids(system.Rest(With(new CollectionSettings(Paging: new Paging.NextLink("more.next"))))))).Message.ShouldContain("goes round in a circle");
    }

    [Fact]
    public async Task A_system_that_can_not_be_asked_for_changes_is_read_whole_and_only_changes_go_on()
    {
        await using var system = await StandInSystem.Start(context => StandInSystem.Json(context, """{"items":[{"id":1,"at":"2026-03-01T10:00:00Z"},{"id":2,"at":"2026-03-02T10:00:00Z"},{"id":3}]}"""));
        var connector = system.Rest(With(new CollectionSettings(Paging: new Paging.Whole(), ChangedAt: "at")));
        var pages = await connector.ReadChanged("things", new DateTimeOffset(2026, 3, 2, 0, 0, 0, TimeSpan.Zero), null, CancellationToken.None).ToListAsync();
        pages.SelectMany(p => p).Select(r => r.Id).ShouldBe(["2", "3"]);
    }
}
