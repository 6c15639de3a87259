using System.Collections.Concurrent;
using System.Security.Claims;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.Cookies;
using UprightMirror.Storage;

namespace UprightMirror.Web.SigningIn;

/// <summary>
/// Whether who is signed in still is, and what they may do now: a session that was ended, a person who was switched off, or a role that was changed counts within seconds, whatever the cookie says.
/// </summary>
public sealed class Sessions(Users users, TimeProvider clock)
{
    public const string Claim = "session";

    /// <summary>So long what the database said is taken to be so still.</summary>
    private static readonly TimeSpan Known = TimeSpan.FromSeconds(5);

    private readonly ConcurrentDictionary<Guid, (KeptUser? User, DateTimeOffset At)> known = new();

    public static Guid? Of(ClaimsPrincipal user) => Guid.TryParse(user.FindFirstValue(Claim), out var id) ? id : null;

    public static ClaimsPrincipal Principal(KeptUser user, Guid session) => new(new ClaimsIdentity(
        [new Claim(ClaimTypes.NameIdentifier, user.Email), new Claim(ClaimTypes.Name, user.Name), new Claim(ClaimTypes.Role, user.Role), new Claim(Claim, session.ToString())],
        CookieAuthenticationDefaults.AuthenticationScheme));

    public async Task<ClaimsPrincipal> Begin(KeptUser user, string agent, CancellationToken cancellation)
    {
        var session = Guid.NewGuid();
        await users.Begin(session, user.Id, agent.Length > 300 ? agent[..300] : agent, clock.GetUtcNow(), cancellation);
        return Principal(user, session);
    }

    /// <summary>Who a session is of, as they are now; null when it has ended.</summary>
    public async Task<KeptUser?> Seen(Guid session, CancellationToken cancellation)
    {
        var now = clock.GetUtcNow();
        if (this.known.TryGetValue(session, out var was) && now - was.At < Known)
        {
            return was.User;
        }

        var user = await users.Seen(session, now, cancellation);
        this.known[session] = (user, now);
        foreach (var old in this.known.Where(k => now - k.Value.At > Known * 100))
        {
            this.known.TryRemove(old);
        }

        return user;
    }

    /// <summary>What is known of sessions is asked for again, at once.</summary>
    public void Forget() => this.known.Clear();

    internal static async Task Validate(CookieValidatePrincipalContext context)
    {
        var sessions = context.HttpContext.RequestServices.GetRequiredService<Sessions>();
        if (context.Principal is not { } principal || Of(principal) is not { } id || await sessions.Seen(id, context.HttpContext.RequestAborted) is not { } user)
        {
            context.RejectPrincipal();
            await context.HttpContext.SignOutAsync();
            return;
        }

        context.ReplacePrincipal(Principal(user, id));
    }
}
