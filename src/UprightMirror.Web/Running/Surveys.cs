using System.Collections.Concurrent;
using UprightMirror.Connectors;
using UprightMirror.Engine;
using UprightMirror.Storage;

namespace UprightMirror.Web.Running;

/// <summary>How a survey of a system goes, or went.</summary>
/// <param name="EndedAt">Null while it goes on.</param>
/// <param name="Fault">Why it failed; null when it did not.</param>
/// <param name="Words">What is being done, or what was found.</param>
public sealed record SurveyState(DateTimeOffset BegunAt, DateTimeOffset? EndedAt, string Words, int Done, int Collections, string? Fault);

/// <summary>
/// Reads catalogues in the background: asked for by a person, who may leave and come back, and by itself every few hours, so that
/// a change of a system is known before a run meets it.
/// </summary>
public sealed class Surveys(Surveying surveying, KeptConnections connections, Catalogues catalogues, Changes changes, TimeProvider clock, ILogger<Surveys> log) : BackgroundService
{
    private static readonly TimeSpan Every = TimeSpan.FromHours(4);
    private static readonly TimeSpan Longest = TimeSpan.FromMinutes(30);

    private readonly ConcurrentDictionary<string, SurveyState> states = new();

    public SurveyState? StateOf(string system) => this.states.GetValueOrDefault(system);

    /// <summary>Begins a survey in the background. One that goes on already is not begun again.</summary>
    public SurveyState Begin(string system)
    {
        var begun = new SurveyState(clock.GetUtcNow(), null, "begun", 0, 0, null);
        var isNew = false;
        var state = this.states.AddOrUpdate(
            system,
            _ =>
            {
                isNew = true;
                return begun;
            },
            (_, known) =>
            {
                isNew = known.EndedAt is not null;
                return isNew ? begun : known;
            });
        if (isNew)
        {
            _ = Task.Run(() => this.Survey(system, begun));
        }

        return state;
    }

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        try
        {
            while (true)
            {
                foreach (var connection in await connections.All(stoppingToken))
                {
                    var last = await catalogues.Last(connection.System, stoppingToken);
                    if (last is null || clock.GetUtcNow() - last.LookedAt >= Every)
                    {
                        this.Begin(connection.System);
                    }
                }

                await Task.Delay(TimeSpan.FromMinutes(10), clock, stoppingToken);
            }
        }
        catch (OperationCanceledException)
        {
            // The process ends.
        }
    }

    private async Task Survey(string system, SurveyState state)
    {
        using var limited = new CancellationTokenSource(Longest, clock);
        try
        {
            var end = await surveying.Survey(system, p => this.states[system] = state = state with { Words = p.Words, Done = p.Done, Collections = p.Collections }, limited.Token);
            var words = $"{end.Collections} {(end.Collections == 1 ? "collection" : "collections")}, {end.Fields} fields"
                + (end.Changes.IsEmpty ? "" : $", {end.Changes.Length} {(end.Changes.Length == 1 ? "change" : "changes")} since the last time")
                + (end.Unreadable.IsEmpty ? "" : $". Not readable: {string.Join("; ", end.Unreadable.Select(u => $"{u.Collection} ({u.Why})"))}");
            this.states[system] = state with { EndedAt = clock.GetUtcNow(), Words = words, Done = end.Collections, Collections = end.Collections };
        }
        catch (SystemFault fault)
        {
            this.states[system] = state with { EndedAt = clock.GetUtcNow(), Words = "failed", Fault = fault.Message };
        }
        catch (OperationCanceledException)
        {
            this.states[system] = state with { EndedAt = clock.GetUtcNow(), Words = "failed", Fault = $"It took longer than {Longest.TotalMinutes:0} minutes and was given up." };
        }
        catch (Exception e) when (e is not OutOfMemoryException)
        {
            if ((await connections.All(CancellationToken.None)).All(c => c.System != system))
            {
                this.states.TryRemove(system, out _); // It was removed while it was looked at.
                return;
            }

            log.LogError(e, "The catalogue of {System} could not be kept", system);
            this.states[system] = state with { EndedAt = clock.GetUtcNow(), Words = "failed", Fault = $"Something went wrong in Upright Mirror itself: {e.GetType().Name}." };
        }

        changes.Tell("systems");
    }
}
