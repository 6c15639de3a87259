using System.Text;

namespace UprightMirror.Connectors.Files;

/// <summary>Walks through the characters of a CSV file and keeps count of what tells how it is written.</summary>
internal sealed class CsvScan
{
    private static readonly char[] Delimiters = [',', ';', '\t', '|'];

    private readonly int[] inHeader = new int[Delimiters.Length];
    private readonly StringBuilder word = new(32);
    private int line = 1;
    private bool header = true;
    private bool atStart = true;
    private int commas;
    private int points;

    public bool InQuotes { get; private set; }

    public int QuoteLine { get; private set; }

    /// <summary>What stands most often in the first line.</summary>
    public char Delimiter => Delimiters[Array.IndexOf(this.inHeader, this.inHeader.Max())];

    public char? DecimalMark
    {
        get
        {
            this.Judge();
            return this.commas > this.points ? ',' : this.points > 0 ? '.' : null;
        }
    }

    public void Look(ReadOnlySpan<char> text)
    {
        foreach (var c in text)
        {
            if (c == '"')
            {
                // A quote inside of a value is doubled: it closes and opens again, which comes to the same.
                if (this.InQuotes || this.atStart)
                {
                    this.InQuotes = !this.InQuotes;
                    this.QuoteLine = this.InQuotes ? this.line : this.QuoteLine;
                    this.atStart = !this.InQuotes;
                }

                continue;
            }

            if (c == '\n')
            {
                this.line++;
            }

            if (this.InQuotes)
            {
                this.Add(c);
                continue;
            }

            var which = Array.IndexOf(Delimiters, c);
            this.header &= c != '\n';
            if (this.header && which >= 0)
            {
                this.inHeader[which]++;
            }

            var between = c is '\n' or '\r' || (this.header ? which >= 0 : c == this.Delimiter);
            this.atStart = between;
            if (between)
            {
                this.Judge();
            }
            else
            {
                this.Add(c);
            }
        }
    }

    private void Add(char c)
    {
        if (this.word.Length < 32)
        {
            this.word.Append(c);
        }
    }

    /// <summary>A value that is a number with decimals counts for its mark.</summary>
    private void Judge()
    {
        var value = this.word.ToString().Trim();
        this.word.Clear();
        if (value.Length is 0 or > 24 || !value.All(c => char.IsAsciiDigit(c) || c is '.' or ',' or '-'))
        {
            return;
        }

        var (comma, point) = (value.LastIndexOf(','), value.LastIndexOf('.'));
        var decimals = value.Length - 1 - Math.Max(comma, point);
        if (comma > point && (point >= 0 || decimals != 3))
        {
            this.commas++;
        }
        else if (point > comma && (comma >= 0 || decimals != 3) && value.Count(c => c == '.') == 1)
        {
            this.points++;
        }
    }
}
