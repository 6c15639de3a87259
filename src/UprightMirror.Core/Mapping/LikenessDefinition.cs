using System.Collections.Immutable;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Mapping;

/// <summary>An agreed field that counts as evidence.</summary>
/// <param name="Kind">What it holds, as on the command line: organisation, given, family, name, email, web, phone, street, town, postcode, address, date, number, text.</param>
public sealed record EvidenceOf(string Field, string Kind);

/// <summary>How records are recognised by how much speaks for it, where no key says so.</summary>
/// <param name="LinkAt">From this likelihood on two records are linked by themselves; above 0.5, up to 1.</param>
/// <param name="AskAt">From this likelihood on a person is asked; up to <paramref name="LinkAt"/>.</param>
/// <param name="LearnsFromPeople">Whether what people said of look-alikes counts where it is learned what agreement is worth.</param>
public sealed record LikenessDefinition(ImmutableArray<EvidenceOf> Evidence, double LinkAt = LikenessDefinition.UsualLink, double AskAt = LikenessDefinition.UsualAsk, bool LearnsFromPeople = false)
{
    public const double UsualLink = 0.99;
    public const double UsualAsk = 0.5;

    [System.Text.Json.Serialization.JsonIgnore]
    public IReadOnlyList<string> Fields => [.. this.Evidence.Select(e => e.Field)];

    /// <summary>What is compared; columns are the places in <see cref="Evidence"/>.</summary>
    /// <exception cref="ArgumentException">A kind is not one that there is.</exception>
    public MatchPlan Plan() => MatchPlan.Of([.. this.Evidence.Select((e, i) => $"{i} {e.Field}")], [], [.. this.Evidence.Select((e, i) => ($"{i} {e.Field}", e.Kind))]);

    /// <summary>What a record says in each of the fields that count.</summary>
    /// <param name="agreed">Its values in agreed form, by the mirror's fields.</param>
    public ImmutableArray<string> TextsOf(MirrorDefinition mirror, Value[] agreed)
    {
        var names = mirror.Fields.Select(f => f.Name).ToList();
        return [.. this.Evidence.Select(e => names.IndexOf(e.Field) is >= 0 and var at ? Text(agreed[at]) : "")];
    }

    /// <summary>What people call a record, by what it says: a person by both names, anything else by its name or the first that it says.</summary>
    /// <param name="texts">By the evidence.</param>
    public string? TitleOf(IReadOnlyList<string> texts)
    {
        string Of(params string[] kinds) => string.Join(' ', kinds.SelectMany(kind => this.Evidence.Select((e, i) => (e.Kind, Text: texts.ElementAtOrDefault(i) ?? "")).Where(e => e.Kind == kind && e.Text.Length > 0).Select(e => e.Text)));
        return new[] { Of("given", "family"), Of("organisation"), Of("name"), texts.FirstOrDefault(t => t.Length > 0) ?? "" }.FirstOrDefault(t => t.Length > 0);
    }

    /// <summary>What counts as evidence, guessed from the names of the agreed fields and some records' values.</summary>
    public static ImmutableArray<EvidenceOf> Guess(MirrorDefinition mirror, IReadOnlyList<Value[]> samples)
    {
        var names = mirror.Fields.Select(f => f.Name).ToList();
        var plan = MatchPlan.Of(names, [.. samples.Select(s => (IReadOnlyList<string>)[.. s.Select(Text)])]);
        return [.. plan.Fields.SelectMany(f => f.Columns.Select((column, part) => (column, Kind: f.Comparator.Parts[part])).Where(c => c.column >= 0)).OrderBy(c => c.column).Select(c => new EvidenceOf(names[c.column], c.Kind))];
    }

    private static string Text(Value value) => value switch
    {
        EmailValue email => email.Normalised,
        _ => value.Display,
    };
}
