using UprightMirror.Core.Remembered;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>Counts what a run does. Each record counts once, under what became of it last.</summary>
public sealed class RunTally
{
    private readonly Dictionary<string, RecordOutcome> outcomes = [];
    private int read;
    private int asKnown;
    private int planned;
    private int written;
    private int outOfScope;

    public void Read(int records, int different)
    {
        this.read += records;
        this.asKnown += records - different;
    }

    public void Became(Guid link, RecordOutcome outcome) => this.Became(link.ToString(), outcome);

    /// <param name="record">Any name of the record that is its own.</param>
    public void Became(string record, RecordOutcome outcome)
    {
        // A record that was linked, and is otherwise as it was, was linked; one that was created stays created.
        if (outcome == RecordOutcome.Unchanged && this.outcomes.ContainsKey(record))
        {
            return;
        }

        if (outcome == RecordOutcome.Updated && this.outcomes.GetValueOrDefault(record) == RecordOutcome.Created)
        {
            return;
        }

        this.outcomes[record] = outcome;
    }

    public void Planned(int deliveries) => this.planned += deliveries;

    public void Written() => this.written++;

    /// <summary>A record that no link has and that the scope does not cover.</summary>
    public void OutOfScope() => this.outOfScope++;

    public RunCounts Counts
    {
        get
        {
            var by = this.outcomes.Values.GroupBy(o => o).ToDictionary(g => g.Key, g => g.Count());
            return new RunCounts(
                this.read,
                by.GetValueOrDefault(RecordOutcome.Created),
                by.GetValueOrDefault(RecordOutcome.Updated),
                by.GetValueOrDefault(RecordOutcome.Linked),
                this.asKnown + by.GetValueOrDefault(RecordOutcome.Unchanged),
                by.GetValueOrDefault(RecordOutcome.InConflict),
                by.GetValueOrDefault(RecordOutcome.Held),
                by.GetValueOrDefault(RecordOutcome.Refused),
                this.planned,
                this.written,
                this.outOfScope + by.GetValueOrDefault(RecordOutcome.OutOfScope));
        }
    }
}
