using System.Text.Json.Nodes;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Storage;

namespace UprightMirror.Engine.LookingUp;

/// <summary>How a mirror is looked up, as OpenAPI 3.1 has it.</summary>
public static class LookupDescription
{
    /// <param name="address">Where it is, such as <c>https://mirror.example/lookup/customers</c>.</param>
    public static JsonObject Of(MirrorDefinition mirror, LookupOffer offer, string address)
    {
        var views = new JsonArray([(JsonNode?)"agreed", .. mirror.Sides.Select(s => (JsonNode?)s.System)]);
        JsonObject Parameter(string name, string place, string says, JsonNode? choices = null)
        {
            var schema = new JsonObject { ["type"] = "string", ["maxLength"] = Lookup.LongestAsked };
            if (choices is not null)
            {
                schema["enum"] = choices;
            }

            return new JsonObject { ["name"] = name, ["in"] = place, ["required"] = place == "path", ["description"] = says, ["schema"] = schema };
        }

        JsonObject Operation(string id, string says, params JsonObject[] parameters) => new()
        {
            ["get"] = new JsonObject
            {
                ["operationId"] = id,
                ["summary"] = says,
                ["parameters"] = new JsonArray([.. parameters, Parameter("view", "query", "What is agreed, or what one side holds at this moment.", views.DeepClone())]),
                ["responses"] = new JsonObject
                {
                    ["200"] = new JsonObject { ["description"] = $"The {mirror.RecordType}.", ["content"] = new JsonObject { ["application/json"] = new JsonObject { ["schema"] = new JsonObject { ["$ref"] = "#/components/schemas/Record" } } } },
                    ["400"] = Problem("What is asked can't be asked."),
                    ["401"] = Problem("The key is missing, or is none."),
                    ["404"] = Problem("There is none such."),
                    ["409"] = Problem("There is more than one such."),
                    ["429"] = Problem($"More than {offer.PerMinute} times a minute."),
                    ["502"] = Problem("The side's system can't be asked now."),
                },
            },
        };

        static JsonObject Problem(string says) => new() { ["description"] = says, ["content"] = new JsonObject { ["application/problem+json"] = new JsonObject { ["schema"] = new JsonObject { ["type"] = "object", ["properties"] = new JsonObject { ["title"] = new JsonObject { ["type"] = "string" }, ["status"] = new JsonObject { ["type"] = "integer" } } } } } };

        return new JsonObject
        {
            ["openapi"] = "3.1.0",
            ["info"] = new JsonObject { ["title"] = $"{mirror.Name}, looked up", ["version"] = "1", ["description"] = $"One {mirror.RecordType} at a time, by the id that a side's system gives it, or by a value." },
            ["servers"] = new JsonArray(new JsonObject { ["url"] = address }),
            ["security"] = new JsonArray(new JsonObject { ["key"] = new JsonArray() }),
            ["paths"] = new JsonObject
            {
                ["/records/{system}/{id}"] = Operation("byId", "By its id on a side.", Parameter("system", "path", "The side's system.", new JsonArray([.. mirror.Sides.Select(s => (JsonNode?)s.System)])), Parameter("id", "path", "Its id there.")),
                ["/records"] = Operation("byValue", "By what one of its fields holds.", With(Parameter("field", "query", "The field.", new JsonArray([.. Lookup.KnownBy(mirror, offer).Select(f => (JsonNode?)f)]))), With(Parameter("value", "query", "What it holds, whatever its case."))),
            },
            ["components"] = new JsonObject
            {
                ["securitySchemes"] = new JsonObject { ["key"] = new JsonObject { ["type"] = "http", ["scheme"] = "bearer" } },
                ["schemas"] = new JsonObject
                {
                    ["Record"] = new JsonObject
                    {
                        ["type"] = "object",
                        ["required"] = new JsonArray("record", "ids", "view", "fields"),
                        ["properties"] = new JsonObject
                        {
                            ["record"] = new JsonObject { ["type"] = "string", ["format"] = "uuid" },
                            ["ids"] = new JsonObject { ["type"] = "object", ["description"] = "Its id on each side that has it.", ["properties"] = new JsonObject([.. mirror.Sides.Select(s => s.System).Distinct().Select(s => KeyValuePair.Create(s, (JsonNode?)new JsonObject { ["type"] = "string" }))]) },
                            ["view"] = new JsonObject { ["type"] = "string", ["enum"] = views.DeepClone() },
                            ["fields"] = new JsonObject { ["type"] = "object", ["properties"] = new JsonObject([.. mirror.Fields.Where(f => offer.Fields.Contains(f.Name)).Select(f => KeyValuePair.Create(f.Name, (JsonNode?)SchemaOf(f)))]) },
                            ["unreadable"] = new JsonObject { ["type"] = "array", ["items"] = new JsonObject { ["type"] = "string" }, ["description"] = "What a side holds that can't be read in the agreed form." },
                        },
                    },
                },
            },
        };

        static JsonObject With(JsonObject parameter)
        {
            parameter["required"] = true;
            return parameter;
        }
    }

    private static JsonObject SchemaOf(AgreedFieldDefinition field) => field.Type switch
    {
        FieldType.Number => new JsonObject { ["type"] = new JsonArray("number", "null") },
        FieldType.YesNo => new JsonObject { ["type"] = new JsonArray("boolean", "null") },
        FieldType.Date => new JsonObject { ["type"] = new JsonArray("string", "null"), ["format"] = "date" },
        FieldType.DateTime => new JsonObject { ["type"] = new JsonArray("string", "null"), ["format"] = "date-time" },
        FieldType.List => new JsonObject { ["type"] = new JsonArray("array", "null"), ["items"] = new JsonObject { ["type"] = "string" } },
        FieldType.Lines => new JsonObject { ["type"] = new JsonArray("array", "null"), ["items"] = new JsonObject { ["type"] = "object", ["properties"] = new JsonObject([.. (field.Lines?.Fields ?? []).Select(l => KeyValuePair.Create(l.Name, (JsonNode?)SchemaOf(l)))]) } },
        _ => new JsonObject { ["type"] = new JsonArray("string", "null") },
    };
}
