using System.Text.Json;
using Microsoft.AspNetCore.Identity;
using UprightMirror.Connectors.Calling;
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

    /// <summary>Loads connections, the mirror and the people of the demo. What is there already stays; the database is brought up to date first.</summary>
    /// <param name="everyMinutes">How often the mirror runs by itself; null for by hand only.</param>
    public static async Task<int> LoadDemo(Uri world, int? everyMinutes)
    {
        Migrate();
        await using var installation = new Installation();
        if ((await installation.Mirrors.All(CancellationToken.None)).Count == 0)
        {
            foreach (var (connection, secrets) in Demo.Connections(world))
            {
                await installation.Connections.Save(connection, secrets, CancellationToken.None);
            }

            await installation.Mirrors.Save(Demo.Customers, everyMinutes, CancellationToken.None);
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

    internal static JsonElement Json(ConnectionSettings settings) => JsonSerializer.SerializeToElement(settings, JsonSerializerOptions.Web);
}
