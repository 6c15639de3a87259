using System.Collections.Immutable;
using System.Text.Json;
using UprightMirror.Core.Formulas;
using UprightMirror.Core.Values;

namespace UprightMirror.Core.Tests.Formulas;

/// <summary>Works formulas out for the tests, over one record, and gives what the command line would print.</summary>
internal static class FormulaWork
{
    public static readonly FormulaSetting Setting = new(new DateTimeOffset(2026, 3, 2, 14, 30, 5, TimeSpan.Zero), "GB")
    {
        CodeLists = ImmutableDictionary<string, CodeTable>.Empty.Add("Countries", new CodeTable([("GBR", "GB"), ("IRL", "IE")])),
        References = new Dictionary<string, string> { ["Ballast ERP"] = "C-21704" },
        Linked = ImmutableDictionary<LinkedField, ImmutableArray<Item>>.Empty.Add(new LinkedField("Invoices", "total"), [UprightMirror.Core.Formulas.Item.Of(1200m), UprightMirror.Core.Formulas.Item.Blank, UprightMirror.Core.Formulas.Item.Of(648.75m)]),
        Fetched = Berths(),
    };

    private static Fetched Berths()
    {
        var fetched = new Fetched();
        fetched.Know(new FetchedRecord("Harbour register", "berths", "B-12"), field => field == "length" ? UprightMirror.Core.Formulas.Item.Of(11.5m) : UprightMirror.Core.Formulas.Item.Blank);
        fetched.Know(new FetchedRecord("Harbour register", "berths", "B-99"), null);
        fetched.Fail(new FetchedRecord("Harbour register", "berths", "B-1"), "It does not answer.");
        return fetched;
    }

    public static readonly FormulaRecord Record = FormulaRecord.FromJson(JsonDocument.Parse("""
        {"name":"  hanne   LUNDE ","Billing city":"Kelburn","empty":null,"nothing":"","amount":12.5,"yes":true,"day":"2026-03-02","at":"2026-03-02T14:30:05Z",
         "address":{"town":"Tidewell","country":"GB"},"tags":["club","hire"],
         "lines":[{"product":"P1","amount":10.25,"note":null},{"product":"P2","amount":4.5},{"product":"P3","amount":null}],
         "true":"a field of that name","A]B":"bracket"}
        """).RootElement);

    public static string Of(string text) => ItemJson.Write(Item(text))?.ToJsonString(new JsonSerializerOptions { Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping }) ?? "null";

    public static Item Item(string text) => Formula.Parse(text, Record.Has, out var formula, out var problem) ? formula.Evaluate(Record, Setting) : throw new InvalidOperationException(problem.Sentence);

    public static FormulaProblem Problem(string text) => Formula.Parse(text, Record.Has, out _, out var problem) ? throw new InvalidOperationException("it is a formula") : problem;
}
