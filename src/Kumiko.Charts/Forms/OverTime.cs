using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Charts;

/// <summary>Series over time: lines, steps, areas and columns, side by side or stacked, on one or two value axes.</summary>
internal static class OverTime
{
    internal const double Top = 14;
    internal const double Bottom = 26;

    /// <summary>The picture; null where the frame has no steps of time or no figures.</summary>
    /// <param name="axes">Value axes that several pictures share; null for those of this frame.</param>
    public static Drawing? Draw(Frame frame, ChartSpec spec, ChartView view, (ValueAxis? Left, ValueAxis? Right)? axes = null) =>
        Draw([frame], spec, view, axes);

    /// <summary>The same of several frames; all with the step of the first.</summary>
    public static Drawing? Draw(
        IReadOnlyList<Frame> frames,
        ChartSpec spec,
        ChartView view,
        (ValueAxis? Left, ValueAxis? Right)? axes = null
    )
    {
        var alike = frames.Where(f => f.Schema.Step is not null).ToList();
        if (alike.Count == 0 || SeriesTable.Of(alike, spec) is not { } table)
            return null;
        return new TimePicture(table, alike[0], spec, view, alike.Min(f => f.Schema.Step!.Value)).Draw(axes);
    }

    /// <summary>The axes that hold all values of some frames.</summary>
    public static (ValueAxis? Left, ValueAxis? Right) SharedAxes(IEnumerable<Frame> frames, ChartSpec spec, ChartView view)
    {
        var pictures = frames
            .Select(f =>
                SeriesTable.Of(f, spec) is { } table && f.Schema.Step is { } step
                    ? new TimePicture(table, f, spec, view, step)
                    : null
            )
            .OfType<TimePicture>()
            .ToList();
        ValueAxis? Shared(Side side)
        {
            var all = pictures.Where(p => p.Has(side)).ToList();
            if (all.Count == 0)
                return null;
            var ranges = all.Select(p => p.Range(side)).ToList();
            return all[0].AxisFor(side, (ranges.Min(r => r.Min), ranges.Max(r => r.Max)), view.Height - Top - Bottom);
        }
        return (Shared(Side.Left), Shared(Side.Right));
    }
}
