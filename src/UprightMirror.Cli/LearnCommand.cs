using System.Collections.Immutable;
using System.Globalization;
using System.Text;
using CsvHelper;
using CsvHelper.Configuration;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Formulas.Learning;

namespace UprightMirror.Cli;

/// <summary><c>upright learn</c>: finds the formula that does what examples show, and applies it.</summary>
internal static class LearnCommand
{
    private const string Output = "output";
    private const int LongestField = 1024 * 1024;

    /// <param name="examples">A CSV file with a header; its last column is called output.</param>
    /// <param name="apply">A CSV file with the same fields; null for none.</param>
    /// <param name="result">Where the fields of <paramref name="apply"/> and their outputs are written.</param>
    public static int Execute(string examples, string? apply, string? result)
    {
        var (header, rows) = Read(examples);
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
        var (header, rows) = Read(from);
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
        try
        {
            using var writer = new StreamWriter(to, append: false, new UTF8Encoding(false));
            using var csv = new CsvWriter(writer, new CsvConfiguration(CultureInfo.InvariantCulture) { NewLine = "\n" });
            Line(kept.Select(i => header[i]).Append(Output));
            foreach (var row in rows)
            {
                Line(kept.Select(i => row[i]).Append(Learner.Apply(formula, header, row, setting).Shown));
            }

            void Line(IEnumerable<string> cells)
            {
                foreach (var cell in cells)
                {
                    csv.WriteField(cell);
                }

                csv.NextRecord();
            }
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new CommandException($"{to} can't be written: {e.Message}");
        }
    }

    /// <summary>The header and the rows of a CSV file, in UTF-8.</summary>
    internal static (ImmutableArray<string> Header, List<ImmutableArray<string>> Rows) Read(string path)
    {
        try
        {
            using var reader = new StreamReader(path, new UTF8Encoding(false, throwOnInvalidBytes: true));
            using var csv = new CsvReader(reader, new CsvConfiguration(CultureInfo.InvariantCulture) { BadDataFound = null, MissingFieldFound = null, MaxFieldSize = LongestField, IgnoreBlankLines = true });
            if (!csv.Read())
            {
                throw new CommandException($"{path} is empty: a header is expected.");
            }

            ImmutableArray<string> header = [.. csv.Parser.Record!.Select(h => h.Trim())];
            var rows = new List<ImmutableArray<string>>();
            while (csv.Read())
            {
                var cells = csv.Parser.Record!;
                if (cells.Length > header.Length)
                {
                    throw new CommandException($"{path}, line {csv.Parser.RawRow}: there are {cells.Length} values under {header.Length} names.");
                }

                rows.Add([.. cells, .. Enumerable.Repeat("", header.Length - cells.Length)]);
            }

            return (header, rows);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new CommandException($"{path} can't be read: {e.Message}");
        }
        catch (Exception e) when (e is CsvHelperException or DecoderFallbackException)
        {
            throw new CommandException($"{path} is not a CSV file in UTF-8: {e.Message.Split('\n')[0].TrimEnd()}");
        }
    }
}
