using System.Collections.Immutable;
using UprightMirror.Connectors;
using UprightMirror.Connectors.Shapes;
using UprightMirror.Core.Catalogues;
using UprightMirror.Storage;

namespace UprightMirror.Engine;

/// <summary>How far a survey is.</summary>
/// <param name="Collections">How many there are; 0 while the description is being read.</param>
public sealed record SurveyProgress(string Words, int Done, int Collections);

/// <summary>What a survey found.</summary>
/// <param name="Unreadable">Collections of which no record could be read, with the reason.</param>
public sealed record SurveyEnd(int Collections, int Fields, ImmutableArray<CatalogueChange> Changes, ImmutableArray<(string Collection, string Why)> Unreadable);

/// <summary>
/// Reads what a system holds: its collections and fields as it describes them, and how full they are over some of its records.
/// What is different from the last time is kept as a change, so that people learn of it before a run does.
/// </summary>
public sealed class Surveying(ISystems systems, ICatalogues catalogues, TimeProvider clock)
{
    /// <summary>So many records of each collection are looked at, more or less by a page.</summary>
    private const int RecordsLookedAt = 400;

    /// <exception cref="SystemFault">The system or its description can't be read.</exception>
    public async Task<SurveyEnd> Survey(string system, Action<SurveyProgress>? progress, CancellationToken cancellation)
    {
        var connector = await systems.Connect(system, cancellation);
        try
        {
            progress?.Invoke(new SurveyProgress("reading the description", 0, 0));
            var catalogue = await connector.ReadCatalogue(cancellation);
            var changes = await catalogues.Save(system, catalogue, cancellation);
            var unreadable = ImmutableArray.CreateBuilder<(string, string)>();
            for (var i = 0; i < catalogue.Collections.Length; i++)
            {
                var collection = catalogue.Collections[i].Name;
                if (InnerCollection.Of(collection) is not null)
                {
                    continue; // Looked at with the records that it stands in.
                }

                progress?.Invoke(new SurveyProgress($"looking at {collection}", i, catalogue.Collections.Length));
                try
                {
                    foreach (var profiles in await this.Look(connector, collection, [.. catalogue.Collections.Where(c => InnerCollection.Of(c.Name)?.Collection == collection)], cancellation))
                    {
                        await catalogues.SaveProfiles(system, profiles, cancellation);
                    }
                }
                catch (SystemFault fault)
                {
                    // One collection that may not be read hides no other.
                    unreadable.Add((collection, fault.Message));
                }
            }

            return new SurveyEnd(catalogue.Collections.Length, catalogue.Collections.Sum(c => c.Fields.Count), changes, unreadable.ToImmutable());
        }
        finally
        {
            await systems.KeepHealth(CancellationToken.None);
        }
    }

    /// <summary>Looks at some records, and at the lines in them where those are collections of their own.</summary>
    private async Task<IReadOnlyList<KeptProfiles>> Look(ISystemConnector connector, string collection, IReadOnlyList<CatalogueCollection> inner, CancellationToken cancellation)
    {
        var profiling = new Profiling();
        var within = inner.Select(c => (Inner: InnerCollection.Of(c.Name)!, Key: InnerCollection.KeyOf(c), Profiling: new Profiling())).ToList();
        var records = 0;
        await foreach (var page in connector.ReadChanged(collection, null, null, cancellation))
        {
            foreach (var record in page)
            {
                profiling.Look(record.Fields);
                foreach (var one in within)
                {
                    foreach (var line in one.Inner.Records(record, one.Key))
                    {
                        one.Profiling.Look(line.Fields);
                    }
                }
            }

            records += page.Count;
            if (records >= RecordsLookedAt)
            {
                break;
            }
        }

        return [
            new KeptProfiles(collection, clock.GetUtcNow(), records, profiling.Profiles()),
            .. within.Select(one => new KeptProfiles(one.Inner.Name, clock.GetUtcNow(), one.Profiling.Looked, one.Profiling.Profiles())),
        ];
    }
}
