using System.Collections.Immutable;
using UprightMirror.Core.Formulas.Functions;

namespace UprightMirror.Core.Formulas;

/// <summary>An operator between two operands.</summary>
public enum Operation : byte
{
    Add,
    Subtract,
    Multiply,
    Divide,
    Power,
    Join,
    Equal,
    Different,
    Less,
    LessOrEqual,
    Greater,
    GreaterOrEqual,
}

/// <summary>A formula as a tree: what is to be worked out, and in which order.</summary>
/// <param name="Position">Where it begins in the text, from 0.</param>
public abstract record Node(int Position)
{
    public sealed record Constant(Item Value, int Position) : Node(Position);

    /// <param name="Index">Which of the formula's fields.</param>
    public sealed record Field(string Name, int Index, int Position) : Node(Position);

    public sealed record Negate(Node Operand, int Position) : Node(Position);

    /// <summary>A plus before an operand: it stays as it is.</summary>
    public sealed record Keep(Node Operand, int Position) : Node(Position);

    public sealed record Percent(Node Operand, int Position) : Node(Position);

    public sealed record Binary(Operation Operation, Node Left, Node Right, int Position) : Node(Position);

    public sealed record Call(FormulaFunction Function, ImmutableArray<Node> Arguments, int Position) : Node(Position);
}
