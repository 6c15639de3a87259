using System.Collections.Immutable;

namespace UprightMirror.Storage;

/// <summary>How much a line of a run's log matters.</summary>
public enum LineLevel
{
    Info,

    /// <summary>A record could not be taken or written; the run went on.</summary>
    Warning,

    /// <summary>Why the run could not do all that it was to do.</summary>
    Error,
}

/// <summary>A line of a run's log.</summary>
/// <param name="N">Its place among the run's lines, from 1.</param>
public sealed record RunLine(int N, DateTimeOffset At, LineLevel Level, string Text);

/// <summary>Where a run's time went.</summary>
public sealed record RunSpent(ImmutableArray<StageSpent> Stages, ImmutableArray<CallsSpent> Calls)
{
    public static readonly RunSpent Nothing = new([], []);
}

/// <param name="Stage">The stage's name, as in <see cref="RunStage"/>; confirming is part of delivering.</param>
/// <param name="Milliseconds">What it took, all its rounds together.</param>
public sealed record StageSpent(RunStage Stage, long Milliseconds);

/// <summary>The calls of one kind to one system.</summary>
/// <param name="Side">The side whose system it is; null for one that only gives what is fetched by a key.</param>
/// <param name="What">reading its description, reading, looking for what is gone, reading one record, finding by our reference, writing, or fetching by a key.</param>
/// <param name="Calls">For reading, pages; for writing, calls, of which each may write many records.</param>
/// <param name="Failed">How many ended in a fault, or with a record that was not written.</param>
/// <param name="Milliseconds">All together, each with its wait for its turn; those that are under way at once count each.</param>
/// <param name="SlowestMilliseconds">The slowest of them.</param>
/// <param name="System">What a system is called that is no side's.</param>
public sealed record CallsSpent(int? Side, string What, int Calls, int Failed, long Milliseconds, long SlowestMilliseconds, string? System = null);
