using System.Text.Json;
using System.Text.Json.Nodes;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Notices;
using UprightMirror.Core.Notices;
using UprightMirror.Storage;

namespace UprightMirror.Engine.Notices;

/// <summary>A notice as people get it.</summary>
public sealed record Worded(string Subject, string Text);

/// <summary>
/// Tells people what happened. What there is to tell is found by looking and kept first; then it is sent, and what can't be sent is kept and tried again. A message that was sent in the moment in which the process ended may go out
/// twice, with the same id; none is lost.
/// </summary>
public sealed class Noticing(INotices notices, Outside outside)
{
    /// <summary>So long what can't be sent is tried again.</summary>
    public static readonly TimeSpan GivenUpAfter = TimeSpan.FromDays(3);

    /// <summary>Of notices that go out together, so many are worded; of the rest the number is told.</summary>
    private const int MostWorded = 50;

    private static readonly TimeSpan BetweenLooks = TimeSpan.FromMinutes(1);
    private static readonly TimeSpan LongestWait = TimeSpan.FromHours(1);

    /// <summary>Looks for what happened, and keeps what there is to tell.</summary>
    /// <returns>How many notices are new.</returns>
    public async Task<int> Look(CancellationToken cancellation)
    {
        var kept = 0;
        foreach (var rule in (await notices.Rules(cancellation)).Where(r => r.Rule.IsOn))
        {
            var now = outside.Clock.GetUtcNow();
            if (rule.Rule.Kind is NoticeKind.WaitsLong or NoticeKind.CredentialsEnd && now - rule.LookedAt < BetweenLooks)
            {
                continue; // What comes by the hour or the day is not looked at every few seconds.
            }

            var happened = await notices.Happened(rule, now, cancellation);
            kept += await notices.Keep(rule.Id, [.. happened.Select(h => (h, rule.Rule.Timing.DueAt(h.HappenedAt)))], cancellation);
            await notices.Looked(rule.Id, happened.Count < INotices.MostAtOnce ? now : happened.Max(h => h.HappenedAt), cancellation);
        }

        return kept;
    }

    /// <summary>Sends what is due.</summary>
    public Task<int> Send(CancellationToken cancellation) => notices.SendDue(outside.Clock.GetUtcNow(), this.Send, this.Again, cancellation);

    /// <summary>Sends a made-up notice of a rule at once.</summary>
    /// <param name="secret">What was typed; null for what is kept.</param>
    /// <returns>Null when it was taken; else what went wrong.</returns>
    public async Task<string?> Try(NoticeRule rule, int? id, string? secret, CancellationToken cancellation)
    {
        var now = outside.Clock.GetUtcNow();
        var said = NoticeKinds.Fields(rule.Kind).ToDictionary(f => f, f => $"({f})");
        var sample = new KeptNotice(id ?? 0, 0, new ToTell("try", now, new Dictionary<string, string>(said) { ["path"] = "/" }), now, "waiting", 0, null, null);
        return await this.Send(rule with { Subject = $"Test: {rule.Subject}" }, secret ?? (id is { } kept ? await notices.SecretOf(kept, cancellation) : null), [sample], $"try-{now.ToUnixTimeMilliseconds()}", cancellation);
    }

    /// <summary>What one notice says.</summary>
    public static Worded Word(NoticeRule rule, KeptNotice notice, string? site)
    {
        var said = Values(rule, notice, site);
        return new Worded(NoticeWording.Fill(rule.Subject, said), NoticeWording.Fill(rule.Text, said));
    }

    private static Dictionary<string, string> Values(NoticeRule rule, KeptNotice notice, string? site)
    {
        var at = TimeZoneInfo.ConvertTime(notice.Told.HappenedAt, TimeZoneInfo.FindSystemTimeZoneById(rule.Timing.TimeZone));
        return new Dictionary<string, string>(notice.Told.Said, StringComparer.OrdinalIgnoreCase)
        {
            ["when"] = at.ToString("yyyy-MM-dd HH:mm", System.Globalization.CultureInfo.InvariantCulture),
            ["link"] = (site?.TrimEnd('/') ?? "") + notice.Told.Said.GetValueOrDefault("path", "/"),
        };
    }

    private DateTimeOffset? Again(KeptNotice notice)
    {
        var now = outside.Clock.GetUtcNow();
        var wait = TimeSpan.FromMinutes(Math.Pow(2, Math.Min(notice.Tries, 6)));
        return now - notice.Told.HappenedAt > GivenUpAfter ? null : now + (wait < LongestWait ? wait : LongestWait);
    }

    private async Task<string?> Send(KeptNoticeRule rule, IReadOnlyList<KeptNotice> due, CancellationToken cancellation) =>
        await this.Send(rule.Rule, rule.HasSecret ? await notices.SecretOf(rule.Id, cancellation) : null, due, $"notice-{rule.Id}-{due[0].Id}", cancellation);

    private async Task<string?> Send(NoticeRule rule, string? secret, IReadOnlyList<KeptNotice> due, string id, CancellationToken cancellation)
    {
        var site = await notices.Site(cancellation);
        if (rule.Channel == NoticeChannel.Event)
        {
            var events = new JsonArray([.. due.Select(n => (JsonNode)Event(rule, n, site.Address))]);
            return await SignedCall.Send(outside, rule.Address!, rule.AllowPrivate, due.Count == 1 ? "application/cloudevents+json" : "application/cloudevents-batch+json", (due.Count == 1 ? events[0]! : events).ToJsonString(), id, secret, cancellation);
        }

        var (subject, text) = Together(rule, due, site.Address);
        if (rule.Channel == NoticeChannel.Message)
        {
            return await SignedCall.Send(outside, rule.Address!, rule.AllowPrivate, "application/json", JsonSerializer.Serialize(new { text = $"{subject}\n{text}" }), id, secret, cancellation);
        }

        return site.Mail is { } mail
            ? await Mail.Send(new MailServer(mail.Host, mail.Port, mail.Security, mail.Account, await notices.MailPassword(cancellation)), mail.From, rule.To, subject, text, id, outside.Clock.GetUtcNow(), cancellation)
            : "No mail server is set. Set it, and this is sent.";
    }

    /// <summary>One message for what is due together.</summary>
    private static Worded Together(NoticeRule rule, IReadOnlyList<KeptNotice> due, string? site)
    {
        if (due.Count == 1)
        {
            return Word(rule, due[0], site);
        }

        var worded = due.Take(MostWorded).Select(n => Word(rule, n, site)).Select(w => $"{w.Subject}\n{w.Text}");
        var rest = due.Count > MostWorded ? $"\n\nAnd {due.Count - MostWorded:N0} more.{(due.Count == INotices.MostTogether ? " What is left comes next." : "")}" : "";
        return new Worded($"{rule.Name}: {due.Count:N0} notices", string.Join("\n\n", worded) + rest);
    }

    /// <summary>A notice as a CloudEvent (1.0).</summary>
    private static JsonObject Event(NoticeRule rule, KeptNotice notice, string? site)
    {
        var worded = Word(rule, notice, site);
        return new JsonObject
        {
            ["specversion"] = "1.0",
            ["id"] = $"{notice.Rule}-{notice.Id}",
            ["source"] = site ?? "/",
            ["type"] = $"upright-mirror.{JsonNamingPolicy.KebabCaseLower.ConvertName(rule.Kind.ToString())}",
            ["time"] = notice.Told.HappenedAt.ToUniversalTime().ToString("O"),
            ["subject"] = worded.Subject,
            ["datacontenttype"] = "application/json",
            ["data"] = new JsonObject([.. Values(rule, notice, site).Select(v => KeyValuePair.Create(v.Key, (JsonNode?)v.Value)), KeyValuePair.Create("text", (JsonNode?)worded.Text)]),
        };
    }
}
