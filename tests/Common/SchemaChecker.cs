using System.Text.Json;
using System.Text.RegularExpressions;

namespace Weiche.Tests;

/// <summary>Holds JSON against a schema in the docs. It knows the few words that those schemas use.</summary>
/// <param name="root">The schema.</param>
internal sealed class SchemaChecker(JsonElement root)
{
    /// <summary>A schema of the docs.</summary>
    public static SchemaChecker Of(string file) => new(JsonDocument.Parse(File.ReadAllText(PathOf(file))).RootElement);

    /// <summary>Where a file of the docs is.</summary>
    public static string PathOf(string file) => Path.Combine(Checkout.Root, "docs", file);

    /// <summary>What in a value is not as the schema says.</summary>
    public IEnumerable<string> Problems(JsonElement value) => Problems(value, root, "$");

    private IEnumerable<string> Problems(JsonElement value, JsonElement schema, string path)
    {
        if (schema.TryGetProperty("$ref", out var reference))
            return Problems(
                value,
                reference.GetString()!.Split('/').Skip(1).Aggregate(root, (element, name) => element.GetProperty(name)),
                path
            );
        if (schema.TryGetProperty("oneOf", out var choices))
            return choices.EnumerateArray().Count(choice => !Problems(value, choice, path).Any()) == 1
                ? []
                : [$"{path}: not exactly one choice"];
        var problems = new List<string>();
        if (schema.TryGetProperty("const", out var constant) && constant.ToString() != value.ToString())
            problems.Add($"{path}: not {constant}");
        if (schema.TryGetProperty("enum", out var names) && names.EnumerateArray().All(name => name.ToString() != value.ToString()))
            problems.Add($"{path}: {value} is not a choice");
        if (schema.TryGetProperty("type", out var type) && !Types(type).Any(each => IsOf(value, each)))
            return [$"{path}: not of type {type}"];
        if (value.ValueKind == JsonValueKind.Number)
        {
            if (schema.TryGetProperty("minimum", out var least) && value.GetInt64() < least.GetInt64())
                problems.Add($"{path}: below {least}");
            if (schema.TryGetProperty("maximum", out var most) && value.GetInt64() > most.GetInt64())
                problems.Add($"{path}: above {most}");
        }
        if (
            value.ValueKind == JsonValueKind.String
            && schema.TryGetProperty("pattern", out var pattern)
            && !Regex.IsMatch(value.GetString()!, pattern.GetString()!)
        )
            problems.Add($"{path}: not like {pattern}");
        if (value.ValueKind == JsonValueKind.Array && schema.TryGetProperty("items", out var items))
            problems.AddRange(value.EnumerateArray().SelectMany((item, i) => Problems(item, items, $"{path}[{i}]")));
        if (value.ValueKind == JsonValueKind.Object && schema.TryGetProperty("properties", out var properties))
        {
            foreach (var property in value.EnumerateObject())
            {
                if (properties.TryGetProperty(property.Name, out var inner))
                    problems.AddRange(Problems(property.Value, inner, $"{path}.{property.Name}"));
                else
                    problems.Add($"{path}.{property.Name}: not known");
            }
            problems.AddRange(
                schema
                    .GetProperty("required")
                    .EnumerateArray()
                    .Where(name => !value.TryGetProperty(name.GetString()!, out _))
                    .Select(name => $"{path}.{name}: missing")
            );
        }
        return problems;
    }

    private static bool IsOf(JsonElement value, string type) =>
        type switch
        {
            "object" => value.ValueKind == JsonValueKind.Object,
            "array" => value.ValueKind == JsonValueKind.Array,
            "string" => value.ValueKind == JsonValueKind.String,
            "null" => value.ValueKind == JsonValueKind.Null,
            "boolean" => value.ValueKind is JsonValueKind.True or JsonValueKind.False,
            _ => value.ValueKind == JsonValueKind.Number && value.TryGetInt64(out _),
        };

    private static IEnumerable<string> Types(JsonElement type) =>
        type.ValueKind == JsonValueKind.Array ? type.EnumerateArray().Select(each => each.GetString()!) : [type.GetString()!];
}
