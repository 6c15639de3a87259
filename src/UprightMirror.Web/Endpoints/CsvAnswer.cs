using System.Globalization;
using System.Text;
using CsvHelper;
using CsvHelper.Configuration;

namespace UprightMirror.Web.Endpoints;

/// <summary>A list as a file that every spreadsheet opens: CSV as RFC 4180 has it, in UTF-8, written as it is read.</summary>
internal static class CsvAnswer
{
    public static IResult Of(string name, IReadOnlyList<string> columns, IAsyncEnumerable<IReadOnlyList<string?>> rows) => Results.Stream(
        async body =>
        {
            // With its mark, so that spreadsheets know the encoding.
            await using var text = new StreamWriter(body, new UTF8Encoding(encoderShouldEmitUTF8Identifier: true), leaveOpen: true);
            await using var csv = new CsvWriter(text, new CsvConfiguration(CultureInfo.InvariantCulture) { NewLine = "\r\n" });
            foreach (var column in columns)
            {
                csv.WriteField(column);
            }

            await csv.NextRecordAsync();
            await foreach (var row in rows)
            {
                foreach (var value in row)
                {
                    csv.WriteField(Plain(value));
                }

                await csv.NextRecordAsync();
            }

            await csv.FlushAsync();
        },
        "text/csv; charset=utf-8", name);

    /// <summary>A text that a spreadsheet would take for a formula is marked as text; a number, or a telephone number with its plus, is none.</summary>
    internal static string? Plain(string? value) =>
        value is [('=' or '@' or '\t' or '\r'), ..] || (value is [('+' or '-'), .. var rest] && !rest.All(c => char.IsAsciiDigit(c) || " .,()/-".Contains(c, StringComparison.Ordinal))) ? "'" + value : value;
}
