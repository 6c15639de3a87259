using System.Collections.Immutable;
using System.Globalization;
using UprightMirror.Core.Matching;

namespace UprightMirror.Cli;

/// <summary><c>upright match</c>: finds the rows of two files, or of one, that are the same thing.</summary>
internal static class MatchCommand
{
    private const double WorthTelling = 0.5;

    /// <param name="Left">A CSV file whose first column is <c>id</c>.</param>
    /// <param name="Right">Another one; null to look for doubles within the first.</param>
    /// <param name="Fields">What columns hold, as <c>column:kind,…</c>; null to have it found out.</param>
    /// <param name="Explain">Adds what each field says of a pair.</param>
    /// <param name="Truth">Pairs that are the same, by their ids: precision, recall and F1 are printed.</param>
    private sealed record Asked(string Left, string? Right, string To, string? Fields, bool Explain, string? Truth);

    private sealed record File(string Path, ImmutableArray<string> Header, List<ImmutableArray<string>> Rows);

    public static int Execute(IReadOnlyList<string> arguments)
    {
        var asked = Read(arguments);
        File[] files = [.. new[] { asked.Left, asked.Right }.OfType<string>().Select(Read)];
        var plans = MatchPlan.Together([.. files.Select(f => PlanOf(f, asked.Fields, files))]);
        var rows = files.SelectMany((f, side) => f.Rows.Select(r => ((IReadOnlyList<string>)r, (byte)side))).ToList();
        var ids = rows.Select(r => r.Item1[0]).ToList();
        if (plans[0].Fields.IsEmpty)
        {
            Console.Error.WriteLine($"Nothing in {string.Join(" and ", files.Select(f => f.Path))} can be compared: no column that both have is known to hold a name, a number, an address or the like. Say what columns hold with --fields column:kind,…");
        }

        var set = MatchSet.Of(plans, rows);
        var matcher = Matcher.Learn(set, across: files.Length > 1);
        var pairs = matcher.Pairs();
        var told = pairs.Where(p => p.Probability >= WorthTelling).OrderByDescending(p => p.Probability).ThenBy(p => p.A).ThenBy(p => p.B).ToList();
        Write(asked, files, plans[0], ids, matcher, told);
        if (asked.Truth is { } truth)
        {
            Quality(truth, ids, told, across: files.Length > 1);
            Console.WriteLine($"pairs compared {matcher.Report.Pairs.ToString(CultureInfo.InvariantCulture)}, never compared about {Matcher.Missed(pairs).ToString("0.#", CultureInfo.InvariantCulture)} that are the same");
        }

        return 0;
    }

    private static Asked Read(IReadOnlyList<string> arguments)
    {
        var values = new Dictionary<string, string>(StringComparer.Ordinal);
        for (var i = 0; i < arguments.Count; i++)
        {
            if (arguments[i] == "--explain")
            {
                values["--explain"] = "yes";
            }
            else if (arguments[i] is "--left" or "--right" or "--within" or "--out" or "--fields" or "--truth" && i + 1 < arguments.Count)
            {
                values[arguments[i]] = arguments[++i];
            }
            else
            {
                throw new CommandException($"{arguments[i]} is not understood. The command is: upright match --left A.csv --right B.csv --out LINKS.csv, or upright match --within A.csv --out PAIRS.csv, with --fields, --explain and --truth as needed.");
            }
        }

        var (left, right) = (values.GetValueOrDefault("--left"), values.GetValueOrDefault("--right"));
        var within = values.GetValueOrDefault("--within");
        if (!values.TryGetValue("--out", out var to) || (within is null) == (left is null || right is null) || (within is not null && (left ?? right) is not null))
        {
            throw new CommandException("Say which files: --left A.csv --right B.csv --out LINKS.csv, or --within A.csv --out PAIRS.csv.");
        }

        return new Asked(within ?? left!, right, to, values.GetValueOrDefault("--fields"), values.ContainsKey("--explain"), values.GetValueOrDefault("--truth"));
    }

    private static File Read(string path)
    {
        var (header, rows) = CsvFile.Read(path);
        if (header.IsEmpty || !header[0].Equals("id", StringComparison.OrdinalIgnoreCase))
        {
            throw new CommandException($"{path}: the first column is called id.");
        }

        if (rows.GroupBy(r => r[0], StringComparer.Ordinal).FirstOrDefault(g => g.Count() > 1) is { } twice)
        {
            throw new CommandException($"{path}: the id {twice.Key} stands in {twice.Count()} rows. Each row has an id of its own.");
        }

        return new File(path, header, rows);
    }

    private static MatchPlan PlanOf(File file, string? said, IReadOnlyList<File> all)
    {
        var fields = said?.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries).Select(f => f.Split(':', 2) is [var column, var kind] ? (Column: column.Trim(), Kind: kind.Trim()) : throw new CommandException($"--fields: {f} is no column and kind, such as name:organisation.")).ToList();
        foreach (var (column, _) in fields ?? [])
        {
            if (!all.Any(f => f.Header.Contains(column)))
            {
                throw new CommandException($"--fields: there is no column called {column}. There are {string.Join(", ", all.SelectMany(f => f.Header).Skip(1).Distinct())}.");
            }
        }

        try
        {
            return MatchPlan.Of([.. file.Header.Select((h, i) => i == 0 ? "" : h)], [.. file.Rows.Take(500).Select(r => (IReadOnlyList<string>)r)], fields?.Where(f => file.Header.Contains(f.Column)).ToList());
        }
        catch (ArgumentException e)
        {
            throw new CommandException($"--fields: {e.Message}.");
        }
    }

    private static void Write(Asked asked, IReadOnlyList<File> files, MatchPlan plan, List<string> ids, Matcher matcher, List<MatchedPair> pairs)
    {
        CsvFile.Write(asked.To, pairs.Select(p => ((IEnumerable<string>)[ids[p.A], ids[p.B], p.Probability.ToString("0.######", CultureInfo.InvariantCulture)]).Concat(Explained(p)))
            .Prepend(["left_id", "right_id", "probability", .. asked.Explain ? plan.Fields.Select(f => ColumnOf(files[0], f)).Prepend("before").Append("relatives").Append("others") : []]));

        // Together the natural logarithm of the odds.
        IEnumerable<string> Explained(MatchedPair pair) => asked.Explain && matcher.Evidence(pair) is var evidence
            ? evidence.Fields.Select(e => e.Weight).Prepend(evidence.Before).Append(evidence.Relatives).Append(evidence.Rivals).Select(w => w.ToString("0.####", CultureInfo.InvariantCulture))
            : [];
    }

    private static string ColumnOf(File file, EvidenceField field) => string.Join('+', field.Columns.Where(c => c >= 0).Select(c => file.Header[c]));

    private static void Quality(string path, List<string> ids, List<MatchedPair> told, bool across)
    {
        var (header, rows) = CsvFile.Read(path);
        if (header.Length < 2)
        {
            throw new CommandException($"{path}: the truth has two columns, the ids of two rows that are the same.");
        }

        var known = ids.ToHashSet(StringComparer.Ordinal);
        var truth = rows.Select(r => Ordered(r[0], r[1])).Where(p => known.Contains(p.Item1) && known.Contains(p.Item2)).ToHashSet();
        var right = told.Count(p => truth.Contains(Ordered(ids[p.A], ids[p.B])));
        double precision = told.Count == 0 ? 1 : right / (double)told.Count, recall = truth.Count == 0 ? 1 : right / (double)truth.Count;
        var f1 = precision + recall == 0 ? 0 : 2 * precision * recall / (precision + recall);
        Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"precision {precision:0.0000}  recall {recall:0.0000}  F1 {f1:0.0000}  ({right} of {told.Count} pairs right, {truth.Count} to be found)"));

        (string, string) Ordered(string a, string b) => across || string.CompareOrdinal(a, b) <= 0 ? (a, b) : (b, a);
    }
}
