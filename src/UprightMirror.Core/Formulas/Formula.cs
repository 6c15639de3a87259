using System.Collections.Immutable;
using System.Diagnostics.CodeAnalysis;

namespace UprightMirror.Core.Formulas;

/// <summary>
/// A formula in the expression language of OpenFormula (OASIS, Open Document Format 1.2, part 2), parsed once and worked out for any
/// number of records. It has no side effects, and is bounded in length, depth, steps and the text it makes.
/// </summary>
public sealed class Formula
{
    /// <summary>The longest formula, in UTF-16 code units.</summary>
    public const int Longest = 32_768;

    /// <summary>How deep brackets and functions may be nested.</summary>
    public const int DeepestNesting = 128;

    /// <summary>The longest text that a formula may make, in UTF-16 code units.</summary>
    public const int LongestText = 100_000;

    /// <summary>How many operations one evaluation may take.</summary>
    public const int MostSteps = 200_000;

    private Formula(string text, Node root, ImmutableArray<string> fields) => (this.Text, this.Root, this.Fields) = (text, root, fields);

    public string Text { get; }

    public Node Root { get; }

    /// <summary>The fields that it names, as it writes them.</summary>
    public ImmutableArray<string> Fields { get; }

    /// <summary>Every call of a function in it, those within others too.</summary>
    public IEnumerable<Node.Call> Calls
    {
        get
        {
            var open = new Stack<Node>([this.Root]);
            while (open.TryPop(out var node))
            {
                ImmutableArray<Node> within = node switch
                {
                    Node.Call call => call.Arguments,
                    Node.Binary binary => [binary.Left, binary.Right],
                    Node.Negate negate => [negate.Operand],
                    Node.Keep keep => [keep.Operand],
                    Node.Percent percent => [percent.Operand],
                    _ => [],
                };
                foreach (var one in within.Reverse())
                {
                    open.Push(one);
                }

                if (node is Node.Call found)
                {
                    yield return found;
                }
            }
        }
    }

    /// <summary>Reads a formula.</summary>
    /// <param name="isField">Whether there is a field called so; null to let every name pass.</param>
    /// <returns>True and the formula, or false and what is wrong with it.</returns>
    public static bool Parse(string text, Func<string, bool>? isField, [NotNullWhen(true)] out Formula? formula, [NotNullWhen(false)] out FormulaProblem? problem)
    {
        (formula, problem) = (null, null);
        if (text.Length > Longest)
        {
            problem = new FormulaProblem(Longest, text.Length - Longest, $"The formula has {text.Length:N0} characters; at most {Longest:N0} are read.");
            return false;
        }

        try
        {
            var parser = new Parser(text, isField);
            var root = parser.Whole();
            formula = new Formula(text, root, [.. parser.Fields]);
            return true;
        }
        catch (FormulaProblemException e)
        {
            problem = e.Problem;
            return false;
        }
    }

    /// <summary>Works the formula out. Never throws for what a record holds: errors are values.</summary>
    /// <param name="fields">The values of <see cref="Fields"/>, in their order.</param>
    public Item Evaluate(ReadOnlySpan<Item> fields, FormulaSetting setting) => new Evaluator(fields, setting).Whole(this.Root);

    /// <summary>Works the formula out over a record.</summary>
    public Item Evaluate(FormulaRecord record, FormulaSetting setting)
    {
        var values = new Item[this.Fields.Length];
        for (var i = 0; i < values.Length; i++)
        {
            values[i] = record[this.Fields[i]];
        }

        return this.Evaluate(values, setting);
    }
}
