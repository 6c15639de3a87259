using UprightMirror.Connectors;
using UprightMirror.Core.Catalogues;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Engine;

/// <summary>A value that a person can put right in the system that it stands in.</summary>
/// <param name="Path">Where the system keeps it.</param>
/// <param name="Now">What stands there now.</param>
/// <param name="WhyNot">Why it can't be put right from here; null when it can.</param>
public sealed record InItsSystem(string Path, string Now, string? WhyNot);

/// <summary>A value that was put right.</summary>
/// <param name="WhyNot">Why it could not be; null when it was.</param>
public sealed record PutRight(Value Before, Value After, string? WhyNot);

/// <summary>Puts one value of one record right in its own system, because a person says so. The next run reads it there like any other edit.</summary>
public sealed class Correcting(ISystems systems)
{
    /// <summary>Somebody who edits the record at the same time is not written over: it is read again, so many times.</summary>
    private const int MostTries = 3;

    private const string NoSuchField = "It has no such field there.";

    /// <summary>What stands in a record's field now, and whether it can be put right from here.</summary>
    /// <exception cref="SystemFault">The system can't be reached.</exception>
    public async Task<InItsSystem> Look(MirrorDefinition mirror, int side, string id, string field, CancellationToken cancellation)
    {
        if (mirror.Fields.FirstOrDefault(f => f.Name == field)?.Cells[side] is not { } cell)
        {
            return new InItsSystem("", "", NoSuchField);
        }

        var system = await systems.Connect(mirror.Sides[side].System, cancellation);
        var described = (await system.Describe(mirror.Sides[side].Collection, cancellation)).Fields.GetValueOrDefault(cell.Path);
        var record = await system.ReadOne(mirror.Sides[side].Collection, id, cancellation);
        return new InItsSystem(cell.Path, record?.Fields[cell.Path].Display ?? "", record is null ? $"{system.Name} has no record {id} any more." : WhyNot(system, described, cell));
    }

    private static string? WhyNot(ISystemConnector system, CatalogueField? described, SideField cell) =>
        described is null ? $"{system.Name} does not describe {cell.Path}." : described.ReadOnly ? $"{system.Name} lets nobody write {cell.Path}: put it right there, where it comes from."
        : described.Type is "list" or "lines" || cell.Conversion is ReferenceTo ? $"{cell.Path} holds more than one value, or another record: put it right in {system.Name}." : null;

    /// <summary>Writes one value into one record of one system.</summary>
    /// <exception cref="SystemFault">The system can't be reached.</exception>
    public async Task<PutRight> Write(MirrorDefinition mirror, int side, string id, string field, string text, CancellationToken cancellation)
    {
        if (mirror.Fields.FirstOrDefault(f => f.Name == field)?.Cells[side] is not { } cell)
        {
            return Not(NoSuchField);
        }

        var system = await systems.Connect(mirror.Sides[side].System, cancellation);
        var collection = mirror.Sides[side].Collection;
        var described = (await system.Describe(collection, cancellation)).Fields.GetValueOrDefault(cell.Path);
        if (WhyNot(system, described, cell) is { } why)
        {
            return Not(why);
        }

        if (TypedText.Read(text, described) is not { } value)
        {
            return Not($"{ValueJson.Quoted(text)} can't be read as {ValueJson.Described(TypedText.TypeOf(described))}, which {cell.Path} of {system.Name} holds.");
        }

        for (var tries = 0; tries < MostTries; tries++)
        {
            if (await system.ReadOne(collection, id, cancellation) is not { } record)
            {
                return Not($"{system.Name} has no record {id} any more.");
            }

            switch (await system.Write(collection, new WriteRequest(id, RawFields.Of([KeyValuePair.Create(cell.Path, value)]), null, record.VersionTag), cancellation))
            {
                case WriteAnswer.Stored:
                    return new PutRight(record.Fields[cell.Path], value, null);
                case WriteAnswer.Moved:
                    continue;
                case WriteAnswer.Gone:
                    return Not($"{system.Name} has no record {id} any more.");
                case WriteAnswer.Refused refused:
                    return Not($"{system.Name} refused it: {refused.Words}");
                case WriteAnswer.NotReached notReached:
                    return Not($"{notReached.Reason} Nothing was written.");
                case WriteAnswer.Unknown unknown:
                    return Not($"{unknown.Reason} Look there whether it was written.");
            }
        }

        return Not($"Somebody is editing the record in {system.Name}. Look again, then put it right.");

        static PutRight Not(string why) => new(Value.Empty, Value.Empty, why);
    }
}
