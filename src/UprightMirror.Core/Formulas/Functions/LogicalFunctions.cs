using System.Collections.Immutable;

namespace UprightMirror.Core.Formulas.Functions;

/// <summary>Choices and questions.</summary>
internal static class LogicalFunctions
{
    private const string Group = "Choices";

    public static readonly ImmutableArray<FormulaFunction> All =
    [
        new("IF", Group, "condition:logical, [then], [else]", "One value or another, as a condition holds or not.", new("IF(3 > 2; \"more\"; \"less\")", "more"), If),
        new("IFERROR", Group, "value, otherwise", "A value, or another one when it is an error.", new("IFERROR(VALUE(\"none\"); 0)", "0"),
            (ref Evaluator e, ImmutableArray<Node> a) => e.Work(a[0]) is { IsError: false } value ? value : e.Work(a[1])),
        new("IFNA", Group, "value, otherwise", "A value, or another one when it is #N/A.", new("IFNA(NA(); \"unknown\")", "unknown"),
            (ref Evaluator e, ImmutableArray<Node> a) => e.Work(a[0]) is var value && value is { IsError: true, Error.Code: "#N/A" } ? e.Work(a[1]) : value),
        new("AND", Group, "condition…", "Whether all of them hold.", new("AND(1 < 2; 2 < 3)", "TRUE"), (a, _) => All_(a, (all, one) => all & one, true)),
        new("OR", Group, "condition…", "Whether at least one of them holds.", new("OR(1 > 2; 2 < 3)", "TRUE"), (a, _) => All_(a, (any, one) => any | one, false)),
        new("NOT", Group, "condition:logical", "Whether it does not hold.", new("NOT(1 > 2)", "TRUE"), (a, _) => Item.Of(!a[0].Logical)),
        new("XOR", Group, "condition…", "Whether an odd number of them hold.", new("XOR(TRUE(); TRUE())", "FALSE"), (a, _) => All_(a, (odd, one) => odd ^ one, false)),
        new("CHOOSE", Group, "number:whole, value…", "The value that stands at a number, from 1.", new("CHOOSE(2; \"low\"; \"middle\"; \"high\")", "middle"), Choose),
        new("TRUE", Group, "", "True.", new("TRUE()", "TRUE"), (_, _) => Item.True),
        new("FALSE", Group, "", "False.", new("FALSE()", "FALSE"), (_, _) => Item.False),
        new("ISBLANK", Group, "value", "Whether there is no value.", new("ISBLANK(\"x\")", "FALSE"), (a, _) => Item.Of(a[0].IsBlank || a[0] is { Kind: ItemKind.List, Items.IsEmpty: true }), takesErrors: true),
        new("ISNUMBER", Group, "value", "Whether it is a number, date or time.", new("ISNUMBER(\"12\")", "FALSE"), (a, _) => Item.Of(a[0].Kind == ItemKind.Number), takesErrors: true),
        new("ISTEXT", Group, "value", "Whether it is text.", new("ISTEXT(\"12\")", "TRUE"), (a, _) => Item.Of(a[0].Kind == ItemKind.Text), takesErrors: true),
        new("ISERROR", Group, "value", "Whether it is an error.", new("ISERROR(1 / 0)", "TRUE"), (a, _) => Item.Of(a[0].IsError), takesErrors: true),
        new("ISNA", Group, "value", "Whether it is #N/A.", new("ISNA(NA())", "TRUE"), (a, _) => Item.Of(a[0] is { IsError: true, Error.Code: "#N/A" }), takesErrors: true),
        new("NA", Group, "", "The error #N/A: not available.", new("NA()", "#N/A"), (_, _) => Item.Of(ItemError.NotAvailable)),
    ];

    private static Item If(ref Evaluator evaluator, ImmutableArray<Node> arguments)
    {
        var condition = Coercion.Logical(evaluator.Work(arguments[0]));
        return condition.IsError ? condition
            : condition.Logical ? (arguments.Length > 1 ? evaluator.Work(arguments[1]) : Item.True)
            : arguments.Length > 2 ? evaluator.Work(arguments[2]) : Item.False;
    }

    private static Item Choose(ref Evaluator evaluator, ImmutableArray<Node> arguments)
    {
        var number = FormulaFunction.As(evaluator.Work(arguments[0]), ParameterKind.Whole);
        return number.IsError ? number
            : number.Number < 1 || number.Number >= arguments.Length ? Item.Of(ItemError.Value($"there is no value number {Item.Plain(number.Number)}"))
            : evaluator.Work(arguments[(int)number.Number]);
    }

    private static Item All_(Item[] conditions, Func<bool, bool, bool> together, bool start)
    {
        foreach (var condition in conditions)
        {
            foreach (var one in condition.Kind == ItemKind.List ? condition.Items : [condition])
            {
                var logical = Coercion.Logical(one);
                if (logical.IsError)
                {
                    return logical;
                }

                start = together(start, logical.Logical);
            }
        }

        return Item.Of(start);
    }
}
