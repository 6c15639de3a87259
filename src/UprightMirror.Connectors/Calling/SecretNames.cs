namespace UprightMirror.Connectors.Calling;

/// <summary>What people call each secret.</summary>
public static class SecretNames
{
    public static string InWords(string name) => name switch
    {
        "clientId" => "client id",
        "clientSecret" => "client secret",
        "user" => "user name",
        "key" => "key",
        _ => name,
    };
}

/// <summary>Where secrets that are not kept here are taken from, each time they are needed.</summary>
public static class SecretsTaken
{
    private const string Prefix = "UPRIGHT_SECRET_";
    private const int Longest = 16 * 1024;

    /// <summary>The kept secrets and those from elsewhere together.</summary>
    /// <exception cref="ArgumentException">A variable or file is not there, or may not be read.</exception>
    public static IReadOnlyDictionary<string, string> All(SignInSettings? settings, IReadOnlyDictionary<string, string> kept, DirectoryInfo? folder)
    {
        if (settings?.From is not { Count: > 0 } sources)
        {
            return kept;
        }

        var all = new Dictionary<string, string>(kept);
        foreach (var (name, source) in sources)
        {
            all[name] = source switch
            {
                { Environment: { Length: > 0 } variable } => OfVariable(name, variable),
                { File: { Length: > 0 } file } => OfFile(name, file, folder),
                _ => throw new ArgumentException($"nothing says where its {SecretNames.InWords(name)} is taken from."),
            };
        }

        return all;
    }

    /// <summary>Only variables with a prefix of their own: the process has others that are nobody's business.</summary>
    private static string OfVariable(string name, string variable) => !variable.StartsWith(Prefix, StringComparison.Ordinal)
        ? throw new ArgumentException($"its {SecretNames.InWords(name)} is to come from the environment variable {variable}, and only those that begin with {Prefix} may be used.")
        : Environment.GetEnvironmentVariable(variable) is { Length: > 0 } value
            ? value
            : throw new ArgumentException($"its {SecretNames.InWords(name)} is to come from the environment variable {variable}, which is not set where Upright Mirror runs.");

    private static string OfFile(string name, string file, DirectoryInfo? folder)
    {
        if (folder is null)
        {
            throw new ArgumentException($"its {SecretNames.InWords(name)} is to come from the file {file}, and UPRIGHT_SECRETS does not say in which folder such files stand.");
        }

        var path = Path.GetFullPath(Path.Combine(folder.FullName, file));
        if (!path.StartsWith(folder.FullName.TrimEnd(Path.DirectorySeparatorChar) + Path.DirectorySeparatorChar, StringComparison.Ordinal))
        {
            throw new ArgumentException($"its {SecretNames.InWords(name)} is to come from the file {file}, which is not in the folder for secrets.");
        }

        try
        {
            return new FileInfo(path) is { Exists: true, Length: > 0 and <= Longest }
                ? File.ReadAllText(path).TrimEnd('\r', '\n')
                : throw new ArgumentException($"its {SecretNames.InWords(name)} is to come from the file {file}, which is not there, is empty or is larger than a secret.");
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new ArgumentException($"its {SecretNames.InWords(name)} is to come from the file {file}, which can't be read: {e.Message}", e);
        }
    }
}
