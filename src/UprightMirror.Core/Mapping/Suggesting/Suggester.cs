using System.Collections.Immutable;
using System.Globalization;
using UprightMirror.Core.Matching.Comparing;

namespace UprightMirror.Core.Mapping.Suggesting;

/// <summary>
/// Finds which fields of two collections may hold the same: by what their names say, by their letters, labels and types, and by their
/// values; then the best way to pair them one to one. Nothing is applied by itself.
/// </summary>
public static class Suggester
{
    /// <summary>A pair below this is not worth offering.</summary>
    public const double WorthOffering = 0.5;

    /// <summary>A pair from here on is offered among the sure ones.</summary>
    public const double Sure = 0.85;

    private const int MostSamples = 400;

    /// <param name="linked">Pairs of records that are known to be one thing: fields that say the same in them speak for each other, whatever they are called.</param>
    public static IReadOnlyList<Suggestion> Suggest(IReadOnlyList<FieldSketch> left, IReadOnlyList<FieldSketch> right, Words? words = null, IReadOnlyList<(RawFields Left, RawFields Right)>? linked = null)
    {
        if (left.Count == 0 || right.Count == 0)
        {
            return [];
        }

        var known = words ?? Words.Known;
        var (l, r) = (left.Select(f => new Seen(f, known)).ToArray(), right.Select(f => new Seen(f, known)).ToArray());
        var lexicon = new Lexicon(l, r);
        var shared = Shared(l, r);
        var agreement = linked is { Count: > 0 } ? LinkedAgreement.Of(left, right, linked) : null;
        var confidence = new double[l.Length, r.Length];
        for (var i = 0; i < l.Length; i++)
        {
            for (var j = 0; j < r.Length; j++)
            {
                confidence[i, j] = Confidence(Evidence(l[i], r[j], shared[i, j], lexicon), agreement?.Strength(i, j) ?? 0);
            }
        }

        var worth = new double[l.Length, r.Length];
        for (var i = 0; i < l.Length; i++)
        {
            for (var j = 0; j < r.Length; j++)
            {
                worth[i, j] = Math.Max(0, confidence[i, j] - 0.3);
            }
        }

        var best = Assignment.Best(worth);
        return [.. best.Select((j, i) => (i, j)).Where(p => p.j >= 0 && confidence[p.i, p.j] >= WorthOffering)
            .Select(p => new Suggestion(p.i, p.j, Math.Round(confidence[p.i, p.j], 3), [.. agreement?.Words(p.i, p.j) is { } told ? [told] : ImmutableArray<string>.Empty, .. Why(l[p.i], r[p.j], shared[p.i, p.j], lexicon)]))
            .OrderByDescending(s => s.Confidence).ThenBy(s => s.Left)];
    }

    /// <summary>A field as it is compared.</summary>
    private sealed class Seen
    {
        public Seen(FieldSketch field, Words words)
        {
            this.Field = field;
            this.Said = new Spoken(words.Read(field.Name));

            // The last part of a path says what it is; what stands before, where.
            this.Leaf = field.Name.Contains('.', StringComparison.Ordinal) ? new Spoken(words.Read(field.Name[(field.Name.LastIndexOf('.') + 1)..])) : this.Said;
            this.Label = new Spoken(field.Label is { Length: > 0 } label && label != field.Name ? words.Read(label) : []);
            this.Letters = string.Concat(field.Name.Where(char.IsLetterOrDigit)).ToLowerInvariant();
            foreach (var c in this.Letters)
            {
                this.LetterSet |= 1UL << (c % 64);
            }

            this.Shape = ValueShape.Of(field.Values.Take(MostSamples));
            this.Type = TypeOf(field.Type);
        }

        public FieldSketch Field { get; }

        public Spoken Said { get; }

        public Spoken Leaf { get; }

        public Spoken Label { get; }

        public string Letters { get; }

        /// <summary>Which letters the name has, as bits.</summary>
        public ulong LetterSet { get; }

        public ValueShape Shape { get; }

        public char? Type { get; }
    }

    /// <param name="Name">How much the names say the same, 0 to 1.</param>
    /// <param name="Values">How well the values could be the same, -1 to 1.</param>
    /// <param name="Type">-1 where the types can't hold the same.</param>
    private readonly record struct Signs(double Name, double Values, double Type);

    private static Signs Evidence(Seen a, Seen b, int shared, Lexicon lexicon)
    {
        var isClash = Clash(a, b);
        var name = lexicon.Likeness(a.Said, b.Said);
        if (a.Leaf != a.Said || b.Leaf != b.Said)
        {
            name = Math.Max(name, (0.97 * lexicon.Likeness(a.Leaf, b.Leaf)) - (isClash ? 0.4 : 0.05));
        }

        if (a.Label.Count > 0 || b.Label.Count > 0)
        {
            var (la, lb) = (a.Label.Count > 0 ? a.Label : a.Said, b.Label.Count > 0 ? b.Label : b.Said);
            name = Math.Max(name, 0.95 * lexicon.Likeness(la, lb));
        }

        if (name < 0.9 && a.Letters.Length > 3 && b.Letters.Length > 3 && ShareLetters(a, b))
        {
            var letters = Letters(a.Letters, b.Letters);
            name = Math.Max(name, letters > 0.92 ? letters * 0.95 : IsCut(a.Letters, b.Letters) || IsCut(b.Letters, a.Letters) ? 0.8 : 0);
        }

        return new Signs(isClash ? name * 0.55 : name, ValueShape.Likeness(a.Shape, b.Shape, shared), Types(a.Type, b.Type));
    }

    /// <summary>Whether two names have most of the shorter one's letters in common; where not, they are not looked at letter by letter.</summary>
    private static bool ShareLetters(Seen a, Seen b) =>
        System.Numerics.BitOperations.PopCount(a.LetterSet & b.LetterSet) * 10 >= Math.Min(System.Numerics.BitOperations.PopCount(a.LetterSet), System.Numerics.BitOperations.PopCount(b.LetterSet)) * 9;

    /// <param name="agreement">How far linked records say the same in the two fields, 0 to 1.</param>
    private static double Confidence(Signs s, double agreement)
    {
        // Values that are the same speak for a pair whatever its names say; names alone must say nearly the same.
        var logit = -3.6 + (7.2 * s.Name) + ((s.Values < 0 ? 3.2 : 3.0) * s.Values) + (4.5 * Math.Max(0, s.Values - 0.5)) + (1.5 * s.Type) + (5.5 * agreement);
        return 1 / (1 + Math.Exp(-logit));
    }

    /// <summary>Words that exclude each other wherever they stand in a path.</summary>
    private static readonly string[][] Places = [["billing", "shipping"], ["home", "business"], ["customer", "supplier"]];

    /// <summary>Words that exclude each other in what a path ends with.</summary>
    private static readonly string[][] Opposites = [["minimum", "maximum"], ["created", "modified"], ["street", "street2"], ["firstname", "lastname"], ["netamount", "totalamount"], ["taxamount", "totalamount"], ["taxamount", "netamount"], ["start", "end"], ["from", "until"], ["mobile", "fax"], ["telephone", "fax"], ["createdby", "modifiedby"], ["first", "last"], ["price", "cost"], ["width", "height"], ["width", "length"], ["height", "length"], ["latitude", "longitude"], ["prefix", "suffix"]];

    /// <summary>Whether the names say things that exclude each other: a billing city is no shipping city.</summary>
    private static bool Clash(Seen a, Seen b) => Clash(Places, a.Said, b.Said) || Clash(Opposites, a.Leaf, b.Leaf);

    private static bool Clash(string[][] pairs, Spoken a, Spoken b)
    {
        foreach (var pair in pairs)
        {
            var (a0, a1, b0, b1) = (Says(a, pair[0]), Says(a, pair[1]), Says(b, pair[0]), Says(b, pair[1]));
            if ((a0 && b1 && !a1 && !b0) || (a1 && b0 && !a0 && !b1))
            {
                return true;
            }
        }

        return false;

        static bool Says(Spoken said, string word)
        {
            for (var i = 0; i < said.Count; i++)
            {
                if (said[i].Word == word)
                {
                    return true;
                }
            }

            return false;
        }
    }

    private static readonly Dictionary<(string, string), double> Near = new (string A, string B, double How)[]
    {
        ("fullname", "name", 0.85), ("organisation", "name", 0.6), ("productname", "name", 0.85), ("productname", "title", 0.6), ("title", "name", 0.6), ("productname", "description", 0.55), ("jobtitle", "title", 0.75), ("prefix", "title", 0.55), ("mobile", "telephone", 0.55), ("customernumber", "number", 0.55), ("customernumber", "identifier", 0.6), ("customernumber", "customer", 0.8),
        ("sku", "identifier", 0.55), ("sku", "number", 0.5), ("sku", "code", 0.6), ("sku", "product", 0.7), ("invoicenumber", "number", 0.75), ("invoicenumber", "identifier", 0.7), ("ordernumber", "number", 0.7), ("ordernumber", "identifier", 0.65), ("ordernumber", "order", 0.8), ("invoicedate", "date", 0.75), ("orderdate", "date", 0.7), ("totalamount", "amount", 0.75), ("netamount", "amount", 0.5), ("description", "note", 0.6),
        ("orderstatus", "status", 0.85), ("paymentstatus", "status", 0.5), ("street", "address", 0.7), ("taxrate", "percent", 0.6), ("taxrate", "taxamount", 0.2), ("customernumber", "reference", 0.35), ("website", "domain", 0.7), ("number", "identifier", 0.7), ("code", "identifier", 0.5), ("category", "segment", 0.5), ("category", "type", 0.6), ("segment", "type", 0.6), ("status", "active", 0.4), ("supplier", "manufacturer", 0.4), ("brand", "manufacturer", 0.6), ("created", "date", 0.4), ("quantity", "stock", 0.35), ("price", "amount", 0.5), ("employees", "size", 0.4), ("username", "nickname", 0.4), ("description", "productname", 0.55), ("paymentterms", "duedate", 0.2), ("title", "description", 0.4), ("username", "identifier", 0.7), ("description", "name", 0.5), ("category", "tags", 0.85), ("subject", "tags", 0.8), ("subject", "title", 0.6), ("published", "date", 0.75), ("region", "orderstatus", 0.5), ("region", "status", 0.5), ("start", "date", 0.4), ("discountcode", "discount", 0.4),
    }.SelectMany(n => new[] { ((n.A, n.B), n.How), ((n.B, n.A), n.How) }).DistinctBy(n => n.Item1).ToDictionary(n => n.Item1, n => n.Item2);

    /// <summary>Two words that say nearly the same, or are nearly the same letters.</summary>
    private static double Related(string a, string b) => Near.TryGetValue((a, b), out var near) ? near
        : a.Length > 4 && b.Length > 4 && Letters(a, b) is > 0.93 and var letters ? letters * 0.9
        : IsShortFor(a, b) || IsShortFor(b, a) ? 0.8
        : a.Length > 2 && b.Length > 3 && (b.StartsWith(a, StringComparison.Ordinal) || (b.Length > 2 && a.StartsWith(b, StringComparison.Ordinal))) ? 0.6
        : 0;

    /// <summary>Whether a whole name is another with letters left out: crlimit for credit limit.</summary>
    private static bool IsCut(string cut, string name)
    {
        if (cut.Length < 5 || name.Length > cut.Length * 2.6 || name.Length < cut.Length + 2 || cut[0] != name[0] || cut[^1] != name[^1] && name[^1] is not ('e' or 'y'))
        {
            return false;
        }

        var at = 0;
        foreach (var c in name)
        {
            at += at < cut.Length && c == cut[at] ? 1 : 0;
        }

        return at == cut.Length;
    }

    /// <summary>Whether a word is another with letters left out: cty for city, crt for created.</summary>
    private static bool IsShortFor(string cut, string word)
    {
        if (cut.Length < 2 || cut.Length > 5 || word.Length <= cut.Length || cut[0] != word[0] || (cut.Length == 2 && word.Length > 6))
        {
            return false;
        }

        var at = 0;
        foreach (var c in word)
        {
            at += at < cut.Length && c == cut[at] ? 1 : 0;
        }

        // Vowels are what people leave out.
        return at == cut.Length && (cut.Length > 2 || !cut.Any(c => c is 'a' or 'e' or 'i' or 'o' or 'u')) && cut.Skip(1).Count(c => c is 'a' or 'e' or 'i' or 'o' or 'u') <= 1;
    }

    /// <summary>All words of two lists of fields: how rare each is, and how near each on the left is to each on the right. Worked out once.</summary>
    private sealed class Lexicon
    {
        private readonly Dictionary<string, int> numbers = new(StringComparer.Ordinal);
        private readonly double[] rarity;
        private readonly float[,] near;

        public Lexicon(Seen[] left, Seen[] right)
        {
            // A word that many fields say tells them apart less.
            var counts = left.Concat(right).SelectMany(s => s.Said.Concat(s.Leaf).Concat(s.Label).Select(w => w.Word).Distinct()).CountBy(w => w).ToList();
            this.rarity = [.. counts.Select(w => Math.Clamp(1.15 - (0.9 * w.Value / (left.Length + right.Length)), 0.5, 1))];
            foreach (var (word, _) in counts)
            {
                this.numbers[word] = this.numbers.Count;
            }

            this.near = new float[counts.Count, counts.Count];
            var (leftWords, rightWords) = (this.Of(left), this.Of(right));
            foreach (var (a, i) in leftWords)
            {
                foreach (var (b, j) in rightWords)
                {
                    this.near[i, j] = a == b ? 1 : (float)Related(a, b);
                }
            }
        }

        /// <summary>How much two names say the same: what they share of all that they say, by weight; rare words count more.</summary>
        public double Likeness(Spoken a, Spoken b)
        {
            double all = 0, same = 0;
            for (var j = 0; j < b.Count; j++)
            {
                all += b[j].Weight * this.rarity[this.NumberOf(b, j)];
            }

            for (var i = 0; i < a.Count; i++)
            {
                var word = this.NumberOf(a, i);
                var weight = a[i].Weight * this.rarity[word];
                all += weight;
                var (best, bestWeight) = (0.0, 0.0);
                for (var j = 0; j < b.Count; j++)
                {
                    var other = this.NumberOf(b, j);
                    if (this.near[word, other] > best)
                    {
                        (best, bestWeight) = (this.near[word, other], b[j].Weight * this.rarity[other]);
                    }
                }

                same += best * (weight + bestWeight);
            }

            return all == 0 ? 0 : Math.Min(1, same / all);
        }

        private int NumberOf(Spoken said, int index) => (said.Numbers ??= [.. said.Words.Select(w => this.numbers[w.Word])])[index];

        private List<(string Word, int Number)> Of(Seen[] seen) => [.. seen.SelectMany(s => s.Said.Words.Concat(s.Leaf.Words).Concat(s.Label.Words)).Select(w => w.Word).Distinct().Select(w => (w, this.numbers[w]))];
    }

    /// <summary>What a name says, word by word.</summary>
    private sealed class Spoken(IReadOnlyList<(string Word, double Weight)> words) : IReadOnlyList<(string Word, double Weight)>
    {
        public IReadOnlyList<(string Word, double Weight)> Words => words;

        /// <summary>The words' numbers in the lexicon; null before they were looked up.</summary>
        public int[]? Numbers { get; set; }

        public int Count => words.Count;

        public (string Word, double Weight) this[int index] => words[index];

        public IEnumerator<(string Word, double Weight)> GetEnumerator() => words.GetEnumerator();

        System.Collections.IEnumerator System.Collections.IEnumerable.GetEnumerator() => words.GetEnumerator();
    }

    /// <summary>How many different values each pair of fields has in common.</summary>
    private static int[,] Shared(Seen[] left, Seen[] right)
    {
        var where = new Dictionary<string, List<int>>(StringComparer.Ordinal);
        for (var j = 0; j < right.Length; j++)
        {
            foreach (var value in right[j].Shape.Distinct)
            {
                if (!where.TryGetValue(value, out var fields))
                {
                    where[value] = fields = [];
                }

                fields.Add(j);
            }
        }

        var shared = new int[left.Length, right.Length];
        for (var i = 0; i < left.Length; i++)
        {
            foreach (var value in left[i].Shape.Distinct)
            {
                foreach (var j in where.GetValueOrDefault(value) ?? [])
                {
                    shared[i, j]++;
                }
            }
        }

        return shared;
    }

    private static char? TypeOf(string? type) => type?.ToLowerInvariant() switch
    {
        null or "" => null,
        "number" or "integer" or "decimal" or "int32" or "int64" or "double" or "money" or "float" or "edm.decimal" or "edm.int32" or "edm.int64" or "edm.double" => 'n',
        "boolean" or "bool" or "edm.boolean" => 'b',
        "date" or "datetime" or "date-time" or "timestamp" or "edm.datetimeoffset" or "edm.date" => 'd',
        "list" or "array" => 'l',
        _ => 't',
    };

    private static double Types(char? a, char? b) => (a, b) switch
    {
        (null, _) or (_, null) => 0,
        _ when a == b => 0.1,
        ('t', 'n') or ('n', 't') => -0.3, // Numbers kept as text are common.
        ('t', 'd') or ('d', 't') => -0.2,
        ('t', _) or (_, 't') => -0.3,
        _ => -1,
    };

    /// <summary>How alike two words are by their letters, 0 to 1; words of very different lengths are not.</summary>
    private static double Letters(string a, string b) =>
        a == b ? 1 : Math.Min(a.Length, b.Length) * 3 < Math.Max(a.Length, b.Length) || a.Length > 100 || b.Length > 100 ? 0 : JaroWinkler.Likeness(a, b);

    private static ImmutableArray<string> Why(Seen a, Seen b, int shared, Lexicon lexicon)
    {
        var signs = Evidence(a, b, shared, lexicon);
        var why = ImmutableArray.CreateBuilder<string>();
        if (shared > 1)
        {
            why.Add($"{shared.ToString(CultureInfo.InvariantCulture)} values are in both");
        }

        if (signs.Name > 0.9)
        {
            why.Add("their names say the same");
        }
        else if (signs.Name > 0.5)
        {
            why.Add("their names say nearly the same");
        }

        if (signs.Values >= 0.35 && shared <= 1)
        {
            why.Add("their values look alike");
        }

        return why.ToImmutable();
    }
}
