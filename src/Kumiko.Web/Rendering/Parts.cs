using Kumiko.Charts;
using Kumiko.Core.Frames;
using NodaTime;

namespace Kumiko.Web.Rendering;

/// <summary>A chart with what its page needs.</summary>
public sealed record ChartPart(Drawing Drawing, SearchAddress? Address, Tab Tab)
{
    /// <summary>What the script of the chart reads: places, titles and values of the cross-hair, and the plot's ends.</summary>
    public IEnumerable<(string Name, string Value)> Data =>
    [
        ("data-chart", System.Text.Json.JsonSerializer.Serialize(new
        {
            left = Drawing.Plot.Left,
            right = Drawing.Plot.Right,
            top = Drawing.Plot.Top,
            bottom = Drawing.Plot.Bottom,
            from = Drawing.Plot.From / 1_000_000,
            to = Drawing.Plot.To / 1_000_000,
            series = Drawing.Legend.Select(l => new { name = l.Name, style = l.Style }),
            points = Drawing.Hover.Select(h => new { x = Math.Round(h.X, 1), title = h.Title, values = h.Values }),
        })),
    ];
}

/// <summary>A frame as a table.</summary>
public sealed record TablePart(Frame Frame, DateTimeZone Zone)
{
    public const int MostRows = 1_000;
}
