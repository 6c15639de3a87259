using System.Collections.Immutable;
using UprightMirror.Core.Matching;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Storage;

/// <summary>What a record says where that counts as evidence.</summary>
/// <param name="Texts">By the mirror's evidence; null where nothing of the record can be read.</param>
/// <param name="Blocks">Keys by which those worth comparing with it are found.</param>
public sealed record RecordEvidence(int Side, string Id, ImmutableArray<string>? Texts, ImmutableArray<long> Blocks);

/// <summary>A record among which another may be found.</summary>
public sealed record LikeRecord(int Side, string Id, Guid? Link, ImmutableArray<string> Texts);

/// <summary>A record by its place.</summary>
public readonly record struct RecordPlace(int Side, string Id) : IComparable<RecordPlace>
{
    public int CompareTo(RecordPlace other) => this.Side != other.Side ? this.Side.CompareTo(other.Side) : string.CompareOrdinal(this.Id, other.Id);
}

/// <summary>Two records that a person is asked about; <paramref name="A"/> comes first in the order of places.</summary>
public sealed record LookAlikeFound(RecordPlace A, RecordPlace B, Likelihood Likelihood);

/// <summary>What a run recalls and remembers to recognise records by likelihood.</summary>
public interface ILikenessStore
{
    /// <summary>Records whose evidence is to be looked at again, in the order of their places, after the one given.</summary>
    Task<IReadOnlyList<KnownRecord>> ReadEvidenceDue(RecordPlace after, int count, CancellationToken cancellation);

    Task SaveEvidence(IReadOnlyList<RecordEvidence> records, CancellationToken cancellation);

    /// <summary>What was learned last; null when nothing was.</summary>
    Task<MatchModel?> ReadModel(CancellationToken cancellation);

    /// <param name="names">How many records of each side have each name.</param>
    /// <param name="common">Blocks that so many records share that they tell nothing.</param>
    Task SaveModel(MatchModel model, IEnumerable<(int Field, string Name, int[] BySide)> names, IReadOnlyCollection<long> common, CancellationToken cancellation);

    /// <summary>Every record that has evidence, in the order of their places.</summary>
    Task<IReadOnlyList<LikeRecord>> ReadAll(CancellationToken cancellation);

    /// <summary>How many records have evidence.</summary>
    Task<int> Count(CancellationToken cancellation);

    /// <summary>Records that share one of the blocks, but for blocks that tell nothing; those that share most first.</summary>
    Task<IReadOnlyList<LikeRecord>> FindLike(ImmutableArray<long> blocks, int most, CancellationToken cancellation);

    /// <summary>How many records of each side have each name, of those that more than one has.</summary>
    Task<IReadOnlyDictionary<(int Field, string Name), int[]>> CountsOf(IReadOnlyCollection<(int Field, string Name)> names, CancellationToken cancellation);

    /// <summary>Pairs that a person called different.</summary>
    Task<IReadOnlySet<(RecordPlace A, RecordPlace B)>> ReadDifferent(CancellationToken cancellation);

    /// <summary>What people said of pairs.</summary>
    Task<IReadOnlyList<(RecordPlace A, RecordPlace B, bool IsSame)>> ReadJudged(CancellationToken cancellation);

    /// <summary>Asks a person about pairs, and withdraws what was asked of the same records before and is doubtful no more.</summary>
    /// <param name="looked">The records that were looked at; null for all.</param>
    /// <returns>Records that waited for an answer and no longer do.</returns>
    Task<IReadOnlyList<RecordPlace>> SaveLookAlikes(IReadOnlyList<LookAlikeFound> found, IReadOnlyCollection<RecordPlace>? looked, CancellationToken cancellation);

    /// <summary>Lets records be as they are: in no link, and looked at again when they change.</summary>
    Task SaveLeftOut(IReadOnlyCollection<RecordPlace> records, CancellationToken cancellation);
}
