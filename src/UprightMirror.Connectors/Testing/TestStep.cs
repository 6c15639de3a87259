namespace UprightMirror.Connectors.Testing;

/// <summary>How a step of a connection's test ended.</summary>
public enum StepEnd
{
    Passed,

    /// <summary>It works, and something about it should be known.</summary>
    Warned,
    Failed,

    /// <summary>Not tried, because a step before it failed.</summary>
    NotTried,
}

/// <summary>One step of a connection's test.</summary>
/// <param name="Name">What was tried: "Name resolved".</param>
/// <param name="Words">What was found; when it failed, what happened and what to do about it.</param>
public sealed record TestStep(string Name, StepEnd End, int Milliseconds, string Words);
