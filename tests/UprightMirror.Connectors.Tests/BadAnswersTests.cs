using System.Net;
using System.Net.Sockets;
using Microsoft.AspNetCore.Http;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;

namespace UprightMirror.Connectors.Tests;

/// <summary>A system that is down, slow, or answers what nobody asked for: each gets one clear sentence that names it and says what to do.</summary>
public class BadAnswersTests
{
    private static async Task<string> FaultOf(ISystemConnector connector)
    {
        var fault = await Should.ThrowAsync<SystemFault>(async () =>
        {
            await foreach (var page in connector.ReadChanged("things", null, null, CancellationToken.None))
            {
                page.Count.ShouldBeGreaterThanOrEqualTo(0);
            }
        });
        return fault.Message;
    }

    [Theory]
    [InlineData(401, "{\"detail\":\"wrong key\"}", "Stand-in refused the sign-in (401) when its things was asked for: wrong key.")]
    [InlineData(403, "", "Stand-in signed us in but does not allow its things (403).")]
    [InlineData(500, "{\"error\":{\"message\":\"boom\"}}", "Stand-in answered with an error of its own (500) when its things was asked for: boom.")]
    [InlineData(429, "", "Stand-in keeps saying that there are too many calls (429).")]
    [InlineData(302, "", "Stand-in redirected the question for its things to another address.")]
    [InlineData(400, "{\"title\":\"bad cursor\"}", "Stand-in did not accept the question for its things (400): bad cursor.")]
    public async Task A_status_becomes_a_sentence(int status, string body, string says)
    {
        await using var system = await StandInSystem.Start(c => StandInSystem.Json(c, body, status));
        (await FaultOf(system.Rest())).ShouldStartWith(says);
    }

    [Fact]
    public async Task A_web_page_instead_of_JSON_is_recognised()
    {
        await using var system = await StandInSystem.Start(c =>
        {
            c.Response.ContentType = "text/html";
            return c.Response.WriteAsync("<!doctype html><title>Welcome</title>");
        });
        (await FaultOf(system.Rest())).ShouldContain("answered with a web page instead of data");
    }

    [Theory]
    [InlineData("{\"items\": [", "something that is not JSON")]
    [InlineData("{\"rows\": []}", "without the list \"items\"")]
    [InlineData("{\"items\": [{\"name\":\"x\"}]}", "a record that has no id")]
    [InlineData("{\"items\": [3]}", "a record that is not an object")]
    public async Task JSON_that_is_not_what_the_description_says_is_told(string body, string says)
    {
        await using var system = await StandInSystem.Start(c => StandInSystem.Json(c, body));
        (await FaultOf(system.Rest())).ShouldContain(says);
    }

    [Fact]
    public async Task A_system_that_hangs_is_given_up()
    {
        await using var system = await StandInSystem.Start(c => Task.Delay(Timeout.Infinite, c.RequestAborted));
        var connector = system.Rest(new ConnectionSettings(TimeoutSeconds: 1));
        (await connector.Write("things", new WriteRequest("1", RawFields.None, null, null), CancellationToken.None))
            .ShouldBeOfType<WriteAnswer.Unknown>().Reason.ShouldContain("Stand-in did not answer within 1 s");
    }

    [Fact]
    public async Task A_system_that_is_down_is_said_to_be_and_nothing_was_written()
    {
        using var taken = new TcpListener(IPAddress.Loopback, 0);
        taken.Start();
        var port = ((IPEndPoint)taken.LocalEndpoint).Port;
        taken.Stop();
        var connector = new SystemConnection("Gone", "odata", new Uri($"http://127.0.0.1:{port}/odata/"), System.Text.Json.JsonSerializer.SerializeToElement(new { allowPrivate = true }), new Dictionary<string, string>())
            .Connect(new Outside(TimeProvider.System, new LocalCallBudget(TimeProvider.System)));
        var answer = await connector.Write("Things", new WriteRequest("1", RawFields.None, null, null), CancellationToken.None);
        answer.ShouldBeOfType<WriteAnswer.NotReached>().Reason.ShouldStartWith("Gone can't be reached: nothing answers at its address (connection refused).");
    }

    [Theory]
    [InlineData(412, typeof(WriteAnswer.Moved))]
    [InlineData(404, typeof(WriteAnswer.Gone))]
    [InlineData(422, typeof(WriteAnswer.Refused))]
    [InlineData(503, typeof(WriteAnswer.NotReached))]
    [InlineData(500, typeof(WriteAnswer.Unknown))]
    public async Task The_answer_to_a_write_is_told_apart(int status, Type answer)
    {
        await using var system = await StandInSystem.Start(c => StandInSystem.Json(c, "{\"message\":\"its own words\"}", status));
        var came = await system.Rest().Write("things", new WriteRequest("7", RawFields.Of([KeyValuePair.Create("name", Value.Text("x"))]), null, "\"v1\""), CancellationToken.None);
        came.ShouldBeOfType(answer);
        if (came is WriteAnswer.Refused refused)
        {
            refused.Words.ShouldBe("its own words");
        }
    }

    [Fact]
    public async Task A_write_that_broke_the_connection_is_unknown_and_not_repeated()
    {
        await using var system = await StandInSystem.Start(c =>
        {
            c.Abort();
            return Task.CompletedTask;
        });
        var answer = await system.Rest().Write("things", new WriteRequest(null, RawFields.None, null, null), CancellationToken.None);
        answer.ShouldBeOfType<WriteAnswer.Unknown>();
        system.Calls.Count(c => c == "POST /api/things").ShouldBe(1);
    }

    [Fact]
    public async Task A_change_that_says_nothing_of_what_it_stored_is_read_back_and_a_creation_is_looked_for()
    {
        await using var system = await StandInSystem.Start(c =>
        {
            if (c.Request.Method == "GET")
            {
                return StandInSystem.Json(c, "{\"id\":\"7\",\"name\":\"STORED\"}");
            }

            c.Response.StatusCode = c.Request.Method == "POST" ? 201 : 204;
            return Task.CompletedTask;
        });
        var changed = await system.Rest().Write("things", new WriteRequest("7", RawFields.None, null, null), CancellationToken.None);
        changed.ShouldBeOfType<WriteAnswer.Stored>().Record!.Fields["name"].Display.ShouldBe("STORED");
        var created = await system.Rest().Write("things", new WriteRequest(null, RawFields.None, null, null), CancellationToken.None);
        created.ShouldBeOfType<WriteAnswer.Unknown>();
    }

    [Fact]
    public async Task Asked_to_wait_it_waits_and_goes_on()
    {
        var asked = 0;
        await using var system = await StandInSystem.Start(c =>
        {
            if (Interlocked.Increment(ref asked) == 1)
            {
                c.Response.Headers.RetryAfter = "1";
                return StandInSystem.Json(c, "", 429);
            }

            return StandInSystem.Json(c, "{\"items\":[{\"id\":\"1\"}]}");
        });
        var began = TimeProvider.System.GetTimestamp();
        (await system.Rest().ReadChanged("things", null, null, CancellationToken.None).CountAsync()).ShouldBe(1);
        TimeProvider.System.GetElapsedTime(began).ShouldBeGreaterThan(TimeSpan.FromMilliseconds(950));
    }

    [Fact]
    public void A_description_with_an_external_entity_or_that_is_none_is_refused()
    {
        Should.Throw<SystemFault>(() => OData.ODataDescription.Read("<!DOCTYPE x [<!ENTITY e SYSTEM \"file:///etc/passwd\">]><x>&e;</x>", new Uri("http://127.0.0.1/"), "Stand-in"))
            .Message.ShouldContain("DTD is prohibited").ShouldNotContain("root:");
        Should.Throw<SystemFault>(() => Rest.RestDescription.Read("a: [", new Uri("http://127.0.0.1/"), "Stand-in")).Message.ShouldContain("is not YAML that can be read: line 2");
        Should.Throw<SystemFault>(() => Rest.RestDescription.Read("{}", new Uri("http://127.0.0.1/"), "Stand-in")).Message.ShouldContain("Stand-in");
    }
}

internal static class Shoulds
{
    public static string ShouldContain(this string text, string part)
    {
        text.Contains(part, StringComparison.Ordinal).ShouldBeTrue($"\"{text}\" should contain \"{part}\"");
        return text;
    }
}
