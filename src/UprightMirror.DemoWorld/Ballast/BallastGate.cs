using System.Security.Cryptography;
using System.Text;

namespace UprightMirror.DemoWorld.Ballast;

/// <summary>Stands before the ERP's service: Basic sign-in, and eight calls at once; a ninth is turned away with 503.</summary>
public static class BallastGate
{
    private const string User = "UPRIGHT-SVC";
    private const string Password = "ballast-demo-20931";
    private const int AtOnce = 8;
    private static readonly SemaphoreSlim Places = new(AtOnce, AtOnce);

    public static void UseBallastGate(this WebApplication app) => app.UseWhen(c => c.Request.Path.StartsWithSegments("/ballast/odata"), gate => gate.Use(async (context, next) =>
    {
        if (context.RequestServices.GetRequiredService<Faults.FaultSwitches>().Of("ballast").WrongSecret || !SignedIn(context.Request.Headers.Authorization.ToString()))
        {
            context.Response.StatusCode = 401;
            context.Response.Headers.WWWAuthenticate = "Basic realm=\"Ballast ERP\"";
            await context.Response.WriteAsJsonAsync(new { error = new { code = "401", message = "User name or password is wrong." } });
            return;
        }

        if (!await Places.WaitAsync(0))
        {
            context.Response.StatusCode = 503;
            context.Response.Headers.RetryAfter = "1";
            return;
        }

        try
        {
            await next(context);
        }
        finally
        {
            Places.Release();
        }
    }));

    private static bool SignedIn(string header)
    {
        if (!header.StartsWith("Basic ", StringComparison.Ordinal))
        {
            return false;
        }

        var buffer = new byte[256];
        return Convert.TryFromBase64String(header[6..], buffer, out var length)
            && CryptographicOperations.FixedTimeEquals(buffer.AsSpan(0, length), Encoding.UTF8.GetBytes($"{User}:{Password}"));
    }
}
