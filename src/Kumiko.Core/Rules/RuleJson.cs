using System.Text.Json;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;

namespace Kumiko.Core.Rules;

/// <summary>How rules are kept as JSON: kinds by their words, and of each what it was made of.</summary>
internal static class RuleJson
{
    public static readonly JsonSerializerOptions Options = new(JsonSerializerDefaults.Web)
    {
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase) },
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
        TypeInfoResolver = new DefaultJsonTypeInfoResolver { Modifiers = { Kinds } },
    };

    private static void Kinds(JsonTypeInfo info)
    {
        if (info.Type == typeof(Quantity))
            info.PolymorphismOptions = ByWord(QuantityKinds.All.Select(k => new JsonDerivedType(k.Type, k.Word)));
        else if (info.Type == typeof(AlertCondition))
            info.PolymorphismOptions = ByWord(ConditionKinds.All.Select(k => new JsonDerivedType(k.Type, k.Word)));
        if (!typeof(Quantity).IsAssignableFrom(info.Type) && !typeof(AlertCondition).IsAssignableFrom(info.Type))
            return;
        for (var i = info.Properties.Count - 1; i >= 0; i--)
            if (info.Properties[i].Set is null)
                info.Properties.RemoveAt(i);
    }

    private static JsonPolymorphismOptions ByWord(IEnumerable<JsonDerivedType> types)
    {
        var options = new JsonPolymorphismOptions { TypeDiscriminatorPropertyName = "kind" };
        foreach (var type in types)
            options.DerivedTypes.Add(type);
        return options;
    }
}
