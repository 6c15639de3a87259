using System.Security.Claims;
using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Identity;
using UprightMirror.Storage;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

public sealed record Credentials(string Email, string Password);

/// <param name="Token">To be sent back with every change, in the header X-Upright-Token.</param>
/// <param name="MustChange">True while the password is one that somebody else made.</param>
public sealed record Session(string Name, string Email, string Role, string Token, bool MustChange);

/// <param name="New">12 to 256 characters, and nothing that is easily guessed.</param>
public sealed record PasswordAsked(string Old, string New);

internal static class SessionEndpoints
{
    // A hash to check against when nobody has that address, so that the answer takes as long.
    private static readonly string NobodysHash = new PasswordHasher<string>().HashPassword("nobody", Guid.NewGuid().ToString());

    public static void MapSession(this RouteGroupBuilder api)
    {
        api.MapGet("/session", async (HttpContext http, Sessions sessions, IAntiforgery antiforgery, CancellationToken cancellation) =>
            Of(http, http.User, antiforgery, Sessions.Of(http.User) is { } id && (await sessions.Seen(id, cancellation))?.MustChange == true)).WithName("getSession");
        api.MapPost("/session", SignIn).AllowAnonymous().WithMetadata(new WithoutToken()).RequireRateLimiting(Setup.AttemptsPolicy).WithName("signIn");
        api.MapPut("/session/password", ChangePassword).RequireRateLimiting(Setup.AttemptsPolicy).WithName("changePassword");
        api.MapDelete("/session", async Task<NoContent> (HttpContext http, Users users, Sessions sessions, CancellationToken cancellation) =>
        {
            if (Sessions.Of(http.User) is { } session)
            {
                await users.End(session, null, cancellation);
                sessions.Forget();
            }

            await http.SignOutAsync();
            return TypedResults.NoContent();
        }).WithName("signOut");
    }

    private static async Task<Results<Ok<Session>, ProblemHttpResult>> SignIn(Credentials credentials, HttpContext http, Users users, IPasswordHasher<string> hasher, FailedAttempts failed, Sessions sessions, IAntiforgery antiforgery, CancellationToken cancellation)
    {
        var from = http.Connection.RemoteIpAddress?.ToString() ?? "unknown";
        if (!failed.MayTry(from))
        {
            return Setup.TooMany();
        }

        var user = credentials is { Email.Length: > 0 and <= 254, Password.Length: > 0 and <= 256 } ? await users.Find(credentials.Email, cancellation) : null;
        var verified = hasher.VerifyHashedPassword(user?.Email ?? "nobody", user?.PasswordHash ?? NobodysHash, credentials.Password ?? "");
        if (user is null or { IsOff: true } || verified == PasswordVerificationResult.Failed)
        {
            failed.Failed(from);
            return TypedResults.Problem(statusCode: 401, title: "The e-mail address or the password is not right.");
        }

        var principal = await sessions.Begin(user, http.Request.Headers.UserAgent.ToString(), cancellation);
        await http.SignInAsync(principal);
        http.User = principal;
        return TypedResults.Ok(Of(http, principal, antiforgery, user.MustChange));
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> ChangePassword(PasswordAsked asked, HttpContext http, Users users, Sessions sessions, IPasswordHasher<string> hasher, FailedAttempts failed, SettingChanges changes, CancellationToken cancellation)
    {
        var from = http.Connection.RemoteIpAddress?.ToString() ?? "unknown";
        if (!failed.MayTry(from))
        {
            return Setup.TooMany();
        }

        var user = (await users.Find(http.User.FindFirstValue(ClaimTypes.NameIdentifier)!, cancellation))!;
        if (asked.Old.Length > Passwords.Longest || hasher.VerifyHashedPassword(user.Email, user.PasswordHash, asked.Old) == PasswordVerificationResult.Failed)
        {
            failed.Failed(from);
            return TypedResults.Problem(statusCode: 400, title: "The password that you have now is not right.");
        }

        if (Passwords.Wrong(asked.New, user.Email, user.Name) is { } wrong)
        {
            return TypedResults.Problem(statusCode: 400, title: wrong);
        }

        if (asked.New == asked.Old)
        {
            return TypedResults.Problem(statusCode: 400, title: "That is the password that you have already.");
        }

        await users.SetPassword(user.Id, hasher.HashPassword(user.Email, asked.New), mustChange: false, Sessions.Of(http.User), cancellation);
        sessions.Forget();
        await changes.Add(user.Name, "changed their own password", null, cancellation);
        return TypedResults.NoContent();
    }

    private static Session Of(HttpContext http, ClaimsPrincipal user, IAntiforgery antiforgery, bool mustChange) => new(
        user.FindFirstValue(ClaimTypes.Name)!, user.FindFirstValue(ClaimTypes.NameIdentifier)!, user.FindFirstValue(ClaimTypes.Role)!,
        antiforgery.GetAndStoreTokens(http).RequestToken!, mustChange);
}
