using System.IO.Enumeration;
using System.Security.Cryptography;
using System.Text;
using System.Text.RegularExpressions;
using UprightMirror.Connectors.Calling;

namespace UprightMirror.Connectors.Files;

/// <summary>What became of a file that was read.</summary>
/// <param name="Problems">What could not be read of it; empty when everything was.</param>
/// <param name="IsRefused">Whether it could not be read to its end.</param>
internal sealed record ReadFile(string Path, IReadOnlyList<string> Problems, bool IsRefused, int Records)
{
    public string InWords => (this.IsRefused, this.Records) switch
    {
        (true, 0) => "nothing of it was taken.",
        (true, _) => $"only its first {this.Records} records were taken: it can't be read further.",
        _ => $"{this.Records} records were taken, {this.Problems.Count} rows were not.",
    };
}

/// <summary>
/// The folder itself: which files wait in it, what collections they are of, where they are put away to (<c>done/</c>,
/// <c>refused/</c>) and where new ones go (<c>out/</c>).
/// </summary>
internal sealed partial class Folder
{
    private static readonly string[] Endings = [".csv", ".txt", ".json", ".jsonl", ".ndjson", ".xml"];

    private readonly DirectoryInfo place;
    private readonly ConnectionSettings settings;

    /// <param name="root">Where folders may be; null when none may be connected.</param>
    public Folder(DirectoryInfo place, ConnectionSettings settings, DirectoryInfo? root)
    {
        this.place = place;
        this.settings = settings;
        this.Refusal = root is null
            ? "No folder of this server may be connected: UPRIGHT_FOLDERS does not say in which one they stand. Who runs this server can set it."
            : Ended(place).StartsWith(Ended(root), StringComparison.Ordinal) ? null : $"Folders may only be connected inside of {root.FullName}. Give one of those.";
    }

    /// <summary>Why it may not be looked into; null when it may.</summary>
    public string? Refusal { get; }

    public string Path => this.place.FullName;

    public bool IsThere => Directory.Exists(this.Path);

    /// <summary>The collections by name: as set, and one for each kind of name that is not covered by those.</summary>
    public SortedDictionary<string, CollectionSettings> Collections()
    {
        var all = new SortedDictionary<string, CollectionSettings>(StringComparer.Ordinal);
        foreach (var (name, own) in this.settings.Collections ?? new Dictionary<string, CollectionSettings>())
        {
            all[name] = own.FilePattern is null ? own with { FilePattern = name + "*" } : own;
        }

        foreach (var file in this.Files(null).Concat(this.Files("done")))
        {
            var stem = Changing().Replace(System.IO.Path.GetFileNameWithoutExtension(file.Name), "").Trim('-', '_', '.', ' ');
            if (stem.Length > 0 && !all.Values.Any(o => Matches(o, file.Name)))
            {
                all.TryAdd(stem, new CollectionSettings(FilePattern: $"{stem}*{file.Extension}", Id: ""));
            }
        }

        return all;
    }

    /// <summary>The files of a collection that wait, the oldest first.</summary>
    public IReadOnlyList<string> Waiting(CollectionSettings own) => this.Of(own, null);

    /// <summary>Those that another collection puts away: what it put away since a time, then what waits. The oldest first.</summary>
    /// <param name="since">When files were read last; null for all of them. A day before it is looked at again: a file may come late.</param>
    public IReadOnlyList<string> Beside(CollectionSettings own, DateTimeOffset? since) =>
        [.. this.Of(own, "done").Where(f => since is null || File.GetLastWriteTimeUtc(f) >= since.Value.UtcDateTime.AddDays(-1)).Concat(this.Of(own, null)).OrderBy(File.GetLastWriteTimeUtc).ThenBy(System.IO.Path.GetFileName, StringComparer.Ordinal)];

    /// <summary>Those that wait, then those that were taken: any of them tells how the collection's files are written.</summary>
    public IEnumerable<string> Examples(CollectionSettings own) => this.Of(own, null).Concat(this.Of(own, "done"));

    /// <summary>Tries whether files can be written here.</summary>
    public async Task TryWriting(CancellationToken cancellation)
    {
        var trial = System.IO.Path.Combine(this.Path, $".upright-{Guid.NewGuid():N}.tmp");
        await File.WriteAllTextAsync(trial, "", cancellation);
        File.Delete(trial);
    }

    /// <summary>Moves a file that was read away, with a report when something of it could not be.</summary>
    public async Task PutAway(ReadFile file, DateTimeOffset now, CancellationToken cancellation)
    {
        if (!File.Exists(file.Path))
        {
            return;
        }

        var to = this.place.CreateSubdirectory(file.IsRefused ? "refused" : "done").FullName;
        var name = System.IO.Path.GetFileName(file.Path);
        var free = File.Exists(System.IO.Path.Combine(to, name)) ? $"{System.IO.Path.GetFileNameWithoutExtension(name)}.{now:yyyyMMddHHmmssfff}{System.IO.Path.GetExtension(name)}" : name;
        if (file.Problems.Count > 0)
        {
            await File.WriteAllLinesAsync(System.IO.Path.Combine(to, free + ".report.txt"), [$"{name}: {file.InWords}", .. file.Problems], cancellation);
        }

        File.Move(file.Path, System.IO.Path.Combine(to, free));
    }

    /// <summary>Writes a record's file under a temporary name and renames it, so that nobody ever reads half of it.</summary>
    public async Task Send(string collection, string id, string text, CancellationToken cancellation)
    {
        var to = this.place.CreateSubdirectory("out").FullName;
        var name = NameOf(collection, id);
        var temporary = System.IO.Path.Combine(to, $".{name}.tmp");
        await using (var file = new FileStream(temporary, FileMode.Create, FileAccess.Write, FileShare.None, 4096, FileOptions.Asynchronous | FileOptions.WriteThrough))
        {
            await file.WriteAsync(Encoding.UTF8.GetBytes(text), cancellation);
        }

        File.Move(temporary, System.IO.Path.Combine(to, name), overwrite: true);
    }

    /// <summary>The file of a record that was sent; null when there is none.</summary>
    public FileInfo? Sent(string collection, string id) =>
        this.Refusal is null && new FileInfo(System.IO.Path.Combine(this.Path, "out", NameOf(collection, id))) is { Exists: true } file ? file : null;

    /// <summary>A name that any file system takes. Ids that differ only in what it does not take get names that differ.</summary>
    private static string NameOf(string collection, string id)
    {
        var plain = NotForNames().Replace(id, "-");
        var mark = plain == id && id.Length <= 100 ? "" : "-" + Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(id)))[..12];
        return $"{NotForNames().Replace(collection, "-")}-{(plain.Length <= 100 ? plain : plain[..100])}{mark}.json";
    }

    private static string Ended(DirectoryInfo folder) => System.IO.Path.GetFullPath(folder.FullName).TrimEnd(System.IO.Path.DirectorySeparatorChar) + System.IO.Path.DirectorySeparatorChar;

    private static bool Matches(CollectionSettings own, string name) => FileSystemName.MatchesSimpleExpression(own.FilePattern, name);

    private List<string> Of(CollectionSettings own, string? under) =>
        [.. this.Files(under).Where(f => Matches(own, f.Name)).OrderBy(f => f.LastWriteTimeUtc).ThenBy(f => f.Name, StringComparer.Ordinal).Select(f => f.FullName)];

    /// <summary>Files under a temporary name are still being written; links lead elsewhere.</summary>
    private IEnumerable<FileInfo> Files(string? under)
    {
        var from = new DirectoryInfo(under is null ? this.Path : System.IO.Path.Combine(this.Path, under));
        return this.Refusal is not null || !from.Exists ? [] : from.EnumerateFiles()
            .Where(f => !f.Name.StartsWith('.') && f.LinkTarget is null && Endings.Contains(f.Extension.ToLowerInvariant()) && !f.Name.EndsWith(".report.txt", StringComparison.Ordinal));
    }

    [GeneratedRegex(@"[-_. ]*\d[\dT:_.-]*")]
    private static partial Regex Changing();

    [GeneratedRegex(@"[^\p{L}\p{N}_-]+")]
    private static partial Regex NotForNames();
}
