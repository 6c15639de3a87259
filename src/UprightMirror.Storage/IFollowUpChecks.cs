using UprightMirror.Core.Checks;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Storage;

/// <summary>A follow-up check as it is kept.</summary>
/// <param name="LookedAt">When it was looked at last; null for never.</param>
/// <param name="Looked">How many records that were.</param>
/// <param name="Untold">Of how many it could not be told whether the condition is true.</param>
/// <param name="UntoldWhy">The first reason; null where it could be told of all.</param>
/// <param name="Problem">Why it can't be looked at as it is; null when it can.</param>
public sealed record KeptCheck(long Id, int MirrorId, FollowUpCheck Check, string MadeBy, DateTimeOffset MadeAt, DateTimeOffset? LookedAt, int Looked, int Untold, string? UntoldWhy, string? Problem);

/// <summary>What stands in a field that a condition looks at.</summary>
/// <param name="Field">The agreed field's name.</param>
/// <param name="Side">The side that says it; null for what is agreed.</param>
public sealed record FlaggedValue(string Field, int? Side, string Value);

/// <summary>A record that hangs on a flagged one.</summary>
/// <param name="Link">Null for one that is linked with nothing, such as one that is not in the scope.</param>
public sealed record HangingRecord(Guid? Link, string Title);

/// <summary>A record that a condition is true of.</summary>
/// <param name="HangingCount">How many records hang on it; <paramref name="Hanging"/> has the first of them.</param>
public sealed record FoundRecord(Guid Link, IReadOnlyList<FlaggedValue> Says, int HangingCount, IReadOnlyList<HangingRecord> Hanging);

/// <summary>How looking at a check went.</summary>
public sealed record CheckLooked(int Looked, int Untold, string? UntoldWhy, string? Problem);

/// <summary>Follow-up checks, and what they flag.</summary>
public interface IFollowUpChecks
{
    Task<IReadOnlyList<KeptCheck>> All(CancellationToken cancellation);

    /// <summary>When a run ended last of any of some mirrors; null for never. Rehearsals do not count.</summary>
    Task<DateTimeOffset?> LastRun(IReadOnlyCollection<string> mirrors, CancellationToken cancellation);

    /// <summary>Notes that a check is being looked at. Of several that want to, one may, until it keeps what it found or lets go; one that does neither is not waited for without end.</summary>
    /// <returns>False when another looks at it, or was quicker, or the check is gone.</returns>
    Task<bool> Claim(KeptCheck check, DateTimeOffset now, CancellationToken cancellation);

    /// <summary>Lets go of a check that was not looked at to the end: it is as it was before.</summary>
    Task Release(KeptCheck check, CancellationToken cancellation);

    /// <summary>The linked records of a mirror as they are remembered, in the order of their links, after the one given.</summary>
    Task<IReadOnlyList<LinkedRecord>> Records(KeptMirror mirror, Guid after, int count, CancellationToken cancellation);

    /// <summary>The records of one side that are linked with nothing and are still there, in the order of their ids, after the one given.</summary>
    Task<IReadOnlyList<KnownRecord>> Unlinked(KeptMirror mirror, int side, string after, int count, CancellationToken cancellation);

    /// <summary>
    /// Keeps what a check found in the place of what it found before. One that was flagged already keeps its time, and what a person said of it while it says the same. Fields that ask for flags are
    /// worked out anew by the mirror's next run.
    /// </summary>
    /// <param name="now">When looking began.</param>
    /// <returns>How many are newly flagged.</returns>
    Task<int> Save(KeptCheck check, CheckLooked looked, IReadOnlyList<FoundRecord> found, DateTimeOffset now, CancellationToken cancellation);
}
