using System.Net;
using System.Net.Sockets;
using System.Runtime.CompilerServices;
using UprightMirror.Connectors.Calling;

namespace UprightMirror.Connectors.Testing;

/// <summary>
/// Goes through the steps of a connection's test. A step that fails ends the test: what comes after it could only fail for the same
/// reason.
/// </summary>
internal static class StepByStep
{
    public static async IAsyncEnumerable<TestStep> Run(IReadOnlyList<(string Name, Func<Task<(StepEnd End, string Words)>> Try)> steps, [EnumeratorCancellation] CancellationToken cancellation)
    {
        for (var i = 0; i < steps.Count; i++)
        {
            cancellation.ThrowIfCancellationRequested();
            var step = await Timed(steps[i].Name, steps[i].Try);
            yield return step;
            if (step.End == StepEnd.Failed)
            {
                foreach (var (name, _) in steps.Skip(i + 1))
                {
                    yield return new TestStep(name, StepEnd.NotTried, 0, "");
                }

                yield break;
            }
        }
    }

    /// <summary>The step that looks a name up, and judges the addresses that it leads to.</summary>
    public static async Task<(StepEnd End, string Words)> Resolve(string host, bool allowPrivate, CancellationToken cancellation)
    {
        try
        {
            var addresses = await Dns.GetHostAddressesAsync(host, cancellation);
            return addresses.Select(a => AddressRules.Refusal(a, allowPrivate)).FirstOrDefault(r => r is not null) is { } refusal
                ? (StepEnd.Failed, refusal)
                : IPAddress.TryParse(host.Trim('[', ']'), out _) ? (StepEnd.Passed, "It is given as an address: there is no name to look up.")
                : (StepEnd.Passed, $"{host} is {string.Join(", ", addresses.Take(3).Select(a => a.ToString()))}.");
        }
        catch (SocketException)
        {
            return (StepEnd.Failed, $"No machine is called {host}. Check the address for a typing error; if it is a name inside your network, this server must be able to look it up.");
        }
    }

    private static async Task<TestStep> Timed(string name, Func<Task<(StepEnd End, string Words)>> work)
    {
        var began = TimeProvider.System.GetTimestamp();
        int Took() => (int)TimeProvider.System.GetElapsedTime(began).TotalMilliseconds;
        try
        {
            var (end, words) = await work();
            return new TestStep(name, end, Took(), words);
        }
        catch (Exception e) when (e is SystemFault or AnswerLost)
        {
            return new TestStep(name, StepEnd.Failed, Took(), e.Message);
        }
    }
}
