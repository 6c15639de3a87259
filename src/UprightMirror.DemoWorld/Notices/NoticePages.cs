using System.Collections.Concurrent;
using UprightMirror.DemoWorld.Pages;

namespace UprightMirror.DemoWorld.Notices;

/// <summary>Where what was told ends up in the demo: a mailbox, and a room where people talk, which takes texts by call.</summary>
public static class NoticePages
{
    private const int Kept = 500;
    private const int Longest = 64 * 1024;

    private sealed record Said(DateTimeOffset At, string Id, bool Signed, string Body);

    public static void MapNoticePages(this IEndpointRouteBuilder app, MailCatcher? mail)
    {
        var room = new ConcurrentQueue<Said>();
        app.MapGet("/mail", () => StaffPages.Page("Mail", "#f4f4f4", mail is null ? "<p>No mail is caught here.</p>" : $"<p><a href='/'>Back</a></p><p>What would have gone out by mail, the last first.</p>{string.Concat(mail.Caught.Select(m => $"<article><p>{m.At:yyyy-MM-dd HH:mm:ss}Z to {StaffPages.Html(m.To)}</p><pre>{StaffPages.Html(m.Message)}</pre></article>"))}"));
        app.MapGet("/mail/messages", () => mail?.Caught ?? []);
        app.MapGet("/room", () => StaffPages.Page("The office's room", "#f4f4f4", $"<p><a href='/'>Back</a></p><p>What was said here by calls to /room, the last first.</p>{string.Concat(room.Reverse().Select(s => $"<article><p>{s.At:HH:mm:ss}Z{(s.Signed ? ", signed" : "")}</p><pre>{StaffPages.Html(s.Body)}</pre></article>"))}"));
        app.MapGet("/room/messages", () => room.Reverse().ToArray());
        app.MapPost("/room", async (HttpRequest request) =>
        {
            using var reader = new StreamReader(request.Body);
            var body = await reader.ReadToEndAsync();
            if (body.Length is 0 or > Longest)
            {
                return Results.BadRequest("Say something, and not too much.");
            }

            room.Enqueue(new Said(DateTimeOffset.UtcNow, request.Headers["webhook-id"].ToString(), request.Headers.ContainsKey("webhook-signature"), body));
            while (room.Count > Kept)
            {
                room.TryDequeue(out _);
            }

            return Results.NoContent();
        }).DisableAntiforgery();
    }
}
