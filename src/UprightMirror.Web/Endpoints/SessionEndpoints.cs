using System.Security.Claims;
using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Identity;
using UprightMirror.Storage;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

public sealed record Credentials(string Email, string Password);

/// <param name="Token">To be sent back with every change, in the header X-Upright-Token.</param>
public sealed record Session(string Name, string Email, string Role, string Token);

internal static class SessionEndpoints
{
    // A hash to check against when nobody has that address, so that the answer takes as long.
    private static readonly string NobodysHash = new PasswordHasher<string>().HashPassword("nobody", Guid.NewGuid().ToString());

    public static void MapSession(this RouteGroupBuilder api)
    {
        api.MapGet("/session", (HttpContext http, IAntiforgery antiforgery) => Of(http, http.User, antiforgery)).WithName("getSession");
        api.MapPost("/session", SignIn).AllowAnonymous().WithMetadata(new WithoutToken()).RequireRateLimiting(Setup.AttemptsPolicy).WithName("signIn");
        api.MapDelete("/session", async Task<NoContent> (HttpContext http) =>
        {
            await http.SignOutAsync();
            return TypedResults.NoContent();
        }).WithName("signOut");
    }

    private static async Task<Results<Ok<Session>, ProblemHttpResult>> SignIn(Credentials credentials, HttpContext http, Users users, IPasswordHasher<string> hasher, FailedAttempts failed, IAntiforgery antiforgery, CancellationToken cancellation)
    {
        var from = http.Connection.RemoteIpAddress?.ToString() ?? "unknown";
        if (!failed.MayTry(from))
        {
            return Setup.TooMany();
        }

        var user = credentials is { Email.Length: > 0 and <= 254, Password.Length: > 0 and <= 256 } ? await users.Find(credentials.Email, cancellation) : null;
        var verified = hasher.VerifyHashedPassword(user?.Email ?? "nobody", user?.PasswordHash ?? NobodysHash, credentials.Password ?? "");
        if (user is null || verified == PasswordVerificationResult.Failed)
        {
            failed.Failed(from);
            return TypedResults.Problem(statusCode: 401, title: "The e-mail address or the password is not right.");
        }

        var identity = new ClaimsIdentity(
            [new Claim(ClaimTypes.NameIdentifier, user.Email), new Claim(ClaimTypes.Name, user.Name), new Claim(ClaimTypes.Role, user.Role)],
            CookieAuthenticationDefaults.AuthenticationScheme);
        var principal = new ClaimsPrincipal(identity);
        await http.SignInAsync(principal);
        http.User = principal;
        return TypedResults.Ok(Of(http, principal, antiforgery));
    }

    private static Session Of(HttpContext http, ClaimsPrincipal user, IAntiforgery antiforgery) => new(
        user.FindFirstValue(ClaimTypes.Name)!, user.FindFirstValue(ClaimTypes.NameIdentifier)!, user.FindFirstValue(ClaimTypes.Role)!,
        antiforgery.GetAndStoreTokens(http).RequestToken!);
}
