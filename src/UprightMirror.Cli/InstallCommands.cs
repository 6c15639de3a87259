using System.Security.Cryptography;
using System.Text.Json;
using Microsoft.AspNetCore.Identity;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Timing;
using UprightMirror.Storage;

namespace UprightMirror.Cli;

/// <summary>Makes the database, and fills it with the demo's arrangement.</summary>
internal static class InstallCommands
{
    public static int Migrate()
    {
        Database.Migrate(Installation.DatabaseAddress);
        return 0;
    }

    /// <summary>Loads connections, the mirrors and the people of the demo. What is there already stays; the database is brought up to date first.</summary>
    /// <param name="everyMinutes">How often the mirror runs by itself; null for by hand only.</param>
    /// <param name="folder">Where the demo's order files arrive; null when there is no such folder.</param>
    /// <param name="product">Where the product answers, for the demo's systems to send their events to; null to leave them as they are.</param>
    /// <param name="mail">At which port of this machine mail is taken, and where the product answers; null for no mail.</param>
    /// <param name="peopleOnly">True for an empty workspace: nobody has connected anything yet.</param>
    public static async Task<int> LoadDemo(Uri world, int? everyMinutes, string? folder, bool peopleOnly, Uri? product, (int Port, Uri Site)? mail)
    {
        Migrate();
        await using var installation = new Installation();
        if (!peopleOnly && (await installation.Mirrors.All(CancellationToken.None)).Count == 0)
        {
            foreach (var (connection, secrets) in Demo.Connections(world, folder))
            {
                await installation.Connections.Save(connection, secrets, CancellationToken.None);
            }

            foreach (var mirror in Demo.Mirrors(hasFolder: folder is not null))
            {
                await installation.Mirrors.Save(everyMinutes is null ? mirror : mirror with { Timing = mirror.Timing with { Kind = TimingKind.Every, Minutes = everyMinutes } }, "the demo", CancellationToken.None);
            }

            foreach (var (mirror, check) in Demo.Checks)
            {
                await installation.Checks.Keep((await installation.Mirrors.Find(mirror, CancellationToken.None))!.Id, null, check, "the demo", DateTimeOffset.UtcNow, CancellationToken.None);
            }
        }

        if (product is not null)
        {
            await SendEvents(world, product, installation);
        }

        if (mail is var (port, site) && (await installation.Notices.Site(CancellationToken.None)).Mail is null)
        {
            await installation.Notices.SaveSite(site.ToString().TrimEnd('/'), new MailSettings("127.0.0.1", port, "none", null, "mirror@saltmarsh.example"), null, CancellationToken.None);
            foreach (var notice in peopleOnly ? [] : Demo.Notices(world))
            {
                await installation.Notices.Add(notice, null, "the demo", CancellationToken.None);
            }
        }

        var hasher = new PasswordHasher<string>();
        foreach (var (email, name, role, password) in Demo.People)
        {
            if (await installation.Users.Find(email, CancellationToken.None) is null)
            {
                await installation.Users.Add(email, name, role, hasher.HashPassword(email, password), CancellationToken.None);
            }
        }

        foreach (var (email, _, role, password) in Demo.People)
        {
            Console.WriteLine($"  {role,-14} {email,-26} {password}");
        }

        return 0;
    }

    /// <summary>Opens an address for each system that sends events, and tells the system of it, as its administrator would on its page.</summary>
    private static async Task SendEvents(Uri world, Uri product, Installation installation)
    {
        using var http = new HttpClient();
        foreach (var (system, header) in new (string, string?)[] { ("slipway", "X-Slipway-Signature"), ("pennant", null) })
        {
            if (await installation.Events.AddressOf(system, CancellationToken.None) is not null)
            {
                continue;
            }

            var (token, secret) = (Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(16)), Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(16)));
            await installation.Events.Open(new EventAddress(system, token, header, false, DateTimeOffset.UtcNow), header is null ? null : secret, CancellationToken.None);
            using var answer = await http.PostAsync(new Uri(world, $"/{system}/events"), new FormUrlEncodedContent(new Dictionary<string, string> { ["address"] = new Uri(product, $"/events/{token}").ToString(), ["secret"] = secret }));
            answer.EnsureSuccessStatusCode();
        }
    }

    internal static JsonElement Json(ConnectionSettings settings) => JsonSerializer.SerializeToElement(settings, JsonSerializerOptions.Web);
}
