using System.Collections.Immutable;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Storage;

namespace UprightMirror.Engine.Exchange;

/// <summary>A connection that may be a system of a file.</summary>
/// <param name="Missing">Fields that the mirrors use and that it does not have, as <c>collection.field</c>; in lines by their path.</param>
public sealed record Candidate(string System, string Name, ImmutableArray<string> Missing);

/// <summary>A system of a file beside the connections that it may be, the likeliest first. Its name says nothing: what counts is how it is reached, and what it holds.</summary>
/// <param name="Used">How many fields the mirrors use of it.</param>
public sealed record ToBeMatched(string System, SystemInFile InFile, int Used, ImmutableArray<Candidate> Candidates)
{
    /// <summary>The one that it certainly looks like: it has all collections, and fewer fields are missing than in any other; null where there is none, or two are alike.</summary>
    public Candidate? Guess => this.Candidates switch
    {
        [] => null,
        [var only] => only,
        [var first, var second, ..] when first.Missing.Length < second.Missing.Length => first,
        _ => null,
    };
}

/// <summary>Brings mirrors of a file into this workspace, as drafts.</summary>
public sealed class Importing(Mirrors mirrors, Drafts drafts, CodeLists codeLists, KeptConnections connections, Catalogues catalogues, TimeProvider clock)
{
    /// <summary>The systems of a file, each with the connections that it may be.</summary>
    public async Task<ImmutableArray<ToBeMatched>> Match(MirrorFile file, CancellationToken cancellation)
    {
        var known = new List<(KeptConnection Connection, Catalogue Catalogue)>();
        foreach (var connection in await connections.All(cancellation))
        {
            if ((await catalogues.Last(connection.System, cancellation))?.Catalogue is { } catalogue)
            {
                known.Add((connection, catalogue));
            }
        }

        return [.. file.Systems.Select(s => Match(s.Key, s.Value, file, known))];
    }

    private static ToBeMatched Match(string system, SystemInFile inFile, MirrorFile file, IReadOnlyList<(KeptConnection Connection, Catalogue Catalogue)> known)
    {
        var used = FieldsOf(file, system).ToHashSet();
        return new ToBeMatched(system, inFile, used.Count, [.. known
            .Where(k => k.Connection.Protocol == inFile.Protocol && inFile.Collections.All(c => k.Catalogue[c.Split('[')[0]] is not null))
            .Select(k => new Candidate(k.Connection.System, k.Connection.Name, [.. used.Where(u => k.Catalogue[u.Collection.Split('[')[0]]!.Fields is { IsEmpty: false } fields && !u.Collection.Contains('[') && !fields.ContainsKey(u.Path)).Select(u => $"{u.Collection}.{u.Path}").Order(StringComparer.Ordinal)]))
            .OrderBy(c => c.Missing.Length).ThenBy(c => c.Name, StringComparer.Ordinal)]);
    }

    private static IEnumerable<(string Collection, string Path)> FieldsOf(MirrorFile file, string system) =>
        from mirror in file.Mirrors
        from side in Enumerable.Range(0, mirror.Sides.Length)
        where mirror.Sides[side].System == system
        from path in mirror.Fields.Select(f => (Field: f, Cell: f.Cells[side])).Where(f => f.Cell is not null)
            .SelectMany(f => f.Cell!.Reads.Concat(f.Field.Lines is { } lines ? lines.Fields.Select(l => l.Cells[side]).OfType<SideField>().Select(l => f.Cell.Path + CatalogueField.InLines + l.Path) : []))
            .Concat(mirror.Sides[side].Constants.Select(c => c.Path))
        select (mirror.Sides[side].Collection, path);

    /// <summary>Brings the mirrors of a file in. Nothing is brought in where something is in the way.</summary>
    /// <param name="systems">For each system of the file the connection that it is here, as a person said; nothing to leave its sides out.</param>
    /// <returns>What is in the way; empty when all of it is here now.</returns>
    public async Task<ImmutableArray<string>> Import(MirrorFile file, IReadOnlyDictionary<string, string> systems, string who, CancellationToken cancellation)
    {
        var all = await connections.All(cancellation);
        var wrong = new List<string>();
        wrong.AddRange(file.Systems.Where(s => !systems.ContainsKey(s.Key)).Select(s => $"Say which connection {s.Value.Name} ({s.Key}) is here."));
        wrong.AddRange(systems.Where(s => !file.Systems.ContainsKey(s.Key)).Select(s => $"{s.Key} is no system of the file. It has {string.Join(", ", file.Systems.Keys)}."));
        file = file.Without([.. file.Systems.Keys.Where(s => systems.TryGetValue(s, out var here) && here.Length == 0)]);
        systems = systems.Where(s => s.Value.Length > 0).ToDictionary();
        wrong.AddRange(file.Mirrors.Where(m => m.Sides.Length < 2).Select(m => $"{m.Name} would have {(m.Sides.Length == 1 ? "one side" : "no side")}: a mirror has two or more."));
        wrong.AddRange(systems.Where(s => all.All(c => c.System != s.Value)).Select(s => $"There is no connection {s.Value}. There are {string.Join(", ", all.Select(c => c.System))}."));
        foreach (var matched in (await this.Match(file, cancellation)).Where(m => systems.ContainsKey(m.System) && all.Any(c => c.System == systems[m.System]) && m.Candidates.All(c => c.System != systems[m.System])))
        {
            var connection = all.First(c => c.System == systems[matched.System]);
            wrong.Add(connection.Protocol != matched.InFile.Protocol
                ? $"{matched.InFile.Name} was reached by {matched.InFile.Protocol}, and {connection.Name} is by {connection.Protocol}: its fields would have other names."
                : $"{connection.Name} lacks a collection that the mirrors need: {string.Join(", ", matched.InFile.Collections)}. Read its catalogue again if it has them by now.");
        }

        var here = await mirrors.All(cancellation);
        wrong.AddRange(file.Mirrors.Where(m => here.Any(h => h.Definition.Key == m.Key || h.Definition.Name.Equals(m.Name, StringComparison.OrdinalIgnoreCase))).Select(m => $"There is a mirror {m.Name} ({m.Key}) here already. Give the one in the file another key and name."));
        var lists = await codeLists.ByName(cancellation);
        wrong.AddRange(file.CodeLists.Where(l => lists.TryGetValue(l.Key, out var own) && !own.Codes.SequenceEqual(l.Value.Table!.Codes)).Select(l => $"There is a code list {l.Key} here that says something else. Give the one in the file another name, or make the two the same."));
        if (wrong.Count > 0)
        {
            return [.. wrong];
        }

        foreach (var (name, list) in file.CodeLists.Where(l => !lists.ContainsKey(l.Key)))
        {
            await codeLists.Save(new KeptCodeList(name, list.Table!, who, clock.GetUtcNow()), [], cancellation);
        }

        foreach (var mirror in file.With(systems).Mirrors)
        {
            // It begins as any other, with its sides alone; what the file says is the first edit of its draft.
            var begun = new MirrorDefinition(mirror.Key, mirror.Name, mirror.RecordType, [.. mirror.Sides.Select(s => new SideDefinition(s.System, s.Collection, s.MayCreate))], [], [], "");
            if (!await mirrors.Begin(begun, cancellation) || await mirrors.Find(mirror.Key, cancellation) is not { } kept || !await drafts.Save(kept, 0, mirror, "Bring it in from a file", who, cancellation))
            {
                wrong.Add($"{mirror.Name} came to be here meanwhile, and was not brought in.");
            }
        }

        return [.. wrong];
    }
}
