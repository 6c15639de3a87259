using System.Collections.Immutable;
using UprightMirror.Core.Formulas.Functions;

namespace UprightMirror.Core.Formulas;

/// <summary>Works a formula's tree out over one record. Errors go up as values, as the standard has it.</summary>
public ref struct Evaluator
{
    private readonly ReadOnlySpan<Item> fields;
    private int steps;

    internal Evaluator(ReadOnlySpan<Item> fields, FormulaSetting setting)
    {
        this.fields = fields;
        this.Setting = setting;
    }

    public FormulaSetting Setting { get; }

    /// <summary>The result. A text that is too long, or too many steps, is an error.</summary>
    internal Item Whole(Node node)
    {
        var item = this.Work(node);
        return this.steps > Formula.MostSteps ? Item.Of(ItemError.Value($"the formula takes more than {Formula.MostSteps:N0} steps")) : item;
    }

    /// <summary>Works out a part of the formula.</summary>
    public Item Work(Node node)
    {
        if (++this.steps > Formula.MostSteps)
        {
            return Item.Of(ItemError.Value($"the formula takes more than {Formula.MostSteps:N0} steps"));
        }

        switch (node)
        {
            case Node.Field field:
                return this.fields[field.Index];
            case Node.Constant constant:
                return constant.Value;
            case Node.Call call:
                return call.Function.Work(ref this, call.Arguments);
            case Node.Binary binary:
                return this.Chain(binary);
            case Node.Negate negate:
                var operand = Coercion.Number(this.Work(negate.Operand));
                return operand.IsError ? operand : Item.Of(-operand.Number);
            case Node.Keep keep:
                return this.Work(keep.Operand);
            case Node.Percent percent:
                var whole = Coercion.Number(this.Work(percent.Operand));
                return whole.IsError ? whole : Item.Of(whole.Number / 100);
            default:
                throw new ArgumentOutOfRangeException(nameof(node), node, null);
        }
    }

    /// <summary>Two texts that are made one; an error when that would be too long.</summary>
    public static Item Joined(string left, string right) => left.Length + right.Length > Formula.LongestText ? TooLong((long)left.Length + right.Length) : Item.Of(left + right);

    internal static Item TooLong(long length) => Item.Of(ItemError.Value($"the text would have {length:N0} characters; at most {Formula.LongestText:N0} are made"));

    /// <summary>Whether two items are the same: text whatever its case, a blank like 0, nothing or false.</summary>
    public static bool Same(Item left, Item right) => Order(left, right) == 0;

    /// <summary>A long chain of operators leans to the left: it is walked down and worked out upwards, so that no chain is too long for the stack.</summary>
    private Item Chain(Node.Binary top)
    {
        if (top.Left is not Node.Binary)
        {
            return this.Apply(top, this.Work(top.Left));
        }

        var chain = new Stack<Node.Binary>();
        Node node = top;
        for (; node is Node.Binary binary; node = binary.Left)
        {
            chain.Push(binary);
        }

        var result = this.Work(node);
        while (chain.TryPop(out var next))
        {
            result = this.Apply(next, result);
        }

        return result;
    }

    private Item Apply(Node.Binary node, Item left)
    {
        if (left.IsError)
        {
            return left;
        }

        var right = this.Work(node.Right);
        if (right.IsError)
        {
            return right;
        }

        switch (node.Operation)
        {
            case Operation.Join:
                return Joined(left.Shown, right.Shown);
            case Operation.Equal:
                return Item.Of(Order(left, right) == 0);
            case Operation.Different:
                return Item.Of(Order(left, right) != 0);
            case Operation.Less:
                return Item.Of(Order(left, right) < 0);
            case Operation.LessOrEqual:
                return Item.Of(Order(left, right) <= 0);
            case Operation.Greater:
                return Item.Of(Order(left, right) > 0);
            case Operation.GreaterOrEqual:
                return Item.Of(Order(left, right) >= 0);
        }

        var (a, b) = (Coercion.Number(left), Coercion.Number(right));
        return a.IsError ? a : b.IsError ? b : Arithmetic(node.Operation, a, b);
    }

    private static Item Arithmetic(Operation operation, Item a, Item b)
    {
        try
        {
            return operation switch
            {
                Operation.Add => Item.Days(a.Number + b.Number, Sum(a.Sense, b.Sense)),
                Operation.Subtract => Item.Days(a.Number - b.Number, Difference(a.Sense, b.Sense)),
                Operation.Multiply => Item.Of(a.Number * b.Number),
                Operation.Divide => b.Number == 0 ? Item.Of(ItemError.DivisionByZero) : Item.Of(a.Number / b.Number),
                Operation.Power => Powers.Of(a.Number, b.Number),
                _ => throw new ArgumentOutOfRangeException(nameof(operation), operation, null),
            };
        }
        catch (OverflowException)
        {
            return Item.Of(ItemError.NotANumber);
        }
    }

    /// <summary>A date and a number of days is a date; a date and a time is both.</summary>
    private static NumberSense Sum(NumberSense a, NumberSense b) => (a, b) switch
    {
        (NumberSense.Plain, _) => b,
        (_, NumberSense.Plain) => a,
        (NumberSense.Time, NumberSense.Time) => NumberSense.Time,
        (NumberSense.Date, NumberSense.Date) => NumberSense.Plain,
        _ => NumberSense.DateTime,
    };

    /// <summary>Between two dates lie days.</summary>
    private static NumberSense Difference(NumberSense a, NumberSense b) => (a, b) switch
    {
        (_, NumberSense.Plain) => a,
        (NumberSense.Date or NumberSense.DateTime, NumberSense.Time) => NumberSense.DateTime,
        (NumberSense.Time, NumberSense.Time) => NumberSense.Time,
        _ => NumberSense.Plain,
    };

    /// <summary>Numbers before text before true and false; texts by letters, whatever their case. A text that is an ISO date is one beside a date.</summary>
    private static int Order(Item a, Item b)
    {
        if (a.IsBlank || b.IsBlank)
        {
            (a, b) = (Filled(a, b.Kind), Filled(b, a.Kind));
        }

        if (a.Kind != b.Kind)
        {
            if (a.Kind == ItemKind.Text && b is { Kind: ItemKind.Number, Sense: not NumberSense.Plain } && Coercion.NumberOf(a.Text) is { } left)
            {
                a = left;
            }
            else if (b.Kind == ItemKind.Text && a is { Kind: ItemKind.Number, Sense: not NumberSense.Plain } && Coercion.NumberOf(b.Text) is { } right)
            {
                b = right;
            }
            else
            {
                return Rank(a.Kind).CompareTo(Rank(b.Kind));
            }
        }

        return a.Kind switch
        {
            ItemKind.Text => string.Compare(a.Text, b.Text, StringComparison.OrdinalIgnoreCase),
            ItemKind.List => string.Compare(a.Shown, b.Shown, StringComparison.OrdinalIgnoreCase),
            _ => a.Number.CompareTo(b.Number),
        };
    }

    private static Item Filled(Item item, ItemKind beside) => !item.IsBlank ? item : beside switch
    {
        ItemKind.Text or ItemKind.List or ItemKind.Blank => Item.Of(""),
        ItemKind.Logical => Item.False,
        _ => Item.Of(0m),
    };

    private static int Rank(ItemKind kind) => kind switch { ItemKind.Number => 0, ItemKind.Text => 1, ItemKind.List => 2, _ => 3 };
}
