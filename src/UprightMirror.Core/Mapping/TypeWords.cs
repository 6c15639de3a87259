namespace UprightMirror.Core.Mapping;

/// <summary>Reads a system's own word for a field's type: <c>Edm.Decimal</c>, <c>integer</c>, <c>bool</c>.</summary>
internal static class TypeWords
{
    private static readonly string[] Numbers = ["int", "number", "decimal", "double", "numeric", "float", "real"];

    public static bool IsNumber(string type) => Numbers.Any(w => type.Contains(w, StringComparison.OrdinalIgnoreCase)) && !type.Contains("point", StringComparison.OrdinalIgnoreCase) && !type.Contains("interval", StringComparison.OrdinalIgnoreCase);

    public static bool IsYesNo(string type) => type.Contains("bool", StringComparison.OrdinalIgnoreCase);
}
