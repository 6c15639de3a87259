using System.Collections.Immutable;

namespace UprightMirror.Core.Formulas.Functions;

/// <summary>What a function wants for a parameter; what it is given is made into that first.</summary>
public enum ParameterKind : byte
{
    /// <summary>Whatever it is.</summary>
    Any,
    Text,
    Number,

    /// <summary>A number whose decimals are left out.</summary>
    Whole,
    Logical,
    Date,
}

/// <param name="Name">As people read it in the signature.</param>
/// <param name="IsRepeated">Whether it may be given any number of times; for the last one only.</param>
public sealed record Parameter(string Name, ParameterKind Kind, bool IsOptional, bool IsRepeated);

/// <summary>An example that the documentation shows and the tests work out.</summary>
public sealed record FunctionExample(string Formula, string Result);

/// <summary>A function of the formula language: what it takes, what it gives, and an example. The documentation is made of this.</summary>
public sealed class FormulaFunction
{
    private const int MostArguments = 255;
    private readonly Eager? eager;
    private readonly Lazy? lazy;
    private readonly bool takesErrors;

    internal FormulaFunction(string name, string group, string parameters, string summary, FunctionExample example, Eager work, bool takesErrors = false)
        : this(name, group, parameters, summary, example)
    {
        this.eager = work;
        this.takesErrors = takesErrors;
    }

    internal FormulaFunction(string name, string group, string parameters, string summary, FunctionExample example, Lazy work)
        : this(name, group, parameters, summary, example) => this.lazy = work;

    private FormulaFunction(string name, string group, string parameters, string summary, FunctionExample example)
    {
        (this.Name, this.Group, this.Summary, this.Example) = (name, group, summary, example);
        this.Parameters = [.. parameters.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries).Select(Read)];
        this.Least = this.Parameters.Count(p => !p.IsOptional);
        this.Most = this.Parameters is [.., { IsRepeated: true }] ? MostArguments : this.Parameters.Length;
    }

    /// <summary>Works on arguments that were worked out and made into what the parameters want.</summary>
    internal delegate Item Eager(Item[] arguments, FormulaSetting setting);

    /// <summary>Works out only those of its arguments that it needs.</summary>
    internal delegate Item Lazy(ref Evaluator evaluator, ImmutableArray<Node> arguments);

    public string Name { get; }

    /// <summary>Under which heading it is documented.</summary>
    public string Group { get; }

    public ImmutableArray<Parameter> Parameters { get; }

    /// <summary>One sentence.</summary>
    public string Summary { get; }

    public FunctionExample Example { get; }

    /// <summary>The fewest arguments that it takes.</summary>
    public int Least { get; }

    /// <summary>The most arguments that it takes.</summary>
    public int Most { get; }

    /// <summary>As it is written: <c>LEFT(text; [characters])</c>.</summary>
    public string Signature => $"{this.Name}({string.Join("; ", this.Parameters.Select(p => (p.IsOptional ? $"[{p.Name}]" : p.Name) + (p.IsRepeated ? "; …" : "")))})";

    /// <summary>What is wrong with a number of arguments; null when nothing is.</summary>
    internal string? Complaint(int count) => count >= this.Least && count <= this.Most ? null
        : $"{this.Name} takes {(this.Least == this.Most ? $"{this.Least}" : this.Most == MostArguments ? $"at least {this.Least}" : $"{this.Least} to {this.Most}")} {(this.Least == 1 && this.Most == 1 ? "argument" : "arguments")}, and has {count}: {this.Signature}.";

    internal Item Work(ref Evaluator evaluator, ImmutableArray<Node> nodes)
    {
        if (this.lazy is { } own)
        {
            return own(ref evaluator, nodes);
        }

        var items = new Item[nodes.Length];
        for (var i = 0; i < items.Length; i++)
        {
            var item = evaluator.Work(nodes[i]);
            if (!this.takesErrors)
            {
                var parameter = this.Parameters[Math.Min(i, this.Parameters.Length - 1)];
                item = parameter.IsOptional && item.IsBlank ? item : As(item, parameter.Kind);
                if (item.IsError)
                {
                    return item;
                }
            }

            items[i] = item;
        }

        try
        {
            return this.eager!(items, evaluator.Setting);
        }
        catch (OverflowException)
        {
            return Item.Of(ItemError.NotANumber);
        }
    }

    internal static Item As(Item item, ParameterKind kind)
    {
        switch (kind)
        {
            case ParameterKind.Text:
                return Coercion.Text(item);
            case ParameterKind.Number:
                return Coercion.Number(item);
            case ParameterKind.Whole:
                var number = Coercion.Number(item);
                return number.IsError ? number
                    : Math.Abs(number.Number) > int.MaxValue ? Item.Of(ItemError.Value($"{Item.Plain(number.Number)} is too large here"))
                    : Item.Of(Math.Truncate(number.Number));
            case ParameterKind.Logical:
                return Coercion.Logical(item);
            case ParameterKind.Date:
                return Coercion.Date(item);
            default:
                return item;
        }
    }

    /// <summary>The items one by one, those of lists among them.</summary>
    internal static List<Item> Flat(Item[] items) => [.. items.SelectMany(i => i.Kind == ItemKind.List ? i.Items.AsEnumerable() : [i])];

    /// <summary>Reads <c>[name:kind]</c>, with an ellipsis when it may be repeated.</summary>
    private static Parameter Read(string text)
    {
        var optional = text.StartsWith('[');
        var repeated = text.EndsWith('…');
        var parts = text.Trim('[', ']', '…').Split(':');
        return new Parameter(parts[0], parts.Length == 1 ? ParameterKind.Any : Enum.Parse<ParameterKind>(parts[1], ignoreCase: true), optional, repeated);
    }
}
