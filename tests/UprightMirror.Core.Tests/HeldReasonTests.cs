using UprightMirror.Core.Remembered;

namespace UprightMirror.Core.Tests;

/// <summary>Records that are held for the same come together, whatever their ids, names and values are.</summary>
public class HeldReasonTests
{
    [Theory]
    [InlineData("Slipway CRM, organisation o17: country is \"AUS\", which is not in the code list.", "o17", "Raven Rock", "country is …, which is not in the code list.", "AUS")]
    [InlineData("Slipway CRM, order d1: customer: it waits for \"Quarry Lake\" of the mirror customers, which this side does not have yet.", "d1", "SO-1", "customer: it waits for … of the mirror customers, which this side does not have yet.", "Quarry Lake")]
    [InlineData("Ballast ERP refused the new customer Barr End (Name).", "", "Barr End", "Ballast ERP refused the new customer … (Name).", null)]
    [InlineData("It was taken back: wait.", "", "x17", "It was taken back: wait.", null)]
    public void What_is_only_one_records_is_left_out(string reason, string id, string title, string pattern, string? value) =>
        HeldReason.Of(reason, id, title, null).ShouldBe(new HeldReason(pattern, value));

    [Fact]
    public void Refusals_come_together_by_what_the_system_said_but_for_numbers_and_values()
    {
        var one = HeldReason.Of("Ballast ERP refused customer C-17 (Name).", "C-17", "Raven Rock", "Row 12: \"Raven Rock\" has 61 characters, 50 are allowed.");
        one.Pattern.ShouldBe("Ballast ERP refused customer … (Name). It said: Row …: … has … characters, … are allowed.");
        HeldReason.Of("Ballast ERP refused customer C-4 (Name).", "C-4", "Quarry", "Row 3: \"Quarry Lake and the Valleys\" has 73 characters, 50 are allowed.").Pattern.ShouldBe(one.Pattern);
        HeldReason.Of("Ballast ERP refused customer C-4 (Name).", "C-4", "Quarry", "The customer is blocked.").Pattern.ShouldNotBe(one.Pattern);
    }
}
