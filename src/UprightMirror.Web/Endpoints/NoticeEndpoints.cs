using System.Security.Claims;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Connectors.Notices;
using UprightMirror.Core.Notices;
using UprightMirror.Core.Timing;
using UprightMirror.Engine.Notices;
using UprightMirror.Storage;
using UprightMirror.Web.Endpoints.Drafting;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <summary>A notice as it is typed.</summary>
/// <param name="Secret">What calls are signed with; left out to keep what is kept.</param>
public sealed record NoticeForm(
    string Name, NoticeKind Kind, NoticeChannel Channel, NoticePace Pace, TimeOnly? At, string TimeZone, QuietForm? Quiet, string Subject, string Text, bool IsOn, string? Mirror, string? System, string? Queue, int? Hours, int? Days,
    RecordHappening? Happening, int? Side, string? Field, string? Becomes, IReadOnlyList<string> To, string? Address, bool AllowPrivate, string? Secret)
{
    public static NoticeForm Of(NoticeRule r) => new(
        r.Name, r.Kind, r.Channel, r.Timing.Pace, r.Timing.At, r.Timing.TimeZone, r.Timing.Quiet is { } q ? new QuietForm(q.From, q.To, q.Days) : null, r.Subject, r.Text, r.IsOn, r.Mirror, r.System, r.Queue, r.Hours, r.Days,
        r.Happening, r.Side, r.Field, r.Becomes, r.To, r.Address?.ToString(), r.AllowPrivate, null);

    public NoticeRule ToRule() => new(
        this.Name.Trim(), this.Kind, this.Channel,
        new NoticeTiming(this.Pace, this.At, this.TimeZone, this.Quiet is { } q ? new QuietHours(q.From, q.To, [.. q.Days ?? []]) : null),
        this.Subject.Trim(), this.Text.Trim(), this.IsOn, Kept(this.Mirror), Kept(this.System), Kept(this.Queue), this.Hours, this.Days, this.Happening, this.Side, Kept(this.Field), Kept(this.Becomes),
        [.. this.To.Select(t => t.Trim()).Where(t => t.Length > 0)], Uri.TryCreate(this.Address?.Trim(), UriKind.Absolute, out var address) ? address : null, this.AllowPrivate);

    private static string? Kept(string? text) => string.IsNullOrWhiteSpace(text) ? null : text.Trim();
}

/// <param name="Waiting">How many are not sent yet.</param>
/// <param name="Fault">Why the last could not be sent; null where it could.</param>
public sealed record NoticeRuleShown(int Id, NoticeForm Form, bool HasSecret, DateTimeOffset? LastSentAt, int Waiting, string? Fault);

/// <param name="State">waiting, sent or givenUp.</param>
public sealed record NoticeShown(long Id, int Rule, string RuleName, string Subject, string Text, DateTimeOffset HappenedAt, DateTimeOffset DueAt, string State, int Tries, string? Fault, DateTimeOffset? SentAt);

/// <param name="Fields">For each kind of notice, what its wording can use.</param>
public sealed record NoticePage(IReadOnlyList<NoticeRuleShown> Rules, IReadOnlyList<NoticeShown> Last, IReadOnlyList<NoticeKindShown> Kinds, SiteForm Site);

public sealed record NoticeKindShown(NoticeKind Kind, IReadOnlyList<string> Fields, string Subject, string Text);

/// <summary>How mail goes out, and what links begin with.</summary>
/// <param name="Address">Of this site, as people reach it; null for none.</param>
/// <param name="Host">Null where mail does not go out.</param>
/// <param name="Security">none, startTls or tls.</param>
/// <param name="Password">Left out to keep what is kept; empty for none.</param>
public sealed record SiteForm(string? Address, string? Host, int Port, string Security, string? Account, string? From, string? Password, bool HasPassword);

/// <param name="Fault">Why it could not be sent; null when it was taken.</param>
public sealed record NoticeTried(string? Fault);

/// <param name="Notices">How many are tried again.</param>
public sealed record NoticesAgain(int Notices);

/// <summary>Whom to tell of what.</summary>
internal static class NoticeEndpoints
{
    private const int Shown = 100;
    private const int MostRules = 200;

    public static void MapNotices(this RouteGroupBuilder api)
    {
        api.MapGet("/notices", Page).RequireAuthorization(Roles.Administrator).WithName("getNotices");
        api.MapPost("/notices", Add).RequireAuthorization(Roles.Administrator).Audited("added a notice").WithName("addNotice");
        api.MapPut("/notices/{id:int}", Change).RequireAuthorization(Roles.Administrator).Audited("changed notice {id}").WithName("changeNotice");
        api.MapDelete("/notices/{id:int}", async Task<Results<NoContent, NotFound>> (int id, KeptNotices notices, CancellationToken cancellation) =>
            await notices.Remove(id, cancellation) ? TypedResults.NoContent() : TypedResults.NotFound()).RequireAuthorization(Roles.Administrator).Audited("removed notice {id}").WithName("removeNotice");
        api.MapPost("/notices/try", Try).RequireAuthorization(Roles.Administrator).WithName("tryNotice");
        api.MapPost("/notices/again", async (int? rule, KeptNotices notices, CancellationToken cancellation) => new NoticesAgain(await notices.TryAgain(rule, cancellation))).RequireAuthorization(Roles.Administrator).WithName("sendAgain");
        api.MapPut("/site", SaveSite).RequireAuthorization(Roles.Administrator).Audited("changed how mail goes out").WithName("saveSite");
    }

    private static async Task<NoticePage> Page(KeptNotices notices, CancellationToken cancellation)
    {
        var rules = await notices.Rules(cancellation);
        var last = await notices.Last(Shown, cancellation);
        var states = (await notices.States(cancellation)).ToDictionary(s => s.Rule);
        var site = await notices.Site(cancellation);
        return new NoticePage(
            [.. rules.Select(r => new NoticeRuleShown(r.Id, NoticeForm.Of(r.Rule), r.HasSecret, states.GetValueOrDefault(r.Id)?.LastSentAt, states.GetValueOrDefault(r.Id)?.Waiting ?? 0, states.GetValueOrDefault(r.Id)?.Fault))],
            [.. from n in last
                let rule = rules.FirstOrDefault(r => r.Id == n.Rule)
                where rule is not null
                let worded = Noticing.Word(rule.Rule, n, site.Address)
                select new NoticeShown(n.Id, n.Rule, rule.Rule.Name, worded.Subject, worded.Text, n.Told.HappenedAt, n.DueAt, n.State, n.Tries, n.Fault, n.SentAt)],
            [.. Enum.GetValues<NoticeKind>().Select(k => new NoticeKindShown(k, NoticeKinds.Fields(k), NoticeKinds.Wording(k).Subject, NoticeKinds.Wording(k).Text))],
            new SiteForm(site.Address, site.Mail?.Host, site.Mail?.Port ?? 587, site.Mail?.Security ?? "startTls", site.Mail?.Account, site.Mail?.From, null, site.HasMailPassword));
    }

    private static async Task<string?> Wrong(NoticeRule rule, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation)
    {
        var mirror = rule.Mirror is null ? null : await mirrors.Find(rule.Mirror, cancellation);
        return rule.Mirror is not null && mirror?.Definition.Key != rule.Mirror ? $"There is no mirror {rule.Mirror}."
            : rule.System is not null && (await connections.All(cancellation)).All(c => c.System != rule.System) ? $"There is no system {rule.System}."
            : rule.Side is { } side && !(side >= 0 && side < mirror?.Definition.Sides.Length) ? "The mirror has no such side."
            : rule.Problems([.. mirror?.Definition.Fields.Select(f => f.Name) ?? []], Mail.IsAddress) is { IsEmpty: false } problems ? string.Join(' ', problems)
            : null;
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> Add(NoticeForm asked, KeptNotices notices, Mirrors mirrors, KeptConnections connections, ClaimsPrincipal user, CancellationToken cancellation)
    {
        var rule = asked.ToRule();
        if (await Wrong(rule, mirrors, connections, cancellation) is { } wrong)
        {
            return SystemsEndpoints.Problem(wrong);
        }

        if ((await notices.Rules(cancellation)).Count >= MostRules)
        {
            return SystemsEndpoints.Problem($"There are {MostRules} notices already. Remove one that nobody reads.");
        }

        await notices.Add(rule, Typed(asked.Secret), user.Identity!.Name!, cancellation);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Change(int id, NoticeForm asked, KeptNotices notices, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation)
    {
        var rule = asked.ToRule();
        if ((await notices.Rules(cancellation)).FirstOrDefault(r => r.Id == id) is not { } before)
        {
            return TypedResults.NotFound();
        }

        if (await Wrong(rule, mirrors, connections, cancellation) is { } wrong)
        {
            return SystemsEndpoints.Problem(wrong);
        }

        if (SecretWouldTravel(before, rule, asked.Secret))
        {
            return SystemsEndpoints.Problem("The address is another one. Type what its calls are signed with again: the secret that is kept was given for the old one.");
        }

        return await notices.Change(id, rule, Typed(asked.Secret), cancellation) ? TypedResults.NoContent() : TypedResults.NotFound();
    }

    private static bool SecretWouldTravel(KeptNoticeRule before, NoticeRule after, string? typed) =>
        before.HasSecret && Typed(typed) is null && after.Channel != NoticeChannel.Mail && before.Rule.Address?.GetLeftPart(UriPartial.Authority) != after.Address?.GetLeftPart(UriPartial.Authority);

    private static string? Typed(string? secret) => string.IsNullOrWhiteSpace(secret) ? null : secret.Trim();

    private static async Task<Results<Ok<NoticeTried>, ProblemHttpResult>> Try(NoticeForm asked, int? id, KeptNotices notices, Noticing noticing, Mirrors mirrors, KeptConnections connections, CancellationToken cancellation)
    {
        var rule = asked.ToRule();
        if (await Wrong(rule, mirrors, connections, cancellation) is { } wrong)
        {
            return SystemsEndpoints.Problem(wrong);
        }

        var before = (await notices.Rules(cancellation)).FirstOrDefault(r => r.Id == id);
        return before is not null && SecretWouldTravel(before, rule, asked.Secret)
            ? SystemsEndpoints.Problem("Type what calls are signed with: the secret that is kept was given for another address.")
            : TypedResults.Ok(new NoticeTried(await noticing.Try(rule, before?.Id, Typed(asked.Secret), cancellation)));
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> SaveSite(SiteForm asked, KeptNotices notices, CancellationToken cancellation)
    {
        var before = await notices.Site(cancellation);
        var host = string.IsNullOrWhiteSpace(asked.Host) ? null : asked.Host.Trim();
        var wrong = asked switch
        {
            { Address: { Length: > 0 } address } when !(Uri.TryCreate(address, UriKind.Absolute, out var uri) && uri.Scheme is "http" or "https" && uri.UserInfo.Length == 0 && address.Length <= 300) => "The address of this site begins with https:// or http://.",
            _ when host is null => null,
            _ when Uri.CheckHostName(host) == UriHostNameType.Unknown || host.Length > 253 => "Give the name of the mail server, such as mail.example.org.",
            { Port: < 1 or > 65535 } => "A port is a number from 1 to 65535.",
            { Security: not ("none" or "startTls" or "tls") } => "Choose how the way to the mail server is secured.",
            { Account.Length: > 200 } or { Password.Length: > 1024 } => "The account has at most 200 characters, the password 1,024.",
            { From: var from } when from is null || !Mail.IsAddress(from.Trim()) => "Give the address that mail comes from.",
            _ when before.HasMailPassword && asked.Password is null && before.Mail?.Host != host => "The mail server is another one. Type the password again: the one that is kept was given for the old one.",
            _ => null,
        };
        if (wrong is not null)
        {
            return SystemsEndpoints.Problem(wrong);
        }

        await notices.SaveSite(
            string.IsNullOrWhiteSpace(asked.Address) ? null : asked.Address.Trim().TrimEnd('/'),
            host is null ? null : new MailSettings(host, asked.Port, asked.Security, string.IsNullOrWhiteSpace(asked.Account) ? null : asked.Account.Trim(), asked.From!.Trim()), asked.Password, cancellation);
        return TypedResults.NoContent();
    }
}
