using System.Collections.Immutable;

namespace UprightMirror.Core.Matching.Comparing;

/// <summary>Every kind of thing that can be compared.</summary>
public static class Comparators
{
    public static ImmutableArray<Comparator> All { get; } = [new OrganisationNames(), new PersonNames(), new EmailAddresses(), new PhoneNumbers(), new Addresses(), new Dates(), new NumberComparator(), new ExactComparator()];

    /// <summary>The comparator that a kind or one of its parts belongs to, and which part it is; null when there is none. "name" alone is a person's.</summary>
    public static (Comparator Comparator, int Part)? Of(string kind) =>
        All.Select(c => (Comparator: c, Part: c.Parts.IndexOf(kind))).FirstOrDefault(c => c.Part >= 0) is { Comparator: not null } part ? part
        : All.FirstOrDefault(c => c.Kind == kind) is { } whole ? (whole, whole.Parts.Length > 1 && whole.Parts[^1] is "name" or "address" ? whole.Parts.Length - 1 : 0)
        : null;
}
