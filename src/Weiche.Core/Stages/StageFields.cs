using System.Text.Json;

namespace Weiche.Core.Stages;

/// <summary>The fields of a stage, or of one of its rules, as a file has them. Reading is strict: what is missing, stands twice, is out of
/// range or is not known is refused with a sentence.</summary>
public sealed class StageFields
{
    private readonly string _of;
    private readonly Dictionary<string, JsonElement> _fields = [];

    /// <summary>The fields of an object.</summary>
    /// <param name="element">The object.</param>
    /// <param name="of">What it stands for, in a sentence: "a Keys stage".</param>
    /// <exception cref="FormatException">It is no object, or has a field twice.</exception>
    public StageFields(JsonElement element, string of)
    {
        _of = of;
        if (element.ValueKind != JsonValueKind.Object)
            throw new FormatException($"Where {of} should stand is something else.");
        foreach (var property in element.EnumerateObject())
        {
            if (!_fields.TryAdd(property.Name, property.Value))
                throw new FormatException($"“{property.Name}” stands twice in {of}.");
        }
    }

    /// <summary>Takes a whole number.</summary>
    /// <param name="name">The field.</param>
    /// <param name="least">The least it may be.</param>
    /// <param name="most">The most it may be.</param>
    /// <param name="usual">What it is where it is left out; null if it must be there.</param>
    /// <exception cref="FormatException">It is missing, or no such number.</exception>
    public int Number(string name, int least, int most, int? usual = null) =>
        NumberOrNull(name, least, most) ?? usual ?? throw Missing(name);

    /// <summary>Takes a whole number that may be left out.</summary>
    /// <param name="name">The field.</param>
    /// <param name="least">The least it may be.</param>
    /// <param name="most">The most it may be.</param>
    /// <exception cref="FormatException">It is there, and no such number.</exception>
    public int? NumberOrNull(string name, int least, int most) =>
        !Takes(name, out var value) ? null
        : value.ValueKind == JsonValueKind.Number && value.TryGetInt32(out var number) && number >= least && number <= most ? number
        : throw new FormatException($"“{name}” of {_of} is a whole number from {least} to {most}.");

    /// <summary>Takes a yes or no.</summary>
    /// <param name="name">The field.</param>
    /// <param name="usual">What it is where it is left out; null if it must be there.</param>
    /// <exception cref="FormatException">It is missing, or neither.</exception>
    public bool Flag(string name, bool? usual = null) =>
        !Takes(name, out var value) ? usual ?? throw Missing(name)
        : value.ValueKind is JsonValueKind.True or JsonValueKind.False ? value.GetBoolean()
        : throw new FormatException($"“{name}” of {_of} is true or false.");

    /// <summary>Takes a text.</summary>
    /// <param name="name">The field.</param>
    /// <exception cref="FormatException">It is missing, or no text.</exception>
    public string Text(string name) => TextOrNull(name) ?? throw Missing(name);

    /// <summary>Takes a text that may be left out.</summary>
    /// <param name="name">The field.</param>
    /// <exception cref="FormatException">It is there, and no text.</exception>
    public string? TextOrNull(string name) =>
        !Takes(name, out var value) ? null
        : value.ValueKind == JsonValueKind.String ? value.GetString()
        : throw new FormatException($"“{name}” of {_of} is a text.");

    /// <summary>Takes a list of things that have fields of their own.</summary>
    /// <typeparam name="T">What is made of each.</typeparam>
    /// <param name="name">The field.</param>
    /// <param name="of">What one of them stands for, in a sentence.</param>
    /// <param name="read">Makes it.</param>
    /// <exception cref="FormatException">It is missing, no list, or one of it cannot be read.</exception>
    public IReadOnlyList<T> List<T>(string name, string of, Func<StageFields, T> read) =>
        [
            .. Elements(name)
                .Select(element =>
                {
                    var fields = new StageFields(element, of);
                    var item = read(fields);
                    fields.End();
                    return item;
                }),
        ];

    /// <summary>Takes a list of texts.</summary>
    /// <param name="name">The field.</param>
    /// <exception cref="FormatException">It is missing, or something else.</exception>
    public IReadOnlyList<string> Texts(string name) =>
        [
            .. Elements(name)
                .Select(element =>
                    element.ValueKind == JsonValueKind.String
                        ? element.GetString()!
                        : throw new FormatException($"“{name}” of {_of} is a list of texts.")
                ),
        ];

    /// <summary>Takes a list of whole numbers.</summary>
    /// <param name="name">The field.</param>
    /// <param name="least">The least they may be.</param>
    /// <param name="most">The most they may be.</param>
    /// <exception cref="FormatException">It is missing, or something else.</exception>
    public IReadOnlyList<int> Numbers(string name, int least, int most) =>
        [
            .. Elements(name)
                .Select(element =>
                    element.ValueKind == JsonValueKind.Number && element.TryGetInt32(out var number) && number >= least && number <= most
                        ? number
                        : throw new FormatException($"“{name}” of {_of} is a list of whole numbers from {least} to {most}.")
                ),
        ];

    /// <summary>Says that all has been taken.</summary>
    /// <exception cref="FormatException">Something is there that is not known.</exception>
    public void End()
    {
        if (_fields.Count > 0)
            throw new FormatException($"There is no “{_fields.Keys.First()}” in {_of}.");
    }

    private FormatException Missing(string name) => new($"“{name}” is missing in {_of}.");

    // What is null is left out.
    private bool Takes(string name, out JsonElement value) => _fields.Remove(name, out value) && value.ValueKind != JsonValueKind.Null;

    private JsonElement.ArrayEnumerator Elements(string name)
    {
        if (!Takes(name, out var value))
            throw Missing(name);
        return value.ValueKind == JsonValueKind.Array ? value.EnumerateArray() : throw new FormatException($"“{name}” of {_of} is a list.");
    }
}
