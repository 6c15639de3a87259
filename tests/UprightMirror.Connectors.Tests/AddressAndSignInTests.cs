using System.Net;
using System.Text.Json;
using Microsoft.AspNetCore.Http;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Testing;

namespace UprightMirror.Connectors.Tests;

/// <summary>Where calls may go, how they are signed, and what the test of a connection says of each.</summary>
public class AddressAndSignInTests
{
    [Theory]
    [InlineData("169.254.169.254", true, true)]
    [InlineData("169.254.1.1", true, true)]
    [InlineData("fe80::1", true, true)]
    [InlineData("fd00:ec2::254", true, true)]
    [InlineData("0.0.0.0", true, true)]
    [InlineData("224.0.0.1", true, true)]
    [InlineData("::ffff:169.254.169.254", true, true)]
    [InlineData("127.0.0.1", true, false)]
    [InlineData("::1", true, false)]
    [InlineData("10.2.3.4", true, false)]
    [InlineData("172.16.0.1", true, false)]
    [InlineData("172.32.0.1", false, false)]
    [InlineData("192.168.1.1", true, false)]
    [InlineData("100.64.0.1", true, false)]
    [InlineData("fc00::1", true, false)]
    [InlineData("93.184.216.34", false, false)]
    public void Addresses_inside_are_refused_and_some_of_them_always(string address, bool refused, bool always)
    {
        (AddressRules.Refusal(IPAddress.Parse(address), allowPrivate: false) is not null).ShouldBe(refused);
        (AddressRules.Refusal(IPAddress.Parse(address), allowPrivate: true) is not null).ShouldBe(always);
    }

    private static ISystemConnector Connect(Uri address, ConnectionSettings settings, Dictionary<string, string>? secrets = null, string protocol = "rest") =>
        new SystemConnection("Stand-in", protocol, address, JsonSerializer.SerializeToElement(settings, JsonSerializerOptions.Web), secrets ?? [])
            .Connect(new Outside(TimeProvider.System, new LocalCallBudget(TimeProvider.System), IsPatient: false));

    private static async Task<TestStep> Failed(ISystemConnector connector)
    {
        var steps = await connector.Test(CancellationToken.None).ToListAsync();
        steps.SkipWhile(s => s.End != StepEnd.Failed).Skip(1).ShouldAllBe(s => s.End == StepEnd.NotTried);
        return steps.First(s => s.End == StepEnd.Failed);
    }

    [Fact]
    public async Task A_private_address_needs_an_explicit_yes()
    {
        await using var system = await StandInSystem.Start(context => StandInSystem.Json(context, """{"items":[{"id":"1"}]}"""));
        var step = await Failed(Connect(new Uri(system.Address, "/openapi.json"), new ConnectionSettings()));
        (step.Name, step.Words).ShouldBe(("Name resolved", "127.0.0.1 is in a private network or on this machine. If the system really is there, say so in its connection: \"may be in a private network\"."));
        await Should.ThrowAsync<SystemFault>(async () => await Connect(new Uri(system.Address, "/openapi.json"), new ConnectionSettings()).Describe("things", CancellationToken.None));
        system.Calls.ShouldBeEmpty();
    }

    [Fact]
    public async Task A_test_that_passes_tells_each_step_with_what_was_found()
    {
        await using var system = await StandInSystem.Start(context => StandInSystem.Json(context, """{"items":[{"id":"1","name":"a"}]}"""));
        var steps = await system.Rest().Test(CancellationToken.None).ToListAsync();
        steps.Select(s => s.Name).ShouldBe(["Name resolved", "Reached", "Signed in", "Description read", "One record read", "Clock compared", "Limits found"]);
        steps.ShouldAllBe(s => s.End == StepEnd.Passed && s.Words.Length > 0);
    }

    [Fact]
    public async Task A_name_that_is_not_found_is_said_so()
    {
        var step = await Failed(Connect(new Uri("http://no-such-machine.invalid/openapi.json"), new ConnectionSettings()));
        (step.Name, step.Words.StartsWith("No machine is called no-such-machine.invalid. Check the address", StringComparison.Ordinal)).ShouldBe(("Name resolved", true));
    }

    [Theory]
    [InlineData(401, "Signed in", "wants a sign-in (401), and the connection has none")]
    [InlineData(403, "One record read", "does not allow its things (403). Ask for this right")]
    [InlineData(500, "One record read", "answered with an error of its own (500)")]
    [InlineData(302, "One record read", "Redirects are not followed")]
    public async Task Each_answer_has_its_own_step_and_words(int status, string name, string words)
    {
        await using var system = await StandInSystem.Start(context =>
        {
            context.Response.Headers.Location = "http://elsewhere.example/";
            return StandInSystem.Json(context, "{}", status);
        });
        var step = await Failed(Connect(new Uri(system.Address, "/openapi.json"), new ConnectionSettings(AllowPrivate: true)));
        (step.Name, step.Words.Contains(words, StringComparison.Ordinal)).ShouldBe((name, true), step.Words);
    }

    [Fact]
    public async Task A_web_page_instead_of_an_API_is_said_to_be_one()
    {
        await using var system = await StandInSystem.Start(context =>
        {
            context.Response.ContentType = "text/html";
            return context.Response.WriteAsync("<!doctype html><h1>Back soon</h1>");
        });
        (await Failed(Connect(new Uri(system.Address, "/openapi.json"), new ConnectionSettings(AllowPrivate: true)))).Words.ShouldContain("answered with a web page instead of data");
    }

    [Fact]
    public async Task A_clock_more_than_a_minute_apart_is_told_and_the_test_goes_on()
    {
        await using var system = await StandInSystem.Start(context =>
        {
            context.Response.Headers.Date = DateTimeOffset.UtcNow.AddMinutes(9).ToString("r");
            return StandInSystem.Json(context, """{"items":[{"id":"1"}]}""");
        });
        var step = (await system.Rest().Test(CancellationToken.None).ToListAsync()).Single(s => s.Name == "Clock compared");
        (step.End, step.Words.StartsWith("Its clock is 9 minutes ahead of ours.", StringComparison.Ordinal)).ShouldBe((StepEnd.Warned, true), step.Words);
    }

    [Fact]
    public async Task A_body_that_never_ends_is_given_up()
    {
        await using var system = await StandInSystem.Start(async context =>
        {
            while (!context.RequestAborted.IsCancellationRequested)
            {
                await context.Response.WriteAsync(" ");
                await context.Response.Body.FlushAsync();
                await Task.Delay(20);
            }
        });
        (await Failed(Connect(new Uri(system.Address, "/openapi.json"), new ConnectionSettings(AllowPrivate: true, TimeoutSeconds: 1)))).Words.ShouldContain("did not answer within 1 s");
    }

    [Theory]
    [InlineData("key", "X-Thing-Key", false)]
    [InlineData("key", "token", true)]
    [InlineData("bearer", null, false)]
    [InlineData("basic", null, false)]
    public async Task Each_kind_of_sign_in_signs_its_own_way_and_shows_its_secret_nowhere(string kind, string? name, bool inQuery)
    {
        var seen = new List<string>();
        await using var system = await StandInSystem.Start(context =>
        {
            seen.Add($"{context.Request.QueryString}|{context.Request.Headers.Authorization}|{(name is null ? "" : context.Request.Headers[name].ToString())}");
            return StandInSystem.Json(context, """{"items":[{"id":"1","token":"sharp-teeth","note":"otter-secret-9"}]}""");
        });
        var secrets = new Dictionary<string, string> { ["key"] = "otter-secret-9", ["token"] = "otter-secret-9", ["user"] = "svc", ["password"] = "otter-secret-9" };
        var connector = system.Rest(new ConnectionSettings(new SignInSettings(kind, KeyName: name, KeyInQuery: inQuery)), secrets);

        await connector.ReadChanged("things", null, null, CancellationToken.None).CountAsync();

        var basic = Convert.ToBase64String("svc:otter-secret-9"u8);
        seen.Single().ShouldBe(kind switch
        {
            "key" when inQuery => "?token=otter-secret-9||",
            "key" => "||otter-secret-9",
            "bearer" => "|Bearer otter-secret-9|",
            _ => $"|Basic {basic}|",
        });
        var kept = JsonSerializer.Serialize(connector.TakeCalls());
        kept.ShouldNotContain("otter-secret-9");
        kept.ShouldNotContain("sharp-teeth");
        kept.ShouldNotContain(basic);
    }

    [Fact]
    public void Secrets_come_from_variables_and_files_of_their_own_only()
    {
        var folder = Directory.CreateTempSubdirectory("upright-secrets");
        File.WriteAllText(Path.Combine(folder.FullName, "erp"), "from a file\n");
        Environment.SetEnvironmentVariable("UPRIGHT_SECRET_TEST", "from a variable");
        IReadOnlyDictionary<string, string> All(SecretSource source) => SecretsTaken.All(new SignInSettings("bearer", From: new Dictionary<string, SecretSource> { ["token"] = source }), new Dictionary<string, string>(), folder);

        All(new SecretSource(Environment: "UPRIGHT_SECRET_TEST"))["token"].ShouldBe("from a variable");
        All(new SecretSource(File: "erp"))["token"].ShouldBe("from a file");
        Should.Throw<ArgumentException>(() => All(new SecretSource(Environment: "PATH"))).Message.ShouldContain("only those that begin with UPRIGHT_SECRET_");
        Should.Throw<ArgumentException>(() => All(new SecretSource(File: "../../etc/passwd"))).Message.ShouldContain("not in the folder for secrets");
        Should.Throw<ArgumentException>(() => All(new SecretSource(Environment: "UPRIGHT_SECRET_NONE"))).Message.ShouldContain("is not set");
    }

    [Fact]
    public void What_is_personal_is_masked_and_the_rest_is_left_readable()
    {
        var masked = Masking.Personal("""{"name":"Aoife Brannock","email":"a.b@club.example","note":"call +44 131 496 0210","segment":"Club","amount":12}""");
        masked.ShouldBe("""{"name":"A•••","email":"a•••","note":"call •••","segment":"Club","amount":12}""");
    }

    [Fact]
    public async Task Two_workers_together_stay_within_the_limit_and_learn_from_being_turned_away()
    {
        var clock = TimeProvider.System;
        var budget = new LocalCallBudget(clock);
        var gates = new[] { new CallGate("s", budget, clock, 4, 20), new CallGate("s", budget, clock, 4, 20) };
        var times = new List<DateTimeOffset>();
        await Task.WhenAll(gates.Select(async gate =>
        {
            for (var i = 0; i < 20; i++)
            {
                await using var place = await gate.Enter(CancellationToken.None);
                lock (times)
                {
                    times.Add(clock.GetUtcNow());
                }
            }
        }));
        times.Sort();
        times.Max(t => times.Count(o => o >= t && o - t < TimeSpan.FromSeconds(1))).ShouldBeLessThanOrEqualTo(21);
        (times[^1] - times[0]).TotalSeconds.ShouldBeGreaterThan(1.9);

        await gates[0].TurnedAway(TimeSpan.FromMilliseconds(300), CancellationToken.None);
        gates[0].Pace!.Value.ShouldBeLessThan(17);
        var before = clock.GetTimestamp();
        await using (await gates[1].Enter(CancellationToken.None))
        {
            clock.GetElapsedTime(before).TotalMilliseconds.ShouldBeGreaterThan(150);
        }
    }
}
