using NodaTime;

namespace Kumiko.Charts;

public enum ChartForm
{
    Line,
    Column,
}

/// <summary>A level drawn across a chart, such as a rule's limit.</summary>
public sealed record LimitLine(double Value, string Label, string Style);

/// <summary>How a frame is shown.</summary>
/// <param name="Now">The present: steps that reach beyond it are unfinished.</param>
public sealed record ChartSpec(ChartForm Form, double Width, double Height, DateTimeZone Zone, long Now)
{
    /// <summary>The most series that are drawn: those with the highest totals.</summary>
    public const int MostSeries = 10;

    public string Title { get; init; } = "";
    public IReadOnlyList<LimitLine> Limits { get; init; } = [];
}
