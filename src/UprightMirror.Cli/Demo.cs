using System.Collections.Immutable;
using UprightMirror.Connectors.Calling;
using UprightMirror.Core.Checks;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Notices;
using UprightMirror.Core.Timing;
using UprightMirror.Engine.Exchange;
using UprightMirror.Storage;

namespace UprightMirror.Cli;

/// <summary>What Saltmarsh Paddle Works has arranged: four connections, five mirrors, three people. All made up.</summary>
internal static class Demo
{
    public static readonly ImmutableArray<(string Email, string Name, string Role, string Password)> People =
    [
        ("maren@saltmarsh.example", "Maren Voll", "administrator", "tide-and-timber"),
        ("joost@saltmarsh.example", "Joost Haak", "steward", "paddle-upstream"),
        ("ada@saltmarsh.example", "Ada Quill", "reader", "look-only-please"),
    ];

    /// <summary>Whom the office tells of what.</summary>
    public static ImmutableArray<NoticeRule> Notices(Uri world) =>
    [
        Told("A run failed", NoticeKind.RunFailed, new NoticeTiming()),
        Told("A run waits for somebody", NoticeKind.RunPaused, new NoticeTiming()),
        Told("What waits too long", NoticeKind.WaitsLong, new NoticeTiming(NoticePace.Daily, new TimeOnly(8, 0), "Europe/London")) with { Hours = 24 },
        Told("A system is down", NoticeKind.SystemDown, new NoticeTiming()) with { Channel = NoticeChannel.Message, To = [], Address = new Uri(world, "/room"), AllowPrivate = true },
        Told("Invoices in the CRM", NoticeKind.RecordEvent, new NoticeTiming(NoticePace.Hourly, TimeZone: "Europe/London")) with
        {
            Mirror = "invoices", Happening = RecordHappening.Created, Side = 1, Subject = "Invoice {Number} was made", Text = "{link}",
            Channel = NoticeChannel.Message, To = [], Address = new Uri(world, "/room"), AllowPrivate = true,
        },
    ];

    /// <summary>What the office looks after, by the mirror that it is about.</summary>
    public static readonly ImmutableArray<(string Mirror, FollowUpCheck Check)> Checks =
    [
        ("people", new FollowUpCheck(
            "Another company",
            """AND([Slipway CRM.Company] <> ""; [Pennant Mail.Company] <> ""; [Slipway CRM.Company] <> [Pennant Mail.Company])""",
            new HangingRecords("orders", "Slipway CRM.Person", """OR([Slipway CRM.Stage] = "New"; [Slipway CRM.Stage] = "Quoted")"""),
            new MirrorTiming(TimingKind.After, After: "people", OnEvents: false, OnFiles: false))),
    ];

    private static NoticeRule Told(string name, NoticeKind kind, NoticeTiming timing) =>
        new(name, kind, NoticeChannel.Mail, timing, NoticeKinds.Wording(kind).Subject, NoticeKinds.Wording(kind).Text, To: ["maren@saltmarsh.example"]);

    /// <summary>Every mirror of the demo, as it ships for new ones to begin from; those first that others point at.</summary>
    /// <param name="hasFolder">Whether there is a folder that the web shop's orders arrive in.</param>
    public static IEnumerable<MirrorDefinition> Mirrors(bool hasFolder)
    {
        var all = Templates.All.Select(t => t.File.Mirrors.Single());
        return hasFolder ? all : all.Select(m => m.Without("drop"));
    }

    /// <param name="key">Such as <c>customers</c>.</param>
    public static MirrorDefinition Mirror(string key) => Templates.All.Single(t => t.Key == key).File.Mirrors.Single();

    /// <summary>The connections. Their secrets are those that the demo world's systems give to a service account.</summary>
    public static IEnumerable<(KeptConnection Connection, IReadOnlyDictionary<string, string> Secrets)> Connections(Uri world, string? folder)
    {
        yield return (
            new KeptConnection("slipway", "Slipway CRM", "Sl", "#1f6390", "rest", new Uri(world, "/slipway/openapi.json"), InstallCommands.Json(new ConnectionSettings(
                new SignInSettings("clientCredentials"), CallsPerSecond: 20, AllowPrivate: true))),
            new Dictionary<string, string> { ["clientId"] = "upright-mirror", ["clientSecret"] = "slip-4417-demo" });
        yield return (
            new KeptConnection("ballast", "Ballast ERP", "Ba", "#94531d", "odata", new Uri(world, "/ballast/odata/"), InstallCommands.Json(new ConnectionSettings(
                new SignInSettings("basic"),
                new Dictionary<string, CollectionSettings>
                {
                    ["Customers"] = new(ChangedAt: "ChangedOn", ChangedBy: "ChangedBy", Reference: "ExternalReference"),
                    ["SalesOrders"] = new(ChangedAt: "ChangedOn", ChangedBy: "ChangedBy", Reference: "YourReference", Expand: ["Lines"]),
                },
                CallsAtOnce: 8, AllowPrivate: true))),
            new Dictionary<string, string> { ["user"] = "UPRIGHT-SVC", ["password"] = "ballast-demo-20931" });
        yield return (
            new KeptConnection("pennant", "Pennant Mail", "Pe", "#8a3a5c", "rest", new Uri(world, "/pennant/openapi.yaml"), InstallCommands.Json(new ConnectionSettings(
                new SignInSettings("key", KeyName: "X-Pennant-Key"), CallsPerSecond: 5, CallsAtOnce: 2, AllowPrivate: true))),
            new Dictionary<string, string> { ["key"] = "pennant-7731-demo" });
        if (folder is not null)
        {
            yield return (
                new KeptConnection("drop", "Drop folder", "Df", "#3f6b2f", "folder", new Uri(folder), InstallCommands.Json(new ConnectionSettings(Collections: new Dictionary<string, CollectionSettings>
                {
                    ["webshop-orders"] = new(FilePattern: "webshop-orders*", Id: "", RowsBy: "order_no", LineColumns: ["line_id", "sku", "quantity", "price"]),
                    ["partner-orders"] = new(FilePattern: "partner-orders*", Id: "", RowsBy: "order_no", LineColumns: ["line_id", "sku", "quantity", "price"]),
                    ["webshop-customers"] = new(FilePattern: "webshop-orders*", Id: "email", Beside: "webshop-orders"),
                }))),
                new Dictionary<string, string>());
        }
    }
}
