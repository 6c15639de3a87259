using System.Text.Json;
using System.Text.RegularExpressions;
using UprightMirror.Connectors.Calling;
using UprightMirror.Storage;

namespace UprightMirror.Web.Endpoints;

/// <summary>A connection as somebody typed it, made into one that is kept: checked, named, and its secrets kept where they belong.</summary>
internal static partial class TypedConnection
{
    private static readonly string[] Colours = ["#1f6390", "#94531d", "#6b4f9e", "#3f6b2f", "#8a3a5c", "#4a5a6a", "#7a6a14", "#2b6f73"];

    /// <summary>Secrets that were typed for one system must not be sent to another because somebody changed the address.</summary>
    public static bool SecretsWouldTravel(KeptConnection before, KeptConnection after, ConnectionAsked asked)
    {
        var (was, now) = (SystemsEndpoints.SettingsOf(before), SystemsEndpoints.SettingsOf(after));
        var needed = now.SignIn?.Needs ?? [];
        var typed = needed.All(n => asked.Secrets?.ContainsKey(n) == true || now.SignIn?.From?.ContainsKey(n) == true);
        static string? Authority(Uri? address) => address?.GetLeftPart(UriPartial.Authority);
        return !typed && needed.Count > 0 && (Authority(before.Address) != Authority(after.Address) || Authority(was.Service) != Authority(now.Service)
            || Authority(was.SignIn?.TokenAddress) != Authority(now.SignIn?.TokenAddress) || Authority(was.Proxy) != Authority(now.Proxy) || was.CertificateAuthority != now.CertificateAuthority);
    }

    public static Dictionary<string, string> Together(IReadOnlyDictionary<string, string> kept, IReadOnlyDictionary<string, string> typed) =>
        kept.Where(k => !typed.ContainsKey(k.Key)).Concat(typed).ToDictionary();

    public static KeptConnection Kept(string key, ConnectionAsked asked, KeptConnection? before, IReadOnlyList<KeptConnection> all)
    {
        var settings = asked.Settings with { DescriptionText = asked.Settings.DescriptionText ?? (before is null ? null : SystemsEndpoints.SettingsOf(before).DescriptionText) };
        return new KeptConnection(
            key, asked.Name.Trim(), asked.Monogram ?? before?.Monogram ?? MonogramOf(asked.Name, all), asked.Colour ?? before?.Colour ?? Colours.FirstOrDefault(c => all.All(a => a.Colour != c)) ?? Colours[all.Count % Colours.Length],
            asked.Protocol, AddressOf(asked, key)!, JsonSerializer.SerializeToElement(settings, JsonSerializerOptions.Web), SecretsEndOn: asked.SecretsEndOn);
    }

    /// <summary>What is wrong with a connection as it was typed; null when nothing is.</summary>
    public static string? Wrong(ConnectionAsked asked, KeptConnection? before, IReadOnlyList<KeptConnection> all) => asked switch
    {
        { Name: var name } when string.IsNullOrWhiteSpace(name) || name.Length > 60 => "Give the system a name of at most 60 characters.",
        { Name: var name } when all.Any(c => c.System != before?.System && c.Name.Equals(name.Trim(), StringComparison.OrdinalIgnoreCase)) => $"There is a system called {asked.Name.Trim()} already. Give this one another name.",
        { Protocol: not ("rest" or "odata" or "folder" or "postgresql" or "events") } => "Choose how the system is reached.",
        _ when AddressOf(asked) is not { } address => asked.Protocol switch
        {
            "folder" => "The path of a folder begins with a stroke: /srv/orders.",
            "postgresql" => "The address of a database is written postgresql://host:port/database.",
            _ => "The address begins with https:// or http://, and has no user or secret in it.",
        },
        { Colour: { } colour } when !ColourForm().IsMatch(colour) => "A colour is written #rrggbb.",
        { Monogram.Length: > 2 } => "A monogram has at most two characters.",
        { Settings: { CallsPerSecond: < 1 or > 10_000 } or { CallsAtOnce: < 1 or > 100 } or { TimeoutSeconds: < 1 or > 600 } } => "Calls per second are 1 to 10,000, calls at once 1 to 100, and a call takes 1 to 600 seconds.",
        { Secrets: { } secrets } when secrets.Count > 10 || secrets.Any(s => s.Key.Length > 40 || s.Value.Length > 16_384) => "A secret is at most 16,384 characters long.",
        _ => null,
    };

    private static Uri? AddressOf(ConnectionAsked asked, string key = "")
    {
        var text = asked.Address.Trim();
        return asked.Protocol switch
        {
            "folder" => text.StartsWith('/') && !text.Contains('\0', StringComparison.Ordinal) ? new Uri("file://" + string.Join('/', text.Split('/').Select(Uri.EscapeDataString))) : null,
            "postgresql" => Uri.TryCreate(text, UriKind.Absolute, out var database) && database.Scheme is "postgresql" or "postgres" && database.Host.Length > 0 && database.AbsolutePath.Length > 1 && database.UserInfo.Length == 0 ? database : null,
            "events" => new Uri($"events:{key}"), // It is never called.
            _ => Uri.TryCreate(text, UriKind.Absolute, out var web) && web.Scheme is "http" or "https" && web.Host.Length > 0 && web.UserInfo.Length == 0 && text.Length <= 2000 ? web : null,
        };
    }

    public static string KeyOf(string name, IReadOnlyList<KeptConnection> all)
    {
        var plain = NotForKeys().Replace(name.Trim().Split(' ')[0].ToLowerInvariant(), "");
        var stem = plain.Length == 0 ? "system" : plain;
        return Enumerable.Range(1, all.Count + 1).Select(n => n == 1 ? stem : $"{stem}-{n}").First(k => k is not ("try" or "describe") && all.All(c => c.System != k));
    }

    private static string MonogramOf(string name, IReadOnlyList<KeptConnection> all)
    {
        var letters = name.Where(char.IsLetterOrDigit).ToArray();
        var first = letters.Length == 0 ? "?" : letters[0].ToString().ToUpperInvariant();
        return letters.Skip(1).Select(l => first + char.ToLowerInvariant(l)).FirstOrDefault(m => all.All(c => c.Monogram != m)) ?? first;
    }

    [GeneratedRegex("^#[0-9a-fA-F]{6}$")]
    private static partial Regex ColourForm();

    [GeneratedRegex("[^a-z0-9-]")]
    private static partial Regex NotForKeys();
}
