using System.Globalization;
using System.Text;

namespace UprightMirror.DemoWorld.Pennant;

/// <summary>A field of the mail system: flat, as everything there.</summary>
/// <param name="Type">string, integer, number, boolean, date or email.</param>
public sealed record PennantField(string Name, string Type, bool Custom = false, int? Length = null, bool ReadOnly = false);

/// <summary>What Pennant Mail holds, and the OpenAPI 3.0 document, in YAML, that it tells it by.</summary>
public static class PennantDescription
{
    public static readonly string[] Stages = ["subscriber", "lead", "opportunity", "customer", "ambassador"];

    private static readonly string[] Topics = ["touring", "racing", "whitewater", "family", "fishing", "schools", "safety", "repairs", "events", "secondhand"];
    private static readonly string[] Campaigns = ["spring", "regatta", "summer", "harvest", "winter", "clubs", "demo_day"];

    public static readonly IReadOnlyDictionary<string, PennantField[]> Collections = new Dictionary<string, PennantField[]>
    {
        ["people"] = [.. People()],
        ["companies"] =
        [
            new("web_domain", "string", Length: 120), new("name", "string", Length: 120), new("telephone", "string", Length: 40), new("town", "string", Length: 60), new("country_code", "string", Length: 2), new("segment", "string", Length: 30), new("language", "string", Length: 20), new("customer_since", "string", Length: 10), new("member_count", "integer"),
            new("last_order_on", "date", Custom: true), new("open_amount", "number", Custom: true), new("lifetime_total", "number", Custom: true), new("account_owner", "string", Custom: true, Length: 60),
        ],
        ["products"] = [new("sku", "string", Length: 20), new("title", "string", Length: 120), new("price", "number"), new("currency", "string", Length: 3), new("teaser", "string", Length: 400), new("show_in_campaigns", "boolean")],
        ["lists"] = [new("title", "string", Length: 80), new("members", "integer", ReadOnly: true)],
    };

    /// <summary>The field that tells one record of a collection from another, whoever writes it.</summary>
    public static string IdentityOf(string collection) => collection switch { "people" => "email", "companies" => "web_domain", "products" => "sku", _ => "title" };

    /// <summary>The whole document.</summary>
    public static string Document()
    {
        var yaml = new StringBuilder("""
            openapi: 3.0.3
            info:
              title: Pennant Mail
              version: "2.1"
              description: People and companies for campaigns. Five calls a second.
            servers:
              - url: /pennant/api
            security:
              - key: []
            paths:

            """.ReplaceLineEndings("\n"));
        foreach (var name in Collections.Keys)
        {
            yaml.Append($$"""
                  /{{name}}:
                    get:
                      operationId: list_{{name}}
                      parameters:
                        - { name: from_id, in: query, required: true, schema: { type: integer, minimum: 1 }, description: The first id. Not every number has a record. }
                        - { name: to_id, in: query, required: true, schema: { type: integer }, description: The last id; at most 300 from the first. }
                        - { name: list, in: query, schema: { type: integer }, description: Only the members of a list }
                      responses:
                        "200":
                          description: The records in the range
                          content:
                            application/json:
                              schema:
                                type: object
                                properties:
                                  {{name}}: { type: array, items: { $ref: "#/components/schemas/{{name}}" } }
                                  highest_id: { type: integer }
                  /{{name}}/{id}:
                    get:
                      operationId: get_{{name}}
                      parameters: [ { name: id, in: path, required: true, schema: { type: integer } } ]
                      responses:
                        "200": { description: One record, content: { application/json: { schema: { $ref: "#/components/schemas/{{name}}" } } } }
                  /{{name}}/upsert:
                    post:
                      operationId: upsert_{{name}}
                      description: Creates or changes up to 300 records, told apart by {{IdentityOf(name)}}. A result for every row.
                      requestBody: { content: { application/json: { schema: { type: object, properties: { {{name}}: { type: array, maxItems: 300, items: { $ref: "#/components/schemas/{{name}}" } } } } } } }
                      responses:
                        "200": { description: A result for every row, content: { application/json: { schema: { type: object, properties: { results: { type: array, items: { type: object, properties: { row: { type: integer }, id: { type: integer }, outcome: { type: string, enum: [created, changed, refused] }, message: { type: string }, record: { $ref: "#/components/schemas/{{name}}" } } } } } } } } }

                """.ReplaceLineEndings("\n"));
        }

        yaml.Append("components:\n  securitySchemes:\n    key: { type: apiKey, in: header, name: X-Pennant-Key }\n  schemas:\n");
        foreach (var (name, fields) in Collections)
        {
            yaml.Append(CultureInfo.InvariantCulture, $"    {name}:\n      type: object\n      required: [id, {IdentityOf(name)}]\n      properties:\n        id: {{ type: integer, readOnly: true }}\n");
            foreach (var f in fields)
            {
                var type = f.Type switch { "date" => "type: string, format: date", "email" => "type: string, format: email", _ => $"type: {f.Type}" };
                var allowed = f.Name == "stage" ? $", enum: [{string.Join(", ", Stages)}]" : "";
                yaml.Append(CultureInfo.InvariantCulture, $"        {f.Name}: {{ {type}{(f.Length is { } l ? $", maxLength: {l}" : "")}{(f.ReadOnly ? ", readOnly: true" : "")}{(f.Name == IdentityOf(name) ? "" : ", nullable: true")}{allowed}{(f.Custom ? ", x-custom: true" : "")} }}\n");
            }

            yaml.Append("        archived: { type: boolean }\n        modified_at: { type: string, format: date-time, readOnly: true }\n        modified_by: { type: string, readOnly: true }\n");
        }

        return yaml.ToString();
    }

    /// <summary>About 120 fields, 40 of them made by this installation.</summary>
    private static IEnumerable<PennantField> People()
    {
        yield return new("email", "email", Length: 254);
        foreach (var name in new[] { "given_name", "family_name", "salutation", "job_title", "company_name", "web_domain", "telephone", "mobile", "street", "town", "postcode", "region", "language", "time_zone", "source", "referrer", "nickname", "suffix" })
        {
            yield return new(name, "string", Length: 120);
        }

        yield return new("company_number", "integer");
        yield return new("country_code", "string", Length: 2);
        yield return new("stage", "string", Length: 20);
        yield return new("score", "integer");
        yield return new("born_on", "date");
        yield return new("consent_given", "boolean");
        yield return new("consent_on", "date");
        foreach (var topic in Topics)
        {
            yield return new($"likes_{topic}", "boolean");
            yield return new($"last_read_{topic}", "date", ReadOnly: true);
        }

        foreach (var campaign in Campaigns)
        {
            foreach (var figure in new[] { "sent", "opened", "clicked", "bounced" })
            {
                yield return new($"{campaign}_{figure}", "integer", ReadOnly: true);
            }
        }

        for (var i = 1; i <= 7; i++)
        {
            yield return new($"free_text_{i}", "string", Length: 400);
        }

        foreach (var name in new[] { "boat_length_cm", "club_number", "years_paddling", "own_boat", "swims", "licence_no", "licence_until", "emergency_contact", "emergency_phone", "shoe_size", "jacket_size", "paddle_length_cm", "helmet_size", "dog_on_board", "camping", "trip_last", "trip_next", "trip_wish", "newsletter_paper", "member_since", "volunteer", "coach_level", "first_aid", "radio_licence", "insured", "photo_ok", "discount_code", "voucher_left", "last_visit", "visits", "preferred_shop", "preferred_weekday", "hire_customer", "school_contact", "invoice_by_mail", "sales_rep", "vip", "notes_events", "notes_sales", "merged_from" })
        {
            var type = name switch
            {
                "boat_length_cm" or "years_paddling" or "paddle_length_cm" or "visits" => "integer",
                "voucher_left" => "number",
                "licence_until" or "trip_last" or "trip_next" or "member_since" or "last_visit" => "date",
                "own_boat" or "swims" or "dog_on_board" or "camping" or "newsletter_paper" or "volunteer" or "first_aid" or "insured" or "photo_ok" or "hire_customer" or "school_contact" or "invoice_by_mail" or "vip" => "boolean",
                _ => "string",
            };
            yield return new($"c_{name}", type, Custom: true, Length: type == "string" ? 200 : null);
        }
    }
}
