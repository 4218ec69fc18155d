using NodaTime;

namespace Kumiko.Core.Evaluation;

/// <summary>What an expression may ask of its surroundings: the run's instant and the query's zone.</summary>
public sealed record EvaluationContext(long Now, DateTimeZone Zone);
