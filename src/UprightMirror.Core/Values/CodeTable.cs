using System.Collections.Immutable;

namespace UprightMirror.Core.Values;

/// <summary>What becomes of a code that a list does not have.</summary>
public enum UnknownCodes
{
    /// <summary>Its record is held, with the code in the reason.</summary>
    Hold,

    /// <summary>It goes as it stands.</summary>
    Pass,

    /// <summary>A value stands for it.</summary>
    Value,
}

/// <param name="Stand">With <see cref="UnknownCodes.Value"/>: what stands for an unknown code.</param>
public sealed record UnknownCode(UnknownCodes Kind, string? Stand = null)
{
    public static readonly UnknownCode Hold = new(UnknownCodes.Hold);
}

/// <summary>A table that translates a side's codes into the agreed values, and back. Case does not count in it.</summary>
/// <param name="Codes">The side's code and the agreed value. Where two codes mean the same, the first one is written.</param>
/// <param name="UnknownToAgreed">For a code of the side that is not in the list.</param>
/// <param name="UnknownToSide">For an agreed value that is not in the list.</param>
public sealed record CodeTable(ImmutableArray<(string Code, string Agreed)> Codes, UnknownCode UnknownToAgreed, UnknownCode UnknownToSide)
{
    /// <summary>The most codes that a list may have.</summary>
    public const int Most = 5000;

    private readonly Lazy<Dictionary<string, string>> towards = new(() => First(Codes.Select(c => (c.Code, c.Agreed))));
    private readonly Lazy<Dictionary<string, string>> back = new(() => First(Codes.Select(c => (c.Agreed, c.Code))));

    public CodeTable(ImmutableArray<(string Code, string Agreed)> codes)
        : this(codes, UnknownCode.Hold, UnknownCode.Hold)
    {
    }

    /// <summary>What is wrong with the list, as sentences; empty when nothing is.</summary>
    public IEnumerable<string> Problems
    {
        get
        {
            foreach (var twice in this.Codes.GroupBy(c => c.Code.Trim(), StringComparer.OrdinalIgnoreCase).Where(g => g.Select(c => c.Agreed).Distinct(StringComparer.Ordinal).Count() > 1))
            {
                yield return $"The code {ValueJson.Quoted(twice.Key)} stands in the list {twice.Count()} times, for {string.Join(" and for ", twice.Select(c => ValueJson.Quoted(c.Agreed)).Distinct())}. A code can only mean one thing: take one of them out.";
            }

            if (this.Codes.Any(c => c.Code.Trim().Length == 0 || c.Agreed.Length == 0))
            {
                yield return "A row of the list has a code without a value, or a value without a code. Fill it or take it out.";
            }
        }
    }

    /// <summary>The agreed value for a side's code; null when it is unknown and must be held.</summary>
    public Value? ToAgreed(string code) => Found(this.towards.Value, code.Trim(), this.UnknownToAgreed);

    /// <summary>The side's code for an agreed value; null when it is unknown and must be held.</summary>
    public Value? ToSide(string agreed) => Found(this.back.Value, agreed.Trim(), this.UnknownToSide);

    public bool Equals(CodeTable? other) => other is not null && this.Codes.SequenceEqual(other.Codes) && (this.UnknownToAgreed, this.UnknownToSide) == (other.UnknownToAgreed, other.UnknownToSide);

    public override int GetHashCode() => HashCode.Combine(this.Codes.Length, this.UnknownToAgreed, this.UnknownToSide);

    private static Value? Found(Dictionary<string, string> table, string key, UnknownCode unknown) => table.TryGetValue(key, out var found) ? Value.Text(found) : unknown.Kind switch
    {
        UnknownCodes.Pass => Value.Text(key),
        UnknownCodes.Value => Value.Text(unknown.Stand),
        _ => null,
    };

    private static Dictionary<string, string> First(IEnumerable<(string From, string To)> pairs)
    {
        var table = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase);
        foreach (var (from, to) in pairs)
        {
            table.TryAdd(from.Trim(), to);
        }

        return table;
    }
}
