using System.Globalization;
using System.Net;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Remembered;

namespace UprightMirror.Connectors.Testing;

/// <summary>
/// Tests a connection over HTTP step by step, each with its own words for what can go wrong in it.
/// </summary>
/// <param name="Describe">Reads the description: the collections, a sentence about it, and the calls a second that it allows, if it says.</param>
/// <param name="AddressOf">Where a collection is read: the sign-in is proven there.</param>
/// <param name="Sample">Reads one record.</param>
/// <param name="DescriptionIsOpen">Whether the description may be read without signing in: it may be what says where to sign in.</param>
internal sealed record HttpTest(
    string Name,
    Uri Address,
    ConnectionSettings Settings,
    Caller Caller,
    Func<CancellationToken, Task<(IReadOnlyList<string> Collections, string Words, int? CallsPerSecond)>> Describe,
    Func<string, CancellationToken, Task<Uri>> AddressOf,
    Func<string, CancellationToken, Task<ObservedRecord?>> Sample,
    bool DescriptionIsOpen)
{
    private static readonly TimeSpan TooFarApart = TimeSpan.FromMinutes(1);

    public IAsyncEnumerable<TestStep> Steps(CancellationToken cancellation)
    {
        (IReadOnlyList<string> Collections, string Words, int? CallsPerSecond) described = ([], "", null);
        return StepByStep.Run(
        [
            ("Name resolved", () => this.Resolve(cancellation)),
            ("Reached", () => this.Reach(cancellation)),
            ("Signed in", async () =>
            {
                if (this.DescriptionIsOpen)
                {
                    described = await this.Describe(cancellation);
                }

                return await this.SignIn(described.Collections, cancellation);
            }),
            ("Description read", async () =>
            {
                described = this.DescriptionIsOpen ? described : await this.Describe(cancellation);
                return described.Collections.Count > 0 ? (StepEnd.Passed, described.Words) : (StepEnd.Failed, $"{this.Name} describes no collection that can be read: no path answers with a list of records that have an id.");
            }),
            ("One record read", () => this.ReadOne(described.Collections, cancellation)),
            ("Clock compared", () => Task.FromResult(this.CompareClocks())),
            ("Limits found", () => Task.FromResult(this.FindLimits(described.CallsPerSecond))),
        ], cancellation);
    }

    private async Task<(StepEnd End, string Words)> Resolve(CancellationToken cancellation) => this.Settings.Proxy is { } proxy
        ? (StepEnd.Passed, $"{this.Address.Host} is looked up by the proxy {proxy.Authority}.")
        : await StepByStep.Resolve(this.Address.Host, this.Settings.AllowPrivate, cancellation);

    private async Task<(StepEnd End, string Words)> Reach(CancellationToken cancellation)
    {
        var answer = await this.Caller.Probe(this.Address, "an answer", signed: false, cancellation);
        return (StepEnd.Passed, $"{this.Address.Authority} answers{(this.Address.Scheme == "https" ? ", and its certificate is accepted" : "")} ({(int)answer.Status}).");
    }

    private async Task<(StepEnd End, string Words)> SignIn(IReadOnlyList<string> collections, CancellationToken cancellation)
    {
        await this.Caller.SignInNow(cancellation);
        var kind = this.Settings.SignIn?.Kind ?? "none";
        var probe = collections.Count > 0 ? await this.AddressOf(collections[0], cancellation) : this.Address;
        var answer = await this.Caller.Probe(probe, "an answer", signed: true, cancellation);
        if (answer.Status == HttpStatusCode.Unauthorized)
        {
            return (StepEnd.Failed, kind == "none"
                ? $"{this.Name} wants a sign-in (401), and the connection has none. Choose how to sign in."
                : $"{this.Name} refused the sign-in (401): {AnswerText.Of(answer.Body)}. Check {(kind == "basic" ? "the user name and the password" : kind == "key" ? "the key, and the header or parameter that carries it" : "the secret")} of the connection.");
        }

        var until = this.Caller.Seen.SignedInUntil is { } time ? $" The token ends at {time.UtcDateTime.ToString("HH:mm:ss", CultureInfo.InvariantCulture)} UTC and is renewed before." : "";
        return (StepEnd.Passed, kind == "none" ? "No sign-in is needed." : $"{this.Name} accepts the sign-in.{until}");
    }

    private async Task<(StepEnd End, string Words)> ReadOne(IReadOnlyList<string> collections, CancellationToken cancellation)
    {
        var refused = new List<string>();
        SystemFault? fault = null;
        foreach (var collection in collections)
        {
            try
            {
                if (await this.Sample(collection, cancellation) is { } record)
                {
                    return (refused.Count == 0 ? StepEnd.Passed : StepEnd.Warned, $"{collection} {record.Id}, with {record.Fields.Paths.Count()} fields.{(refused.Count == 0 ? "" : $" Not readable: {string.Join(", ", refused)}.")}");
                }
            }
            catch (SystemFault e)
            {
                fault ??= e;
                refused.Add(collection);
            }
        }

        return fault is not null
            ? (StepEnd.Failed, fault.Message)
            : (StepEnd.Warned, "Every collection is empty, so no record could be read.");
    }

    private (StepEnd End, string Words) CompareClocks() => this.Caller.Seen.ClockAhead switch
    {
        null => (StepEnd.Warned, $"{this.Name} does not say what time it is: its change times can't be checked."),
        { } apart when apart.Duration() > TooFarApart => (StepEnd.Warned, $"Its clock is {InWords(apart.Duration())} {(apart > TimeSpan.Zero ? "ahead of" : "behind")} ours. Changes are read with an overlap, but \"the latest wins\" can then choose the wrong one: have its clock set."),
        { } apart => (StepEnd.Passed, apart == TimeSpan.Zero ? "Its clock and ours agree to the second." : $"Its clock is {InWords(apart.Duration())} {(apart > TimeSpan.Zero ? "ahead of" : "behind")} ours: near enough."),
    };

    private (StepEnd End, string Words) FindLimits(int? described)
    {
        var set = $"{(this.Settings.CallsPerSecond is { } limit ? $"at most {limit} calls a second and " : "")}{this.Settings.CallsAtOnce} at once";
        return (this.Caller.Seen.LimitTold, described) switch
        {
            ({ } told, _) => (StepEnd.Passed, $"Its answers say {told}. Set are {set}."),
            (_, { } calls) when this.Settings.CallsPerSecond is null || this.Settings.CallsPerSecond > calls => (StepEnd.Warned, $"Its description allows {calls} calls a second; set are {set}. Lower it, or it will turn calls away."),
            (_, { } calls) => (StepEnd.Passed, $"Its description allows {calls} calls a second; set are {set}."),
            _ => (StepEnd.Passed, $"It tells none. Set are {set}; if it asks to wait, that is learned."),
        };
    }

    private static string InWords(TimeSpan time) => time.TotalMinutes >= 2 ? $"{time.TotalMinutes:0} minutes" : $"{time.TotalSeconds:0} seconds";
}
