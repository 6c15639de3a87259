using System.Collections.Immutable;

namespace UprightMirror.Core.Formulas.Learning;

/// <summary>What a person wants for one record.</summary>
/// <param name="Inputs">The values of the fields, in their order; empty where there is none.</param>
/// <param name="Output">What the person typed.</param>
public sealed record Example(ImmutableArray<string> Inputs, string Output);

/// <summary>A formula that does what all the examples show.</summary>
/// <param name="Cost">The lower, the simpler: by how much there is to it, and how well such formulas do on other values.</param>
public sealed record Learned(string Formula, double Cost);

/// <summary>A part of a formula, with what it gives for each of the examples.</summary>
/// <param name="Text">The formula's text.</param>
internal sealed record Piece(string Text, double Cost, string[] Values)
{
    /// <summary>What it is known by: two pieces that give the same everywhere are the same for the examples.</summary>
    public string Key => string.Join('\u0001', this.Values);
}
