using System.Collections.Immutable;
using System.Text.Json;
using CsCheck;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;

namespace UprightMirror.Core.Tests;

/// <summary>What is different between two readings of a catalogue, and what fields really hold.</summary>
public class CatalogueTests
{
    private static CatalogueField Field(string path, string type = "string", int? length = null, bool required = false, params string[] allowed) => new(path, type, required, false, length) { Allowed = [.. allowed] };

    private static Catalogue Of(string collection, params CatalogueField[] fields) => new([new CatalogueCollection(collection, fields.ToImmutableDictionary(f => f.Path))]);

    [Fact]
    public void Fields_that_appeared_vanished_or_changed_are_each_one_change()
    {
        var before = Of("people", Field("name", length: 40), Field("age", "integer"), Field("stage", allowed: ["new", "won"]), Field("gone"));
        var after = Of("people", Field("name", length: 20), Field("age"), Field("stage", allowed: ["won", "new", "lost"]), Field("come", required: true));

        CatalogueChange.Between(before, after).Select(c => $"{c.Kind} {c.Path}: {c.Before} -> {c.After}").ShouldBe(
        [
            "ChangedType age: integer -> string",
            "Appeared come:  -> string",
            "Vanished gone: string -> ",
            "ChangedLength name: at most 40 characters -> at most 20 characters",
            "ChangedAllowed stage: new, won -> won, new, lost",
        ]);
    }

    [Fact]
    public void A_collection_that_came_or_went_is_one_change_and_a_new_one_breaks_nothing()
    {
        var changes = CatalogueChange.Between(Of("deals", Field("a"), Field("b")), Of("orders", Field("a")));
        changes.Select(c => (c.Kind, c.Collection, c.MayBreak)).ShouldBe([(CatalogueChangeKind.CollectionVanished, "deals", true), (CatalogueChangeKind.CollectionAppeared, "orders", false)]);
    }

    [Fact]
    public void Nothing_is_different_from_itself_and_what_appears_one_way_vanishes_the_other() =>
        Gen.Select(Gen.Int[0, 12].Array[0, 12], Gen.Int[0, 12].Array[0, 12]).Sample((a, b) =>
        {
            Catalogue Made(int[] fields) => Of("c", [.. fields.Distinct().Select(f => Field($"f{f}", f % 3 == 0 ? "string" : "number", f * fields.Length % 5))]);
            var (before, after) = (Made(a), Made(b));
            CatalogueChange.Between(before, before).ShouldBeEmpty();
            var there = CatalogueChange.Between(before, after);
            var back = CatalogueChange.Between(after, before);
            there.Where(c => c.Kind == CatalogueChangeKind.Appeared).Select(c => c.Path).ShouldBe(back.Where(c => c.Kind == CatalogueChangeKind.Vanished).Select(c => c.Path));
            there.Select(c => (c.Path, c.Before, c.After)).Order().ShouldBe(back.Select(c => (c.Path, c.After, c.Before)).Order());
        });

    [Fact]
    public void A_profile_counts_what_is_filled_and_different_and_shows_a_few()
    {
        var profiling = new Profiling();
        foreach (var i in Enumerable.Range(0, 2500))
        {
            profiling.Look(RawFields.FromJson(JsonSerializer.SerializeToElement(new { id = i, town = i % 2 == 0 ? "Kelburn" : null, note = new string('x', 500) })));
        }

        var profiles = profiling.Profiles().ToDictionary(p => p.Path);
        (profiles["town"].Seen, profiles["town"].Filled, profiles["town"].Distinct).ShouldBe((2500, 1250, 1));
        (profiles["id"].Distinct, profiles["id"].Samples.Length).ShouldBe((Profiling.MostDistinct, 6));
        profiles["note"].Samples.Single().Length.ShouldBe(121);
    }
}
