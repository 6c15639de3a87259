namespace UprightMirror.Connectors;

/// <summary>Names by which systems set the fields that an installation added apart from their own.</summary>
internal static class CustomNames
{
    private static readonly string[] Levels = ["custom", "customfields", "custom_fields", "customattributes", "custom_attributes", "extensionattributes"];

    public static bool Say(string path) => path.Split('.').Any(level =>
        Levels.Contains(level.ToLowerInvariant()) || level.StartsWith("custom_", StringComparison.OrdinalIgnoreCase) || level.StartsWith("customField_", StringComparison.OrdinalIgnoreCase));
}
