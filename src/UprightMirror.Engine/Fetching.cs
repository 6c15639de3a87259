using UprightMirror.Connectors;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Mapping;

namespace UprightMirror.Engine;

/// <summary>Fetches the records that worked-out fields ask for by a key, each once in a run, from any system that can be asked for one record.</summary>
/// <param name="log">Where each call's time is noted; null for nowhere.</param>
public sealed class Fetching(ISystems systems, TimeProvider clock, RunLog? log = null)
{
    /// <summary>A formula may fetch by what it fetched: so often, and no further.</summary>
    private const int Deepest = 4;

    private const int AtOnce = 4;

    /// <summary>What is known so far.</summary>
    public Fetched Known { get; } = new();

    /// <summary>Works something out, fetches what that asked for, and works it out again until it asks for nothing more.</summary>
    /// <param name="work">Has no effect but what it returns.</param>
    public async Task<T> UntilKnown<T>(Func<T> work, CancellationToken cancellation)
    {
        for (var depth = 0; ; depth++)
        {
            var done = work();
            if (this.Known.Wanted.Count == 0 || depth == Deepest)
            {
                return done;
            }

            await this.Fetch([.. this.Known.Wanted], cancellation);
        }
    }

    private async Task Fetch(IReadOnlyList<FetchedRecord> wanted, CancellationToken cancellation)
    {
        var found = new (RawFields? Fields, string? Fault)[wanted.Count];
        await Parallel.ForEachAsync(Enumerable.Range(0, wanted.Count), new ParallelOptions { MaxDegreeOfParallelism = AtOnce, CancellationToken = cancellation }, async (i, stop) =>
        {
            try
            {
                var system = await systems.Connect(await systems.KeyOf(wanted[i].System, stop) ?? wanted[i].System, stop);
                found[i] = (await this.Timed(system, wanted[i], stop), null);
            }
            catch (SystemFault fault)
            {
                found[i] = (null, fault.Message);
            }
        });
        for (var i = 0; i < wanted.Count; i++)
        {
            var (fields, fault) = found[i];
            if (fault is not null)
            {
                this.Known.Fail(wanted[i], fault);
            }
            else
            {
                this.Known.Know(wanted[i], fields is null ? null : path => ItemValue.OfLines(fields, path) ?? ItemValue.From(fields[path]));
            }
        }
    }

    private async Task<RawFields?> Timed(ISystemConnector system, FetchedRecord wanted, CancellationToken cancellation)
    {
        var (began, failed) = (clock.GetTimestamp(), true);
        try
        {
            var record = await system.ReadOne(wanted.Collection, wanted.Id, cancellation);
            failed = false;
            return record?.Fields;
        }
        finally
        {
            log?.Called(null, system.Name, "fetching by a key", began, failed);
        }
    }
}
