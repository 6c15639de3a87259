using System.Collections.Immutable;
using System.Globalization;
using System.Text;
using CsvHelper;
using CsvHelper.Configuration;

namespace UprightMirror.Cli;

/// <summary>CSV files as the commands take and write them: a header, UTF-8, lines that end in a line feed.</summary>
internal static class CsvFile
{
    private const int LongestField = 1024 * 1024;

    /// <summary>The header and the rows; a row with fewer values than names has empty ones for the rest.</summary>
    /// <exception cref="CommandException">It can't be read, or is no such file.</exception>
    public static (ImmutableArray<string> Header, List<ImmutableArray<string>> Rows) Read(string path)
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

    /// <summary>Writes a file, one row after another as they come.</summary>
    /// <param name="rows">The header first.</param>
    /// <exception cref="CommandException">It can't be written.</exception>
    public static void Write(string path, IEnumerable<IEnumerable<string>> rows)
    {
        try
        {
            using var writer = new StreamWriter(path, append: false, new UTF8Encoding(false));
            using var csv = new CsvWriter(writer, new CsvConfiguration(CultureInfo.InvariantCulture) { NewLine = "\n" });
            foreach (var row in rows)
            {
                foreach (var cell in row)
                {
                    csv.WriteField(cell);
                }

                csv.NextRecord();
            }
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new CommandException($"{path} can't be written: {e.Message}");
        }
    }
}
