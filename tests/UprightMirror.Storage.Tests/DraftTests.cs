using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;

namespace UprightMirror.Storage.Tests;

/// <summary>Edits of a mirror are kept one by one, undone and done again; what is live changes by publishing only.</summary>
public sealed class DraftTests(TestDatabase database) : IClassFixture<TestDatabase>
{
    private static int counter;
    private readonly Drafts drafts = new(database.Source, TimeProvider.System);

    private static AgreedFieldDefinition Field(string name, string? a, string? b) =>
        new(name, FieldType.Text, [a is null ? null : new SideField(a, true, true, new AsItStands()), b is null ? null : new SideField(b, true, true, new FormulaConversion("UPPER(value)", null))]);

    private async Task<KeptMirror> NewMirror()
    {
        var mirrors = new Mirrors(database.Source);
        var key = $"draft-{Interlocked.Increment(ref counter)}";
        await mirrors.Save(new MirrorDefinition(key, key, "customer", [new SideDefinition("a", "x"), new SideDefinition("b", "y")], [Field("Name", "name", "Name")], [], "Name"), "a test", CancellationToken.None);
        return (await mirrors.Find(key, CancellationToken.None))!;
    }

    private static MirrorDefinition With(KeptMirror mirror, params AgreedFieldDefinition[] more) => mirror.Definition with { Fields = [.. mirror.Definition.Fields, .. more] };

    private Task<bool> Save(KeptMirror mirror, int step, MirrorDefinition definition, string what) => this.drafts.Save(mirror, step, definition, what, "Maren Voll", CancellationToken.None);

    [Fact]
    public async Task Edits_are_undone_and_done_again_and_an_edit_after_undoing_forgets_what_was_undone()
    {
        var mirror = await this.NewMirror();
        (await this.drafts.Of(mirror, CancellationToken.None)).Step.ShouldBe(0);
        await this.Save(mirror, 0, With(mirror, Field("Town", "town", null)), "Add Town");
        await this.Save(mirror, 1, With(mirror, Field("Town", "town", "City")), "Map Town");

        (await this.drafts.Move(mirror.Id, -1, CancellationToken.None)).ShouldBeTrue();
        var undone = await this.drafts.Of(mirror, CancellationToken.None);
        (undone.Step, undone.Last, undone.What, undone.Undone).ShouldBe((1, 2, "Add Town", "Map Town"));
        undone.Definition.Fields[1].Cells[1].ShouldBeNull();
        await this.drafts.Move(mirror.Id, 1, CancellationToken.None);
        (await this.drafts.Of(mirror, CancellationToken.None)).Definition.Fields[1].Cells[1]!.Conversion.ShouldBe(new FormulaConversion("UPPER(value)", null));

        await this.drafts.Move(mirror.Id, -1, CancellationToken.None);
        await this.drafts.Move(mirror.Id, -1, CancellationToken.None);
        (await this.drafts.Of(mirror, CancellationToken.None)).Definition.Fields.Length.ShouldBe(1);
        (await this.drafts.Move(mirror.Id, -1, CancellationToken.None)).ShouldBeFalse();
        await this.Save(mirror, 0, With(mirror, Field("Street", "street", null)), "Add Street");
        var after = await this.drafts.Of(mirror, CancellationToken.None);
        (after.Step, after.Last, after.Undone).ShouldBe((1, 1, null));
    }

    [Fact]
    public async Task Of_two_who_edit_the_same_step_one_is_told_to_look_again()
    {
        var mirror = await this.NewMirror();
        var ends = await Task.WhenAll(Enumerable.Range(0, 8).Select(n => Task.Run(() => this.Save(mirror, 0, With(mirror, Field($"F{n}", "f", null)), $"Add F{n}"))));
        ends.Count(e => e).ShouldBe(1);
        (await this.drafts.Of(mirror, CancellationToken.None)).Step.ShouldBe(1);
    }

    [Fact]
    public async Task Publishing_makes_the_next_version_reads_everything_again_and_lets_new_fields_meet()
    {
        var mirror = await this.NewMirror();
        await this.Sql($"""
            insert into link (mirror_id, id, title, waiting) values ({mirror.Id}, '11111111-0000-0000-0000-00000000000{mirror.Id % 10}', 'x', false);
            insert into system_record (mirror_id, side, id, link_id, raw, waiting, seen_at, unmet) values ({mirror.Id}, 0, '1', '11111111-0000-0000-0000-00000000000{mirror.Id % 10}', jsonb_build_object(), false, now(), array[]::text[]);
            insert into watermark (mirror_id, side, at, read_at) values ({mirror.Id}, 0, now(), now())
            """);
        await this.Save(mirror, 0, With(mirror, Field("Town", "town", "City")), "Add Town");
        var draft = await this.drafts.Of(mirror, CancellationToken.None);

        (await this.drafts.Publish(mirror, draft, "because", "Maren Voll", CancellationToken.None)).ShouldBeTrue();

        var live = (await new Mirrors(database.Source).Find(mirror.Definition.Key, CancellationToken.None))!;
        live.Version.ShouldBe(mirror.Version + 1);
        live.Definition.Fields.Select(f => f.Name).ShouldBe(["Name", "Town"]);
        (await this.drafts.Of(live, CancellationToken.None)).Step.ShouldBe(0);
        (await database.Ask<string[]>($"select unmet from system_record where mirror_id = {mirror.Id}")).ShouldBe(["Town"]);
        (await database.Ask<bool>($"select waiting from link where mirror_id = {mirror.Id}")).ShouldBeTrue();
        (await database.Ask<long>($"select count(*) from watermark where mirror_id = {mirror.Id}")).ShouldBe(0);
    }

    [Fact]
    public async Task A_draft_of_a_version_that_is_not_live_any_more_is_not_published_over_it()
    {
        var mirror = await this.NewMirror();
        await this.Save(mirror, 0, With(mirror, Field("Town", "town", null)), "Add Town");
        var draft = await this.drafts.Of(mirror, CancellationToken.None);
        await new Mirrors(database.Source).Save(With(mirror, Field("Other", "other", null)), "a test", CancellationToken.None);

        (await this.drafts.Publish(mirror, draft, "because", "Maren Voll", CancellationToken.None)).ShouldBeFalse();

        (await new Mirrors(database.Source).Find(mirror.Definition.Key, CancellationToken.None))!.Definition.Fields.Select(f => f.Name).ShouldBe(["Name", "Other"]);
        (await this.drafts.Of(mirror, CancellationToken.None)).Step.ShouldBe(1);
    }

    private async Task Sql(string sql)
    {
        await using var command = database.Source.CreateCommand(sql);
        await command.ExecuteNonQueryAsync();
    }

    [Fact]
    public async Task Everything_that_a_definition_says_is_read_back_as_it_was_kept()
    {
        var mirror = await this.NewMirror();
        var lists = new CodeLists(database.Source);
        await lists.Save(new KeptCodeList("Kinds", new CodeTable([("CL", "Club")], new UnknownCode(UnknownCodes.Value, "Other"), new UnknownCode(UnknownCodes.Pass)), "Maren Voll", DateTimeOffset.UnixEpoch), [], CancellationToken.None);
        var line = new AgreedFieldDefinition("Product", FieldType.Text, [new SideField("code", true, true, new AsItStands()), new SideField("ItemNo", true, true, new FormulaConversion("value", null))]);
        var definition = With(mirror,
            new AgreedFieldDefinition("Kind", FieldType.Text, [new SideField("kind", true, true, new CodeList(new CodeTable([]), "kinds"), Default: "club"), new SideField("Kind", true, true, new CodeList(new CodeTable([("A", "B")], UnknownCode.Hold, new UnknownCode(UnknownCodes.Value, "?"))))]),
            new AgreedFieldDefinition("Customer", FieldType.Reference, [new SideField("customer", true, true, new ReferenceTo("customers")), null]),
            new AgreedFieldDefinition("Lines", FieldType.Lines, [new SideField("lines", true, true, new AsItStands()), null], Lines: new LinesDefinition("Product", [line], new TotalCheck("Total", "1", 0.5m)))) with
        {
            Sides = [mirror.Definition.Sides[0] with { Constants = [new SideConstant("currency", "EUR")] }, mirror.Definition.Sides[1]],
        };
        await this.Save(mirror, 0, definition, "All");
        await this.drafts.Publish(mirror, await this.drafts.Of(mirror, CancellationToken.None), "because", "Maren Voll", CancellationToken.None);
        var kept = (await new Mirrors(database.Source).Find(mirror.Definition.Key, CancellationToken.None))!.Definition;

        kept.Sides[0].Constants.ShouldBe([new SideConstant("currency", "EUR")]);
        var shared = kept.Fields[1].Cells[0]!.Conversion.ShouldBeOfType<CodeList>();
        (shared.Name, kept.Fields[1].Cells[0]!.Default).ShouldBe(("kinds", "club"));
        shared.Table.ShouldBe(new CodeTable([("CL", "Club")], new UnknownCode(UnknownCodes.Value, "Other"), new UnknownCode(UnknownCodes.Pass)));
        kept.Fields[1].Cells[1]!.Conversion.ShouldBeOfType<CodeList>().Table.ShouldBe(new CodeTable([("A", "B")], UnknownCode.Hold, new UnknownCode(UnknownCodes.Value, "?")));
        kept.Fields[2].Cells[0]!.Conversion.ShouldBe(new ReferenceTo("customers"));
        var lines = kept.Fields[3].Lines!;
        (lines.Key, lines.Total, lines.Fields[0].Cells[1]!.Path).ShouldBe(("Product", new TotalCheck("Total", "1", 0.5m), "ItemNo"));
        kept.PointsAt.ShouldBe(["customers"]);
    }

    [Fact]
    public async Task A_mirror_that_was_begun_is_a_draft_until_it_is_published_and_only_then_stays()
    {
        var mirrors = new Mirrors(database.Source);
        var definition = new MirrorDefinition("begun", "Begun", "customer", [new SideDefinition("a", "x"), new SideDefinition("b", "y")], [], [], "");
        (await mirrors.Begin(definition, CancellationToken.None)).ShouldBeTrue();
        (await mirrors.Begin(definition with { Key = "other", Name = "BEGUN" }, CancellationToken.None)).ShouldBeFalse();
        (await mirrors.Begin(definition with { Name = "Other" }, CancellationToken.None)).ShouldBeFalse();
        var mirror = (await mirrors.Find("begun", CancellationToken.None))!;
        (mirror.State, mirror.Version).ShouldBe(("draft", 0));
        await this.Save(mirror, 0, With(mirror, Field("Name", "name", "Name")), "Add Name");
        await this.drafts.Publish(mirror, await this.drafts.Of(mirror, CancellationToken.None), "because", "Maren Voll", CancellationToken.None);
        mirror = (await mirrors.Find("begun", CancellationToken.None))!;
        (mirror.State, mirror.Version).ShouldBe(("live", 1));
        (await mirrors.RemoveDraft("begun", CancellationToken.None)).ShouldBeFalse();
        (await mirrors.Begin(definition with { Key = "gone", Name = "Gone" }, CancellationToken.None)).ShouldBeTrue();
        (await mirrors.RemoveDraft("gone", CancellationToken.None)).ShouldBeTrue();
    }

    [Fact]
    public async Task Records_that_stand_on_two_sides_are_known_by_their_ids_and_doubles_and_lone_ones_are_not()
    {
        var mirror = await this.NewMirror();
        await using var session = (await new RunSessions(database.Source, new RunBook(database.Source, TimeProvider.System), TimeProvider.System).Begin(mirror, false, "a test", CancellationToken.None))!;
        async Task Linked(params (int Side, string Id)[] members)
        {
            var link = Guid.CreateVersion7();
            foreach (var (side, id) in members)
            {
                await session.Store.SaveObserved(side, [new Core.Remembered.ObservedRecord(id, RawFields.None, null, null, null)], CancellationToken.None);
            }

            await session.Store.SaveLinks([.. members.Select(m => new LinkedAs(link, m.Side, m.Id, m.Id, "new"))], CancellationToken.None);
        }

        await Linked((0, "a1"), (1, "b1"));
        await Linked((0, "a2"));
        await Linked((0, "a3"), (1, "b3"), (1, "b4"));
        var known = await this.drafts.LinkedIds(mirror.Id, CancellationToken.None);
        known.Select(l => $"{l[0]} {l[1]}").ShouldBe(["a1 b1"]);
    }
}
