using UprightMirror.Connectors.Calling;

namespace UprightMirror.Connectors.Tests;

/// <summary>What a system tells of removed records, in the forms in which such feeds come.</summary>
public class RemovedTests
{
    private static ConnectionSettings Settings(string? path = "/things/removals", string? since = "since", string? items = "items") =>
        new(Collections: new Dictionary<string, CollectionSettings> { ["things"] = new(Items: items, RemovedPath: path, RemovedSinceParameter: since) });

    private static readonly DateTimeOffset Since = new(2026, 3, 1, 9, 30, 0, TimeSpan.FromHours(1));

    [Theory]
    [InlineData("""{"items":[{"id":"7","removedAt":"2026-03-01T10:00:00Z"},{"id":"9"}]}""", "items")]
    [InlineData("""{"items":["7","9"]}""", "items")]
    [InlineData("""[{"id":7},{"id":9},{"name":"no id"}]""", null)]
    [InlineData("""[7,9]""", "items")]
    public async Task Ids_are_found_in_lists_of_records_and_of_ids(string answer, string? items)
    {
        await using var system = await StandInSystem.Start(c => StandInSystem.Json(c, answer));

        (await system.Rest(Settings(items: items)).ReadRemoved("things", Since, CancellationToken.None)).ShouldBe(["7", "9"]);

        system.Calls.ShouldContain(c => c.Contains("since=2026-03-01T08%3A30%3A00Z") || c.Contains("since=2026-03-01T08:30:00Z"));
    }

    [Fact]
    public async Task A_system_that_does_not_tell_is_not_asked()
    {
        await using var system = await StandInSystem.Start(c => StandInSystem.Json(c, "[]"));
        (await system.Rest(Settings(path: null)).ReadRemoved("things", Since, CancellationToken.None)).ShouldBeNull();
        system.Calls.ShouldBeEmpty();
    }

    [Theory]
    [InlineData("""{"gone":["7"]}""")]
    [InlineData("""{"items":"7"}""")]
    [InlineData("\"7\"")]
    public async Task A_form_that_is_not_understood_is_said_and_never_taken_for_nothing_or_for_everything(string answer)
    {
        await using var system = await StandInSystem.Start(c => StandInSystem.Json(c, answer));
        (await Should.ThrowAsync<SystemFault>(() => system.Rest(Settings()).ReadRemoved("things", Since, CancellationToken.None))).Message.ShouldContain("is not understood");
    }
}
