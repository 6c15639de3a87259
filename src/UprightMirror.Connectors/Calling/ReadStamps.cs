using UprightMirror.Core.Mapping;
using UprightMirror.Core.Remembered;
using UprightMirror.Core.Values;

namespace UprightMirror.Connectors.Calling;

/// <summary>Takes what a system says about a record (its version, when and who) apart from what the record says.</summary>
internal static class ReadStamps
{
    public static ObservedRecord Record(RawFields fields, string id, CollectionSettings own, string? versionTag)
    {
        var changedAt = own.ChangedAt is { } at && ValueJson.FromText(fields[at].Display, FieldType.DateTime, null) is DateTimeValue time ? time.Instant : (DateTimeOffset?)null;
        var changedBy = own.ChangedBy is { } by && !fields[by].IsEmpty ? fields[by].Display : null;
        var stamps = new[] { own.VersionTag, own.ChangedAt, own.ChangedBy };

        return new ObservedRecord(id, RawFields.Of(fields.Paths.Where(p => !stamps.Contains(p)).Select(p => KeyValuePair.Create(p, fields[p]))), versionTag, changedAt, changedBy);
    }
}
