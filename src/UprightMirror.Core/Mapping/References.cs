using System.Collections.Immutable;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Mapping;

/// <summary>A record of another mirror on one of its sides.</summary>
/// <param name="Mirror">The other mirror's key.</param>
/// <param name="System">The system's key.</param>
/// <param name="Id">The record's id there.</param>
/// <param name="IsDouble">True for a record that counts as another one of its system: what points at it means that, and nothing is pointed at it any more.</param>
public sealed record ReferenceKnown(string Mirror, string System, string Id, Guid Link, string Title, bool IsDouble = false);

/// <summary>The records that fields may point at, found by a system's own id or by their link.</summary>
public sealed class References
{
    public static readonly References None = new([]);

    private readonly ImmutableDictionary<(string Mirror, string System, string Id), LinkValue> byId;
    private readonly ImmutableDictionary<(string Mirror, Guid Link, string System), string> byLink;

    public References(IEnumerable<ReferenceKnown> known)
    {
        var ids = ImmutableDictionary.CreateBuilder<(string, string, string), LinkValue>();
        var links = ImmutableDictionary.CreateBuilder<(string, Guid, string), string>();
        foreach (var one in known)
        {
            ids[(one.Mirror, one.System, one.Id)] = new LinkValue(one.Link, one.Title);
            if (!one.IsDouble)
            {
                links[(one.Mirror, one.Link, one.System)] = one.Id;
            }
        }

        (this.byId, this.byLink) = (ids.ToImmutable(), links.ToImmutable());
    }

    /// <summary>The linked record that a system knows by an id; null when it is not linked yet.</summary>
    public LinkValue? Linked(string mirror, string system, string id) => this.byId.GetValueOrDefault((mirror, system, id));

    /// <summary>The id by which a system knows a linked record; null when it does not have it yet.</summary>
    public string? IdOf(string mirror, Guid link, string system) => this.byLink.GetValueOrDefault((mirror, link, system));
}
