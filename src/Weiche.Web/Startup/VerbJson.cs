using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Serialization;

namespace Weiche.Web.Startup;

/// <summary>JSON as the verbs of the command line print it.</summary>
internal static class VerbJson
{
    private static readonly JsonSerializerOptions Options = new()
    {
        PropertyNamingPolicy = JsonNamingPolicy.CamelCase,
        DefaultIgnoreCondition = JsonIgnoreCondition.Never,
        WriteIndented = true,
        Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
    };

    internal static void Print(object value) => Console.WriteLine(JsonSerializer.Serialize(value, Options));

    /// <summary>A member of an enumeration as a word: "goesOn".</summary>
    internal static string Word<T>(T value)
        where T : struct, Enum => JsonNamingPolicy.CamelCase.ConvertName(value.ToString());
}
