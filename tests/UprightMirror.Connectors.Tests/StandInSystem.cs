using System.Text.Json;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.Logging;
using UprightMirror.Connectors.Calling;

namespace UprightMirror.Connectors.Tests;

/// <summary>A system on a real port whose every answer the test writes itself.</summary>
public sealed class StandInSystem : IAsyncDisposable
{
    public const string Description = """
        {"openapi":"3.1.0","info":{"title":"t","version":"1"},"servers":[{"url":"/api"}],
         "components":{"securitySchemes":{"c":{"type":"oauth2","flows":{"clientCredentials":{"tokenUrl":"/token","scopes":{}}}}},
          "schemas":{"Thing":{"type":"object","required":["id","name"],"properties":{"id":{"type":"string","readOnly":true},"name":{"type":"string","maxLength":20},"address":{"type":"object","properties":{"town":{"type":["string","null"]}}}}}}},
         "paths":{"/things":{"get":{"responses":{"200":{"description":"ok","content":{"application/json":{"schema":{"type":"object","properties":{"items":{"type":"array","items":{"$ref":"#/components/schemas/Thing"}}}}}}}}}}}}
        """;

    public const string Metadata = """
        <?xml version="1.0"?><edmx:Edmx Version="4.0" xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx"><edmx:DataServices><Schema Namespace="N" xmlns="http://docs.oasis-open.org/odata/ns/edm">
        <EntityType Name="T"><Key><PropertyRef Name="No"/></Key><Property Name="No" Type="Edm.String" Nullable="false"/><Property Name="Name" Type="Edm.String" MaxLength="9"/><Property Name="At" Type="Edm.DateTimeOffset"/></EntityType>
        <EntityContainer Name="C"><EntitySet Name="Things" EntityType="N.T"/></EntityContainer></Schema></edmx:DataServices></edmx:Edmx>
        """;

    private readonly WebApplication app;

    private StandInSystem(WebApplication app) => this.app = app;

    public Uri Address => new(this.app.Urls.First());

    public List<string> Calls { get; } = [];

    /// <summary>Its OpenAPI document.</summary>
    public string DescribedBy { get; set; } = Description;

    /// <summary>Its OData metadata.</summary>
    public string DescribedByMetadata { get; set; } = Metadata;

    /// <summary>Answers everything that is not a description or a token.</summary>
    public required RequestDelegate Answer { get; set; }

    public static async Task<StandInSystem> Start(RequestDelegate answer)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        var app = builder.Build();
        app.Urls.Add("http://127.0.0.1:0");
        var system = new StandInSystem(app) { Answer = answer };
        app.Run(async context =>
        {
            var path = context.Request.Path + context.Request.QueryString.ToString();
            lock (system.Calls)
            {
                system.Calls.Add($"{context.Request.Method} {Uri.UnescapeDataString(path)}");
            }

            switch (context.Request.Path.Value)
            {
                case "/openapi.json":
                    await context.Response.WriteAsync(system.DescribedBy);
                    break;
                case "/odata/$metadata":
                    await context.Response.WriteAsync(system.DescribedByMetadata);
                    break;
                default:
                    await system.Answer(context);
                    break;
            }
        });
        await app.StartAsync();
        return system;
    }

    public ISystemConnector Rest(ConnectionSettings? settings = null, Dictionary<string, string>? secrets = null) => this.Connect("rest", "/openapi.json", settings, secrets);

    public ISystemConnector OData(ConnectionSettings? settings = null, Dictionary<string, string>? secrets = null) => this.Connect("odata", "/odata/", settings, secrets);

    public static Task Json(HttpContext context, string json, int status = 200)
    {
        context.Response.StatusCode = status;
        context.Response.ContentType = "application/json";
        return context.Response.WriteAsync(json);
    }

    public ValueTask DisposeAsync() => this.app.DisposeAsync();

    private ISystemConnector Connect(string protocol, string path, ConnectionSettings? settings, Dictionary<string, string>? secrets) =>
        new SystemConnection("Stand-in", protocol, new Uri(this.Address, path), JsonSerializer.SerializeToElement((settings ?? new ConnectionSettings()) with { AllowPrivate = true }, JsonSerializerOptions.Web), secrets ?? [])
            .Connect(new Outside(TimeProvider.System, new LocalCallBudget(TimeProvider.System)));
}
