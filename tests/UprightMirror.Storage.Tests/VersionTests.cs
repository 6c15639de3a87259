using System.Collections.Immutable;
using System.Text.Json;
using System.Text.Json.Nodes;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Timing;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage.Tests;

/// <summary>Versions are kept as they were published, and nothing can be otherwise in one than in another without being told.</summary>
public sealed class VersionTests(TestDatabase database) : IClassFixture<TestDatabase>
{
    private static int counter;
    private readonly Drafts drafts = new(database.Source, TimeProvider.System);
    private readonly Mirrors mirrors = new(database.Source);

    /// <summary>A mirror in which everything is said that can be said.</summary>
    private static readonly MirrorDefinition Full = new(
        "orders", "Orders", "order",
        [
            new SideDefinition("crm", "deals", true, true, Removal.ForgetLink, [new SideConstant("kind", "order")], new SideConstant("note", "double of {id}"), "stage = \"won\"", Leaving.RemoveFollowers, 12),
            new SideDefinition("erp", "SalesOrders"),
        ],
        [
            new AgreedFieldDefinition("Number", FieldType.Text, [new SideField("number", true, false, new AsItStands(), Drift.Hold, "none", true), new SideField("No", true, true, new PhoneConversion(PhoneForm.International))], "rank", ["erp", "crm"], [], "latest", "numbers", false),
            new AgreedFieldDefinition("Stage", FieldType.Text, [new SideField("stage", true, true, new CodeList(new CodeTable([("W", "won")], UnknownCode.Hold, new UnknownCode(UnknownCodes.Value, "?")))), new SideField("Stage", true, true, new CodeList(new CodeTable([]), "stages"))], "furthest", [], ["open", "won"]),
            new AgreedFieldDefinition("Customer", FieldType.Reference, [new SideField("organisation", true, true, new ReferenceTo("customers")), new SideField("Customer", true, true, new FormulaConversion("UPPER(value)", "LOWER(value)"))], "formula", RuleFormula: "before"),
            new AgreedFieldDefinition("Total", FieldType.Number, [null, new SideField("Total", false, true, new AsItStands())], WorkedOut: "1 + 1"),
            new AgreedFieldDefinition("Lines", FieldType.Lines, [new SideField("lines", true, true, new AsItStands()), new SideField("Lines", true, true, new AsItStands())], Lines: new LinesDefinition(
                "Line", [new AgreedFieldDefinition("Line", FieldType.Number, [new SideField("no", true, true, new AsItStands()), new SideField("LineNo", true, true, new AsItStands())])], new TotalCheck("Total", "Line", 0.05m))),
        ],
        [new RecognisingRule("Number")], "Number", "Stage", ["It is as it should be."], new LikenessDefinition([new EvidenceOf("Number", "text")], 0.95, 0.6, true), true)
    {
        Timing = new MirrorTiming(TimingKind.Weekly, At: new TimeOnly(6, 30), Days: [DayOfWeek.Monday], TimeZone: "Europe/Amsterdam", Quiet: new QuietHours(new TimeOnly(22, 0), new TimeOnly(5, 0), [DayOfWeek.Sunday])),
    };

    private static IEnumerable<JsonNode> Leaves(JsonNode node) => node switch
    {
        JsonObject o => o.Select(p => p.Value).OfType<JsonNode>().SelectMany(Leaves),
        JsonArray a => a.OfType<JsonNode>().SelectMany(Leaves),
        _ => [node],
    };

    private static JsonNode Other(JsonValue leaf) => leaf.GetValueKind() switch
    {
        JsonValueKind.True => JsonValue.Create(false),
        JsonValueKind.False => JsonValue.Create(true),
        JsonValueKind.Number => JsonValue.Create(leaf.GetValue<decimal>() switch { 0.95m => 0.9m, var number when number != decimal.Truncate(number) => number + 0.01m, var whole => whole + 1 }),
        _ => leaf.GetValue<string>() switch
        {
            "forgetLink" => "ask",
            "ask" when leaf.GetPropertyName() == "removal" => "forgetLink",
            "removeFollowers" => "stopFollowing",
            "stopFollowing" => "removeFollowers",
            "hold" or "putBack" => "leave",
            "weekly" => "daily",
            "monday" or "sunday" => "tuesday",
            "International" => "NationalDigits",
            "Europe/Amsterdam" => "Europe/Oslo",
            "text" or "number" or "reference" or "lines" when leaf.GetPropertyName() == "type" => "date",
            "asItStands" or "phone" or "reference" or "formula" or "codeList" when leaf.GetPropertyName() == "kind" => null!,
            var time when TimeOnly.TryParse(time, System.Globalization.CultureInfo.InvariantCulture, out var at) && time.Contains(':', StringComparison.Ordinal) => at.AddMinutes(1).ToString("HH:mm:ss", System.Globalization.CultureInfo.InvariantCulture),
            "value" => "pass",
            var said => $"{said}x",
        },
    };

    [Fact]
    public void Nothing_that_a_mirror_says_can_be_otherwise_without_being_told()
    {
        MirrorChanges.Of(Full, Full).ShouldBeEmpty();
        var count = Leaves(JsonSerializer.SerializeToNode(Full, Mirrors.Json)!).Count();
        count.ShouldBeGreaterThan(100);
        var tried = 0;
        for (var n = 0; n < count; n++)
        {
            var json = JsonSerializer.SerializeToNode(Full, Mirrors.Json)!;
            var leaf = Leaves(json).ElementAt(n).AsValue();
            var path = leaf.GetPath();
            if (Other(leaf) is not { } other || path.EndsWith(".minutes", StringComparison.Ordinal))
            {
                continue; // The kind of a conversion: another one has other parts.
            }

            leaf.ReplaceWith(other);
            var changed = json.Deserialize<MirrorDefinition>(Mirrors.Json)!;
            MirrorChanges.Of(Full, changed).ShouldNotBeEmpty($"{path}: {leaf} → {other}");
            tried++;
        }

        tried.ShouldBeGreaterThan(count * 9 / 10);
    }

    [Fact]
    public void A_field_that_was_only_renamed_is_told_as_that_and_one_that_came_with_where_it_stands()
    {
        var renamed = Full with { Fields = [Full.Fields[0] with { Name = "Order number" }, .. Full.Fields.Skip(1)] };
        MirrorChanges.Of(Full, renamed).Where(c => c.Field is not null).ShouldBe([new MirrorChange("Order number", null, "name", "Number", "Order number")]);

        var added = Full with { Fields = [.. Full.Fields, new AgreedFieldDefinition("Note", FieldType.Text, [new SideField("note", true, false, new AsItStands()), null])] };
        MirrorChanges.Of(Full, added).ShouldContain(new MirrorChange("Note", null, "field", null, "text, settled by ask"));
        MirrorChanges.Of(Full, added).ShouldContain(new MirrorChange("Note", 0, "its field", null, "note"));
        MirrorChanges.Of(added, Full).ShouldContain(new MirrorChange("Note", null, "field", "text, settled by ask", null));

        var scoped = Full with { Sides = [Full.Sides[0] with { Scope = null }, Full.Sides[1]] };
        MirrorChanges.Of(Full, scoped).ShouldBe([new MirrorChange(null, 0, "scope", "stage = \"won\"", "all")]);
    }

    [Fact]
    public async Task Versions_are_kept_with_who_and_why_and_one_can_be_gone_back_to()
    {
        var key = $"versioned-{Interlocked.Increment(ref counter)}";
        await this.mirrors.Save(Full with { Key = key, Name = key }, "a test", CancellationToken.None);
        var first = (await this.mirrors.Find(key, CancellationToken.None))!;
        var changed = first.Definition with { LeavesOut = false, Timing = first.Definition.Timing with { Kind = TimingKind.Daily } };
        (await this.drafts.Save(first, 0, changed, "Create everywhere", "Maren Voll", CancellationToken.None)).ShouldBeTrue();
        (await this.drafts.Publish(first, await this.drafts.Of(first, CancellationToken.None), "Sales asked for it", "Maren Voll", CancellationToken.None)).ShouldBeTrue();

        var second = (await this.mirrors.Find(key, CancellationToken.None))!;
        second.Version.ShouldBe(2);
        (await this.drafts.Versions(second.Id, CancellationToken.None)).Select(v => (v.Version, v.Comment, v.Who)).ShouldBe([(2, "Sales asked for it", "Maren Voll"), (1, "", "a test")]);
        var one = (await this.drafts.Version(second, 1, CancellationToken.None))!;
        MirrorChanges.Of(one, first.Definition).ShouldBeEmpty();
        (await this.drafts.Version(second, 3, CancellationToken.None)).ShouldBeNull();

        // Going back is an edit of the draft, which is published like any other.
        (await this.drafts.Save(second, 0, one, "Go back to version 1", "Maren Voll", CancellationToken.None)).ShouldBeTrue();
        (await this.drafts.Publish(second, await this.drafts.Of(second, CancellationToken.None), "", "Maren Voll", CancellationToken.None)).ShouldBeTrue();
        var third = (await this.mirrors.Find(key, CancellationToken.None))!;
        third.Version.ShouldBe(3);
        MirrorChanges.Of(one, third.Definition).ShouldBeEmpty();
    }

    [Fact]
    public async Task Publishing_another_time_to_run_leaves_every_record_as_it_is()
    {
        var key = $"timed-{Interlocked.Increment(ref counter)}";
        await this.mirrors.Save(Full with { Key = key, Name = key }, "a test", CancellationToken.None);
        var mirror = (await this.mirrors.Find(key, CancellationToken.None))!;
        await using (var mark = database.Source.CreateCommand("insert into watermark (mirror_id, side, at, read_at) values (@mirror, 0, now(), now())"))
        {
            mark.Parameters.AddWithValue("mirror", mirror.Id);
            await mark.ExecuteNonQueryAsync();
        }

        async Task<long> Marks()
        {
            await using var count = database.Source.CreateCommand("select count(*) from watermark where mirror_id = @mirror");
            count.Parameters.AddWithValue("mirror", mirror.Id);
            return (long)(await count.ExecuteScalarAsync())!;
        }

        async Task Publish(MirrorDefinition definition)
        {
            var now = (await this.mirrors.Find(key, CancellationToken.None))!;
            await this.drafts.Save(now, 0, definition, "An edit", "Maren Voll", CancellationToken.None);
            (await this.drafts.Publish(now, await this.drafts.Of(now, CancellationToken.None), "", "Maren Voll", CancellationToken.None)).ShouldBeTrue();
        }

        await Publish(mirror.Definition with { Timing = new MirrorTiming(TimingKind.Every, 5), Name = $"{key} again" });
        (await Marks()).ShouldBe(1);
        await Publish(mirror.Definition with { LeavesOut = false });
        (await Marks()).ShouldBe(0);
    }

    [Fact]
    public async Task What_runs_after_another_is_due_once_for_each_run_and_one_worker_gets_it()
    {
        var n = Interlocked.Increment(ref counter);
        await this.mirrors.Save(Full with { Key = $"first-{n}", Name = $"First {n}", Timing = MirrorTiming.ByHandOnly }, "a test", CancellationToken.None);
        await this.mirrors.Save(Full with { Key = $"second-{n}", Name = $"Second {n}", Timing = new MirrorTiming(TimingKind.After, After: $"first-{n}") }, "a test", CancellationToken.None);
        var first = (await this.mirrors.Find($"first-{n}", CancellationToken.None))!;
        async Task<List<(KeptMirror Mirror, string Followed, long? Before, long Run)>> Due() => [.. (await this.mirrors.Following(CancellationToken.None)).Where(d => d.Mirror.Definition.Key == $"second-{n}")];
        (await Due()).ShouldBeEmpty();

        var book = new RunBook(database.Source, TimeProvider.System);
        var rehearsal = await book.Start(first, true, "a test", CancellationToken.None);
        await book.End(rehearsal, "finished", null, null, CancellationToken.None);
        var failed = await book.Start(first, false, "a test", CancellationToken.None);
        await book.End(failed, "failed", null, "a reason", CancellationToken.None);
        (await Due()).ShouldBeEmpty();

        var run = await book.Start(first, false, "a test", CancellationToken.None);
        await book.End(run, "finished", null, null, CancellationToken.None);
        var due = (await Due()).ShouldHaveSingleItem();
        (due.Followed, due.Before, due.Run).ShouldBe(($"First {n}", null, run));
        (await Task.WhenAll(Enumerable.Range(0, 4).Select(_ => this.mirrors.Follow(due.Mirror.Id, due.Before, due.Run, CancellationToken.None)))).Count(got => got).ShouldBe(1);
        (await Due()).ShouldBeEmpty();
    }
}
