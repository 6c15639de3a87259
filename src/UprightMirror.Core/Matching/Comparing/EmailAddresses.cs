using System.Collections.Frozen;
using System.Collections.Immutable;

namespace UprightMirror.Core.Matching.Comparing;

/// <summary>
/// E-mail addresses and web sites, as one piece of evidence: the domain that they share counts once. A mailbox that an office shares says less of a
/// person than one of her own; the domain of a provider that anybody may have an address at says nothing.
/// </summary>
public sealed class EmailAddresses : Comparator
{
    /// <summary>Providers that give addresses to anybody. Lengthened by <c>freemail</c>, <c>webmail</c> and the like in a domain's first word.</summary>
    private static readonly FrozenSet<string> FreeMail = new[]
    {
        "gmail.com", "googlemail.com", "outlook.com", "hotmail.com", "hotmail.co.uk", "live.com", "msn.com", "yahoo.com", "yahoo.co.uk", "yahoo.de", "yahoo.fr", "ymail.com", "icloud.com", "me.com", "mac.com", "aol.com",
        "gmx.de", "gmx.net", "gmx.com", "web.de", "t-online.de", "freenet.de", "proton.me", "protonmail.com", "posteo.de", "mail.com", "mail.ru", "yandex.com", "zoho.com", "eircom.net", "ziggo.nl", "kpnmail.nl", "online.no", "xtra.co.nz",
    }.ToFrozenSet(StringComparer.Ordinal);

    private static readonly FrozenSet<string> Shared = new[]
    {
        "info", "office", "post", "mail", "contact", "hello", "admin", "accounts", "accounting", "billing", "invoices", "sales", "orders", "bookings", "booking", "enquiries", "enquiry", "service", "support", "reception", "secretary", "team", "shop",
        "kontakt", "buero", "verwaltung", "rechnung", "vertrieb", "verkauf", "bestellung", "administratie", "boekhouding", "faktura", "regnskap", "kundeservice", "club", "school", "webmaster", "noreply",
    }.ToFrozenSet(StringComparer.Ordinal);

    public override string Kind => "email";

    public override string Words => "e-mail and web site";

    public override ImmutableArray<string> Parts { get; } = ["email", "web"];

    public override ImmutableArray<Level> Levels { get; } =
        [new("different", 0.2, 1), new("nearly the same address", 0.05, 0.0005), new("the same domain", 0.15, 0.002), new("the same shared mailbox", 0.15, 0.001), new("the same address", 0.45, 0.0002)];

    public override Prepared? Prepare(IReadOnlyList<string> parts)
    {
        var address = parts[0].Trim().ToLowerInvariant();
        var at = address.LastIndexOf('@');
        var (user, domain) = at > 0 && at < address.Length - 1 ? (address[..at], Host(address[(at + 1)..])) : ("", "");
        if (user.IndexOf('+', StringComparison.Ordinal) is > 0 and var plus)
        {
            user = user[..plus];
        }

        var site = Host(parts.Count > 1 ? parts[1].Trim().ToLowerInvariant() : "");
        return user.Length == 0 && site.Length == 0 ? null : new Online(user, domain, domain.Length > 0 && !IsFree(domain) ? domain : site);
    }

    public override int Compare(Prepared a, Prepared b)
    {
        var (one, other) = ((Online)a, (Online)b);
        if (one.User.Length > 0 && one.User == other.User && one.Domain == other.Domain)
        {
            return Shared.Contains(one.User) ? 3 : 4;
        }

        if (one.Own.Length > 0 && one.Own == other.Own)
        {
            return 2;
        }

        // Made of a person's names, at another domain: it says what the names say and nothing else.
        if (one.User == other.User && IsOfNames(one.User) && one.Domain != other.Domain)
        {
            return -1;
        }

        if (one.User.Length > 0 && other.User.Length > 0 && Alike(one, other))
        {
            return 1;
        }

        // One that has only an address at a provider and one that has only a site can't be compared.
        return (one.User.Length > 0 && other.User.Length > 0) || (one.Own.Length > 0 && other.Own.Length > 0) ? Different : -1;
    }

    public override IEnumerable<string> InCommon(Prepared a, Prepared b, int level) => level switch
    {
        4 or 3 => [((Online)a).Address],
        2 => [$"@{((Online)a).Own}"],
        _ => [],
    };

    /// <summary>A typing error in the one or the other part; or one name at two domains. Another number is another address: a namesake's, mostly.</summary>
    private static bool Alike(Online a, Online b) =>
        (a.Domain == b.Domain && a.User.Length > 3 && !a.User.Where(char.IsAsciiLetter).SequenceEqual(b.User.Where(char.IsAsciiLetter)) && DamerauLevenshtein.Distance(a.User, b.User, 1) <= 1)
        || (a.User == b.User && !Shared.Contains(a.User) && a.User.Length > 3)
        || (a.User == b.User && DamerauLevenshtein.Distance(a.Domain, b.Domain, 1) <= 1);

    /// <summary>Two words or more: hanne.lunde, h_lunde.</summary>
    private static bool IsOfNames(string user) => user.Split('.', '_', '-') is { Length: > 1 } words && words.All(w => w.Length > 0 && w.All(char.IsAsciiLetter));

    private static bool IsFree(string domain) => FreeMail.Contains(domain) || domain.StartsWith("freemail", StringComparison.Ordinal) || domain.StartsWith("webmail", StringComparison.Ordinal);

    private static string Host(string address)
    {
        var from = address.IndexOf("://", StringComparison.Ordinal) is >= 0 and var scheme ? scheme + 3 : 0;
        var host = address[from..];
        var to = host.IndexOfAny(['/', ':', '?', '#']);
        host = to >= 0 ? host[..to] : host;
        return host.StartsWith("www.", StringComparison.Ordinal) ? host[4..] : host.Contains('.', StringComparison.Ordinal) ? host : "";
    }

    private sealed record Online(string User, string Domain, string Own) : Prepared($"{User}@{Domain} {Own}")
    {
        public string Address => $"{this.User}@{this.Domain}";

        public override IReadOnlyList<string> Names => [.. this.User.Length > 0 ? [this.Address] : Array.Empty<string>(), .. this.Own.Length > 0 ? [$"@{this.Own}"] : Array.Empty<string>()];

        public override IEnumerable<string> Keys => [.. this.User.Length > 0 ? [$"m{this.Address}"] : Array.Empty<string>(), .. this.Own.Length > 0 ? [$"w{this.Own}"] : Array.Empty<string>(), .. this.User.Length > 5 && !Shared.Contains(this.User) ? [$"u{this.User}"] : Array.Empty<string>()];
    }
}
