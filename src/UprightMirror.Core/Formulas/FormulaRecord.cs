using System.Collections.Immutable;
using System.Text.Json;

namespace UprightMirror.Core.Formulas;

/// <summary>
/// A record as formulas see it: values by name, nested ones by path (<c>address.town</c>), those of lines as lists
/// (<c>lines.amount</c>). A name is found as written, or else whatever its case.
/// </summary>
public sealed class FormulaRecord
{
    private const int Deepest = 16;
    private readonly Dictionary<string, Item> values = new(StringComparer.Ordinal);
    private readonly Dictionary<string, string?> whateverCase = new(StringComparer.OrdinalIgnoreCase);

    /// <summary>The value called so; blank when there is none.</summary>
    public Item this[string name] => this.values.TryGetValue(name, out var value) || (this.whateverCase.GetValueOrDefault(name) is { } known && this.values.TryGetValue(known, out value)) ? value : Item.Blank;

    public IEnumerable<string> Names => this.values.Keys;

    public bool Has(string name) => this.values.ContainsKey(name) || this.whateverCase.GetValueOrDefault(name) is not null;

    public static FormulaRecord Of(IEnumerable<KeyValuePair<string, Item>> values)
    {
        var record = new FormulaRecord();
        foreach (var (name, value) in values)
        {
            record.Set(name, value);
        }

        return record;
    }

    /// <exception cref="ArgumentException">It is no JSON object.</exception>
    public static FormulaRecord FromJson(JsonElement json)
    {
        if (json.ValueKind != JsonValueKind.Object)
        {
            throw new ArgumentException("a record is a JSON object");
        }

        var record = new FormulaRecord();
        record.Take(json, "", 0);
        return record;
    }

    private void Set(string name, Item value)
    {
        // Two names that differ in case only are found as written, and not otherwise.
        this.whateverCase[name] = this.whateverCase.TryGetValue(name, out var other) && other != name ? null : name;
        this.values[name] = value;
    }

    private void Take(JsonElement json, string prefix, int depth)
    {
        foreach (var property in json.EnumerateObject())
        {
            var path = prefix + property.Name;
            if (property.Value.ValueKind == JsonValueKind.Object && depth < Deepest)
            {
                this.Take(property.Value, path + ".", depth + 1);
            }
            else
            {
                this.Set(path, ItemJson.Read(property.Value));
                if (property.Value.ValueKind == JsonValueKind.Array && property.Value.EnumerateArray().Any(e => e.ValueKind == JsonValueKind.Object))
                {
                    this.TakeLines(property.Value, path);
                }
            }
        }
    }

    /// <summary>The fields of lines: one list a field, with a blank where a line has none.</summary>
    private void TakeLines(JsonElement lines, string path)
    {
        var all = lines.EnumerateArray().Select(l => l.ValueKind == JsonValueKind.Object ? FromJson(l) : new FormulaRecord()).ToList();
        foreach (var name in all.SelectMany(l => l.Names).Distinct(StringComparer.Ordinal).ToList())
        {
            this.Set($"{path}.{name}", Item.Of([.. all.SelectMany(l => l[name] is { Kind: ItemKind.List } many ? many.Items : [l[name]])]));
        }
    }
}
