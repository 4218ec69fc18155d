using System.Diagnostics;
using System.Globalization;
using System.Text;
using Kumiko.Bench.Store;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Files;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Records;
using Kumiko.Core.Sources.Imports;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Bench;

/// <summary>Files into the store, beside two senders of newline-delimited JSON in the same run; and parsers alone.</summary>
internal static class Files
{
    private const int Rounds = 3;
    private const int ParsedBytes = 48 << 20;

    public static async Task Measure(int records)
    {
        var folder = Directory.CreateTempSubdirectory("kumiko-bench-").FullName;
        try
        {
            var files = Shapes().Select(s => (s.Name, s.Settings, Path: Write(folder, s.Name, s.Lines, records))).ToList();
            Console.WriteLine("| parsers alone, one thread | MB/s | records/s |\n|---|---|---|");
            foreach (var (name, settings, path) in files)
                Parse(name, settings, path);
            Console.WriteLine("\n| files into disk, sealed as well, best of three | records/s | beside senders |\n|---|---|---|");
            var sent = 0.0;
            for (var i = 0; i < Rounds; i++)
                sent = Math.Max(sent, await Send(folder, files[0].Path, records));
            Console.WriteLine($"| newline-delimited JSON by two senders | {sent:0} | 1 |");
            foreach (var (name, settings, path) in files)
            {
                var best = 0.0;
                for (var i = 0; i < Rounds; i++)
                    best = Math.Max(best, await Import(folder, settings, path, records));
                Console.WriteLine($"| {name} by import | {best:0} | {best / sent:0.00} |");
            }
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }

    private static IEnumerable<(string Name, FormatSettings Settings, Func<int, Random, string> Lines)> Shapes()
    {
        yield return ("newline-delimited JSON", new FormatSettings("json"), Json);
        yield return ("Combined Log Format", new FormatSettings("access"), Access);
        yield return ("logfmt", new FormatSettings("logfmt"), Logfmt);
        yield return ("syslog file", new FormatSettings("syslog"), Syslog);
        yield return ("text with a prefix and stack traces", new FormatSettings("text") { Start = RecordStart.Time }, Text);
        yield return ("table", new FormatSettings("csv") { Delimiter = ',' }, Csv);
    }

    private static DateTime At(int i) => new DateTime(2026, 11, 23, 6, 0, 0, DateTimeKind.Utc).AddMilliseconds(i * 7);

    private static string At(int i, string format) => At(i).ToString(format, CultureInfo.InvariantCulture);

    private static string Json(int i, Random r) =>
        $"{{\"time\":\"{At(i, "yyyy-MM-ddTHH:mm:ss.fffZ")}\",\"level\":\"{(r.Next(9) == 0 ? "warn" : "info")}\",\"service\":\"seat-ledger\",\"host\":\"ledger-{r.Next(3)}\",\"body\":\"seat {r.Next(400)} held for sailing HO-{r.Next(2400)} in {r.Next(900)} ms\",\"seat\":{r.Next(400)},\"trace_id\":\"{r.NextInt64():x16}{r.NextInt64():x16}\"}}";

    private static string Access(int i, Random r) =>
        $"10.{r.Next(8)}.{r.Next(200)}.{r.Next(250)} - - [{At(i, "dd/MMM/yyyy:HH:mm:ss")} +0000] \"GET /v2/fares?from=Hollin&to=Orra&seats={r.Next(9)} HTTP/1.1\" {(r.Next(20) == 0 ? 503 : 200)} {r.Next(9000)} \"https://skerry.example/book\" \"Kiosk/7.{r.Next(4)} (quay)\" 0.{r.Next(999):000}";

    private static string Logfmt(int i, Random r) =>
        $"ts={At(i, "yyyy-MM-ddTHH:mm:ss.fffZ")} level=info service=crew-roster host=crew-{r.Next(2)} msg=\"watch of vessel {r.Next(5)} handed over after {r.Next(600)} minutes\" crew={r.Next(60)} vessel=Dunlin duration={r.Next(900)}ms";

    private static string Syslog(int i, Random r) =>
        $"{At(i, "MMM dd HH:mm:ss")} quay-{r.Next(3)} radiod[{r.Next(9000)}]: link to station {r.Next(40)} lost after {r.Next(900)} s, trying again";

    private static string Text(int i, Random r)
    {
        var line =
            $"{At(i, "yyyy-MM-dd HH:mm:ss,fff")} INFO [checkin-{r.Next(4)}] ferry.manifest.Ledger - seat {r.Next(400)} boarded on SM-{r.Next(900)}";
        return r.Next(50) == 0
            ? line + "\njava.io.IOException: time-out\n\tat ferry.Wire.read(Wire.java:9)\n\tat ferry.Ledger.hold(Ledger.java:42)"
            : line;
    }

    private static string Csv(int i, Random r) =>
        i == 0 ? "time,terminal,height_m,quality" : $"{At(i, "yyyy-MM-ddTHH:mm:ssZ")},Hollin,{r.Next(500) / 100.0:0.00},good";

    private static string Write(string folder, string name, Func<int, Random, string> lines, int records)
    {
        var path = Path.Combine(folder, name.Replace(' ', '-') + ".log");
        var random = new Random(25);
        using var file = new StreamWriter(path, false, new UTF8Encoding(false), 1 << 16);
        for (var i = 0; i < records; i++)
            file.Write(lines(i, random) + "\n");
        return path;
    }

    private static void Parse(string name, FormatSettings settings, string path)
    {
        var bytes = new byte[Math.Min(ParsedBytes, new FileInfo(path).Length)];
        using (var file = File.OpenRead(path))
            file.ReadExactly(bytes);
        var best = (Rate: 0.0, Records: 0.0);
        for (var i = 0; i < Rounds; i++)
        {
            var reader = FormatList.Find(settings.Format)!.Open(settings, "bench");
            using var lines = new LineReader(new MemoryStream(bytes));
            using var records = new RecordLines(lines, reader);
            var rows = new RecordBlockBuilder();
            var (count, started) = (0L, Stopwatch.GetTimestamp());
            while (records.Next(CancellationToken.None).AsTask().GetAwaiter().GetResult() is { } record)
            {
                reader.Parse(record.Span, 1, rows);
                if (rows.Count >= 16_384)
                    count += rows.Build().Count;
            }
            count += rows.Count;
            var seconds = Stopwatch.GetElapsedTime(started).TotalSeconds;
            if (bytes.Length / seconds > best.Rate)
                best = (bytes.Length / seconds, count / seconds);
        }
        Console.WriteLine($"| {name} | {best.Rate / 1e6:0} | {best.Records:0} |");
    }

    private static async Task<double> Send(string folder, string path, int records)
    {
        using var store = new RecordStore(Path.Combine(folder, $"sent-{Guid.NewGuid():N}.db"), TimeProvider.System);
        var intake = new LineIntake(store, TimeProvider.System);
        var batches = Batches(path).ToList();
        var next = -1;
        var started = Stopwatch.GetTimestamp();
        await Task.WhenAll(Sender(), Sender());
        await store.Upkeep.SealAll();
        return records / Stopwatch.GetElapsedTime(started).TotalSeconds;

        Task Sender() =>
            Task.Run(async () =>
            {
                for (var at = Interlocked.Increment(ref next); at < batches.Count; at = Interlocked.Increment(ref next))
                    await intake.Take(new MemoryStream(batches[at]), new LineWish("quay"), CancellationToken.None);
            });
    }

    /// <summary>The file in pieces of whole lines, about as large as senders send.</summary>
    private static IEnumerable<byte[]> Batches(string path)
    {
        var text = File.ReadAllBytes(path);
        for (var at = 0; at < text.Length; )
        {
            var end = Math.Min(text.Length, at + (1 << 20));
            if (end < text.Length)
                end = Array.IndexOf(text, (byte)'\n', end) is >= 0 and var line ? line + 1 : text.Length;
            yield return text[at..end];
            at = end;
        }
    }

    private static async Task<double> Import(string folder, FormatSettings settings, string path, int records)
    {
        var data = Directory.CreateDirectory(Path.Combine(folder, Guid.NewGuid().ToString("N"))).FullName;
        using var store = new RecordStore(Path.Combine(data, "records.db"), TimeProvider.System);
        using var database = new AppDatabase(Path.Combine(data, "kumiko.db"));
        var imports = new ImportStore(database, TimeProvider.System);
        using var runs = new ImportRuns(store, imports, new LineIntake(store, TimeProvider.System), TimeProvider.System, data);
        var id = await imports.Create("bench", [ImportPlan.FileOf(path)], settings, "bench");
        var started = Stopwatch.GetTimestamp();
        await runs.Start(imports.Find(id)!);
        await store.Upkeep.SealAll();
        var rate = records / Stopwatch.GetElapsedTime(started).TotalSeconds;
        var done = imports.Find(id)!;
        if (done.State != ImportState.Done || done.Refused > 0)
            throw new InvalidOperationException($"{path}: {done.State}, {done.Refused} refused, {done.Problem}");
        return rate;
    }
}
