using Kumiko.Charts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Web.Hosting;
using Kumiko.Web.Pages;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Demo.Pages;

/// <summary>A picture of the gallery: a query and how its answer is shown.</summary>
/// <param name="Wide">Whether it takes a whole row.</param>
public sealed record Sample(string Id, string Query, ChartSpec Spec, bool Wide = false, double Height = 230);

/// <summary>Every form of chart, drawn from what the ferry line measured and wrote.</summary>
public sealed class GalleryModel(RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock)
    : StripPage(runs, strips, viewer, clock)
{
    private const int Padding = 48;

    private static readonly Sample[] Samples =
    [
        new(
            "line",
            "from metrics name = system.cpu.utilization and service in (gate-control, seat-ledger, booking-web) | group avg(value) as busy by service per 10m",
            new ChartSpec
            {
                Form = ChartForms.Line,
                Title = "Line: processors, by service",
                Thresholds = [new Threshold(0.5, "busy", "warning")],
            }
        ),
        new(
            "step",
            "from metrics name = db.client.connection.count | group max(value) as connections by host per 30m",
            new ChartSpec { Form = ChartForms.Step, Title = "Steps: connections of the seat ledger" }
        ),
        new(
            "area",
            "from metrics name = skerry.tide.height and host = tide-1 | group avg(value) as height, count() as samples per 15m",
            new ChartSpec
            {
                Form = ChartForms.Area,
                Title = "Area: height of the tide",
                Layers = [new LayerSpec("samples", Hidden: true)],
                Bands = [new ValueBand(1, 3.5, "berths can be used")],
            }
        ),
        new(
            "stacked-area",
            "service in (gate-control, booking-web, kiosk-ui, payment-bridge) | group count() as records by service per 15m",
            new ChartSpec { Form = ChartForms.StackedArea, Title = "Stacked area: records by service" }
        ),
        new(
            "column",
            "service = gate-control and level >= warn | group count() as warnings by host per 2h",
            new ChartSpec
            {
                Form = ChartForms.Column,
                Title = "Columns: warnings of the gates",
                Most = 4,
            }
        ),
        new(
            "stacked",
            "service = gate-control and refused | group count() as refusals by reason per 1h",
            new ChartSpec { Form = ChartForms.StackedColumn, Title = "Stacked columns: refusals at the gates, by reason" }
        ),
        new(
            "two-axes",
            "from metrics name = http.server.request.duration and service = booking-web | group p95(value) as slow, per_second(value) as requests per 10m",
            new ChartSpec
            {
                Form = ChartForms.Line,
                Title = "Two axes: how long requests took, and how many",
                Left = new AxisSpec("95th percentile"),
                Right = new AxisSpec("requests a second"),
                Layers = [new LayerSpec("slow"), new LayerSpec("requests", ChartForms.Area, Side.Right)],
            },
            Wide: true
        ),
        new(
            "log",
            "from metrics name = http.server.request.duration | group p50(value) as half, p99(value) as slowest by service per 20m",
            new ChartSpec
            {
                Form = ChartForms.Line,
                Title = "Logarithmic axis: half of the requests and the slowest",
                Left = new AxisSpec(Scale: ScaleKind.Logarithmic),
            }
        ),
        new(
            "gaps",
            "service = refund-desk and level >= warn | group count() as n, avg(length(body)) as size per 5m | select time, size",
            new ChartSpec { Form = ChartForms.Line, Title = "Gaps stay gaps: length of rare warnings" }
        ),
        new(
            "bar",
            "from metrics name = http.server.request.duration | group p95(value) as slow by host",
            new ChartSpec { Form = ChartForms.Bar, Title = "Bars: 95th percentile by host" }
        ),
        new(
            "ranking",
            "service = gate-control and refused | group count() as refusals by terminal",
            new ChartSpec { Form = ChartForms.Ranking, Title = "Ranking: refusals by terminal" }
        ),
        new(
            "single",
            "from metrics name = system.memory.usage and system.memory.state = used | group avg(value) as memory by service per 15m | where service in (\"manifest\", \"seat-ledger\", \"notice-board\")",
            new ChartSpec { Form = ChartForms.Single, Title = "Single values: memory" },
            Height: 190
        ),
        new(
            "gauge",
            "from metrics name = system.filesystem.utilization | group avg(value) as used by host per 15m",
            new ChartSpec
            {
                Form = ChartForms.Gauge,
                Title = "Gauges: disks of the passenger lists",
                Thresholds = [new Threshold(0.8, "above 80 %", "warning"), new Threshold(0.95, "above 95 %", "critical")],
            },
            Height: 190
        ),
        new(
            "donut",
            "| group count() as records by service",
            new ChartSpec { Form = ChartForms.Donut, Title = "Donut: records by service" }
        ),
        new(
            "heat",
            "from metrics name = system.cpu.utilization | group avg(value) as busy by host per 20m",
            new ChartSpec { Form = ChartForms.HeatMap, Title = "Heat map: processors of all hosts" },
            Height: 420,
            Wide: true
        ),
        new(
            "heat-values",
            "service = gate-control | where exists(wait) | set took = floor_to(number(wait) / 1ms, 200) | where took < 4000 | group count() as n by took per 30m",
            new ChartSpec { Form = ChartForms.HeatMap, Title = "Heat map: waits at the gates, by milliseconds" }
        ),
        new(
            "histogram",
            "service = gate-control | where exists(wait) | set took = floor_to(number(wait) / 1ms, 20) | where took < 3000 | group count() as n by took",
            new ChartSpec { Form = ChartForms.Histogram, Title = "Histogram: waits at the gates, in milliseconds" }
        ),
        new(
            "scatter",
            "service = gate-control | where exists(wait) | group count() as scans, p95(wait) as wait by terminal per 20m",
            new ChartSpec { Form = ChartForms.Scatter, Title = "Scatter: how long scans take against how many there are" }
        ),
        new(
            "table",
            "from metrics name = http.server.request.duration | group growth(value) as requests, avg(value) as mean, p95(value) as slow by service",
            new ChartSpec { Form = ChartForms.Table, Title = "Table with bars: requests by service" },
            Height: 120
        ),
        new(
            "multiples",
            "from metrics name in (skerry.notices.arrived, skerry.notices.shown) | group growth(value) as notices by terminal, name per 30m",
            new ChartSpec
            {
                Title = "Small multiples: notices that came and were shown",
                Form = ChartForms.Line,
                MultiplesBy = "terminal",
            },
            Wide: true,
            Height: 380
        ),
    ];

    /// <summary>The theme that is shown, by the name of its look; both where it is not told.</summary>
    public string? Look { get; private set; }
    public IReadOnlyList<(Sample Sample, ChartPart? Part, string? Problem)> Pictures { get; private set; } = [];

    public async Task<IActionResult> OnGetAsync(string? when, string? look)
    {
        Look = look is "paper" or "lacquer" ? look : null;
        var address = Begin();
        var pictures = new List<(Sample, ChartPart?, string?)>();
        foreach (var sample in Samples)
        {
            try
            {
                var (frame, view) = await Of(sample, address);
                pictures.Add(
                    (
                        sample,
                        Chart.Draw(frame, sample.Spec, view) is { } drawing
                            ? new ChartPart(drawing)
                            {
                                FileUrl = address.Url("/demo/gallery", ("handler", "File"), ("id", sample.Id)),
                                Table = new TablePart(frame, Zone),
                            }
                            : null,
                        null
                    )
                );
            }
            catch (QueryRefusedException e)
            {
                pictures.Add((sample, null, e.Message));
            }
        }
        Pictures = pictures;
        return await Show("/demo/gallery", when);
    }

    public async Task<IActionResult> OnGetFileAsync(string? id, string? @as, string? look, CancellationToken cancel)
    {
        if (Array.Find(Samples, s => s.Id == id) is not { } sample)
            return NotFound();
        var (frame, view) = await Of(sample, Begin());
        return await ChartFile.Of(frame, sample.Spec, view, @as, look == "lacquer" ? Theme.Lacquer : Theme.Paper, cancel);
    }

    private async Task<(Frame Frame, ChartView View)> Of(Sample sample, SearchAddress address)
    {
        var run = Runs.Open(
            new Question(Viewer.Name, QueryParser.Parse(sample.Query), address.Focus.Resolve(Now), Now, Zone, Limits.Default)
        );
        using var reading = run.Attach(HttpContext.RequestAborted);
        var width = Viewer.WidthBeside(Padding);
        return (
            await run.Frame(),
            new ChartView(sample.Wide || width < 700 ? width : (width - 1) / 2.0, sample.Height, Zone, Now)
        );
    }
}
