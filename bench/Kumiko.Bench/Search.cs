using System.Diagnostics;
using System.Net;
using System.Text.RegularExpressions;
using Kumiko.Bench.Store;
using Kumiko.Core.Accounts;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Builder;
using Microsoft.Extensions.DependencyInjection;

namespace Kumiko.Bench;

/// <summary>What the page of Search asks over HTTP, over two weeks of many records, warm.</summary>
internal static partial class Search
{
    private const int Times = 15;
    private const int Days = 14;

    /// <param name="records">How many, over two weeks.</param>
    /// <param name="folder">A data folder to make or to use again; null for one that is deleted.</param>
    public static async Task Measure(long records, string? folder)
    {
        var data = folder ?? Directory.CreateTempSubdirectory("kumiko-bench-").FullName;
        Directory.CreateDirectory(data);
        try
        {
            using var held = DataFolder.TryOpen(data)!;
            await using var app = KumikoServer.Build(
                new ServerOptions
                {
                    Data = data,
                    Port = 0,
                    GrpcPort = 0,
                    SyslogPort = 0,
                    Offered = p => p.All(),
                },
                held
            );
            await app.StartAsync();
            var store = app.Services.GetRequiredService<RecordStore>();
            Window ever;
            using (var snapshot = store.Current)
                if (snapshot.Count < records)
                    await StoreBench.Feed(
                        store,
                        new FerryLog(400_000),
                        records,
                        _ => { },
                        (int)Math.Max(1, records / (Days * 86_400))
                    );
            using (var snapshot = store.Current)
                ever = new Window(snapshot.Batches.Min(b => b.MinTime), snapshot.Batches.Max(b => b.MaxTime) + 1);
            var once = "k" + Guid.NewGuid().ToString("N")[..12];
            await store.Append(
                [
                    new LogRecord
                    {
                        Time = ever.From + (ever.Length / 3),
                        Observed = ever.To,
                        Body = $"berth {once} taken",
                        Source = "quay",
                    },
                ],
                "quay"
            );
            await store.Upkeep.SealAll();
            while (await store.Upkeep.Merge()) { }
            await app
                .Services.GetRequiredService<PeopleStore>()
                .Add("Ines Halloran", "ines@skerryline.example", Role.Analyst, null);
            using var browser = new HttpClient(new HttpClientHandler { CookieContainer = new CookieContainer() })
            {
                BaseAddress = new Uri(app.Services.GetRequiredService<ServerState>().Address),
            };
            await SignedIn.As(browser, "Ines Halloran");
            await Ask(browser, store, ever, once);
            await app.StopAsync();
        }
        finally
        {
            if (folder is null)
                Directory.Delete(data, true);
        }
    }

    /// <summary>Times of the answer; what the page fetches after it is fetched too, so that nothing goes on when the next is
    /// measured.</summary>
    private static async Task<(double Median, double P95)> Measured(HttpClient browser, string url, long latest)
    {
        var taken = new List<double>();
        for (var i = 0; i <= Times; i++)
        {
            var started = Stopwatch.GetTimestamp();
            var answer = await browser.GetStringAsync(
                url.Replace(
                    "{now}",
                    (latest - (i * Instants.Second)).ToString(System.Globalization.CultureInfo.InvariantCulture),
                    StringComparison.Ordinal
                )
            );
            if (i > 0)
                taken.Add(Stopwatch.GetElapsedTime(started).TotalMilliseconds);
            foreach (Match part in Parts().Matches(answer))
                await browser.GetByteArrayAsync(WebUtility.HtmlDecode(part.Groups[1].Value));
        }
        taken.Sort();
        return (taken[taken.Count / 2], taken[(int)Math.Ceiling(taken.Count * 0.95) - 1]);
    }

    [GeneratedRegex("data-(?:load|later)=\"(/[^\"]+)\"(?! data-load-on)")]
    private static partial Regex Parts();

    private static async Task Ask(HttpClient browser, RecordStore store, Window ever, string once)
    {
        var rare = Queries.Rare(store);
        string Focus(Window window) =>
            $"&from={Uri.EscapeDataString(Instants.Format(window.From))}&to={Uri.EscapeDataString(Instants.Format(window.To))}";
        var day = Focus(new Window(ever.To - Instants.Day, ever.To));
        var all = Focus(ever);
        // Another second each time, so that nothing is known from the time before.
        const string live = "&from=-1d&to=now";
        string Q(string query) => "q=" + Uri.EscapeDataString(query);
        Console.WriteLine(
            $"| {store.Count} records, {store.Current.Segments.Count()} segments, warm, over HTTP | median ms | p95 ms | bar |\n|---|---|---|---|"
        );
        (string Name, string Url, int Bar)[] asked =
        [
            ("first rows: everything, a day", $"/search?{Q("")}{day}", 150),
            ("first rows: a common word, a day", $"/search?{Q("queue")}{day}", 150),
            ("first rows: conditions, a day", $"/search?{Q("level >= warn and terminal = Tarnhead")}{day}", 150),
            ("first rows: a regular expression, a day", $"/search?{Q(@"body ~ /refused at \w+: paid/")}{day}", 150),
            ("first rows: a common word, two weeks", $"/search?{Q("queue")}{all}", 150),
            ("first rows: conditions, two weeks", $"/search?{Q("level >= warn and terminal = Tarnhead")}{all}", 150),
            ("a term of one record over everything", $"/search?{Q(once)}{all}", 250),
            ("a term of twelve records in twelve segments over everything", $"/search?{Q(rare)}{all}", 250),
            ("strip of an unfiltered day", $"/search?handler=Strip{day}", 300),
            ("fields of an unfiltered day", $"/search?handler=Fields{day}", 300),
            ("strip for another span of it, as the wheel asks", $"/search?handler=Strip&span=1d{day}", 100),
            ("strip of everything", $"/search?handler=Strip&span=all{day}", 300),
            ("completion: the first letter of a field, a day", $"/search?handler=Complete&text=t&caret=1&now={{now}}{live}", 50),
            ("completion: further letters of it", $"/search?handler=Complete&text=term&caret=4{day}", 50),
            (
                "completion: the first look at a field's values, a day",
                $"/search?handler=Complete&text=terminal%20%3D%20&caret=11&now={{now}}{live}",
                50
            ),
            ("completion: further letters of a value", $"/search?handler=Complete&text=terminal%20%3D%20T&caret=12{day}", 50),
            ("counts of conditions, a day", $"/search?handler=Counts&{Q("level >= warn and terminal = Tarnhead")}{day}", 300),
            ("what is found by a name", "/find?what=gate", 100),
        ];
        var only = Environment.GetEnvironmentVariable("ONLY");
        foreach (var (name, url, bar) in asked.Where(a => only is null || a.Name.Contains(only, StringComparison.Ordinal)))
        {
            var taken = await Measured(browser, url, ever.To);
            Console.WriteLine(
                $"| {name} | {taken.Median:0} | {taken.P95:0} | {bar}{(taken.Median > bar ? ", not reached" : "")} |"
            );
        }
    }
}
