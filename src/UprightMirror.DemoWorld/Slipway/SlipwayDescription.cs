using System.Text.Json.Nodes;

namespace UprightMirror.DemoWorld.Slipway;

/// <summary>A field of the CRM.</summary>
/// <param name="Type">string, integer, number, boolean, date, date-time, email, list or lines.</param>
public sealed record SlipwayField(string Path, string Type, int? Length = null, bool Required = false, bool ReadOnly = false, string? Title = null, string[]? Allowed = null, bool Custom = false);

/// <summary>A collection of the CRM.</summary>
public sealed record SlipwayCollection(string Name, string Schema, SlipwayField[] Fields, SlipwayField[]? Lines = null);

/// <summary>What the CRM holds, and the OpenAPI 3.1 document that it tells it by.</summary>
public static class SlipwayDescription
{
    public static readonly SlipwayCollection[] Collections =
    [
        new("organisations", "Organisation",
        [
            new("name", "string", 120, Required: true, Title: "Name"), new("phoneMain", "string", 40, Title: "Main telephone"), new("email", "email", 254), new("website", "string", 200),
            new("address.street", "string", 100), new("address.town", "string", 60), new("address.postcode", "string", 12), new("address.country", "string", 60),
            new("segment", "string", Allowed: ["Club", "School", "Hire centre", "Shop"]), new("tags", "list"), new("paymentTerms", "string", 30), new("vatNumber", "string", 20),
            new("owner", "string", 60, Title: "Account owner"), new("parentId", "string", 12, Title: "Branch of"), new("accountNumber", "string", 20, Title: "Number in the office system"),
            new("language", "string", 5, Title: "Language"), new("customerSince", "date", Title: "Customer since"), new("discountPercent", "number", Title: "Discount %"), new("deliveryNotes", "string", 400, Title: "Delivery notes"), new("creditLimit", "number", Title: "Credit limit"),
            new("custom.members", "integer", Title: "Members", Custom: true),
            new("custom.launchSite", "string", 80, Title: "Launch site", Custom: true), new("custom.fleetSize", "integer", Title: "Boats in the fleet", Custom: true), new("custom.safetyAudit", "date", Title: "Last safety audit", Custom: true),
            new("externalReference", "string", 64),
        ]),
        new("people", "Person",
        [
            new("firstName", "string", 60, Required: true, Title: "First name"), new("lastName", "string", 60, Required: true, Title: "Last name"), new("email", "email", 254), new("mobile", "string", 40, Title: "Mobile telephone"),
            new("role", "string", 60), new("organisationId", "string", 12, Title: "Works at"), new("stage", "string", Title: "Stage", Allowed: ["Subscriber", "Lead", "Opportunity", "Customer", "Ambassador"]),
            new("newsletter", "boolean"), new("language", "string", 5), new("birthday", "date"), new("custom.followUp", "string", 120, Title: "To follow up", Custom: true), new("externalReference", "string", 64),
        ]),
        new("products", "Product",
        [
            new("code", "string", 20, Required: true), new("name", "string", 120, Required: true), new("family", "string", Allowed: ["Canoe", "Kayak", "Paddle", "Safety", "Clothing", "Trailer"]), new("listPrice", "number"), new("currency", "string", 3),
            new("active", "boolean"), new("salesNotes", "string", 2000), new("externalReference", "string", 64),
        ]),
        new("deals", "Deal",
        [
            new("title", "string", 120, Required: true), new("organisationId", "string", 12, Required: true), new("personId", "string", 12), new("stage", "string", Allowed: ["New", "Quoted", "Won", "Lost"]), new("readyToOrder", "boolean"),
            new("amount", "number", ReadOnly: true), new("currency", "string", 3), new("expectedOn", "date"), new("orderNumber", "string", 20, Title: "Number in the office system"), new("externalReference", "string", 64),
        ],
        [new("lineNo", "integer", Required: true), new("productCode", "string", 20, Required: true), new("quantity", "number", Required: true), new("unitPrice", "number"), new("discountPercent", "number")]),
        new("invoices", "Invoice",
        [
            new("number", "string", 20, Required: true), new("organisationId", "string", 12), new("issuedOn", "date"), new("dueOn", "date"), new("netAmount", "number"), new("taxAmount", "number"), new("grossAmount", "number"), new("openAmount", "number"),
            new("paymentState", "string", Allowed: ["Open", "Partly paid", "Paid", "Overdue"]), new("externalReference", "string", 64),
        ],
        [new("lineNo", "integer", Required: true), new("productCode", "string", 20), new("description", "string", 120), new("quantity", "number"), new("netAmount", "number"), new("taxPercent", "number")]),
    ];

    /// <summary>The whole document.</summary>
    public static string Document()
    {
        var schemas = new JsonObject { ["Problem"] = JsonNode.Parse("""{"type":"object","properties":{"title":{"type":"string"},"detail":{"type":"string"}}}""") };
        var paths = new JsonObject();
        foreach (var c in Collections)
        {
            schemas[c.Schema] = SchemaOf(c);
            schemas[c.Schema + "Page"] = JsonNode.Parse("""{"type":"object","required":["items"],"properties":{"items":{"type":"array","items":{"$ref":"#/components/schemas/SCHEMA"}},"nextCursor":{"type":["string","null"]}}}""".Replace("SCHEMA", c.Schema, StringComparison.Ordinal));
            foreach (var (path, item) in PathsOf(c).ToList())
            {
                paths[path] = item?.DeepClone();
            }
        }

        return new JsonObject
        {
            ["openapi"] = "3.1.0",
            ["info"] = new JsonObject { ["title"] = "Slipway CRM", ["version"] = "4.2", ["description"] = "Records of the Slipway CRM.", ["x-rate-limit"] = 20 },
            ["servers"] = new JsonArray(new JsonObject { ["url"] = "/slipway/api" }),
            ["components"] = new JsonObject
            {
                ["securitySchemes"] = JsonNode.Parse("""{"client":{"type":"oauth2","flows":{"clientCredentials":{"tokenUrl":"/slipway/oauth/token","scopes":{"records":"Read and write records"}}}}}"""),
                ["schemas"] = schemas,
            },
            ["security"] = JsonNode.Parse("""[{"client":["records"]}]"""),
            ["paths"] = paths,
        }.ToJsonString();
    }

    private static JsonObject SchemaOf(SlipwayCollection c)
    {
        var properties = new JsonObject { ["id"] = JsonNode.Parse("""{"type":"string","readOnly":true}""") };
        foreach (var field in c.Fields)
        {
            var levels = field.Path.Split('.');
            var into = properties;
            if (levels.Length == 2)
            {
                into = (JsonObject)(properties[levels[0]] ??= new JsonObject { ["type"] = "object", ["properties"] = new JsonObject() })["properties"]!;
            }

            into[levels[^1]] = PropertyOf(field);
        }

        if (c.Lines is { } lines)
        {
            properties["lines"] = new JsonObject
            {
                ["type"] = "array",
                ["items"] = new JsonObject { ["type"] = "object", ["properties"] = new JsonObject(lines.Select(l => KeyValuePair.Create(l.Path, (JsonNode?)PropertyOf(l)))) },
            };
        }

        properties["createdAt"] = JsonNode.Parse("""{"type":"string","format":"date-time","readOnly":true}""");
        properties["updatedAt"] = JsonNode.Parse("""{"type":"string","format":"date-time","readOnly":true}""");
        properties["updatedBy"] = JsonNode.Parse("""{"type":"string","readOnly":true}""");
        properties["etag"] = JsonNode.Parse("""{"type":"string","readOnly":true,"description":"In lists only: the version, as sent in the ETag header for one record"}""");
        return new JsonObject
        {
            ["type"] = "object",
            ["required"] = new JsonArray([.. new[] { "id", "updatedAt" }.Concat(c.Fields.Where(f => f.Required).Select(f => f.Path)).Select(n => (JsonNode?)JsonValue.Create(n))]),
            ["properties"] = properties,
        };
    }

    private static JsonObject PropertyOf(SlipwayField f)
    {
        var type = f.Type switch { "integer" => "integer", "number" => "number", "boolean" => "boolean", "list" => "array", _ => "string" };
        var property = new JsonObject { ["type"] = f.Required || f.Type is "list" or "boolean" ? JsonValue.Create(type) : new JsonArray(type, "null") };
        if (f.Type is "date" or "date-time" or "email")
        {
            property["format"] = f.Type;
        }

        if (f.Type == "list")
        {
            property["items"] = JsonNode.Parse("""{"type":"string"}""");
        }

        if (f.Length is { } length)
        {
            property["maxLength"] = length;
        }

        if (f.Title is not null)
        {
            property["title"] = f.Title;
        }

        if (f.ReadOnly)
        {
            property["readOnly"] = true;
        }

        if (f.Custom)
        {
            property["x-custom"] = true;
        }

        if (f.Allowed is not null)
        {
            property["enum"] = new JsonArray([.. f.Allowed.Select(a => (JsonNode?)JsonValue.Create(a)), .. f.Required ? [] : new JsonNode?[] { null }]);
        }

        return property;
    }

    /// <summary>The addresses of one collection.</summary>
    private static JsonObject PathsOf(SlipwayCollection c) => (JsonObject)JsonNode.Parse("""
        {
          "/NAME": {
            "get": {
              "operationId": "listSCHEMAs",
              "parameters": [
                { "name": "cursor", "in": "query", "schema": { "type": "string" } },
                { "name": "limit", "in": "query", "schema": { "type": "integer", "maximum": 100, "default": 100 } },
                { "name": "updatedSince", "in": "query", "schema": { "type": "string", "format": "date-time" }, "description": "Records changed at or after this time" },
                { "name": "externalReference", "in": "query", "schema": { "type": "string" } }
              ],
              "responses": { "200": { "description": "A page, oldest change first", "content": { "application/json": { "schema": { "$ref": "#/components/schemas/SCHEMAPage" } } } } }
            },
            "post": {
              "operationId": "createSCHEMA",
              "requestBody": { "content": { "application/json": { "schema": { "$ref": "#/components/schemas/SCHEMA" } } } },
              "responses": { "201": { "description": "Created", "content": { "application/json": { "schema": { "$ref": "#/components/schemas/SCHEMA" } } } } }
            }
          },
          "/NAME/{id}": {
            "parameters": [{ "name": "id", "in": "path", "required": true, "schema": { "type": "string" } }],
            "get": { "responses": { "200": { "description": "One record, with its ETag", "content": { "application/json": { "schema": { "$ref": "#/components/schemas/SCHEMA" } } } } } },
            "patch": {
              "parameters": [{ "name": "If-Match", "in": "header", "required": true, "schema": { "type": "string" } }],
              "requestBody": { "content": { "application/merge-patch+json": { "schema": { "$ref": "#/components/schemas/SCHEMA" } } } },
              "responses": { "200": { "description": "Changed", "content": { "application/json": { "schema": { "$ref": "#/components/schemas/SCHEMA" } } } } }
            },
            "delete": {
              "parameters": [{ "name": "If-Match", "in": "header", "required": true, "schema": { "type": "string" } }],
              "responses": { "204": { "description": "Removed" } }
            }
          },
          "/NAME/removals": {
            "get": {
              "parameters": [{ "name": "since", "in": "query", "schema": { "type": "string", "format": "date-time" } }],
              "responses": { "200": { "description": "What was removed", "content": { "application/json": { "schema": { "type": "object", "properties": { "items": { "type": "array", "items": { "type": "object", "properties": { "id": { "type": "string" }, "removedAt": { "type": "string", "format": "date-time" } } } } } } } } } }
            }
          },
          "/NAME/bulk": {
            "post": {
              "description": "Creates or changes up to 200 records, told apart by externalReference",
              "requestBody": { "content": { "application/json": { "schema": { "type": "object", "properties": { "items": { "type": "array", "maxItems": 200, "items": { "$ref": "#/components/schemas/SCHEMA" } } } } } } },
              "responses": { "200": { "description": "A result for every row", "content": { "application/json": { "schema": { "type": "object", "properties": { "results": { "type": "array", "items": { "type": "object", "properties": { "row": { "type": "integer" }, "id": { "type": "string" }, "status": { "type": "integer" }, "detail": { "type": "string" }, "record": { "$ref": "#/components/schemas/SCHEMA" } } } } } } } } } }
            }
          }
        }
        """.Replace("NAME", c.Name, StringComparison.Ordinal).Replace("SCHEMA", c.Schema, StringComparison.Ordinal))!;
}
