using System.Collections.Immutable;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Formulas.Learning;

namespace UprightMirror.Cli;

/// <summary><c>upright learn</c>: finds the formula that does what examples show, and applies it.</summary>
internal static class LearnCommand
{
    private const string Output = "output";

    /// <param name="examples">A CSV file with a header; its last column is called output.</param>
    /// <param name="apply">A CSV file with the same fields; null for none.</param>
    /// <param name="result">Where the fields of <paramref name="apply"/> and their outputs are written.</param>
    public static int Execute(string examples, string? apply, string? result)
    {
        var (header, rows) = CsvFile.Read(examples);
        if (header.IsEmpty || header[^1] != Output || header.Length < 2)
        {
            throw new CommandException($"{examples}: the last column of the examples is called {Output}, and at least one stands before it.");
        }

        var fields = header[..^1];
        if (fields.Distinct().Count() < fields.Length)
        {
            throw new CommandException($"{examples}: two columns have the same name.");
        }

        if (rows.Count is 0 or > Learner.MostExamples)
        {
            throw new CommandException($"{examples}: there are {rows.Count:N0} examples; 1 to {Learner.MostExamples} are looked at.");
        }

        var learned = Learner.Learn(fields, [.. rows.Select(r => new Example(r[..^1], r[^1]))]);
        if (learned.Count == 0)
        {
            throw new CommandException("No formula fits all of the examples. Check them for a typing error, or show simpler ones: each output must follow from its own row.");
        }

        Console.WriteLine(learned[0].Formula);
        if (apply is not null && result is not null)
        {
            Apply(learned[0].Formula, fields, apply, result);
        }

        return 0;
    }

    private static void Apply(string text, ImmutableArray<string> fields, string from, string to)
    {
        var (header, rows) = CsvFile.Read(from);
        if (!Formula.Parse(text, fields.Contains, out var formula, out var problem))
        {
            throw new CommandException(problem.Sentence);
        }

        if (formula.Fields.FirstOrDefault(f => !header.Contains(f)) is { } missing)
        {
            throw new CommandException($"{from}: there is no column called {missing}, which the formula needs.");
        }

        // A column that is called output in the rows is written anew.
        ImmutableArray<int> kept = [.. Enumerable.Range(0, header.Length).Where(i => header[i] != Output)];
        var setting = new FormulaSetting(DateTimeOffset.UtcNow);
        CsvFile.Write(to, rows.Select(row => kept.Select(i => row[i]).Append(Learner.Apply(formula, header, row, setting).Shown)).Prepend(kept.Select(i => header[i]).Append(Output)));
    }
}
