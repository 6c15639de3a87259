namespace UprightMirror.Core.Formulas.Learning;

/// <summary>How the parts of a learned formula are written.</summary>
internal static class Writing
{
    public static string Field(string name) => $"[{name.Replace("]", "]]", StringComparison.Ordinal)}]";

    public static string Text(string text) => $"\"{text.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";
}
