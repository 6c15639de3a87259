using System.Globalization;
using System.Text;
using System.Text.Json.Nodes;
using System.Xml.Linq;

namespace UprightMirror.DemoWorld.Faults;

/// <summary>Stands before every system's API and does to it what the operator switched on.</summary>
public static class FaultGate
{
    public static void UseFaultGate(this WebApplication app)
    {
        foreach (var system in FaultSwitches.Systems)
        {
            app.UseWhen(c => IsApi(c.Request.Path, system), gate => gate.Use((context, next) => Pass(context, next, system)));
        }
    }

    private static bool IsApi(PathString path, string system) =>
        path.StartsWithSegments($"/{system}/api") || path.StartsWithSegments($"/{system}/odata") || path.StartsWithSegments($"/{system}/oauth") || path.Value is { } p && p.StartsWith($"/{system}/openapi", StringComparison.Ordinal);

    private static async Task Pass(HttpContext context, RequestDelegate next, string system)
    {
        var faults = context.RequestServices.GetRequiredService<FaultSwitches>();
        var fault = faults.Of(system);
        var writes = context.Request.Method is "POST" or "PATCH" or "PUT" or "DELETE" && !context.Request.Path.StartsWithSegments($"/{system}/oauth");
        var describes = context.Request.Path.Value!.Contains("openapi", StringComparison.Ordinal) || context.Request.Path.Value.EndsWith("$metadata", StringComparison.Ordinal);
        if (fault.Down || (writes && fault.DropBefore))
        {
            context.Abort();
            return;
        }

        context.Response.OnStarting(() =>
        {
            context.Response.Headers.Date = faults.Now(system).UtcDateTime.ToString("r", CultureInfo.InvariantCulture);
            return Task.CompletedTask;
        });
        if (fault.SlowMilliseconds > 0)
        {
            await Task.Delay(fault.SlowMilliseconds, context.RequestAborted);
        }

        if (fault.AnswersHtml)
        {
            context.Response.ContentType = "text/html; charset=utf-8";
            await context.Response.WriteAsync("<!doctype html><title>Back soon</title><h1>We are tidying up. Back soon.</h1>");
            return;
        }

        if (fault.Forbidden && !describes && !context.Request.Path.StartsWithSegments($"/{system}/oauth"))
        {
            await Say(context, 403, "The service account has no right to this.");
            return;
        }

        if (faults.FailsThisCall(system))
        {
            await Say(context, 500, "An internal error occurred.");
            return;
        }

        if (writes && faults.RefusesThisWrite(system))
        {
            await Say(context, system == "slipway" ? 422 : 400, "The record does not pass a rule of this installation.");
            return;
        }

        if (fault.Fields is not { Count: > 0 } fields && !(writes && fault.DropAfter))
        {
            await next(context);
            return;
        }

        await Rewritten(context, next, fault.Fields ?? [], describes, cutAfter: writes && fault.DropAfter);
    }

    private static Task Say(HttpContext context, int status, string words)
    {
        context.Response.StatusCode = status;
        return context.Response.WriteAsJsonAsync(new { title = words, error = new { code = status.ToString(CultureInfo.InvariantCulture), message = words } });
    }

    /// <summary>Lets the answer be made, changes its fields, and sends it on; or cuts the connection instead.</summary>
    private static async Task Rewritten(HttpContext context, RequestDelegate next, IReadOnlyList<FieldFault> fields, bool describes, bool cutAfter)
    {
        var outside = context.Response.Body;
        using var made = new MemoryStream();
        context.Response.Body = made;
        try
        {
            await next(context);
        }
        finally
        {
            context.Response.Body = outside;
        }

        if (cutAfter)
        {
            context.Abort();
            return;
        }

        var text = Encoding.UTF8.GetString(made.ToArray());
        var changed = text.Length == 0 || context.Response.StatusCode >= 400 ? text
            : text.TrimStart().StartsWith('<') ? Metadata(text, fields)
            : text.TrimStart().StartsWith('{') || text.TrimStart().StartsWith('[') ? Json(text, fields, describes, CollectionOf(context.Request.Path))
            : Yaml(text, fields);
        context.Response.ContentLength = null;
        await outside.WriteAsync(Encoding.UTF8.GetBytes(changed));
    }

    private static string CollectionOf(PathString path)
    {
        var parts = path.Value!.Split('/', StringSplitOptions.RemoveEmptyEntries);
        return parts.Length > 2 ? parts[2].Split('(')[0] : "";
    }

    private static string Json(string text, IReadOnlyList<FieldFault> fields, bool describes, string collection)
    {
        var root = JsonNode.Parse(text)!;
        if (describes)
        {
            foreach (var field in fields)
            {
                var schema = Slipway.SlipwayDescription.Collections.FirstOrDefault(c => c.Name == field.Collection)?.Schema ?? field.Collection;
                var of = root["components"]?["schemas"]?[schema] as JsonObject;
                if (of?["properties"] is JsonObject properties)
                {
                    Describe(properties, of["required"] as JsonArray, field);
                }
            }

            return root.ToJsonString();
        }

        var records = root is JsonArray all ? all : root["items"] as JsonArray ?? root["value"] as JsonArray ?? root[collection] as JsonArray ?? new JsonArray(root.DeepClone());
        foreach (var record in records.OfType<JsonObject>())
        {
            foreach (var field in fields.Where(f => f.Collection == collection))
            {
                Change(record, field);
            }
        }

        return root is JsonObject single && records.Parent is null && records.Count == 1 && single["items"] is null && single["value"] is null && single[collection] is null ? records[0]!.ToJsonString() : root.ToJsonString();
    }

    private static void Describe(JsonObject properties, JsonArray? required, FieldFault field)
    {
        switch (field.Kind)
        {
            case "add":
                properties[field.Field] = new JsonObject { ["type"] = field.Type, ["title"] = "Added by the administrator", ["x-custom"] = true };
                break;
            case "remove":
                properties.Remove(field.Field);
                required?.Remove(required.FirstOrDefault(r => (string?)r == field.Field));
                break;
            default:
                if (properties[field.Field] is JsonObject property)
                {
                    property["type"] = field.Type;
                    property.Remove("format");
                    property.Remove("maxLength");
                }

                break;
        }
    }

    private static void Change(JsonObject record, FieldFault field)
    {
        switch (field.Kind)
        {
            case "add":
                record[field.Field] = Sample(field.Type, null);
                break;
            case "remove":
                record.Remove(field.Field);
                break;
            default:
                record[field.Field] = Sample(field.Type, record[field.Field]?.ToString());
                break;
        }
    }

    private static JsonNode? Sample(string? type, string? before) => type switch
    {
        "integer" or "number" => JsonValue.Create(before is { Length: > 0 } ? before.Where(char.IsAsciiDigit).Take(6).Aggregate(0L, (n, d) => (n * 10) + (d - '0')) : 7),
        "boolean" => JsonValue.Create(before is { Length: > 0 }),
        _ => JsonValue.Create(before ?? "new"),
    };

    private static string Metadata(string text, IReadOnlyList<FieldFault> fields)
    {
        var document = XDocument.Parse(text);
        foreach (var field in fields)
        {
            var type = document.Descendants().FirstOrDefault(e => e.Name.LocalName == "EntitySet" && (string?)e.Attribute("Name") == field.Collection)?.Attribute("EntityType")?.Value.Split('.')[^1];
            var entity = document.Descendants().FirstOrDefault(e => e.Name.LocalName == "EntityType" && (string?)e.Attribute("Name") == type);
            var property = entity?.Elements().FirstOrDefault(e => e.Name.LocalName == "Property" && (string?)e.Attribute("Name") == field.Field);
            var edm = field.Type switch { "integer" => "Edm.Int32", "number" => "Edm.Decimal", "boolean" => "Edm.Boolean", _ => "Edm.String" };
            switch (field.Kind)
            {
                case "add":
                    entity?.Add(new XElement(entity.Name.Namespace + "Property", new XAttribute("Name", field.Field), new XAttribute("Type", edm)));
                    break;
                case "remove":
                    property?.Remove();
                    break;
                default:
                    property?.SetAttributeValue("Type", edm);
                    property?.SetAttributeValue("MaxLength", null);
                    break;
            }
        }

        return document.ToString();
    }

    /// <summary>The description of Pennant Mail has each field on lines of its own, which is all that this needs to know of YAML.</summary>
    private static string Yaml(string text, IReadOnlyList<FieldFault> fields)
    {
        var lines = text.Split('\n').ToList();
        foreach (var field in fields)
        {
            var schema = lines.FindIndex(l => l == $"    {field.Collection}:");
            var properties = schema < 0 ? -1 : lines.FindIndex(schema, l => l == "      properties:");
            if (properties < 0)
            {
                continue;
            }

            var at = lines.FindIndex(properties, l => l.StartsWith($"        {field.Field}: ", StringComparison.Ordinal));
            switch (field.Kind)
            {
                case "add":
                    lines.Insert(properties + 1, $"        {field.Field}: {{ type: {field.Type}, x-custom: true }}");
                    break;
                case "remove" when at > 0:
                    lines.RemoveAt(at);
                    break;
                case "retype" when at > 0:
                    lines[at] = $"        {field.Field}: {{ type: {field.Type} }}";
                    break;
            }
        }

        return string.Join('\n', lines);
    }
}
