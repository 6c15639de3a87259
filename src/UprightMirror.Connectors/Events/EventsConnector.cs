using System.Collections.Immutable;
using UprightMirror.Connectors.Testing;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Connectors.Events;

/// <summary>
/// A system that is never called: it sends its records to us, as events. Each collection has an address of its own; a record is as its last event said it. Nothing can be written to it.
/// </summary>
public sealed class EventsConnector(string name, string system, IReceivedRecords received) : ISystemConnector
{
    private const int RecordsLookedAt = 500;

    public string Name { get; } = name;

    public async Task<CatalogueCollection> Describe(string collection, CancellationToken cancellation)
    {
        var values = new Dictionary<string, HashSet<string>>(StringComparer.Ordinal);

        // The last ones: what it sends by now counts.
        foreach (var (path, value) in (await received.Newest(system, collection, RecordsLookedAt, cancellation)).SelectMany(r => r.Fields.Paths.SelectMany(p => Within(p, r.Fields[p]))))
        {
            var types = values.TryGetValue(path, out var known) ? known : values[path] = [];
            if (!value.IsEmpty)
            {
                types.Add(TypeOf(value));
            }
        }

        return new CatalogueCollection(collection, values.ToImmutableDictionary(v => v.Key, v => new CatalogueField(v.Key, v.Value.Count == 1 ? v.Value.Single() : "text", false, true, null)));
    }

    /// <summary>Nothing says what a field's type is but what it held: a form and XML have text alone, and mean yes or no by true or false.</summary>
    private static string TypeOf(Value value) => value switch
    {
        YesNoValue => "boolean",
        NumberValue => "number",
        ListValue => "array",
        LinesValue => "lines",
        _ => value.Display is "true" or "false" ? "boolean" : "text",
    };

    public async Task<Catalogue> ReadCatalogue(CancellationToken cancellation)
    {
        var collections = new List<CatalogueCollection>();
        foreach (var collection in await received.Collections(system, cancellation))
        {
            collections.Add(await this.Describe(collection, cancellation));
        }

        return new Catalogue([.. collections]);
    }

    public IAsyncEnumerable<TestStep> Test(CancellationToken cancellation) => StepByStep.Run(
    [
        ("Address open", async () => await received.Collections(system, cancellation) is { Count: > 0 } open
            ? (StepEnd.Passed, $"It sends {string.Join(", ", open)}.")
            : (StepEnd.Warned, "No address is open that it could send to. Open one under its events.")),
        ("One record read", async () =>
        {
            foreach (var collection in await received.Collections(system, cancellation))
            {
                if (await received.Newest(system, collection, 1, cancellation) is [var last])
                {
                    return (StepEnd.Passed, $"{collection} {last.Id}, with {last.Fields.Paths.Count()} fields.");
                }
            }

            return (StepEnd.Warned, "No event has come yet: send one, and its fields are known.");
        }),
    ], cancellation);

    public IAsyncEnumerable<IReadOnlyList<ObservedRecord>> ReadChanged(string collection, DateTimeOffset? since, IReadOnlyCollection<string>? fields, CancellationToken cancellation) =>
        received.Read(system, collection, since, cancellation);

    /// <summary>What no event told of may be there all the same.</summary>
    public bool ListsAll(string collection) => false;

    public Task<ObservedRecord?> ReadOne(string collection, string id, CancellationToken cancellation) => received.ReadOne(system, collection, id, cancellation);

    public Task<ObservedRecord?> FindByReference(string collection, string reference, CancellationToken cancellation) => Task.FromResult<ObservedRecord?>(null);

    public Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation) => Task.FromResult<WriteAnswer>(new WriteAnswer.Refused(this.TakesNothing));

    public Task<RequestShown> Show(string collection, WriteRequest request, CancellationToken cancellation) => throw new SystemFault(this.TakesNothing);

    private string TakesNothing => $"{this.Name} sends its records and is never written to. Let it give its fields only.";

    /// <summary>A field, and those within its lines.</summary>
    private static IEnumerable<(string Path, Value Value)> Within(string path, Value value) =>
        value is LinesValue lines ? lines.Lines.SelectMany(l => l.Select(v => (path + CatalogueField.InLines + v.Key, v.Value))).Prepend((path, value)) : [(path, value)];
}
