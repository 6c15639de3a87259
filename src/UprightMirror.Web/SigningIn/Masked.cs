using System.Security.Claims;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.Extensions.Options;
using UprightMirror.Storage;

namespace UprightMirror.Web.SigningIn;

/// <summary>Answers to readers, without what is personal in them.</summary>
internal sealed class Masked(PersonalWords words, Mirrors mirrors, RunBook book)
{
    /// <summary>What is taken out for somebody; null for those who may see everything.</summary>
    public async Task<PersonalMask?> For(ClaimsPrincipal user, CancellationToken cancellation)
    {
        if (!user.IsInRole(Roles.Reader))
        {
            return null;
        }

        var names = new PersonalNames(await words.All(cancellation));
        var personal = (await mirrors.All(cancellation)).Where(m => names.Cover(m.Definition.TitleField)).Select(m => m.Definition.Key).ToHashSet(StringComparer.Ordinal);
        return new PersonalMask(names, mirror => mirror is null ? personal.Count > 0 : personal.Contains(mirror));
    }

    /// <summary>The mirror that a request is about, where its address says so.</summary>
    private async Task<string?> MirrorOf(HttpContext http, CancellationToken cancellation)
    {
        var pattern = (http.GetEndpoint() as RouteEndpoint)?.RoutePattern.RawText ?? "";
        return pattern.Contains("/mirrors/{key}", StringComparison.Ordinal) ? http.Request.RouteValues["key"] as string
            : pattern.Contains("/runs/{id", StringComparison.Ordinal) && long.TryParse(http.Request.RouteValues["id"] as string, out var id) && await book.Find(id, cancellation) is { } run
                ? (await mirrors.All(cancellation)).FirstOrDefault(m => m.Id == run.MirrorId)?.Definition.Key
            : null;
    }

    /// <summary>Every answer of these endpoints that is data is masked when a reader asks: also those of endpoints that nobody has thought of yet.</summary>
    public static ValueTask<object?> Filter(EndpointFilterInvocationContext context, EndpointFilterDelegate next) =>
        context.HttpContext.User.IsInRole(Roles.Reader) ? Answer(context, next) : next(context);

    private static async ValueTask<object?> Answer(EndpointFilterInvocationContext context, EndpointFilterDelegate next)
    {
        var http = context.HttpContext;
        var result = await next(context);
        var ended = result is INestedHttpResult { Result: var inner } ? inner : result;
        var value = ended switch
        {
            ProblemHttpResult => null,
            IValueHttpResult { Value: { } v } => v,
            IResult or null or string => null,
            _ => ended,
        };
        var masked = http.RequestServices.GetRequiredService<Masked>();
        if (value is null || await masked.For(http.User, http.RequestAborted) is not { } mask)
        {
            return result;
        }

        var json = JsonSerializer.SerializeToNode(value, value.GetType(), http.RequestServices.GetRequiredService<IOptions<Microsoft.AspNetCore.Http.Json.JsonOptions>>().Value.SerializerOptions);
        mask.TakeOut(json, await masked.MirrorOf(http, http.RequestAborted));
        return Results.Json(json, statusCode: (ended as IStatusCodeHttpResult)?.StatusCode);
    }
}
