using System.Security.Cryptography;
using System.Text;
using UprightMirror.Connectors.Events;

namespace UprightMirror.Connectors.Tests;

/// <summary>What is told from events, whatever form they have; nothing in one can break who takes it.</summary>
public class EventTests
{
    private static ReceivedEvent Read(string body, params (string Name, string Value)[] headers) =>
        ReceivedEvent.Read(Encoding.UTF8.GetBytes(body), name => headers.FirstOrDefault(h => h.Name == name).Value);

    [Theory]
    [InlineData("""{"eventId":"a1","at":"2026-03-02T10:00:00Z"}""", """{"eventId":"a1","at":"2026-03-02T10:00:00Z","attempt":2}""", true)]
    [InlineData("""{"eventId":"a1"}""", """{"eventId":"a2"}""", false)]
    [InlineData("""{"specversion":"1.0","id":"7","source":"/crm"}""", """{"specversion":"1.0","id":"7","source":"/crm","data":{}}""", true)]
    [InlineData("""{"specversion":"1.0","id":"7","source":"/crm"}""", """{"specversion":"1.0","id":"7","source":"/shop"}""", false)]
    [InlineData("""{"id":7,"event":"changed"}""", """{"id":7,"event":"removed"}""", false)] // The record's id, not the event's.
    [InlineData("record=7", "record=7", true)]
    public void Copies_of_one_event_are_known_for_one(string a, string b, bool same) => (Read(a).Fingerprint == Read(b).Fingerprint).ShouldBe(same);

    [Theory]
    [InlineData("""{"type":"organisations.changed","recordId":"004007"}""", "organisations")]
    [InlineData("""{"event":"changed","list":"people","id":7}""", "people")]
    [InlineData("""{"type":"stock.changed"}""", "organisations people")]
    [InlineData("""{"type":"peoples-choice"}""", "organisations people")]
    [InlineData("not even JSON about People", "people")]
    public void An_event_concerns_the_collections_that_it_names_and_otherwise_all(string body, string concerned) =>
        string.Join(' ', ReceivedEvent.Concerns(body, ["organisations", "people"])).ShouldBe(concerned);

    [Fact]
    public void An_id_in_a_header_tells_copies_apart_from_others() =>
        Read("{}", ("webhook-id", "m1")).Fingerprint.ShouldNotBe(Read("{}", ("webhook-id", "m2")).Fingerprint);

    [Theory]
    [InlineData("""{"at":"2026-03-02T10:00:00Z"}""", "2026-03-02T10:00:00Z")]
    [InlineData("""{"time":"2026-03-02T11:00:00+01:00"}""", "2026-03-02T10:00:00Z")]
    [InlineData("""{"occurred_at":1772445600000}""", "2026-03-02T10:00:00Z")]
    [InlineData("""{"timestamp":1772445600}""", "2026-03-02T10:00:00Z")]
    [InlineData("""{"at":"soon"}""", null)]
    [InlineData("""{"at":-5}""", null)]
    [InlineData("""{"at":"9999999-99-99"}""", null)]
    [InlineData("""[1,2]""", null)]
    [InlineData("""{"at":""", null)]
    [InlineData("", null)]
    public void When_it_happened_is_taken_from_the_usual_places(string body, string? at) =>
        Read(body).HappenedAt?.UtcDateTime.ToString("yyyy-MM-ddTHH:mm:ssZ").ShouldBe(at);

    [Fact]
    public void Deep_brackets_and_bytes_that_are_not_text_are_taken_as_they_are()
    {
        Read(new string('[', 100_000)).HappenedAt.ShouldBeNull();
        ReceivedEvent.Read([0xff, 0xfe, 0x00, 0x7b], _ => null).Fingerprint.Length.ShouldBe(64);
    }

    [Fact]
    public void A_signature_fits_its_body_and_secret_only()
    {
        var body = Encoding.UTF8.GetBytes("""{"eventId":"a1"}""");
        var hmac = HMACSHA256.HashData(Encoding.UTF8.GetBytes("shared"), body);
        foreach (var right in new[] { Convert.ToHexStringLower(hmac), "sha256=" + Convert.ToHexString(hmac), Convert.ToBase64String(hmac), $" sha256={Convert.ToHexStringLower(hmac)} " })
        {
            ReceivedEvent.IsSigned(body, right, "shared").ShouldBeTrue(right);
            ReceivedEvent.IsSigned(body, right, "other").ShouldBeFalse();
            ReceivedEvent.IsSigned([.. body, 32], right, "shared").ShouldBeFalse();
        }

        foreach (var wrong in new[] { null, "", "sha256=", "00", new string('a', 5000) })
        {
            ReceivedEvent.IsSigned(body, wrong, "shared").ShouldBeFalse();
        }
    }

    /// <summary>RFC 4231, test case 2.</summary>
    [Fact]
    public void The_signature_is_the_published_one() =>
        ReceivedEvent.IsSigned(Encoding.ASCII.GetBytes("what do ya want for nothing?"), "5bdcc146bf60754e6a042426089575c75a003f089d2739839dec58b964ec3843", "Jefe").ShouldBeTrue();
}
