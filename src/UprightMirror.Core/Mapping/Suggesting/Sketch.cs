using System.Collections.Immutable;

namespace UprightMirror.Core.Mapping.Suggesting;

/// <summary>What is known of a field when pairs are looked for.</summary>
/// <param name="Type">text, number, integer, date, datetime, boolean, list or object, as the system calls it; null when it does not say.</param>
/// <param name="Samples">Some of its values as text; empty when none are known.</param>
public sealed record FieldSketch(string Name, string? Label = null, string? Description = null, string? Type = null, int? MaxLength = null, ImmutableArray<string> Allowed = default, ImmutableArray<string> Samples = default)
{
    public ImmutableArray<string> Values => this.Samples.IsDefault ? [] : this.Samples;
}

/// <summary>A pair of fields that may hold the same.</summary>
/// <param name="Left">Index of the field on the left.</param>
/// <param name="Right">Index of the field on the right.</param>
/// <param name="Confidence">0 to 1.</param>
/// <param name="Why">What speaks for it, in words, the strongest first.</param>
public sealed record Suggestion(int Left, int Right, double Confidence, ImmutableArray<string> Why);
