using UprightMirror.Core.Notices;

namespace UprightMirror.Storage;

/// <summary>A rule as it is kept.</summary>
/// <param name="HasSecret">Whether its calls are signed.</param>
/// <param name="Since">What happened before this is not told.</param>
/// <param name="LookedAt">Up to when what happened was looked at; null for never.</param>
public sealed record KeptNoticeRule(int Id, NoticeRule Rule, bool HasSecret, DateTimeOffset Since, DateTimeOffset? LookedAt);

/// <summary>Something to tell.</summary>
/// <param name="About">The same for one thing that happened, however often it is looked at.</param>
/// <param name="Said">What a wording can use, by name; <c>path</c> is where on this site to look.</param>
public sealed record ToTell(string About, DateTimeOffset HappenedAt, IReadOnlyDictionary<string, string> Said);

/// <summary>A notice as it is kept.</summary>
/// <param name="State">waiting, sent or givenUp.</param>
/// <param name="Tries">How often it could not be sent.</param>
public sealed record KeptNotice(int Rule, long Id, ToTell Told, DateTimeOffset DueAt, string State, int Tries, string? Fault, DateTimeOffset? SentAt);

/// <summary>How a rule does.</summary>
/// <param name="Waiting">How many are not sent yet.</param>
/// <param name="Fault">Why the last could not be sent; null where it could.</param>
public sealed record NoticeState(int Rule, DateTimeOffset? LastSentAt, int Waiting, string? Fault);

/// <summary>How mail goes out.</summary>
/// <param name="Security">none, startTls or tls.</param>
/// <param name="Account">Null where the server asks for none.</param>
public sealed record MailSettings(string Host, int Port, string Security, string? Account, string From);

/// <param name="Address">What links in notices begin with; null where nobody said.</param>
/// <param name="Mail">Null where mail does not go out.</param>
public sealed record SiteSettings(string? Address, MailSettings? Mail, bool HasMailPassword);

/// <summary>Where notices are kept.</summary>
public interface INotices
{
    /// <summary>So much of one rule goes out together.</summary>
    const int MostTogether = 500;

    /// <summary>So much of one rule is looked at at once.</summary>
    const int MostAtOnce = 5000;

    Task<IReadOnlyList<KeptNoticeRule>> Rules(CancellationToken cancellation);

    /// <summary>What a rule's calls are signed with, in clear; null where they are not.</summary>
    Task<string?> SecretOf(int rule, CancellationToken cancellation);

    Task<SiteSettings> Site(CancellationToken cancellation);

    Task<string?> MailPassword(CancellationToken cancellation);

    /// <summary>What there is to tell by a rule since it counts; much of it may have been told.</summary>
    Task<IReadOnlyList<ToTell>> Happened(KeptNoticeRule rule, DateTimeOffset now, CancellationToken cancellation);

    /// <summary>Notes up to when what happened was looked at: what is older is not looked at again.</summary>
    Task Looked(int rule, DateTimeOffset at, CancellationToken cancellation);

    /// <summary>Keeps what there is to tell. What is known by its name already is left as it is.</summary>
    /// <returns>How many are new.</returns>
    Task<int> Keep(int rule, IReadOnlyList<(ToTell Told, DateTimeOffset DueAt)> notices, CancellationToken cancellation);

    /// <summary>Sends what is due, rule by rule, and keeps how it ended. What another worker sends meanwhile is left to it.</summary>
    /// <param name="send">Sends one rule's notices together; gives the reason in words when that can't be done.</param>
    /// <param name="again">When those that could not be sent are tried again, by how often they were; null for never.</param>
    /// <returns>How many rules had something to send.</returns>
    Task<int> SendDue(DateTimeOffset now, Func<KeptNoticeRule, IReadOnlyList<KeptNotice>, CancellationToken, Task<string?>> send, Func<KeptNotice, DateTimeOffset?> again, CancellationToken cancellation);
}
