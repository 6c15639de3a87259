using System.Collections.Immutable;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Reconciling;

namespace UprightMirror.Core.Remembered;

/// <summary>A field of a delivery.</summary>
/// <param name="Field">The agreed field's name.</param>
/// <param name="Before">What the side held.</param>
public sealed record DeliveredField(string Field, string Path, Values.Value Before, Values.Value Raw, Values.Value Agreed, string Why);

/// <summary>A write that we owe a system: planned before the call, then sent, then confirmed, refused or unknown.</summary>
/// <param name="RecordId">The record written; null while a creation has not been answered.</param>
/// <param name="Reference">Ours, stored in the far record where it has a field for it: by it a creation whose answer was lost is found again.</param>
/// <param name="VersionTag">The precondition: the tag of the state that was reconciled.</param>
/// <param name="MayHaveHappened">True when it was sent before and nobody knows whether it took effect.</param>
public sealed record Delivery(
    long Id,
    Guid Link,
    string Title,
    int Side,
    WriteKind Kind,
    string? RecordId,
    string Reference,
    ImmutableArray<DeliveredField> Fields,
    string? VersionTag,
    bool MayHaveHappened = false)
{
    /// <summary>True for a write that does not come from reconciling: it is made first, and no reconciling makes it again.</summary>
    public bool IsAside { get; init; }

    /// <summary>The run that this write takes back: what it stores is not agreed on, and nothing that is known of the record moves with it. Null for any other write.</summary>
    public long? Undoes { get; init; }

    public RawFields Body => RawFields.Of(this.Fields.Select(f => KeyValuePair.Create(f.Path, f.Raw)));
}
