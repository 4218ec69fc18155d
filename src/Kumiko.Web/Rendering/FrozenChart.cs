using System.IO.Compression;
using System.Text.Json;
using Kumiko.Charts;
using Kumiko.Web.Pages;

namespace Kumiko.Web.Rendering;

/// <summary>A chart as it was: its picture, what its series were, and their figures.</summary>
/// <param name="Picture">SVG that this application drew, with texts escaped.</param>
/// <param name="Series">Names with what they were.</param>
public sealed record FrozenChart(string Picture, string[][] Series, string[] Columns, string[][] Rows)
{
    public const double Width = 1_200;

    public static byte[] Write(Drawing drawing, ChartBoard board, BoardLegend legend)
    {
        var frozen = new FrozenChart(
            SvgWriter.Write(drawing, "chart-picture frozen"),
            [.. board.Series.Select(s => new[] { s.Name, s.InWords })],
            [
                "series",
                .. legend.Columns,
                "last",
                "min",
                "mean",
                "max",
                "p95",
                "sum",
                .. legend.HasUsual ? ["vs baseline"] : Array.Empty<string>(),
            ],
            [
                .. legend.Rows.Select(r =>
                    (string[])
                        [
                            r.Label,
                            .. r.Attributes,
                            .. new[]
                            {
                                r.Figures.Last,
                                r.Figures.Min,
                                r.Figures.Mean,
                                r.Figures.Max,
                                r.Figures.P95,
                                r.Sum,
                            }.Select(r.Text),
                            .. legend.HasUsual ? [r.Against ?? "–"] : Array.Empty<string>(),
                        ]
                ),
            ]
        );
        using var packed = new MemoryStream();
        using (var gzip = new GZipStream(packed, CompressionLevel.Fastest, leaveOpen: true))
            JsonSerializer.Serialize(gzip, frozen);
        return packed.ToArray();
    }

    public static FrozenChart Read(byte[] content)
    {
        using var gzip = new GZipStream(new MemoryStream(content), CompressionMode.Decompress);
        return JsonSerializer.Deserialize<FrozenChart>(gzip)!;
    }
}
