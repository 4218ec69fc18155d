using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Core.Evaluation;

/// <summary>What an expression may ask of its surroundings: the run's instant and the query's zone.</summary>
public sealed record EvaluationContext(long Now, DateTimeZone Zone)
{
    /// <summary>Rows of look-up tables by table, key and column, made ready once; missing where there is none.</summary>
    public Func<string, string, Func<Value, Value>> Lookup { get; init; } = (_, _) => _ => Value.Missing;
}
