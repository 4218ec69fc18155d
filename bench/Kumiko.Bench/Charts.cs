using System.Globalization;
using System.Net;
using Kumiko.Charts;
using Kumiko.Core.Storage;
using Kumiko.Core.Workbench;
using Kumiko.Demo;
using Kumiko.Web.Hosting;
using Microsoft.Extensions.DependencyInjection;

namespace Kumiko.Bench;

/// <summary>What the page of charts asks over HTTP, on the demo's data of a day.</summary>
internal static class Charts
{
    private const int Times = 25;

    public static async Task Measure()
    {
        var data = Directory.CreateTempSubdirectory("kumiko-bench-").FullName;
        try
        {
            using var folder = DataFolder.TryOpen(data)!;
            await using var app = await DemoHost.Build(
                new DemoOptions
                {
                    Data = data,
                    Port = 0,
                    History = TimeSpan.FromHours(50),
                    Ahead = TimeSpan.FromHours(50),
                    PlaysByItself = false,
                    Offset = TimeSpan.Zero,
                },
                folder
            );
            await app.StartAsync();
            using var browser = new HttpClient(new HttpClientHandler { CookieContainer = new CookieContainer() })
            {
                BaseAddress = new Uri(app.Services.GetRequiredService<ServerState>().Address),
            };
            await SignedIn.As(browser, "Ines Halloran");
            Console.WriteLine(
                $"| {app.Services.GetRequiredService<RecordStore>().Count} records and the demo's metrics, over HTTP, warm | median ms | p95 ms | bar |\n|---|---|---|---|"
            );
            const string day = "&from=-24h&to=now";
            const string hours = "&from=-6h&to=now";
            var notices = new ChartBoard
            {
                Series =
                [
                    new BoardSeries("unshown", "(arrived - shown) / arrived"),
                    new BoardSeries("arrived", Metric("skerry.notices.arrived", "increase", "terminal")),
                    new BoardSeries("shown", Metric("skerry.notices.shown", "increase", "terminal")),
                ],
            };
            await Told(
                browser,
                "twenty charts of all forms on one page, a day (the gallery)",
                _ => "/demo/gallery?look=paper" + day,
                1_000
            );
            await Told(
                browser,
                "a formula over two metrics by terminal, six hours, with its baseline",
                n => At(notices, n, hours),
                300
            );
            await Told(browser, "the same after one series was edited", n => At(Edited(notices, n), 0, hours), 150);
            await Told(
                browser,
                "the same without a baseline",
                n => At(Edited(notices, n) with { HidesBaseline = true }, 0, hours),
                150
            );
            await Told(
                browser,
                "records by service, edited, a day, without a baseline",
                n =>
                    At(
                        new ChartBoard
                        {
                            HidesBaseline = true,
                            Series = [new BoardSeries("n", $"level >= info and not x{n} | group count() by service per 10m")],
                        },
                        0,
                        day
                    ),
                150
            );
            await Told(
                browser,
                "one beside its peers and itself on two days, six hours",
                n =>
                    At(
                        notices with
                        {
                            Series =
                            [
                                .. Edited(notices, n).Series.Select(s => s with { Hidden = true }),
                                new BoardSeries("peers") { Peers = new PeersOf("unshown", "terminal", "Lindle") },
                                new BoardSeries("days") { Earlier = new EarlierOf("unshown", "1d", 2) },
                            ],
                        },
                        0,
                        hours
                    ),
                300
            );
            await Told(
                browser,
                "what moves with a series among the processors of all hosts, a day",
                n => At(notices, n, day + "&handler=MovesWith&name=arrived&of=system.cpu"),
                1_000
            );
            await app.StopAsync();
        }
        finally
        {
            Directory.Delete(data, true);
        }
    }

    private static string Metric(string name, string figure, string by) =>
        $"from metrics name = {name} | group {figure}(value) by {by} per 2m";

    /// <summary>With a query that was not asked before.</summary>
    private static ChartBoard Edited(ChartBoard board, int n) =>
        board with
        {
            Series =
            [
                board.Series[0],
                board.Series[1] with
                {
                    Text = board
                        .Series[1]
                        .Text.Replace(
                            " |",
                            $" and terminal != t{n.ToString(CultureInfo.InvariantCulture)} |",
                            StringComparison.Ordinal
                        ),
                },
                board.Series[2],
            ],
        };

    private static string At(ChartBoard board, int n, string more) =>
        "/charts?c="
        + Uri.EscapeDataString((board with { Title = "t" + n.ToString(CultureInfo.InvariantCulture) }).ToJson())
        + more;

    private static async Task Told(HttpClient browser, string name, Func<int, string> url, int bar)
    {
        var n = 0;
        var (median, p95) = await Repeated.Milliseconds(Times, async () => await browser.GetByteArrayAsync(url(n++)));
        Console.WriteLine(
            string.Create(
                CultureInfo.InvariantCulture,
                $"| {name} | {median:0} | {p95:0} | {bar}{(median > bar ? ", not reached" : "")} |"
            )
        );
    }
}
