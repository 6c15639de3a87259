using System.Collections.Immutable;

namespace UprightMirror.Core.Formulas;

/// <summary>The follow-up checks that a formula asks for by <c>FLAGGED("Another company")</c>: whether they flag the record.</summary>
public static class Flags
{
    internal const string FunctionName = "FLAGGED";

    public static readonly ImmutableHashSet<string> None = ImmutableHashSet.Create<string>(StringComparer.OrdinalIgnoreCase);

    /// <summary>Whether a formula asks whether records are flagged.</summary>
    public static bool AreAskedFor(Formula formula) => formula.Calls.Any(c => c.Function.Name == FunctionName);
}
