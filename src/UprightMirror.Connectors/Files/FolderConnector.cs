using System.Collections.Concurrent;
using System.Collections.Immutable;
using System.Globalization;
using System.Runtime.CompilerServices;
using System.Text;
using System.Text.Json;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Testing;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Connectors.Files;

/// <summary>
/// A folder that files arrive in: CSV, JSON, JSON Lines or XML. A collection is the files of one name pattern. Each file is taken
/// once: after what it said is kept it is moved to <c>done/</c>, or to <c>refused/</c> with a report of why. What is written goes
/// to <c>out/</c> under a temporary name first, so that nobody ever reads half a file.
/// </summary>
public sealed class FolderConnector : ISystemConnector
{
    private const int PageSize = 200;
    private const int RowsLookedAt = 500;
    private const long LargestFile = 8L * 1024 * 1024 * 1024;

    private static readonly string[] IdNames = ["id", "number", "no", "orderno", "ordernumber", "order", "reference", "key", "code"];

    private readonly Folder folder;
    private readonly Watch watch;
    private readonly TimeProvider clock;
    private readonly ConcurrentDictionary<string, ConcurrentQueue<ReadFile>> taken = new();

    public FolderConnector(string name, Uri address, ConnectionSettings settings, Outside outside)
    {
        this.Name = name;
        this.folder = new Folder(new DirectoryInfo(address.LocalPath), settings, outside.Folders);
        this.clock = outside.Clock;
        this.watch = new Watch(outside.Clock);
    }

    public string Name { get; }

    public CallsSeen Seen => this.watch.Seen;

    public IReadOnlyList<CallMade> TakeCalls() => this.watch.TakeCalls();

    /// <summary>The collections that there are by now, and how each is read.</summary>
    public IReadOnlyDictionary<string, CollectionSettings> Collections() => this.folder.Collections();

    public async Task<CatalogueCollection> Describe(string collection, CancellationToken cancellation) =>
        (await this.ReadCatalogue(cancellation))[collection] ?? CatalogueCollection.Unknown(collection);

    public async Task<Catalogue> ReadCatalogue(CancellationToken cancellation)
    {
        this.Check();
        var collections = new List<CatalogueCollection>();
        foreach (var (name, own) in this.folder.Collections())
        {
            var fields = ImmutableDictionary.CreateBuilder<string, CatalogueField>();
            foreach (var path in this.folder.Examples(own).Take(3))
            {
                try
                {
                    var form = await this.FormOf(path, own, cancellation);
                    var rows = 0;
                    await foreach (var row in RowsTogether.Of(FileRows.Read(path, form, cancellation), own, cancellation))
                    {
                        foreach (var field in row.Json is { } json ? PathsOf(RawFields.FromJson(json)) : [])
                        {
                            fields.TryAdd(field, new CatalogueField(field, "text", false, false, null) { Label = form.InWords(FileRows.KindOf(path)) });
                        }

                        if (++rows >= RowsLookedAt)
                        {
                            break;
                        }
                    }
                }
                catch (Exception e) when (e is FileRefused or IOException or UnauthorizedAccessException)
                {
                    // A file that can't be read tells nothing of the collection; reading it for real says why.
                }
            }

            collections.Add(new CatalogueCollection(name, fields.ToImmutable()));
        }

        return new Catalogue([.. collections.OrderBy(c => c.Name, StringComparer.Ordinal)]);
    }

    public IAsyncEnumerable<TestStep> Test(CancellationToken cancellation)
    {
        IReadOnlyDictionary<string, CollectionSettings> collections = new Dictionary<string, CollectionSettings>();
        return StepByStep.Run(
        [
            ("Folder found", Try(() => Task.FromResult(this.folder.Refusal is { } no ? (StepEnd.Failed, no)
                : this.folder.IsThere ? (StepEnd.Passed, $"{this.folder.Path} is there.")
                : (StepEnd.Failed, $"There is no folder {this.folder.Path} on this server. Check the path, or have it made.")))),
            ("May be read", Try(() =>
            {
                collections = this.folder.Collections();
                var count = collections.Values.SelectMany(this.folder.Waiting).Distinct().Count();
                return Task.FromResult((StepEnd.Passed, count == 1 ? "1 file is waiting." : $"{count} files are waiting."));
            })),
            ("May be written", Try(async () =>
            {
                await this.folder.TryWriting(cancellation);
                return (StepEnd.Passed, "Files can be written and moved here.");
            })),
            ("Description read", Try(async () =>
            {
                if (collections.Count == 0)
                {
                    return (StepEnd.Warned, "No file has arrived yet, so there is nothing to tell collections by. Name a pattern in the settings, or come back when one has.");
                }

                var words = new List<string>();
                foreach (var (name, own) in collections)
                {
                    var path = this.folder.Examples(own).FirstOrDefault();
                    words.Add(path is null ? $"{name}: no file" : $"{name} ({own.FilePattern}): {(await this.FormOf(path, own, cancellation)).InWords(FileRows.KindOf(path))}");
                }

                return (StepEnd.Passed, string.Join("; ", words) + ".");
            })),
            ("One record read", Try(async () =>
            {
                foreach (var (name, own) in collections)
                {
                    foreach (var path in this.folder.Waiting(own))
                    {
                        await foreach (var row in RowsTogether.Of(FileRows.Read(path, await this.FormOf(path, own, cancellation), cancellation), own, cancellation))
                        {
                            if (row.Json is { } json)
                            {
                                return (StepEnd.Passed, $"{name}, line {row.Line} of {Path.GetFileName(path)}, with {RawFields.FromJson(json).Paths.Count()} fields. The file stays where it is.");
                            }
                        }
                    }
                }

                return (StepEnd.Warned, "No file is waiting, so no record could be read.");
            })),
            ("Clock compared", Try(() => Task.FromResult((StepEnd.Passed, "A folder has no clock of its own: the time of a file counts.")))),
        ], cancellation);

        Func<Task<(StepEnd, string)>> Try(Func<Task<(StepEnd, string)>> step) => async () =>
        {
            try
            {
                return await step();
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException)
            {
                return (StepEnd.Failed, $"{this.folder.Path}: {e.Message} The user that Upright Mirror runs as needs the right to read, write and move files there.");
            }
            catch (FileRefused e)
            {
                return (StepEnd.Failed, e.Message);
            }
        };
    }

    public IAsyncEnumerable<IReadOnlyList<ObservedRecord>> ReadChanged(string collection, DateTimeOffset? since, IReadOnlyCollection<string>? fields, CancellationToken cancellation) =>
        this.Read(collection, since, null, cancellation);

    public IAsyncEnumerable<IReadOnlyList<ObservedRecord>> Take(string collection, DateTimeOffset? since, IReadOnlyCollection<string>? fields, CancellationToken cancellation) =>
        this.Read(collection, since, this.taken.GetOrAdd(collection, _ => new ConcurrentQueue<ReadFile>()), cancellation);

    public async Task PutAway(string collection, CancellationToken cancellation)
    {
        while (this.taken.TryGetValue(collection, out var files) && files.TryDequeue(out var file))
        {
            try
            {
                await this.folder.PutAway(file, this.clock.GetUtcNow(), cancellation);
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException)
            {
                throw this.watch.Fault($"{this.Name}, file {Path.GetFileName(file.Path)}: it was taken and can't be put away: {e.Message} The next run takes it again, which changes nothing. Give Upright Mirror the right to move files in {this.folder.Path}.", e);
            }
        }
    }

    /// <param name="read">Takes note of each file once all that it said was given and kept; null to only look.</param>
    private async IAsyncEnumerable<IReadOnlyList<ObservedRecord>> Read(string collection, DateTimeOffset? since, ConcurrentQueue<ReadFile>? read, [EnumeratorCancellation] CancellationToken cancellation)
    {
        this.Check();
        if (!this.folder.Collections().TryGetValue(collection, out var own))
        {
            yield break;
        }

        var isBeside = own.Beside is not null;
        foreach (var path in isBeside ? this.folder.Beside(own, since) : this.folder.Waiting(own))
        {
            var problems = new List<string>();
            var isRefused = false;
            using var call = this.watch.Begin("TAKE", Path.GetFileName(path));
            var rows = this.RowsOf(path, own, problems, cancellation).GetAsyncEnumerator(cancellation);
            var page = new List<ObservedRecord>(PageSize);
            var count = 0;
            await using (rows)
            {
                while (true)
                {
                    try
                    {
                        if (!await rows.MoveNextAsync())
                        {
                            break;
                        }
                    }
                    catch (Exception e) when (e is FileRefused or IOException or UnauthorizedAccessException or DecoderFallbackException)
                    {
                        problems.Add(e.Message);
                        isRefused = true;
                        break;
                    }

                    page.Add(rows.Current);
                    count++;
                    if (page.Count == PageSize)
                    {
                        yield return page;
                        page = new List<ObservedRecord>(PageSize);
                    }
                }
            }

            if (page.Count > 0)
            {
                yield return page;
            }

            call.Answered(count);
            if (isBeside)
            {
                // The other collection puts the file away, and says what was wrong with it.
                continue;
            }

            read?.Enqueue(new ReadFile(path, problems, isRefused || (count == 0 && problems.Count > 0), count));
            if (problems.Count > 0)
            {
                call.Failed($"{Path.GetFileName(path)}: {problems[0]}{(problems.Count > 1 ? $" And {problems.Count - 1} more." : "")}");
                _ = this.watch.Fault($"{this.Name}, file {Path.GetFileName(path)}: {problems[0]} {(isRefused ? "The file is moved to refused/ with a report." : $"{problems.Count} {(problems.Count == 1 ? "row was" : "rows were")} left out; the report beside the file in done/ lists them.")}");
            }
        }
    }

    /// <summary>A file that was taken is put away: what is not in the folder any more was not removed.</summary>
    public bool ListsAll(string collection) => false;

    public DateTimeOffset? NewestWaiting(string collection) =>
        this.folder.Refusal is null && this.folder.IsThere && this.folder.Collections().TryGetValue(collection, out var own) && own.Beside is null && this.folder.Waiting(own) is { Count: > 0 } waiting
            ? waiting.Max(f => new DateTimeOffset(File.GetLastWriteTimeUtc(f), TimeSpan.Zero))
            : null;

    public async Task<ObservedRecord?> ReadOne(string collection, string id, CancellationToken cancellation) => await this.Written(collection, id, cancellation);

    public async Task<ObservedRecord?> FindByReference(string collection, string reference, CancellationToken cancellation) => await this.Written(collection, reference, cancellation);

    public Task<RequestShown> Show(string collection, WriteRequest request, CancellationToken cancellation) => Task.FromResult(new RequestShown(
        $"{this.folder.Path}: a new file of {collection}, written by a temporary name and renamed", [], request.Remove ? null : request.Fields.ToNestedJson().ToJsonString(RecordWrite.Readable)));

    public async Task<WriteAnswer> Write(string collection, WriteRequest request, CancellationToken cancellation)
    {
        using var call = this.watch.Begin("WRITE", collection);
        try
        {
            this.Check();
            if (request.Remove)
            {
                return new WriteAnswer.Refused("A file that was sent can't be taken back.");
            }

            var id = request.Id ?? request.Reference ?? Guid.NewGuid().ToString("N");
            await this.folder.Send(collection, id, request.Fields.ToNestedJson().ToJsonString(), cancellation);
            call.Answered(1);
            return new WriteAnswer.Stored(new ObservedRecord(id, request.Fields, null, this.clock.GetUtcNow(), null));
        }
        catch (SystemFault e)
        {
            return new WriteAnswer.NotReached(e.Message);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            call.Failed(e.Message);
            return new WriteAnswer.NotReached(this.watch.Fault($"{this.Name}: no file could be written to {this.folder.Path}: {e.Message}").Message);
        }
    }

    private void Check()
    {
        if (this.folder.Refusal is { } no)
        {
            throw this.watch.Fault($"{this.Name}: {no}");
        }

        if (!this.folder.IsThere)
        {
            throw this.watch.Fault($"{this.Name}: there is no folder {this.folder.Path} on this server any more. Check the path of its connection, or have it made.");
        }
    }

    private async Task<ObservedRecord?> Written(string collection, string id, CancellationToken cancellation)
    {
        if (this.folder.Sent(collection, id) is not { } file)
        {
            return null;
        }

        using var json = JsonDocument.Parse(await File.ReadAllTextAsync(file.FullName, cancellation));
        return new ObservedRecord(id, RawFields.FromJson(json.RootElement), null, new DateTimeOffset(file.LastWriteTimeUtc, TimeSpan.Zero), null);
    }

    /// <summary>The paths that a record has, those within its lines too.</summary>
    private static IEnumerable<string> PathsOf(RawFields record) => record.Paths.SelectMany(p => record[p] is Core.Values.LinesValue lines
        ? lines.Lines.SelectMany(l => l.Keys).Distinct().Select(within => p + CatalogueField.InLines + within).Prepend(p)
        : [p]);

    private async Task<FileForm> FormOf(string path, CollectionSettings own, CancellationToken cancellation) =>
        new FileInfo(path).Length > LargestFile
            ? throw new FileRefused($"It is larger than {LargestFile / 1024 / 1024 / 1024} GB.")
            : await FileForm.Detect(path, FileRows.KindOf(path) == "CSV", own.DecimalMark is [var mark] ? mark : null, cancellation);

    private async IAsyncEnumerable<ObservedRecord> RowsOf(string path, CollectionSettings own, List<string> problems, [EnumeratorCancellation] CancellationToken cancellation)
    {
        var form = await this.FormOf(path, own, cancellation);
        var at = new DateTimeOffset(File.GetLastWriteTimeUtc(path), TimeSpan.Zero);
        await foreach (var row in RowsTogether.Of(FileRows.Read(path, form, cancellation), own, cancellation))
        {
            if (row.Json is not { } json)
            {
                Problem($"Line {row.Line.ToString(CultureInfo.InvariantCulture)}: {row.Refused}.");
                continue;
            }

            var fields = RawFields.FromJson(json);
            var id = own.RowsBy is { Length: > 0 } together ? fields[together].Display
                : own.Id.Length > 0 ? fields[own.Id].Display : IdNames.Select(n => fields.Paths.FirstOrDefault(p => p.Replace("_", "", StringComparison.Ordinal).Equals(n, StringComparison.OrdinalIgnoreCase))).Where(p => p is not null).Select(p => fields[p!].Display).FirstOrDefault() ?? "";
            if (id.Length == 0)
            {
                Problem($"Line {row.Line.ToString(CultureInfo.InvariantCulture)}: it has no {(own.Id.Length > 0 ? own.Id : "id")}, by which the record could be told from others.");
                continue;
            }

            yield return new ObservedRecord(id, fields, null, at, null);
        }

        void Problem(string words)
        {
            if (problems.Count < 1000)
            {
                problems.Add(words);
            }
        }
    }
}
