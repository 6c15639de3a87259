using System.Security.Claims;
using System.Text.Json;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Mvc;
using UprightMirror.Connectors;
using UprightMirror.Connectors.Calling;
using UprightMirror.Connectors.Files;
using UprightMirror.Connectors.Rest;
using UprightMirror.Connectors.Shapes;
using UprightMirror.Connectors.Testing;
using UprightMirror.Core.Catalogues;
using UprightMirror.Engine;
using UprightMirror.Storage;
using UprightMirror.Web.Running;
using UprightMirror.Web.SigningIn;

namespace UprightMirror.Web.Endpoints;

/// <param name="State">answering, slow, down, or not called yet.</param>
/// <param name="Changes">Changes of its catalogue that nobody has looked at yet.</param>
public sealed record SystemShown(
    string System, string Name, string Monogram, string Colour, string Protocol, string Address, string State, int? Milliseconds, long Calls, long Failures, string? LastFault, DateTimeOffset? LastFaultAt,
    DateTimeOffset? SeenAt, double? Pace, int? CallsPerSecond, int CallsAtOnce, long TurnedAway, DateTimeOffset? SignedInUntil, int Collections, int Fields, int Changes, IReadOnlyList<string> Mirrors, DateTimeOffset? DownSince, DateOnly? SecretsEndOn);

/// <param name="Settings">Everything of the connection but its secrets and an uploaded description.</param>
/// <param name="Secrets">The names of the secrets that are kept. What they are is never told.</param>
/// <param name="HasUploadedDescription">Whether its OpenAPI document was uploaded instead of read from an address.</param>
public sealed record SystemPage(
    SystemShown System, ConnectionSettings Settings, IReadOnlyList<string> Secrets, DateTimeOffset SecretsChangedAt, bool HasUploadedDescription, CatalogueShown? Catalogue, TestShown? LastTest, SurveyState? Survey,
    int? ClockAheadSeconds, string? LimitTold);

/// <param name="Version">1 for the first; a new one only when something is different.</param>
public sealed record CatalogueShown(int Version, DateTimeOffset ReadAt, DateTimeOffset LookedAt);

public sealed record TestShown(DateTimeOffset At, IReadOnlyList<StepShown> Steps);

/// <param name="End">passed, warned, failed or notTried.</param>
public sealed record StepShown(string Name, StepEnd End, int Milliseconds, string Words);

/// <summary>A connection as it is typed.</summary>
/// <param name="Key">Null for a new one: it is made from the name.</param>
/// <param name="Address">A web address; for a folder a path; for a database <c>postgresql://host:port/database</c>.</param>
/// <param name="Secrets">Those that were typed. Left out to keep what is kept.</param>
/// <param name="SecretsEndOn">Their last day; null where nobody knows.</param>
public sealed record ConnectionAsked(string? Key, string Name, string Protocol, string Address, ConnectionSettings Settings, IReadOnlyDictionary<string, string>? Secrets, string? Monogram = null, string? Colour = null, DateOnly? SecretsEndOn = null);

public sealed record ConnectionKept(string System);

/// <summary>A collection as it is found in a description, before the connection is kept.</summary>
/// <param name="Settings">How it is read, to be corrected; null where there is nothing to set.</param>
/// <param name="Columns">Of files, the columns of their rows; empty for other kinds.</param>
public sealed record CollectionFound(string Name, int Fields, CollectionSettings? Settings, IReadOnlyList<Guess> Guesses, IReadOnlyList<string> Columns);

/// <param name="SignIn">The sign-in that the description asks for; null when it does not say.</param>
public sealed record DescriptionFound(string? Title, SignInSettings? SignIn, int? CallsPerSecond, IReadOnlyList<CollectionFound> Collections);

internal static class SystemsEndpoints
{
    private const int LargestUpload = 20 * 1024 * 1024;

    private static readonly RequestSizeLimitAttribute Upload = new(LargestUpload);

    public static void MapSystems(this RouteGroupBuilder api)
    {
        api.MapGet("/systems", (KeptConnections connections, Catalogues catalogues, Mirrors mirrors, CancellationToken cancellation) => All(connections, catalogues, mirrors, cancellation)).WithName("getSystems");
        api.MapGet("/systems/{key}", Page).WithName("getSystem");
        api.MapPost("/systems", Create).RequireAuthorization(Roles.Administrator).WithMetadata(Upload).Audited("connected a system").WithName("createSystem");
        api.MapPut("/systems/{key}", Change).RequireAuthorization(Roles.Administrator).WithMetadata(Upload).Audited("changed the connection {key}").WithName("changeSystem");
        api.MapDelete("/systems/{key}", Remove).RequireAuthorization(Roles.Administrator).Audited("removed the connection {key}").WithName("removeSystem");
        api.MapPost("/systems/describe", Describe).RequireAuthorization(Roles.Administrator).WithMetadata(Upload).WithName("describeSystem");
        api.MapPost("/systems/try", Try).RequireAuthorization(Roles.Administrator).WithMetadata(Upload).WithName("tryConnection")
            .Produces<StepShown>(200, "application/x-ndjson");
        api.MapPost("/systems/{key}/test", Test).RequireAuthorization(Roles.Steward).WithName("testConnection").Produces<StepShown>(200, "application/x-ndjson");
    }

    public static async Task<IReadOnlyList<SystemShown>> All(KeptConnections connections, Catalogues catalogues, Mirrors mirrors, CancellationToken cancellation)
    {
        var health = (await connections.Health(cancellation)).ToDictionary(h => h.System);
        var changes = (await catalogues.Changes(null, unseenOnly: true, 10_000, cancellation)).CountBy(c => c.System).ToDictionary();
        var used = (await mirrors.All(cancellation)).SelectMany(m => m.Definition.Sides.Select(s => (s.System, m.Definition.Name))).Distinct().ToLookup(u => u.System, u => u.Name);
        var sizes = await catalogues.Sizes(cancellation);
        return [.. (await connections.All(cancellation)).Select(c =>
        {
            var h = health.GetValueOrDefault(c.System);
            var settings = SettingsOf(c);
            var size = sizes.GetValueOrDefault(c.System);
            return new SystemShown(
                c.System, c.Name, c.Monogram, c.Colour, c.Protocol, Plain(c), h?.State ?? "not called yet", h?.Milliseconds, h?.Calls ?? 0, h?.Failures ?? 0, h?.LastFault, h?.LastFaultAt, h?.SeenAt,
                h?.Pace, settings.CallsPerSecond, settings.CallsAtOnce, h?.TurnedAway ?? 0, h?.SignedInUntil, size.Collections, size.Fields, changes.GetValueOrDefault(c.System), [.. used[c.System]], h?.DownSince, c.SecretsEndOn);
        })];
    }

    internal static ConnectionSettings SettingsOf(KeptConnection connection) => connection.Settings.Deserialize<ConnectionSettings>(JsonSerializerOptions.Web) ?? new ConnectionSettings();

    private static async Task<Results<Ok<SystemPage>, NotFound>> Page(string key, KeptConnections connections, Catalogues catalogues, Mirrors mirrors, Surveys surveys, CancellationToken cancellation)
    {
        if ((await connections.All(cancellation)).FirstOrDefault(c => c.System == key) is not { } connection)
        {
            return TypedResults.NotFound();
        }

        var shown = (await All(connections, catalogues, mirrors, cancellation)).First(s => s.System == key);
        var health = (await connections.Health(cancellation)).FirstOrDefault(h => h.System == key);
        var settings = SettingsOf(connection);
        var last = await catalogues.Last(key, cancellation);
        var test = await connections.LastTest(key, cancellation);
        return TypedResults.Ok(new SystemPage(
            shown,
            settings with { DescriptionText = null },
            await NamesOf(connections, key, cancellation),
            connection.SecretsChangedAt,
            settings.DescriptionText is not null,
            last is null ? null : new CatalogueShown(last.Version, last.ReadAt, last.LookedAt),
            test is null ? null : new TestShown(test.At, test.Steps.Deserialize<List<StepShown>>(StepForm)!),
            surveys.StateOf(key),
            health?.ClockAhead is { } ahead ? (int)ahead.TotalSeconds : null,
            health?.LimitTold));
    }

    private static async Task<IReadOnlyList<string>> NamesOf(KeptConnections connections, string key, CancellationToken cancellation)
    {
        try
        {
            return [.. (await connections.Secrets(key, cancellation)).Keys.Order()];
        }
        catch (System.Security.Cryptography.CryptographicException)
        {
            return [];
        }
    }

    private static async Task<Results<Ok<ConnectionKept>, ProblemHttpResult>> Create(ConnectionAsked asked, KeptConnections connections, Surveys surveys, CancellationToken cancellation)
    {
        var all = await connections.All(cancellation);
        if (TypedConnection.Wrong(asked, null, all) is { } wrong)
        {
            return Problem(wrong);
        }

        var key = TypedConnection.KeyOf(asked.Name, all);
        await connections.Save(TypedConnection.Kept(key, asked, null, all), asked.Secrets ?? new Dictionary<string, string>(), cancellation);
        surveys.Begin(key);
        return TypedResults.Ok(new ConnectionKept(key));
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Change(string key, ConnectionAsked asked, KeptConnections connections, Surveys surveys, CancellationToken cancellation)
    {
        var all = await connections.All(cancellation);
        if (all.FirstOrDefault(c => c.System == key) is not { } before)
        {
            return TypedResults.NotFound();
        }

        if (TypedConnection.Wrong(asked, before, all) is { } wrong)
        {
            return Problem(wrong);
        }

        var kept = TypedConnection.Kept(key, asked, before, all);
        IReadOnlyDictionary<string, string>? secrets = asked.Secrets is { Count: > 0 } typed ? TypedConnection.Together(await connections.Secrets(key, cancellation), typed) : null;
        if (TypedConnection.SecretsWouldTravel(before, kept, asked))
        {
            return Problem($"The address leads to another system than before. Type the secrets again, so that those of {before.Address.Host} are not sent to {kept.Address.Host}.");
        }

        await connections.Save(kept, secrets, cancellation);
        surveys.Begin(key);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Remove(string key, KeptConnections connections, Mirrors mirrors, CancellationToken cancellation)
    {
        if ((await connections.All(cancellation)).All(c => c.System != key))
        {
            return TypedResults.NotFound();
        }

        var used = (await mirrors.All(cancellation)).Where(m => m.Definition.Sides.Any(s => s.System == key)).Select(m => m.Definition.Name).ToList();
        if (used.Count > 0)
        {
            return Problem($"It is used by {string.Join(", ", used)}. Take it out of those mirrors first.");
        }

        await connections.Remove(key, cancellation);
        return TypedResults.NoContent();
    }

    private static async Task<Results<Ok<DescriptionFound>, ProblemHttpResult>> Describe(ConnectionAsked asked, KeptConnections connections, Systems systems, CancellationToken cancellation)
    {
        // Its description may be what says how it is called.
        var named = string.IsNullOrWhiteSpace(asked.Name) ? asked with { Name = "This system" } : asked;
        var (connector, wrong) = await Tried(named, connections, systems, needsSecrets: asked.Protocol != "rest", cancellation);
        if (connector is null)
        {
            return wrong!;
        }

        try
        {
            if (connector is InnerRecords { System: RestConnector rest })
            {
                var read = await rest.ReadDescription(cancellation);
                return TypedResults.Ok(new DescriptionFound(read.Title, read.SignIn, read.CallsPerSecond,
                    [.. read.Guessed.Values.OrderBy(g => g.Name, StringComparer.Ordinal).Select(g => new CollectionFound(g.Name, read.Collection(g.Name, g.Settings)?.Fields.Count ?? 0, g.Settings, g.Guesses, []))]));
            }

            var catalogue = await connector.ReadCatalogue(cancellation);

            // Of a folder, rows that are one record together are told by hand.
            var settings = connector is InnerRecords { System: FolderConnector folder } ? folder.Collections() : null;
            return TypedResults.Ok(new DescriptionFound(null, null, null, [.. catalogue.Collections.Where(c => InnerCollection.Of(c.Name) is null).Select(c => new CollectionFound(c.Name, c.Fields.Count, settings?.GetValueOrDefault(c.Name), [], settings is null ? [] : RowsTogether.Columns(c)))]));
        }
        catch (SystemFault fault)
        {
            return Problem(fault.Message);
        }
    }

    private static async Task<IResult> Try(ConnectionAsked asked, KeptConnections connections, Systems systems, HttpContext http, CancellationToken cancellation)
    {
        var (connector, wrong) = await Tried(asked, connections, systems, needsSecrets: true, cancellation);
        if (connector is null)
        {
            return wrong!;
        }

        await Tell(connector, http, cancellation);
        return Results.Empty;
    }

    private static async Task<IResult> Test(string key, KeptConnections connections, Systems systems, HttpContext http, TimeProvider clock, CancellationToken cancellation)
    {
        if ((await connections.All(cancellation)).FirstOrDefault(c => c.System == key) is not { } connection)
        {
            return TypedResults.NotFound();
        }

        try
        {
            var connector = systems.Try(connection, await connections.Secrets(key, cancellation));
            var steps = await Tell(connector, http, cancellation);
            await connections.SaveTest(key, new KeptTest(clock.GetUtcNow(), JsonSerializer.SerializeToElement(steps, StepForm)), cancellation);
            await systems.KeepTried(key, connector, cancellation);
            return Results.Empty;
        }
        catch (SystemFault fault)
        {
            return Problem(fault.Message);
        }
        catch (System.Security.Cryptography.CryptographicException)
        {
            return Problem($"The secrets of {connection.Name} were encrypted with keys that are not here. Type them again in its connection.");
        }
    }

    /// <summary>Tells each step as soon as it is known: one JSON object a line.</summary>
    private static async Task<List<StepShown>> Tell(ISystemConnector connector, HttpContext http, CancellationToken cancellation)
    {
        http.Response.ContentType = "application/x-ndjson";
        http.Response.Headers.CacheControl = "no-store";
        var steps = new List<StepShown>();
        await foreach (var step in connector.Test(cancellation))
        {
            var shown = new StepShown(step.Name, step.End, step.Milliseconds, step.Words);
            steps.Add(shown);
            await http.Response.WriteAsync(JsonSerializer.Serialize(shown, StepForm) + "\n", cancellation);
            await http.Response.Body.FlushAsync(cancellation);
        }

        return steps;
    }

    internal static readonly JsonSerializerOptions StepForm = new(JsonSerializerDefaults.Web) { Converters = { new System.Text.Json.Serialization.JsonStringEnumConverter(JsonNamingPolicy.CamelCase) } };

    /// <summary>A connector for what was typed; secrets that were not typed again come from what is kept, as long as they stay with their system.</summary>
    private static async Task<(ISystemConnector? Connector, ProblemHttpResult? Wrong)> Tried(ConnectionAsked asked, KeptConnections connections, Systems systems, bool needsSecrets, CancellationToken cancellation)
    {
        var all = await connections.All(cancellation);
        var before = asked.Key is { } key ? all.FirstOrDefault(c => c.System == key) : null;
        if (TypedConnection.Wrong(asked, before, all) is { } wrong)
        {
            return (null, Problem(wrong));
        }

        var kept = TypedConnection.Kept(before?.System ?? "new", asked, before, all);
        if (before is not null && TypedConnection.SecretsWouldTravel(before, kept, asked))
        {
            return (null, Problem($"The address leads to another system than before. Type the secrets again, so that those of {before.Address.Host} are not sent to {kept.Address.Host}."));
        }

        try
        {
            var secrets = before is null ? asked.Secrets ?? new Dictionary<string, string>() : TypedConnection.Together(await connections.Secrets(before.System, cancellation), asked.Secrets ?? new Dictionary<string, string>());
            if (!needsSecrets)
            {
                // The description may be what says how to sign in: it is read without.
                var open = SettingsOf(kept) with { SignIn = null };
                kept = kept with { Settings = JsonSerializer.SerializeToElement(open, JsonSerializerOptions.Web) };
            }

            return (systems.Try(kept, secrets), null);
        }
        catch (SystemFault fault)
        {
            return (null, Problem(fault.Message));
        }
    }

    private static string Plain(KeptConnection connection) => connection.Protocol == "folder" ? connection.Address.LocalPath : connection.Address.ToString();

    internal static ProblemHttpResult Problem(string title) => TypedResults.Problem(statusCode: 400, title: title);

}
