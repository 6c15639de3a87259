using System.Text;
using UprightMirror.Connectors.Events;

namespace UprightMirror.Connectors.Tests;

/// <summary>What systems send to an inbox: every form that is taken, and what is refused in words that say where.</summary>
public class SentRecordsTests
{
    private static readonly DateTimeOffset Now = new(2026, 3, 2, 12, 0, 0, TimeSpan.Zero);

    private static Task<SentRecords> Read(string body, string? type = "application/json", InboxForm? form = null, params (string Name, string Value)[] headers) =>
        SentRecords.Read(Encoding.UTF8.GetBytes(body), type, name => headers.FirstOrDefault(h => h.Name == name).Value, form ?? new InboxForm(null, "email", null), Now);

    [Theory]
    [InlineData("""{"email":"ada@t.example","name":"Ada"}""", "application/json; charset=utf-8", "JSON")]
    [InlineData("""{"email":"ada@t.example","name":"Ada"}""", null, "JSON")]
    [InlineData("email=ada%40t.example&name=Ada", "application/x-www-form-urlencoded", "form")]
    [InlineData("<person><email>ada@t.example</email><name>Ada</name></person>", "text/xml", "XML")]
    [InlineData("""<person email="ada@t.example" name="Ada"/>""", "application/xml", "XML")]
    [InlineData("""{"specversion":"1.0","id":"7","source":"/site","type":"signed-up","time":"2026-03-02T11:00:00Z","data":{"email":"ada@t.example","name":"Ada"}}""", "application/cloudevents+json", "CloudEvent")]
    public async Task The_same_record_is_read_from_every_form(string body, string? type, string form)
    {
        var sent = await Read(body, type);
        (sent.Refused, sent.Form).ShouldBe((null, form));
        var record = sent.Records.ShouldHaveSingleItem();
        (record.Id, record.Record.GetProperty("name").GetString()).ShouldBe(("ada@t.example", "Ada"));
    }

    [Fact]
    public async Task A_cloud_event_in_headers_is_told_from_others_by_its_id_and_has_its_time()
    {
        var one = (await Read("""{"email":"a@t.example"}""", "application/json", null, ("ce-specversion", "1.0"), ("ce-id", "41"), ("ce-source", "/site"), ("ce-time", "2026-03-02T10:00:00Z"))).Records.Single();
        var two = (await Read("""{"email":"a@t.example"}""", "application/json", null, ("ce-specversion", "1.0"), ("ce-id", "42"), ("ce-source", "/site"), ("ce-time", "2026-03-02T10:00:00Z"))).Records.Single();
        one.SaidAt.ShouldBe(new DateTimeOffset(2026, 3, 2, 10, 0, 0, TimeSpan.Zero));
        one.Fingerprint.ShouldNotBe(two.Fingerprint);
    }

    [Fact]
    public async Task A_batch_is_as_many_records_and_each_has_a_fingerprint_of_its_own()
    {
        var sent = await Read("""[{"specversion":"1.0","id":"1","source":"s","data":{"email":"a@t.example"}},{"specversion":"1.0","id":"2","source":"s","data":{"email":"b@t.example"}}]""", "application/cloudevents-batch+json");
        sent.Records.Select(r => r.Id).ShouldBe(["a@t.example", "b@t.example"]);
        sent.Records.Select(r => r.Fingerprint).Distinct().Count().ShouldBe(2);
    }

    [Fact]
    public async Task The_record_and_its_time_are_found_where_the_inbox_says()
    {
        var sent = await Read("""{"meta":{"when":"2026-03-01T08:00:00Z"},"payload":{"person":{"email":"a@t.example"}}}""", form: new InboxForm("payload.person", "email", "meta.when"));
        var record = sent.Records.Single();
        (record.Id, record.SaidAt).ShouldBe(("a@t.example", new DateTimeOffset(2026, 3, 1, 8, 0, 0, TimeSpan.Zero)));
    }

    [Fact]
    public async Task What_has_no_name_and_no_time_of_its_own_may_say_the_same_again_and_mean_it() =>
        (await Read("""{"email":"a@t.example","town":"Kelburn"}""")).Records.Single().Fingerprint.ShouldBeNull();

    [Theory]
    [InlineData("", "application/json", "It is not JSON: line 1, character 1.")]
    [InlineData("", null, "It is empty.")]
    [InlineData("{\"email\":\n  oops}", "application/json", "It is not JSON: line 2, character 3.")]
    [InlineData("[]", "application/json", "It is a list of no records.")]
    [InlineData("[{\"email\":\"a\"},7]", "application/json", "Record 2 is no object.")]
    [InlineData("7", "application/json", "It is no object and no list of objects.")]
    [InlineData("""{"name":"Ada"}""", "application/json", "it has no email, by which the record could be told from others.")]
    [InlineData("""[{"email":"a"},{"name":"Ada"}]""", "application/json", "Record 2: it has no email, by which the record could be told from others.")]
    [InlineData("""{"email":"a","at":"2099-01-01T00:00:00Z"}""", "application/json", "it says that it happened on 1 January 2099, which is still to come. Set the clock right that it was told by.")]
    [InlineData("""{"email":"a\u0000b"}""", "application/json", "it has a NUL character, which no text has. Send it without.")]
    [InlineData("hello", "text/plain", "It is text/plain. Taken are JSON, XML and forms (application/x-www-form-urlencoded).")]
    [InlineData("GIF89a", "image/gif", "It is image/gif. Taken are JSON, XML and forms (application/x-www-form-urlencoded).")]
    [InlineData("&&", "application/x-www-form-urlencoded", "It is a form without a field.")]
    [InlineData("<a><b></a>", "application/xml", "It is not XML: line 1, column 9")]
    [InlineData("<!DOCTYPE a [<!ENTITY x SYSTEM 'file:///etc/hostname'>]><a><email>&x;</email></a>", "application/xml", "It brings a document type of its own (DTD)")]
    public async Task What_can_not_be_taken_is_refused_in_words(string body, string? type, string words)
    {
        var sent = await Read(body, type);
        sent.Refused.ShouldNotBeNull().ShouldStartWith(words);
        sent.Records.ShouldBeEmpty();
    }

    [Fact]
    public async Task A_time_that_is_none_is_refused_with_what_stands_there()
    {
        (await Read("""{"email":"a","when":"soon"}""", form: new InboxForm(null, "email", "when"))).Refused.ShouldBe("when is \"soon\", which is no time as ISO 8601 or seconds since 1970.");
        (await Read("""{"email":"a"}""", form: new InboxForm(null, "email", "when"))).Refused.ShouldBe("it has no when, by which it could be told when it happened.");
        (await Read("""{"email":"a"}""", form: new InboxForm("data", "email", null))).Refused.ShouldBe("there is no record at data.");
    }

    [Fact]
    public async Task More_than_a_thousand_in_one_call_and_what_nests_without_end_are_refused()
    {
        (await Read("[" + string.Join(",", Enumerable.Range(0, 1001).Select(n => $$"""{"email":"{{n}}"}""")) + "]")).Refused.ShouldBe("It has 1,001 records; at most 1,000 come in one call.");
        (await Read(string.Concat(Enumerable.Repeat("{\"a\":", 5000)) + "1" + new string('}', 5000))).Refused.ShouldNotBeNull().ShouldStartWith("It is not JSON");
        (await Read(string.Concat(Enumerable.Repeat("<a>", 5000)) + string.Concat(Enumerable.Repeat("</a>", 5000)), "text/xml")).Refused.ShouldNotBeNull().ShouldContain("nested deeper");
    }

    [Fact]
    public async Task Bytes_that_are_no_letters_are_refused() =>
        (await SentRecords.Read(new byte[] { (byte)'a', (byte)'=', 0xC3, 0x28 }, "application/x-www-form-urlencoded", _ => null, new InboxForm(null, "a", null), Now)).Refused.ShouldBe("Its letters are not written in UTF-8.");

    [Fact]
    public void A_signature_with_its_time_is_good_for_five_minutes_and_for_that_body_only()
    {
        var body = "{\"email\":\"a\"}"u8.ToArray();
        var signature = ReceivedEvent.SignatureWithTime(body, "msg_1", Now, "whsec_c2FsdG1hcnNoLXBhZGRsZQ==");
        bool IsGood(byte[] of, DateTimeOffset now, string id = "msg_1", string secret = "whsec_c2FsdG1hcnNoLXBhZGRsZQ==") => ReceivedEvent.IsSignedWithTime(of, name => name switch
        {
            "webhook-id" => id,
            "webhook-timestamp" => Now.ToUnixTimeSeconds().ToString(System.Globalization.CultureInfo.InvariantCulture),
            "webhook-signature" => $"v1,bm90IHRoaXMgb25l {signature}",
            _ => null,
        }, secret, now);
        IsGood(body, Now.AddMinutes(4)).ShouldBeTrue();
        IsGood(body, Now.AddDays(30)).ShouldBeFalse(); // A replay of last month's.
        IsGood("{\"email\":\"b\"}"u8.ToArray(), Now).ShouldBeFalse();
        IsGood(body, Now, id: "msg_2").ShouldBeFalse();
        IsGood(body, Now, secret: "whsec_b3RoZXI=").ShouldBeFalse();
    }
}
