using System.Text.Json;
using System.Text.RegularExpressions;
using Microsoft.AspNetCore.Http.HttpResults;
using UprightMirror.Connectors.Calling;
using UprightMirror.Storage;

namespace UprightMirror.Web.SigningIn;

/// <summary>What a change is called in the list of changes; names in braces are parts of its address.</summary>
public sealed record Audited(string What);

internal static partial class Audit
{
    private const int LongestSent = 4000;

    /// <summary>Writes a change into the list of changes when it was made: who, when, what, and what was sent, without its secrets.</summary>
    public static RouteHandlerBuilder Audited(this RouteHandlerBuilder endpoint, string what) =>
        endpoint.WithMetadata(new Audited(what)).AddEndpointFilter(async (context, next) =>
        {
            var result = await next(context);
            var http = context.HttpContext;
            var ended = result is INestedHttpResult { Result: var inner } ? inner : result;
            if (((ended as IStatusCodeHttpResult)?.StatusCode ?? StatusCodes.Status200OK) is >= 200 and < 300)
            {
                var said = RouteNames().Replace(what, m => http.Request.RouteValues.TryGetValue(m.Groups[1].Value, out var value) ? value?.ToString() ?? "" : m.Value);
                var sent = context.Arguments.FirstOrDefault(a => a?.GetType() is { Namespace: { } space, IsClass: true } type && space.StartsWith("UprightMirror.Web.Endpoints", StringComparison.Ordinal) && type.IsSealed);
                await http.RequestServices.GetRequiredService<SettingChanges>().Add(http.User.Identity?.Name ?? "", said, sent is null ? null : Sent(sent), CancellationToken.None);
            }

            return result;
        });

    private static string Sent(object sent)
    {
        var json = JsonSerializer.SerializeToNode(sent, sent.GetType(), Mirrors.Json)!;
        if (json is System.Text.Json.Nodes.JsonObject { } said)
        {
            foreach (var secret in said.Where(p => SecretName().IsMatch(p.Key)).Select(p => p.Key).ToList())
            {
                said[secret] = said[secret] is null ? null : "•••";
            }
        }

        var text = Masking.Secrets(json.ToJsonString(), []);
        return text.Length > LongestSent ? text[..LongestSent] + "…" : text;
    }

    [GeneratedRegex(@"\{(\w+)\}")]
    private static partial Regex RouteNames();

    [GeneratedRegex("secret|password|hash", RegexOptions.IgnoreCase)]
    private static partial Regex SecretName();
}
