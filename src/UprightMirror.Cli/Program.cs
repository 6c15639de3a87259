using System.Text.Encodings.Web;
using System.Text.Json;
using UprightMirror.Core.Reconciling;

return args switch
{
    ["reconcile", var path] => Reconcile(path),
    _ => Usage(),
};

static int Reconcile(string path)
{
    try
    {
        var outcome = Scenario.Reconcile(path == "-" ? Console.In.ReadToEnd() : File.ReadAllText(path));
        Console.WriteLine(outcome.ToJsonString(new JsonSerializerOptions { WriteIndented = true, Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping }));
        return 0;
    }
    catch (ScenarioException e)
    {
        Console.Error.WriteLine(e.Message);
        return 2;
    }
    catch (Exception e) when (e is IOException or UnauthorizedAccessException)
    {
        Console.Error.WriteLine($"The scenario can't be read from {path}: {e.Message}");
        return 2;
    }
}

static int Usage()
{
    Console.Error.WriteLine("""
        upright reconcile SCENARIO.json   prints what becomes of one record, as JSON ("-" reads standard input)
        """);
    return 2;
}
