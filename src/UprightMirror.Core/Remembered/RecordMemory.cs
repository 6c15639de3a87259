using System.Collections.Immutable;
using UprightMirror.Core.Mapping;

namespace UprightMirror.Core.Remembered;

/// <summary>What was known of one side's record before a run decided anything about it.</summary>
/// <param name="Shadow">Null where it had never been reconciled.</param>
public sealed record SideBefore(int Side, string Id, RawFields? Shadow, IReadOnlyDictionary<string, string> Told, IReadOnlySet<string> Owed, IReadOnlySet<string> Unmet);

/// <summary>What was agreed and known of a linked record before a run decided about it: what an undo of that run goes back to. A record that met in the run has none.</summary>
/// <param name="At">When the run decided.</param>
/// <param name="Agreed">The agreed fields that the run moved, as they were; null for one that was not agreed yet. All of them where the run removed a record.</param>
public sealed record RecordMemory(long Run, DateTimeOffset At, IReadOnlyDictionary<string, AgreedValue?> Agreed, ImmutableArray<SideBefore> Sides);
