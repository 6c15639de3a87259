using System.Buffers;
using System.Text;

namespace UprightMirror.Connectors.Files;

/// <summary>How a file is written, as it was detected. It is shown to people, never assumed silently.</summary>
/// <param name="Encoding">utf-8, utf-16 or windows-1252.</param>
/// <param name="Delimiter">For CSV, what stands between two values; null for other kinds.</param>
/// <param name="DecimalMark">For CSV, what stands before the decimals of a number; null when no number has any, and for other kinds.</param>
public sealed record FileForm(string Encoding, char? Delimiter, char? DecimalMark)
{
    private const int Window = 64 * 1024;

    /// <summary>As people read it: "CSV, windows-1252, semicolons, decimal comma".</summary>
    public string InWords(string kind) => string.Join(", ", new[]
    {
        kind,
        this.Encoding,
        this.Delimiter switch { ',' => "commas between values", ';' => "semicolons between values", '\t' => "tabs between values", '|' => "bars between values", _ => null },
        this.DecimalMark switch { ',' => "decimal comma", '.' => "decimal point", _ => null },
    }.OfType<string>());

    /// <summary>The character encoding to read with; wrong bytes are an error, not a replacement character.</summary>
    public Encoding TextEncoding => this.Encoding switch
    {
        "utf-16" => new UnicodeEncoding(false, true, true),
        "windows-1252" => CodePagesEncodingProvider.Instance.GetEncoding(1252)!,
        _ => new UTF8Encoding(false, true),
    };

    /// <summary>Looks through a whole file once, in bounded memory.</summary>
    /// <param name="wantedMark">The decimal mark when it is set and not to be detected.</param>
    /// <exception cref="FileRefused">It is no text, or a quote in it is never closed.</exception>
    public static async Task<FileForm> Detect(string path, bool isCsv, char? wantedMark, CancellationToken cancellation)
    {
        await using var file = new FileStream(path, FileMode.Open, FileAccess.Read, FileShare.Read, Window, FileOptions.Asynchronous | FileOptions.SequentialScan);
        var encoding = await EncodingOf(file, cancellation);
        if (!isCsv)
        {
            return new FileForm(encoding, null, null);
        }

        file.Position = 0;
        var form = new FileForm(encoding, null, null);
        using var text = new StreamReader(file, form.TextEncoding, detectEncodingFromByteOrderMarks: true, Window);
        var scan = new CsvScan();
        var buffer = ArrayPool<char>.Shared.Rent(Window);
        try
        {
            for (int read; (read = await text.ReadAsync(buffer.AsMemory(0, Window), cancellation)) > 0;)
            {
                scan.Look(buffer.AsSpan(0, read));
            }
        }
        finally
        {
            ArrayPool<char>.Shared.Return(buffer);
        }

        return scan.InQuotes
            ? throw new FileRefused($"A quote that opens on line {scan.QuoteLine} is never closed: where its value ends can't be known, so nothing of the file was taken.")
            : form with { Delimiter = scan.Delimiter, DecimalMark = wantedMark ?? scan.DecimalMark };
    }

    private static async Task<string> EncodingOf(FileStream file, CancellationToken cancellation)
    {
        var buffer = ArrayPool<byte>.Shared.Rent(Window);
        var decoder = new UTF8Encoding(false, true).GetDecoder();
        var chars = ArrayPool<char>.Shared.Rent(Window + 4);
        var (utf8, at) = (true, 0L);
        try
        {
            for (int read; (read = await file.ReadAsync(buffer.AsMemory(0, Window), cancellation)) > 0; at += read)
            {
                var bytes = buffer.AsSpan(0, read);
                if (at == 0 && bytes.Length >= 2 && ((bytes[0] == 0xFF && bytes[1] == 0xFE) || (bytes[0] == 0xFE && bytes[1] == 0xFF)))
                {
                    return bytes[0] == 0xFF ? "utf-16" : throw new FileRefused("It is written in UTF-16 with the high byte first, which is not read here. Have it sent as UTF-8.");
                }

                if (bytes.IndexOf((byte)0) is >= 0 and var zero)
                {
                    throw new FileRefused($"It has a NUL at byte {at + zero + 1}: that is no text. Have it sent again.");
                }

                if (utf8)
                {
                    try
                    {
                        decoder.Convert(bytes, chars, flush: false, out _, out _, out _);
                    }
                    catch (DecoderFallbackException)
                    {
                        utf8 = false;
                    }
                }
            }

            if (utf8)
            {
                try
                {
                    decoder.Convert([], chars, flush: true, out _, out _, out _);
                }
                catch (DecoderFallbackException)
                {
                    utf8 = false;
                }
            }

            return utf8 ? "utf-8" : "windows-1252";
        }
        finally
        {
            ArrayPool<byte>.Shared.Return(buffer);
            ArrayPool<char>.Shared.Return(chars);
        }
    }
}

/// <summary>A file that can't be taken at all.</summary>
public sealed class FileRefused(string why) : Exception(why);
