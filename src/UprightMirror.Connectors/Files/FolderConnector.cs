using System.Collections.Concurrent;
using System.Collections.Immutable;
using System.Globalization;
using System.IO.Enumeration;
using System.Runtime.CompilerServices;
using System.Text;
using System.Text.Json;
using System.Text.RegularExpressions;
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
public sealed partial class FolderConnector : ISystemConnector
{
    private const int PageSize = 200;
    private const int RowsLookedAt = 500;
    private const long LargestFile = 8L * 1024 * 1024 * 1024;

    private static readonly string[] Endings = [".csv", ".txt", ".json", ".jsonl", ".ndjson", ".xml"];
    private static readonly string[] IdNames = ["id", "number", "no", "orderno", "ordernumber", "order", "reference", "key", "code"];

    private readonly DirectoryInfo folder;
    private readonly ConnectionSettings settings;
    private readonly Watch watch;
    private readonly TimeProvider clock;
    private readonly string? refusal;
    private readonly ConcurrentDictionary<string, List<Taken>> taken = new();

    /// <param name="Problems">What could not be read of it; empty when everything was.</param>
    /// <param name="IsRefused">Whether it could not be read to its end.</param>
    private sealed record Taken(string Path, IReadOnlyList<string> Problems, bool IsRefused, int Records)
    {
        public string InWords => (this.IsRefused, this.Records) switch
        {
            (true, 0) => "nothing of it was taken.",
            (true, _) => $"only its first {this.Records} records were taken: it can't be read further.",
            _ => $"{this.Records} records were taken, {this.Problems.Count} rows were not.",
        };
    }

    public FolderConnector(string name, Uri address, ConnectionSettings settings, Outside outside)
    {
        this.Name = name;
        this.folder = new DirectoryInfo(address.LocalPath);
        this.settings = settings;
        this.clock = outside.Clock;
        this.watch = new Watch(outside.Clock);
        var own = Path.GetFullPath(this.folder.FullName).TrimEnd(Path.DirectorySeparatorChar) + Path.DirectorySeparatorChar;
        this.refusal = outside.Folders is not { } root
            ? "No folder of this server may be connected: UPRIGHT_FOLDERS does not say in which one they stand. Who runs this server can set it."
            : own.StartsWith(Path.GetFullPath(root.FullName).TrimEnd(Path.DirectorySeparatorChar) + Path.DirectorySeparatorChar, StringComparison.Ordinal)
                ? null
                : $"Folders may only be connected inside of {root.FullName}. Give one of those.";
    }

    public string Name { get; }

    public CallsSeen Seen => this.watch.Seen;

    public IReadOnlyList<CallMade> TakeCalls() => this.watch.TakeCalls();

    public async Task<CatalogueCollection> Describe(string collection, CancellationToken cancellation) =>
        (await this.ReadCatalogue(cancellation))[collection] ?? CatalogueCollection.Unknown(collection);

    public async Task<Catalogue> ReadCatalogue(CancellationToken cancellation)
    {
        this.Check();
        var collections = new List<CatalogueCollection>();
        foreach (var (name, own) in this.Collections())
        {
            var fields = ImmutableDictionary.CreateBuilder<string, CatalogueField>();
            foreach (var path in this.FilesOf(own).Concat(this.FilesOf(own, "done")).Take(3))
            {
                try
                {
                    var form = await this.FormOf(path, own, cancellation);
                    var rows = 0;
                    await foreach (var row in FileRows.Read(path, form, cancellation))
                    {
                        foreach (var field in row.Json is { } json ? RawFields.FromJson(json).Paths : [])
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
            ("Folder found", Try(() => Task.FromResult(this.refusal is { } no ? (StepEnd.Failed, no)
                : this.folder.Exists ? (StepEnd.Passed, $"{this.folder.FullName} is there.")
                : (StepEnd.Failed, $"There is no folder {this.folder.FullName} on this server. Check the path, or have it made.")))),
            ("May be read", Try(() =>
            {
                var count = this.folder.EnumerateFiles().Count();
                collections = this.Collections();
                return Task.FromResult((StepEnd.Passed, count == 1 ? "1 file is waiting." : $"{count} files are waiting."));
            })),
            ("May be written", Try(async () =>
            {
                var trial = Path.Combine(this.folder.FullName, $".upright-{Guid.NewGuid():N}.tmp");
                await File.WriteAllTextAsync(trial, "", cancellation);
                File.Delete(trial);
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
                    var path = this.FilesOf(own).Concat(this.FilesOf(own, "done")).FirstOrDefault();
                    words.Add(path is null ? $"{name}: no file" : $"{name} ({own.FilePattern}): {(await this.FormOf(path, own, cancellation)).InWords(FileRows.KindOf(path))}");
                }

                return (StepEnd.Passed, string.Join("; ", words) + ".");
            })),
            ("One record read", Try(async () =>
            {
                foreach (var (name, own) in collections)
                {
                    foreach (var path in this.FilesOf(own))
                    {
                        await foreach (var row in FileRows.Read(path, await this.FormOf(path, own, cancellation), cancellation))
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
                return (StepEnd.Failed, $"{this.folder.FullName}: {e.Message} The user that Upright Mirror runs as needs the right to read, write and move files there.");
            }
            catch (FileRefused e)
            {
                return (StepEnd.Failed, e.Message);
            }
        };
    }

    public async IAsyncEnumerable<IReadOnlyList<ObservedRecord>> ReadChanged(string collection, DateTimeOffset? since, IReadOnlyCollection<string>? fields, [EnumeratorCancellation] CancellationToken cancellation)
    {
        this.Check();
        var read = this.taken[collection] = [];
        if (!this.Collections().TryGetValue(collection, out var own))
        {
            yield break;
        }

        foreach (var path in this.FilesOf(own).ToList())
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

            read.Add(new Taken(path, problems, isRefused || (count == 0 && problems.Count > 0), count));
            call.Answered(count);
            if (problems.Count > 0)
            {
                call.Failed($"{Path.GetFileName(path)}: {problems[0]}{(problems.Count > 1 ? $" And {problems.Count - 1} more." : "")}");
                _ = this.watch.Fault($"{this.Name}, file {Path.GetFileName(path)}: {problems[0]} {(isRefused ? "The file is moved to refused/ with a report." : $"{problems.Count} {(problems.Count == 1 ? "row was" : "rows were")} left out; the report beside the file in done/ lists them.")}");
            }
        }
    }

    public async Task PutAway(string collection, CancellationToken cancellation)
    {
        if (!this.taken.TryRemove(collection, out var files))
        {
            return;
        }

        foreach (var file in files.Where(f => File.Exists(f.Path)))
        {
            var to = this.folder.CreateSubdirectory(file.IsRefused ? "refused" : "done").FullName;
            var name = Path.GetFileName(file.Path);
            var free = File.Exists(Path.Combine(to, name)) ? $"{Path.GetFileNameWithoutExtension(name)}.{this.clock.GetUtcNow():yyyyMMddHHmmssfff}{Path.GetExtension(name)}" : name;
            if (file.Problems.Count > 0)
            {
                await File.WriteAllLinesAsync(Path.Combine(to, free + ".report.txt"), [$"{name}: {file.InWords}", .. file.Problems], cancellation);
            }

            File.Move(file.Path, Path.Combine(to, free));
        }
    }

    public async Task<ObservedRecord?> ReadOne(string collection, string id, CancellationToken cancellation) => await this.Written(collection, id, cancellation);

    public async Task<ObservedRecord?> FindByReference(string collection, string reference, CancellationToken cancellation) => await this.Written(collection, reference, cancellation);

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
            var out_ = this.folder.CreateSubdirectory("out").FullName;
            var name = this.NameOf(collection, id);
            var temporary = Path.Combine(out_, $".{name}.tmp");
            var json = request.Fields.ToNestedJson();
            await using (var file = new FileStream(temporary, FileMode.Create, FileAccess.Write, FileShare.None, 4096, FileOptions.Asynchronous | FileOptions.WriteThrough))
            {
                await file.WriteAsync(Encoding.UTF8.GetBytes(json.ToJsonString()), cancellation);
            }

            File.Move(temporary, Path.Combine(out_, name), overwrite: true);
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
            return new WriteAnswer.NotReached(this.watch.Fault($"{this.Name}: no file could be written to {this.folder.FullName}: {e.Message}").Message);
        }
    }

    private void Check()
    {
        if (this.refusal is { } no)
        {
            throw this.watch.Fault($"{this.Name}: {no}");
        }

        if (!this.folder.Exists)
        {
            throw this.watch.Fault($"{this.Name}: there is no folder {this.folder.FullName} on this server any more. Check the path of its connection, or have it made.");
        }
    }

    private async Task<ObservedRecord?> Written(string collection, string id, CancellationToken cancellation)
    {
        var path = Path.Combine(this.folder.FullName, "out", this.NameOf(collection, id));
        if (this.refusal is not null || !File.Exists(path))
        {
            return null;
        }

        using var json = JsonDocument.Parse(await File.ReadAllTextAsync(path, cancellation));
        return new ObservedRecord(id, RawFields.FromJson(json.RootElement), null, File.GetLastWriteTimeUtc(path), null);
    }

    private string NameOf(string collection, string id) => $"{NotForNames().Replace(collection, "-")}-{NotForNames().Replace(id, "-")}.json";

    /// <summary>The collections by name: as set, and one for each kind of name that is not covered by those.</summary>
    private SortedDictionary<string, CollectionSettings> Collections()
    {
        var all = new SortedDictionary<string, CollectionSettings>(StringComparer.Ordinal);
        foreach (var (name, own) in this.settings.Collections ?? new Dictionary<string, CollectionSettings>())
        {
            all[name] = own.FilePattern is null ? own with { FilePattern = name + "*" } : own;
        }

        if (this.refusal is null && this.folder.Exists)
        {
            var done = new DirectoryInfo(Path.Combine(this.folder.FullName, "done"));
            foreach (var file in this.folder.EnumerateFiles().Concat(done.Exists ? done.EnumerateFiles() : []).Where(IsWanted))
            {
                var stem = Changing().Replace(Path.GetFileNameWithoutExtension(file.Name), "").Trim('-', '_', '.', ' ');
                if (stem.Length > 0 && !all.Values.Any(o => Matches(o, file.Name)))
                {
                    all.TryAdd(stem, new CollectionSettings(FilePattern: $"{stem}*{file.Extension}", Id: ""));
                }
            }
        }

        return all;
    }

    private IEnumerable<string> FilesOf(CollectionSettings own, string? under = null)
    {
        var from = under is null ? this.folder : new DirectoryInfo(Path.Combine(this.folder.FullName, under));
        return !from.Exists ? [] : from.EnumerateFiles().Where(f => IsWanted(f) && Matches(own, f.Name)).OrderBy(f => f.LastWriteTimeUtc).ThenBy(f => f.Name, StringComparer.Ordinal).Select(f => f.FullName);
    }

    /// <summary>Files under a temporary name are still being written; links lead elsewhere.</summary>
    private static bool IsWanted(FileInfo file) =>
        !file.Name.StartsWith('.') && file.LinkTarget is null && Endings.Contains(file.Extension.ToLowerInvariant()) && !file.Name.EndsWith(".report.txt", StringComparison.Ordinal);

    private static bool Matches(CollectionSettings own, string name) => FileSystemName.MatchesSimpleExpression(own.FilePattern, name);

    private async Task<FileForm> FormOf(string path, CollectionSettings own, CancellationToken cancellation) =>
        new FileInfo(path).Length > LargestFile
            ? throw new FileRefused($"It is larger than {LargestFile / 1024 / 1024 / 1024} GB.")
            : await FileForm.Detect(path, FileRows.KindOf(path) == "CSV", own.DecimalMark is [var mark] ? mark : null, cancellation);

    private async IAsyncEnumerable<ObservedRecord> RowsOf(string path, CollectionSettings own, List<string> problems, [EnumeratorCancellation] CancellationToken cancellation)
    {
        var form = await this.FormOf(path, own, cancellation);
        var at = new DateTimeOffset(File.GetLastWriteTimeUtc(path), TimeSpan.Zero);
        await foreach (var row in FileRows.Read(path, form, cancellation))
        {
            if (row.Json is not { } json)
            {
                Problem($"Line {row.Line.ToString(CultureInfo.InvariantCulture)}: {row.Refused}.");
                continue;
            }

            var fields = RawFields.FromJson(json);
            var id = own.Id.Length > 0 ? fields[own.Id].Display : IdNames.Select(n => fields.Paths.FirstOrDefault(p => p.Replace("_", "", StringComparison.Ordinal).Equals(n, StringComparison.OrdinalIgnoreCase))).Where(p => p is not null).Select(p => fields[p!].Display).FirstOrDefault() ?? "";
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

    [GeneratedRegex(@"[-_. ]*\d[\dT:_.-]*")]
    private static partial Regex Changing();

    [GeneratedRegex(@"[^\p{L}\p{N}_-]+")]
    private static partial Regex NotForNames();
}
