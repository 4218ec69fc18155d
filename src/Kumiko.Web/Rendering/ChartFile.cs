using System.Text;
using Kumiko.Charts;
using Kumiko.Core.Export;
using Kumiko.Core.Frames;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Rendering;

/// <summary>A chart as a file: the picture as SVG or PNG, what it is made of as CSV.</summary>
public static class ChartFile
{
    /// <param name="kind">svg, png or csv.</param>
    /// <returns>Not found for another kind, or a frame that cannot be drawn so.</returns>
    public static async Task<IActionResult> Of(
        Frame frame,
        ChartSpec spec,
        ChartView view,
        string? kind,
        Theme theme,
        CancellationToken cancel
    )
    {
        if (kind == "csv")
        {
            var to = new MemoryStream();
            await using var answer = new FrameStream(frame);
            await ExportFormats.Csv.Write(answer, to, null, cancel);
            return new FileContentResult(to.ToArray(), ExportFormats.Csv.MediaType)
            {
                FileDownloadName = NameOf(spec.Title) + ".csv",
            };
        }
        if (kind is not ("svg" or "png") || Chart.Draw(frame, spec, view with { Alone = true }) is not { } drawing)
            return new NotFoundResult();
        return Of(drawing, spec.Title, kind, theme);
    }

    /// <summary>A picture that is drawn already.</summary>
    public static IActionResult Of(Drawing drawing, string title, string? kind, Theme theme) =>
        kind switch
        {
            "svg" => new FileContentResult(
                Encoding.UTF8.GetBytes(SvgWriter.Write(drawing, "chart", theme: theme)),
                "image/svg+xml"
            )
            {
                FileDownloadName = NameOf(title) + ".svg",
            },
            "png" => new FileContentResult(PngWriter.Write(drawing, theme), "image/png")
            {
                FileDownloadName = NameOf(title) + ".png",
            },
            _ => new NotFoundResult(),
        };

    private static string NameOf(string title) =>
        string.Concat(
            (title.Length > 0 ? title : "chart").Select(c => char.IsAsciiLetterOrDigit(c) ? char.ToLowerInvariant(c) : '-')
        );
}
