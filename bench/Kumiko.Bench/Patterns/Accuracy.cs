using System.Diagnostics;
using System.Globalization;
using System.Reflection;
using System.Text;
using System.Text.RegularExpressions;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Patterns;
using Kumiko.Core.Storage.Templates;
using Kumiko.Demo.World;
using Kumiko.Worlds.Disturbances;

namespace Kumiko.Bench.Patterns;

/// <summary>A record as the miner sees it, with the line of code that wrote it.</summary>
internal sealed record Labelled(string Service, string Body, string Truth);

/// <summary>
/// Grouping accuracy: a record is right if the group it is put in holds exactly the records of its line of code
/// (Zhu, He, Liu, He, Xie, Zheng, Lyu: Tools and benchmarks for automated log parsing, 2019).
/// </summary>
internal static partial class Accuracy
{
    public static IEnumerable<string> Daemons => Names.Select(n => n.Split('.')[^2]).Order(StringComparer.Ordinal);

    private static IEnumerable<string> Names =>
        Assembly.GetExecutingAssembly().GetManifestResourceNames().Where(n => n.Contains(".Formats.", StringComparison.Ordinal));

    /// <summary>Lines of one daemon, or of each of them under its own name.</summary>
    public static List<Labelled> Of(string daemon, int count, int seed)
    {
        using var stream = new StreamReader(
            Assembly.GetExecutingAssembly().GetManifestResourceStream(Names.Single(n => n.Split('.')[^2] == daemon))!
        );
        var formats = stream
            .ReadToEnd()
            .Split('\n', StringSplitOptions.RemoveEmptyEntries)
            .Select(l => l.Split('\t', 2))
            .Select(l =>
                (
                    Weight: int.Parse(l[0], CultureInfo.InvariantCulture),
                    Format: new LineFormat(Numbered(l[1]), (name, _) => draw => DaemonSlots.Value(name.TrimEnd('#'), draw.Random))
                )
            )
            .ToList();
        var random = new Random(seed);
        var drawn = formats.SelectMany(f => Enumerable.Repeat(f.Format, f.Weight)).ToArray();
        return
        [
            .. Enumerable
                .Range(0, count)
                .Select(_ => drawn[random.Next(drawn.Length)])
                .Select(f => new Labelled(daemon, Write(f, random), f.Text)),
        ];
    }

    /// <summary>Each slot of a daemon's line has a value of its own.</summary>
    private static string Numbered(string text)
    {
        var n = 0;
        return SlotName().Replace(text, m => $"{{{m.Groups[1].Value}#{n++}}}");
    }

    [GeneratedRegex(@"(?<!\{)\{([a-z][a-z0-9]*)\}")]
    private static partial Regex SlotName();

    private static string Write(LineFormat format, Random random)
    {
        var text = new StringBuilder();
        format.Write(new Draw(random, default, "", []), format.NewValues(), text);
        return text.ToString();
    }

    /// <summary>A day of the made-up world, all disturbances in it, service by service.</summary>
    public static IEnumerable<IGrouping<string, Labelled>> Services(int seed)
    {
        var day = new DateTimeOffset(2026, 11, 20, 0, 0, 0, TimeSpan.Zero);
        var simulator = new Simulator(seed);
        Play[] plays =
        [
            .. Disturbances.All.Select(d => new Play(d, day.AddHours(2 + (2 * d.Number)), day.AddHours(3 + (2 * d.Number)), 0.5)),
        ];
        return Enumerable
            .Range(0, 1440)
            .SelectMany(m => simulator.Records(day.AddMinutes(m), plays))
            .Select(r => new Labelled(r.Service, r.Body, r.Line))
            .GroupBy(r => r.Service);
    }

    /// <summary>Daemons whose lines are measured behind headers of other programs.</summary>
    private static readonly string[] BehindHeaders = ["sshd", "system", "packages", "heldout-dotnet", "heldout-packages"];

    /// <summary>The share of right records behind each shape of header, in a file of many lines and in one of few.</summary>
    public static void MeasureHeaders(string[] shown)
    {
        Console.WriteLine(
            $"| header | {string.Join(" | ", BehindHeaders)} | of 200 lines |\n|---|{string.Concat(Enumerable.Repeat("---|", BehindHeaders.Length + 1))}"
        );
        foreach (var (name, write) in Headers.All.Prepend(("none", _ => "")))
        {
            if (shown.Length > 0 && !shown.Any(s => name.Contains(s, StringComparison.Ordinal)))
                continue;
            var shares = BehindHeaders.Select(d => Judged.Of(Headers.Before(Bare(d, 4_000), write, 3)).Share);
            var few = BehindHeaders.Average(d => Judged.Of(Headers.Before(Bare(d, 200), write, 3)).Share);
            Console.WriteLine(
                $"| {name} | {string.Join(" | ", shares.Select(s => s.ToString("0.000", CultureInfo.InvariantCulture)))} | {few:0.000} |"
            );
            if (shown.Length > 0)
                foreach (var (daemon, count) in BehindHeaders.SelectMany(d => new[] { (d, 4_000), (d, 200) }))
                    Show(daemon, Headers.Before(Bare(daemon, count), write, 3), confusion: true);
        }
    }

    /// <summary>Lines without the time that the daemon itself writes before them.</summary>
    private static List<Labelled> Bare(string daemon, int count) =>
        Of(daemon, count, 11).ConvertAll(l => l with { Body = OwnTime().Replace(l.Body, "") });

    [GeneratedRegex(@"^\d{4}-\d\d-\d\d \d\d:\d\d:\d\d ")]
    private static partial Regex OwnTime();

    public static void Measure(string[] args)
    {
        if (args is ["headers", .. var shown])
        {
            MeasureHeaders(shown);
            return;
        }
        Console.WriteLine("| material | records | lines of code | patterns | accuracy |\n|---|---|---|---|---|");
        foreach (var daemon in Daemons)
        {
            if (args.Length > 0 && !args.Contains(daemon))
                continue;
            Show(daemon, Of(daemon, 20_000, 7), args.Length > 0);
        }
        foreach (var service in Services(7))
            if (args.Length == 0 || args.Contains(service.Key))
                Show(service.Key, [.. service], args.Length > 0);
        if (args.Length == 0)
            Speed();
    }

    /// <summary>What finding a template costs, and making the patterns of a whole world and of a service that writes without
    /// end.</summary>
    public static void Speed()
    {
        var day = Services(7).SelectMany(g => g).Select(r => (r.Service, Body: Encoding.UTF8.GetBytes(r.Body))).ToArray();
        var random = new Random(1);
        string Word() => new([.. Enumerable.Range(0, random.Next(3, 9)).Select(_ => (char)('a' + random.Next(26)))]);
        var endless = Enumerable
            .Range(0, 20_000)
            .Select(_ =>
                (
                    "noisy",
                    Body: Encoding.UTF8.GetBytes(string.Join(' ', Enumerable.Range(0, random.Next(3, 30)).Select(_ => Word())))
                )
            )
            .ToArray();
        Console.WriteLine("\n| work | records | templates | µs for each record | patterns made in ms |\n|---|---|---|---|---|");
        foreach (var (name, records) in new[] { ("a day of all services", day), ("endless random words", endless) })
            for (var round = 0; round < 3; round++)
            {
                var miner = new TemplateMiner();
                var gaps = new List<Slice>();
                var started = Stopwatch.GetTimestamp();
                foreach (var (service, body) in records)
                {
                    gaps.Clear();
                    miner.Find(service, body, 0, gaps);
                }
                var found = Stopwatch.GetElapsedTime(started);
                started = Stopwatch.GetTimestamp();
                _ = new PatternBook(miner, []).All();
                var made = Stopwatch.GetElapsedTime(started);
                if (round == 2)
                    Console.WriteLine(
                        $"| {name} | {records.Length} | {miner.All.Count()} | {found.TotalMicroseconds / records.Length:0.00} | {made.TotalMilliseconds:0} |"
                    );
            }
    }

    /// <summary>What became of labelled records.</summary>
    private sealed record Judged(
        PatternBook Patterns,
        string[] Found,
        IReadOnlyDictionary<string, int> Sizes,
        List<IGrouping<string, int>> Groups,
        double Share
    )
    {
        public static Judged Of(List<Labelled> records)
        {
            var miner = new TemplateMiner();
            var gaps = new List<Slice>();
            var ids = new long[records.Count];
            for (var i = 0; i < ids.Length; i++)
            {
                gaps.Clear();
                ids[i] = miner.Find(records[i].Service, Encoding.UTF8.GetBytes(records[i].Body), 0, gaps).Id;
            }
            var patterns = new PatternBook(miner, []);
            var found = ids.Select(id => patterns.ValueOf(id).ToText()).ToArray();
            var sizes = records.CountBy(r => r.Truth).ToDictionary();
            var groups = Enumerable.Range(0, ids.Length).GroupBy(i => found[i]).ToList();
            var right = groups
                .Where(g =>
                    g.Select(i => records[i].Truth).Distinct().Count() == 1 && g.Count() == sizes[records[g.First()].Truth]
                )
                .Sum(g => g.Count());
            return new Judged(patterns, found, sizes, groups, (double)right / records.Count);
        }
    }

    private static void Show(string name, List<Labelled> records, bool confusion)
    {
        var (patterns, found, sizes, groups, share) = Judged.Of(records);
        Console.WriteLine($"| {name} | {records.Count} | {sizes.Count} | {groups.Count} | {share:0.000} |");
        if (!confusion)
            return;
        foreach (
            var truth in records
                .Select((r, i) => (r.Truth, Found: found[i]))
                .GroupBy(x => x.Truth)
                .OrderByDescending(g => g.Count())
        )
        {
            var into = truth.CountBy(x => x.Found).OrderByDescending(x => x.Value).ToList();
            var others = into.SelectMany(f => groups.Single(g => g.Key == f.Key))
                .Select(i => records[i].Truth)
                .Distinct()
                .Count();
            if (into.Count == 1 && others == 1)
                continue;
            Console.WriteLine(
                $"\n{truth.Count()} records of: {truth.Key}\n  in {into.Count} patterns, with {others - 1} other lines of code"
            );
            foreach (var (id, n) in into.Take(6))
                Console.WriteLine($"  {n, 6} {id} {patterns.Text(id)?.ReplaceLineEndings("⏎")}");
        }
    }
}
