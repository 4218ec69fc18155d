using Kumiko.Core.Language;

namespace Kumiko.Core.Evaluation;

/// <summary>A stage that can be done.</summary>
public abstract record PipelineStage : Stage
{
    /// <summary>Adds what it does behind what there is.</summary>
    /// <param name="next">The stage behind it, which it may take into its own work; null for the last.</param>
    /// <exception cref="QueryRefusedException">It cannot be done on these rows.</exception>
    public abstract void Build(PipelineBuilder builder, Stage? next);
}
