using System.Threading.RateLimiting;
using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.RateLimiting;

namespace UprightMirror.Web.SigningIn;

/// <summary>Who may do what. Each role may do what the ones after it may.</summary>
public static class Roles
{
    /// <summary>Changes mirrors, connections and people.</summary>
    public const string Administrator = "administrator";

    /// <summary>Decides conflicts, releases held records, starts runs.</summary>
    public const string Steward = "steward";

    /// <summary>Looks.</summary>
    public const string Reader = "reader";
}

/// <summary>Sign-in by cookie, three roles, antiforgery on everything that writes, and few attempts a minute that fail.</summary>
public static class Setup
{
    public const string AttemptsPolicy = "sign-in";

    /// <summary>However they end: checking a password takes a while on purpose.</summary>
    private const int AttemptsAMinute = 120;

    public static void AddSigningIn(this IServiceCollection services)
    {
        services.AddAuthentication(CookieAuthenticationDefaults.AuthenticationScheme).AddCookie(cookie =>
        {
            cookie.Cookie.Name = "upright";
            cookie.Cookie.HttpOnly = true;
            cookie.Cookie.SameSite = SameSiteMode.Strict;
            cookie.ExpireTimeSpan = TimeSpan.FromHours(12);
            cookie.SlidingExpiration = true;

            cookie.Events.OnValidatePrincipal = Sessions.Validate;

            // The API answers with a status, never with a page to go to.
            cookie.Events.OnRedirectToLogin = context => Answer(context.HttpContext, 401);
            cookie.Events.OnRedirectToAccessDenied = context => Answer(context.HttpContext, 403);
        });
        services.AddAuthorizationBuilder()
            .AddPolicy(Roles.Administrator, p => p.RequireRole(Roles.Administrator))
            .AddPolicy(Roles.Steward, p => p.RequireRole(Roles.Administrator, Roles.Steward))
            .AddPolicy(Roles.Reader, p => p.RequireRole(Roles.Administrator, Roles.Steward, Roles.Reader));
        services.AddAntiforgery(a =>
        {
            a.HeaderName = "X-Upright-Token";
            a.Cookie.Name = "upright-token";
            a.Cookie.SameSite = SameSiteMode.Strict;
        });
        services.AddRateLimiter(limits =>
        {
            limits.RejectionStatusCode = StatusCodes.Status429TooManyRequests;
            limits.OnRejected = async (context, _) => await TooMany().ExecuteAsync(context.HttpContext);
            limits.AddPolicy(AttemptsPolicy, http => RateLimitPartition.GetSlidingWindowLimiter(
                http.Connection.RemoteIpAddress?.ToString() ?? "unknown",
                _ => new SlidingWindowRateLimiterOptions { PermitLimit = AttemptsAMinute, Window = TimeSpan.FromMinutes(1), SegmentsPerWindow = 6 }));
        });
        services.AddSingleton<IPasswordHasher<string>, PasswordHasher<string>>();
        services.AddSingleton<FailedAttempts>().AddSingleton<Sessions>();
    }

    internal static ProblemHttpResult TooMany() => TypedResults.Problem(statusCode: StatusCodes.Status429TooManyRequests, title: "Too many attempts to sign in came from here. Wait a minute, then try again.");

    /// <summary>Every request that may change something must carry the token that this site gave out, but for the sign-in, which has nothing to protect yet.</summary>
    public static void UseAntiforgeryOnWrites(this WebApplication app) => app.Use(async (context, next) =>
    {
        var writes = !HttpMethods.IsGet(context.Request.Method) && !HttpMethods.IsHead(context.Request.Method);
        if (writes && context.GetEndpoint()?.Metadata.GetMetadata<WithoutToken>() is null
            && !await context.RequestServices.GetRequiredService<IAntiforgery>().IsRequestValidAsync(context))
        {
            await Results.Problem(statusCode: 400, title: "This page is out of date.", detail: "Reload it and try again: your session was renewed, or the request came from another site.").ExecuteAsync(context);
            return;
        }

        await next(context);
    });

    /// <summary>Nothing is loaded from elsewhere, nothing is framed, and types are not guessed.</summary>
    public static void UseSafeHeaders(this WebApplication app) => app.Use((context, next) =>
    {
        var headers = context.Response.Headers;
        headers.ContentSecurityPolicy = "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'";
        headers.XContentTypeOptions = "nosniff";
        headers["Referrer-Policy"] = "same-origin";
        return next(context);
    });

    private static Task Answer(HttpContext context, int status)
    {
        context.Response.StatusCode = status;
        return Task.CompletedTask;
    }
}

/// <summary>Marks an endpoint that writes and needs no antiforgery token.</summary>
public sealed class WithoutToken;
