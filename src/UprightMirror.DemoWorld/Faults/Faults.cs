using System.Collections.Concurrent;

namespace UprightMirror.DemoWorld.Faults;

/// <summary>A field that an operator added, removed or gave another type.</summary>
/// <param name="Kind">add, remove or retype.</param>
/// <param name="Type">string, integer, number or boolean; for add and retype.</param>
public sealed record FieldFault(string Kind, string Collection, string Field, string? Type);

/// <summary>What is wrong with a system at the moment, because an operator of the demo wants it so.</summary>
/// <param name="SlowMilliseconds">Each answer comes this much later.</param>
/// <param name="Down">Nothing answers: connections are cut.</param>
/// <param name="AnswersHtml">A web page comes instead of every answer, as from a page that says "back soon".</param>
/// <param name="DropBefore">The connection breaks before a write takes effect.</param>
/// <param name="DropAfter">The connection breaks after a write took effect, before its answer.</param>
/// <param name="RefuseEvery">Every nth write is refused; 0 for none.</param>
/// <param name="ErrorEvery">Every nth call ends with an error of the system's own (500); 0 for none.</param>
/// <param name="WrongSecret">The secret was changed: nobody who has the old one is signed in.</param>
/// <param name="Forbidden">The service account lost its right to read records.</param>
/// <param name="ClockSeconds">How far its clock is ahead.</param>
/// <param name="EventsTwice">Every event is sent twice.</param>
/// <param name="EventsLateSeconds">Events are sent this much later.</param>
/// <param name="EventsNever">No event is sent.</param>
/// <param name="TokensEndedAt">Tokens given out before are not accepted any more.</param>
public sealed record Fault(
    int SlowMilliseconds = 0,
    bool Down = false,
    bool AnswersHtml = false,
    bool DropBefore = false,
    bool DropAfter = false,
    int RefuseEvery = 0,
    int ErrorEvery = 0,
    bool WrongSecret = false,
    bool Forbidden = false,
    int ClockSeconds = 0,
    DateTimeOffset? TokensEndedAt = null,
    IReadOnlyList<FieldFault>? Fields = null,
    bool EventsTwice = false,
    int EventsLateSeconds = 0,
    bool EventsNever = false);

/// <summary>The faults of every system, as they are switched on now.</summary>
public sealed class FaultSwitches(TimeProvider clock)
{
    public static readonly string[] Systems = ["slipway", "ballast", "pennant"];

    private readonly ConcurrentDictionary<string, Fault> faults = new();
    private long writes;
    private long calls;

    public Fault Of(string system) => this.faults.GetValueOrDefault(system) ?? new Fault();

    public void Set(string system, Fault fault) => this.faults[system] = fault;

    public void Clear(string system) => this.faults.TryRemove(system, out _);

    /// <summary>The system's own time.</summary>
    public DateTimeOffset Now(string system) => clock.GetUtcNow().AddSeconds(this.Of(system).ClockSeconds);

    public bool RefusesThisWrite(string system) => this.Of(system).RefuseEvery is > 0 and var n && Interlocked.Increment(ref this.writes) % n == 0;

    public bool FailsThisCall(string system) => this.Of(system).ErrorEvery is > 0 and var n && Interlocked.Increment(ref this.calls) % n == 0;
}
