using System.Collections.Immutable;
using System.Text.Json;
using System.Text.Json.Serialization;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Engine.Exchange;

/// <summary>Mirrors as they leave one workspace and come into another: what they say, the code lists that they use, and which systems they are made for. No secrets, no addresses, no records.</summary>
/// <param name="Form">The form of the file: <see cref="MirrorFile.CurrentForm"/>.</param>
/// <param name="Systems">By the key that the sides name them by.</param>
/// <param name="CodeLists">By name; each a list of codes with what is agreed for it.</param>
public sealed record MirrorFile(int Form, ImmutableSortedDictionary<string, SystemInFile> Systems, ImmutableSortedDictionary<string, CodeListInFile> CodeLists, ImmutableArray<MirrorDefinition> Mirrors)
{
    public const int CurrentForm = 1;

    /// <summary>How a file is written and read as JSON, whose text is then YAML: nothing is taken that is not known.</summary>
    internal static readonly JsonSerializerOptions Json = new(Storage.Mirrors.Json)
    {
        NumberHandling = JsonNumberHandling.Strict,
        UnmappedMemberHandling = JsonUnmappedMemberHandling.Disallow,
        RespectNullableAnnotations = true,
        TypeInfoResolver = new System.Text.Json.Serialization.Metadata.DefaultJsonTypeInfoResolver(),
    };

    /// <summary>A file of mirrors, each with all that it needs.</summary>
    /// <param name="nameOf">Name and protocol of a system, by its key.</param>
    public static MirrorFile Of(IReadOnlyList<MirrorDefinition> mirrors, IReadOnlyList<KeptCodeList> lists, Func<string, (string Name, string Protocol)> nameOf)
    {
        // By conversions or by formulas: one too many does no harm.
        var said = JsonSerializer.Serialize(mirrors, Json);
        return new MirrorFile(
            CurrentForm,
            mirrors.SelectMany(m => m.Sides).GroupBy(s => s.System).ToImmutableSortedDictionary(
                g => g.Key, g => new SystemInFile(nameOf(g.Key).Name, nameOf(g.Key).Protocol, [.. g.Select(s => s.Collection).Distinct().Order(StringComparer.Ordinal)]), StringComparer.Ordinal),
            lists.Where(l => said.Contains(JsonEncodedText.Encode(l.Name).ToString(), StringComparison.OrdinalIgnoreCase)).ToImmutableSortedDictionary(l => l.Name, l => CodeListInFile.Of(l.Table), StringComparer.Ordinal),
            [.. mirrors]);
    }

    /// <summary>The file without some of its systems: their sides are left out of every mirror.</summary>
    public MirrorFile Without(IReadOnlyCollection<string> systems) => systems.Count == 0 ? this : this with
    {
        Systems = this.Systems.RemoveRange(systems),
        Mirrors = [.. this.Mirrors.Select(m => systems.Aggregate(m, (left, system) => left.Without(system)))],
    };

    /// <summary>The file with its systems called by other keys: those of the connections that they are here.</summary>
    public MirrorFile With(IReadOnlyDictionary<string, string> systems)
    {
        string Now(string key) => systems.GetValueOrDefault(key, key);
        ImmutableArray<AgreedFieldDefinition> Fields(ImmutableArray<AgreedFieldDefinition> fields) =>
            [.. fields.Select(f => f with { Rank = [.. f.Rank.Select(Now)], Lines = f.Lines is { } lines ? lines with { Fields = Fields(lines.Fields) } : null })];
        return this with
        {
            Systems = this.Systems.ToImmutableSortedDictionary(s => Now(s.Key), s => s.Value, StringComparer.Ordinal),
            Mirrors = [.. this.Mirrors.Select(m => m with { Sides = [.. m.Sides.Select(s => s with { System = Now(s.System) })], Fields = Fields(m.Fields) })],
        };
    }
}

/// <param name="Name">As it was called where the file comes from.</param>
/// <param name="Protocol">How it was reached there.</param>
/// <param name="Collections">Those that are sides.</param>
public sealed record SystemInFile(string Name, string Protocol, ImmutableArray<string> Collections);

/// <param name="Codes">Each a code, and what is agreed for it.</param>
/// <param name="UnknownToAgreed">What becomes of a code that is not listed; left out to hold its record.</param>
/// <param name="UnknownToSide">What becomes of an agreed value that is not listed; left out to hold its record.</param>
public sealed record CodeListInFile(ImmutableArray<ImmutableArray<string>> Codes, UnknownInFile? UnknownToAgreed = null, UnknownInFile? UnknownToSide = null)
{
    internal static CodeListInFile Of(CodeTable table) => new([.. table.Codes.Select(c => ImmutableArray.Create(c.Code, c.Agreed))], UnknownInFile.Of(table.UnknownToAgreed), UnknownInFile.Of(table.UnknownToSide));

    /// <summary>Null where a row is not a code and what is agreed for it.</summary>
    [JsonIgnore]
    public CodeTable? Table => this.Codes.All(c => c.Length == 2) ? new CodeTable([.. this.Codes.Select(c => (c[0], c[1]))], this.UnknownToAgreed?.Unknown ?? UnknownCode.Hold, this.UnknownToSide?.Unknown ?? UnknownCode.Hold) : null;
}

/// <param name="Stand">What stands in for it; null where nothing does.</param>
public sealed record UnknownInFile(UnknownCodes Kind, string? Stand = null)
{
    internal static UnknownInFile? Of(UnknownCode unknown) => unknown.Kind == UnknownCodes.Hold ? null : new UnknownInFile(unknown.Kind, unknown.Stand);

    internal UnknownCode Unknown => new(this.Kind, this.Stand);
}
