using BenchmarkDotNet.Attributes;
using BenchmarkDotNet.Columns;
using BenchmarkDotNet.Configs;
using BenchmarkDotNet.Jobs;
using BenchmarkDotNet.Loggers;
using BenchmarkDotNet.Running;
using BenchmarkDotNet.Toolchains.InProcess.Emit;
using UprightMirror.Core.Reconciling;
using UprightMirror.Core.Values;

// Prints one line a figure, beside its limit. What has a process of its own is asked for by name; ./bench asks for all.
switch (args)
{
    case ["serve", var port]:
        await Reading.Serve(int.Parse(port, System.Globalization.CultureInfo.InvariantCulture));
        return 0;
    case ["read", var kind, var address]:
        return await Reading.Read(kind, address);
    case ["pace", var at]:
        return await Reading.Pace(int.Parse(at, System.Globalization.CultureInfo.InvariantCulture));
    case ["settling", var linked]:
        return await Settling.Linked(int.Parse(linked, System.Globalization.CultureInfo.InvariantCulture));
    case ["first-load", var loaded]:
        return await Settling.FirstLoad(int.Parse(loaded, System.Globalization.CultureInfo.InvariantCulture));
    case ["formula"]:
        return Formulas.Evaluate() + Mapping.Measure();
    case ["linking", var world, var truth]:
        return await DemoMatching.Measure(new Uri(world), truth);
    case ["recognising", var known]:
        return await Recognising.One(int.Parse(known, System.Globalization.CultureInfo.InvariantCulture));
    case ["matching"]:
        return Matching.Quality() + Matching.Speed();
    case ["matching", var count]:
        return Matching.Many(int.Parse(count, System.Globalization.CultureInfo.InvariantCulture));
    case ["events", var seconds]:
        return await Events.Measure(int.Parse(seconds, System.Globalization.CultureInfo.InvariantCulture));
    case ["screens", var many, var history, var open]:
        return await Screens.Measure(int.Parse(many, System.Globalization.CultureInfo.InvariantCulture), int.Parse(history, System.Globalization.CultureInfo.InvariantCulture), int.Parse(open, System.Globalization.CultureInfo.InvariantCulture));
    case ["catalogue"]:
        return await Reading.Catalogue();
}

var config = ManualConfig.CreateEmpty()
    .AddJob(Job.Default.WithToolchain(InProcessEmitToolchain.Instance).WithWarmupCount(3).WithIterationCount(8))
    .AddDiagnoser(BenchmarkDotNet.Diagnosers.MemoryDiagnoser.Default)
    .AddColumnProvider(DefaultColumnProviders.Instance)
    .AddLogger(NullLogger.Instance);
var summary = BenchmarkRunner.Run<ReconcileBenchmark>(config);
foreach (var report in summary.Reports)
{
    var nanoseconds = report.ResultStatistics!.Median / ReconcileBenchmark.Records;
    var bytes = (report.GcStats.GetBytesAllocatedPerOperation(report.BenchmarkCase) ?? 0) / (double)ReconcileBenchmark.Records;
    Console.WriteLine(report.BenchmarkCase.Descriptor.WorkloadMethod.Name switch
    {
        nameof(ReconcileBenchmark.OneInAHundredChanged) => $"reconcile, 12 fields, 3 sides, 1 % changed: {1e9 / nanoseconds:N0} records a second on one core (limit: at least 300,000)",
        _ => $"reconcile, an unchanged record: {bytes:0.0} bytes allocated (limit: one small allocation)",
    });
}

return summary.Reports.Length == 2 && summary.Reports.All(r => r.Success) ? 0 : 1;

/// <summary>Reconciling batches of 1,000 records of 12 fields and 3 sides on one core.</summary>
public class ReconcileBenchmark
{
    public const int Records = 1_000;
    private const int Fields = 12;
    private const int Sides = 3;

    private ReconcileRules rules = null!;
    private RecordState[] unchanged = null!;
    private RecordState[] changed = null!;

    [GlobalSetup]
    public void Prepare()
    {
        this.rules = new ReconcileRules(
            [.. Enumerable.Range(0, Fields).Select(f => new FieldRules($"f{f}", FieldType.Text, f % 2 == 0 ? new Ask([0, 1, 2]) : new Latest([0, 1, 2]), new ByRank([0, 1, 2])))],
            [.. Enumerable.Range(0, Sides).Select(s => new SideRules($"s{s}", [.. Enumerable.Repeat(true, Fields)], [.. Enumerable.Repeat(true, Fields)], [.. Enumerable.Repeat(Drift.PutBack, Fields)]))]);
        this.unchanged = [.. Enumerable.Range(0, Records).Select(r => Make(r, false))];
        this.changed = [.. Enumerable.Range(0, Records).Select(r => Make(r, r % 100 == 0))];
    }

    [Benchmark]
    public int OneInAHundredChanged() => this.Reconcile(this.changed);

    [Benchmark]
    public int NoneChanged() => this.Reconcile(this.unchanged);

    private int Reconcile(RecordState[] records)
    {
        var writes = 0;
        foreach (var record in records)
        {
            writes += Reconciler.Reconcile(this.rules, record).Writes.Length;
        }

        return writes;
    }

    /// <summary>As a run makes them: what a side holds is an object of its own, and stands for its shadow too where its raw field did not change.</summary>
    private static RecordState Make(int record, bool isChanged)
    {
        Value[] Values() => [.. Enumerable.Range(0, Fields).Select(f => Value.Text($"value {f} of record {record}"))];
        SideState Side(bool changes)
        {
            var shadow = Values();
            Value[] now = [.. shadow];
            if (changes)
            {
                now[record % Fields] = Value.Text($"new value of record {record}");
            }

            return new SideState(now, shadow);
        }

        return new RecordState([.. Values().Select(v => new AgreedField(v, 0, null))], [Side(isChanged), Side(false), Side(false)]);
    }
}
