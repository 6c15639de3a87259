using System.Collections.Immutable;
using UprightMirror.Core.Mapping;

namespace UprightMirror.Core.Catalogues;

/// <summary>What a field really holds, over the records that were looked at.</summary>
/// <param name="Seen">How many records were looked at.</param>
/// <param name="Filled">In how many of them the field says something.</param>
/// <param name="Distinct">How many different values it has; counted up to <see cref="Profiling.MostDistinct"/>.</param>
/// <param name="Samples">A few of its values, each cut to a readable length.</param>
/// <param name="Longest">The characters of its longest value; 0 when that was not looked at.</param>
public sealed record FieldProfile(string Path, int Seen, int Filled, int Distinct, ImmutableArray<string> Samples, int Longest = 0);

/// <summary>Looks at records one by one and keeps count for each field, in bounded memory.</summary>
public sealed class Profiling
{
    /// <summary>More different values than this are not told apart.</summary>
    public const int MostDistinct = 1000;

    private const int MostSamples = 6;
    private const int LongestSample = 120;

    private readonly Dictionary<string, Counted> fields = new(StringComparer.Ordinal);

    private sealed class Counted
    {
        public int Filled { get; set; }

        public int Longest { get; set; }

        public HashSet<int> Hashes { get; } = [];

        public List<string> Samples { get; } = [];
    }

    /// <summary>How many records were looked at.</summary>
    public int Looked { get; private set; }

    public void Look(RawFields record)
    {
        this.Looked++;
        foreach (var path in record.Paths)
        {
            if (!this.fields.TryGetValue(path, out var counted))
            {
                this.fields[path] = counted = new Counted();
            }

            var value = record[path];
            if (value.IsEmpty)
            {
                continue;
            }

            counted.Filled++;
            var text = value.Display;
            counted.Longest = Math.Max(counted.Longest, text.Length);
            var isNew = counted.Hashes.Count < MostDistinct && counted.Hashes.Add(StringComparer.Ordinal.GetHashCode(text));
            if (isNew && counted.Samples.Count < MostSamples)
            {
                counted.Samples.Add(text.Length <= LongestSample ? text : text[..LongestSample] + "…");
            }
        }
    }

    /// <summary>One profile for each field that any record had, by path.</summary>
    public ImmutableArray<FieldProfile> Profiles() =>
        [.. this.fields.OrderBy(f => f.Key, StringComparer.Ordinal).Select(f => new FieldProfile(f.Key, this.Looked, f.Value.Filled, f.Value.Hashes.Count, [.. f.Value.Samples], f.Value.Longest))];
}
