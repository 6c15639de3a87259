using System.Collections.Immutable;
using System.Globalization;
using UprightMirror.Core.Formulas.Functions;

namespace UprightMirror.Core.Formulas;

/// <summary>
/// Makes a tree of a formula's text. Operators bind as OpenFormula has it (ODF 1.2, part 2, 5.5): a sign before an operand binds
/// closest, then %, then ^ from left to right, then * and /, + and -, &amp;, and comparisons.
/// </summary>
internal ref struct Parser
{
    private readonly string text;
    private readonly Func<string, bool>? isField;
    private readonly List<string> fields = [];
    private Lexer lexer;
    private Token token;
    private int depth;

    public Parser(string text, Func<string, bool>? isField)
    {
        this.text = text;
        this.isField = isField;
        this.lexer = new Lexer(text);
        this.token = this.lexer.Next();
    }

    /// <summary>The fields that the formula names, in the order in which they come.</summary>
    public readonly IReadOnlyList<string> Fields => this.fields;

    /// <exception cref="FormulaProblemException">The text is no formula.</exception>
    public Node Whole()
    {
        // A formula may begin with the equals sign, as in a sheet.
        if (this.token is { Kind: TokenKind.Symbol, Content: "=" })
        {
            this.Step();
        }

        if (this.token.Kind == TokenKind.End)
        {
            throw this.Problem("The formula is empty: a field, a text in quotes, a number or a function is expected.");
        }

        var node = this.Expression(0);
        return this.token.Kind switch
        {
            TokenKind.End => node,
            TokenKind.Close => throw this.Problem("There is no opening bracket for this one."),
            TokenKind.Separator => throw this.Problem($"{this.token.Content} stands between the arguments of a function only. Decimals are written with a point: 1.5."),
            _ => throw this.Problem("An operator such as & or + is expected between two values."),
        };
    }

    private static int? Binding(Token token, out Operation operation)
    {
        (int? binds, operation) = (token.Kind == TokenKind.Symbol ? token.Content : "") switch
        {
            "=" => ((int?)1, Operation.Equal),
            "<>" => (1, Operation.Different),
            "<" => (1, Operation.Less),
            "<=" => (1, Operation.LessOrEqual),
            ">" => (1, Operation.Greater),
            ">=" => (1, Operation.GreaterOrEqual),
            "&" => (2, Operation.Join),
            "+" => (3, Operation.Add),
            "-" => (3, Operation.Subtract),
            "*" => (4, Operation.Multiply),
            "/" => (4, Operation.Divide),
            "^" => (5, Operation.Power),
            _ => (null, default(Operation)),
        };
        return binds;
    }

    private void Step() => this.token = this.lexer.Next();

    private readonly FormulaProblemException Problem(string words) => new(new FormulaProblem(this.token.Position, this.token.Length, words));

    private Node Expression(int least)
    {
        if (++this.depth > Formula.DeepestNesting)
        {
            throw this.Problem($"The formula is nested more than {Formula.DeepestNesting} deep. Work out a part of it in a field of its own.");
        }

        var left = this.Signed();
        while (Binding(this.token, out var operation) is { } binds && binds > least)
        {
            var position = this.token.Position;
            this.Step();
            left = new Node.Binary(operation, left, this.Expression(binds), position);
        }

        this.depth--;
        return left;
    }

    private Node Signed()
    {
        // Signs are counted here instead of called for one by one: a thousand of them are no depth.
        var position = this.token.Position;
        var (signs, negative) = (0, false);
        while (this.token is { Kind: TokenKind.Symbol, Content: "-" or "+" })
        {
            signs++;
            negative ^= this.token.Content == "-";
            this.Step();
        }

        var operand = this.Operand();
        if (signs > 0)
        {
            operand = negative ? new Node.Negate(operand, position) : new Node.Keep(operand, position);
        }

        var percents = 0;
        while (this.token is { Kind: TokenKind.Symbol, Content: "%" })
        {
            if (++percents > 8)
            {
                throw this.Problem("So many % in a row make no sense.");
            }

            operand = new Node.Percent(operand, this.token.Position);
            this.Step();
        }

        return operand;
    }

    private Node Operand()
    {
        var start = this.token;
        switch (start.Kind)
        {
            case TokenKind.Number:
                this.Step();
                return decimal.TryParse(start.Content, NumberStyles.Float, CultureInfo.InvariantCulture, out var number)
                    ? new Node.Constant(Item.Of(number), start.Position)
                    : throw new FormulaProblemException(new FormulaProblem(start.Position, start.Length, "The number is too large: at most 28 digits."));
            case TokenKind.Text:
                this.Step();
                return new Node.Constant(Item.Of(start.Content), start.Position);
            case TokenKind.Error:
                this.Step();
                return new Node.Constant(Item.Of(ItemError.Of(start.Content)!), start.Position);
            case TokenKind.FieldName:
                this.Step();
                return this.Field(start, start.Content);
            case TokenKind.Name:
                this.Step();
                return this.token.Kind == TokenKind.Open ? this.Call(start) : this.Named(start);
            case TokenKind.Open:
                this.Step();
                var inside = this.Expression(0);
                this.Expect(TokenKind.Close, start, "The bracket that opens at character {0} is not closed: ) is expected.");
                return inside;
            case TokenKind.End:
                throw this.Problem("The formula ends too early: a field, a text in quotes, a number or a function is expected.");
            case TokenKind.Close:
                throw this.Problem("Something is missing before this bracket: a field, a text in quotes, a number or a function is expected.");
            default:
                throw this.Problem($"{start.Content} can't stand here: a field, a text in quotes, a number or a function is expected.");
        }
    }

    private void Expect(TokenKind kind, Token opened, string words)
    {
        if (this.token.Kind != kind)
        {
            throw this.Problem(string.Format(CultureInfo.InvariantCulture, words, opened.Position + 1));
        }

        this.Step();
    }

    /// <summary>A name without brackets: a field, or TRUE or FALSE where no field is called so.</summary>
    private Node Named(Token name) => name.Content.ToUpperInvariant() switch
    {
        "TRUE" when this.isField?.Invoke(name.Content) != true => new Node.Constant(Item.True, name.Position),
        "FALSE" when this.isField?.Invoke(name.Content) != true => new Node.Constant(Item.False, name.Position),
        _ => this.Field(name, name.Content),
    };

    private Node.Field Field(Token token, string name)
    {
        if (this.isField?.Invoke(name) == false)
        {
            var hint = FunctionTable.Find(name) is { } function ? $" The function {function.Name} is followed by its arguments in brackets: {function.Signature}." : "";
            throw new FormulaProblemException(new FormulaProblem(token.Position, token.Length, $"There is no field called {name}.{hint}"));
        }

        var index = this.fields.IndexOf(name);
        if (index < 0)
        {
            index = this.fields.Count;
            this.fields.Add(name);
        }

        return new Node.Field(name, index, token.Position);
    }

    private Node.Call Call(Token name)
    {
        var function = FunctionTable.Find(name.Content)
            ?? throw new FormulaProblemException(new FormulaProblem(name.Position, name.Length, FunctionTable.Near(name.Content) is { } near ? $"There is no function {name.Content}. Did you mean {near}?" : $"There is no function {name.Content}."));
        if (++this.depth > Formula.DeepestNesting)
        {
            throw this.Problem($"The formula is nested more than {Formula.DeepestNesting} deep. Work out a part of it in a field of its own.");
        }

        this.Step();
        var arguments = ImmutableArray.CreateBuilder<Node>();
        if (this.token.Kind != TokenKind.Close)
        {
            while (true)
            {
                // Nothing between two separators is a blank argument.
                arguments.Add(this.token.Kind is TokenKind.Separator or TokenKind.Close ? new Node.Constant(Item.Blank, this.token.Position) : this.Expression(0));
                if (this.token.Kind != TokenKind.Separator)
                {
                    break;
                }

                this.Step();
            }
        }

        this.Expect(TokenKind.Close, name, $"The brackets of {function.Name} at character {{0}} are not closed: ) or ; is expected.");
        if (function.Complaint(arguments.Count) is { } complaint)
        {
            throw new FormulaProblemException(new FormulaProblem(name.Position, name.Length, complaint));
        }

        this.depth--;
        return new Node.Call(function, arguments.ToImmutable(), name.Position);
    }
}
