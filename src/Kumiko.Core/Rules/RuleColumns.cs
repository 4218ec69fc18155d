using System.Data;
using System.Text.Json;
using Dapper;

namespace Kumiko.Core.Rules;

/// <summary>How definitions and keys lie in columns: as JSON.</summary>
internal static class RuleColumns
{
    static RuleColumns()
    {
        SqlMapper.AddTypeHandler(new Definitions());
        SqlMapper.AddTypeHandler(new KeyLists());
    }

    /// <summary>Makes them known; once is enough.</summary>
    public static void Know() { }

    private sealed class Definitions : SqlMapper.TypeHandler<RuleDefinition>
    {
        public override RuleDefinition Parse(object value) => RuleDefinition.FromJson((string)value);

        public override void SetValue(IDbDataParameter parameter, RuleDefinition? value) => parameter.Value = value?.ToJson();
    }

    private sealed class KeyLists : SqlMapper.TypeHandler<IReadOnlyList<string>>
    {
        public override IReadOnlyList<string> Parse(object value) => JsonSerializer.Deserialize<string[]>((string)value) ?? [];

        public override void SetValue(IDbDataParameter parameter, IReadOnlyList<string>? value) =>
            parameter.Value = JsonSerializer.Serialize(value ?? []);
    }
}
