namespace UprightMirror.Core.Formulas.Learning;

/// <summary>
/// Puts parts and fixed texts in a row so that they give what is wanted in every example at once: the cheapest way through, by
/// Dijkstra (1959) over the places reached in each output. The idea of such a search is Gulwani's (Automating string processing in
/// spreadsheets using input-output examples, 2011).
/// </summary>
internal static class Chain
{
    private const int MostStates = 20_000;
    private const double Link = 0.8;

    /// <summary>The cheapest rows of parts, best first.</summary>
    public static IReadOnlyList<Learned> Find(IReadOnlyCollection<Piece> parts, string[] outputs, int most)
    {
        var byStart = parts.Where(p => p.Values[0].Length > 0).ToLookup(p => p.Values[0][0]);
        var mayBeEmpty = parts.Where(p => p.Values[0].Length == 0).ToList();
        var queue = new PriorityQueue<State, double>();
        var reached = new Dictionary<string, int>(StringComparer.Ordinal);
        var found = new List<Learned>();
        queue.Enqueue(new State(new int[outputs.Length], null, null, 0, 0), 0);
        for (var states = 0; states < MostStates && queue.TryDequeue(out var state, out _) && found.Count < most;)
        {
            var key = string.Join(',', state.At);
            var times = reached[key] = reached.GetValueOrDefault(key) + 1;
            if (times > most)
            {
                continue;
            }

            states++;
            if (state.IsEnd(outputs))
            {
                if (state.Variable > 0)
                {
                    found.Add(new Learned(state.Text, state.Cost));
                }

                continue;
            }

            if (state.At[0] < outputs[0].Length)
            {
                foreach (var part in byStart[outputs[0][state.At[0]]])
                {
                    Step(part);
                }
            }

            foreach (var part in mayBeEmpty)
            {
                Step(part);
            }

            // A fixed text: as far as all outputs go on alike. Letters and digits that stand fixed are less likely meant than signs.
            if (!state.EndsFixed)
            {
                var (fixedCost, length) = (1.0, 0);
                while (state.At[0] + length < outputs[0].Length && outputs.Select((o, i) => state.At[i] + length < o.Length ? o[state.At[i] + length] : '\0').Distinct().Count() == 1)
                {
                    fixedCost += char.IsLetterOrDigit(outputs[0][state.At[0] + length]) ? 2.2 : 0.5;
                    length++;
                    var text = outputs[0].Substring(state.At[0], length);
                    var next = Array.ConvertAll(state.At, a => a + length);
                    Put(new State(next, state, Writing.Text(text), state.Cost + fixedCost + Link, state.Variable) { EndsFixed = true });
                }
            }

            void Step(Piece part)
            {
                var next = new int[outputs.Length];
                for (var i = 0; i < next.Length; i++)
                {
                    if (string.CompareOrdinal(outputs[i], state.At[i], part.Values[i], 0, part.Values[i].Length) != 0)
                    {
                        return;
                    }

                    next[i] = state.At[i] + part.Values[i].Length;
                }

                Put(new State(next, state, part.Text, state.Cost + part.Cost + Link, state.Variable + part.Values.Average(v => v.Length)));
            }

            void Put(State next) => queue.Enqueue(next, next.Cost);
        }

        return found;
    }

    /// <param name="At">The place reached in each output.</param>
    /// <param name="Variable">How many characters, on average, come from the inputs.</param>
    private sealed record State(int[] At, State? Before, string? Last, double Cost, double Variable)
    {
        public bool EndsFixed { get; init; }

        public string Text => this.Before?.Last is null ? this.Last ?? "" : $"{this.Before.Text} & {this.Last}";

        public bool IsEnd(string[] outputs) => !outputs.Where((o, i) => this.At[i] < o.Length).Any();
    }
}
