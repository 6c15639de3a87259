using System.Collections.Immutable;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Formulas;

/// <summary>What a formula may ask for beside the record's own fields.</summary>
/// <param name="Now">The run's time, UTC: the same for all of its records.</param>
/// <param name="Country">The country in which telephone numbers without a country code are read, ISO 3166 alpha-2; null when not known.</param>
public sealed record FormulaSetting(DateTimeOffset Now, string? Country = null)
{
    /// <summary>The code lists by name.</summary>
    public ImmutableDictionary<string, CodeTable> CodeLists { get; init; } = ImmutableDictionary<string, CodeTable>.Empty;

    /// <summary>The ids that the record has on the other sides, by the system's name.</summary>
    public IReadOnlyDictionary<string, string> References { get; init; } = new Dictionary<string, string>();

    /// <summary>What records of other mirrors that point at this one hold, for each field that the formula asks for.</summary>
    public ImmutableDictionary<LinkedField, ImmutableArray<Item>> Linked { get; init; } = ImmutableDictionary<LinkedField, ImmutableArray<Item>>.Empty;

    /// <summary>What is known of records that are fetched by a key; null where none can be.</summary>
    public Fetched? Fetched { get; init; }

    /// <summary>The follow-up checks that flag the record, by name.</summary>
    public ImmutableHashSet<string> Flags { get; init; } = Formulas.Flags.None;
}
