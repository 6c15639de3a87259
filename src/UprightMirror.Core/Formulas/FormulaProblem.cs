namespace UprightMirror.Core.Formulas;

/// <summary>Why a text is no formula.</summary>
/// <param name="Position">Where, from 0, in UTF-16 code units.</param>
/// <param name="Length">How much of the text it is about; at least 0.</param>
/// <param name="Words">What is wrong and what was expected, as a sentence.</param>
public sealed record FormulaProblem(int Position, int Length, string Words)
{
    /// <summary>With its place, as people count.</summary>
    public string Sentence => $"At character {this.Position + 1}: {this.Words}";
}

/// <summary>Thrown within the parser only; <see cref="Formula.Parse"/> gives the problem back.</summary>
internal sealed class FormulaProblemException(FormulaProblem problem) : Exception(problem.Words)
{
    public FormulaProblem Problem => problem;
}
