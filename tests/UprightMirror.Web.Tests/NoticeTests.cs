using System.Text;
using System.Text.Json;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.Extensions.Time.Testing;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Events;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Notices;
using UprightMirror.Core.Timing;
using UprightMirror.Core.Values;
using UprightMirror.Engine.Notices;
using UprightMirror.Storage;
using UprightMirror.Storage.Tests;

namespace UprightMirror.Web.Tests;

/// <summary>What happened is told once, by real mail and real calls; what can't be sent is kept and tried again.</summary>
public sealed class NoticeTests(TestDatabase database) : IClassFixture<TestDatabase>, IAsyncLifetime
{
    private static readonly DateTimeOffset Start = new(2026, 3, 2, 12, 0, 0, TimeSpan.Zero);
    private readonly FakeTimeProvider clock = new(Start);
    private readonly IDataProtectionProvider protection = new EphemeralDataProtectionProvider();
    private KeptNotices notices = null!;
    private Noticing noticing = null!;
    private KeptMirror mirror = null!;

    public async ValueTask InitializeAsync()
    {
        await this.Do("truncate mirror, notice_rule, system_health cascade");
        this.notices = new KeptNotices(database.Source, this.protection, this.clock);
        this.noticing = new Noticing(this.notices, new Outside(this.clock, new LocalCallBudget(this.clock)));
        var mirrors = new Mirrors(database.Source);
        await mirrors.Save(
            new MirrorDefinition("orders", "Orders", "order", [new SideDefinition("a", "as"), new SideDefinition("b", "bs")], [new AgreedFieldDefinition("Number", FieldType.Text, [new SideField("no", true, true, new AsItStands()), new SideField("no", true, true, new AsItStands())])], [new RecognisingRule("Number")], "Number"),
            "a test", CancellationToken.None);
        this.mirror = (await mirrors.Find("orders", CancellationToken.None))!;
    }

    public ValueTask DisposeAsync() => ValueTask.CompletedTask;

    private async Task Do(string sql)
    {
        await using var command = database.Source.CreateCommand(sql);
        await command.ExecuteNonQueryAsync();
    }

    private async Task Fail(string why) =>
        await this.Do($"insert into run (mirror_id, rehearsal, state, started_by, started_at, ended_at, reason) values ({this.mirror.Id}, false, 'failed', 'x', '{this.clock.GetUtcNow():O}', '{this.clock.GetUtcNow():O}', '{why}')");

    private static NoticeRule Failing(params string[] to) =>
        new("Runs", NoticeKind.RunFailed, NoticeChannel.Mail, new NoticeTiming(), "{mirror}: run failed", "{reason}\n{link}", To: [.. to]);

    private Task Mail(int port) => this.notices.SaveSite("https://mirror.example/", new MailSettings("127.0.0.1", port, "none", null, "mirror@saltmarsh.example"), null, CancellationToken.None);

    private async Task LookAndSend()
    {
        await this.noticing.Look(CancellationToken.None);
        await this.noticing.Send(CancellationToken.None);
    }

    private async Task<IReadOnlyList<string>> States() => [.. (await this.notices.Last(1000, CancellationToken.None)).Select(n => n.State).Order()];

    [Fact]
    public async Task While_the_mail_server_is_down_notices_are_kept_and_each_goes_out_once_it_is_back()
    {
        var port = CatchingMailServer.FreePort();
        await this.Mail(port);
        await this.Fail("too early: before anybody asked to be told");
        this.clock.Advance(TimeSpan.FromSeconds(1));
        await this.notices.Add(Failing("maren@saltmarsh.example"), null, "a test", CancellationToken.None);
        await this.Fail("Ballast ERP said no.");
        await this.LookAndSend();
        await this.LookAndSend();
        var waiting = (await this.notices.Last(10, CancellationToken.None)).ShouldHaveSingleItem();
        (waiting.State, waiting.Tries, waiting.DueAt).ShouldBe(("waiting", 1, this.clock.GetUtcNow() + TimeSpan.FromMinutes(1)));
        waiting.Fault!.ShouldStartWith($"The mail server 127.0.0.1, port {port}, can't be reached");

        await using var server = new CatchingMailServer(port);
        await this.LookAndSend();
        server.Caught.ShouldBeEmpty("it is not due yet");
        this.clock.Advance(TimeSpan.FromMinutes(1));
        await this.LookAndSend();
        await this.LookAndSend();
        var mail = server.Caught.ShouldHaveSingleItem();
        (mail.Subject, mail.TextBody!.Trim().ReplaceLineEndings("\n")).ShouldBe(("Orders: run failed", $"Ballast ERP said no.\nhttps://mirror.example/runs/{await database.Ask<long>("select max(id) from run")}"));
        mail.To.ToString().ShouldContain("maren@saltmarsh.example");
        (await this.States()).ShouldBe(["sent"]);
    }

    [Fact]
    public async Task What_is_refused_for_three_days_is_given_up_and_told_and_can_be_sent_again_by_hand()
    {
        var port = CatchingMailServer.FreePort();
        await using var server = new CatchingMailServer(port, refuses: "nobody");
        await this.Mail(port);
        await this.notices.Add(Failing("nobody@saltmarsh.example"), null, "a test", CancellationToken.None);
        await this.Fail("x");
        for (var hour = 0; hour < 75; hour++)
        {
            await this.LookAndSend();
            this.clock.Advance(TimeSpan.FromHours(1));
        }

        var given = (await this.notices.Last(10, CancellationToken.None)).ShouldHaveSingleItem();
        given.State.ShouldBe("givenUp");
        given.Fault!.ShouldContain("refused the address nobody@saltmarsh.example");
        (await this.notices.TryAgain(null, CancellationToken.None)).ShouldBe(1);
        (await this.States()).ShouldBe(["waiting"]);
    }

    [Fact]
    public async Task Many_at_once_go_out_as_one_and_what_is_told_together_comes_at_its_time()
    {
        var port = CatchingMailServer.FreePort();
        await using var server = new CatchingMailServer(port);
        await this.Mail(port);
        await this.notices.Add(Failing("a@saltmarsh.example") with { Timing = new NoticeTiming(NoticePace.Hourly) }, null, "a test", CancellationToken.None);
        for (var i = 0; i < 120; i++)
        {
            await this.Fail($"reason {i}");
        }

        await this.LookAndSend();
        server.Caught.ShouldBeEmpty();
        this.clock.Advance(TimeSpan.FromHours(1));
        await this.LookAndSend();
        var mail = server.Caught.ShouldHaveSingleItem();
        mail.Subject.ShouldBe("Runs: 120 notices");
        mail.TextBody!.ShouldContain("And 70 more.");
        (await this.States()).Count(s => s == "sent").ShouldBe(120);
    }

    [Fact]
    public async Task Two_workers_that_look_and_send_at_once_tell_nothing_twice()
    {
        var port = CatchingMailServer.FreePort();
        await using var server = new CatchingMailServer(port);
        await this.Mail(port);
        foreach (var n in Enumerable.Range(0, 8))
        {
            await this.notices.Add(Failing($"p{n}@saltmarsh.example"), null, "a test", CancellationToken.None);
        }

        await this.Fail("x");
        await Task.WhenAll(Enumerable.Range(0, 4).Select(_ => Task.Run(this.LookAndSend)));
        await this.LookAndSend();
        server.Caught.Select(m => m.To.ToString()).Order().ShouldBe(Enumerable.Range(0, 8).Select(n => $"p{n}@saltmarsh.example"));
    }

    [Fact]
    public async Task A_call_carries_a_CloudEvent_that_is_signed_and_a_room_gets_a_text()
    {
        await using var address = await CatchingAddress.Start();
        await this.Mail(1);
        var event_ = Failing() with { Channel = NoticeChannel.Event, Address = address.Address, AllowPrivate = true };
        await this.notices.Add(event_, "a secret of a webhook", "a test", CancellationToken.None);
        await this.notices.Add(event_ with { Channel = NoticeChannel.Message }, null, "a test", CancellationToken.None);
        await this.Fail("Ballast ERP said \"no\".");
        address.Status = 500;
        await this.LookAndSend();
        (await this.notices.Last(10, CancellationToken.None)).Select(n => n.Fault).ShouldAllBe(f => f == "127.0.0.1 answered 500.");
        address.Status = 204;
        this.clock.Advance(TimeSpan.FromMinutes(1));
        await this.LookAndSend();
        var calls = address.Caught.Skip(2).ToList();
        var (type, body, headers) = calls.Single(c => c.Type == "application/cloudevents+json");
        using var said = JsonDocument.Parse(body);
        (said.RootElement.GetProperty("specversion").GetString(), said.RootElement.GetProperty("type").GetString(), said.RootElement.GetProperty("subject").GetString()).ShouldBe(("1.0", "upright-mirror.run-failed", "Orders: run failed"));
        said.RootElement.GetProperty("data").GetProperty("reason").GetString().ShouldBe("Ballast ERP said \"no\".");
        ReceivedEvent.IsSignedWithTime(Encoding.UTF8.GetBytes(body), headers.GetValueOrDefault, "a secret of a webhook", this.clock.GetUtcNow()).ShouldBeTrue();
        address.Caught.Select(c => c.Headers["webhook-id"]).Distinct().Count().ShouldBe(2, "what is tried again has the same id");
        JsonDocument.Parse(calls.Single(c => c.Type == "application/json").Body).RootElement.GetProperty("text").GetString()!.ShouldStartWith("Orders: run failed\n");
    }

    [Fact]
    public async Task A_call_does_not_go_into_a_private_network_without_a_yes()
    {
        await using var address = await CatchingAddress.Start();
        (await this.noticing.Try(Failing() with { Channel = NoticeChannel.Event, Address = address.Address }, null, null, CancellationToken.None))!.ShouldContain("private network");
        address.Caught.ShouldBeEmpty();
    }

    [Fact]
    public async Task Mail_is_handed_to_no_address_that_is_never_called()
    {
        await this.notices.SaveSite(null, new MailSettings("169.254.169.254", 25, "none", null, "mirror@saltmarsh.example"), null, CancellationToken.None);
        (await this.noticing.Try(Failing("maren@saltmarsh.example"), null, null, CancellationToken.None))!.ShouldStartWith("169.254.169.254 is an address of the network itself");
    }

    [Fact]
    public async Task A_system_that_goes_down_and_comes_back_is_told_each_time()
    {
        await this.Do("insert into connection (system, name, monogram, colour, protocol, address, secrets) values ('erp', 'Ballast ERP', 'Ba', '#123456', 'odata', 'http://erp.example', '') on conflict do nothing");
        var connections = new KeptConnections(database.Source, this.protection);
        Task Seen(string state, string? fault = null) => connections.AddHealth(new SystemHealth("erp", state, 5, 1, 0, fault, null, this.clock.GetUtcNow()), CancellationToken.None);
        await Seen("answering");
        await this.notices.Add(Failing("a@b.example") with { Kind = NoticeKind.SystemDown, Subject = "{system} {state}", Text = "{reason}" }, null, "a test", CancellationToken.None);
        foreach (var state in new[] { "down", "down", "answering", "slow", "down", "answering" })
        {
            this.clock.Advance(TimeSpan.FromMinutes(1));
            await Seen(state, "no route");
            await this.noticing.Look(CancellationToken.None);
        }

        var rule = (await this.notices.Rules(CancellationToken.None)).Single().Rule;
        (await this.notices.Last(10, CancellationToken.None)).Reverse().Select(n => Noticing.Word(rule, n, null).Subject).ShouldBe(
            ["Ballast ERP does not answer", "Ballast ERP answers again", "Ballast ERP does not answer", "Ballast ERP answers again"]);
    }

    [Fact]
    public async Task A_chosen_event_of_a_record_is_told_with_its_values()
    {
        await this.Do("insert into connection (system, name, monogram, colour, protocol, address, secrets) values ('b', 'B', 'B', '#123456', 'odata', 'http://b.example', '') on conflict do nothing");
        var link = Guid.CreateVersion7();
        await this.Do($"insert into link (mirror_id, id, title, agreed) values ({this.mirror.Id}, '{link}', 'INV-7', jsonb_build_object('Number', jsonb_build_object('value', 'INV-7', 'shown', 'INV-7')))");
        await this.Do($"insert into system_record (mirror_id, side, id, link_id, seen_at) values ({this.mirror.Id}, 1, '4711', '{link}', now())");
        await this.notices.Add(Failing("a@b.example") with { Kind = NoticeKind.RecordEvent, Mirror = "orders", Happening = RecordHappening.Created, Side = 1, Subject = "{Number} {what}", Text = "{system} {id} {link}" }, null, "a test", CancellationToken.None);
        foreach (var (kind, side) in new[] { ("Created", 1), ("Created", 0), ("Agreed", 1) })
        {
            await this.Do($"insert into journal (mirror_id, link_id, at, kind, side, why) values ({this.mirror.Id}, '{link}', '{this.clock.GetUtcNow():O}', '{kind}', {side}, 'x')");
        }

        await this.noticing.Look(CancellationToken.None);
        await this.noticing.Look(CancellationToken.None);

        // What is written a little after it happened is told, too; what happened long before anybody looked last is not looked for again.
        this.clock.Advance(TimeSpan.FromMinutes(30));
        await this.noticing.Look(CancellationToken.None);
        foreach (var (minutes, why) in new[] { (5, "late"), (20, "forgotten") })
        {
            await this.Do($"insert into journal (mirror_id, link_id, at, kind, side, why) values ({this.mirror.Id}, '{link}', '{this.clock.GetUtcNow().AddMinutes(-minutes):O}', 'Created', 1, '{why}')");
        }

        await this.noticing.Look(CancellationToken.None);
        (await this.notices.Last(10, CancellationToken.None)).Select(n => n.Told.Said["reason"]).ShouldBe(["late", "x"]);
        await this.Do("delete from notice where said->>'reason' = 'late'");
        var rule = (await this.notices.Rules(CancellationToken.None)).Single().Rule;
        var worded = (await this.notices.Last(10, CancellationToken.None)).Select(n => Noticing.Word(rule, n, "https://m.example")).ShouldHaveSingleItem();
        worded.ShouldBe(new Worded("INV-7 created in B", $"B 4711 https://m.example/records/{link}"));
    }

    [Fact]
    public async Task A_record_that_a_check_flags_is_told_with_the_name_of_the_check()
    {
        var link = Guid.CreateVersion7();
        await this.Do($"insert into link (mirror_id, id, title) values ({this.mirror.Id}, '{link}', 'INV-8')");
        await this.notices.Add(Failing("a@b.example") with { Kind = NoticeKind.RecordEvent, Mirror = "orders", Happening = RecordHappening.Flagged, Subject = "{record}: {what}", Text = "{link}" }, null, "a test", CancellationToken.None);
        foreach (var kind in new[] { "Flagged", "Unflagged" })
        {
            await this.Do($"insert into journal (mirror_id, link_id, at, kind, why) values ({this.mirror.Id}, '{link}', '{this.clock.GetUtcNow():O}', '{kind}', 'Another company')");
        }

        await this.noticing.Look(CancellationToken.None);
        var rule = (await this.notices.Rules(CancellationToken.None)).Single().Rule;
        Noticing.Word(rule, (await this.notices.Last(10, CancellationToken.None)).ShouldHaveSingleItem(), null).Subject.ShouldBe("INV-8: flagged: Another company");
    }

    [Fact]
    public async Task What_waits_too_long_is_told_once_a_day()
    {
        await this.notices.Add(Failing("a@b.example") with { Kind = NoticeKind.WaitsLong, Hours = 24, Subject = "{count} {queue}", Text = "{oldest}" }, null, "a test", CancellationToken.None);
        await this.Do($"insert into hold (mirror_id, side, record_id, title, reason, since) values ({this.mirror.Id}, 0, '1', 'x', 'why', '{Start:O}')");
        for (var hour = 0; hour < 60; hour++)
        {
            await this.noticing.Look(CancellationToken.None);
            this.clock.Advance(TimeSpan.FromHours(1));
        }

        var rule = (await this.notices.Rules(CancellationToken.None)).Single().Rule;
        (await this.notices.Last(10, CancellationToken.None)).Select(n => Noticing.Word(rule, n, null).Subject).ShouldBe(["1 held record", "1 held record"]);
    }
}
